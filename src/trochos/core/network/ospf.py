"""OSPF: what a text says of it, and what kinds of devices do otherwise than its standard."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import ClassVar, NamedTuple

from .addressing import Address, Prefix
from .routing import (
    DefaultRoute,
    Flag,
    Named,
    NetworkStatement,
    Number,
    Process,
    Redistribution,
    RouteFilter,
    Word,
)
from .source import Source

NAMED = Named("ospf", ("OSPF", "OSPFv3"), ("ospf6",), packets=89, table=13, areas=True)


@dataclass(frozen=True, slots=True)
class OspfInterface:
    """OSPF settings of one interface (RFC 2328 C.3, RFC 5340 C.3)."""

    name: str
    area: Number | None = None
    cost: Number | None = None
    hello: Number | None = None
    dead: Number | None = None
    priority: Number | None = None
    network_type: Word | None = None
    """`broadcast`, `point-to-point`, `point-to-multipoint` or `non-broadcast`."""
    passive: Flag | None = None
    authentication: Word | None = None
    """`none`, `simple` or `message-digest`."""
    key: Word | None = None
    """The fingerprint of the simple password."""
    digests: tuple[tuple[int, Word], ...] = ()
    """(key id, fingerprint) in the order written."""
    ignores_mtu: Flag | None = None
    instance: Number | None = None
    """The instance id of OSPFv3."""
    mtu: Number | None = None
    """What it says its MTU is, if that is not the interface's own."""


class ListedNeighbour(NamedTuple):
    """A neighbour listed by address, for links without multicast (RFC 2328, C.6).

    `priority` is what is assumed of it until it speaks: 0 means that it cannot become the
    designated router.
    """

    address: Address
    source: Source
    priority: int = 0


class AreaRange(NamedTuple):
    """Prefixes of an area that a border announces as one, or (`advertise` False) hides."""

    prefix: Prefix
    source: Source
    advertise: bool = True
    cost: int | None = None
    substitute: Prefix | None = None


class VirtualLink(NamedTuple):
    """A backbone adjacency with the border `neighbour` (a router id) across `area`."""

    area: int
    neighbour: int
    source: Source
    hello: Number | None = None
    dead: Number | None = None
    authentication: Word | None = None
    """As of an interface, with `key` and `digests`."""
    key: Word | None = None
    digests: tuple[tuple[int, Word], ...] = ()


@dataclass(frozen=True, slots=True)
class OspfArea:
    """What a router is told of one area: its type and what its borders do."""

    id: int
    kind: str = "normal"
    """`normal`, `stub` or `nssa`."""
    kind_source: Source | None = None
    summaries: bool = True
    default_cost: Number | None = None
    ranges: tuple[AreaRange, ...] = ()
    filters: tuple[RouteFilter, ...] = ()
    """`in`: what is announced into the area; `out`: what is announced of it elsewhere."""
    authentication: Word | None = None
    translate: str = "candidate"
    suppress_forward: bool = False
    """What is passed on leads to whoever passes it on (no forwarding address)."""
    nssa_default: DefaultRoute | None = None


@dataclass(frozen=True, slots=True)
class OspfProcess(Process):
    """One OSPF process: version 2 serves IPv4, version 3 IPv6."""

    protocol: ClassVar[str] = "ospf"
    version: int
    source: Source
    router_id: Number | None = None
    networks: tuple[NetworkStatement, ...] = ()
    neighbours: tuple[ListedNeighbour, ...] = ()
    virtual_links: tuple[VirtualLink, ...] = ()
    areas: Mapping[int, OspfArea] = field(default_factory=dict)
    interfaces: Mapping[str, OspfInterface] = field(default_factory=dict)
    by_address: Mapping[tuple[str, Address], OspfInterface] = field(default_factory=dict)
    """What is said of one address of an interface: it comes before what is said of all."""
    redistribute: tuple[Redistribution, ...] = ()
    default: DefaultRoute | None = None
    default_metric: Number | None = None
    distance: Mapping[str, int] = field(default_factory=dict)
    """`all`, `intra-area`, `inter-area`, `external` -> distance."""
    distance_source: Source | None = None
    reference_bandwidth: Number | None = None
    max_paths: Number | None = None
    passive_default: Flag | None = None
    filters: tuple[RouteFilter, ...] = ()
    summaries: tuple[AreaRange, ...] = ()
    """Externals announced as one (`summary-address`)."""
    border_type: str | None = None
    rfc1583: bool = False
    stub_router: Flag | None = None

    @property
    def family(self) -> int:
        return 4 if self.version == 2 else 6

    @property
    def name(self) -> str:
        return "OSPF" if self.version == 2 else "OSPFv3"

    def all_filters(self) -> list[RouteFilter]:
        return [*self.filters, *(f for area in self.areas.values() for f in area.filters)]

    def hiding(self) -> list[tuple[Prefix, Source]]:
        return [(r.prefix, r.source) for area in self.areas.values() for r in area.ranges]

    @property
    def title(self) -> str:
        return f"OSPF version {self.version}"


@dataclass(frozen=True, slots=True)
class OspfHabits:
    """RFC 2328 and RFC 5340, with the usual choices where they leave one."""

    reference_bandwidth: int = 100_000
    """Megabits per second: the cost of an interface is this divided by its bandwidth."""
    default_bandwidth: int = 10_000
    hello: int = 10
    dead_factor: int = 4
    distance: int = 110
    border_type: str = "cisco"
    """`cisco`: a border has an active backbone interface and another area; `standard`: two
    areas with interfaces suffice (RFC 2328, 3.3); `ibm`: a configured backbone and two."""
    statement_ignores_mask: bool = False
    """A `network` statement compares its own length only, not the interface's mask."""
    last_statement_wins: bool = False
    """Of several matching statements the last one counts, not the longest."""
    redistribute_metric: int = 20
    default_metric_found: int = 10
    """Metric of a default route that is announced because the table holds one."""
    default_metric_always: int = 1
    range_discards: bool = True
    """A border holds a discard route for each active range."""
    hidden_range_discards: bool = True
    """Also for a range that is not announced."""
    loopback_is_host: bool = True
    """A loopback is announced as host routes with cost 0."""
    ranges_hide_others: bool = False
    """A border ignores summaries of other borders that fall into a range of its own
    (version 2 alone)."""
    own_stub_blinds_to_transit: bool = False
    """A router whose own subnet is a network that others share without it ends up with no
    route to it at all, and as a border announces none (seen on real routers)."""
    hears_own_subnet_only: bool = False
    """Also on a point-to-point link packets are taken from the own subnet only, unless the
    link is unnumbered (RFC 2328, 8.2, does not ask for that; seen on real routers)."""
    virtual_link_makes_border: bool = False
    """A configured virtual link counts as a backbone interface even while it is down."""
    translation_resets_metric: bool = False
    """A border that passes an NSSA's externals on gives them the default metric of
    redistribution instead of theirs (RFC 3101, 3.2, keeps it)."""
    translation_takes_over: bool = False
    """Version 3: a border that passes an NSSA's externals on lets them lead to itself."""
    asks_for_external: bool = False
    """Version 3: an external with a forwarding address on a link of the router's own is taken to
    be on that link itself (seen on real routers)."""
    own_subnet_keeps_name: bool = False
    """Of two subnets with one address, a border that has the longer one itself announces
    that one alone into other areas."""
    range_keeps_lowest_cost: bool = False
    """A range costs as much as its nearest part (RFC 1583), not its farthest (RFC 2328)."""
