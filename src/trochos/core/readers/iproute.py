"""iproute2's JSON: addresses, links and routes of Linux routers and hosts.

`ip -j addr`, `ip -j -d link`, `ip -j route`, `ip -j -6 route`, `ip -j neigh` and
`bridge -j vlan show`. On a device without routing configuration, the routes that its
kernel did not make itself are what somebody configured.
"""

from __future__ import annotations

from collections.abc import Collection

from ..network.addressing import (
    Address,
    InterfaceAddress,
    Prefix,
    host_prefix,
    parse_address,
    parse_prefix,
)
from ..network.facts import (
    LINKS,
    AddressFact,
    Carried,
    GatheredRoute,
    Profile,
    Resolved,
    Source,
    StaticRoute,
    Unmodelled,
)
from ..network.protocols import by_packets
from ..network.rules import Rule
from . import tunnels
from .drafts import CaptureDraft, InterfaceDraft, interface_key
from .located_json import IRRELEVANT, UNDERSTOOD, Document, Node

LINUX = Profile(
    name="Linux",
    static_distance=0,
    down_keeps_connected=True,
    shut_keeps_ipv4=True,
    shut_keeps_ipv6=False,
)

KINDS = {
    "addr": "addresses of a Linux device",
    "link": "links of a Linux device",
    "route": "routes of a Linux device",
    "neigh": "neighbour cache of a Linux device",
    "vlan": "VLANs of a Linux bridge",
    "tunnel": "tunnels of a Linux device",
    "rule": "rules of a Linux device",
    "empty": "an empty list",
}
RULES = "rules that choose a table by this are not computed"

_LINK_IRRELEVANT = [
    "ifindex",
    "link_index",
    "qdisc",
    "group",
    "txqlen",
    "broadcast",
    "link_netnsid",
    "promiscuity",
    "allmulti",
    "min_mtu",
    "max_mtu",
    "num_tx_queues",
    "num_rx_queues",
    "gso_max_size",
    "gso_max_segs",
    "tso_max_size",
    "tso_max_segs",
    "gro_max_size",
    "gso_ipv4_max_size",
    "gro_ipv4_max_size",
    "linkmode",
    "altnames",
    "permaddr",
    "parentbus",
    "parentdev",
    "inet6_addr_gen_mode",
    "stats",
    "stats64",
    "xdp",
    "ifalias",
    "vfinfo_list",
    "netns-immutable",
    "phys_port_name",
    "phys_switch_id",
    "phys_port_id",
    "event",
    "proto_down",
    "proto_down_reason",
    "link_pointtopoint",
]
_ADDRESS_IRRELEVANT = [
    "broadcast",
    "label",
    "valid_life_time",
    "preferred_life_time",
    "nodad",
    "noprefixroute",
    "dynamic",
    "mngtmpaddr",
    "temporary",
    "protocol",
    "metric",
    "home",
    "secondary",
    "permanent",
    "stable-privacy",
    "optimistic",
    "proto",
]
_ROUTE_MEMBERS = (
    *("type", "dst", "dev", "gateway", "via", "protocol", "scope", "prefsrc", "metric", "flags"),
    *("table", "nexthops", "vrf", "nhid", "weight"),
)
_ROUTE_IRRELEVANT = [
    "pref",
    "uid",
    "cache",
    "expires",
    "error",
    "hoplimit",
    "mtu",
    "advmss",
    "rtt",
    "rttvar",
    "ssthresh",
    "cwnd",
    "initcwnd",
    "initrwnd",
    "window",
    "features",
    "quickack",
    "congctl",
    "nhid",
    "tos",
    "users",
    "age",
    "used",
    "rto_min",
]
# Kinds of interface whose links are made of something that is not computed here.
TUNNELS = "tunnels are not computed"
_LAYERED = {
    "vlan": "VLAN interfaces are not computed",
    "bridge": "bridges are not computed",
    "bond": "bundles of links are not computed",
    "team": "bundles of links are not computed",
    "macvlan": "stacked interfaces are not computed",
    "ipvlan": "stacked interfaces are not computed",
    "vxlan": TUNNELS,
    "gre": TUNNELS,
    "gretap": TUNNELS,
    "ip6gre": TUNNELS,
    "ipip": TUNNELS,
    "ip6tnl": TUNNELS,
    "sit": TUNNELS,
    "tun": TUNNELS,
    "wireguard": TUNNELS,
    "vti": TUNNELS,
    "xfrm": TUNNELS,
}


