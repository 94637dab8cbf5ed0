"""YANG data as JSON (RFC 7951), plain or as an instance file (RFC 9195) -> facts.

Read: ietf-interfaces (RFC 8343), ietf-ip (RFC 8344), ietf-routing with its IPv4 and
IPv6 unicast modules (RFC 8349), access lists (RFC 8519), translation (RFC 8512), the
hostname of ietf-system (RFC 7317), and our own augmentation trochos-routing
(yang/trochos-routing.yang). The
routing protocols have modules of their own beside this one. Every value keeps its line.
"""

from __future__ import annotations

from dataclasses import replace

from ...network.addressing import (
    InterfaceAddress,
    mask_length,
    parse_address,
    parse_prefix,
)
from ...network.facts import LINKS, AddressFact, Profile, Source, StaticRoute, Unmodelled
from ...network.protocols import names
from ...network.rip import RipHabits
from ...network.routing import NO_ROUTING, Process, Routing
from .. import tunnels
from ..drafts import ConfigDraft, InsideDraft, InterfaceDraft
from ..located_json import UNSEEN, Document, Node
from ..protocols import YANG as MODELS
from . import acl, nat, vlan, vrrp
from . import policy as yang_policy
from .leaves import Leaves
from .model import Model

KIND = "YANG data"
# Where RFC 8349 says nothing, such as what becomes of packets to the subnet of a dead link, the
# same behaviour is assumed as for the routers that can be measured: one network written in two
# formats must not give two answers.
YANG = Profile(
    name="YANG (RFC 8349)",
    static_distance=1,
    down_keeps_connected=True,
    habits=(RipHabits(version=2),),
)

_INSTANCE = "ietf-yang-instance-data:instance-data-set"
_STANDARD = (
    "ietf-interfaces:",
    "ietf-routing:",
    "ietf-system:",
    "ietf-ip:",
    "ietf-restconf:",
    "ietf-access-control-list:",
    "ietf-nat:",
)
_INSTANCE_IRRELEVANT = [
    "name",
    "description",
    "contact",
    "organization",
    "datastore",
    "revision",
    "timestamp",
    "content-schema",
    "format-version",
    "includes-defaults",
    "@instance-data-set",
]
_INTERFACE_IRRELEVANT = [
    "link-up-down-trap-enable",
    "last-change",
    "if-index",
    "higher-layer-if",
    "lower-layer-if",
    "speed",
    "statistics",
    "phys-address",
]
NETWORK_INSTANCES = "/ietf-network-instance:network-instances/network-instance"
_SPECIAL = {"blackhole": "discard", "unreachable": "reject", "prohibit": "reject"}


def looks_like(root: Node) -> bool:
    """Members with a standard module's name in front, or an instance data set."""
    members = root.members()
    return any(key == _INSTANCE or key.startswith(_STANDARD) for key in members)


def _find(node: Node, module: str, name: str) -> Node | None:
    """A member by name, with or without its module in front (RFC 7951, section 4)."""
    return node.get(f"{module}:{name}") or node.get(name)


