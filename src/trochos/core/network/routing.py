"""What a device's text says about its routing protocols: settings, each with its line.

Nothing here is computed. A setting that nobody wrote is None, and the protocol (or the
device's profile) supplies the default.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, ClassVar, NamedTuple, TypeVar

from .addressing import Address, Prefix
from .source import Source


class Number(NamedTuple):
    """A number that somebody wrote."""

    value: int
    source: Source


class Word(NamedTuple):
    """A word that somebody wrote: a type, a name, a fingerprint."""

    value: str
    source: Source


class Flag(NamedTuple):
    """Something that somebody switched on or off."""

    value: bool
    source: Source


class Redistribution(NamedTuple):
    """`protocol`'s routes of the device's table are announced by another protocol."""

    protocol: str
    source: Source
    metric: int | None = None
    metric_type: int | None = None
    route_map: str | None = None
    tag: int | None = None


class DefaultRoute(NamedTuple):
    """A protocol announces a default route; `always` even if the table holds none."""

    source: Source
    always: bool = False
    metric: int | None = None
    metric_type: int | None = None
    route_map: str | None = None


class RouteFilter(NamedTuple):
    """A list that filters (or, with `offset`, worsens) routes in one direction.

    `kind` is `access` or `prefix`. `interface` None covers all; `protocol` narrows an
    outgoing filter to what was redistributed from there.
    """

    kind: str
    name: str
    direction: str
    source: Source
    interface: str | None = None
    protocol: str | None = None
    offset: int = 0


class PeerDistance(NamedTuple):
    """The distance of routes from neighbours inside `prefix`, and of them of those that the
    access list `name` permits, if one is named."""

    prefix: Prefix
    distance: int
    source: Source
    name: str | None = None


class NetworkStatement(NamedTuple):
    """Interfaces inside `prefix` (or the one called `interface`) take part; `area` for OSPF."""

    prefix: Prefix | None
    source: Source
    area: int = 0
    interface: str | None = None


@dataclass(frozen=True, slots=True)
class Named:
    """What a routing protocol is called, here and elsewhere."""

    name: str
    """Its word in documents."""
    labels: tuple[str, str]
    """What people call it for IPv4 and for IPv6."""
    words: tuple[str, ...] = ()
    """What routers call it in their texts and tables, where that is not our word."""
    packets: int | None = None
    """The number of IP that its packets carry (IANA, protocol numbers), if it has one."""
    table: int | None = None
    """Its number in tables read over SNMP (IANA-RTPROTO-MIB)."""
    areas: bool = False
    """True if an interface is taken into an area."""
    sessions: bool = False
    """True if neighbours are named one by one and reached by routes, perhaps in another system;
    False if whoever is on a link is one."""

    @property
    def label(self) -> str:
        """What people call it where the family does not matter."""
        return self.labels[0]


class Process:
    """One process of a routing protocol on one device: what all protocols have in common.

    Each protocol's own facts are in the module that bears its name; whoever does not care which
    protocol it is asks here.
    """

    __slots__ = ()

    protocol: ClassVar[str]
    """The protocol's word in documents."""
    once: ClassVar[bool] = False
    """True if a device runs at most one process of it."""

    if TYPE_CHECKING:

        @property
        def source(self) -> Source:
            """The line that starts it."""

        @property
        def family(self) -> int:
            """4 or 6."""

        @property
        def name(self) -> str:
            """What people call it."""

    def serves(self, family: int) -> bool:
        """True if it brings routes of this family."""
        return self.family == family

    def spoken_on(self, interface: str) -> bool:
        """True if its configuration speaks of an interface for its family."""
        return interface in getattr(self, "interfaces", ())

    @property
    def title(self) -> str:
        """Its name with its number, where processes are told apart by one."""
        return self.name

    @property
    def identity(self) -> Number | None:
        """The router id that its lines set."""
        found: Number | None = getattr(self, "router_id", None)
        return found

    @property
    def statements(self) -> tuple[NetworkStatement, ...]:
        """The lines that make it take interfaces in."""
        held: tuple[NetworkStatement, ...] = getattr(self, "networks", ())
        return held

    def named_prefixes(self) -> list[Prefix]:
        """Every prefix that one of its lines takes in or announces."""
        return [item.prefix for item in self.statements if item.prefix is not None]

    def named_neighbours(self) -> list[Address]:
        """Every neighbour that one of its lines names by an address it must have."""
        return []

    def redistributes(self, family: int) -> tuple[Redistribution, ...]:
        """What it announces of other protocols in one family."""
        held: tuple[Redistribution, ...] = getattr(self, "redistribute", ())
        return held if self.serves(family) else ()

    @property
    def gives_default(self) -> bool:
        """True if it is told to announce a default route."""
        return getattr(self, "default", None) is not None

    def all_filters(self) -> list[RouteFilter]:
        """Every list that it filters routes by, or worsens them by."""
        return [*getattr(self, "filters", ()), *getattr(self, "offsets", ())]

    def hiding(self) -> list[tuple[Prefix, Source]]:
        """Prefixes in whose place, or instead of which, others are told something shorter."""
        return []

    def maps(self) -> set[str]:
        """The route maps that its lines name."""
        found = {r.route_map for r in self.redistributes(self.family) if r.route_map}
        default: DefaultRoute | None = getattr(self, "default", None)
        if default is not None and default.route_map:
            found.add(default.route_map)
        return found


P = TypeVar("P", bound=Process)


@dataclass(frozen=True, slots=True)
class Routing:
    """All routing processes of one device, those of one protocol in the order written."""

    processes: tuple[Process, ...] = ()

    @property
    def runs(self) -> bool:
        return bool(self.processes)

    def of(self, kind: type[P]) -> tuple[P, ...]:
        """The processes of one protocol, such as `of(OspfProcess)`."""
        return tuple(p for p in self.processes if isinstance(p, kind))

    def one(self, kind: type[P]) -> P | None:
        """The process of a protocol that a device runs at most once; None if it does not run."""
        return next((p for p in self.processes if isinstance(p, kind)), None)

    def called(self, protocol: str, family: int | None = None) -> tuple[Process, ...]:
        """The processes of a protocol by its word, of one family if that is given."""
        return tuple(
            p
            for p in self.processes
            if p.protocol == protocol and (family is None or p.serves(family))
        )

    def protocols(self, family: int | None = None) -> list[str]:
        """The words of the protocols that run, of one family if that is given."""
        found = (p.protocol for p in self.processes if family is None or p.serves(family))
        return list(dict.fromkeys(found))


NO_ROUTING = Routing()
