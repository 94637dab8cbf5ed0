"""Mends of the gate that all protocols share: a filter that stops the protocol's own packets."""

from __future__ import annotations

from typing import Any

from ....change.writers.base import Edits
from ....network.addressing import Address, Prefix
from ....network.protocols import label
from ....protocols import registry
from ....protocols.bgp import gates
from ....protocols.bgp.ends import BgpEnd
from ....protocols.gates import Relation
from ....protocols.passing import on_own_packets
from ....step.filters import Decision, Flow
from .. import filters
from ..bench import Bench
from .mends import Made


def let_pass(bench: Bench, relation: Relation, me: Any, other: Any) -> Made | None:
    """A permission for the protocol at one end; nothing to do where its filter lets it pass."""
    flow = registry.protocol(relation.protocol).packets
    if flow is None:
        return None
    session = isinstance(me, BgpEnd)
    if session:
        theirs, mine = other.source, me.source
        # Somebody between the two may stop what the other sends, or this end itself.
        found = other.on_the_way[0] or gates.stopping(me, other, flow)
    else:
        theirs, mine = other.address, me.address
        found = on_own_packets(me, other, flow)
    if found is None:
        return "", ()
    if theirs is None or mine is None:
        return None
    name = me.name if session else me.device
    if session and found.entry is not None:
        name = found.entry.device
    edits = _permit(bench, name, found, flow, theirs, mine)
    if edits is None:
        return None
    answers = me.on_the_way[1] if session else None
    if answers is not None and answers.entry is not None:
        # Letting the session be opened is no use where its answers are stopped on the way back.
        back = flow.back(frozenset((answers.entry.device,)))
        more = _permit(bench, answers.entry.device, answers, back, mine, theirs)
        if more is None:
            return None
        edits = (*edits, *more)
    words = f"let {label(relation.protocol)} of {theirs} pass in {found.chain}"
    if session and name != me.name:
        words += f" on {name}"
    return words, edits


def _permit(
    bench: Bench, device: str, found: Decision, flow: Flow, source: Address, target: Address
) -> Edits | None:
    whole = Prefix(source.family, source.value, 32 if source.family == 4 else 128)
    remedies = filters.unblock(bench, device, found, flow, whole, target)
    return remedies[0].edits if remedies else None
