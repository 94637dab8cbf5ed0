"""RIP in YANG data (RFC 8695)."""

from __future__ import annotations

from typing import Any, ClassVar

from ....network.rip import RipProcess
from ....network.routing import Redistribution
from ..base import Edits
from .part import YangPart


class RipTree(YangPart):
    """`ietf-rip`."""

    protocol: ClassVar[str] = RipProcess.protocol
    module = "ietf-rip:rip"
    key = "interface"
    leaves: ClassVar[dict[str, str]] = {"key": "authentication/key", "passive": "passive"}

    def redistribute(self, family: int, what: str, like: Redistribution | None) -> Edits | None:
        """RIP's own module lists what it takes by instance (section 2.4)."""
        base = self.base(family)
        if base is None:
            return None
        value: dict[str, Any] = {}
        if like is not None and like.metric is not None:
            value["metric"] = like.metric
        if like is not None and like.route_map is not None:
            value["route-policy"] = like.route_map
        if what in ("connected", "static"):
            return self.writer.set(f"{base}/redistribute/{what}", value)
        other = self.writer.of(what)
        key = other.redistributed_as(family) if isinstance(other, YangPart) else None
        return None if key is None else self.writer.set(f"{base}/redistribute/{key}", value)

    def default_route(self, family: int) -> Edits | None:
        base = self.base(family)
        if base is None:
            return None
        return self.writer.set(f"{base}/originate-default-route/enabled", True)
