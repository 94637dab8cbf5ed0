"""Devices given as YANG data: edits by path."""

from __future__ import annotations

import re
from typing import Any

from ...network.addressing import Address, InterfaceAddress, Prefix, dotted
from ...network.edits import DataEdit, Edit
from ...network.facts import AddressFact, Interface, Source, StaticRoute
from ...network.policy import PrefixRule
from ...network.routing import BgpNeighbour, OspfProcess, Redistribution, VirtualLink
from ...readers.located import parse_data
from ..data import plain
from ..paths import at_path
from .base import Edits, Peer, Writer

_PROTOCOL = re.compile(r"^(.*?/control-plane-protocol(?:\[[^\]]*\])+)")
_MODULES = {
    "ospf": "ietf-ospf:ospf",
    "rip": "ietf-rip:rip",
    "eigrp": "trochos-eigrp:eigrp",
    "bgp": "trochos-bgp:bgp",
}
_PROTOCOLS = "/ietf-routing:routing/control-plane-protocols/control-plane-protocol"
_OSPF_LEAVES = {
    "hello": "hello-interval",
    "dead": "dead-interval",
    "cost": "cost",
    "priority": "priority",
    "passive": "passive",
    "ignore MTU": "mtu-ignore",
    "network type": "interface-type",
    "instance": "instance-id",
}
_NUMBERS = (
    "hello",
    "dead",
    "cost",
    "priority",
    "instance",
    "remote AS",
    "multihop",
    "maximum",
    "own AS",
)
_NEIGHBOUR = {
    "remote AS": "peer-as",
    "source": "source",
    "password": "password",
    "multihop": "multihop",
    "passive": "passive-mode",
}
_NEIGHBOUR_FAMILY = {
    "next hop self": "next-hop-self",
    "maximum": "maximum-prefixes",
    "policy in": "import-policy",
    "policy out": "export-policy",
    "client": "route-reflector-client",
    "own AS": "allow-own-as",
}