_SPECIAL = {
    "unicast": None,
    "blackhole": "discard",
    "unreachable": "reject",
    "prohibit": "reject",
}


def kind_of(root: Node) -> str | None:
    """Which of the lists this is, told by the members of its elements."""
    elements = root.elements()
    if not isinstance(root.value, list):
        return None
    if not elements:
        return "empty"
    keys: set[str] = set()
    for element in elements[:20]:
        if not isinstance(element.value, dict):
            return None
        keys |= element.members().keys()
    if "ifname" in keys:
        if "mode" in keys and ("local" in keys or "remote" in keys):
            return "tunnel"
        if "vlans" in keys:
            return "vlan"
        if "addr_info" in keys:
            return "addr"
        if "flags" in keys or "link_type" in keys:
            return "link"
    if {"priority", "table"} <= keys or {"priority", "action"} <= keys:
        return "rule"
    if "dst" in keys:
        if "lladdr" in keys or ("state" in keys and "dev" in keys):
            return "neigh"
        return "route"
    return None


def read_links(
    device: str, file: str, document: Document, tunnels_known: Collection[str] = ()
) -> CaptureDraft:
    """Reads `ip -j addr` or `ip -j -d link`; of `tunnels_known` the list of tunnels tells."""
    draft, root = CaptureDraft(file), document.root
    for position, entry in enumerate(root.elements()):
        name = entry.text("ifname")
        if not name:
            continue
        source = _source(device, file, document, entry.peek("ifname") or entry, f"/{position}")
        instance = entry.text("vrf")
        interface = draft.interfaces.setdefault(
            interface_key(name, instance),
            InterfaceDraft(name, source, order=entry.integer("ifindex") or position),
        )
        interface.vrf = instance or interface.vrf
        entry.ignore(*_LINK_IRRELEVANT)
        flag_node = entry.get("flags")
        flags = set()
        for flag in entry.items("flags"):
            if isinstance(flag.value, str):
                flag.seen = 1
                flags.add(flag.value)
        if flag_node is not None:
            interface.enabled = "UP" in flags
            interface.enabled_source = _source(
                device, file, document, flag_node, f"/{position}/flags"
            )
            if "UP" in flags:
                interface.carrier = "LOWER_UP" in flags or (
                    "NO-CARRIER" not in flags and "LOOPBACK" in flags
                )
        entry.text("operstate")
        link_type = entry.text("link_type")
        interface.loopback = "LOOPBACK" in flags or link_type == "loopback"
        interface.point_to_point = "POINTOPOINT" in flags
        interface.mtu = entry.integer("mtu")
        mtu = entry.peek("mtu")
        if mtu is not None:
            interface.mtu_source = _source(device, file, document, mtu, f"/{position}/mtu")
        interface.mac = entry.text("address")
        if name in tunnels_known and (linkinfo := entry.peek("linkinfo")) is not None:
            _use_kind(linkinfo)
        else:
            _read_link_kind(entry, f"/{position}", interface, draft, device, file, document)
        interface.addresses_known = entry.peek("addr_info") is not None
        for number, info in enumerate(entry.items("addr_info")):
            path = f"/{position}/addr_info/{number}"
            _read_address(info, path, interface, draft, device, file, document)
    return draft


def _use_kind(linkinfo: Node) -> None:
    linkinfo.seen = UNDERSTOOD
    linkinfo.use("info_kind", "info_data", "info_slave_kind", "info_slave_data", "info_xstats")


