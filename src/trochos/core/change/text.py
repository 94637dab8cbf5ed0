"""Edits of configuration text, with the device's own rules of what a line does.

A line that sets a value replaces the line that set it before; a line that belongs to a
list stands beside the others; taking away an opening line or a neighbour takes away what
belongs to it. Texts are lists of `Line`, so that whoever holds the unmasked original can
find each kept line in it again.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import NamedTuple

from ..network.edits import EditError, TextEdit
from ..readers.frr.abbreviations import in_section, spell_out, spelled
from ..readers.protocols import FRR as ROWS


class Line(NamedTuple):
    """A line of a changed text and its number in the original (None: it is new)."""

    text: str
    origin: int | None


# What opens the sections of routing protocols.
_WORDS = [reader.word for row in ROWS for reader in row.readers()]
_OPENERS = re.compile(
    r"(?:interface|router|route-map|vrf|key chain|line|pbr-map|nexthop-group|bfd|rpki)\b"
)
_INNER = re.compile(r"(?:address-family|key \d+|profile|peer)\b")
_TOP = re.compile(
    r"(?:interface|router (?:" + "|".join((*_WORDS, "babel", "pim")) + r")"
    r"|route-map \S+ (?:permit|deny)|vrf|key chain|line|hostname|frr|log|service|password|enable"
    r"|(?:no )?ip(?:v6)? (?:route|prefix-list|forwarding|nht|protocol|access-list|as-path"
    r"|community-list|router-id)|access-list|bgp (?:as-path|community-list"
    r"|large-community-list|extcommunity-list)|debug|end|bfd)\b"
)


def squeeze(line: str) -> str:
    """A line with single spaces: how lines are compared."""
    return " ".join(line.split())


@dataclass(slots=True)
class Section:
    """One section: its opening line, what stands in it, and where it ends (exclusive)."""

    opening: str
    start: int
    end: int = 0
    body: list[int] = field(default_factory=list)
    inner: list[Section] = field(default_factory=list)


def sections(lines: list[str]) -> Section:
    """The sections of a text, as the device would group them."""
    root = Section("", -1, len(lines))
    current: Section | None = None
    inside: Section | None = None

    def close(at: int) -> None:
        nonlocal current, inside
        if inside is not None:
            inside.end = at
        if current is not None:
            current.end = at
        current = inside = None

    for number, line in enumerate(lines):
        text = squeeze(line)
        indented = line[:1] in (" ", "\t")
        if not text or text[0] in "!#":
            if current is not None and text == "!" and not indented:
                close(number)
            continue
        if current is not None and text in ("exit", "exit-vrf") and not indented:
            close(number + 1)
            continue
        if current is not None and inside is not None and (text.startswith("exit")):
            inside.end = number + 1
            inside = None
            continue
        if current is not None and not indented and _TOP.match(text):
            close(number)
        if current is None:
            if _OPENERS.match(text) and not text.startswith("line "):
                current = Section(text, number, number + 1)
                root.inner.append(current)
            else:
                root.body.append(number)
            continue
        if _INNER.match(text) and (
            text.startswith("address-family") or current.opening.startswith("key chain")
        ):
            if inside is not None:
                inside.end = number
            inside = Section(text, number, number + 1)
            current.inner.append(inside)
            continue
        (inside or current).body.append(number)
        if inside is not None:
            inside.end = number + 1
    close(len(lines))
    return root


# What a line sets: two lines with the same slot cannot stand together, the later replaces
# the earlier. Lines without a slot stand beside each other.
_SLOTS: tuple[tuple[str, str], ...] = (
    ("", r"(hostname) "),
    ("", r"((?:no )?ip(?:v6)? forwarding)$"),
    (
        "",
        r"(ip(?:v6)? route \S+ \S+(?: (?=[a-z])(?!tag|table|label|onlink|vrf|color|nexthop)\S+)?)",
    ),
    ("", r"(ip(?:v6)? prefix-list \S+ seq \d+) "),
    ("", r"(access-list \S+ seq \d+) "),
    ("", r"(bgp (?:as-path access-list|community-list \S+|large-community-list \S+) \S+ seq \d+) "),
    ("interface", r"(description|bandwidth|mtu) "),
    ("interface", r"(shutdown)$"),
    *(("interface", slot) for row in ROWS for slot in row.slots),
    ("router", rf"((?:{'|'.join(_WORDS)}) router-id|router-id) "),
    ("router", r"(network \S+)(?: area \S+)?$"),
    ("router", r"(redistribute (?:ipv[46] \S+ level-\d|(?!ipv[46] )\S+))"),
    ("router", r"(default-information originate(?: ipv[46] level-\d)?)"),
    ("router", r"(is-type|metric-style|area-password|domain-password) "),
    ("router", r"(default-metric|version|maximum-paths(?: ibgp)?|variance|metric weights) "),
    ("router", r"(area \S+ (?:stub|nssa|default-cost|authentication))"),
    ("router", r"(area \S+ (?:range|filter-list prefix \S+) \S+)"),
    (
        "router",
        r"(area \S+ virtual-link \S+(?: (?:authentication-key|message-digest-key \S+"
        r"|authentication))?)",
    ),
    ("router", r"((?:rt|route-target) vpn (?:import|export|both)|(?:rd|label) vpn export) "),
    (
        "router",
        r"(auto-cost reference-bandwidth|timers \S+|distance (?:" + "|".join(_WORDS) + r")) ",
    ),
    (
        "router",
        r"(neighbor \S+ (?:remote-as|update-source|password|ebgp-multihop|ttl-security hops"
        r"|shutdown|maximum-prefix|default-originate|weight|allowas-in|local-as|local-role|peer-group|description"
        r"|timers connect|timers|route-map \S+ (?=in|out)|prefix-list \S+ (?=in|out)))",
    ),
    (
        "route-map",
        r"(match \S+(?: address| next-hop)?|set (?:metric|tag|local-preference|weight|origin"
        r"|ip next-hop|as-path prepend|community)) ",
    ),
)
_DIRECTIONAL = re.compile(
    r"(neighbor \S+ (?:route-map|prefix-list|filter-list|distribute-list)) \S+ (in|out)$"
)


# What is in force although nobody wrote it: taking the line out is not switching it off.
_ON_BY_DEFAULT = re.compile(
    r"bgp (?:ebgp-requires-policy|default ipv4-unicast|network import-check)|neighbor \S+ activate"
    r"|ip(?:v6)? forwarding|auto-summary"
)

# Where the device does not replace but refuses what contradicts a standing line.
_REFUSED = re.compile(r"network \S+ area |ip ospf message-digest-key ")


def refused_beside(line: str) -> bool:
    """True if the device refuses the line while another stands in its slot."""
    return _REFUSED.match(line) is not None


def slot(opening: str, line: str) -> str | None:
    """What a line sets in a section, or None if such lines stand beside each other."""
    text = line[3:] if line.startswith("no ") else line
    directional = _DIRECTIONAL.match(text)
    if directional:
        return " ".join(directional.groups())
    kind = opening.split(" ")[0]
    if kind == "address-family":
        kind = "router"
    for section, pattern in _SLOTS:
        if section == kind or (section == "" and not opening):
            found = re.match(pattern, text)
            if found:
                return found.group(1)
    return None


def as_written(
    text: str, context: tuple[str, ...], lines: tuple[str, ...]
) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """(openings, lines) of a section as they stand in a text whose keywords are abbreviated."""
    rows = text.split("\n")
    short = spell_out(rows)
    if not short:
        return context, lines
    full = [short.get(number, row) for number, row in enumerate(rows, 1)]
    level, openings = [sections(full)], []
    for opening in context:
        level = [item for here in level for item in here.inner if item.opening == opening]
        openings.append(squeeze(rows[level[-1].start]) if level else opening)
    held = {squeeze(full[n]): squeeze(rows[n]) for here in level for n in here.body}
    held |= {item.opening: squeeze(rows[item.start]) for here in level for item in here.inner}
    return tuple(openings), tuple(held.get(line, line) for line in lines)


class Editor:
    """One text under change."""

    def __init__(self, device: str, file: str, text: str) -> None:
        self.device, self.file = device, file
        self.trailing = text.endswith("\n")
        rows = text.split("\n")
        if self.trailing:
            rows.pop()
        self.lines = [Line(row, number) for number, row in enumerate(rows, 1)]
        self._spelled: tuple[list[str], list[str]] | None = None
        self._abbreviated = bool(spell_out(rows))

    @property
    def text(self) -> str:
        return "\n".join(line.text for line in self.lines) + ("\n" if self.trailing else "")

    def apply(self, edit: TextEdit) -> None:
        """Makes one edit.

        Raises:
            EditError: a line to remove does not stand there, or the device would refuse.
        """
        context: tuple[str, ...] = ()
        for line in edit.context:
            context = (*context, squeeze(in_section(context, line)))
        adding = [squeeze(in_section(context, line)) for line in edit.add if line.strip()]
        removing = [squeeze(in_section(context, line)) for line in edit.remove if line.strip()]
        # A line that stays although its section is replaced is no change.
        kept = set(adding) & set(removing)
        for line in removing:
            if line in kept:
                continue
            successor = self._successor(context, line, [a for a in adding if a not in kept])
            if successor is not None:
                kept.add(successor)  # it stands where the old line stood
            else:
                self._remove(context, line, adding)
        opened: tuple[str, ...] = ()
        for line in adding:
            if line in kept:
                continue
            if not context and _OPENERS.match(line) and not line.startswith("line "):
                opened = (line,)
                self._ensure(opened)
            elif opened and line in ("exit", "!"):
                opened = ()
            else:
                self._add(context or (opened if not _TOP.match(line) else ()), line)

    def _successor(self, context: tuple[str, ...], line: str, adding: list[str]) -> str | None:
        """Puts the new line that sets the same in the place of an old one, if both are there."""
        opening = context[-1] if context else ""
        held = slot(opening, line)
        if held is None:
            return None
        new = next((a for a in adding if slot(opening, a) == held), None)
        rows = [n for s in self._all(context) for n in s.body if self._row(n) == line]
        standing = [n for s in self._all(context) for n in s.body if self._row(n) == new]
        if new is None or len(rows) != 1 or standing or new.startswith("no "):
            return None
        text = self.lines[rows[0]].text
        indent = text[: len(text) - len(text.lstrip())]
        self.lines[rows[0]] = Line(indent + new, None)
        return new

    def _find(self, context: tuple[str, ...]) -> Section | None:
        here = sections(self._rows())
        for opening in context:
            found = [item for item in here.inner if item.opening == opening]
            if not found:
                return None
            here = found[-1]
        return here

    def _all(self, context: tuple[str, ...]) -> list[Section]:
        """Every section of that name: a device merges sections that are written twice."""
        level = [sections(self._rows())]
        for opening in context:
            level = [item for here in level for item in here.inner if item.opening == opening]
        return level

    def _row(self, number: int) -> str:
        return squeeze(self._rows()[number])

    def _rows(self) -> list[str]:
        """The lines with their keywords spelled out: how they are found."""
        rows = [line.text for line in self.lines]
        if not self._abbreviated:
            return rows
        if self._spelled is None or self._spelled[0] != rows:
            self._spelled = (rows, spelled("\n".join(rows)))
        return self._spelled[1]

    def _where(self, context: tuple[str, ...]) -> str:
        return f" under {context[-1]!r}" if context else ""

    def _delete(self, numbers: set[int]) -> None:
        self.lines = [line for n, line in enumerate(self.lines) if n not in numbers]

    def _remove(self, context: tuple[str, ...], line: str, adding: list[str]) -> None:
        found = self._all(context)
        if not found:
            raise EditError(
                f"{self.device}, {self.file}: there is no section {context[-1]!r}, so nothing can "
                "be removed from it."
            )
        gone: set[int] = set()
        for section in found:
            gone |= {n for n in section.body if self._row(n) == line}
            for inner in section.inner:
                if inner.opening == line:
                    gone |= set(range(inner.start, inner.end))
        if not gone:
            gone = self._implied(found, line)
        if not gone:
            raise EditError(
                f"{self.device}, {self.file}: the line {line!r} does not stand"
                f"{self._where(context)}, so it cannot be removed."
            )
        gone |= self._taken_along(context, line, adding)
        self._delete(gone)

    def _implied(self, found: list[Section], line: str) -> set[int]:
        """Lines that a shorter form removes: `ip prefix-list NAME`, `neighbor ADDRESS`."""
        if not re.match(r"(?:ip(?:v6)? prefix-list \S+|neighbor \S+|access-list \S+)$", line):
            return set()
        return {
            n
            for section in found
            for part in (section, *section.inner)
            for n in part.body
            if self._row(n).startswith(line + " ")
        }

    def _taken_along(self, context: tuple[str, ...], line: str, adding: list[str]) -> set[int]:
        neighbour = re.match(r"neighbor (\S+) (?:remote-as \S+|peer-group)$", line)
        if neighbour is None or not context or not context[0].startswith("router bgp"):
            return set()
        stem = f"neighbor {neighbour.group(1)} "
        if any(other.startswith(f"{stem}remote-as") for other in adding):
            return set()
        return {
            n
            for section in self._all(context[:1])
            for part in (section, *section.inner)
            for n in part.body
            if self._row(n).removeprefix("no ").startswith(stem)
        }

    def _ensure(self, context: tuple[str, ...]) -> None:
        """Opens a section that is not there."""
        for depth in range(1, len(context) + 1):
            if self._find(context[:depth]) is not None:
                continue
            opening = context[depth - 1]
            indent = " " * (depth - 1)
            closing = "exit-address-family" if opening.startswith("address-family") else "exit"
            rows = [Line(indent + opening, None), Line(indent + closing, None)]
            if depth == 1:
                rows.append(Line("!", None))
                at = self._end_of_text()
            else:
                outer = self._find(context[: depth - 1])
                assert outer is not None
                at = self._end_of(outer)
            self.lines[at:at] = rows

    def _end_of_text(self) -> int:
        for number, line in enumerate(self.lines):
            if squeeze(line.text) in ("line vty", "end"):
                return number
        return len(self.lines)

    def _end_of(self, section: Section) -> int:
        """Behind the last line of a section, before what closes it."""
        last = max(
            [section.start, *section.body, *(inner.end - 1 for inner in section.inner)],
        )
        return last + 1

    def _add(self, context: tuple[str, ...], line: str) -> None:
        opening = context[-1] if context else ""
        if line.startswith("no "):
            positive = line[3:]
            standing = {
                n
                for section in self._all(context)
                for n in section.body
                if self._row(n) == positive
            }
            self._delete(
                standing | (self._taken_along(context, positive, []) if standing else set())
            )
            if positive == "shutdown" or (standing and not _ON_BY_DEFAULT.match(positive)):
                return
        else:
            negated = {
                n
                for section in self._all(context)
                for n in section.body
                if self._row(n) == f"no {line}"
            }
            self._delete(negated)
        self._ensure(context)
        holds = slot(opening, line)
        at: int | None = None
        for section in self._all(context):
            for n in section.body:
                row = self._row(n)
                if row == line:
                    return
                if holds is None or slot(opening, row) != holds:
                    continue
                if refused_beside(line):
                    raise EditError(
                        f"{self.device}, {self.file}: {row!r} stands already"
                        f"{self._where(context)}, and the device refuses {line!r} beside it. "
                        "Remove that line first."
                    )
                at = n
        section_now = self._find(context)
        assert section_now is not None
        indent = self._indent(section_now, len(context))
        if at is not None:
            self.lines[at] = Line(indent + line, None)
            return
        self.lines.insert(self._place(section_now, context, line), Line(indent + line, None))

    def _indent(self, section: Section, depth: int) -> str:
        if section.body and depth:
            text = self.lines[section.body[0]].text
            return text[: len(text) - len(text.lstrip())]
        return " " * depth

    def _place(self, section: Section, context: tuple[str, ...], line: str) -> int:
        """Behind the last line of its kind, else at the end of the section's own lines."""
        words = line.split()
        for length in (2, 1):
            alike = [n for n in section.body if self._row(n).split()[:length] == words[:length]]
            if alike and len(words) >= length:
                return max(alike) + 1
        if context:
            return max([section.start, *section.body]) + 1
        first = [item.start for item in section.inner]
        if section.body and not first:
            return max(section.body) + 1
        return min(self._end_of_text(), len(self.lines))
