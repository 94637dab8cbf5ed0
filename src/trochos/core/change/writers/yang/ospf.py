"""OSPF in YANG data (RFC 9129)."""

from __future__ import annotations

import re
from typing import Any

from ....network.addressing import Address, Prefix, dotted
from ....network.edits import DataEdit
from ....network.facts import Interface
from ....network.ospf import OspfHabits, VirtualLink
from ..base import Edits
from ..ospf import OspfPart
from .part import YangPart

_LEAVES = {
    "hello": "hello-interval",
    "dead": "dead-interval",
    "cost": "cost",
    "priority": "priority",
    "passive": "passive",
    "ignore MTU": "mtu-ignore",
    "network type": "interface-type",
    "instance": "instance-id",
}
_NUMBERS = ("hello", "dead", "cost", "priority", "instance")


class OspfTree(YangPart, OspfPart):
    """`ietf-ospf`: settings of interfaces stand inside their areas."""

    module = "ietf-ospf:ospf"

    def _interface(self, family: int, name: str) -> str | None:
        process = self.process(family)
        settings = process.interfaces.get(name) if process is not None else None
        base = self.base(family)
        if process is None or base is None:
            return None
        if settings is not None and settings.area is not None and settings.area.source.path:
            return settings.area.source.path.removesuffix("/name")
        # One that it does not run on yet goes where all others are, if these are in one area.
        areas = {s.area.value for s in process.interfaces.values() if s.area is not None}
        if len(areas) != 1:
            return None
        area = Address(4, areas.pop())
        return f"{base}/areas/area[area-id='{area}']/interfaces/interface[name='{name}']"

    def interface_setting(
        self, family: int, interface: str, what: str, value: str | None
    ) -> Edits | None:
        path = self._interface(family, interface)
        if path is None:
            return None
        if what == "area":
            return self._move_area(family, interface, path, value)
        if what == "authentication":
            if value == "none" or value is None:
                return (DataEdit(self.device.chassis, self.writer.file, f"{path}/authentication"),)
            return ()  # the key says it
        if what == "key":
            return self.writer.set(f"{path}/authentication/ospfv2-key", value)
        if what.startswith("digest"):
            number = int(what.split()[1])
            return self.writer.set(
                f"{path}/authentication",
                {
                    "ospfv2-key-id": number,
                    "ospfv2-key": value,
                    "ospfv2-crypto-algorithm": "ietf-key-chain:md5",
                },
            )
        leaf = _LEAVES.get(what)
        if leaf is None:
            return None
        if value is None:
            return (DataEdit(self.device.chassis, self.writer.file, f"{path}/{leaf}"),)
        typed: Any = int(value) if what in _NUMBERS else value
        if what in ("passive", "ignore MTU"):
            typed = True
        if what == "network type" and value == "broadcast":
            typed = "broadcast"
        return self.writer.set(f"{path}/{leaf}", typed)

    def beside_dead(self, family: int, interface: str) -> Edits:
        # The model compares the two leaves (RFC 9129): one alone it does not take.
        path, process = self._interface(family, interface), self.process(family)
        settings = process.interfaces.get(interface) if process is not None else None
        if path is None or (settings is not None and settings.hello is not None):
            return ()
        hello = self.device.profile.habit(OspfHabits).hello
        return self.writer.set(f"{path}/{_LEAVES['hello']}", hello)

    def _move_area(self, family: int, interface: str, path: str, value: str | None) -> Edits | None:
        base = self.base(family)
        if value is None or base is None:
            return None
        number = int(value)
        entry = self.writer.entry(path)
        shown = Address(4, number)
        return (
            DataEdit(self.device.chassis, self.writer.file, path),
            *self.writer.set(
                f"{base}/areas/area[area-id='{shown}']/interfaces/interface[name='{interface}']",
                {k: v for k, v in entry.items() if k != "name"},
            ),
        )

    def area_kind(self, family: int, area: int, kind: str, summaries: bool) -> Edits | None:
        process = self.process(family)
        base = self.base(family)
        if process is None or base is None:
            return None
        named = {"stub": "stub-area", "nssa": "nssa-area", "normal": "normal-area"}[kind]
        path = f"{base}/areas/area[area-id='{Address(4, area)}']"
        edits = self.writer.set(f"{path}/area-type", f"ietf-ospf:{named}")
        held = process.areas.get(area)
        if kind != "normal" and summaries != (held is None or held.summaries):
            edits = (*edits, *self.writer.set(f"{path}/summary", summaries))
        return edits

    def list_neighbour(self, interface: str, address: Address) -> Edits | None:
        path = self._interface(4, interface)
        if path is None:
            return None
        return self.writer.set(f"{path}/static-neighbors/neighbor[identifier='{address}']", {})

    def virtual_link(self, family: int, link: VirtualLink) -> Edits | None:
        base = self.base(family)
        if base is None or link.authentication is not None:
            return None  # with keys it is for a person to write
        path = f"{base}/areas/area[area-id='0.0.0.0']/virtual-links/virtual-link"
        entry: dict[str, Any] = {}
        for leaf, value in (("hello-interval", link.hello), ("dead-interval", link.dead)):
            if value is not None:
                entry[leaf] = value.value
        return self.writer.set(
            f"{path}[transit-area-id='{dotted(link.area)}'][router-id='{dotted(link.neighbour)}']",
            entry,
        )

    def cover(
        self,
        family: int,
        interface: Interface,
        prefix: Prefix,
        area: int = 0,
        number: int | None = None,
    ) -> Edits | None:
        base = self.base(family)
        if base is None:
            return None
        path = f"{base}/areas/area[area-id='{Address(4, area)}']/interfaces/interface"
        return self.writer.set(f"{path}[name='{interface.name}']/enabled", True)

    def router_id(self, family: int, value: Address) -> Edits | None:
        base = self.base(family)
        return None if base is None else self.writer.set(f"{base}/explicit-router-id", str(value))

    def default_route(self, family: int) -> Edits | None:
        base = self.base(family)
        if base is None:
            return None
        return self.writer.set(f"{base}/trochos-policy:default-route", {"always": False})

    def redistributed_as(self, family: int) -> str | None:
        """The key of RIP's own list of what it takes of this protocol (RFC 8695, 2.4)."""
        named = re.search(r"\[name='([^']*)'\]/[^/]*$", self.base(family) or "")
        return (
            None
            if named is None
            else f"{('ospfv2', 'ospfv3')[family == 6]}[instance='{named.group(1)}']"
        )