def _read_link_kind(
    entry: Node,
    path: str,
    interface: InterfaceDraft,
    draft: CaptureDraft,
    device: str,
    file: str,
    document: Document,
) -> None:
    linkinfo = entry.peek("linkinfo")
    kind = linkinfo.text("info_kind") if linkinfo is not None else None
    master = entry.peek("master")
    data = linkinfo.peek("info_data") if linkinfo is not None else None
    tunnel = None
    if data is not None and kind in tunnels.MODES:
        where = _source(device, file, document, data, f"{path}/linkinfo/info_data")
        tunnel = tunnels.read(data, kind, where)
    if tunnel is not None:
        draft.tunnels[interface.name] = tunnel
    known = tunnel is not None
    if kind == "vlan" and data is not None:
        tag, below = data.integer("id"), entry.text("link")
        protocol = data.text("protocol")
        if tag is not None and below is not None and protocol in (None, "802.1Q", "802.1q"):
            node = data.peek("id")
            assert node is not None
            path = f"{path}/linkinfo/info_data/id"
            interface.parent, interface.tag = below, tag
            interface.tag_source = _source(device, file, document, node, path)
            known = True
    elif kind == "bridge":
        interface.filtering = data is not None and data.integer("vlan_filtering") == 1
        interface.bridge = known = True
    if kind in _LAYERED and not known:
        assert linkinfo is not None
        node = linkinfo.peek("info_kind") or linkinfo
        draft.unmodelled.append(
            Unmodelled(
                _source(device, file, document, node),
                _LAYERED[kind or ""],
                interface=interface.name,
            )
        )
        for below_node in linkinfo.walk():
            below_node.seen = 0
    elif linkinfo is not None:
        _use_kind(linkinfo)
    entry.ignore("link")
    if master is not None:
        slave = linkinfo.text("info_slave_kind") if linkinfo is not None else None
        if slave == "vrf":
            interface.vrf = entry.text("master")
            return
        if slave in (None, "bridge"):
            interface.master = entry.text("master")
            state = linkinfo.get("info_slave_data") if linkinfo is not None else None
            interface.blocked = state is not None and state.text("state") == "blocking"
            return
        draft.unmodelled.append(
            Unmodelled(
                _source(device, file, document, master),
                "interfaces that are part of another one are not computed",
                interface=interface.name,
            )
        )


def read_vlans(device: str, file: str, document: Document) -> CaptureDraft:
    """Reads `bridge -j vlan show`: the VLANs that each port carries, and in which form."""
    draft = CaptureDraft(file)
    for position, entry in enumerate(document.root.elements()):
        name = entry.text("ifname")
        if not name:
            continue
        interface = draft.interfaces.setdefault(
            name, InterfaceDraft(name, _source(device, file, document, entry), order=10_000)
        )
        interface.vlans_only = True
        for number, item in enumerate(entry.items("vlans")):
            first, last = item.integer("vlan"), item.integer("vlanEnd")
            flags = set()
            for flag in item.items("flags"):
                if isinstance(flag.value, str):
                    flag.seen = 1
                    flags.add(flag.value)
            if first is None or not 0 < first < 4095:
                continue
            path = f"/{position}/vlans/{number}"
            source = _source(device, file, document, item, path)
            for vlan in range(first, min(last or first, 4094) + 1):
                carried = Carried(vlan, "Egress Untagged" in flags, "PVID" in flags, source)
                interface.carried.append(carried)
    return draft


def _read_address(
    info: Node,
    path: str,
    interface: InterfaceDraft,
    draft: CaptureDraft,
    device: str,
    file: str,
    document: Document,
) -> None:
    info.ignore(*_ADDRESS_IRRELEVANT)
    info.text("family")
    info.text("scope")
    local = parse_address(info.text("local") or "")
    length = info.integer("prefixlen")
    if local is None or length is None or not 0 <= length <= (32 if local.family == 4 else 128):
        return
    if info.boolean("dadfailed") or info.boolean("tentative"):
        node = info.peek("dadfailed") or info.peek("tentative") or info
        draft.unmodelled.append(
            Unmodelled(
                _source(device, file, document, node),
                f"{local} is not in use: duplicate address detection has not passed",
                6,
                interface.name,
            )
        )
        return
    info.ignore("deprecated")
    if local.is_loopback:
        return
    peer_text = info.text("address")
    peer = parse_address(peer_text) if peer_text else None
    node = info.peek("local") or info
    value = InterfaceAddress(local, length)
    interface.addresses.append(
        AddressFact(
            value,
            _source(device, file, document, node, path),
            captured=True,
            peer=None if peer is None else InterfaceAddress(peer, length).prefix,
        )
    )


