"""How much is believed of what could be the cause, before and after it is tried.

The order of evidence: what is wrong whoever asks, on the way of the complaint; what the rest of the
network says of an end (`remedies.sides`); what stood there before; what it heals and what it harms.
Calibrated on many networks (`bench/any_line.py`), never on one.
"""

from __future__ import annotations

from ..protocols.gates import Relation
from . import findings as found
from . import suspects as suspected
from .answer import Cause, Option
from .finding import BREAKS, NEW_LINE, Finding, Ready
from .findings.instances import Moved
from .older import RESTORES
from .suspects import PLAUSIBLE, POSSIBLE, SURE, WORKAROUND
from .trials import Trials

TRAITS = {**found.TRAITS, **suspected.TRAITS}
"""What a kind of finding means for a search, as the kind itself says."""


def belief(finding: Finding, near: bool, leads_on: bool) -> int:
    """How much a finding is believed to be the cause before its remedy is tried.

    Args:
        finding: what was found.
        near: whether it touches the way of the complaint.
        leads_on: whether what it is about leads the right way from there.
    """
    serious = finding.severity == BREAKS
    if leads_on:
        return POSSIBLE  # who turns it back is further on
    if serious and (near or isinstance(finding.subject, Moved | Ready)):
        return SURE
    if serious and isinstance(finding.subject, Relation):
        return PLAUSIBLE  # news may get lost far from where it is missed
    return POSSIBLE if serious else WORKAROUND


def ranked(options: list[Option], trials: Trials, most: int) -> list[Cause]:
    """Those that heal, by what else they do: damage last, root causes first."""
    options = sorted(options, key=lambda o: (o.weight, o.standing, o.order))
    # What a missing route should cover is judged by how the device writes its others, or
    # others write theirs: then by what it heals.
    first: set[str] = set()
    for option in list(options):
        if TRAITS.get(option.finding.kind) == NEW_LINE:
            if option.finding.id in first and not option.remedy.customary:
                options.remove(option)
            first.add(option.finding.id)
    options = options[:most]
    judged = [Cause(o, "proven", True, trials.effect(o.edits)) for o in options]
    heals = trials.gains(judged)

    def key(cause: Cause) -> tuple[object, ...]:
        effect, option = cause.effect, cause.option
        best = max(heals[id(c)] for c in judged if c.option.weight <= option.weight)
        partial = heals[id(cause)] < 0.6 * best
        # What only works because of a fault goes with it: that speaks against undoing
        # something of which nothing else says that it is the odd one.
        meant = (option.remedy.odd or option.standing == RESTORES) and heals[
            id(cause)
        ] > effect.count("breaks")
        return (
            effect.count("breaks") > 0 and not meant,
            option.weight + (2 if partial else 0) + option.standing,
            option.standing,
            # What is wrong whoever asks comes before what would help this complaint.
            not option.contradicts,
            not (option.remedy.odd and heals[id(cause)] >= 0.8 * best),
            -heals[id(cause)],
            # A new route does what the network does otherwise: never first by its order.
            TRAITS.get(option.finding.kind) == NEW_LINE,
            option.order,
            effect.count("moves"),
            len(option.edits),
        )

    out: list[Cause] = []
    seen: set[str] = set()
    for cause in sorted(judged, key=key):
        if cause.option.finding.id not in seen:
            seen.add(cause.option.finding.id)
            out.append(cause)
    return out
