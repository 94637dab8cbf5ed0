"""What protocols have in common in YANG data: a container each (RFC 8349, section 5.3)."""

from __future__ import annotations

from typing import Any, ClassVar

from ....network.addressing import Address, Prefix
from ....network.edits import DataEdit
from ....network.facts import Interface
from ....network.routing import Redistribution
from ..base import Edits, Part
from .tree import PROTOCOL, YangWriter


class YangPart(Part):
    """A protocol's own container."""

    writer: YangWriter
    module: ClassVar[str]
    """The module and name of the container, inside the list of protocols."""
    key: ClassVar[str] = "name"
    """What names an interface in its list."""
    leaves: ClassVar[dict[str, str]] = {}
    """Settings of interfaces that are plain leaves."""

    def base(self, family: int) -> str | None:
        """The path of the container."""
        held = self.device.routing.called(self.protocol, family)
        found = PROTOCOL.match(held[-1].source.path or "") if held else None
        return None if found is None else f"{found.group(1)}/{self.module}"

    def gone(self, path: str) -> Edits:
        """The edit that takes a value out."""
        return (DataEdit(self.device.chassis, self.writer.file, path),)

    def interface_setting(
        self, family: int, interface: str, what: str, value: str | None
    ) -> Edits | None:
        base, leaf = self.base(family), self.leaves.get(what)
        if base is None or leaf is None:
            return None
        path = f"{base}/interfaces/interface[{self.key}='{interface}']/{leaf}"
        return self.gone(path) if value is None else self.writer.set(path, value)

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
        return self.writer.set(f"{base}/interfaces/interface[{self.key}='{interface.name}']", {})

    def redistributed_as(self, family: int) -> str | None:
        """The key under which RIP's own module lists this protocol (RFC 8695, section 2.4), if
        it does."""
        return None

    def router_id(self, family: int, value: Address) -> Edits | None:
        base = self.base(family)
        return None if base is None else self.writer.set(f"{base}/router-id", str(value))

    def redistribute(self, family: int, what: str, like: Redistribution | None) -> Edits | None:
        base = self.base(family)
        if base is None:
            return None
        return self._into(base, what, like)

    def _into(self, base: str, what: str, like: Redistribution | None) -> Edits:
        """An entry of our module's list of what is redistributed."""
        value: dict[str, Any] = {}
        if like is not None:
            for name, held in (
                ("metric", like.metric),
                ("metric-type", like.metric_type),
                ("policy", like.route_map),
            ):
                if held is not None:
                    value[name] = held
        return self.writer.set(f"{base}/trochos-policy:redistribution[protocol='{what}']", value)