def read_neighbours(device: str, file: str, document: Document) -> CaptureDraft:
    """Reads `ip -j neigh`: who answered for an address on a link, or that nobody did."""
    draft = CaptureDraft(file)
    for position, entry in enumerate(document.root.elements()):
        address, name = parse_address(entry.text("dst") or ""), entry.text("dev")
        states = {str(item.value) for item in entry.items("state")}
        mac = entry.text("lladdr")
        entry.ignore_rest()
        if address is None or not name or states & {"NOARP", "PERMANENT", "NONE"}:
            continue
        if mac is None and not states & {"FAILED", "INCOMPLETE"}:
            continue
        source = _source(device, file, document, entry, f"/{position}")
        draft.resolved.append(Resolved(name, address, mac, source))
    return draft


def read_tunnels(device: str, file: str, document: Document) -> CaptureDraft:
    """Reads the list of a Linux device's tunnels."""
    draft = CaptureDraft(file)
    for position, entry in enumerate(document.root.elements()):
        name, mode = entry.text("ifname"), entry.text("mode")
        if not name:
            continue
        source = _source(device, file, document, entry, f"/{position}")
        tunnel = tunnels.read(entry, mode, source)
        if tunnel is not None:
            draft.tunnels[name] = tunnel
        else:
            why = f"tunnels of mode {mode} with these ends are not computed"
            draft.unmodelled.append(Unmodelled(source, why, interface=name))
    return draft


def read_routes(device: str, file: str, document: Document) -> CaptureDraft:
    """Reads `ip -j route` or `ip -j -6 route`.

    Entries of the kernel's own making follow from the addresses; they are irrelevant.
    """
    draft, root = CaptureDraft(file), document.root
    family = 6 if _is_ipv6(root) else 4
    for position, entry in enumerate(root.elements()):
        destination = entry.text("dst") or ""
        protocol = entry.text("protocol")
        prefix = _destination(destination, family)
        if prefix is None or prefix.network >> (120 if prefix.family == 6 else 28) == (
            0xFF if prefix.family == 6 else 0xE
        ):
            entry.ignore_all()
            continue
        table = entry.peek("table")
        if table is None or table.value in ("main", 254, "254"):
            _gathered(draft, entry, prefix, protocol)
        if protocol == "kernel":
            entry.seen = IRRELEVANT
            entry.ignore(*_ROUTE_IRRELEVANT, *_ROUTE_MEMBERS)
            continue
        if entry.text("vrf") is not None:
            entry.ignore_all()  # no packet of the main instance looks there
            continue
        other = None
        if table is not None and table.value not in ("main", 254, "254"):
            other = str(table.value)
        entry.get("table")
        entry.ignore(*_ROUTE_IRRELEVANT)
        entry.text("scope")
        if entry.peek("encap") is not None or entry.peek("src") is not None:
            node = entry.peek("encap") or entry.peek("src") or entry
            draft.unmodelled.append(
                Unmodelled(
                    _source(device, file, document, node),
                    "routes by source address or with encapsulation are not computed",
                    prefix.family,
                )
            )
            continue
        metric = entry.integer("metric") or 0
        kind = entry.text("type") or "unicast"
        if kind in ("local", "broadcast", "multicast", "anycast"):
            entry.ignore_all()
            continue
        if kind not in _SPECIAL:
            node = entry.peek("type") or entry
            node.seen = 0
            why = f"routes of type {kind} are not computed"
            draft.unmodelled.append(
                Unmodelled(_source(device, file, document, node), why, prefix.family)
            )
            continue
        special = _SPECIAL[kind]
        preferred = parse_address(entry.text("prefsrc") or "")
        hops = entry.items("nexthops") or [entry]
        for number, hop in enumerate(hops):
            path = f"/{position}" if hop is entry else f"/{position}/nexthops/{number}"
            gateway = _gateway(hop)
            interface = hop.text("dev")
            flags = {f.value for f in hop.items("flags") if isinstance(f.value, str)}
            for flag in hop.items("flags"):
                flag.seen = 1
            held = draft.statics if other is None else draft.tables.setdefault(other, [])
            if other is not None and protocol in _OF_DAEMONS:
                draft.daemons_tables |= {other}
            held.append(
                StaticRoute(
                    prefix,
                    _source(device, file, document, hop, path),
                    gateway,
                    interface,
                    special,
                    min(metric, 2**32 - 1),
                    hop.integer("weight") or 1,
                    onlink="onlink" in flags,
                    kernel=True,
                    preferred_source=preferred,
                    entry=position if prefix.family == 4 else 0,
                )
            )
    return draft


