"""Where a fact comes from: the evidence that every answer rests on."""

from __future__ import annotations

import re
from typing import NamedTuple

HIDDEN = "<secret>"
"""What stands for a secret of which nothing is known, as the kit writes it: not even whether it
equals another one."""

MARK = r"<secret:(?:[0-9a-f]{4})?[0-9a-f]{12}>"
"""The mark of a secret: the number of the key that made it (four digits; a mark without it is of
before keys had one), and the fingerprint. Marks under different keys say nothing of each other."""
_MARK = re.compile(MARK)


def numbers_in(text: str) -> set[str]:
    """The numbers of the keys whose marks a text holds."""
    return {_number(mark) for mark in _MARK.findall(text)} if "<secret:" in text else set()


def _number(mark: str) -> str:
    return mark[8:-13]


def blurred(text: str) -> str:
    """A text whose secrets all look alike, as if nothing were known of them."""
    return _MARK.sub(HIDDEN, text)


def incomparable(left: str, right: str) -> bool:
    """Whether two texts hold secrets that cannot be compared: one is hidden, or they were marked
    under different keys."""
    mine, theirs = numbers_in(left), numbers_in(right)
    return HIDDEN in left or HIDDEN in right or bool(mine and theirs and len(mine | theirs) > 1)


def alike(left: str, right: str) -> bool:
    """Whether two texts say the same as far as anybody can tell."""
    return left == right or (incomparable(left, right) and blurred(left) == blurred(right))


class Source(NamedTuple):
    """Where a fact was read: a line of a device's file, or what is in force without one.

    `path` is the data node for YANG and other structured input. `default` marks a
    value nobody wrote. `missing` marks a line that should stand after line `after`.
    """

    device: str
    file: str
    line: int | None
    text: str
    path: str | None = None
    default: bool = False
    missing: bool = False
    after: int | None = None
    written: str | None = None
    """The line as it stands there, if its keywords are abbreviated; `text` spells them out."""

    @property
    def shown(self) -> str:
        """The line as it stands in the file."""
        return self.text if self.written is None else self.written

    def as_json(self) -> dict[str, object]:
        """The Evidence object of the contract."""
        out: dict[str, object] = {
            "device": self.device,
            "file": self.file,
            "line": self.line,
            "text": self.shown,
        }
        if self.path:
            out["path"] = self.path
        if self.default:
            out["default"] = True
        if self.missing:
            out["missing"] = True
            out["after"] = self.after
        return out
