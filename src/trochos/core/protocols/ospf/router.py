"""One router of an OSPF domain, and what it has chosen for each thing that can be reached."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

from ...network.addressing import Prefix
from ...network.facts import Device
from ...network.ospf import AreaRange, OspfArea, OspfProcess
from ..routes import NextHop, Origin
from .interfaces import OspfEnd
from .spf import Key, hop_order

BACKBONE = 0
INTRA, INTER, EXTERNAL_1, EXTERNAL_2 = 0, 1, 2, 3


class Best(NamedTuple):
    """A router's own choice for a key: kind, cost, next hops, area and origin."""

    kind: int
    cost: int
    hops: tuple[NextHop, ...]
    area: int
    origin: Origin
    metric2: int = 0
    own: str | None = None
    """The interface, if this is a subnet of the router's own."""
    nssa: bool = False
    tag: int = 0


@dataclass
class Router:
    """One OSPF router: its process, its ends, the areas it is active in."""

    device: Device
    process: OspfProcess
    ends: list[OspfEnd]
    areas: list[int] = field(default_factory=list)
    is_border: bool = False
    best: dict[Key, Best] = field(default_factory=dict)
    ways: dict[str, list[Best]] = field(default_factory=dict)
    """To each router that announces or passes on: the best way of every area."""
    discards: list[tuple[AreaRange, int]] = field(default_factory=list)

    @cached_property
    def internal_lengths(self) -> list[int]:
        """The prefix lengths of internal ways, longest first."""
        found = {key.length for key in self.best if isinstance(key, Prefix)}
        return sorted(found, reverse=True)

    def area(self, number: int) -> OspfArea:
        return self.process.areas.get(number) or OspfArea(number)


def offer(best: dict[Key, Best], key: Key, offer: Best) -> None:
    """Keeps the better of two internal ways; equal ones share (16.1, 16.2)."""
    held = best.get(key)
    if held is None or (offer.kind, offer.cost) < (held.kind, held.cost):
        best[key] = offer
    elif (offer.kind, offer.cost) == (held.kind, held.cost) and held.own is None:
        hops = tuple(sorted({*held.hops, *offer.hops}, key=hop_order))
        best[key] = held._replace(hops=hops)
