"""Which of two ends a remedy is for: what tells, and how that is said."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from ...network.edits import Remedy

EITHER = "Either end may be the wrong one: nothing tells which."


class Ground(NamedTuple):
    """What speaks against changing an end."""

    weight: float
    """How much; below 0 it speaks for it."""
    says: str
    """Why the end is right as it is, in a sentence, where `weight` is above 0."""


class Side(NamedTuple):
    """One of two ends: the remedy there, and what speaks against it."""

    remedy: Remedy
    grounds: Sequence[Ground]

    @property
    def weight(self) -> float:
        return sum(ground.weight for ground in self.grounds)


def with_bases(sides: Sequence[Side]) -> dict[Remedy, Remedy]:
    """The remedies of two ends with what tells between them.

    The remedy that less speaks against says what speaks most against the other one; if nothing
    does, both say that either end may be meant. A remedy at one end only has no choice to explain.
    """
    if len(sides) != 2:
        return {}
    first, other = sorted(sides, key=lambda side: side.weight)
    if first.weight == other.weight:
        return {side.remedy: side.remedy._replace(basis=EITHER) for side in sides}
    ground = max(other.grounds, key=lambda item: item.weight, default=None)
    if ground is None or ground.weight <= 0:
        return {}
    return {first.remedy: first.remedy._replace(basis=ground.says)}
