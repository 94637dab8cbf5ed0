"""How a device was gathered: what is missing is said, and so is every answer that needs it."""

from __future__ import annotations

from ..network.facts import Source, Unmodelled
from .drafts import CaptureDraft
from .located_json import Document, Node

KIND = "how the device was gathered"
_TOP = "trochos-gathering:device"


def looks_like(root: Node) -> bool:
    return _TOP in root.members()


def read(device: str, file: str, document: Document) -> tuple[CaptureDraft, str | None]:
    """What was not gathered, as what makes answers uncertain, and why nothing was, if so."""
    draft = CaptureDraft(file)
    held = document.root.get(_TOP)
    assert held is not None
    started, ended = held.text("started"), held.text("ended")
    if started and ended:
        draft.read_at = (started, ended)
    held.ignore("method", "address", "absent", "started", "ended", "outcome", "problem")
    problem = held.peek("problem")
    failed = problem.value if problem is not None and isinstance(problem.value, str) else None
    missing = held.get("missing")
    for what, why in (missing.members() if missing is not None else {}).items():
        why.seen = 1
        # Tables and what is stored are only ever set beside what is computed: no answer needs them.
        if any(word in what for word in ("table", "route", "the state", "stored")):
            continue
        source = Source(device, file, why.key_line, str(why.value))
        draft.unmodelled.append(
            Unmodelled(source, f"what {what!r} would have shown was not gathered")
        )
    return draft, failed
