"""IS-IS in OpenConfig data."""

from __future__ import annotations

from typing import ClassVar

from ....network.addressing import Prefix
from ....network.facts import Interface, Source
from ....network.isis import IsisProcess
from ..base import Edits
from .part import OpenPart
from .tree import reference

_KINDS = {
    "level-1": "LEVEL_1",
    "level-2-only": "LEVEL_2",
    "level-2": "LEVEL_2",
    "level-1-2": "LEVEL_1_2",
}


class IsisOpen(OpenPart):
    """`openconfig-isis`."""

    protocol: ClassVar[str] = IsisProcess.protocol
    identity = "ISIS"
    container = "isis"

    def _entry(self, interface: str) -> str | None:
        for process in self.device.routing.of(IsisProcess):
            held = process.interfaces.get(interface)
            for source in held.taken_in.values() if held is not None else ():
                return (source.path or "").partition("/afi-safi/")[0]
        return None

    def interface_setting(
        self, family: int, interface: str, what: str, value: str | None
    ) -> Edits | None:
        path = self._entry(interface)
        if path is None:
            return None
        if what == "network type":
            leaf = f"{path}/config/circuit-type"
            if value is None:
                return self.writer.gone(leaf)
            word = "POINT_TO_POINT" if value == "point-to-point" else "BROADCAST"
            return self.writer.set(leaf, word)
        if what == "password":
            where = f"{path}/authentication"
            if value is None:
                return self.writer.gone(where)
            form, _, secret = value.partition(" ")
            return self.writer.set(where, {"config": _key(form, secret)})
        if what == "circuit type":
            return self._circuit(path, value)
        if what == "metric" and value is not None:
            return self._metric(path, int(value))
        return None

    def _circuit(self, path: str, value: str | None) -> Edits | None:
        levels = {"level-1": {1}, "level-2": {2}, "level-2-only": {2}}.get(value or "", {1, 2})
        held = self.writer.entry(path).get("levels", {}).get("level", [])
        known = {int(entry.get("level-number", 0)) for entry in held}
        out: Edits = ()
        for number in (1, 2):
            where = f"{path}/levels/level[level-number='{number}']"
            if number in known:
                out += self.writer.set(f"{where}/config/enabled", number in levels)
            elif number not in levels or len(levels) == 1:
                config = {"level-number": number, "enabled": number in levels}
                out += self.writer.set(where, {"level-number": number, "config": config})
        return out or None

    def _metric(self, path: str, value: int) -> Edits | None:
        out: Edits = ()
        for entry in self.writer.entry(path).get("levels", {}).get("level", []):
            base = f"{path}/levels/level[level-number='{entry.get('level-number')}']/afi-safi/af"
            for af in entry.get("afi-safi", {}).get("af", []):
                keys = f"[afi-name='{af.get('afi-name')}'][safi-name='{af.get('safi-name')}']"
                out += self.writer.set(f"{base}{keys}/config/metric", value)
        return out or None

    def whole_setting(self, family: int, what: str, value: str) -> Edits | None:
        base = self.base(family)
        if base is None:
            return None
        if what == "net":
            held = self.writer.entry(f"{base}/global/config").get("net", [])
            if held:
                return self.writer.set(f"{base}/global/config/net/0", value)
            return self.writer.set(f"{base}/global/config/net", [value])
        if what == "kind":
            return self.writer.set(f"{base}/global/config/level-capability", _KINDS[value])
        levels = self.writer.entry(f"{base}/levels").get("level", [])
        if what == "metric style":
            out: Edits = ()
            for entry in levels:
                where = f"{base}/levels/level[level-number='{entry.get('level-number')}']"
                out += self.writer.set(f"{where}/config/metric-style", f"{value.upper()}_METRIC")
            return out or None
        if what in ("area password", "domain password"):
            form, _, secret = value.partition(" ")
            number = 1 if what.startswith("area") else 2
            where = f"{base}/levels/level[level-number='{number}']"
            if not any(int(entry.get("level-number", 0)) == number for entry in levels):
                return None
            return self.writer.set(f"{where}/authentication", {"config": _key(form, secret)})
        return None

    def speak(self, family: int, interface: Interface, source: Source) -> Edits | None:
        return self.writer.drop(source)

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
        keys = {
            "afi-name": f"openconfig-isis-types:IPV{family}",
            "safi-name": "openconfig-isis-types:UNICAST",
        }
        af = {**keys, "config": {**keys, "enabled": True}}
        path = f"{base}/interfaces/interface[interface-id='{interface.name}']"
        if self.writer.entry(path):
            shown = "".join(f"[{key}='{value}']" for key, value in keys.items())
            rest = {k: v for k, v in af.items() if k == "config"}
            return self.writer.set(f"{path}/afi-safi/af{shown}", rest)
        value = {
            "config": {"interface-id": interface.name, "enabled": True},
            "afi-safi": {"af": [af]},
            "interface-ref": {"config": reference(interface.name)},
        }
        return self.writer.set(path, value)


def _key(form: str, secret: str) -> dict[str, object]:
    return {
        "enabled": True,
        "auth-mode": "MD5" if form == "md5" else "TEXT",
        "auth-type": "openconfig-keychain-types:SIMPLE_KEY",
        "auth-password": secret,
    }
