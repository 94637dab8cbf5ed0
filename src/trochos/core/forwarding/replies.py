"""The answers to a request: from whoever got it, with what devices on its way remember."""

from __future__ import annotations

from dataclasses import replace

from ..step.legs import Branch, Leg, passed_by
from ..step.packet import Packet
from ..step.verdicts import DELIVERED
from ..step.walk import walk
from .view import Forwarding

ARRIVED = (DELIVERED, "wrong-host")
"""How a request ends that somebody answers."""


def reply_to(branch: Branch, request: Packet, passed: frozenset[str]) -> Packet:
    """The answer to a request that took one way.

    Args:
        branch: the way, which ended at somebody.
        request: the request as it was sent.
        passed: the devices that have seen any request of this connection.
    """
    got = branch.packet or request
    assert got.source is not None and got.flow is not None
    return Packet(
        got.source,
        got.target,
        request.size,
        request.dont_fragment,
        got.flow.back(passed),
        tracked=got.tracked,
        marked=got.marked,
        asked=request.ends,
    )


def answers(
    forwarding: Forwarding,
    outbound: Leg,
    request: Packet,
    owner: str | None,
    passed: frozenset[str],
    ends: tuple[str, ...] = ARRIVED,
) -> dict[tuple[str, Packet], Leg]:
    """The return legs, by who answers and with what.

    Where no request arrives, the answer of the owner is followed as if one had.

    Args:
        forwarding: the network's forwarding view.
        outbound: the request's leg.
        request: the request as it was sent; it has a source and a flow.
        owner: the device that was meant, if it is known.
        passed: the devices that are taken to have seen the request.
        ends: the verdicts of branches that are answered.
    """
    asked: dict[tuple[str, Packet], None] = {}
    for branch in outbound.branches:
        if branch.verdict in ends:
            asked[branch.last.device, reply_to(branch, request, passed)] = None
    if not asked and owner is not None:
        asked[owner, as_if(request, passed)] = None
    return {
        (device, reply): walk(forwarding, device, reply, frozenset((outbound.start,)))
        for device, reply in asked
        if forwarding.devices[device].role != "unread"
    }


def as_if(request: Packet, passed: frozenset[str]) -> Packet:
    """The answer to a request that arrived as it was sent."""
    assert request.source is not None and request.flow is not None
    return replace(
        request,
        target=request.source,
        source=request.target,
        flow=request.flow.back(passed),
        asked=request.ends,
    )


__all__ = ["ARRIVED", "answers", "as_if", "passed_by", "reply_to"]
