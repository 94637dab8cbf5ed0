"""Remedies of neighbour relations: one end is made to fit the other, gate by gate.

Which of two ends is wrong, a gate does not say. The end that says what fewer others in the
network say is mended first; the other way round is the alternative.

mends    what several protocols share: statements, passive interfaces, router ids
ospf     the gates of OSPF
bgp      the gates of BGP sessions
made     what the rows of gates say themselves
filters  the gate that all of them share: what stops a protocol's own packets
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ....network.addressing import dotted
from ....network.edits import Remedy
from ....network.facts import End
from ....protocols import registry
from ....protocols.bgp.ends import BgpEnd
from ....protocols.gates import NOTHING, Judged, Relation
from ....protocols.ospf.interfaces import OspfEnd
from ....protocols.ospf.virtual import VirtualEnd
from ..bench import Bench
from .bgp import mend_bgp, own_again, renumbered, start
from .filters import let_pass
from .made import made
from .mends import Made, cover_all
from .ospf import idle_area, in_area, mend_ospf


def remedies(bench: Bench, relation: Relation) -> list[Remedy]:
    """The ways to mend a relation, most plausible first."""
    failing = [g for g in relation.gates if not g.holds and g.stops != NOTHING]
    if not failing or relation.ends[0] is None:
        return []
    out: list[tuple[float, Remedy]] = []
    for swapped in (False, True):
        me, other = relation.ends[::-1] if swapped else relation.ends
        done: list[Made] = []
        weight = 0.0
        for gate in failing:
            mine = gate.right if swapped else gate.left
            theirs = gate.left if swapped else gate.right
            found = (
                let_pass(bench, relation, me, other)
                if gate.gate == "filter"
                else _mended(bench, relation.protocol, gate, me, other, mine, theirs)
            )
            if found is None:
                done = []
                break
            if found[1] and found not in done:
                done.append(found)
            common = bench.commonness(relation.protocol, gate.gate, mine)
            weight += common - bench.commonness(relation.protocol, gate.gate, theirs)
        # Of two ends that fit as well, the one that says nothing has rather forgotten a line
        # than the other has one too many.
        weight += _hint(failing, me, other) + _farther(bench, failing, me, other)
        if done:
            title = "; ".join(text for text, _ in done)
            edits = tuple(edit for _, item in done for edit in item)
            name = _name(me)
            out.append((weight, Remedy(f"On {name}: {title}.", tuple(dict.fromkeys(edits)))))
            out += [(weight, wider) for wider in _wider(bench, relation, failing, me, other)]
        if isinstance(me, BgpEnd) and any(g.gate == "AS number" for g in failing):
            other_number = renumbered(bench, me)
            if other_number is not None:
                # What several expect alike is rather right than the one who says otherwise.
                out.append((weight - 100 if other_number[1] else weight, other_number[0]))
        if isinstance(me, BgpEnd) and any(g.gate == "peer address" for g in failing):
            # An address that several lines know is missed; one that a single line knows is wrong.
            missed = me.peer is not None and (
                bench.mentioned(me.peer) > 1 or bench.more_usual(me.peer, other.source)
            )
            missed = missed or _subnets_own(other)
            given = own_again(bench, me, other)
            out += [(weight - 100 if missed else weight, item) for item in given]
    out.sort(key=lambda item: item[0])
    return [remedy for _, remedy in out] + _both(bench, relation, failing)


def _subnets_own(end: BgpEnd) -> bool:
    """True if a speaker's address is its subnet's own: nobody gives that to a router on purpose."""
    return any(
        fact.address == end.source
        and fact.address.value == fact.connected.network
        and fact.connected.length < (31 if fact.address.family == 4 else 127)
        for interface in end.device.interfaces
        for fact in interface.addresses
    )


def _wider(
    bench: Bench, relation: Relation, failing: list[Judged], me: Any, other: Any
) -> list[Remedy]:
    """The same mend for everything that the same statement is about."""
    gates = {gate.gate for gate in failing}
    out: list[Remedy] = []
    if "enabled" in gates:
        area = other.area.value if isinstance(other, OspfEnd) and other.area else 0
        whole = cover_all(bench, relation.protocol, me.device, relation.family, area)
        if whole is not None:
            out.append(whole)
    if "area" in gates and isinstance(me, OspfEnd) and me.area and other.area:
        statement = next(
            (s for s in me.process.networks if s.source == me.area.source and s.prefix), None
        )
        if statement is not None and statement.prefix is not None:
            edits = (
                bench.writer(me.device)
                .of(relation.protocol)
                .cover(relation.family, me.interface, statement.prefix, other.area.value)
            )
            shown = dotted(other.area.value)
            if edits is not None:
                title = f"On {me.device}: put {statement.prefix} into area {shown}."
                out.append(Remedy(title, edits))
    return out


def _hint(failing: list[Judged], me: Any, other: Any) -> float:
    """What speaks against mending this end (positive) where counting does not decide."""
    gate = failing[0]
    links = isinstance(me, OspfEnd)
    if links and gate.gate == "area" and me.area and other.area:
        # Who has to do with the other's area anyway is the one that left it.
        knows, known = _knows(me, other.area.value), _knows(other, me.area.value)
        return 100.0 * (known - knows)
    if links and gate.gate in ("hello interval", "dead interval"):
        even = [end.dead == end.hello * 4 for end in (me, other)]
        if even[0] != even[1]:
            return 0.1 if even[0] else -0.1
    if links and gate.gate == "area type":
        mistyped = [idle_area(end) is not None for end in (me, other)]
        if mistyped[0] != mistyped[1]:
            return -100.0 if mistyped[0] else 100.0
        said = [end.area_facts.kind_source is not None for end in (me, other)]
    else:
        lines = {s.device for s in gate.evidence if not s.default and not s.missing}
        said = [_name(end) in lines for end in (me, other)]
    # The end that says nothing has rather forgotten a line than the other has one too many.
    return 0.01 if said[0] and not said[1] else 0.0


def _farther(bench: Bench, failing: list[Judged], me: Any, other: Any) -> float:
    """What speaks against moving this end into the other's subnet: its own is nearer to those of
    other links (positive), or farther."""
    if not any(gate.gate == "subnet" for gate in failing):
        return 0.0
    mine, theirs = getattr(me, "fact", None), getattr(other, "fact", None)
    if mine is None or theirs is None or mine.connected.overlaps(theirs.connected):
        return 0.0
    ends = (End(me.device, me.interface.name), End(other.device, other.interface.name))
    near, far = (bench.in_plan(fact.connected, ends) for fact in (mine, theirs))
    return 0.1 * ((near > far) - (near < far))


def _knows(end: Any, area: int) -> bool:
    """True if a router has something else to do with an area: a setting, another interface."""
    held = end.process.areas.get(area)
    if held is not None and held.kind_source is not None:
        return True
    return in_area(end, area)


def _name(end: Any) -> str:
    return end.name if isinstance(end, BgpEnd) else str(end.device)


def _both(bench: Bench, relation: Relation, failing: list[Judged]) -> list[Remedy]:
    """Where each end has a fault of its own, both are mended together."""
    edits: list[Any] = []
    words: list[str] = []
    for swapped in (False, True):
        me, other = relation.ends[::-1] if swapped else relation.ends
        for gate in failing:
            mine = gate.right if swapped else gate.left
            theirs = gate.left if swapped else gate.right
            found = _mended(bench, relation.protocol, gate, me, other, mine, theirs)
            if found is None or not found[1] or _one_is_enough(gate):
                continue
            words.append(f"{_name(me)}: {found[0]}")
            edits += found[1]
    names = {word.partition(":")[0] for word in words}
    if len(names) < 2:
        return []
    return [Remedy("; ".join(words) + ".", tuple(dict.fromkeys(edits)))]


def _one_is_enough(gate: Judged) -> bool:
    """True if a gate compares two values, so that one of them moves to the other."""
    return gate.gate not in (
        "configured",
        "switched on",
        "enabled",
        "not passive",
        "external policy",
        "peer near",
        "AS number",
        "hop limit",
        "IPv4 family",
        "IPv6 family",
    )


_MENDERS: dict[type, Callable[..., Made | None]] = {
    OspfEnd: mend_ospf,
    VirtualEnd: mend_ospf,
    BgpEnd: mend_bgp,
}
"""Mends that need more than the two ends, such as what is usual in the network."""


def _mended(
    bench: Bench,
    protocol: str,
    gate: Judged,
    me: Any,
    other: Any,
    mine: str | None,
    theirs: str | None,
) -> Made | None:
    """What makes one end fit the other at a gate: as its row says, or as a person would who knows
    the whole network."""
    for row in registry.protocol(protocol).gates:
        if row.name == gate.gate and row.mend is not None:
            mend = row.mend(me, other)
            return None if mend is None else made(bench, mend, me)
    mender = _MENDERS.get(type(me))
    return None if mender is None else mender(bench, gate, me, other, mine, theirs)


__all__ = ["remedies", "start"]
