"""Remedies of neighbour relations: one end is made to fit the other, gate by gate.

Which of two ends is wrong, a gate does not say. The end that says what fewer others in the
network say is mended first; the other way round is the alternative.

mends    what several protocols share: statements, passive interfaces, router ids
ospf     the gates of OSPF
bgp      the gates of BGP sessions
made     what the rows of gates say themselves
grounds  what tells which of two ends is the odd one
filters  the gate that all of them share: what stops a protocol's own packets
"""

from __future__ import annotations

from typing import Any

from ....network.addressing import dotted
from ....network.edits import Remedy
from ....protocols import registry
from ....protocols.bgp.ends import BgpEnd
from ....protocols.gates import NOTHING, Judged, Relation
from ....protocols.ospf.interfaces import OspfEnd
from ..bench import Bench
from ..sides import Side, with_bases
from .bgp import own_again, renumbered, start
from .filters import let_pass
from .grounds import against
from .made import made
from .mends import Made, cover_all


def remedies(bench: Bench, relation: Relation) -> list[Remedy]:
    """The ways to mend a relation, most plausible first."""
    failing = [g for g in relation.gates if not g.holds and g.stops != NOTHING]
    if not failing or relation.ends[0] is None:
        return []
    out: list[tuple[float, Remedy]] = []
    sides: list[Side] = []
    told: dict[Remedy, Remedy] = {}
    for swapped in (False, True):
        me, other = relation.ends[::-1] if swapped else relation.ends
        done: list[Made] = []
        begins = False
        for gate in failing:
            found = (
                let_pass(bench, relation, me, other)
                if gate.gate == "filter"
                else _mended(bench, relation.protocol, gate, me, other)
            )
            if found is None:
                done = []
                break
            # Where the first gate fails by the other end's doing, this end alone mends nothing.
            begins = begins or (gate is failing[0] and bool(found[1]))
            if found[1] and found not in done:
                done.append(found)
        grounds = against(bench, relation, failing, swapped)
        weight = sum(ground.weight for ground in grounds)
        if done and begins:
            title = "; ".join(text for text, _ in done)
            edits = tuple(edit for _, item in done for edit in item)
            remedy = Remedy(f"On {_name(me)}: {title}.", tuple(dict.fromkeys(edits)))
            sides.append(Side(remedy, grounds))
            out.append((weight, remedy))
            out += [(weight, wider) for wider in _wider(bench, relation, failing, me, other)]
        if isinstance(me, BgpEnd) and any(g.gate == "AS number" for g in failing):
            other_number = renumbered(bench, me)
            if other_number is not None:
                # What several expect alike is rather right than the one who says otherwise.
                remedy, alike = other_number
                out.append((weight - 100 if alike else weight, remedy))
                if alike:
                    told[remedy] = remedy._replace(basis="Others expect that number, too.")
        if isinstance(me, BgpEnd) and any(g.gate == "peer address" for g in failing):
            # An address that several lines know is missed; one that a single line knows is wrong.
            missed = me.peer is not None and (
                bench.mentioned(me.peer) > 1 or bench.more_usual(me.peer, other.source)
            )
            missed = missed or _subnets_own(other)
            given = own_again(bench, me, other)
            out += [(weight - 100 if missed else weight, item) for item in given]
            if missed:
                why = f"The address {me.peer} is what the rest of the network looks for there."
                told |= {item: item._replace(basis=why) for item in given}
    out.sort(key=lambda item: item[0])
    told = told or with_bases(sides)
    return [told.get(remedy, remedy) for _, remedy in out] + _both(bench, relation, failing)


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


def _name(end: Any) -> str:
    return end.name if isinstance(end, BgpEnd) else str(end.device)


def _both(bench: Bench, relation: Relation, failing: list[Judged]) -> list[Remedy]:
    """Where each end has a fault of its own, both are mended together."""
    edits: list[Any] = []
    words: list[str] = []
    for swapped in (False, True):
        me, other = relation.ends[::-1] if swapped else relation.ends
        for gate in failing:
            found = _mended(bench, relation.protocol, gate, me, other)
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


def _mended(bench: Bench, protocol: str, gate: Judged, me: Any, other: Any) -> Made | None:
    """What makes one end fit the other at a gate, as its row says."""
    for row in registry.protocol(protocol).rows:
        if row.name == gate.gate and row.mend is not None:
            mend = row.mend(me, other)
            return None if mend is None else made(bench, mend, me)
    return None


__all__ = ["remedies", "start"]
