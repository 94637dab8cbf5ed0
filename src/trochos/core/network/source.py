"""Where a fact comes from: the evidence that every answer rests on."""

from __future__ import annotations

from typing import NamedTuple

HIDDEN = "<secret>"
"""What stands for a secret of which nothing is known, as the kit writes it: not even whether it
equals another one."""


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

    def as_json(self) -> dict[str, object]:
        """The Evidence object of the contract."""
        out: dict[str, object] = {
            "device": self.device,
            "file": self.file,
            "line": self.line,
            "text": self.text,
        }
        if self.path:
            out["path"] = self.path
        if self.default:
            out["default"] = True
        if self.missing:
            out["missing"] = True
            out["after"] = self.after
        return out
