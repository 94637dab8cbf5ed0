"""The wiring: ietf-network-topology (RFC 8345) as JSON, and links inferred without it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from ..network.addressing import Prefix, parse_address
from ..network.facts import AddressFact, Device, End, Interface, Planned, Segment, Source
from .located_json import Document, Node

KIND = "wiring"
_NETWORKS = "ietf-network:networks"
_LINK = "ietf-network-topology:link"
_POINT = "ietf-network-topology:termination-point"


@dataclass(slots=True)
class WiringNode:
    """A node of the drawing; `addressed` if the drawing gives it addresses or a router id."""

    name: str
    addressed: bool = False
    role: str | None = None
    points: set[str] = field(default_factory=set)


@dataclass(slots=True)
class Wiring:
    nodes: dict[str, WiringNode] = field(default_factory=dict)
    links: list[tuple[End, End]] = field(default_factory=list)
    planned: list[Planned] = field(default_factory=list)


def looks_like(root: Node) -> bool:
    return _NETWORKS in root.members() or (
        "ietf-yang-instance-data:instance-data-set" in root.members()
        and any(_NETWORKS in node.members() for node in root.walk())
    )


def read(document: Document, file: str) -> Wiring:
    """Reads all networks of the file; each pair of ends is kept once, whichever direction."""
    wiring = Wiring()
    for holder in list(document.root.walk()):
        networks = holder.peek(_NETWORKS)
        if networks is None:
            continue
        holder.get(_NETWORKS)
        seen: set[frozenset[End]] = set()
        for network in networks.items("network"):
            network.ignore("network-id", "network-types", "supporting-network")
            for entry in network.items("node"):
                _node(entry, wiring, document, file)
            for entry in network.items(_LINK) or network.items("link"):
                _link(entry, wiring, seen)
    return wiring


def _node(entry: Node, wiring: Wiring, document: Document, file: str) -> None:
    name = entry.text("node-id")
    if not name:
        return
    node = wiring.nodes.setdefault(name, WiringNode(name))
    entry.ignore("supporting-node")
    attributes = entry.get("ietf-l3-unicast-topology:l3-node-attributes")
    if attributes is not None:
        attributes.ignore("name", "flag", "prefix")
        node.addressed |= bool(attributes.items("router-id"))
        for item in attributes.items("router-id"):
            item.seen = 1
    node.role = entry.text("trochos-wiring:role") or node.role
    for point in entry.items(_POINT) or entry.items("termination-point"):
        tp = point.text("tp-id")
        if tp:
            node.points.add(tp)
        point.ignore("supporting-termination-point")
        l3 = point.get("ietf-l3-unicast-topology:l3-termination-point-attributes")
        if l3 is not None:
            for item in l3.items("ip-address"):
                item.seen = 1
                address = parse_address(str(item.value))
                if address is not None:
                    node.addressed = True
                    line = Source("", file, item.line, document.quote(item))
                    wiring.planned.append(Planned(End(name, tp or ""), address, line))


def _link(entry: Node, wiring: Wiring, seen: set[frozenset[End]]) -> None:
    entry.ignore("link-id", "supporting-link", "ietf-l3-unicast-topology:l3-link-attributes")
    source, destination = entry.get("source"), entry.get("destination")
    if source is None or destination is None:
        return
    left = End(source.text("source-node") or "", source.text("source-tp") or "")
    right = End(destination.text("dest-node") or "", destination.text("dest-tp") or "")
    if not left.device or not right.device or left == right:
        return
    key = frozenset((left, right))
    if key not in seen:
        seen.add(key)
        wiring.links.append((left, right))
        for end in (left, right):
            node = wiring.nodes.setdefault(end.device, WiringNode(end.device))
            node.points.add(end.interface)


def segments_from_wiring(
    wiring: Wiring,
    devices: dict[str, Device],
    roles: Mapping[str, str] | None = None,
    known: Iterable[str] = (),
) -> tuple[list[Segment], list[str]]:
    """Groups links into segments.

    A node without a folder is a LAN if somebody says so, or if two of the ends that meet there
    share or overlap one subnet. Otherwise, and if anything knows it as a device, it is one that
    nobody could read.

    Args:
        wiring: the drawing.
        devices: those that were read.
        roles: what a person or the drawing says a node is.
        known: names that something else knows as devices (LLDP, an inventory, an older survey).

    Returns:
        The segments, and the names of unread devices.
    """
    outside = [name for name in wiring.nodes if name not in devices]
    links_of: dict[str, list[tuple[End, End]]] = {name: [] for name in outside}
    for left, right in wiring.links:
        for mine, other in ((left, right), (right, left)):
            if mine.device in links_of:
                links_of[mine.device].append((mine, other))
    unread, known = set[str](), set(known)
    for name in outside:
        role = (roles or {}).get(name) or wiring.nodes[name].role
        if role == "lan":
            continue
        # Numbers in a drawing, a neighbour that spoke, or a list of devices speak of a device.
        told = role is not None or wiring.nodes[name].addressed or name in known
        if told or not _shares_subnet(links_of[name], devices):
            unread.add(name)
    lans = set(outside) - unread

    # Union of link ends: a LAN node joins everything attached to it.
    parent: dict[End, End] = {}

    def find(end: End) -> End:
        while parent.setdefault(end, end) != end:
            parent[end] = parent[parent[end]]
            end = parent[end]
        return end

    for number, (left, right) in enumerate(wiring.links):
        ends = [
            End(end.device, "")
            if end.device in lans
            # Ports of an unread device that the drawing does not name are still different ones.
            else end._replace(interface=end.interface or f"(link {number})")
            if end.device in unread
            else end
            for end in (left, right)
        ]
        parent[find(ends[0])] = find(ends[1])
    groups: dict[End, list[End]] = {}
    for end in parent:
        groups.setdefault(find(end), []).append(end)
    segments = []
    for members in groups.values():
        names = [end.device for end in members if end.device in lans and end.interface == ""]
        joined = tuple(sorted(end for end in members if end.device not in lans))
        missing = tuple(sorted({end.device for end in joined if end.device in unread}))
        segments.append(Segment(joined, "+".join(sorted(names)) or None, missing))
    return segments, sorted(unread)


BY_LLDP = "the ends hear each other over LLDP"


def from_heard(devices: Iterable[Device]) -> Wiring | None:
    """The links that devices hear over LLDP, as a drawing; None where nobody heard anybody.

    A neighbour is found by its folder's name or by what it calls itself. Its port is its own
    word for it: the identifier, or the description.
    """
    listed = list(devices)
    known = {device.name: device for device in listed}
    known |= {d.hostname: d for d in listed if d.hostname and d.hostname not in known}
    wiring = Wiring()
    for device in listed:
        for item in device.heard:
            other = known.get(item.system) or known.get(item.system.partition(".")[0])
            name, port = item.system, item.port
            if other is not None:
                name = other.name
                words = [w for w in (item.port, item.label) if w and other.interface(w)]
                port = words[0] if words else item.port
            left, right = End(device.name, item.interface), End(name, port)
            if (left, right) not in wiring.links and (right, left) not in wiring.links:
                wiring.links.append((left, right))
            for end in (left, right):
                wiring.nodes.setdefault(end.device, WiringNode(end.device)).points.add(
                    end.interface
                )
    return wiring if wiring.links else None


def _shares_subnet(links: list[tuple[End, End]], devices: Mapping[str, Device]) -> bool:
    """True if two of the ends that meet at a node share or overlap one subnet, so that it can be
    a LAN between them. Where routing instances have addresses of their own, one address at two
    ends, or one subnet in two instances, tells of a device that keeps them apart."""
    instances = any(i.vrf for device in devices.values() for i in device.interfaces)
    met: dict[End, list[AddressFact]] = {}
    inside: dict[End, str | None] = {}
    for _, end in links:
        device = devices.get(end.device)
        interface = device.interface(end.interface) if device else None
        inside[end] = interface.vrf if interface else None
        met[end] = [
            fact
            for fact in (interface.addresses if interface else ())
            if not fact.address.is_link_local and not fact.connected.is_host
        ]
    ends = list(met.items())
    return any(
        mine.connected.overlaps(theirs.connected)
        and not (instances and (mine.address == theirs.address or inside[one] != inside[other]))
        for number, (one, here) in enumerate(ends)
        for other, there in ends[number + 1 :]
        for mine in here
        for theirs in there
    )


def infer_segments(devices: Iterable[Device], taken: set[End]) -> list[Segment]:
    """Links for interfaces that no wiring mentions: those that share a subnet share a link."""
    by_prefix: dict[Prefix, list[End]] = {}
    for device in devices:
        for interface in device.interfaces:
            end = End(device.name, interface.name)
            if interface.loopback or end in taken or interface.tunnel:
                continue
            for fact in interface.addresses:
                prefix = fact.value.prefix
                if fact.address.is_link_local or prefix.is_host:
                    continue
                by_prefix.setdefault(prefix, []).append(end)
    # A wrong mask at one end must not hide the link: a prefix inside another joins it,
    # if that other is as small as links and LANs are.
    parent: dict[End, End] = {}

    def find(end: End) -> End:
        while parent.setdefault(end, end) != end:
            end = parent[end]
        return end

    reasons: dict[End, str] = {}
    prefixes = sorted(by_prefix, key=lambda p: (p.family, p.network, p.length))
    covering: Prefix | None = None
    for prefix in prefixes:
        ends = by_prefix[prefix]
        smallest = 20 if prefix.family == 4 else 56
        if covering is not None and covering.covers(prefix) and covering.length >= smallest:
            ends = [by_prefix[covering][0], *ends]
        else:
            covering = prefix
        for end in ends:
            parent[find(end)] = find(ends[0])
            reasons.setdefault(find(ends[0]), f"the ends share the subnet {covering}")
    groups: dict[End, list[End]] = {}
    for end in parent:
        groups.setdefault(find(end), []).append(end)
    return [
        Segment(
            tuple(sorted(ends)), reason=reasons.get(root, "the ends share a subnet"), inferred=True
        )
        for root, ends in groups.items()
        if len(ends) > 1
    ]


def tunnel_segments(devices: Iterable[Device]) -> list[Segment]:
    """A link for every two tunnel interfaces that belong together.

    Two that mirror each other do; of the rest, two of which one names an address of the
    other's device and is alone in doing so: a link whose ends do not fit is still a link.
    """
    ends = [
        (End(device.name, interface.name), device, interface)
        for device in devices
        for interface in device.interfaces
        if interface.tunnel is not None
    ]
    out: list[Segment] = []
    taken: set[End] = set()
    for exact in (True, False):
        for position, (end, device, interface) in enumerate(ends):
            if end in taken:
                continue
            for other_end, other, there in ends[position + 1 :]:
                if other_end in taken or other.name == device.name:
                    continue
                if _fits(device, interface, other, there, exact):
                    taken |= {end, other_end}
                    reason = (
                        "the ends of the tunnel mirror each other"
                        if exact
                        else "the tunnels name each other's devices, and do not mirror each other"
                    )
                    out.append(Segment((end, other_end), reason=reason, inferred=True))
                    break
    return out


def _fits(device: Device, here: Interface, other: Device, there: Interface, exact: bool) -> bool:
    mine, theirs = here.tunnel, there.tunnel
    assert mine is not None and theirs is not None
    if exact:
        return mine.mirrors(theirs)
    to_them = any(i.has(mine.remote) for i in other.interfaces)
    to_us = any(i.has(theirs.remote) for i in device.interfaces)
    shared = any(
        a.connected.overlaps(b.connected)
        for a in here.addresses
        for b in there.addresses
        if not a.address.is_link_local and not b.address.is_link_local
    )
    return (to_them and to_us) or (shared and (to_them or to_us))
