"""OSPF in OpenConfig data."""

from __future__ import annotations

from typing import Any

from ....network.addressing import Address, Prefix
from ....network.facts import Interface
from ..base import Edits
from ..ospf import OspfPart
from .part import OpenPart
from .tree import reference

_LEAVES = {
    "hello": "timers/config/hello-interval",
    "dead": "timers/config/dead-interval",
    "cost": "config/metric",
    "priority": "config/priority",
    "passive": "config/passive",
    "network type": "config/network-type",
}
_NUMBERS = ("hello", "dead", "cost", "priority")


class OspfOpen(OpenPart, OspfPart):
    """`openconfig-ospfv2`: settings of interfaces stand inside their areas."""

    identity = "OSPF"
    container = "ospfv2"

    def _interface(self, family: int, name: str) -> str | None:
        process = self.process(family)
        settings = process.interfaces.get(name) if process is not None else None
        if settings is None or settings.area is None or self.base(family) is None:
            return None
        return settings.area.source.path

    def interface_setting(
        self, family: int, interface: str, what: str, value: str | None
    ) -> Edits | None:
        path = self._interface(family, interface)
        if path is None:
            return None
        if what == "area":
            return self._move_area(family, interface, path, value)
        if what == "authentication":
            where = f"{path}/config/authentication-type"
            if value in (None, "none"):
                return self.writer.gone(where)
            return self.writer.set(where, "MD5" if value == "message-digest" else "SIMPLE")
        leaf = _LEAVES.get(what)
        if leaf is None:
            return None  # keys have no place in the model
        if value is None:
            return self.writer.gone(f"{path}/{leaf}")
        typed: Any = int(value) if what in _NUMBERS else value
        if what == "passive":
            typed = True
        if what == "network type":
            typed = f"openconfig-ospf-types:{value.upper().replace('-', '_')}_NETWORK"
        return self.writer.set(f"{path}/{leaf}", typed)

    def _place(self, base: str, area: int, interface: str) -> str:
        """The list's entry of an interface in an area, as the device writes areas."""
        shown = str(Address(4, area))
        for entry in self.writer.entry(base).get("areas", {}).get("area", []):
            held = str(entry.get("identifier"))
            if held.isdigit() and int(held) == area:
                shown = held
        return f"{base}/areas/area[identifier='{shown}']/interfaces/interface[id='{interface}']"

    def _area(self, base: str, place: str) -> Edits:
        """The area itself, where it is not there yet."""
        path = place.partition("/interfaces/")[0]
        if self.writer.entry(path):
            return ()
        number = path.rpartition("identifier='")[2].removesuffix("']")
        return self.writer.set(path, {"config": {"identifier": number}})

    def _move_area(self, family: int, interface: str, path: str, value: str | None) -> Edits | None:
        base = self.base(family)
        if value is None or base is None:
            return None
        key = path.rpartition("[id='")[2].removesuffix("']")
        entry = {k: v for k, v in self.writer.entry(path).items() if k != "id"}
        place = self._place(base, int(value), key)
        made = self._area(base, place)
        return (*self.writer.gone(path), *made, *self.writer.set(place, entry))

    def cover(
        self,
        family: int,
        interface: Interface,
        prefix: Prefix,
        area: int = 0,
        number: int | None = None,
    ) -> Edits | None:
        base = self.base(family)
        if base is None or family != 4:
            return None
        place = self._place(base, area, interface.name)
        value = {
            "config": {"id": interface.name},
            "interface-ref": {"config": reference(interface.name)},
        }
        return (*self._area(base, place), *self.writer.set(place, value))

    def router_id(self, family: int, value: Address) -> Edits | None:
        base = self.base(family)
        return (
            None if base is None else self.writer.set(f"{base}/global/config/router-id", str(value))
        )
