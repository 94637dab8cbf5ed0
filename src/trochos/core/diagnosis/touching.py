"""Which findings bear on one path: those about its links, and those about its routes."""

from __future__ import annotations

from ..forwarding.path import Path
from ..forwarding.view import Forwarding
from ..network.addressing import Address
from ..network.facts import End, Source
from ..protocols.tables import Tables
from .finding import ORDER, Finding
from .findings import neighbours, statics
from .findings.loops import KINDS as LOOP_KINDS
from .why import absence_of, missing_prefix

# These speak of routes: they bear on a path if one of their lines does.
_ABOUT_ROUTES = set(statics.KINDS) | set(LOOP_KINDS)


def findings_on_path(
    findings: list[Finding], path: Path, tables: Tables, forwarding: Forwarding
) -> list[Finding]:
    """Findings about interfaces that the legs use or would use, and about routes that decide.

    Those that touch the hop where a leg dies come first, then the more serious ones.
    """
    ends: set[End] = set()
    dying_ends: set[End] = set()
    lines: set[Source] = set()
    dying_lines: set[Source] = set()
    silent_pairs: set[frozenset[str]] = set()
    for leg, target in ((path.outbound, path.target), (path.back, path.source)):
        if leg is None or target is None:
            continue
        for branch in leg.branches:
            for hop in branch.hops:
                dies = branch.verdict != "delivered" and (
                    hop is branch.last or hop.device in branch.loop
                )
                here = {End(hop.device, name) for name in (hop.arrived, hop.out) if name}
                if hop.out:
                    far = tables.links.far_end(End(hop.device, hop.out))
                    here |= {far} if far else set()
                because = set(hop.route.because) if hop.route else set()
                if dies:
                    silent_pairs |= _where_news_stops(tables, forwarding, hop.device, target)
                    for route in tables.of(hop.device, target.family).covering(target):
                        if route.problem is not None:
                            because |= set(route.because)
                    dying_ends |= here
                    dying_lines |= because
                ends |= here
                lines |= because

    def rank(finding: Finding) -> tuple[int, int, int, str] | None:
        evidence = set(finding.evidence)
        own = {End(finding.device, finding.interface or "")}
        if finding.peer is not None:
            own.add(finding.peer)
        if finding.kind in _ABOUT_ROUTES:
            touches, near = bool(evidence & lines), bool(evidence & dying_lines)
        elif finding.kind in neighbours.KINDS:
            pair = frozenset((finding.device, finding.peer.device if finding.peer else ""))
            touches = near = pair in silent_pairs
        else:
            touches = bool(own & ends) or bool(evidence & lines)
            near = bool(own & dying_ends) or bool(evidence & dying_lines)
        # A loop is what a missing route looks like from afar, so it comes after its causes.
        looks = finding.kind in LOOP_KINDS
        return (ORDER[finding.severity], not near, looks, finding.id) if touches else None

    ranked = [(key, finding) for finding in findings if (key := rank(finding)) is not None]
    return [finding for _, finding in sorted(ranked, key=lambda item: item[0])]


def _where_news_stops(
    tables: Tables, forwarding: Forwarding, device: str, target: Address
) -> set[frozenset[str]]:
    """The pair of devices between which the route that is missing here gets lost."""
    prefix = missing_prefix(tables, forwarding, device, target)
    if prefix is None or not tables.speakers:
        return set()
    if tables.of(device, target.family).holds(prefix):
        return set()
    pair = absence_of(tables).frontier(device, prefix)
    return set() if pair is None else {frozenset(pair)}
