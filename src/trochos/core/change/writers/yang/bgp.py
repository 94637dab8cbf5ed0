"""BGP in YANG data (yang/trochos-bgp.yang)."""

from __future__ import annotations

from typing import Any

from ....network.addressing import Address, Prefix
from ....network.bgp import BgpNeighbour, BgpProcess
from ....network.edits import DataEdit
from ....network.routing import Redistribution
from ..base import Edits
from ..bgp import BgpPart, Peer
from .part import YangPart

_NUMBERS = ("remote AS", "multihop", "maximum", "own AS")
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


class BgpTree(YangPart, BgpPart):
    """`trochos-bgp`."""

    module = "trochos-bgp:bgp"

    def neighbour_setting(
        self, peer: Address | str, what: str, value: str | None, family: int | None = None
    ) -> Edits | None:
        base = self.base(4)
        if base is None or isinstance(peer, str):
            return None
        path = f"{base}/neighbor[remote-address='{peer}']"
        typed: Any = value
        if what in _NUMBERS and value is not None:
            typed = int(value)
        if what == "shutdown":
            return self.writer.set(f"{path}/enabled", value is None)
        if what == "active":
            return self.writer.set(
                f"{path}/address-family[name='ipv{family}-unicast']/enabled", True
            )
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
            return (DataEdit(self.device.chassis, self.writer.file, path),)
        return self.writer.set(path, typed)

    def rename_neighbour(self, old: Address, new: Address) -> Edits | None:
        base = self.base(4)
        if base is None:
            return None
        entry = self.writer.entry(f"{base}/neighbor[remote-address='{old}']")
        rest = {k: v for k, v in entry.items() if k != "remote-address"}
        return (
            DataEdit(
                self.device.chassis, self.writer.file, f"{base}/neighbor[remote-address='{old}']"
            ),
            *self.writer.set(f"{base}/neighbor[remote-address='{new}']", rest),
        )

    def add_neighbour(self, peer: Address, number: int, like: BgpNeighbour | None) -> Edits | None:
        base = self.base(4)
        if base is None:
            return None
        value: dict[str, Any] = {}
        if like is not None and like.address is not None:
            value = self.writer.entry(f"{base}/neighbor[remote-address='{like.address}']")
            value = {k: v for k, v in value.items() if k not in ("remote-address", "description")}
        value["peer-as"] = number
        if "address-family" not in value:
            value["address-family"] = [{"name": f"ipv{peer.family}-unicast"}]
        return self.writer.set(f"{base}/neighbor[remote-address='{peer}']", value)

    def start(
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
        path = f"{self.writer.protocols}[type='trochos-bgp:bgp'][name='bgp']/trochos-bgp:bgp"
        return self.writer.set(path, value)

    def announce(self, prefix: Prefix) -> Edits | None:
        base = self.base(4)
        if base is None:
            return None
        path = f"{base}/address-family[name='ipv{prefix.family}-unicast']/network"
        return self.writer.set(f"{path}[prefix='{prefix}']", {})

    def renumber(self, number: int) -> Edits | None:
        base = self.base(4)
        return None if base is None else self.writer.set(f"{base}/as", number)

    def no_external_policy(self) -> Edits | None:
        base = self.base(4)
        return None if base is None else self.writer.set(f"{base}/external-requires-policy", False)

    def redistribute(self, family: int, what: str, like: Redistribution | None) -> Edits | None:
        base = self.base(family)
        if base is None:
            return None
        return self._into(f"{base}/address-family[name='ipv{family}-unicast']", what, like)

    def redistributed_as(self, family: int) -> str | None:
        process = self.device.routing.one(BgpProcess)
        return None if process is None else f"bgp[asn='{process.number}']"
