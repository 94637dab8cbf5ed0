"""What all protocols have in common in OpenConfig data."""

from __future__ import annotations

import re
from typing import Any, ClassVar

from ....network.routing import Redistribution
from ..base import Edits, Part
from .tree import TYPES, OpenConfigWriter

_IDENTITIES = {"connected": "DIRECTLY_CONNECTED", "static": "STATIC"}


class OpenPart(Part):
    """A protocol's container below `protocols/protocol`."""

    writer: OpenConfigWriter
    identity: ClassVar[str]
    """What the models call the protocol."""
    container: ClassVar[str]

    def base(self, family: int) -> str | None:
        """The path of the container."""
        held = self.device.routing.called(self.protocol, family)
        path = held[-1].source.path or "" if held else ""
        found = re.match(rf"(.*/protocol\[[^\]]*\]\[[^\]]*\]/(?:[\w-]+:)?{self.container})", path)
        return None if found is None else found.group(1)

    def redistribute(self, family: int, what: str, like: Redistribution | None) -> Edits | None:
        """A connection between two tables (`table-connections`)."""
        other = self.writer.of(what)
        word = _IDENTITIES.get(what) or (other.identity if isinstance(other, OpenPart) else None)
        if word is None or self.base(family) is None:
            return None
        keys = {
            "src-protocol": f"{TYPES}:{word}",
            "dst-protocol": f"{TYPES}:{self.identity}",
            "address-family": f"openconfig-types:IPV{family}",
        }
        shown = "".join(f"[{key}='{value}']" for key, value in keys.items())
        path = f"{self.writer.instance}/table-connections/table-connection{shown}"
        config: dict[str, Any] = {"default-import-policy": "ACCEPT_ROUTE"}
        if self.writer.entry(path):
            return self.writer.set(f"{path}/config/default-import-policy", "ACCEPT_ROUTE")
        return self.writer.set(path, {"config": {**keys, **config}})
