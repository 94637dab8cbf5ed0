"""Findings, one module per family. Each offers `find(context)` and its kinds in `KINDS`."""

from __future__ import annotations

from dataclasses import replace

from ..finding import NOTES, ORDER, Finding
from . import (
    addresses,
    filters,
    forwarding,
    hosts,
    idle,
    instances,
    links,
    loops,
    neighbours,
    reality,
    rules,
    statics,
    switches,
    translations,
    tunnels,
)
from .context import Context

FAMILIES = (
    addresses,
    links,
    instances,
    tunnels,
    statics,
    rules,
    hosts,
    neighbours,
    loops,
    idle,
    forwarding,
    filters,
    translations,
    switches,
    reality,
)
KINDS: dict[str, str] = {kind: text for family in FAMILIES for kind, text in family.KINDS.items()}


def find_all(context: Context) -> list[Finding]:
    """Every finding of every family, most serious first."""
    out: dict[str, Finding] = {}
    for family in FAMILIES:
        for finding in family.find(context):
            out.setdefault(finding.id, _as_certain(context, finding))
    return sorted(out.values(), key=lambda f: (ORDER[f.severity], f.kind, f.device, f.id))


def _as_certain(context: Context, finding: Finding) -> Finding:
    """The finding, as a note where a device that it is about was read in part only."""
    names = [finding.device, *([finding.peer.device] if finding.peer is not None else ())]
    partly = [d for d in map(context.network.device, names) if d is not None and d.partly]
    if not partly or finding.severity == NOTES:
        return finding
    why = f" {partly[0].name} could be read in part only, so this may be said elsewhere."
    return replace(finding, severity=NOTES, detail=finding.detail + why)


__all__ = ["FAMILIES", "KINDS", "Context", "find_all"]
