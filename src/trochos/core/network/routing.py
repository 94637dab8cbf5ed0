"""What a device's text says about its routing protocols: settings, each with its line.

Nothing here is computed. A setting that nobody wrote is None, and the protocol (or the
device's profile) supplies the default.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import NamedTuple

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
class OspfProcess:
    """One OSPF process: version 2 serves IPv4, version 3 IPv6."""

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


@dataclass(frozen=True, slots=True)
class RipInterface:
    """RIP settings of one interface (RFC 2453)."""

    name: str
    send: Word | None = None
    receive: Word | None = None
    """`1`, `2`, `1 2` or `none`."""
    authentication: Word | None = None
    """`text` or `md5`."""
    key: Word | None = None
    key_chain: Word | None = None
    split_horizon: Word | None = None
    """`on`, `off` or `poisoned`."""


@dataclass(frozen=True, slots=True)
class RipProcess:
    """RIP (IPv4) or RIPng (IPv6)."""

    family: int
    source: Source
    networks: tuple[NetworkStatement, ...] = ()
    interfaces: Mapping[str, RipInterface] = field(default_factory=dict)
    neighbours: tuple[tuple[Address, Source], ...] = ()
    passive: Mapping[str, Flag] = field(default_factory=dict)
    passive_default: Flag | None = None
    version: Number | None = None
    default_metric: Number | None = None
    redistribute: tuple[Redistribution, ...] = ()
    default: DefaultRoute | None = None
    filters: tuple[RouteFilter, ...] = ()
    offsets: tuple[RouteFilter, ...] = ()
    distance: Number | None = None
    distances: tuple[PeerDistance, ...] = ()
    statics: tuple[tuple[Prefix, Source], ...] = ()
    aggregates: tuple[tuple[Prefix, Source], ...] = ()
    """Announced in the place of what is known inside them."""
    max_paths: int = 1

    @property
    def name(self) -> str:
        return "RIP" if self.family == 4 else "RIPng"


@dataclass(frozen=True, slots=True)
class EigrpInterface:
    """EIGRP settings of one interface (RFC 7868)."""

    name: str
    delay: Number | None = None
    """In tens of microseconds."""
    bandwidth: Number | None = None
    """In kilobits per second."""
    hello: Number | None = None
    hold: Number | None = None
    authentication: Word | None = None
    key_chain: Word | None = None
    summaries: tuple[tuple[Prefix, Source], ...] = ()
    split_horizon: Flag | None = None
    passive: Flag | None = None


@dataclass(frozen=True, slots=True)
class EigrpProcess:
    """One EIGRP process of one address family."""

    number: int
    source: Source
    family: int = 4
    router_id: Number | None = None
    networks: tuple[NetworkStatement, ...] = ()
    interfaces: Mapping[str, EigrpInterface] = field(default_factory=dict)
    passive: Mapping[str, Flag] = field(default_factory=dict)
    passive_default: Flag | None = None
    weights: tuple[int, ...] | None = None
    weights_source: Source | None = None
    variance: Number | None = None
    max_paths: Number | None = None
    redistribute: tuple[Redistribution, ...] = ()
    filters: tuple[RouteFilter, ...] = ()
    auto_summary: Flag | None = None
    stub: Word | None = None
    """What a stub router announces: words such as `connected summary`; None: no stub."""
    default_metric: tuple[int, ...] | None = None
    distance: tuple[int, int] | None = None

    @property
    def name(self) -> str:
        return "EIGRP"


@dataclass(frozen=True, slots=True)
class BgpNeighbourFamily:
    """What is set for one neighbour in one address family."""

    active: Flag | None = None
    next_hop_self: Flag | None = None
    next_hop_self_force: bool = False
    reflector_client: Flag | None = None
    route_map_in: Word | None = None
    route_map_out: Word | None = None
    prefix_list_in: Word | None = None
    prefix_list_out: Word | None = None
    filter_list_in: Word | None = None
    filter_list_out: Word | None = None
    distribute_in: Word | None = None
    distribute_out: Word | None = None
    unsuppress_map: Word | None = None
    default_originate: Word | None = None
    """The name of its route map, or nothing."""
    maximum: Number | None = None
    maximum_warns: bool = False
    allow_own_as: int = 0
    own_as_origin: bool = False
    remove_private: str | None = None
    """`plain`, `all`, `replace` or `all replace`."""
    as_override: bool = False
    unchanged: frozenset[str] = frozenset()
    """Attributes passed on as they are: `as-path`, `next-hop`, `med`."""
    weight: Number | None = None
    send_community: bool | None = None


@dataclass(frozen=True, slots=True)
class BgpNeighbour:
    """One configured neighbour with everything it inherits from its group.

    `remote_as` is a number, or `internal` / `external` as words.
    """

    source: Source
    address: Address | None = None
    remote_as: Word | None = None
    local_as: Number | None = None
    local_as_options: frozenset[str] = frozenset()
    update_source: Word | None = None
    password: Word | None = None
    shutdown: Flag | None = None
    passive: Flag | None = None
    multihop: Number | None = None
    ttl_security: Number | None = None
    disable_connected_check: Flag | None = None
    enforce_first_as: bool = False
    role: Word | None = None
    """What this side is to the neighbour (RFC 9234): `provider`, `customer`, `peer`,
    `rs-server` or `rs-client`."""
    role_strict: bool = False
    families: Mapping[int, BgpNeighbourFamily] = field(default_factory=dict)
    group: str | None = None
    interface: Word | None = None
    """The interface at whose other end the neighbour is, if that is how it is named. Its
    address is then not configured but found there."""
    link_local_only: bool = False
    """Such a neighbour is never taken to be the other address of the interface's subnet."""
    far: tuple[str, str] | None = None
    """Where it was found, if it is met by a link-local address: device and interface."""
    dynamic: bool = False
    """It was not configured itself: it came out of a range that is listened to."""

    @property
    def called(self) -> Address | str | None:
        """What the configuration calls it, or the group that speaks for it."""
        if self.dynamic:
            return self.group
        return self.interface.value if self.interface is not None else self.address


