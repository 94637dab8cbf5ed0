"""One file as the readers see it, and what they collect from all files of a survey."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from copy import copy
from dataclasses import dataclass, field
from functools import cached_property

from ..network.facts import LINKS, Source, Unmodelled
from . import iproute, wiring
from .drafts import CaptureDraft, DeviceDrafts
from .located import DataError
from .located_json import Document, Node
from .located_xml import looks_like as is_xml
from .report import FileReport, Ledger, split_lines
from .whole import EARLY, placeholder

ROLES = ("lan", "router", "host", "switch")
"""What a person can say that a node is."""
Parser = Callable[[str, str, str], Node]
"""Gives the tree of a file of data, called with the device, the file and its text."""
_SECTION = re.compile(r"\[[A-Z][A-Za-z]*\]")


@dataclass(frozen=True, slots=True)
class About:
    """What `survey.json` says of a survey: when and of which network it was taken, and what a
    person decided about its nodes (role: `lan`, `router`, `host`, `switch`)."""

    title: str | None = None
    taken_at: str | None = None
    network: str | None = None
    expected: tuple[str, ...] = ()
    roles: Mapping[str, str] = field(default_factory=dict)


def _begins_as_data(text: str) -> bool:
    """True if a text begins as JSON or XML do; the head of a section in brackets is neither."""
    inner = text.lstrip()
    if inner[:1] in ("{", "["):
        return _SECTION.match(inner) is None
    return is_xml(text)


class File:
    """One file: its masked text and, if it is data, its tree, or why it has none.

    `device` is "" for a file that lies in no device's folder. `loose` says that its device is told
    by the file's name only.
    """

    def __init__(
        self, device: str, name: str, text: str, parser: Parser, loose: bool = False
    ) -> None:
        self.device, self.name, self.text, self.loose = device, name, text, loose
        self.lines = split_lines(text)
        self.is_data = _begins_as_data(text)
        self.root: Node | None = None
        self.damage: DataError | None = None
        if self.is_data:
            try:
                self.root = parser(device, name, text)
            except DataError as error:
                self.damage = error

    def beside(self) -> File:
        """The same file, as one that lies beside the devices' folders."""
        out = copy(self)
        out.device = ""
        return out

    @property
    def encoding(self) -> str:
        return "XML" if is_xml(self.text) else "JSON"

    @cached_property
    def document(self) -> Document:
        """The data with its text, for readers that quote it."""
        assert self.root is not None
        return Document(self.text, self.lines, self.root)

    @cached_property
    def listed(self) -> str | None:
        """Which of iproute2's lists it is, if it is one."""
        return iproute.kind_of(self.root) if self.root is not None else None

    def line(self, number: int) -> str:
        """The text of a line as evidence shows it; "" where there is none."""
        return self.lines[number - 1].strip() if 0 < number <= len(self.lines) else ""


class Collected:
    """What the readers found in a survey's files, before devices are made of it."""

    def __init__(self) -> None:
        self.reports: list[FileReport] = []
        self.drafts: dict[str, DeviceDrafts] = {}
        self.texts: dict[str, dict[str, str]] = {}
        """Masked text of every file that can be shown: device -> file -> text."""
        self.wirings: list[wiring.Wiring] = []
        self.about = About()
        self.about_file: str | None = None
        """The file that says it."""

    def draft(self, device: str) -> DeviceDrafts:
        return self.drafts.setdefault(device, DeviceDrafts())

    def keep(self, device: str, name: str, text: str) -> None:
        self.texts.setdefault(device, {})[name] = text

    def done(self, ledger: Ledger, matters: bool = False) -> None:
        """A file is read; `matters` is the judgement for lines that nobody claimed."""
        self.reports.append(ledger.report(matters))

    def capture(self, device: str, draft: CaptureDraft, ledger: Ledger) -> None:
        """What a device showed of itself, in a file that is read."""
        self.draft(device).captures.append(draft)
        self.done(ledger)

    def unreadable(
        self, device: str, name: str, kind: str, note: str, size: int, digest: str
    ) -> None:
        """A file that cannot be shown: what was sent is told by a placeholder, so that the survey
        is the same one, and says the same, whenever it is read again."""
        self.keep(device, name, placeholder(kind, note, size, digest))
        ledger = Ledger(device or None, name, kind, ["(not shown)"])
        ledger.unknown(1, False, note, "(not shown)")
        ledger.note = note
        self.done(ledger)
        if device:
            self.draft(device).unread_files += 1

    def broke(self, device: str, name: str, text: str, error: str) -> None:
        """A file that broke its reader is a damaged one."""
        self.keep(device, name, text)
        lines = split_lines(text)
        ledger = Ledger(device or None, name, "damaged file", lines)
        ledger.note = f"Reading it broke something here ({error}), so it was left aside."
        ledger.unknown(1, True, ledger.note)
        if device:
            self.draft(device).unread_files += 1
            place = Source(device, name, 1, lines[0].strip() if lines else "")
            self.cut(place, None, f"reading it broke something here ({error})")
        self.done(ledger, matters=True)

    def cut(self, place: Source, ledger: Ledger | None, why: str = EARLY) -> None:
        """A part of a file is missing: what that was to say is not known. `place` is where the
        rest ends."""
        if ledger is not None:
            ledger.note = f"{EARLY[:1].upper()}{EARLY[1:]}, at line {place.line}."
        item = Unmodelled(place, f"{place.file}: {why}", told=True, touches=LINKS)
        draft = self.draft(place.device)
        draft.partly = draft.partly or place
        draft.captures.append(CaptureDraft(place.file, unmodelled=[item]))