def read_rules(device: str, file: str, document: Document) -> CaptureDraft:
    """Reads `ip -j rule`: the three that every kernel has change nothing."""
    draft, root = CaptureDraft(file), document.root
    tables = {str(entry.text("table")) for entry in root.elements()}
    both = {str(n.value) for e in root.elements() for n in e.members().values()}
    family = 6 if any(":" in text for text in both) or "default" not in tables else 4
    usual_rules: list[Rule] = []
    for position, entry in enumerate(root.elements()):
        rule = _rule(entry, family, _source(device, file, document, entry, f"/{position}"))
        usual = {"local": 0, "main": 32766, "default": 32767}.get(str(entry.text("table")))
        plain = not (entry.members().keys() - {"priority", "src", "table", "protocol"})
        everywhere = entry.text("src") in ("all", None) and entry.integer("priority") == usual
        entry.ignore_all()
        if entry.text("vrf") is not None or (usual is not None and plain and everywhere):
            if rule is not None and entry.text("vrf") is None:
                usual_rules.append(rule)
            continue
        if rule is not None:
            draft.rules.append(rule)
            if entry.text("protocol") in _OF_DAEMONS:
                draft.daemons_rules |= {rule.priority}
            entry.use_all()
            continue
        source = _source(device, file, document, entry)
        entry.seen = 0
        draft.unmodelled.append(Unmodelled(source, RULES, family, touches=LINKS))
    if draft.rules:
        draft.rules += usual_rules
    return draft


_SELECTORS = frozenset(
    (
        *("priority", "src", "srclen", "dst", "dstlen", "iif", "table", "suppress_prefixlen"),
        *("action", "protocol", "ipproto", "fwmark", "fwmask", "tos", "not", "goto", "nop"),
        *("sport", "sport_start", "sport_end", "dport", "dport_start", "dport_end"),
        *("oif", "iif_detached", "oif_detached", "unresolved", "flow"),
    )
)
"""What of a rule is computed (`flow` are realms, which choose nothing); any other selector makes it
uncertain."""
_OF_DAEMONS = ("static", "zebra", "pbr", "11", "195", "196")
"""Who has put a rule or a route there, as `ip` prints it: FRR's daemons (`static` others, too)."""
_PROTOCOLS = {
    "icmp": 1, "igmp": 2, "ipencap": 4, "tcp": 6, "egp": 8, "igp": 9, "udp": 17, "dccp": 33,
    "ipv6": 41, "rsvp": 46, "gre": 47, "esp": 50, "ah": 51, "ipv6-icmp": 58, "ipip": 94,
    "pim": 103, "vrrp": 112, "l2tp": 115, "sctp": 132, "udplite": 136,
}  # fmt: skip
"""The names that `ip rule` prints for protocols (IANA's registry of protocol numbers), beside those
of routing protocols."""