class YangWriter(Writer):
    """Edits of YANG data (RFC 7951 paths)."""

    sources_by_interface = False

    @property
    def file(self) -> str:
        return self.device.main_file or "running.json"

    def _set(self, path: str, value: Any, source: Source | None = None) -> Edits:
        file = source.file if source is not None else self.file
        return (DataEdit(self.device.name, file, path, None, value),)

    def drop(self, source: Source) -> Edits | None:
        if source.path is None or source.default or source.missing:
            return None
        # A list's entry is removed as a whole when its key is what was named.
        path = re.sub(
            r"(\])/(?:name|prefix|sequence|protocol|remote-address|interface)$", r"\1", source.path
        )
        return (DataEdit(source.device, source.file, path),)

    def enable(self, interface: Interface) -> Edits | None:
        source = interface.enabled_source
        if source is None or source.path is None:
            return None
        return (DataEdit(source.device, source.file, source.path, False, True),)

    def mtu(self, interface: Interface, value: int) -> Edits | None:
        source = interface.mtu_source
        if source is None or source.path is None:
            return None
        return (DataEdit(source.device, source.file, source.path, interface.mtu, value),)

    def address(
        self, interface: Interface, old: AddressFact | None, new: InterfaceAddress
    ) -> Edits | None:
        if interface.source is None:
            return None
        base = f"{interface.source.path}/ietf-ip:ipv{new.address.family}/address"
        out: list[Edit] = []
        if old is not None:
            if old.address == new.address:
                path = f"{old.source.path}/prefix-length"
                return (
                    DataEdit(
                        old.source.device, old.source.file, path, old.value.length, new.length
                    ),
                )
            out += self.drop(old.source) or ()
        out += self._set(f"{base}[ip='{new.address}']/prefix-length", new.length)
        return tuple(out)

    # -- static routes -----------------------------------------------------------------

    def _route(self, prefix: Prefix) -> str:
        family = f"ietf-ipv{prefix.family}-unicast-routing:ipv{prefix.family}"
        return (
            f"{_PROTOCOLS}[type='ietf-routing:static'][name='static']/static-routes/"
            f"{family}/route[destination-prefix='{prefix}']"
        )

    def _hop(self, family: int, gateway: Address, distance: int, shared: int = 1) -> dict[str, Any]:
        """A next hop; its distance is said where it is not what it would have anyway."""
        hop: dict[str, Any] = {
            f"ietf-ipv{family}-unicast-routing:next-hop-address": str(gateway),
        }
        if distance != shared:
            hop["trochos-routing:preference"] = distance
        return hop

    def static(
        self, prefix: Prefix, gateway: Address, distance: int = 1, exit: str | None = None
    ) -> Edits | None:
        path = self._route(prefix)
        for held in self.device.statics:
            if held.source.path is not None and not held.kernel:
                stem = _PROTOCOL.match(held.source.path)
                if stem is not None:
                    path = path.replace(
                        f"{_PROTOCOLS}[type='ietf-routing:static'][name='static']", stem.group(1)
                    )
                break
        standing = self._entry(f"{path}/next-hop")
        shared = standing.get("trochos-routing:preference", 1)
        if not standing:
            return self._set(f"{path}/next-hop", self._hop(prefix.family, gateway, distance))
        if "special-next-hop" in standing:
            return None  # a special next hop stands alone (RFC 8349, section 5.1)
        listed = standing.get("next-hop-list", {}).get("next-hop", [])
        hop = self._hop(prefix.family, gateway, distance, shared if listed else 1)
        if listed:
            taken = {str(entry.get("index")) for entry in listed}
            index = next(str(n) for n in range(1, len(taken) + 2) if str(n) not in taken)
            return self._set(f"{path}/next-hop/next-hop-list/next-hop[index='{index}']", hop)
        both = [{"index": "1", **standing}, {"index": "2", **hop}]
        return self._set(f"{path}/next-hop", {"next-hop-list": {"next-hop": both}})

    def drop_static(self, route: StaticRoute) -> Edits | None:
        path = route.source.path
        if path is None:
            return None
        if "/next-hop-list/" not in path:
            path = re.sub(r"/next-hop(/.*)?$", "", path)
        return (DataEdit(route.source.device, route.source.file, path),)

    def move_static(self, route: StaticRoute, gateway: Address) -> Edits | None:
        path = route.source.path
        if path is None:
            return None
        value = self._hop(route.prefix.family, gateway, route.distance)
        among = re.match(r"(.*/next-hop)/next-hop-list/next-hop\[index='([^']*)'\]", path)
        if among is not None:
            shared = self._entry(among.group(1)).get("trochos-routing:preference", 1)
            value = {
                "index": among.group(2),
                **self._hop(route.prefix.family, gateway, route.distance, shared),
            }
        elif not path.endswith("/next-hop"):
            return None
        return (DataEdit(route.source.device, route.source.file, path, None, value),)

    # -- routing protocols -----------------------------------------------------------------

    def _base(self, protocol: str, family: int) -> str | None:
        """The path of a protocol's own container."""
        routing = self.device.routing
        source: Source | None = None
        if protocol == "bgp":
            source = routing.bgp.source if routing.bgp else None
        else:
            for process in getattr(routing, protocol, ()):
                if process.family == family:
                    source = process.source
        found = _PROTOCOL.match(source.path or "") if source is not None else None
        return None if found is None else f"{found.group(1)}/{_MODULES[protocol]}"

    def _ospf_interface(self, family: int, name: str) -> str | None:
        process = next((p for p in self.device.routing.ospf if p.family == family), None)
        settings = process.interfaces.get(name) if process is not None else None
        base = self._base("ospf", family)
        if process is None or base is None:
            return None
        if settings is not None and settings.area is not None and settings.area.source.path:
            return settings.area.source.path.removesuffix("/name")
        return None

    def interface_setting(
        self, protocol: str, family: int, interface: str, what: str, value: str | None
    ) -> Edits | None:
        if protocol == "ospf":
            return self._ospf_setting(family, interface, what, value)
        base = self._base(protocol, family)
        if base is None:
            return None
        if protocol == "eigrp":
            leaf = {"authentication": "authentication", "key chain": "key-chain"}.get(
                what, "passive" if what == "passive" else None
            )
            path = f"{base}/interfaces/interface[name='{interface}']"
        else:
            leaf = {"key": "authentication/key", "passive": "passive"}.get(what)
            path = f"{base}/interfaces/interface[interface='{interface}']"
        if leaf is None:
            return None
        if value is None:
            return (DataEdit(self.device.name, self.file, f"{path}/{leaf}"),)
        return self._set(f"{path}/{leaf}", value)

    def _ospf_setting(
        self, family: int, interface: str, what: str, value: str | None
    ) -> Edits | None:
        path = self._ospf_interface(family, interface)
        if path is None:
            return None
        if what == "area":
            return self._move_area(family, interface, path, value)
        if what == "authentication":
            if value == "none" or value is None:
                return (DataEdit(self.device.name, self.file, f"{path}/authentication"),)
            return ()  # the key says it
        if what == "key":
            return self._set(f"{path}/authentication/ospfv2-key", value)
        if what.startswith("digest"):
            number = int(what.split()[1])
            return self._set(
                f"{path}/authentication",
                {
                    "ospfv2-key-id": number,
                    "ospfv2-key": value,
                    "ospfv2-crypto-algorithm": "ietf-key-chain:md5",
                },
            )
        leaf = _OSPF_LEAVES.get(what)
        if leaf is None:
            return None
        if value is None:
            return (DataEdit(self.device.name, self.file, f"{path}/{leaf}"),)
        typed: Any = int(value) if what in _NUMBERS else value
        if what in ("passive", "ignore MTU"):
            typed = True
        if what == "network type" and value == "broadcast":
            typed = "broadcast"
        return self._set(f"{path}/{leaf}", typed)

    def _move_area(self, family: int, interface: str, path: str, value: str | None) -> Edits | None:
        base = self._base("ospf", family)
        if value is None or base is None:
            return None
        number = int(value)
        entry = self._entry(path)
        shown = Address(4, number)
        return (
            DataEdit(self.device.name, self.file, path),
            *self._set(
                f"{base}/areas/area[area-id='{shown}']/interfaces/interface[name='{interface}']",
                {k: v for k, v in entry.items() if k != "name"},
            ),
        )

    def _entry(self, path: str) -> dict[str, Any]:
        node = at_path(parse_data(self.files[self.file]), path)
        found = plain(node) if node is not None else {}
        return found if isinstance(found, dict) else {}

    def cover(
        self,
        protocol: str,
        family: int,
        interface: Interface,
        prefix: Prefix,
        area: int,
        number: int | None = None,
    ) -> Edits | None:
        base = self._base(protocol, family)
        if base is None:
            return None
        if protocol == "ospf":
            path = f"{base}/areas/area[area-id='{Address(4, area)}']/interfaces/interface"
            return self._set(f"{path}[name='{interface.name}']/enabled", True)
        key = "interface" if protocol == "rip" else "name"
        return self._set(f"{base}/interfaces/interface[{key}='{interface.name}']", {})

    def router_id(self, protocol: str, family: int, value: Address) -> Edits | None:
        base = self._base(protocol, family)
        leaf = "explicit-router-id" if protocol == "ospf" else "router-id"
        return None if base is None else self._set(f"{base}/{leaf}", str(value))

    def area_kind(self, family: int, area: int, kind: str, summaries: bool) -> Edits | None:
        process = next((p for p in self.device.routing.ospf if p.family == family), None)
        base = self._base("ospf", family)
        if not isinstance(process, OspfProcess) or base is None:
            return None
        named = {"stub": "stub-area", "nssa": "nssa-area", "normal": "normal-area"}[kind]
        path = f"{base}/areas/area[area-id='{Address(4, area)}']"
        edits = self._set(f"{path}/area-type", f"ietf-ospf:{named}")
        held = process.areas.get(area)
        if kind != "normal" and summaries != (held is None or held.summaries):
            edits = (*edits, *self._set(f"{path}/summary", summaries))
        return edits

    def list_neighbour(self, interface: str, address: Address) -> Edits | None:
        path = self._ospf_interface(4, interface)
        if path is None:
            return None
        return self._set(f"{path}/static-neighbors/neighbor[identifier='{address}']", {})

    def virtual_link(self, family: int, link: VirtualLink) -> Edits | None:
        base = self._base("ospf", family)
        if base is None or link.authentication is not None:
            return None  # with keys it is for a person to write
        path = f"{base}/areas/area[area-id='0.0.0.0']/virtual-links/virtual-link"
        entry: dict[str, Any] = {}
        for leaf, value in (("hello-interval", link.hello), ("dead-interval", link.dead)):
            if value is not None:
                entry[leaf] = value.value
        return self._set(
            f"{path}[transit-area-id='{dotted(link.area)}'][router-id='{dotted(link.neighbour)}']",
            entry,
        )

    def redistribute(
        self, protocol: str, family: int, what: str, like: Redistribution | None
    ) -> Edits | None:
        base = self._base(protocol, family)
        if base is None:
            return None
        if protocol == "rip":
            return self._into_rip(base, family, what, like)
        if protocol == "bgp":
            base += f"/address-family[name='ipv{family}-unicast']"
        value: dict[str, Any] = {}
        if like is not None:
            for name, held in (
                ("metric", like.metric),
                ("metric-type", like.metric_type),
                ("policy", like.route_map),
            ):
                if held is not None:
                    value[name] = held
        return self._set(f"{base}/trochos-policy:redistribution[protocol='{what}']", value)

    def _into_rip(
        self, base: str, family: int, what: str, like: Redistribution | None
    ) -> Edits | None:
        """RIP's own module lists what it takes by instance (RFC 8695, section 2.4)."""
        value: dict[str, Any] = {}
        if like is not None and like.metric is not None:
            value["metric"] = like.metric
        if like is not None and like.route_map is not None:
            value["route-policy"] = like.route_map
        base += "/redistribute"
        if what in ("connected", "static"):
            return self._set(f"{base}/{what}", value)
        routing = self.device.routing
        if what == "bgp" and routing.bgp is not None:
            return self._set(f"{base}/bgp[asn='{routing.bgp.number}']", value)
        if what == "ospf":
            module = "ospfv2" if family == 4 else "ospfv3"
            named = re.search(r"\[name='([^']*)'\]/[^/]*$", self._base("ospf", family) or "")
            if named is not None:
                return self._set(f"{base}/{module}[instance='{named.group(1)}']", value)
        return None

    def default_route(self, protocol: str, family: int) -> Edits | None:
        base = self._base(protocol, family)
        if base is None:
            return None
        if protocol == "rip":
            return self._set(f"{base}/originate-default-route/enabled", True)
        if protocol == "ospf":
            return self._set(f"{base}/trochos-policy:default-route", {"always": False})
        return None

    def system_number(self, number: int) -> Edits | None:
        base = self._base("eigrp", 4)
        return None if base is None else self._set(f"{base}/autonomous-system", number)

    def weights(self, values: tuple[int, ...] | None) -> Edits | None:
        base = self._base("eigrp", 4)
        if base is None:
            return None
        if values is None:
            return (DataEdit(self.device.name, self.file, f"{base}/k-values"),)
        named = {f"k{n}": k for n, k in enumerate(values[:5], 1)}
        return self._set(f"{base}/k-values", named)

    # -- BGP ---------------------------------------------------------------------------------

    def neighbour_setting(
        self, peer: Address | str, what: str, value: str | None, family: int | None = None
    ) -> Edits | None:
        base = self._base("bgp", 4)
        if base is None or isinstance(peer, str):
            return None
        path = f"{base}/neighbor[remote-address='{peer}']"
        typed: Any = value
        if what in _NUMBERS and value is not None:
            typed = int(value)
        if what == "shutdown":
            return self._set(f"{path}/enabled", value is None)
        if what == "active":
            return self._set(f"{path}/address-family[name='ipv{family}-unicast']/enabled", True)
        if what in _NEIGHBOUR:
            path = f"{path}/{_NEIGHBOUR[what]}"
        elif what in _NEIGHBOUR_FAMILY and family is not None:
            leaf = _NEIGHBOUR_FAMILY[what]
            path = f"{path}/address-family[name='ipv{family}-unicast']/{leaf}"
            if what in ("next hop self", "client") and value is not None:
                typed = True
        else:
            return None
        if value is None:
            return (DataEdit(self.device.name, self.file, path),)
        return self._set(path, typed)

    def rename_neighbour(self, old: Address, new: Address) -> Edits | None:
        base = self._base("bgp", 4)
        if base is None:
            return None
        entry = self._entry(f"{base}/neighbor[remote-address='{old}']")
        rest = {k: v for k, v in entry.items() if k != "remote-address"}
        return (
            DataEdit(self.device.name, self.file, f"{base}/neighbor[remote-address='{old}']"),
            *self._set(f"{base}/neighbor[remote-address='{new}']", rest),
        )

    def add_neighbour(self, peer: Address, number: int, like: BgpNeighbour | None) -> Edits | None:
        base = self._base("bgp", 4)
        if base is None:
            return None
        value: dict[str, Any] = {}
        if like is not None and like.address is not None:
            value = self._entry(f"{base}/neighbor[remote-address='{like.address}']")
            value = {k: v for k, v in value.items() if k not in ("remote-address", "description")}
        value["peer-as"] = number
        if "address-family" not in value:
            value["address-family"] = [{"name": f"ipv{peer.family}-unicast"}]
        return self._set(f"{base}/neighbor[remote-address='{peer}']", value)

    def start_bgp(
        self, number: int, peers: tuple[Peer, ...], networks: tuple[Prefix, ...], lax: bool
    ) -> Edits | None:
        neighbours = []
        for peer in peers:
            family: dict[str, Any] = {"name": f"ipv{peer.address.family}-unicast"}
            if peer.next_hop_self:
                family["next-hop-self"] = True
            entry: dict[str, Any] = {"remote-address": str(peer.address), "peer-as": peer.number}
            if peer.source is not None:
                entry["source"] = next(
                    str(fact.address)
                    for fact in peer.source.addresses
                    if fact.address.family == peer.address.family
                )
            if peer.password is not None:
                entry["password"] = peer.password
            if peer.multihop is not None:
                entry["multihop"] = peer.multihop
            neighbours.append({**entry, "address-family": [family]})
        value: dict[str, Any] = {"as": number, "neighbor": neighbours}
        if lax:
            value["external-requires-policy"] = False
        families = sorted({p.family for p in networks} | {p.address.family for p in peers})
        value["address-family"] = [
            {
                "name": f"ipv{family}-unicast",
                "network": [{"prefix": str(p)} for p in networks if p.family == family],
            }
            for family in families
        ]
        path = f"{_PROTOCOLS}[type='trochos-bgp:bgp'][name='bgp']/trochos-bgp:bgp"
        return self._set(path, value)

    def bgp_network(self, prefix: Prefix) -> Edits | None:
        base = self._base("bgp", 4)
        if base is None:
            return None
        path = f"{base}/address-family[name='ipv{prefix.family}-unicast']/network"
        return self._set(f"{path}[prefix='{prefix}']", {})

    def no_external_policy(self) -> Edits | None:
        base = self._base("bgp", 4)
        return None if base is None else self._set(f"{base}/external-requires-policy", False)

    # -- policy -------------------------------------------------------------------------------

    def permit_instead(self, source: Source) -> Edits | None:
        if source.path is None or source.default:
            return None
        entry = re.sub(r"(\])/[^\]/]+$", r"\1", source.path)
        if self._entry(entry).get("action") != "deny":
            return None
        return (DataEdit(source.device, source.file, f"{entry}/action", "deny", "permit"),)

    def list_entry(
        self, kind: str, name: str, old: PrefixRule | None, prefix: Prefix, permit: bool
    ) -> Edits | None:
        if kind != "prefix":
            return None
        if old is not None:
            if old.source.path is None:
                return None
            path = old.source.path
            return (
                DataEdit(old.source.device, old.source.file, path, str(old.prefix), str(prefix)),
            )
        held = self.device.policy.prefix_lists.get((prefix.family, name), ())
        lowest = min((rule.sequence for rule in held), default=10)
        base = f"/ietf-routing:routing/trochos-policy:policy/prefix-list[name='{name}']"
        path = f"{base}/entry[sequence='{max(1, lowest - 1)}']"
        value = {"action": "permit" if permit else "deny", "prefix": str(prefix)}
        return self._set(path, value)
