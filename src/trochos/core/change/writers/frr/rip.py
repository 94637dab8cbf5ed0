"""RIP in FRR's texts."""

from __future__ import annotations

from typing import ClassVar

from ....network.rip import RipProcess
from ..base import Edits
from .part import FrrPart

_SETTINGS = {
    "authentication": "authentication mode {}",
    "key": "authentication string {}",
    "key chain": "authentication key-chain {}",
    "send": "send version {}",
    "receive": "receive version {}",
}


class RipText(FrrPart):
    """`router rip`, `router ripng`, and the lines of interfaces."""

    protocol: ClassVar[str] = RipProcess.protocol
    words = ("rip", "ripng")
    has_default = True

    def line(self, family: int, what: str, value: str | None) -> str | None:
        pattern = _SETTINGS.get(what)
        shown = "" if value is None else value
        return None if pattern is None else f"ip rip {pattern.format(shown)}".strip()

    def names_interfaces(self, family: int) -> bool:
        statements = [
            statement
            for process in self.device.routing.called(self.protocol, family)
            for statement in process.statements
        ]
        return sum(1 if s.interface is not None else -1 for s in statements) > 0

    def whole_setting(self, family: int, what: str, value: str) -> Edits | None:
        if what != "version":
            return None
        opening, file = self.section(family)
        return self.writer.edit((opening,), (), (f"version {value}",), file)
