"""What tells which of two neighbours is the odd one, where a gate compares them.

In this order: what an end has to do with elsewhere (an area, an address plan), what more ends of
the network say, what fits itself, and last that a line is rather forgotten than one too many.
"""

from __future__ import annotations

from typing import Any

from ....network.addressing import dotted
from ....network.facts import End
from ....protocols.bgp.ends import BgpEnd
from ....protocols.gates import Judged, Relation
from ....protocols.ospf.interfaces import OspfEnd
from ....protocols.ospf.mends import idle_area, in_area
from ..bench import Bench
from ..sides import Ground


def against(bench: Bench, relation: Relation, failing: list[Judged], swapped: bool) -> list[Ground]:
    """What speaks against changing the left end of a relation, or its right one (`swapped`)."""
    me, other = relation.ends[::-1] if swapped else relation.ends
    out: list[Ground] = []
    for gate in failing:
        mine = gate.right if swapped else gate.left
        theirs = gate.left if swapped else gate.right
        common = bench.commonness(relation.protocol, gate.gate, mine)
        others = bench.commonness(relation.protocol, gate.gate, theirs)
        everyone = bench.ends_judged(relation.protocol, gate.gate)
        says = f"{common} of {everyone} ends in this network say {mine}."
        out.append(Ground(common - others, says))
    return [*out, *_hints(failing, me, other), *_farther(bench, failing, me, other)]


def _hints(failing: list[Judged], me: Any, other: Any) -> list[Ground]:
    """What tells where counting does not."""
    gate = failing[0]
    mine, theirs = _name(me), _name(other)
    links = isinstance(me, OspfEnd)
    if links and gate.gate == "area" and me.area and other.area:
        # Who has to do with the other's area anyway is the one that left it.
        knows, known = _knows(me, other.area.value), _knows(other, me.area.value)
        says = f"{theirs} has to do with area {dotted(me.area.value)} elsewhere, too."
        return [Ground(100.0 * (known - knows), says)]
    if links and gate.gate in ("hello interval", "dead interval"):
        even = [end.dead == end.hello * 4 for end in (me, other)]
        if even[0] != even[1]:
            says = f"At {mine} the dead interval is four times the hello interval, as is usual."
            return [Ground(0.1 if even[0] else -0.1, says)]
    if isinstance(me, BgpEnd) and isinstance(other, BgpEnd) and gate.gate == "password":
        strays = [_stray(end, far) for end, far in ((me, other), (other, me))]
        if strays[0] != strays[1] and None in strays:
            says = f"{theirs} has a line with that password for {strays[1]}, which is no neighbour."
            return [Ground(-100.0 if strays[0] else 100.0, says)]
    if links and gate.gate == "area type":
        mistyped = [idle_area(end) is not None for end in (me, other)]
        if mistyped[0] != mistyped[1]:
            says = f"{theirs} says something of an area in which it has no interface."
            return [Ground(-100.0 if mistyped[0] else 100.0, says)]
        said = [end.area_facts.kind_source is not None for end in (me, other)]
    else:
        lines = {s.device for s in gate.evidence if not s.default and not s.missing}
        said = [_name(end) in lines for end in (me, other)]
    if said[0] and not said[1]:
        says = f"{mine} says so in a line, and {theirs} says nothing: a line is rather forgotten."
        return [Ground(0.01, says)]
    return []


def _stray(end: BgpEnd, far: BgpEnd) -> str | None:
    """Whom an end has the far end's password for, although that is no neighbour of it."""
    word = far.neighbour.password if far.neighbour is not None else None
    if word is None:
        return None
    return next(
        (
            str(item.called)
            for item in end.process.neighbours
            if item.remote_as is None and item.password and item.password.value == word.value
        ),
        None,
    )


def _farther(bench: Bench, failing: list[Judged], me: Any, other: Any) -> list[Ground]:
    """What speaks against moving this end into the other's subnet: its own is nearer to those of
    other links (positive), or farther."""
    if not any(gate.gate == "subnet" for gate in failing):
        return []
    mine, theirs = getattr(me, "fact", None), getattr(other, "fact", None)
    if mine is None or theirs is None or mine.connected.overlaps(theirs.connected):
        return []
    ends = (End(me.device, me.interface.name), End(other.device, other.interface.name))
    near, far = (bench.in_plan(fact.connected, ends) for fact in (mine, theirs))
    says = f"{mine.connected} lies nearer to the subnets of other links than {theirs.connected}."
    return [Ground(0.1 * ((near > far) - (near < far)), says)]


def _knows(end: Any, area: int) -> bool:
    """True if a router has something else to do with an area: a setting, another interface."""
    held = end.process.areas.get(area)
    if held is not None and held.kind_source is not None:
        return True
    return in_area(end, area)


def _name(end: Any) -> str:
    return end.name if isinstance(end, BgpEnd) else str(end.device)
