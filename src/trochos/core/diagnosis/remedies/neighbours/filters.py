"""Mends of the gate that all protocols share: a filter that stops the protocol's own packets."""

from __future__ import annotations

from typing import Any

from ....network.addressing import Prefix
from ....protocols import eigrp, rip
from ....protocols.bgp import sessions
from ....protocols.filters import Flow, on_own_packets
from ....protocols.gates import Relation
from ....protocols.ospf import neighbours as ospf
from .. import filters
from ..bench import Bench
from .mends import Mend

_FLOWS: dict[str, Flow] = {"ospf": ospf.OWN, "rip": rip.OWN, "eigrp": eigrp.OWN}


def let_pass(bench: Bench, relation: Relation, me: Any, other: Any) -> Mend | None:
    """A permission for the protocol at one end; nothing to do where its filter lets it pass."""
    if relation.protocol == "bgp":
        flow, theirs, mine = sessions.OWN, other.source, me.source
        found = sessions.stopping(me, other, flow)
    else:
        flow, theirs, mine = _FLOWS[relation.protocol], other.address, me.address
        found = on_own_packets(me, other, flow)
    if found is None:
        return "", ()
    if theirs is None or mine is None:
        return None
    name = me.name if relation.protocol == "bgp" else me.device
    whole = Prefix(theirs.family, theirs.value, 32 if theirs.family == 4 else 128)
    remedies = filters.unblock(bench, name, found, flow, whole, mine)
    if not remedies:
        return None
    words = f"let {relation.protocol.upper()} of {theirs} pass in {found.chain}"
    return words, remedies[0].edits
