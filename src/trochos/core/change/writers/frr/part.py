"""What protocols have in common in FRR's texts: a section each, and lines of interfaces."""

from __future__ import annotations

from typing import ClassVar

from ....network.addressing import Address, Prefix
from ....network.facts import Interface, Source
from ....network.routing import Process, Redistribution
from ...text import squeeze
from ..base import Edits, Part
from .text import FrrWriter


class FrrPart(Part):
    """A protocol's section, `router ...`, and its lines under interfaces."""

    writer: FrrWriter
    words: ClassVar[tuple[str, str]]
    """What opens its section, after `router`, for IPv4 and for IPv6."""
    identity: ClassVar[tuple[str, str]] = ("router-id", "router-id")
    """What sets its router id, in the same way."""
    has_default = False
    """True if it announces a default route when told to."""

    def own(self, family: int) -> Process | None:
        """The process of a family."""
        return next(iter(self.device.routing.called(self.protocol, family)), None)

    def section(self, family: int) -> tuple[str, str]:
        """The opening line of the section and its file, also where it is not there yet."""
        process = self.own(family)
        if process is not None:
            return squeeze(process.source.text), process.source.file
        inside = f" vrf {self.device.instance}" if self.device.instance else ""
        return f"router {self.words[family == 6]}{inside}", self.writer.file

    def line(self, family: int, what: str, value: str | None) -> str | None:
        """The line of an interface that sets something; without a value the words such lines
        begin with."""
        return None

    def interface_setting(
        self, family: int, interface: str, what: str, value: str | None
    ) -> Edits | None:
        line = self.line(family, what, value)
        if line is None:
            return None
        context, file = (self.writer.port(interface),), self.section(family)[1]
        if value is not None:
            return self.writer.edit(context, (), (line,), file)
        rows = self.writer.rows(context, file)
        standing = tuple(row for row in rows if (row + " ").startswith(line + " "))
        return self.writer.edit(context, standing, (), file) if standing else None

    def cover(
        self,
        family: int,
        interface: Interface,
        prefix: Prefix,
        area: int = 0,
        number: int | None = None,
    ) -> Edits | None:
        opening, file = self.section(family)
        shown = interface.name if family == 6 or self.names_interfaces(family) else str(prefix)
        return self.writer.edit((opening,), (), (f"network {shown}",), file)

    def names_interfaces(self, family: int) -> bool:
        """True if this router's statements rather name interfaces than prefixes."""
        return False

    def speak(self, family: int, interface: Interface, source: Source) -> Edits | None:
        opening, file = self.section(family)
        return self.writer.edit((opening,), (), (f"no passive-interface {interface.name}",), file)

    def router_id(self, family: int, value: Address) -> Edits | None:
        opening, file = self.section(family)
        line = f"{self.identity[family == 6]} {value}"
        return self.writer.edit((opening,), (), (line,), file)

    def redistribution(self, what: str, like: Redistribution | None) -> str:
        """The line that redistributes, as another one of this network is written."""
        line = f"redistribute {what}"
        if like is not None:
            line += f" metric {like.metric}" if like.metric is not None else ""
            line += self.metric_type(like)
            line += f" route-map {like.route_map}" if like.route_map is not None else ""
        return line

    def metric_type(self, like: Redistribution) -> str:
        """The words of a metric's type, where the protocol has such a thing."""
        return ""

    def redistribute(self, family: int, what: str, like: Redistribution | None) -> Edits | None:
        opening, file = self.section(family)
        return self.writer.edit((opening,), (), (self.redistribution(what, like),), file)

    def default_route(self, family: int) -> Edits | None:
        if not self.has_default:
            return None
        opening, file = self.section(family)
        return self.writer.edit((opening,), (), ("default-information originate",), file)
