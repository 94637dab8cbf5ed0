"""IS-IS in YANG data (RFC 9130)."""

from __future__ import annotations

from typing import Any, ClassVar

from ....network.addressing import Prefix
from ....network.facts import Interface, Source
from ....network.isis import KINDS, IsisProcess
from ....network.routing import Redistribution
from ..base import Edits
from .part import YangPart

_KINDS = {
    "level-1": "level-1",
    "level-2-only": "level-2",
    "level-2": "level-2",
    "level-1-2": "level-all",
}
_STYLES = {"wide": "wide-only", "narrow": "old-only", "transition": "both"}


class IsisTree(YangPart):
    """`ietf-isis`, and what trochos-policy adds to it."""

    protocol: ClassVar[str] = IsisProcess.protocol
    module = "ietf-isis:isis"

    def interface_setting(
        self, family: int, interface: str, what: str, value: str | None
    ) -> Edits | None:
        base = self.base(family)
        if base is None:
            return None
        path = f"{base}/interfaces/interface[name='{interface}']"
        if what == "network type":
            leaf = f"{path}/interface-type"
            return self.gone(leaf) if value is None else self.writer.set(leaf, value)
        if what == "circuit type":
            return self.writer.set(f"{path}/level-type", _KINDS.get(value or "", "level-all"))
        if what == "metric" and value is not None:
            return self.writer.set(f"{path}/metric", {"value": int(value)})
        if what == "password":
            where = f"{path}/hello-authentication"
            return self.gone(where) if value is None else self.writer.set(where, _key(value))
        return None

    def whole_setting(self, family: int, what: str, value: str) -> Edits | None:
        base = self.base(family)
        if base is None:
            return None
        if what == "net":
            parts = value.split(".")
            wanted = {"area-address": [".".join(parts[:-4])], "system-id": ".".join(parts[-4:-1])}
            held = self.writer.entry(base)
            return tuple(
                edit
                for leaf, new in wanted.items()
                if held.get(leaf) != new
                for edit in self.writer.set(f"{base}/{leaf}", new)
            )
        if what == "kind":
            edits = self.writer.set(f"{base}/level-type", _KINDS[value])
            if len(KINDS[value]) > 1:
                return edits
            # What it announces goes into the level that it speaks from now on.
            return (*edits, *self._moved(base, f"level-{max(KINDS[value])}"))
        if what == "metric style":
            return self.writer.set(
                f"{base}/metric-type", {"value": _STYLES.get(value, "wide-only")}
            )
        if what in ("area password", "domain password"):
            level = "level-1" if what.startswith("area") else "level-2"
            return self.writer.set(f"{base}/authentication/{level}", _key(value))
        if what == "topology":
            return self.writer.set(f"{base}/topologies/topology[name='{value}']", {})
        return None

    def _moved(self, base: str, level: str) -> Edits:
        """Announcements into another level, made into this one."""
        held = self.writer.entry(base)
        out: Edits = ()
        for name, keys in (
            ("announcement", ("protocol", "address-family", "level")),
            ("default-announcement", ("address-family", "level")),
        ):
            full = f"trochos-policy:{name}"
            for entry in held.get(full, held.get(name)) or []:
                if entry.get("level") == level:
                    continue
                old = "".join(f"[{key}='{entry.get(key)}']" for key in keys)
                new = "".join(f"[{key}='{ {**entry, 'level': level}.get(key) }']" for key in keys)
                rest = {key: item for key, item in entry.items() if key not in keys}
                out += self.gone(f"{base}/{full}{old}")
                out += self.writer.set(f"{base}/{full}{new}", rest)
        return out

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
        path = f"{base}/interfaces/interface[name='{interface.name}']"
        listed = self.writer.entry(f"{path}/address-families").get("address-family-list")
        if not self.writer.entry(path):
            return self.writer.set(path, {})
        if listed is None:
            return None
        where = f"{path}/address-families/address-family-list[address-family='ipv{family}']"
        return self.writer.set(where, {})

    def redistribute(self, family: int, what: str, like: Redistribution | None) -> Edits | None:
        return self._announce(family, f"announcement[protocol='{what}']", {})

    def default_route(self, family: int) -> Edits | None:
        return self._announce(family, "default-announcement", {"always": True})

    def _announce(self, family: int, where: str, value: dict[str, Any]) -> Edits | None:
        base = self.base(family)
        if base is None:
            return None
        held = self.device.routing.of(IsisProcess)
        levels = held[0].levels if held else {2}
        level = min(levels) if where.startswith("default") else max(levels)
        keys = f"[address-family='ipv{family}'][level='level-{level}']"
        return self.writer.set(f"{base}/trochos-policy:{where}{keys}", value)


def _key(value: str) -> dict[str, object]:
    form, _, secret = value.partition(" ")
    algorithm = "md5" if form == "md5" else "cleartext"
    return {"key": secret, "crypto-algorithm": f"ietf-key-chain:{algorithm}"}
