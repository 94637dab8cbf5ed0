"""EIGRP in FRR's texts."""

from __future__ import annotations

from typing import ClassVar

from ....network.addressing import Prefix
from ....network.edits import Edit, TextEdit
from ....network.eigrp import EigrpProcess
from ....network.facts import Interface
from ...text import squeeze
from ..base import Edits
from .part import FrrPart


class EigrpText(FrrPart):
    """`router eigrp N`, and the lines of interfaces."""

    protocol: ClassVar[str] = EigrpProcess.protocol
    words = ("eigrp", "eigrp")
    identity = ("eigrp router-id", "eigrp router-id")

    def line(self, family: int, what: str, value: str | None) -> str | None:
        number = getattr(self.own(family), "number", 0)
        shown = "" if value is None else value
        word = {"authentication": "mode", "key chain": "key-chain"}.get(what)
        return None if word is None else f"ip authentication {word} eigrp {number} {shown}".strip()

    def cover(
        self,
        family: int,
        interface: Interface,
        prefix: Prefix,
        area: int = 0,
        number: int | None = None,
    ) -> Edits | None:
        opening, file = self.section(family)
        if opening == "router eigrp" and number is not None:
            opening = f"router eigrp {number}"
        shown = interface.name if family == 6 else str(prefix)
        return self.writer.edit((opening,), (), (f"network {shown}",), file)

    def whole_setting(self, family: int, what: str, value: str) -> Edits | None:
        process = self.own(family)
        if not isinstance(process, EigrpProcess):
            return None
        if what == "K values":
            line = "metric weights " + " ".join(value.split()[:5])
            opening = squeeze(process.source.text)
            return self.writer.edit((opening,), (), (line,), process.source.file)
        return self._renumber(process, value) if what == "autonomous system" else None

    def _renumber(self, process: EigrpProcess, number: str) -> Edits:
        """Another system number: the section under a new opening line, and what names it."""
        file, name = process.source.file, self.device.chassis
        old = squeeze(process.source.text)
        rows = tuple(self.writer.rows((old,), file))
        out: list[Edit] = [
            TextEdit(name, file, (), (old,), ()),
            TextEdit(name, file, (f"router eigrp {number}",), (), rows),
        ]
        said = f" eigrp {process.number}"
        for interface in self.device.interfaces:
            context = (self.writer.port(interface),)
            lines = tuple(row for row in self.writer.rows(context, file) if said in row)
            if lines:
                moved = tuple(row.replace(said, f" eigrp {number}") for row in lines)
                out.append(TextEdit(name, file, context, lines, moved))
        return tuple(out)
