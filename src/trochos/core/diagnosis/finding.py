"""A finding: something wrong or risky in a survey, with its evidence in the source."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import NamedTuple

from ..network.documents import Document
from ..network.edits import Remedy
from ..network.facts import End, Source

BREAKS, RISKS, NOTES = "breaks", "risks", "notes"
ORDER = {BREAKS: 0, RISKS: 1, NOTES: 2}

TO_PEER, OUTER, EITHER, NEW_LINE = "to-peer", "outer", "either", "new-line"
"""What a kind means for a search, said beside the kind in the `TRAITS` of its module: the way to a
session's peer is a complaint of its own; so is a tunnel's outer way; of two lines of one device
either may be the right one; or a new line does what the network does otherwise."""


def named(names: Iterable[str]) -> str:
    """Names as a sentence lists them, each once: `a`, `a and b`, `a, b and c`."""
    *most, last = sorted(set(names))
    return f"{', '.join(most)} and {last}" if most else last


class Ready(NamedTuple):
    """Remedies that whoever finds something can name at once."""

    remedies: tuple[Remedy, ...]


@dataclass(frozen=True, slots=True)
class Finding(Document):
    """One finding with its parts: a sentence, why it stops traffic, and the exact lines.

    `key` tells findings of one kind on one device apart, so that ids stay the same from
    survey to survey.
    """

    kind: str
    severity: str
    device: str
    summary: str
    detail: str
    evidence: tuple[Source, ...]
    interface: str | None = None
    peer: End | None = None
    key: str = ""
    subject: object = None
    """What it was found on (a relation, a route, an address), for whoever makes remedies."""
    anchor: str = ""
    """Its id, where the finding was turned to the other end."""
    remedies: tuple[Remedy, ...] = ()
    """The ways to undo it, best judged first."""

    @property
    def id(self) -> str:
        if self.anchor:
            return self.anchor
        parts = [self.kind, self.device]
        if self.interface:
            parts.append(self.interface)
        if self.key:
            parts.append(self.key)
        return "/".join(part.replace("/", "-") for part in parts)

    def turned_to(self, remedy: Remedy) -> Finding:
        """The finding as one of the end that a remedy changes, if it is about two ends."""
        devices = {edit.device for edit in remedy.edits}
        if len(devices) != 1 or self.device.partition("/")[0] in devices:
            return self
        device = devices.pop()
        there = self.peer is not None and self.peer.device == device
        return replace(
            self,
            anchor=self.id,
            device=device,
            interface=(self.peer.interface or None) if there and self.peer else None,
            peer=End(self.device, self.interface or ""),
        )

    def as_nodes(self) -> dict[str, object]:
        return {
            "id": self.id,
            "kind": self.kind,
            "severity": self.severity,
            "device": self.device,
            "interface": self.interface,
            "peer": None
            if self.peer is None
            else {"device": self.peer.device, "interface": self.peer.interface or None},
            "summary": self.summary,
            "detail": self.detail,
            "evidence": [source.as_json() for source in self.evidence],
            "remedy": self.remedies[0].as_json() if self.remedies else None,
            "alternatives": [remedy.as_json() for remedy in self.remedies[1:]],
        }
