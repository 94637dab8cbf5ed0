"""Findings, one module per family. Each offers `find(context)` and its kinds in `KINDS`."""

from __future__ import annotations

from ..finding import ORDER, Finding
from . import (
    addresses,
    filters,
    forwarding,
    hosts,
    idle,
    links,
    loops,
    neighbours,
    reality,
    statics,
    switches,
    tunnels,
)
from .context import Context

FAMILIES = (
    addresses,
    links,
    tunnels,
    statics,
    hosts,
    neighbours,
    loops,
    idle,
    forwarding,
    filters,
    switches,
    reality,
)
KINDS: dict[str, str] = {kind: text for family in FAMILIES for kind, text in family.KINDS.items()}


def find_all(context: Context) -> list[Finding]:
    """Every finding of every family, most serious first."""
    out: dict[str, Finding] = {}
    for family in FAMILIES:
        for finding in family.find(context):
            out.setdefault(finding.id, finding)
    return sorted(out.values(), key=lambda f: (ORDER[f.severity], f.kind, f.device, f.id))


__all__ = ["FAMILIES", "KINDS", "Context", "find_all"]