def _rule(entry: Node, family: int, line: Source) -> Rule | None:
    """One rule; None if it chooses by something that is not computed."""
    members = entry.members().keys()
    if members - _SELECTORS or entry.integer("priority") is None:
        return None
    special = _SPECIAL.get(entry.text("action") or "unicast", "unknown")
    if special == "unknown":
        return None
    ends: list[Prefix | None] = []
    for name in ("src", "dst"):
        text, length = entry.text(name), entry.integer(f"{name}len")
        if text in (None, "all"):
            ends.append(None)
            continue
        whole = f"{text}/{length}" if length is not None else text
        prefix = _destination(str(whole), family)
        if prefix is None:
            return None
        ends.append(prefix)
    protocol, mark = _protocol(entry), _mark(entry)
    ports = [_ports(entry, name) for name in ("sport", "dport")]
    if (protocol is None) != ("ipproto" not in members) or (mark is None) != (
        "fwmark" not in members
    ):
        return None
    return Rule(
        entry.integer("priority") or 0,
        family,
        line,
        entry.text("table"),
        special,
        ends[0],
        ends[1],
        entry.text("iif"),
        entry.integer("suppress_prefixlen"),
        protocol,
        ports[0],
        ports[1],
        mark,
        "not" in members,
        entry.integer("goto"),
        _never(entry),
    )


def _protocol(entry: Node) -> int | None:
    text = entry.text("ipproto")
    if text is None:
        return entry.integer("ipproto")
    text = text.removeprefix("ipproto-")
    if text.isdigit():
        return int(text)
    routing = {name: number for number, name in by_packets().items()}
    return _PROTOCOLS.get(text) or routing.get(text)


def _mark(entry: Node) -> tuple[int, int] | None:
    """(value, mask) of the mark that a rule asks for."""
    out = []
    for name in ("fwmark", "fwmask"):
        text = entry.text(name)
        number = entry.integer(name)
        if text is not None:
            try:
                number = int(text, 0)
            except ValueError:
                return None
        out.append(number)
    value, mask = out
    if value is None:
        return None
    return value, 0xFFFFFFFF if mask is None else mask


def _ports(entry: Node, name: str) -> tuple[int, int] | None:
    one = entry.integer(name)
    first = one if one is not None else entry.integer(f"{name}_start")
    last = one if one is not None else entry.integer(f"{name}_end")
    return (first, last) if first is not None and last is not None else None


def _never(entry: Node) -> str | None:
    """What a rule asks for that no packet here has, in words."""
    service = entry.text("tos")
    if service is not None and service not in ("0", "0x0", "0x00", "default"):
        return f"the type of service {service}"
    if entry.text("oif") is not None:
        # Only a socket that is bound to an interface has an exit before it has a route.
        return f"a socket that is bound to {entry.text('oif')}"
    if "iif_detached" in entry.members():
        return f"the interface {entry.text('iif')}, which is not there"
    return None


def _gathered(draft: CaptureDraft, entry: Node, prefix: Prefix, protocol: str | None) -> None:
    if prefix.network >> 118 == 0x3FA and prefix.family == 6:
        return
    hops = []
    nexthops = entry.peek("nexthops")
    for hop in nexthops.elements() if nexthops is not None else [entry]:
        gateway, interface = hop.peek("gateway"), hop.peek("dev")
        hops.append(
            (
                "forward",
                str(gateway.value) if gateway is not None else None,
                str(interface.value) if interface is not None else None,
            )
        )
    instance = entry.text("vrf")
    tables = draft.instances.setdefault(instance, {}) if instance else draft.gathered
    tables.setdefault(prefix.family, []).append(
        GatheredRoute(prefix, protocol or "static", None, None, True, tuple(sorted(hops, key=str)))
    )


def _is_ipv6(root: Node) -> bool:
    for entry in root.elements():
        for key in ("dst", "gateway"):
            node = entry.peek(key)
            if node is not None and isinstance(node.value, str) and ":" in node.value:
                return True
        if entry.peek("pref") is not None:
            return True
    return False


def _destination(text: str, family: int) -> Prefix | None:
    if text == "default":
        return Prefix(family, 0, 0)
    if "/" in text:
        return parse_prefix(text)
    address = parse_address(text)
    return None if address is None else host_prefix(address)


def _gateway(hop: Node) -> Address | None:
    text = hop.text("gateway")
    via = hop.get("via")
    if text is None and via is not None:
        via.text("family")
        text = via.text("host")
    return parse_address(text) if text else None


def _source(
    device: str, file: str, document: Document, node: Node, path: str | None = None
) -> Source:
    return Source(device, file, node.key_line, document.quote(node), path)
