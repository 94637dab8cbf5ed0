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
        hops: list[tuple[str, ...]] | None = None
        listed = entry.get("hops")
        if listed is not None and isinstance(listed.value, list):
            hops = []
            for item in listed.value:
                item.seen = 1
                # Several may answer at one hop where ways part.
                shown = item.elements() if isinstance(item.value, list) else [item]
                found = [parse_address(str(n.value)) for n in shown if n.value is not None]
                for node in shown:
                    node.seen = 1
                hops.append(tuple(str(address) for address in found if address is not None))
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
