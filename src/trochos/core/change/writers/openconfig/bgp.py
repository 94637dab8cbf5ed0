"""BGP in OpenConfig data."""

from __future__ import annotations

from typing import Any

from ....network.addressing import Address, Prefix
from ....network.bgp import BgpNeighbour, BgpProcess
from ..base import Edits
from ..bgp import BgpPart, Peer
from .part import OpenPart
from .tree import POLICIES, TYPES

_NUMBERS = ("remote AS", "own AS", "maximum")
_NEIGHBOUR = {
    "remote AS": "config/peer-as",
    "password": "config/auth-password",
    "source": "transport/config/local-address",
    "passive": "transport/config/passive-mode",
    "client": "route-reflector/config/route-reflector-client",
    "own AS": "as-path-options/config/allow-own-as",
}


class BgpOpen(OpenPart, BgpPart):
    """`openconfig-bgp`."""

    identity = "BGP"
    container = "bgp"

    def _neighbour(self, peer: Address | str) -> str | None:
        base = self.base(4)
        if base is None or isinstance(peer, str):
            return None
        return f"{base}/neighbors/neighbor[neighbor-address='{peer}']"

    def _family(self, path: str, family: int | None) -> str:
        """The entry of a family below a neighbour, as it is written there."""
        name = f"openconfig-bgp-types:IPV{family}_UNICAST"
        for entry in self.writer.entry(path).get("afi-safis", {}).get("afi-safi", []):
            held = str(entry.get("afi-safi-name"))
            if held.rpartition(":")[2] == f"IPV{family}_UNICAST":
                name = held
        return f"{path}/afi-safis/afi-safi[afi-safi-name='{name}']"

    def neighbour_setting(
        self, peer: Address | str, what: str, value: str | None, family: int | None = None
    ) -> Edits | None:
        path = self._neighbour(peer)
        if path is None:
            return None
        if what == "shutdown":
            return self.writer.set(f"{path}/config/enabled", value is None)
        if what == "multihop":
            if value is None:
                return self.writer.gone(f"{path}/ebgp-multihop")
            config = {"enabled": True, "multihop-ttl": int(value)}
            return self.writer.set(f"{path}/ebgp-multihop", {"config": config})
        if what == "active":
            entry = self._family(path, family)
            if self.writer.entry(entry):
                return self.writer.set(f"{entry}/config/enabled", True)
            name = entry.rpartition("afi-safi-name='")[2].removesuffix("']")
            return self.writer.set(entry, {"config": {"afi-safi-name": name, "enabled": True}})
        if what == "maximum":
            leaf = f"{self._family(path, family)}/ipv{family}-unicast/prefix-limit"
            if value is None:
                return self.writer.gone(leaf)
            return self.writer.set(f"{leaf}/config/max-prefixes", int(value))
        if what in ("policy in", "policy out"):
            side = "import" if what == "policy in" else "export"
            leaf = f"{self._family(path, family)}/apply-policy/config/{side}-policy"
            if value is None:
                # Without a policy nothing is let through unless that is said.
                default = leaf.replace(f"/{side}-policy", f"/default-{side}-policy")
                held = self.writer.entry(leaf.rpartition("/")[0])
                gone = self.writer.gone(leaf) if f"{side}-policy" in held else ()
                return (*gone, *self.writer.set(default, "ACCEPT_ROUTE"))
            return self.writer.set(leaf, [value])
        if what == "next hop self":
            return self._next_hop_self(path, family)
        place = _NEIGHBOUR.get(what)
        if place is None:
            return None
        if value is None:
            return self.writer.gone(f"{path}/{place}")
        typed: Any = int(value) if what in _NUMBERS else value
        if what in ("passive", "client"):
            typed = True
        return self.writer.set(f"{path}/{place}", typed)

    def _next_hop_self(self, path: str, family: int | None) -> Edits | None:
        """A policy of its own before those that are there."""
        name = "next hop self"
        definition = f"{POLICIES}/policy-definitions/policy-definition[name='{name}']"
        out: Edits = ()
        if not self.writer.entry(definition):
            change = {"config": {"set-next-hop": "SELF"}}
            actions = {
                "config": {"policy-result": "ACCEPT_ROUTE"},
                "openconfig-bgp-policy:bgp-actions": change,
            }
            statement = {"name": "10", "config": {"name": "10"}, "actions": actions}
            value = {"config": {"name": name}, "statements": {"statement": [statement]}}
            out = self.writer.set(definition, value)
        leaf = f"{self._family(path, family)}/apply-policy/config/export-policy"
        held = self.writer.entry(leaf.rpartition("/")[0]).get("export-policy")
        return None if held else (*out, *self.writer.set(leaf, [name]))

    def rename_neighbour(self, old: Address, new: Address) -> Edits | None:
        path, there = self._neighbour(old), self._neighbour(new)
        if path is None or there is None:
            return None
        entry = {k: v for k, v in self.writer.entry(path).items() if k != "neighbor-address"}
        entry["config"] = {**entry.get("config", {}), "neighbor-address": str(new)}
        return (*self.writer.gone(path), *self.writer.set(there, entry))

    def add_neighbour(self, peer: Address, number: int, like: BgpNeighbour | None) -> Edits | None:
        path = self._neighbour(peer)
        if path is None:
            return None
        value: dict[str, Any] = {}
        if like is not None and like.address is not None:
            value = self.writer.entry(self._neighbour(like.address) or "")
            value = {k: v for k, v in value.items() if k != "neighbor-address"}
        config = {k: v for k, v in value.get("config", {}).items() if k != "description"}
        value["config"] = {**config, "neighbor-address": str(peer), "peer-as": number}
        if "afi-safis" not in value:
            name = f"openconfig-bgp-types:IPV{peer.family}_UNICAST"
            inner = {"afi-safi-name": name, "enabled": True}
            value["afi-safis"] = {"afi-safi": [{"afi-safi-name": name, "config": inner}]}
        return self.writer.set(path, value)

    def start(
        self, number: int, peers: tuple[Peer, ...], networks: tuple[Prefix, ...], lax: bool
    ) -> Edits | None:
        return None  # a speaker with its policies is for a person to write

    def announce(self, prefix: Prefix) -> Edits | None:
        """A prefix that the table holds: taken over from the protocol that it is from."""
        process = self.device.routing.one(BgpProcess)
        if process is None:
            return None
        own = [r for r in self.device.statics if r.prefix == prefix]
        word = "STATIC" if own else "DIRECTLY_CONNECTED"
        name = f"announce {prefix}"
        out: Edits = ()
        sets = f"{POLICIES}/defined-sets/prefix-sets/prefix-set[name='{name}']"
        keys = {"ip-prefix": str(prefix), "masklength-range": "exact"}
        out += self.writer.set(
            sets,
            {"config": {"name": name}, "prefixes": {"prefix": [{**keys, "config": keys}]}},
        )
        actions = {
            "config": {"policy-result": "ACCEPT_ROUTE"},
            "openconfig-bgp-policy:bgp-actions": {"config": {"set-route-origin": "IGP"}},
        }
        statement = {
            "name": "10",
            "config": {"name": "10"},
            "conditions": {"match-prefix-set": {"config": {"prefix-set": name}}},
            "actions": actions,
        }
        out += self.writer.set(
            f"{POLICIES}/policy-definitions/policy-definition[name='{name}']",
            {"config": {"name": name}, "statements": {"statement": [statement]}},
        )
        ends = {
            "src-protocol": f"{TYPES}:{word}",
            "dst-protocol": f"{TYPES}:BGP",
            "address-family": f"openconfig-types:IPV{prefix.family}",
        }
        shown = "".join(f"[{key}='{value}']" for key, value in ends.items())
        path = f"{self.writer.instance}/table-connections/table-connection{shown}"
        held = self.writer.entry(path)
        if held:
            listed = held.get("config", {}).get("import-policy", [])
            return (*out, *self.writer.set(f"{path}/config/import-policy", [*listed, name]))
        return (*out, *self.writer.set(path, {"config": {**ends, "import-policy": [name]}}))

    def renumber(self, number: int) -> Edits | None:
        base = self.base(4)
        return None if base is None else self.writer.set(f"{base}/global/config/as", number)

    def router_id(self, family: int, value: Address) -> Edits | None:
        base = self.base(4)
        return (
            None if base is None else self.writer.set(f"{base}/global/config/router-id", str(value))
        )

    def no_external_policy(self) -> Edits | None:
        """Says of every neighbour without a policy that all is let through."""
        process = self.device.routing.one(BgpProcess)
        out: Edits = ()
        for neighbour in process.neighbours if process is not None else ():
            path = self._neighbour(neighbour.address) if neighbour.address is not None else None
            for family, spoken in neighbour.families.items() if path is not None else ():
                entry = self._family(path or "", family)
                missing = {
                    f"default-{side}-policy": "ACCEPT_ROUTE"
                    for side, held in (
                        ("import", spoken.route_map_in),
                        ("export", spoken.route_map_out),
                    )
                    if held is None
                }
                if missing and self.writer.entry(entry):
                    for leaf, word in missing.items():
                        out += self.writer.set(f"{entry}/apply-policy/config/{leaf}", word)
        return out or None
