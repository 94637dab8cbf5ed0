"""IS-IS in FRR's texts."""

from __future__ import annotations

from typing import ClassVar

from ....network.addressing import Prefix
from ....network.facts import Interface, Source
from ....network.isis import KINDS, IsisProcess
from ....network.routing import Redistribution
from ..base import Edits
from .part import FrrPart

_SETTINGS = {
    "circuit type": "circuit-type {}",
    "network type": "network {}",
    "password": "password {}",
    "metric": "metric {}",
}
_WHOLE = {
    "kind": "is-type {}",
    "net": "net {}",
    "metric style": "metric-style {}",
    "topology": "topology {}",
    "area password": "area-password {}",
    "domain password": "domain-password {}",
}


class IsisText(FrrPart):
    """`router isis`, and the lines of interfaces."""

    protocol: ClassVar[str] = IsisProcess.protocol
    words = ("isis", "isis")
    has_default = True

    def line(self, family: int, what: str, value: str | None) -> str | None:
        pattern = _SETTINGS.get(what)
        shown = "" if value is None else value
        return None if pattern is None else f"isis {pattern.format(shown)}".strip()

    def cover(
        self,
        family: int,
        interface: Interface,
        prefix: Prefix,
        area: int = 0,
        number: int | None = None,
    ) -> Edits | None:
        opening, file = self.section(family)
        tag = opening.removeprefix("router isis").split(" vrf ")[0].strip()
        line = f"{'ip' if family == 4 else 'ipv6'} router isis {tag}".strip()
        return self.writer.edit((self.writer.port(interface),), (), (line,), file)

    def speak(self, family: int, interface: Interface, source: Source) -> Edits | None:
        return self.writer.drop(source)

    def whole_setting(self, family: int, what: str, value: str) -> Edits | None:
        pattern = _WHOLE.get(what)
        if pattern is None:
            return None
        opening, file = self.section(family)
        word = pattern.split(" ")[0]
        rows = self.writer.rows((opening,), file)
        gone = [row for row in rows if row.split(" ")[0] == word]
        new = [pattern.format(value)]
        if what == "kind" and len(KINDS[value]) == 1:
            # What it announces goes into the level that it speaks from now on.
            spoken = f"level-{max(KINDS[value])}"
            for row in rows:
                words = row.split(" ")
                if words[0] in ("redistribute", "default-information") and spoken not in words:
                    gone.append(row)
                    new.append(" ".join(spoken if w.startswith("level-") else w for w in words))
        return self.writer.edit((opening,), tuple(gone), tuple(new), file)

    def redistribute(self, family: int, what: str, like: Redistribution | None) -> Edits | None:
        opening, file = self.section(family)
        process = self.own(family)
        levels = process.levels if isinstance(process, IsisProcess) else {2}
        line = f"redistribute {'ipv4' if family == 4 else 'ipv6'} {what} level-{max(levels)}"
        return self.writer.edit((opening,), (), (line,), file)

    def default_route(self, family: int) -> Edits | None:
        opening, file = self.section(family)
        process = self.own(family)
        levels = process.levels if isinstance(process, IsisProcess) else {2}
        word = "ipv4" if family == 4 else "ipv6"
        line = f"default-information originate {word} level-{min(levels)} always"
        return self.writer.edit((opening,), (), (line,), file)