class _Reader:
    def __init__(self, device: str, file: str, document: Document) -> None:
        self.device, self.file, self.document = device, file, document
        self.draft = ConfigDraft(YANG, file)
        self.root = ""
        """The path above the routing that is read: a routing instance's, or none."""
        # RFC 8344: an interface forwards only if its `forwarding` leaf says so.
        self.draft.forwarding = [False, False]

    def source(self, node: Node, path: str) -> Source:
        return Source(self.device, self.file, node.key_line, self.document.quote(node), path)

    def read(self) -> ConfigDraft:
        root = self.document.root
        wrapper = root.get(_INSTANCE)
        if wrapper is not None:
            wrapper.ignore(*_INSTANCE_IRRELEVANT)
            root = wrapper.get("content-data") or wrapper
        root = root.get("ietf-restconf:data") or root
        interfaces = root.get("ietf-interfaces:interfaces")
        if interfaces is not None:
            for position, entry in enumerate(interfaces.items("interface")):
                self.interface(entry, position)
        root.ignore(
            "ietf-interfaces:interfaces-state",
            "ietf-yang-library:yang-library",
            "ietf-yang-library:modules-state",
            "ietf-netconf-monitoring:netconf-state",
        )
        lists = root.get(acl.TOP)
        if lists is not None:
            self.draft.filters += acl.read(self.document, self.device, self.file, lists)
        translating = root.get(nat.TOP)
        if translating is not None:
            translations = Leaves(translating, f"/{nat.TOP}", self.source)
            self.draft.translations += nat.read(translations)
            self.leftovers(translations, "address translation")
        system = root.get("ietf-system:system")
        if system is not None:
            self.draft.hostname = system.text("hostname")
            node = system.peek("hostname")
            if node is not None:
                self.draft.hostname_source = self.source(node, "/ietf-system:system/hostname")
            system.ignore(
                "contact", "location", "clock", "ntp", "dns-resolver", "authentication", "radius"
            )
        instances = root.get("ietf-network-instance:network-instances")
        if instances is not None:
            for held in instances.items("network-instance"):
                self.instance(held)
        routing = root.get("ietf-routing:routing")
        self.draft.routes = routing is not None
        if routing is None and interfaces is None:
            self.draft.forwarding = [None, None]  # it speaks of other things
        if routing is not None:
            self.routing(routing)
        return self.draft

    def instance(self, entry: Node) -> None:
        """One network instance (RFC 8529): what is mounted at its root is about it alone."""
        name = entry.text("name")
        entry.ignore("description", "ni-type", "bind-network-instance-type")
        path = f"{NETWORK_INSTANCES}[name='{name}']"
        off = entry.boolean("enabled") is False
        root = _find(entry, "ietf-network-instance", "vrf-root")
        if not name or root is None:
            return
        root.ignore("ietf-yang-library:yang-library", "ietf-yang-schema-mount:schema-mounts")
        inside = self.draft.instances.setdefault(name, InsideDraft())
        routing = _find(root, "ietf-routing", "routing")
        if off:
            why = "the routing instance is switched off, and what its interfaces do is not computed"
            where = self.source(entry.peek("enabled") or entry, f"{path}/enabled")
            inside.unmodelled.append(Unmodelled(where, why, touches=LINKS))
            entry.ignore_rest()
        elif routing is not None:
            outside = self.draft
            self.draft = replace(outside, statics=[], routing=NO_ROUTING, unmodelled=[])
            self.root = f"{path}/ietf-network-instance:vrf-root"
            self.routing(routing)
            node = routing.peek("trochos-policy:policy") or routing.peek("policy")
            if node is not None:
                why = "policies inside a routing instance are not computed"
                where = self.source(node, f"{self.root}/ietf-routing:routing/policy")
                self.draft.unmodelled.append(Unmodelled(where, why, told=True))
            inside.statics = self.draft.statics
            inside.routing = self.draft.routing
            inside.unmodelled = self.draft.unmodelled
            self.draft, self.root = outside, ""

    # -- ietf-interfaces and ietf-ip -------------------------------------------

    def interface(self, entry: Node, position: int) -> None:
        name = entry.text("name")
        if not name:
            return
        path = f"/ietf-interfaces:interfaces/interface[name='{name}']"
        interface = InterfaceDraft(
            name, self.source(entry.peek("name") or entry, path), order=position
        )
        self.draft.interfaces[name] = interface
        kind = entry.text("type") or ""
        interface.loopback = kind.rpartition(":")[2] == "softwareLoopback"
        interface.description = entry.text("description")
        enabled = entry.peek("enabled")
        interface.enabled = entry.boolean("enabled") is not False
        if enabled is not None:
            interface.enabled_source = self.source(enabled, f"{path}/enabled")
        else:
            assert interface.source is not None
            interface.enabled_source = interface.source._replace(
                text='"enabled": true', default=True, path=f"{path}/enabled"
            )
        status = entry.text("oper-status")
        entry.text("admin-status")
        if status in ("up", "down", "lower-layer-down") and interface.enabled:
            interface.carrier = status == "up"
        mac = entry.peek("phys-address")
        if mac is not None and isinstance(mac.value, str):
            interface.mac = mac.value
        entry.ignore(*_INTERFACE_IRRELEVANT)
        self.bound(entry, interface, path)
        held = _find(entry, "trochos-tunnel", "tunnel")
        if held is not None:
            where = self.source(held.peek("mode") or held, f"{path}/trochos-tunnel:tunnel")
            interface.tunnel = tunnels.read(held, held.text("mode"), where)
        vlan.read(entry, interface, path, self.source)
        for family, member in ((4, "ipv4"), (6, "ipv6")):
            container = _find(entry, "ietf-ip", member)
            if container is not None:
                self.ip(container, interface, family, f"{path}/ietf-ip:{member}")

    def bound(self, held: Node, interface: InterfaceDraft, path: str) -> None:
        """The routing instance that an interface is bound to (RFC 8529, section 3.2)."""
        name = "ietf-network-instance:bind-ni-name"
        node = held.peek(name) or held.peek("bind-ni-name")
        if node is None or not isinstance(node.value, str):
            return
        if interface.vrf not in (None, node.value):
            return  # the families are bound to two instances: that is not computed, and said so
        node.seen = 1
        interface.vrf = node.value
        interface.vrf_source = self.source(node, f"{path}/{name}")

    def ip(self, container: Node, interface: InterfaceDraft, family: int, path: str) -> None:
        index = 0 if family == 4 else 1
        shared = _find(container, "ietf-vrrp", "vrrp")
        if shared is not None:
            held = Leaves(shared, f"{path}/ietf-vrrp:vrrp", self.source)
            self.draft.shared += vrrp.read(held, interface.name, family)
            self.leftovers(held, "VRRP")
        forwarding = container.peek("forwarding")
        value = container.boolean("forwarding")
        interface.forwarding[index] = bool(value)
        if forwarding is not None:
            interface.forwarding_source = self.source(forwarding, f"{path}/forwarding")
        if value:
            self.draft.forwarding[index] = True
        mtu = container.peek("mtu")
        number = container.integer("mtu")
        if mtu is not None and number is not None:
            interface.mtu = min(number, interface.mtu or number)
            interface.mtu_source = self.source(mtu, f"{path}/mtu")
        container.ignore(
            "dup-addr-detect-transmits",
            "autoconf",
            "neighbor",
            "ietf-ipv6-unicast-routing:ipv6-router-advertisements",
            "ipv6-router-advertisements",
        )
        self.bound(container, interface, path)
        if container.boolean("enabled") is False:
            for disabled in container.items("address"):
                disabled.use_all()
            return
        for entry in container.items("address"):
            entry.ignore("origin", "status", "vrrp")
            text = entry.text("ip") or ""
            address = parse_address(text.partition("%")[0])
            length = entry.integer("prefix-length")
            netmask = parse_address(entry.text("netmask") or "")
            if length is None and netmask is not None:
                length = mask_length(netmask)
            if address is None or address.family != family or length is None:
                for node in entry.walk():
                    node.seen = 0
                continue
            if not 0 <= length <= (32 if family == 4 else 128):
                for node in entry.walk():
                    node.seen = 0
                continue
            node = entry.peek("ip") or entry
            interface.addresses.append(
                AddressFact(
                    InterfaceAddress(address, length),
                    self.source(node, f"{path}/address[ip='{text}']"),
                )
            )

    # -- ietf-routing ------------------------------------------------------------

    def routing(self, routing: Node) -> None:
        base = f"{self.root}/ietf-routing:routing"
        shared = Leaves(routing, base, self.source)
        identity = shared.router_id("router-id")
        routing.ignore("interfaces", "ribs")
        policy = shared.inner("trochos-policy:policy")
        if policy is not None:
            self.draft.policy = yang_policy.read(policy)
        protocols = routing.get("control-plane-protocols")
        if protocols is None:
            return
        found: list[Process] = []
        for entry in protocols.items("control-plane-protocol"):
            kind = (entry.text("type") or "").rpartition(":")[2]
            name = entry.text("name") or ""
            entry.ignore("description")
            path = (
                f"{self.root}/ietf-routing:routing/control-plane-protocols/control-plane-protocol"
                f"[type='{entry.text('type') or ''}'][name='{name}']"
            )
            if kind == "static":
                statics = entry.get("static-routes")
                if statics is None:
                    continue
                for family, module in (
                    (4, "ietf-ipv4-unicast-routing"),
                    (6, "ietf-ipv6-unicast-routing"),
                ):
                    container = _find(statics, module, f"ipv{family}")
                    if container is not None:
                        base = f"{path}/static-routes/{module}:ipv{family}"
                        for route in container.items("route"):
                            self.static(route, family, base)
            elif kind in MODELS and (held := self.model(entry, path, MODELS[kind])):
                read = MODELS[kind].read(held, held.source(), identity)
                found += read if isinstance(read, tuple) else (read,)
                self.leftovers(held, kind)
            elif kind != "direct":
                node = entry.peek("type") or entry
                self.draft.unmodelled.append(
                    Unmodelled(
                        self.source(node, path),
                        f"{kind or 'a protocol without a type'} runs here, and what it teaches "
                        "this router is not computed",
                        told=True,
                    )
                )
                node.seen = 0
        order = names()
        found.sort(key=lambda process: order.index(process.protocol))
        self.draft.routing = Routing(tuple(found))

    def leftovers(self, held: Leaves, kind: str) -> None:
        """What a protocol's reader did not use makes its answers uncertain."""
        for path, node in held.node.leaves():
            if node.seen == UNSEEN and node.value not in ({}, []):
                where = f"{held.path}{path}"
                why = f"{path[1:]} of {kind} is not computed"
                self.draft.unmodelled.append(Unmodelled(self.source(node, where), why, told=True))

    def model(self, entry: Node, path: str, model: Model) -> Leaves | None:
        """The container of a protocol's own data model."""
        full = f"{model.module}:{model.container}"
        node = entry.get(full) or entry.get(model.container)
        return None if node is None else Leaves(node, f"{path}/{full}", self.source)

    def static(self, route: Node, family: int, base: str) -> None:
        text = route.text("destination-prefix") or ""
        prefix = parse_prefix(text)
        route.ignore("description")
        if prefix is None or prefix.family != family:
            for node in route.walk():
                node.seen = 0
            return
        path = f"{base}/route[destination-prefix='{text}']/next-hop"
        hop = route.get("next-hop")
        if hop is None:
            return
        listed = _find(hop, "ietf-routing", "next-hop-list")
        shared = hop.integer("trochos-routing:preference")
        if listed is None:
            self.next_hop(hop, prefix, path, shared)
            return
        for entry in listed.items("next-hop"):
            index = entry.text("index")
            entry.ignore("index")
            self.next_hop(entry, prefix, f"{path}/next-hop-list/next-hop[index='{index}']", shared)

    def next_hop(self, hop: Node, prefix, path: str, shared: int | None) -> None:  # type: ignore[no-untyped-def]
        module = f"ietf-ipv{prefix.family}-unicast-routing"
        address_node = (
            hop.peek(f"{module}:next-hop-address")
            or hop.peek(f"{module}:address")
            or hop.peek("next-hop-address")
            or hop.peek("address")
        )
        gateway = None
        if address_node is not None:
            address_node.seen = 1
            gateway = parse_address(str(address_node.value).partition("%")[0])
            if gateway is None or gateway.family != prefix.family:
                address_node.seen = 0
                gateway = None
        interface = hop.text("outgoing-interface")
        word = hop.text("special-next-hop")
        special = _SPECIAL.get(word or "")
        if word is not None and special is None:
            node = hop.peek("special-next-hop") or hop
            node.seen = 0
            self.draft.unmodelled.append(
                Unmodelled(
                    self.source(node, path), f"the next hop {word!r} is not computed", prefix.family
                )
            )
            return
        preference = hop.integer("trochos-routing:preference")
        weight = hop.integer("trochos-routing:weight")
        if gateway is None and interface is None and special is None:
            return
        node = address_node or hop.peek("outgoing-interface") or hop.peek("special-next-hop") or hop
        self.draft.statics.append(
            StaticRoute(
                prefix,
                self.source(node, path),
                gateway,
                interface,
                special,
                preference or shared or self.draft.profile.static_distance,
                weight or 1,
            )
        )


def read(device: str, file: str, document: Document) -> ConfigDraft:
    """Reads one file of YANG data; what was used is marked in the document's nodes."""
    return _Reader(device, file, document).read()
