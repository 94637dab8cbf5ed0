"""Mends of the gate that all protocols share: a filter that stops the protocol's own packets."""

from __future__ import annotations

from typing import Any

from ....change.writers.base import Edits
from ....network.addressing import Address, Prefix
from ....protocols import eigrp, rip
from ....protocols.bgp import gates
from ....protocols.filters import Decision, Flow, on_own_packets
from ....protocols.gates import Relation
from ....protocols.ospf import neighbours as ospf
from .. import filters
from ..bench import Bench
from .mends import Mend

_FLOWS: dict[str, Flow] = {"ospf": ospf.OWN, "rip": rip.OWN, "eigrp": eigrp.OWN}


def let_pass(bench: Bench, relation: Relation, me: Any, other: Any) -> Mend | None:
    """A permission for the protocol at one end; nothing to do where its filter lets it pass."""
    if relation.protocol == "bgp":
        flow, theirs, mine = gates.OWN, other.source, me.source
        # Somebody between the two may stop what the other sends, or this end itself.
        found = other.on_the_way[0] or gates.stopping(me, other, flow)
    else:
        flow, theirs, mine = _FLOWS[relation.protocol], other.address, me.address
        found = on_own_packets(me, other, flow)
    if found is None:
        return "", ()
    if theirs is None or mine is None:
        return None
    name = me.name if relation.protocol == "bgp" else me.device
    if relation.protocol == "bgp" and found.entry is not None:
        name = found.entry.device
    edits = _permit(bench, name, found, flow, theirs, mine)
    if edits is None:
        return None
    answers = me.on_the_way[1] if relation.protocol == "bgp" else None
    if answers is not None and answers.entry is not None:
        # Letting the session be opened is no use where its answers are stopped on the way back.
        back = flow.back(frozenset((answers.entry.device,)))
        more = _permit(bench, answers.entry.device, answers, back, mine, theirs)
        if more is None:
            return None
        edits = (*edits, *more)
    words = f"let {relation.protocol.upper()} of {theirs} pass in {found.chain}"
    if relation.protocol == "bgp" and name != me.name:
        words += f" on {name}"
    return words, edits


def _permit(
    bench: Bench, device: str, found: Decision, flow: Flow, source: Address, target: Address
) -> Edits | None:
    whole = Prefix(source.family, source.value, 32 if source.family == 4 else 128)
    remedies = filters.unblock(bench, device, found, flow, whole, target)
    return remedies[0].edits if remedies else None
