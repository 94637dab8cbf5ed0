"""The one engine for neighbour relations: a table of gates, compared at both ends.

A protocol lists its gates in the order in which it meets them. Each gate says what it
reads at an end, when two readings agree, what a disagreement stops, and in which state
each end then gets stuck. The engine evaluates the table for every pair of ends, the same
way for both, so a rule cannot be applied differently to the two.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Generic, TypeVar

from ..network.addressing import FAMILY_NAMES
from ..network.mends import Mend
from ..network.source import Source, blurred, incomparable

NEIGHBOUR, ROUTES, NOTHING = "neighbour", "routes", "nothing"

FILTERED = "whoever filters lets the protocol pass: that is the mend of filters, for any protocol"

E = TypeVar("E")


@dataclass(frozen=True, slots=True)
class Reading:
    """What one end says at one gate, with the lines that say so."""

    text: str | None
    evidence: tuple[Source, ...] = ()
    value: Any = None

    def __post_init__(self) -> None:
        if self.value is None:
            object.__setattr__(self, "value", self.text)


@dataclass(frozen=True, slots=True)
class Gate(Generic[E]):
    """One precondition of a neighbour relation.

    `read(end, other)` gives the end's reading. `agree(left, right)` compares two readings;
    by default they must be equal. `stuck` gives the states of (left, right) if it fails.
    `mend(end, other)` says what would make the end fit the other: None if nothing at this end
    does. A gate that has no mend says why, in `no_mend`.
    """

    name: str
    read: Callable[[E, E], Reading]
    agree: Callable[[Reading, Reading], bool] = lambda left, right: left.value == right.value
    stops: str = NEIGHBOUR
    stuck: Callable[[E, E], tuple[str, str]] | None = None
    applies: Callable[[E, E], bool] = lambda left, right: True
    mend: Callable[[E, E], Mend | None] | None = None
    no_mend: str = ""


@dataclass(frozen=True, slots=True)
class Later(Generic[E]):
    """A gate that is judged by more than its two ends, so its comparison stands elsewhere: its
    name, and what would mend it."""

    name: str
    mend: Callable[[E, E], Mend | None] | None = None
    no_mend: str = ""


@dataclass(frozen=True, slots=True)
class Judged:
    """A gate after comparison."""

    gate: str
    left: str | None
    right: str | None
    holds: bool
    stops: str
    evidence: tuple[Source, ...]
    known: bool = True
    """False if it only holds as far as anybody can tell, because what it compares is hidden."""

    def as_json(self) -> dict[str, object]:
        return {
            "gate": self.gate,
            "left": self.left,
            "right": self.right,
            "holds": self.holds if self.known else None,
            "stops": self.stops,
            "evidence": [source.as_json() for source in self.evidence],
        }


@dataclass(slots=True)
class Side:
    """One end of a relation: who, where, and the state it is in and should be in."""

    device: str
    interface: str | None
    address: str | None
    state: str
    expected: str

    def as_json(self) -> dict[str, object]:
        return {
            "device": self.device,
            "interface": self.interface,
            "address": self.address,
            "state": self.state,
            "expected": self.expected,
        }


@dataclass(slots=True)
class Relation:
    """Two ends that are or should be neighbours, with every gate between them."""

    protocol: str
    family: int
    left: Side
    right: Side
    gates: list[Judged] = field(default_factory=list)
    up: bool = True
    """The neighbours see each other; routes may still fail."""
    carries_both: bool = False
    """Routes of either family may pass over it."""
    ends: tuple[Any, Any] = (None, None)
    """The two ends as the protocol sees them."""

    @property
    def works(self) -> bool:
        return all(gate.holds or gate.stops == NOTHING for gate in self.gates)

    @property
    def not_known(self) -> list[Judged]:
        """The gates that may fail, because what they compare is hidden."""
        return [gate for gate in self.gates if not gate.known]

    @property
    def first_failing(self) -> Judged | None:
        """The first gate that stops something; the first that differs at all if none does."""
        failing = [gate for gate in self.gates if not gate.holds]
        for gate in failing:
            if gate.stops != NOTHING:
                return gate
        return failing[0] if failing else None

    def as_json(self) -> dict[str, object]:
        first = self.first_failing
        return {
            "protocol": self.protocol,
            "family": FAMILY_NAMES[self.family],
            "left": self.left.as_json(),
            "right": self.right.as_json(),
            "works": self.works,
            "gates": [gate.as_json() for gate in self.gates],
            "first_failing": first.gate if first and first.stops != NOTHING else None,
        }


@dataclass(frozen=True, slots=True)
class Outcome:
    """The judged gates of a pair, and where each end gets stuck (None: nowhere)."""

    gates: list[Judged]
    stuck: tuple[str, str] | None
    up: bool


def judge(gates: Sequence[Gate[E]], left: E, right: E) -> Outcome:
    """Evaluates every gate for a pair; the first that stops something decides the states."""
    judged: list[Judged] = []
    stuck: tuple[str, str] | None = None
    up = True
    for gate in gates:
        if not gate.applies(left, right):
            continue
        mine, theirs = gate.read(left, right), gate.read(right, left)
        known = not incomparable(_words(mine.value), _words(theirs.value))
        holds = gate.agree(*((mine, theirs) if known else (_blurred(mine), _blurred(theirs))))
        judged.append(
            Judged(
                gate.name,
                mine.text,
                theirs.text,
                holds,
                gate.stops,
                tuple(dict.fromkeys((*mine.evidence, *theirs.evidence))),
                known or not holds,
            )
        )
        if not holds and gate.stops != NOTHING:
            if gate.stops == NEIGHBOUR:
                up = False
            if stuck is None and gate.stuck is not None:
                stuck = gate.stuck(left, right)
    return Outcome(judged, stuck, up)


def _words(value: Any) -> str:
    """The words of a value, in which a secret's mark would stand."""
    if isinstance(value, tuple):
        return " ".join(_words(item) for item in value)
    return value if isinstance(value, str) else ""


def _blurred(reading: Reading) -> Reading:
    """A reading whose secrets all look alike: what differs still differs for certain."""
    return replace(reading, value=_blur(reading.value))


def _blur(value: Any) -> Any:
    if isinstance(value, tuple):
        return tuple(_blur(item) for item in value)
    return blurred(value) if isinstance(value, str) else value
