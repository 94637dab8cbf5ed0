"""What a network is: devices with their interfaces, addresses and static routes, and the wiring.

These are facts, each with the line it was read from, whatever format that line
was written in. Readers produce them, protocols and forwarding consume them, and
neither knows the other. Everything here is frozen: a changed network is a new one.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache
from typing import Any, NamedTuple, TypeVar

from .addressing import Address, InterfaceAddress, Prefix
from .filters import NO_SERVICES, Chain, ReversePath, Services
from .policy import NO_POLICY, Policy
from .routing import NO_ROUTING, Routing
from .rules import Rule
from .shared import SharedGateway
from .source import Source

__all__ = [
    "AddressFact",
    "Carried",
    "Device",
    "End",
    "GatheredRoute",
    "Interface",
    "Network",
    "Profile",
    "Segment",
    "Source",
    "StaticRoute",
    "Tunnel",
    "Unmodelled",
]


@dataclass(frozen=True, slots=True)
class AddressFact:
    """An address on an interface. `captured` if only a live capture shows it."""

    value: InterfaceAddress
    source: Source
    captured: bool = False
    peer: Prefix | None = None
    """The far prefix of a point-to-point address: connected instead of the own one."""

    survives_shut: bool | None = None
    """Whether a capture of the shut interface still shows the address; None if not seen."""

    @property
    def address(self) -> Address:
        return self.value.address

    @property
    def connected(self) -> Prefix:
        return self.peer or self.value.prefix


class Tunnel(NamedTuple):
    """What an interface wraps packets in: `mode` is `gre` or `ipip`, of either family."""

    mode: str
    local: Address
    remote: Address
    source: Source
    ttl: int | None = None
    key: str | None = None

    @property
    def overhead(self) -> int:
        """Bytes added to each packet (RFC 2784, RFC 2890, RFC 2003, RFC 2473)."""
        outer = 20 if self.local.family == 4 else 40
        return (
            outer + (4 if self.mode == "gre" else 0) + (4 if self.mode == "gre" and self.key else 0)
        )

    def mirrors(self, other: Tunnel) -> bool:
        """True if two tunnels are the two ends of one."""
        return (
            self.local == other.remote
            and self.remote == other.local
            and self.mode == other.mode
            and self.key == other.key
        )


class Carried(NamedTuple):
    """A VLAN that a port of a bridge carries (IEEE 802.1Q).

    `untagged` says in which form frames leave; `is_port_vlan` that untagged frames which
    come in belong to it.
    """

    vlan: int
    untagged: bool
    is_port_vlan: bool
    source: Source


@dataclass(frozen=True, slots=True)
class Interface:
    """One interface of one device.

    `enabled` is the administrative state, `carrier` what a capture says of the line
    (None if nothing was captured). `forwarding` says per family whether packets that
    arrive here are forwarded (None: the device's own setting decides).
    """

    name: str
    addresses: tuple[AddressFact, ...] = ()
    enabled: bool = True
    enabled_source: Source | None = None
    carrier: bool | None = None
    captured_enabled: bool | None = None
    loopback: bool = False
    mtu: int | None = None
    mtu_source: Source | None = None
    mac: str | None = None
    description: str | None = None
    source: Source | None = None
    forwarding: tuple[bool | None, bool | None] = (None, None)
    forwarding_source: Source | None = None
    order: int = 0
    vrf: str | None = None
    """The routing instance that it belongs to, until that is set apart as a node of its own."""
    vrf_source: Source | None = None
    """The line that puts it there."""
    misplaced: Source | None = None
    """The line that says it is in another instance than it is: what is said there holds of no
    port."""
    ignores_carrier: bool = False
    """Routes over this interface stay although the line is down."""
    point_to_point: bool = False
    """The system says that this is a link to exactly one other end (a tunnel)."""
    tunnel: Tunnel | None = None
    parent: str | None = None
    """For a VLAN interface: the interface whose tagged frames it takes."""
    tag: int | None = None
    tag_source: Source | None = None
    master: str | None = None
    """For a port: the bridge that it belongs to."""
    blocked: bool = False
    """For a port: a spanning tree keeps frames from passing here."""
    filtering: bool = False
    """For a bridge: True if it looks at VLANs; otherwise it passes every frame as it is."""
    carried: tuple[Carried, ...] = ()
    """For a port of a bridge, and for the bridge itself as one."""
    bandwidth: int | None = None
    """As configured, in megabits per second."""
    bandwidth_source: Source | None = None

    def has(self, address: Address) -> bool:
        return any(fact.address == address for fact in self.addresses)


@dataclass(frozen=True, slots=True)
class StaticRoute:
    """One next hop of one configured static route, as one line or list entry gives it.

    Exactly one of these decides: `gateway` and/or `interface`, or `special`
    (`discard`: dropped silently; `reject`: dropped with an answer). `onlink` says the
    gateway is taken as a neighbour whatever its address. `kernel` marks an entry of a
    Linux host's own table: no recursion there, and the kernel's rules decide.
    """

    prefix: Prefix
    source: Source
    gateway: Address | None = None
    interface: str | None = None
    special: str | None = None
    distance: int = 1
    weight: int = 1
    tag: int = 0
    onlink: bool = False
    kernel: bool = False
    preferred_source: Address | None = None
    entry: int = 0
    """Which entry of a kernel's table this next hop belongs to: of IPv4 entries with the
    same prefix and metric, the kernel uses the first alone."""
    hop_in: str | None = None
    """The routing instance in which its next hop lies, where that is another one than its own
    ("": the main one)."""


NONE, ROUTED, LINKS, ALL = "none", "routed", "links", "all"


class Unmodelled(NamedTuple):
    """A line we read, know to matter, and do not compute: what it touches is unknown.

    `touches` says which packets: none of the device's own (NONE, for what it only tells others),
    those that follow a route (ROUTED), also those for the device's own links (LINKS), also those
    for its own addresses (ALL).
    """

    source: Source
    why: str
    family: int | None = None
    """4 or 6 if only that family is touched."""
    interface: str | None = None
    """Set if only packets that arrive on this interface are touched."""
    told: bool = False
    """Set if it also touches what this device tells other routers."""
    touches: str = ROUTED

    def as_seen_from(self, device: str) -> str:
        """What is not computed, naming the device where it is another one's announcement."""
        if self.source.device == device:
            return self.why
        return f"what {self.source.device} tells others may differ ({self.why})"


@dataclass(frozen=True, slots=True)
class Inside:
    """What a device's texts say of one of its routing instances."""

    statics: tuple[StaticRoute, ...] = ()
    routing: Routing = NO_ROUTING
    unmodelled: tuple[Unmodelled, ...] = ()
    gathered: dict[int, tuple[GatheredRoute, ...]] = field(default_factory=dict, hash=False)
    """Its tables as the device gave them, per family."""


H = TypeVar("H")


@cache
def _standard(kind: type[Any]) -> Any:
    return kind()


@dataclass(frozen=True, slots=True)
class Profile:
    """How a kind of device behaves where standards leave it open or it deviates."""

    name: str
    static_distance: int = 1
    resolve_via_default: tuple[bool, bool] = (False, False)
    """Whether a gateway may be resolved by the default route (IPv4, IPv6)."""
    down_keeps_connected: bool = False
    """An interface without carrier still attracts packets for its subnet (Linux)."""
    shut_keeps_ipv4: bool = True
    """An IPv4 address of a shut interface still answers."""
    shut_keeps_ipv6: bool = False
    exit_hides_plain_gateway: bool = False
    """Of two static lines with one prefix, distance and gateway, one of which names an exit,
    only that one counts (FRR 8.4, seen on real routers)."""
    answers_arp_for_all: bool = True
    """ARP requests are answered for any own address, whatever interface holds it."""
    habits: tuple[object, ...] = ()
    """What it does otherwise than a protocol's standard, one object per protocol."""

    def habit(self, kind: type[H]) -> H:
        """How it fills in what one protocol's standard leaves open, such as
        `habit(OspfHabits)`: the standard's own defaults if nothing is known."""
        for held in self.habits:
            if isinstance(held, kind):
                return held
        standard: H = _standard(kind)  # type: ignore[arg-type]
        return standard


@dataclass(frozen=True, slots=True)
class Device:
    """A router, a host, or something of which only the name is known."""

    name: str
    interfaces: tuple[Interface, ...] = ()
    statics: tuple[StaticRoute, ...] = ()
    profile: Profile = Profile("generic")
    forwarding: tuple[bool, bool] = (True, True)
    forwarding_source: Source | None = None
    role: str = "router"
    """`router`, `host`, or `unread`: it stands in the wiring, but nobody could read it."""
    hostname: str | None = None
    hostname_source: Source | None = None
    unmodelled: tuple[Unmodelled, ...] = ()
    gathered: dict[int, tuple[GatheredRoute, ...]] = field(default_factory=dict, hash=False)
    """Tables the device gave, per family: shown beside the computed ones, never used."""
    heard: tuple[Heard, ...] = ()
    """Its neighbours over LLDP, where gathered."""
    resolved: tuple[Resolved, ...] = ()
    """Who answered it on its links, where gathered: never used, only compared."""
    probes: tuple[ProbeFact, ...] = ()
    """What it saw when it asked for others: shown beside what is computed, never used."""
    unstored: Unstored | None = None
    """How what it runs differs from what it has stored, where both were gathered."""
    read_at: tuple[str, str] | None = None
    """When it was gathered, from and until (RFC 3339), where that is known."""
    main_file: str | None = None
    routing: Routing = NO_ROUTING
    policy: Policy = NO_POLICY
    filters: tuple[Chain, ...] = ()
    translations: tuple[Chain, ...] = ()
    """The chains that rewrite addresses, with those that they call."""
    reverse_path: tuple[ReversePath, ...] = ()
    services: Services = NO_SERVICES
    partly: Source | None = None
    """Where a file of it ends early, or two contradict each other: what is missing may matter."""
    rules: tuple[Rule, ...] = ()
    """Its rules that choose a table; none: the main table alone."""
    tables: dict[str, tuple[StaticRoute, ...]] = field(default_factory=dict, hash=False)
    """Further tables by name, for its rules."""
    shared: tuple[SharedGateway, ...] = ()
    """Its parts in addresses that it shares with others."""
    instance: str = ""
    """The routing instance that this node is, named DEVICE/INSTANCE; "" for a device itself."""
    instances: dict[str, Inside] = field(default_factory=dict, hash=False)
    """What is said of its routing instances, until they are set apart as nodes."""
    lent: dict[str, str] = field(default_factory=dict, hash=False)
    """Interfaces of other nodes of the same device that its routes lead out of, by name: the node
    that each belongs to. What arrives there is not its own."""

    @property
    def chassis(self) -> str:
        """The device that this node is, or is an instance of."""
        return self.name.removesuffix(f"/{self.instance}") if self.instance else self.name

    @property
    def strange(self) -> bool:
        """True if it may hold, say or do more than was read of it."""
        return self.role == "unread" or self.partly is not None

    @property
    def unknown_because(self) -> str:
        """Why nothing is known of an unread one: a clause for people."""
        if self.instance:
            return f"the routing instance {self.instance} of {self.chassis} is not computed"
        if self.partly is not None:
            return f"{self.name} could be read in part only"
        return f"{self.name} could not be read"

    @property
    def is_host(self) -> bool:
        return self.role == "host"

    @property
    def configured(self) -> bool:
        """True if its configuration was gathered, and not only what its system showed."""
        return self.role != "unread" and self.profile.name.startswith(("FRR", "YANG"))

    def interface(self, name: str) -> Interface | None:
        for interface in self.interfaces:
            if interface.name == name:
                return interface
        return None


class Heard(NamedTuple):
    """A neighbour that an interface hears over LLDP (IEEE 802.1AB)."""

    interface: str
    system: str
    port: str
    label: str | None
    """The port's description, where it has one besides its identifier."""
    source: Source


class Resolved(NamedTuple):
    """An entry of a device's neighbour cache: who answered on a link for an address."""

    interface: str
    address: Address
    mac: str | None
    """None if nobody answered."""
    source: Source


class ProbeFact(NamedTuple):
    """What a device saw when it asked for an address: echoes, and who answered hop by hop."""

    target: Address
    source: Address | None
    size: int
    dont_fragment: bool
    sent: int
    received: int
    says: str | None
    """What somebody on the way answered instead."""
    hops: tuple[tuple[str, ...], ...] | None
    """Who answered at each hop, as addresses or names, empty where nobody did; None if not
    traced."""
    taken: str | None
    source_line: Source


class Unstored(NamedTuple):
    """Lines that run and are not stored, and lines that are stored and do not run."""

    running: tuple[Source, ...]
    stored: tuple[Source, ...]


class Planned(NamedTuple):
    """An address that a drawing or plan gives to an interface (RFC 8346)."""

    end: End
    address: Address
    source: Source


class GatheredRoute(NamedTuple):
    """An entry of a table as the device itself reported it."""

    prefix: Prefix
    protocol: str
    distance: int | None
    metric: int | None
    selected: bool
    next_hops: tuple[tuple[str, str | None, str | None], ...]
    """(action, address, interface) per next hop."""


def place_of(node: str) -> dict[str, str]:
    """A node as documents name it: its device, and its routing instance where it is one."""
    device, _, instance = node.partition("/")
    return {"device": device, "instance": instance} if instance else {"device": device}


class End(NamedTuple):
    """One interface of one device."""

    device: str
    interface: str

    def __str__(self) -> str:
        return f"{self.device} {self.interface}"


@dataclass(frozen=True, slots=True)
class Segment:
    """Interfaces that share a link: two ends of a cable, or everything on a LAN."""

    ends: tuple[End, ...]
    lan: str | None = None
    """The name of the LAN node in the wiring, if there is one."""
    unread: tuple[str, ...] = ()
    """Devices on this segment that nobody could read."""
    reason: str = "the wiring says so"
    inferred: bool = False


@dataclass(frozen=True, slots=True)
class Network:
    """Everything that a survey says, ready to be computed on."""

    devices: tuple[Device, ...]
    segments: tuple[Segment, ...] = ()
    title: str | None = None
    taken_at: str | None = None
    cables: tuple[Segment, ...] = ()
    """Where switches are: what is plugged into what, below the segments."""
    planned: tuple[Planned, ...] = ()
    """Addresses that the drawing gives to interfaces: compared with what they have."""
    keys_hidden: bool = False
    """Some text came with its secrets taken out, so that they cannot be compared."""

    def device(self, name: str) -> Device | None:
        for device in self.devices:
            if device.name == name:
                return device
        return None
