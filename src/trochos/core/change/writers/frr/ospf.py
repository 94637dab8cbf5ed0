"""OSPF in FRR's texts."""

from __future__ import annotations

from ....network.addressing import Address, Prefix, dotted
from ....network.facts import Interface, Source
from ....network.ospf import VirtualLink
from ....network.routing import Redistribution
from ...text import squeeze
from ..base import Edits
from ..ospf import OspfPart
from .part import FrrPart

_SETTINGS = {
    "area": "area {}",
    "hello": "hello-interval {}",
    "dead": "dead-interval {}",
    "network type": "network {}",
    "priority": "priority {}",
    "cost": "cost {}",
    "passive": "passive",
    "ignore MTU": "mtu-ignore",
    "key": "authentication-key {}",
    "instance": "instance-id {}",
}
_AUTHENTICATION = {
    "none": "authentication null",
    "simple": "authentication",
    "message-digest": "authentication message-digest",
}


class OspfText(FrrPart, OspfPart):
    """`router ospf`, `router ospf6`, and the lines of interfaces."""

    words = ("ospf", "ospf6")
    identity = ("ospf router-id", "ospf6 router-id")
    has_default = True

    def line(self, family: int, what: str, value: str | None) -> str | None:
        stem = "ip ospf" if family == 4 else "ipv6 ospf6"
        if what == "authentication":
            rest = "authentication" if value is None else _AUTHENTICATION.get(value)
            return f"{stem} {rest}" if rest and family == 4 else None
        if what.startswith("digest"):
            line = f"{stem} message-digest-key {what.split()[1]}"
            return line if value is None else f"{line} md5 {value}"
        pattern = _SETTINGS.get(what)
        shown = "" if value is None else value
        return None if pattern is None else f"{stem} {pattern.format(shown)}".strip()

    def cover(
        self,
        family: int,
        interface: Interface,
        prefix: Prefix,
        area: int = 0,
        number: int | None = None,
    ) -> Edits | None:
        opening, file = self.section(family)
        process = self.process(family)
        settings = process.interfaces.values() if process is not None else ()
        areas = [item.area for item in settings if item.area is not None]
        if family == 6 or (process is not None and not process.networks and areas):
            word = "ip ospf" if family == 4 else "ipv6 ospf6"
            dots = any("." in held.source.text.split()[-1] for held in areas)
            line = f"{word} area {dotted(area) if dots else area}"
            return self.writer.edit((self.writer.port(interface),), (), (line,), file)
        return self.writer.edit((opening,), (), (f"network {prefix} area {area}",), file)

    def speak(self, family: int, interface: Interface, source: Source) -> Edits | None:
        context = (self.writer.port(interface),)
        return self.writer.edit(context, (), ("no ip ospf passive",), source.file)

    def metric_type(self, like: Redistribution) -> str:
        return f" metric-type {like.metric_type}" if like.metric_type is not None else ""

    def area_kind(self, family: int, area: int, kind: str, summaries: bool) -> Edits | None:
        process = self.process(family)
        if process is None:
            return None
        opening = squeeze(process.source.text)
        held = process.areas.get(area)
        remove: tuple[str, ...] = ()
        if held is not None and held.kind_source is not None:
            remove = (squeeze(held.kind_source.text),)
        add: tuple[str, ...] = ()
        if kind != "normal":
            add = (f"area {area} {kind}" + ("" if summaries else " no-summary"),)
        return self.writer.edit((opening,), remove, add, process.source.file)

    def list_neighbour(self, interface: str, address: Address) -> Edits | None:
        opening, file = self.section(4)
        return self.writer.edit((opening,), (), (f"neighbor {address}",), file)

    def virtual_link(self, family: int, link: VirtualLink) -> Edits | None:
        opening, file = self.section(family)
        end = dotted(link.neighbour)
        rows = [
            row.split() for row in self.writer.rows((opening,), file) if row.startswith("area ")
        ]
        held = [" ".join(row) for row in rows if row[2:4] == ["virtual-link", end]]
        names = (str(link.area), dotted(link.area))
        area = next((row[1] for row in rows if row[1] in names), names[0])
        stem = f"area {area} virtual-link {end}"
        timers = [
            f" {name}-interval {value.value}"
            for name, value in (("hello", link.hello), ("dead", link.dead))
            if value is not None
        ]
        lines = []
        if link.authentication is not None:
            lines.append(f"{stem} {_AUTHENTICATION[link.authentication.value]}")
        if link.key is not None:
            lines.append(f"{stem} authentication-key {link.key.value}")
        lines += [f"{stem} message-digest-key {id_} md5 {word.value}" for id_, word in link.digests]
        if timers or not lines:
            lines.insert(0, stem + "".join(timers))
        # What both sides say stays as it stands.
        gone = tuple(row for row in held if row not in lines)
        return self.writer.edit(
            (opening,), gone, tuple(row for row in lines if row not in held), file
        )
