"""Addresses that nobody outside is to know: a device on the way rewrites them.

Who hides inside addresses behind one of its own does so on purpose, so that nobody outside reaches
an inside address by its own name is no fault.
"""

from __future__ import annotations

from ..forwarding.view import Forwarding
from ..network.addressing import Address
from ..network.translation import SOURCE
from ..step.filters import Flow
from ..step.packet import Packet
from ..step.walk import walk
from .questions import Question


def hidden_from(forwarding: Forwarding, question: Question, source: Address | None) -> bool:
    """True if what the asked one sends to the asker gets another source on its way, or would if it
    came as far."""
    if source is None or not forwarding.translating:
        return False
    packet = Packet(source, question.target, flow=Flow())
    leg = walk(forwarding, question.owner, packet)
    rewriting = {
        hop.device
        for branch in leg.branches
        for hop in branch.hops
        if any(item.what == SOURCE for item in hop.rewritten)
    }
    if not rewriting and leg.state == "no":
        rewriting = {n for n in forwarding.translating if _would(forwarding, n, packet)}
    # Who rewrites both ways hides nobody: there one side is no more outside than the other.
    back = Packet(question.target, source, flow=Flow())
    return any(not _would(forwarding, name, back) for name in rewriting)


def _would(forwarding: Forwarding, name: str, packet: Packet) -> bool:
    """True if a device that lies between two addresses rewrites the source of what passes."""
    translator = forwarding.translator(name)
    assert translator is not None and packet.source is not None
    there = forwarding.matching(name, packet.target)
    here = forwarding.matching(name, packet.source)
    if there is None or here is None:
        return False
    comes = {hop.interface for hop in here.obeyed_hops}
    for hop in there.obeyed_hops:
        if hop.interface is None or hop.interface in comes or None in comes:
            continue
        for arrived in comes:
            change = translator.leaves(packet, packet, arrived, hop)
            if any(item.what == SOURCE for item in change.done):
                return True
    return False
