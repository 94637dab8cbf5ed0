"""FRR's configuration language (the text its daemons print)."""

from __future__ import annotations

from difflib import SequenceMatcher

from ....network.addressing import Address, InterfaceAddress, Prefix
from ....network.edits import Edit, TextEdit
from ....network.facts import AddressFact, Interface, Source, StaticRoute
from ....network.policy import PrefixRule
from ....network.routing import Process
from ....readers.frr.abbreviations import spelled
from ...text import Section, as_written, sections, slot, squeeze
from ..base import Edits, Writer
from . import captured

_MEANT = 0.85
"""How alike a line that nobody understands must be to the one that is written in its place."""


class FrrWriter(Writer):
    """Edits of one FRR text."""

    @property
    def file(self) -> str:
        return self.device.main_file or "frr.conf"

    def edit(
        self,
        context: tuple[str, ...],
        remove: tuple[str, ...] = (),
        add: tuple[str, ...] = (),
        file: str | None = None,
    ) -> Edits:
        # What a line replaces is named, so that the change can be followed and taken back.
        opening = context[-1] if context else ""
        replaced = [
            row
            for row in self.rows(context, file)
            for line in add
            if row not in remove and row != line and (held := slot(opening, line)) is not None
            if slot(opening, row) == held
        ]
        replaced += self._misspelt(context, add, file)
        remove = (*remove, *(row for row in dict.fromkeys(replaced) if row not in remove))
        shown, gone = as_written(self.files.get(file or self.file, ""), context, remove)
        return (TextEdit(self.device.chassis, file or self.file, shown, gone, add),)

    def _misspelt(
        self, context: tuple[str, ...], add: tuple[str, ...], file: str | None
    ) -> list[str]:
        """Lines of a section that nobody understands and that differ from one that is written
        there now by a sign or two: that is what they were meant to be."""
        odd = {
            squeeze(item.source.text)
            for item in self.device.unmodelled
            if item.source.file == (file or self.file) and "is not understood" in item.why
        }
        if not odd:
            return []
        rows = [row for row in self.rows(context, file) if row in odd]
        return [
            row
            for row in rows
            for line in add
            if len(row.split()) == len(line.split())
            and SequenceMatcher(None, row, line).ratio() > _MEANT
        ]

    def context_of(self, source: Source) -> tuple[tuple[str, ...], str] | None:
        """The section a line stands in, and the line itself."""
        text = self.files.get(source.file)
        if text is None or source.line is None:
            return None
        rows = spelled(text)
        at = source.line - 1
        if at >= len(rows):
            return None

        def search(here: Section, trail: tuple[str, ...]) -> tuple[str, ...] | None:
            if at in here.body or at == here.start:
                return trail if at in here.body else trail[:-1]
            for inner in here.inner:
                if inner.start <= at < max(inner.end, inner.start + 1):
                    found = search(inner, (*trail, inner.opening))
                    if found is not None:
                        return found
            return None

        trail = search(sections(rows), ())
        return None if trail is None else (trail, squeeze(rows[at]))

    def drop(self, source: Source) -> Edits | None:
        if source.default or source.missing:
            return None
        if source.path is not None:
            return super().drop(source)
        found = self.context_of(source)
        return None if found is None else self.edit(found[0], (found[1],), (), source.file)

    def swap(self, source: Source, line: str) -> Edits | None:
        """Another line in the place of one."""
        found = self.context_of(source)
        if found is None:
            return None
        return self.edit(found[0], (found[1],), (line,), source.file)

    def permit_instead(self, source: Source) -> Edits | None:
        if source.path is not None or " deny " not in source.text:
            return None
        return self.swap(source, squeeze(source.text).replace(" deny ", " permit ", 1))

    # -- interfaces ----------------------------------------------------------------

    def enable(self, interface: Interface) -> Edits | None:
        source = interface.enabled_source
        if source is None:
            return None
        if source.path is not None:  # it was taken down past the text
            return captured.switched_on(source)
        return self.drop(source)

    def address(
        self, interface: Interface, old: AddressFact | None, new: InterfaceAddress
    ) -> Edits | None:
        word = "ip" if new.address.family == 4 else "ipv6"
        line = f"{word} address {new}"
        if old is None:
            source = interface.source
            file = source.file if source is not None and source.path is None else None
            return self.edit((self.port(interface),), (), (line,), file)
        if old.source.path is not None:
            return None
        return self.swap(old.source, line)

    # -- routing instances -------------------------------------------------------------

    def reopen(self, old: str, new: str, file: str) -> Edits:
        """All that stands in one section in another."""
        name = self.device.chassis
        rows = spelled(self.files.get(file, ""))
        here = [item for item in sections(rows).inner if item.opening == old]
        inner = [part.opening for item in here for part in item.inner]
        out: list[Edit] = [
            TextEdit(name, file, (), (old,), ()),
            TextEdit(name, file, (new,), (), tuple(self.rows((old,), file))),
        ]
        for opening in dict.fromkeys(inner):
            held = tuple(self.rows((old, opening), file))
            out.append(TextEdit(name, file, (new, opening), (), held))
        return tuple(out)

    def interface_into(self, interface: Interface, instance: str) -> Edits | None:
        file = interface.source.file if interface.source is not None else self.file
        inside = f" vrf {instance}" if instance else ""
        old = self.port(interface)
        shown = captured.moved(self.device, self.files, interface.name, instance)
        if old == f"interface {interface.name}{inside}":
            return shown or None
        return (*self.reopen(old, f"interface {interface.name}{inside}", file), *shown)

    def static_into(self, route: StaticRoute, instance: str) -> Edits | None:
        gone = self.drop(route.source)
        if gone is None:
            return None
        words = squeeze(route.source.text).split()
        if "vrf" in words:
            at = words.index("vrf")
            words = [*words[:at], *words[at + 2 :]]
        context = (f"vrf {instance}",) if instance else ()
        return (*gone, *self.edit(context, (), (" ".join(words),), route.source.file))

    def process_into(self, process: Process, instance: str) -> Edits | None:
        old = squeeze(process.source.text)
        bare = old.partition(" vrf ")[0]
        new = f"{bare} vrf {instance}" if instance else bare
        return self.reopen(old, new, process.source.file)

    # -- static routes ----------------------------------------------------------------

    def static(
        self, prefix: Prefix, gateway: Address, distance: int = 1, exit: str | None = None
    ) -> Edits | None:
        word = "ip" if prefix.family == 4 else "ipv6"
        tail = f" {distance}" if distance != 1 else ""
        others = [s.source.file for s in self.device.statics if s.source.path is None]
        file = others[0] if others else None
        context = (f"vrf {self.device.instance}",) if self.device.instance else ()
        return self.edit(context, (), (f"{word} route {prefix} {gateway}{tail}",), file)

    def leak(self, prefix: Prefix, exit: str, instance: str) -> Edits | None:
        word = "ip" if prefix.family == 4 else "ipv6"
        context = (f"vrf {self.device.instance}",) if self.device.instance else ()
        line = f"{word} route {prefix} {exit} nexthop-vrf {instance or 'default'}"
        return self.edit(context, (), (line,))

    def discard(self, prefix: Prefix, like: StaticRoute) -> Edits | None:
        words = squeeze(like.source.text).split()
        how = words[3] if like.source.path is None and len(words) > 3 else "Null0"
        word = "ip" if prefix.family == 4 else "ipv6"
        context = (f"vrf {self.device.instance}",) if self.device.instance else ()
        return self.edit(context, (), (f"{word} route {prefix} {how}",))

    def port(self, interface: Interface | str) -> str:
        """What opens the section of an interface, also where it names its routing instance."""
        name = interface if isinstance(interface, str) else interface.name
        held = self.device.interface(name)
        source = held.source if held is not None else None
        if source is not None and source.path is None and source.text.startswith("interface "):
            return squeeze(source.text)
        inside = f" vrf {self.device.instance}" if self.device.instance else ""
        return f"interface {name}{inside}"

    def rows(self, context: tuple[str, ...], file: str | None) -> list[str]:
        rows = spelled(self.files.get(file or self.file, ""))
        here = [sections(rows)]
        for opening in context:
            here = [inner for item in here for inner in item.inner if inner.opening == opening]
        return [squeeze(rows[n]) for item in here for n in item.body]

    # -- policy ------------------------------------------------------------------------

    def list_entry(
        self, kind: str, name: str, old: PrefixRule | None, prefix: Prefix, permit: bool
    ) -> Edits | None:
        verb = "permit" if permit else "deny"
        policy = self.device.policy
        held = (policy.prefix_lists if kind == "prefix" else policy.access_lists).get(
            (prefix.family, name), ()
        )
        lowest = min((rule.sequence for rule in held), default=10)
        sequence = old.sequence if old is not None else max(1, lowest - 1)
        head = {
            ("prefix", 4): f"ip prefix-list {name}",
            ("prefix", 6): f"ipv6 prefix-list {name}",
            ("access", 4): f"access-list {name}",
            ("access", 6): f"ipv6 access-list {name}",
        }[kind, prefix.family]
        line = f"{head} seq {sequence} {verb} {prefix}"
        if old is not None:
            return self.swap(old.source, line)
        return self.edit((), (), (line,), held[0].source.file if held else None)
