"""What became of each line of each file: the reading report.

A ledger per file gives every line exactly one fate: understood, known to be
irrelevant, or not understood with a judgement whether it could change an answer.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from .located_json import IRRELEVANT, UNDERSTOOD, Node

_MAX_TEXT = 200


@dataclass(frozen=True, slots=True)
class UnknownLine:
    """A line that no rule covered. `why` says what it is, where we at least know that."""

    line: int
    text: str
    matters: bool
    why: str | None = None

    def as_json(self) -> dict[str, object]:
        out: dict[str, object] = {"line": self.line, "text": self.text, "matters": self.matters}
        if self.why:
            out["why"] = self.why
        return out


@dataclass(slots=True)
class FileReport:
    """The fate of one file's lines; `kind` says in words what the file was taken for."""

    device: str | None
    file: str
    kind: str
    lines: int
    understood: int = 0
    irrelevant: int = 0
    unknown: list[UnknownLine] = field(default_factory=list)
    note: str | None = None
    """A sentence about the file as a whole, such as why it was not used."""
    abbreviated: list[tuple[int, str, str]] = field(default_factory=list)
    """Lines whose keywords are abbreviated: number, text, how it was read."""

    def as_json(self) -> dict[str, object]:
        out: dict[str, object] = {
            "device": self.device,
            "file": self.file,
            "kind": self.kind,
            "lines": self.lines,
            "understood": self.understood,
            "irrelevant": self.irrelevant,
            "unknown": [line.as_json() for line in self.unknown],
        }
        if self.abbreviated:
            out["abbreviated"] = [
                {"line": line, "text": text, "read_as": full}
                for line, text, full in self.abbreviated
            ]
        if self.note:
            out["note"] = self.note
        return out


class Ledger:
    """Collects the fates of a file's lines while a reader goes over it."""

    def __init__(self, device: str | None, file: str, kind: str, lines: list[str]) -> None:
        self.device, self.file, self.kind, self.lines = device, file, kind, lines
        self._fate = bytearray(len(lines) + 1)
        self._unknown: dict[int, UnknownLine] = {}
        self.note: str | None = None
        self.abbreviated: dict[int, str] = {}
        """How lines were read whose keywords are abbreviated."""

    @property
    def has_unknown(self) -> bool:
        """True if some line was not understood so far."""
        return bool(self._unknown)

    def text(self, line: int) -> str:
        return self.lines[line - 1].strip()[:_MAX_TEXT] if 0 < line <= len(self.lines) else ""

    def understood(self, line: int) -> None:
        self._fate[line] = UNDERSTOOD

    def irrelevant(self, line: int) -> None:
        if not self._fate[line]:
            self._fate[line] = IRRELEVANT

    def unknown(
        self, line: int, matters: bool, why: str | None = None, text: str | None = None
    ) -> None:
        """Reports a line; of several reports for one line, one that matters stays."""
        known = self._unknown.get(line)
        if known is None or (matters and not known.matters):
            body = self.text(line) if text is None else text[:_MAX_TEXT]
            self._unknown[line] = UnknownLine(line, body, matters, why)

    def settle_json(self, root: Node, matters: bool = True) -> None:
        """Gives every line of a JSON file its fate from what the reader used.

        `matters` is the judgement for values that nobody used.
        """
        for path, node in root.leaves():
            if node.seen == UNDERSTOOD:
                self.understood(node.line)
                self.understood(node.key_line)
            elif node.seen == IRRELEVANT or node.value in ({}, []):
                self.irrelevant(node.line)
                self.irrelevant(node.key_line)
            else:
                self.unknown(node.key_line, matters, f"nobody here reads {path or 'this value'}")
                if node.line != node.key_line:
                    self.irrelevant(node.line)
        for number in range(1, len(self.lines) + 1):
            # What is left are brackets, keys of containers and blank lines.
            self.irrelevant(number)

    def report(self, unclaimed_matters: bool = False) -> FileReport:
        """The finished report. Lines that nobody claimed are not understood."""
        out = FileReport(self.device, self.file, self.kind, len(self.lines), note=self.note)
        for number in range(1, len(self.lines) + 1):
            if number in self._unknown:
                out.unknown.append(self._unknown[number])
            elif self._fate[number] == UNDERSTOOD:
                out.understood += 1
            elif self._fate[number] == IRRELEVANT or not self.lines[number - 1].strip():
                out.irrelevant += 1
            else:
                out.unknown.append(UnknownLine(number, self.text(number), unclaimed_matters))
        out.abbreviated = [
            (number, self.text(number), full[:_MAX_TEXT])
            for number, full in sorted(self.abbreviated.items())
        ]
        return out


def split_lines(text: str) -> list[str]:
    """The lines of a text as an editor numbers them; only a newline ends a line."""
    lines = text.split("\n")
    if lines and lines[-1] == "":
        lines.pop()
    return lines
