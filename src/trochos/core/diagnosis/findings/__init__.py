"""Findings, one module per family. Each offers `find(context)` and its kinds in `KINDS`."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from types import ModuleType

from ...network.guard import guarded
from ..finding import NOTES, ORDER, RISKS, Finding
from . import (
    addresses,
    filters,
    forwarding,
    hosts,
    idle,
    instances,
    leaks,
    links,
    loops,
    neighbours,
    reality,
    rules,
    shared,
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
    leaks,
    tunnels,
    statics,
    rules,
    hosts,
    neighbours,
    shared,
    loops,
    idle,
    forwarding,
    filters,
    translations,
    switches,
    reality,
)
KINDS: dict[str, str] = {kind: text for family in FAMILIES for kind, text in family.KINDS.items()}
TRAITS: dict[str, str] = {
    kind: trait for family in FAMILIES for kind, trait in getattr(family, "TRAITS", {}).items()
}
KINDS["check-broke"] = "Checks that broke, so that nothing which they look for is said."


def find_all(context: Context) -> list[Finding]:
    """Every finding of every family, most serious first."""
    out: dict[str, Finding] = {}
    for family in FAMILIES:
        for finding in guarded(
            f"the checks of {_name(family)}",
            partial(_found, context, family),
            partial(_broke, family),
        ):
            out.setdefault(finding.id, _as_certain(context, finding))
    return sorted(out.values(), key=lambda f: (ORDER[f.severity], f.kind, f.device, f.id))


def _name(family: ModuleType) -> str:
    return family.__name__.rpartition(".")[2]


def _found(context: Context, family: ModuleType) -> list[Finding]:
    return list(family.find(context))


def _broke(family: ModuleType, error: str) -> list[Finding]:
    """That checks could not be made: nothing that they look for is said of any device."""
    what = _name(family)
    says = f"The checks of {what} broke here ({error}): nothing that they look for is said."
    detail = "That is a fault of Trochos; its trace is in the log. All other checks were made."
    return [Finding("check-broke", RISKS, "", says, detail, (), key=what)]


def _as_certain(context: Context, finding: Finding) -> Finding:
    """The finding, as a note where a device that it is about was read in part only."""
    names = [finding.device, *([finding.peer.device] if finding.peer is not None else ())]
    partly = [d for d in map(context.network.device, names) if d is not None and d.partly]
    if not partly or finding.severity == NOTES:
        return finding
    why = f" {partly[0].name} could be read in part only, so this may be said elsewhere."
    return replace(finding, severity=NOTES, detail=finding.detail + why)


__all__ = ["FAMILIES", "KINDS", "Context", "find_all"]
