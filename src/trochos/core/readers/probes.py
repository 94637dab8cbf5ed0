"""Probes taken on a device: who was asked for, who answered at each hop, and how many echoes.

A file of our own (yang-like JSON, docs/manual/gathering.md): what really happened is only ever
set beside what is computed.
"""

from __future__ import annotations

from ..network.addressing import parse_address
from ..network.facts import ProbeFact, Source
from .drafts import CaptureDraft
from .located_json import Document, Node

KIND = "probes taken on the device"
_TOP = "trochos-probes:probes"


def looks_like(root: Node) -> bool:
    return _TOP in root.members()


def read(device: str, file: str, document: Document) -> CaptureDraft:
    """Reads one file; an entry without a target or counts stays unread, and is reported so."""
    draft = CaptureDraft(file)
    for entry in document.root.items(_TOP):
        target = parse_address(entry.text("target") or "")
        source = parse_address(entry.text("source") or "")
        sent, received = entry.integer("sent"), entry.integer("received")
        if target is None or sent is None or received is None or not 0 <= received <= sent:
            for inner in entry.walk():
                inner.seen = 0
            continue
        entry.ignore("source", "size", "dont-fragment", "says", "taken")
        hops: list[str | None] | None = None
        listed = entry.get("hops")
        if listed is not None and isinstance(listed.value, list):
            hops = []
            for item in listed.value:
                item.seen = 1
                found = parse_address(str(item.value)) if item.value is not None else None
                hops.append(str(found) if found is not None else None)
        draft.probes.append(
            ProbeFact(
                target,
                source,
                entry.integer("size") or 0,
                entry.boolean("dont-fragment") is True,
                sent,
                received,
                entry.text("says"),
                None if hops is None else tuple(hops),
                entry.text("taken"),
                Source(device, file, entry.line, f"probe of {target}: {received} of {sent}"),
            )
        )
    return draft
