"""IS-IS: what a text says of it, and what devices do otherwise than its standards."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import ClassVar

from .routing import DefaultRoute, Flag, Named, Number, Process, Redistribution, Word
from .source import Source

NAMED = Named("isis", ("IS-IS", "IS-IS (IPv6)"), table=9)

LEVELS = (1, 2)
KINDS: dict[str, frozenset[int]] = {
    "level-1": frozenset((1,)),
    "level-2": frozenset((2,)),
    "level-2-only": frozenset((2,)),
    "level-1-2": frozenset(LEVELS),
}
"""The levels that the words for routers and circuits stand for."""
NARROWEST = 63
"""The largest metric of a link that narrow metrics can say (RFC 1195)."""


@dataclass(frozen=True, slots=True)
class IsisInterface:
    """IS-IS settings of one interface."""

    name: str
    taken_in: Mapping[int, Source] = field(default_factory=dict)
    """Family -> the line that takes the interface in."""
    circuit: Word | None = None
    metrics: Mapping[int, Number] = field(default_factory=dict)
    """Level -> what the way out costs."""
    passive: Flag | None = None
    network: Word | None = None
    authentication: Word | None = None
    key: Word | None = None
    priorities: Mapping[int, Number] = field(default_factory=dict)
    padding: Flag | None = None
    left_out: Flag | None = None
    """True where the link is not in IPv6's own topology."""
    refused: Source | None = None
    """The line for which the device refused all of these."""


@dataclass(frozen=True, slots=True)
class Announced:
    """What is announced into one level."""

    level: int
    what: Redistribution | DefaultRoute


@dataclass(frozen=True, slots=True)
class IsisProcess(Process):
    """One IS-IS router, for one family: both share neighbours and ways."""

    protocol: ClassVar[str] = "isis"
    family: int
    source: Source
    tag: str = ""
    net: Word | None = None
    """Area, system and selector (ISO 10589, 7.1)."""
    kind: Word | None = None
    style: Word | None = None
    interfaces: Mapping[str, IsisInterface] = field(default_factory=dict)
    announced: tuple[Announced, ...] = ()
    overload: Flag | None = None
    attached_send: Flag | None = None
    attached_receive: Flag | None = None
    area_key: Word | None = None
    domain_key: Word | None = None
    own_topology: Flag | None = None
    """IPv6 has ways of its own (RFC 5120): only over links that both ends say carry it."""

    @property
    def name(self) -> str:
        return "IS-IS"

    def spoken_on(self, interface: str) -> bool:
        held = self.interfaces.get(interface)
        return held is not None and self.family in held.taken_in

    @property
    def area(self) -> str | None:
        """The area's address, without the system's."""
        parts = self.net.value.split(".") if self.net is not None else []
        return ".".join(parts[:-4]) if len(parts) > 4 else None

    @property
    def system(self) -> str | None:
        """The system's id."""
        parts = self.net.value.split(".") if self.net is not None else []
        return ".".join(parts[-4:-1]) if len(parts) > 4 else None

    @property
    def levels(self) -> frozenset[int]:
        return KINDS[self.kind.value] if self.kind is not None else frozenset(LEVELS)

    @property
    def carries(self) -> bool:
        """True if any interface is taken in for its family."""
        return any(self.family in held.taken_in for held in self.interfaces.values())

    @property
    def gives_default(self) -> bool:
        return any(isinstance(item.what, DefaultRoute) for item in self.announced)

    def redistributes(self, family: int) -> tuple[Redistribution, ...]:
        found = [a.what for a in self.announced if isinstance(a.what, Redistribution)]
        return tuple(found) if self.serves(family) else ()


@dataclass(frozen=True, slots=True)
class IsisHabits:
    """ISO 10589, RFC 1195, RFC 5305."""

    distance: int = 115
    metric: int = 10
    style: str = "wide"
    priority: int = 64
    redistribute_metric: int = 0
    late_style_refuses: bool = False
    """A metric that narrow links cannot say is refused before the style is known, and with it all
    that the interface says (measured on FRR 8.4: interfaces come before the process in a file)."""
    one_level_overrules_circuits: bool = False
    """A router of one level speaks that on every circuit, whatever the circuit is told (measured on
    FRR 8.4, `tests/real/test_isis.py`)."""
    announced_default_overrules: bool = False
    """An IPv4 default that somebody announces with wide metrics replaces the one towards routers
    that know other areas, whichever is nearer (measured on FRR 8.4, `tests/real/test_isis.py`)."""
    narrow_uses_no_ipv6: bool = False
    """A router of narrow metrics announces its IPv6 subnets and uses nobody else's; only the
    default towards other areas it makes (measured on FRR 8.4, `tests/real/test_isis.py`)."""
    own_topology_passes_overloaded: bool = False
    """In IPv6's own topology an overloaded router is passed like any other: the mark stands for the
    common one alone (measured on FRR 8.4, `tests/real/test_dynamic.py`)."""
    maps_are_found_once: bool = False
    """A route map is looked up when the line that names it is read: one that stands below is not
    there yet, and permits nothing for as long as the daemon runs. Who types the map first sees it
    work until the next start (measured on FRR 8.4, `tests/real/test_isis.py`)."""
