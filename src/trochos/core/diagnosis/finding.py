"""A finding: something wrong or risky in a survey, with its evidence in the source."""

from __future__ import annotations

from dataclasses import dataclass

from ..network.facts import End, Source

BREAKS, RISKS, NOTES = "breaks", "risks", "notes"
ORDER = {BREAKS: 0, RISKS: 1, NOTES: 2}


@dataclass(frozen=True, slots=True)
class Finding:
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

    @property
    def id(self) -> str:
        parts = [self.kind, self.device]
        if self.interface:
            parts.append(self.interface)
        if self.key:
            parts.append(self.key)
        return "/".join(part.replace("/", "-") for part in parts)

    def as_json(self) -> dict[str, object]:
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
            "remedy": None,
        }
