"""What one file contributes to a device, before the files of a device are merged."""

from __future__ import annotations

from dataclasses import dataclass, field

from ..network.facts import (
    AddressFact,
    Carried,
    GatheredRoute,
    Heard,
    ProbeFact,
    Profile,
    Resolved,
    Source,
    StaticRoute,
    Tunnel,
    Unmodelled,
)
from ..network.filters import NO_SERVICES, Chain, ReversePath, Services
from ..network.policy import NO_POLICY, Policy
from ..network.routing import NO_ROUTING, Routing
from ..network.rules import Rule
from ..network.shared import SharedGateway
from .located_json import Document
from .report import Ledger


@dataclass(slots=True)
class InterfaceDraft:
    """What a file says of an interface; None where it says nothing."""

    name: str
    source: Source | None = None
    addresses: list[AddressFact] = field(default_factory=list)
    addresses_known: bool = False
    """True if the file would show every address of the interface."""
    enabled: bool | None = None
    enabled_source: Source | None = None
    carrier: bool | None = None
    loopback: bool = False
    mtu: int | None = None
    mtu_source: Source | None = None
    mac: str | None = None
    description: str | None = None
    forwarding: list[bool | None] = field(default_factory=lambda: [None, None])
    forwarding_source: Source | None = None
    vrf: str | None = None
    vrf_source: Source | None = None
    """The line that says so."""
    ignores_carrier: bool = False
    point_to_point: bool = False
    parent: str | None = None
    tag: int | None = None
    tag_source: Source | None = None
    master: str | None = None
    filtering: bool = False
    carried: list[Carried] = field(default_factory=list)
    bridge: bool = False
    blocked: bool = False
    vlans_only: bool = False
    """True if the file lists the VLANs of ports, and nothing else of interfaces."""
    tunnel: Tunnel | None = None
    bandwidth: int | None = None
    bandwidth_source: Source | None = None
    order: int = 0


def interface_key(name: str, instance: str | None) -> str:
    """Under which an interface is kept: each routing instance has a loopback of its own."""
    return f"{name}@{instance}" if instance and name == "lo" else name


@dataclass(slots=True)
class InsideDraft:
    """What a configuration says of one routing instance."""

    statics: list[StaticRoute] = field(default_factory=list)
    routing: Routing = NO_ROUTING
    unmodelled: list[Unmodelled] = field(default_factory=list)


@dataclass(slots=True)
class ConfigDraft:
    """A configuration: what somebody wrote down for the device to be."""

    profile: Profile
    file: str
    hostname: str | None = None
    hostname_source: Source | None = None
    interfaces: dict[str, InterfaceDraft] = field(default_factory=dict)
    statics: list[StaticRoute] = field(default_factory=list)
    forwarding: list[bool | None] = field(default_factory=lambda: [None, None])
    forwarding_source: Source | None = None
    resolve_via_default: list[bool] = field(default_factory=lambda: [False, False])
    unmodelled: list[Unmodelled] = field(default_factory=list)
    routing: Routing = NO_ROUTING
    policy: Policy = NO_POLICY
    filters: list[Chain] = field(default_factory=list)
    translations: list[Chain] = field(default_factory=list)
    instances: dict[str, InsideDraft] = field(default_factory=dict)
    """By the routing instance's name; the main one is the draft itself."""
    shared: list[SharedGateway] = field(default_factory=list)
    rules: list[Rule] = field(default_factory=list)
    tables: dict[str, list[StaticRoute]] = field(default_factory=dict)
    """Routes of tables other than the main one, by the table's name."""
    routes: bool = True
    """False if the file configures interfaces only and says nothing about routing."""

    def parts(self) -> set[str]:
        """What the file speaks of: addresses, static routes, and each protocol that it runs."""
        found = {f"{p.protocol} {p.family}" for p in self.routing.processes}
        found |= {"statics"} if self.statics else set()
        named = any(i.addresses for i in self.interfaces.values())
        return found | ({"addresses"} if named else set())


@dataclass(slots=True)
class CaptureDraft:
    """What a live device showed of itself at one moment."""

    file: str
    interfaces: dict[str, InterfaceDraft] = field(default_factory=dict)
    statics: list[StaticRoute] = field(default_factory=list)
    """Entries of the kernel's table that the kernel did not make itself."""
    forwarding: list[bool | None] = field(default_factory=lambda: [None, None])
    forwarding_source: Source | None = None
    gathered: dict[int, list[GatheredRoute]] = field(default_factory=dict)
    tunnels: dict[str, Tunnel] = field(default_factory=dict)
    unmodelled: list[Unmodelled] = field(default_factory=list)
    filters: list[Chain] = field(default_factory=list)
    translations: list[Chain] = field(default_factory=list)
    reverse_path: list[ReversePath] = field(default_factory=list)
    services: Services = NO_SERVICES
    heard: list[Heard] = field(default_factory=list)
    resolved: list[Resolved] = field(default_factory=list)
    probes: list[ProbeFact] = field(default_factory=list)
    shared: list[SharedGateway] = field(default_factory=list)
    rules: list[Rule] = field(default_factory=list)
    daemons_rules: frozenset[int] = frozenset()
    """The priorities of those that a routing daemon has put there."""
    tables: dict[str, list[StaticRoute]] = field(default_factory=dict)
    """Routes of tables other than the main one, by the table's name."""
    daemons_tables: frozenset[str] = frozenset()
    """The names of tables that a routing daemon has filled."""
    instances: dict[str, dict[int, list[GatheredRoute]]] = field(default_factory=dict)
    """Tables of routing instances, per family."""
    read_at: tuple[str, str] | None = None


@dataclass(slots=True)
class DeviceDrafts:
    """What the files of one device say, before they are merged."""

    configs: list[ConfigDraft] = field(default_factory=list)
    captures: list[CaptureDraft] = field(default_factory=list)
    unread_files: int = 0
    partly: Source | None = None
    """The place where a file ends early or contradicts another one."""
    startup: tuple[str, Document] | None = None
    """The stored configuration of a device that gave YANG data."""
    data: dict[str, Document] = field(default_factory=dict)
    parts: dict[str, tuple[Document, Ledger]] = field(default_factory=dict)
    """OpenConfig files: they are read together, when all of them are there."""
