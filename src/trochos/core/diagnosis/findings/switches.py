"""Findings about switched segments: ends of one subnet that frames do not join, and circles."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from ...network.addressing import Prefix
from ...network.fabric import Dropped, Fabric
from ...network.facts import AddressFact, End
from ..finding import BREAKS, RISKS, Finding
from .context import Context

KINDS = {
    "vlan-apart": "Two ends of one subnet are joined by cables, and a VLAN keeps them apart.",
    "switch-circle": "Frames can go round between switches, and no port is blocked.",
}


def find(context: Context) -> Iterator[Finding]:
    fabric = context.forwarding.near.fabric
    if fabric is None:
        return
    members: dict[Prefix, list[tuple[End, AddressFact]]] = defaultdict(list)
    for device in context.network.devices:
        for interface in device.interfaces:
            if interface.loopback or interface.tunnel is not None or not interface.enabled:
                continue
            for fact in interface.addresses:
                if not fact.address.is_link_local and not fact.value.prefix.is_host:
                    members[fact.connected].append((End(device.name, interface.name), fact))
    yield from _apart(context, fabric, members)
    yield from _circles(context, fabric)


def _apart(
    context: Context,
    fabric: Fabric,
    members: dict[Prefix, list[tuple[End, AddressFact]]],
) -> Iterator[Finding]:
    links = context.tables.links
    seen: set[tuple[End, int | None, bool]] = set()
    for prefix, ends in members.items():
        for number, (one, fact) in enumerate(ends):
            for other, theirs in ends[number + 1 :]:
                if one.device == other.device or links.segment_of.get(one) is None:
                    continue
                if links.segment_of.get(one) == links.segment_of.get(other):
                    continue
                if not fabric.joined(one, other):
                    continue
                for sender, listener in ((one, other), (other, one)):
                    drop = fabric.why_not(sender, listener)
                    if drop is None or (drop.end, drop.vlan, drop.leaving) in seen:
                        continue
                    seen.add((drop.end, drop.vlan, drop.leaving))
                    facts = (fact, theirs) if sender == one else (theirs, fact)
                    yield _finding(prefix, drop, sender, listener, facts)


def _finding(
    prefix: Prefix,
    drop: Dropped,
    sender: End,
    listener: End,
    facts: tuple[AddressFact, AddressFact],
) -> Finding:
    lines = (drop.source,) if drop.source is not None else ()
    return Finding(
        "vlan-apart",
        BREAKS,
        drop.end.device,
        f"{sender} and {listener} share the subnet {prefix}, and frames from the one do not reach "
        f"the other: {drop.clause()}.",
        "They ask for each other on the link and nobody answers, so nothing gets across.",
        (*lines, *(fact.source for fact in facts)),
        drop.end.interface,
        listener if listener.device != drop.end.device else sender,
        f"{drop.vlan}-{'out' if drop.leaving else 'in'}",
        subject=(drop, sender, listener),
    )


def _circles(context: Context, fabric: Fabric) -> Iterator[Finding]:
    found: dict[frozenset[str], End] = {}
    for segment in context.network.segments:
        for end in segment.ends:
            flood = fabric.flood(end) if fabric.knows(end) else None
            if flood is not None and flood.circles:
                found.setdefault(frozenset(flood.vlans), end)
    for members, end in found.items():
        names = sorted(members)
        if fabric.blocks(members):
            continue
        yield Finding(
            "switch-circle",
            RISKS,
            names[0],
            f"Frames can go round through {', '.join(names)}, and none of them blocks a port.",
            "One frame to all is then copied without end. A spanning tree (IEEE 802.1Q, 13) or a "
            "cable less ends it.",
            (),
            key="-".join(names),
            subject=end,
        )
