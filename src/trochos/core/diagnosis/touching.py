"""Which findings bear on one path: those about its links, and those about its routes."""

from __future__ import annotations

from ..forwarding.path import Path
from ..network.facts import End, Source
from ..protocols.tables import Tables
from .finding import ORDER, Finding
from .findings import statics
from .findings.loops import KINDS as LOOP_KINDS

# These speak of routes: they bear on a path if one of their lines does.
_ABOUT_ROUTES = set(statics.KINDS) | set(LOOP_KINDS)


def findings_on_path(findings: list[Finding], path: Path, tables: Tables) -> list[Finding]:
    """Findings about interfaces that the legs use or would use, and about routes that decide.

    Those that touch the hop where a leg dies come first, then the more serious ones.
    """
    ends: set[End] = set()
    dying_ends: set[End] = set()
    lines: set[Source] = set()
    dying_lines: set[Source] = set()
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
                    for route in tables.of(hop.device, target.family).covering(target):
                        if route.problem is not None:
                            because |= set(route.because)
                    dying_ends |= here
                    dying_lines |= because
                ends |= here
                lines |= because

    def rank(finding: Finding) -> tuple[int, int, str] | None:
        evidence = set(finding.evidence)
        own = {End(finding.device, finding.interface or "")}
        if finding.peer is not None:
            own.add(finding.peer)
        if finding.kind in _ABOUT_ROUTES:
            touches, near = bool(evidence & lines), bool(evidence & dying_lines)
        else:
            touches = bool(own & ends) or bool(evidence & lines)
            near = bool(own & dying_ends) or bool(evidence & dying_lines)
        return (ORDER[finding.severity], not near, finding.id) if touches else None

    ranked = [(key, finding) for finding in findings if (key := rank(finding)) is not None]
    return [finding for _, finding in sorted(ranked, key=lambda item: item[0])]
