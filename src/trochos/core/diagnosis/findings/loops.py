"""Findings about packets that go round for ever."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ...forwarding.families import FamilyReach
from ...network.addressing import BITS, Address, Prefix
from ...network.facts import Source
from ...step.legs import Branch, Hop
from ...step.packet import Packet
from ...step.rows import prefixes_of
from ...step.verdicts import BIT
from ...step.walk import walk
from ..finding import BREAKS, NOTES, Finding
from .context import Context

KINDS = {
    "loop": "Routers send packets to each other for ever.",
    "loop-unowned": "Packets to addresses that nobody has go round until their hop limit is spent.",
}
_LOOP = np.uint32(BIT["loop"])


def find(context: Context) -> Iterator[Finding]:
    for family in (4, 6):
        table = context.reach.families[family]
        circles = _circles(context, table)
        for members, (address, branch) in circles.items():
            yield _finding(context, members, address, branch, True, _others(table, circles))
        if context.of_trial:
            continue
        # Addresses without an owner: one per prefix, chosen outside all longer prefixes.
        gaps = _gaps(context, family)
        if gaps:
            unowned = FamilyReach(context.forwarding, family, gaps)
            for members, (address, branch) in _circles(context, unowned).items():
                if members not in circles:
                    yield _finding(context, members, address, branch, False, 0)


def _circles(context: Context, table: FamilyReach) -> dict[frozenset[str], tuple[Address, Branch]]:
    """Each circle once, with an address that runs into it."""
    out: dict[frozenset[str], tuple[Address, Branch]] = {}
    if not table.addresses:
        return out
    hit = table.bits & _LOOP != 0
    # Addresses that go the same ways from the same devices run into the same circles.
    seen: set[bytes] = set()
    for column in np.flatnonzero(hit.any(axis=0)):
        address = table.addresses[column]
        alike = hit[:, column].tobytes() + table.ways[hit[:, column], column].tobytes()
        if alike in seen:
            continue
        seen.add(alike)
        done: set[str] = set()
        for row in np.flatnonzero(hit[:, column]):
            name = table.names[row]
            if name in done:
                continue
            for branch in walk(context.forwarding, name, Packet(address)).branches:
                done.update(hop.device for hop in branch.hops)
                if branch.loop:
                    out.setdefault(frozenset(branch.loop), (address, branch))
    return out


def _others(table: FamilyReach, circles: dict[frozenset[str], tuple[Address, Branch]]) -> int:
    """How many more addresses run into the circle; 0 if several circles share them."""
    if len(circles) != 1:
        return 0
    return int((table.bits & _LOOP != 0).any(axis=0).sum()) - 1


def _gaps(context: Context, family: int) -> list[Address]:
    """For every prefix in any table, an address inside it and outside every longer one."""
    prefixes = sorted(
        prefixes_of(context.forwarding.obeyed(d.name, family) for d in context.network.devices),
        key=lambda p: (p.network, p.length),
    )
    out = []
    for at, prefix in enumerate(prefixes):
        if prefix.length >= BITS[family] - 1:
            continue
        candidate: int | None = prefix.network + (1 if not prefix.is_default else 0)
        for inner in prefixes[at + 1 :]:
            if not prefix.covers(inner):
                break
            if candidate is not None and inner.network <= candidate <= inner.last:
                candidate = inner.last + 1
        if candidate is None or candidate > prefix.last:
            continue
        address = Address(family, candidate)
        if prefix.is_default and (address.value == 0 or address.is_loopback):
            address = Address(family, _spare_default(prefixes, family))
        if not address.is_multicast and address not in context.forwarding.near.owners:
            out.append(address)
    return out


def _spare_default(prefixes: list[Prefix], family: int) -> int:
    """An address that only the default route covers, from a block for documentation."""
    base = 0xC0000200 if family == 4 else 0x20010DB8 << 96 | 0xFFFF << 64
    for step in range(1, 254):
        address = Address(family, base + step)
        if not any(p.length and p.contains(address) for p in prefixes):
            return address.value
    return 0x01010101 if family == 4 else 0x2001 << 112 | 1


def _finding(
    context: Context,
    members: frozenset[str],
    address: Address,
    branch: Branch,
    owned: bool,
    more: int,
) -> Finding:
    order = branch.loop
    hops = {hop.device: hop for hop in branch.hops}
    lines: dict[str, tuple[Source, ...]] = {
        name: hops[name].route.because if hops[name].route else ()  # type: ignore[union-attr]
        for name in order
    }
    culprit = _culprit(context, hops, order, address) if owned else order[0]
    evidence = tuple(
        source for name in (culprit, *(n for n in order if n != culprit)) for source in lines[name]
    )
    if owned:
        others = f" and {more} more addresses" if more > 1 else ""
        what = f"packets for {address}{others}"
    else:
        what = f"packets for addresses that nobody has, such as {address},"
    where = _sentence(order, what)
    if owned:
        return Finding(
            "loop",
            BREAKS,
            culprit,
            where,
            "Every packet goes round until its hop limit is spent and is then dropped.",
            evidence,
            hops[culprit].out,
            key="-".join(sorted(members)),
        )
    return Finding(
        "loop-unowned",
        NOTES,
        culprit,
        where,
        "It costs bandwidth and hides typing errors. A discard route at the edge ends it.",
        evidence,
        hops[culprit].out,
        key="-".join(sorted(members)),
    )


def _sentence(members: tuple[str, ...], what: str) -> str:
    if len(members) == 1:
        return f"{members[0]} sends {what} to itself for ever."
    if len(members) == 2:
        return f"{members[0]} and {members[1]} send {what} to each other for ever."
    rounds = ", ".join(members)
    return f"{what[:1].upper()}{what[1:]} go round for ever: {rounds}, and again {members[0]}."


def _culprit(
    context: Context, hops: dict[str, Hop], order: tuple[str, ...], address: Address
) -> str:
    """The member that should have known further.

    A member that also has a way that arrives is not to blame for the other end of its
    branch; of the rest it is the one nearest to the owner of the address.
    """
    owners = context.forwarding.near.owner_devices(address)
    if not owners:
        return order[0]
    distance = context.distance_to(owners[0])

    def has_other_way(name: str) -> bool:
        route = hops[name].route
        if route is None or len(route.next_hops) < 2:
            return False
        leg = walk(context.forwarding, name, Packet(address))
        return any(branch.verdict == "delivered" for branch in leg.branches)

    return min(order, key=lambda n: (has_other_way(n), distance.get(n, 1 << 30), n))
