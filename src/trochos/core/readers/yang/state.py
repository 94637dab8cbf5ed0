"""Operational state as YANG data (RFC 8342): what a device shows of itself at one moment.

An instance file (RFC 9195) of the operational datastore is a capture, not a configuration:
interfaces' state and addresses (RFC 8343, RFC 8344), and the routing tables (RFC 8349), which
are only ever set beside the computed ones.
"""

from __future__ import annotations

from ...network.addressing import InterfaceAddress, format_address, parse_address, parse_prefix
from ...network.facts import AddressFact, GatheredRoute, Source
from ..drafts import CaptureDraft, InterfaceDraft
from ..located_json import Document, Node
from ..protocols import YANG

KIND = "state of a device as YANG data"
_INSTANCE = "ietf-yang-instance-data:instance-data-set"
_SPECIAL = {"blackhole": "discard", "unreachable": "reject", "prohibit": "reject"}


def _protocol(kind: str) -> str:
    """Our word for the identity of a route's source."""
    if kind in YANG:
        return YANG[kind].protocol
    return "connected" if kind == "direct" else kind


def looks_like(root: Node) -> bool:
    """An instance file that says it is of the operational datastore."""
    whole = root.peek(_INSTANCE)
    store = whole.peek("datastore") if whole is not None else None
    return store is not None and str(store.value).rpartition(":")[2] == "operational"


def read(device: str, file: str, document: Document) -> CaptureDraft:
    """Reads one file of state; what was used is marked in the document's nodes."""
    draft = CaptureDraft(file)
    whole = document.root.get(_INSTANCE)
    assert whole is not None
    whole.ignore("name", "description", "datastore", "revision", "timestamp", "content-schema")
    content = whole.get("content-data")
    if content is None:
        return draft
    interfaces = content.get("ietf-interfaces:interfaces")
    if interfaces is not None:
        for position, entry in enumerate(interfaces.items("interface")):
            _interface(draft, device, file, document, entry, position)
    routing = content.get("ietf-routing:routing")
    if routing is not None:
        tables(draft, routing)
    return draft


def _interface(
    draft: CaptureDraft, device: str, file: str, document: Document, entry: Node, position: int
) -> None:
    name = entry.text("name")
    if not name:
        return

    def source(node: Node, leaf: str) -> Source:
        path = f"/ietf-interfaces:interfaces/interface[name='{name}']{leaf}"
        return Source(device, file, node.key_line, document.quote(node), path)

    held = draft.interfaces[name] = InterfaceDraft(
        name, source(entry.peek("name") or entry, ""), order=position
    )
    kind = (entry.text("type") or "").rpartition(":")[2]
    held.loopback = kind == "softwareLoopback"
    admin = entry.text("admin-status")
    if admin in ("up", "down"):
        held.enabled = admin == "up"
        held.enabled_source = source(entry.peek("admin-status") or entry, "/admin-status")
    status = entry.text("oper-status")
    # Of a port that is shut, the line's state says nothing.
    if status in ("up", "down", "lower-layer-down", "dormant") and held.enabled is not False:
        held.carrier = status == "up"
    held.mac = entry.text("phys-address")
    for family, member in ((4, "ietf-ip:ipv4"), (6, "ietf-ip:ipv6")):
        container = entry.get(member) or entry.get(member.partition(":")[2])
        if container is None:
            continue
        mtu = container.integer("mtu")
        held.mtu = min(mtu, held.mtu or mtu) if mtu is not None else held.mtu
        for item in container.items("address"):
            address = parse_address((item.text("ip") or "").partition("%")[0])
            length = item.integer("prefix-length")
            item.ignore("origin", "status")
            if address is None or address.family != family or length is None:
                continue
            fact = InterfaceAddress(address, length)
            held.addresses.append(
                AddressFact(fact, source(item.peek("ip") or item, member), captured=True)
            )
            held.addresses_known = True
    entry.ignore_rest()


def tables(draft: CaptureDraft, routing: Node) -> None:
    """The routing tables below a `routing` container (RFC 8349, section 5)."""
    ribs = routing.get("ribs")
    for rib in ribs.items("rib") if ribs is not None else ():
        rib.ignore("name", "address-family", "default-rib", "description")
        routes = rib.get("routes")
        for route in routes.items("route") if routes is not None else ():
            _route(draft, route)
            route.ignore_all()


def _route(draft: CaptureDraft, route: Node) -> None:
    text = _any(route, "destination-prefix")
    prefix = parse_prefix(text or "")
    if prefix is None:
        return
    hops: list[tuple[str, str | None, str | None]] = []
    hop = route.peek("next-hop")
    listed = hop.peek("next-hop-list") if hop is not None else None
    entries = listed.items("next-hop") if listed is not None else [hop] if hop else []
    for entry in entries:
        special = _SPECIAL.get(_any(entry, "special-next-hop") or "")
        if special is not None:
            hops.append((special, None, None))
            continue
        gateway = parse_address(_any(entry, "next-hop-address") or _any(entry, "address") or "")
        shown = None if gateway is None else format_address(*gateway)
        hops.append(("forward", shown, _any(entry, "outgoing-interface")))
    kind = (_any(route, "source-protocol") or "unknown").rpartition(":")[2]
    draft.gathered.setdefault(prefix.family, []).append(
        GatheredRoute(
            prefix,
            _protocol(kind),
            route.integer("route-preference"),
            None,
            route.peek("active") is not None,
            tuple(sorted(hops, key=str)),
        )
    )


def _any(node: Node, name: str) -> str | None:
    """A member by its name, whichever module stands in front."""
    for key, held in node.members().items():
        if key.rpartition(":")[2] == name and not isinstance(held.value, (dict, list)):
            return str(held.value)
    return None