class ListenRange(NamedTuple):
    """Whoever calls from inside `prefix` becomes a neighbour like `like`."""

    prefix: Prefix
    source: Source
    like: BgpNeighbour


class BgpNetwork(NamedTuple):
    """A `network` statement: announced if the table holds exactly this prefix."""

    prefix: Prefix
    source: Source
    route_map: str | None = None
    backdoor: bool = False


class BgpAggregate(NamedTuple):
    """Announced while something longer inside it is known."""

    prefix: Prefix
    source: Source
    summary_only: bool = False
    as_set: bool = False
    route_map: str | None = None
    suppress_map: str | None = None
    origin: str | None = None
    matching_med: bool = False


@dataclass(frozen=True, slots=True)
class BgpFamily:
    """What BGP announces and accepts in one address family."""

    networks: tuple[BgpNetwork, ...] = ()
    aggregates: tuple[BgpAggregate, ...] = ()
    redistribute: tuple[Redistribution, ...] = ()
    max_paths: int | None = None
    max_paths_ibgp: int | None = None
    distance: tuple[int, int, int] | None = None
    """(external, internal, local)."""
    distances: tuple[PeerDistance, ...] = ()
    equal_clusters: bool = False
    """Internal paths share traffic only if they were reflected as often."""
    table_map: Word | None = None


@dataclass(frozen=True, slots=True)
class BgpProcess:
    """One BGP speaker (RFC 4271)."""

    number: int
    source: Source
    router_id: Number | None = None
    neighbours: tuple[BgpNeighbour, ...] = ()
    listen: tuple[ListenRange, ...] = ()
    listen_limit: int = 100
    families: Mapping[int, BgpFamily] = field(default_factory=dict)
    requires_policy: Flag | None = None
    ipv4_default: bool = True
    import_check: bool = True
    cluster_id: Number | None = None
    reflects: bool = True
    default_local_preference: int = 100
    always_compare_med: bool = False
    deterministic_med: bool = True
    compare_router_id: bool = False
    multipath_relax: bool = False
    as_path_ignore: bool = False
    missing_med_worst: bool = False
    disable_connected_check: bool = False
    shutdown: Flag | None = None
    confederation: Number | None = None
    """The number by which others know the confederation that this system is a member of."""
    members: frozenset[int] = frozenset()
    """The other member systems."""
    members_source: Source | None = None
    max_med: Number | None = None
    """Told instead of every MED."""
    peer_type_relax: bool = False
    """External and internal paths may share traffic."""
    as_path_confed: bool = False
    """Member systems count for the length of a path."""
    med_confed: bool = False

    @property
    def name(self) -> str:
        return "BGP"


@dataclass(frozen=True, slots=True)
class Routing:
    """All routing protocols of one device."""

    ospf: tuple[OspfProcess, ...] = ()
    rip: tuple[RipProcess, ...] = ()
    eigrp: tuple[EigrpProcess, ...] = ()
    bgp: BgpProcess | None = None

    @property
    def runs(self) -> bool:
        return bool(self.ospf or self.rip or self.eigrp or self.bgp)


NO_ROUTING = Routing()
