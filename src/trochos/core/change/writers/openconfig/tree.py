"""Devices given as OpenConfig data: edits by path.

A list's entry has its keys twice, beside its `config` and inside; whoever makes one says both.
"""

from __future__ import annotations

import re
from typing import Any

from ....network.addressing import Address, InterfaceAddress, Prefix
from ....network.edits import DataEdit, Edit
from ....network.facts import AddressFact, Interface, Source, StaticRoute
from ....network.policy import PrefixRule
from ....readers.located import Node, parse_data
from ...data import plain
from ...paths import at_path, down, steps_of, wrapped
from ..base import Edits, Writer

INSTANCES = "/openconfig-network-instance:network-instances/network-instance"
POLICIES = "/openconfig-routing-policy:routing-policy"
TYPES = "openconfig-policy-types"


class OpenConfigWriter(Writer):
    """Edits of OpenConfig data (RFC 7951 paths)."""

    sources_by_interface = False

    # -- places --------------------------------------------------------------------------

    @property
    def instance(self) -> str:
        """The path of the device's network instance."""
        name = self.device.instance
        if not name:
            for file in self.files:
                for entry in self.nodes(INSTANCES.rpartition("/")[0] + "/network-instance", file):
                    held = _plain(entry)
                    kind = str(held.get("config", {}).get("type", ""))
                    if held.get("name") == "default" or kind.endswith("DEFAULT_INSTANCE"):
                        name = str(held.get("name"))
        return f"{INSTANCES}[name='{name or 'default'}']"

    def nodes(self, path: str, file: str) -> list[Node]:
        try:
            found = at_path(parse_data(self.files[file]), path)
        except ValueError:
            return []
        return found.elements() if found is not None else []

    def file_for(self, path: str) -> str:
        """The file that holds the place of a path, or what comes nearest to it."""
        best, depth = self.device.main_file or "openconfig.json", -1
        for file, text in self.files.items():
            try:
                root = parse_data(text)
            except ValueError:
                continue
            here: Node | None = wrapped(root)
            found = 0
            for step in steps_of(path):
                here = down(here, step) if here is not None else None
                if here is None:
                    break
                found += 1
            if found > depth and found:
                best, depth = file, found
        return best

    def set(self, path: str, value: Any, source: Source | None = None) -> Edits:
        file = source.file if source is not None else self.file_for(path)
        return (DataEdit(self.device.chassis, file, path, None, value),)

    def gone(self, path: str) -> Edits:
        return (DataEdit(self.device.chassis, self.file_for(path), path),)

    def entry(self, path: str) -> dict[str, Any]:
        node = at_path(parse_data(self.files[self.file_for(path)]), path)
        found = plain(node) if node is not None else {}
        return found if isinstance(found, dict) else {}

    # -- what every language says -------------------------------------------------------------

    def drop(self, source: Source) -> Edits | None:
        if source.path is None or source.default or source.missing:
            return None
        return (DataEdit(source.device, source.file, source.path),)

    def enable(self, interface: Interface) -> Edits | None:
        source = interface.enabled_source
        if source is None or source.path is None or source.default:
            return None
        return (DataEdit(source.device, source.file, source.path, False, True),)

    def _subinterface(self, interface: Interface) -> str | None:
        path = interface.source.path if interface.source is not None else None
        if path is None:
            return None
        return path if "/subinterface[" in path else f"{path}/subinterfaces/subinterface[index='0']"

    def address(
        self, interface: Interface, old: AddressFact | None, new: InterfaceAddress
    ) -> Edits | None:
        if old is not None and old.source.path is not None and old.address == new.address:
            path = f"{old.source.path}/config/prefix-length"
            where = old.source
            return (DataEdit(where.device, where.file, path, old.value.length, new.length),)
        base = self._subinterface(interface)
        if base is None:
            return None
        out: list[Edit] = []
        if old is not None:
            out += self.drop(old.source) or ()
        if not self.entry(base):
            out += self.set(base, {"config": {"index": 0}})
        path = f"{base}/openconfig-if-ip:ipv{new.address.family}/addresses/address"
        value = {"config": {"ip": str(new.address), "prefix-length": new.length}}
        out += self.set(f"{path}[ip='{new.address}']", value)
        return tuple(out)

    # -- static routes -------------------------------------------------------------------------

    def _statics(self) -> str:
        for route in self.device.statics:
            found = re.match(r"(.*/static-routes)/static\[", route.source.path or "")
            if found is not None:
                return found.group(1)
        kind = f"[identifier='{TYPES}:STATIC'][name='static']"
        return f"{self.instance}/protocols/protocol{kind}/static-routes"

    def _missing_protocol(self, path: str) -> Edits:
        """The list's entry that a path goes through, where it is not there yet."""
        found = re.match(r"(.*/protocol\[identifier='([^']*)'\]\[name='([^']*)'\])", path)
        if found is None or self.entry(found.group(1)):
            return ()
        keys = {"identifier": found.group(2), "name": found.group(3)}
        return self.set(found.group(1), {"config": keys})

    @staticmethod
    def _hop(index: str, gateway: Address, distance: int, exit: str | None) -> dict[str, Any]:
        config: dict[str, Any] = {"index": index, "next-hop": str(gateway)}
        if distance != 1:
            config["preference"] = distance
        out: dict[str, Any] = {"config": config}
        if exit is not None:
            out["interface-ref"] = {"config": reference(exit)}
        return out

    def static(
        self, prefix: Prefix, gateway: Address, distance: int = 1, exit: str | None = None
    ) -> Edits | None:
        base = self._statics()
        path = f"{base}/static[prefix='{prefix}']"
        standing = self.entry(path)
        hops = standing.get("next-hops", {}).get("next-hop", [])
        taken = {str(hop.get("index")) for hop in hops}
        index = next(str(n) for n in range(1, len(taken) + 2) if str(n) not in taken)
        hop = self._hop(index, gateway, distance, exit)
        if standing:
            return self.set(f"{path}/next-hops/next-hop[index='{index}']", hop)
        hop = {"index": index, **hop}
        value = {"config": {"prefix": str(prefix)}, "next-hops": {"next-hop": [hop]}}
        return (*self._missing_protocol(path), *self.set(path, value))

    def drop_static(self, route: StaticRoute) -> Edits | None:
        path = route.source.path
        if path is None:
            return None
        above = re.match(r"(.*/static\[prefix='[^']*'\])/next-hops/", path)
        if above is not None:
            hops = self.entry(above.group(1)).get("next-hops", {}).get("next-hop", [])
            if len(hops) == 1:
                path = above.group(1)
        return (DataEdit(route.source.device, route.source.file, path),)

    def move_static(self, route: StaticRoute, gateway: Address) -> Edits | None:
        path = route.source.path
        if path is None:
            return None
        held = self.entry(path)
        leaf = f"{path}/config/next-hop"
        old = held.get("config", {}).get("next-hop")
        if old is None or "interface-ref" in held:
            index = str(held.get("index", "1"))
            hop = {"index": index, **self._hop(index, gateway, route.distance, None)}
            return (DataEdit(route.source.device, route.source.file, path, None, hop),)
        return (DataEdit(route.source.device, route.source.file, leaf, old, str(gateway)),)

    # -- policy --------------------------------------------------------------------------------

    def permit_instead(self, source: Source) -> Edits | None:
        if source.path is None or source.default:
            return None
        path = f"{source.path}/actions/config/policy-result"
        if (
            self.entry(source.path).get("actions", {}).get("config", {}).get("policy-result")
            != "REJECT_ROUTE"
        ):
            return None
        return (DataEdit(source.device, source.file, path, "REJECT_ROUTE", "ACCEPT_ROUTE"),)

    def list_entry(
        self, kind: str, name: str, old: PrefixRule | None, prefix: Prefix, permit: bool
    ) -> Edits | None:
        if kind != "prefix" or not permit or name.startswith("not "):
            return None
        out: list[Edit] = []
        span = "exact"
        if old is not None and old.source.path is not None:
            found = re.match(r"(.*/prefix\[[^\]]*\]\[[^\]]*\])", old.source.path)
            if found is None:
                return None
            if old.prefix is not None and (old.least, old.most) != (old.prefix.length,) * 2:
                span = f"{old.least}..{old.most}"
            out.append(DataEdit(old.source.device, old.source.file, found.group(1)))
        path = f"{POLICIES}/defined-sets/prefix-sets/prefix-set[name='{name}']/prefixes/prefix"
        keys = {"ip-prefix": str(prefix), "masklength-range": span}
        where = f"{path}[ip-prefix='{prefix}'][masklength-range='{span}']"
        return (*out, *self.set(where, {"config": keys}))

    # -- routing instances -----------------------------------------------------------------------

    def interface_into(self, interface: Interface, instance: str) -> Edits | None:
        name = reference(interface.name)
        key = interface.name
        out: list[Edit] = []
        source = interface.vrf_source
        if source is not None and source.path is not None:
            found = re.match(r"(.*/interfaces/interface\[[^\]]*\])", source.path)
            if found is not None:
                out.append(DataEdit(source.device, source.file, found.group(1)))
        elif self.device.instance:
            held = f"{self.instance}/interfaces/interface[id='{key}']"
            if self.entry(held):
                out += self.gone(held)
        if instance:
            path = f"{INSTANCES}[name='{instance}']/interfaces/interface[id='{key}']"
            out += self.set(path, {"config": {"id": key, **name}})
        return tuple(out) or None


def _plain(node: Node) -> dict[str, Any]:
    found = plain(node)
    return found if isinstance(found, dict) else {}


def reference(name: str) -> dict[str, Any]:
    """An interface as a reference names it."""
    head, dot, tail = name.rpartition(".")
    if dot and tail.isdigit():
        return {"interface": head, "subinterface": int(tail)}
    return {"interface": name, "subinterface": 0}
