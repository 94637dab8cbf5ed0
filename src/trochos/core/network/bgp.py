"""BGP: what a text says of it, and what kinds of devices do otherwise than its standard."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import ClassVar, NamedTuple

from .addressing import Address, Prefix
from .routing import Flag, Named, Number, PeerDistance, Process, Redistribution, Word
from .source import Source

NAMED = Named("bgp", ("BGP", "BGP v6"), table=14, sessions=True)


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
    imports: tuple[Word, ...] = ()
    """The routing instances of the device whose routes are taken over."""
    import_map: Word | None = None
    exported: Flag | None = None
    """Its routes are offered to the device's other instances under `rd` and `rt_export`."""
    taken: Flag | None = None
    """Routes are taken over from those that offer one of `rt_import`."""
    rd: Word | None = None
    rt_export: tuple[Word, ...] = ()
    rt_import: tuple[Word, ...] = ()
    export_map: Word | None = None


@dataclass(frozen=True, slots=True)
class BgpProcess(Process):
    """One BGP speaker (RFC 4271)."""

    protocol: ClassVar[str] = "bgp"
    once: ClassVar[bool] = True
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
    between_routers: Source | None = None
    """The section in which routes of instances are exchanged with other routers."""
    installed_first: Flag | None = None
    """Others are told of a route only once the device's own table has it."""
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

    @property
    def family(self) -> int:
        """Sessions of one process carry both families; what has one only belongs to the first."""
        return 4

    @property
    def title(self) -> str:
        return f"BGP {self.number}"

    def serves(self, family: int) -> bool:
        return True

    def named_prefixes(self) -> list[Prefix]:
        return [item.prefix for held in self.families.values() for item in held.networks]

    def named_neighbours(self) -> list[Address]:
        return [n.address for n in self.neighbours if n.address is not None]

    def redistributes(self, family: int) -> tuple[Redistribution, ...]:
        held = self.families.get(family)
        return held.redistribute if held is not None else ()

    def maps(self) -> set[str]:
        named: set[str | None] = set()
        for family in self.families.values():
            named |= {r.route_map for r in family.redistribute}
            named |= {n.route_map for n in family.networks}
            for aggregate in family.aggregates:
                named |= {aggregate.route_map, aggregate.suppress_map}
            if family.table_map is not None:
                named.add(family.table_map.value)
        for neighbour in self.neighbours:
            for spoken in neighbour.families.values():
                words = (
                    spoken.route_map_in,
                    spoken.route_map_out,
                    spoken.default_originate,
                    spoken.unsuppress_map,
                )
                named |= {word.value for word in words if word is not None}
        return {name for name in named if name}


@dataclass(frozen=True, slots=True)
class BgpHabits:
    """RFC 4271 and RFC 8212."""

    distance_external: int = 20
    distance_internal: int = 200
    distance_local: int = 200
    requires_policy: bool = True
    """RFC 8212: without a policy nothing is announced to or accepted from other systems."""
    max_paths: int = 1
