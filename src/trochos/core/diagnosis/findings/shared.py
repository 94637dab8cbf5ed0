"""Findings about addresses that routers share (VRRP): who holds one, and whether that is well."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

import numpy as np

from ...network.addressing import Address
from ...network.facts import Device, End, StaticRoute
from ...network.shared import SharedGateway
from ...protocols import shared
from ...protocols.gates import NOTHING
from ...protocols.shared import SharedEnd
from ...step.shares import effective_priority
from ..finding import BREAKS, NOTES, RISKS, Finding, named
from .context import Context

_EACH = "Two routers that are to share an address do not agree"
KINDS = {
    **{
        f"vrrp-{gate.name.replace(' ', '-')}": f"{_EACH} at this gate: {gate.name}."
        for gate in shared.GATES
        if gate.stops != NOTHING and gate.name != "line"
    },
    "shared-address-unheld": "A gateway address that routers share is held by none of them.",
    "shared-holder-cut-off": "The router that holds a shared gateway address has no way on, and "
    "another one that could hold it has.",
    "shared-priority-equal": "Routers that share an address have the same priority, so whoever was "
    "first holds it.",
    "host-beside-shared": "A host uses one router's own address as gateway where others use the "
    "address that routers share.",
}


def find(context: Context) -> Iterator[Finding]:
    network, links = context.tables.network, context.tables.links
    if not any(device.shared for device in network.devices):
        return
    yield from _pairs(context)
    holding = shared.holders(network, links)
    yield from _unheld(context, holding)
    yield from _cut_off(context, holding)
    yield from _equal(context, holding)
    yield from _beside(context)


def _pairs(context: Context) -> Iterator[Finding]:
    """Routers that do not hear each other, so that each holds what they share."""
    for relation in shared.relations(context.tables.network, context.tables.links):
        gate = relation.first_failing
        if relation.works or gate is None or gate.gate == "line":
            continue
        left, right = relation.left, relation.right
        both = [side for side in (left, right) if side.state == shared.HOLDS]
        says = f"{left.device} and {right.device} do not agree about {left.address}: {gate.gate}: "
        says += (
            f"both say {gate.left}"
            if gate.left == gate.right
            else f"{left.device} {gate.left}, {right.device} {gate.right}"
        )
        if len(both) == 2:
            detail = "Each takes itself for the only one and holds the address, so which of them "
            detail += "takes a packet is chance, and neither takes over from the other."
        else:
            detail = "They take no part in one election: when one fails, the other does not know."
        yield Finding(
            f"vrrp-{gate.gate.replace(' ', '-')}",
            RISKS,
            left.device,
            f"{says}.",
            detail,
            gate.evidence,
            interface=left.interface,
            peer=End(right.device, right.interface or ""),
            key=f"{left.address}-{right.device}",
            subject=relation,
        )


def _equal(context: Context, holding: list[tuple[Device, SharedGateway]]) -> Iterator[Finding]:
    """Of two that hear each other and are as good, and none is better, the first one stays: no
    text says which."""
    network, links = context.tables.network, context.tables.links
    held = {value.address for _, part in holding for value, _ in part.addresses}
    for relation in shared.relations(network, links):
        left, right = relation.ends
        if not relation.works or any(
            shared.in_doubt(end.device, end.part, network, links) for end in (left, right)
        ):
            continue
        ranks = [effective_priority(e.device, e.part, links) for e in (left, right)]
        if ranks[0] is None or ranks[0] != ranks[1]:
            continue
        address = left.part.addresses[0][0].address
        if address in held:
            continue
        yield Finding(
            "shared-priority-equal",
            NOTES,
            left.device.name,
            f"{left.device.name} and {right.device.name} share {address} with the same priority, "
            f"{ranks[0]}.",
            "Whoever was first holds it until it fails, and which one that was no text says. So "
            "what passes there is not known beyond that link.",
            tuple(end.part.line("priority") or end.part.source for end in (left, right)),
            interface=left.part.interface,
            peer=End(right.device.name, right.part.interface),
            key=f"{address}-{right.device.name}",
            subject=(left, right),
        )


def _parts(context: Context) -> dict[Address, list[tuple[Device, SharedGateway]]]:
    """Every shared address with the parts of it."""
    out: dict[Address, list[tuple[Device, SharedGateway]]] = defaultdict(list)
    for device in context.tables.network.devices:
        for part in device.shared:
            for value, _ in part.addresses:
                out[value.address].append((device, part))
    return out


def _unheld(context: Context, holding: list[tuple[Device, SharedGateway]]) -> Iterator[Finding]:
    network, links = context.tables.network, context.tables.links
    held = {value.address for _, part in holding for value, _ in part.addresses}
    for address, parts in _parts(context).items():
        if address in held or any(shared.in_doubt(d, p, network, links) for d, p in parts):
            continue
        if any(effective_priority(device, part, links) for device, part in parts):
            continue  # who was first holds it: nothing tells which
        device, part = parts[0]
        reasons = "; ".join(f"{d.name}: {_why_not(context, d, p)}" for d, p in parts)
        yield Finding(
            "shared-address-unheld",
            BREAKS,
            device.name,
            f"Nobody holds {address}, which {named(d.name for d, _ in parts)} "
            f"{'shares with nobody' if len(parts) == 1 else 'share'}: {reasons}.",
            "Whoever has it as gateway reaches its own subnet alone.",
            tuple(p.source for _, p in parts),
            interface=part.interface,
            key=str(address),
            subject=_spare(context, device, part),
        )


def _spare(
    context: Context, device: Device, part: SharedGateway
) -> tuple[SharedEnd, SharedEnd] | None:
    """A router on the same link that could hold the address and shares another one in its place,
    and the part that it should have."""
    links = context.tables.links
    segment = links.segment_of.get(End(device.name, part.interface))
    for end in segment.ends if segment is not None else ():
        there = context.network.device(end.device)
        for other in there.shared if there is not None and there is not device else ():
            alike = (other.router_id, other.interface) == (part.router_id, end.interface)
            if there is not None and alike and effective_priority(there, other, links):
                mine = SharedEnd(device, part, False, segment)
                return SharedEnd(there, other, True, segment), mine
    return None


def _why_not(context: Context, device: Device, part: SharedGateway) -> str:
    """Why a router takes no part in the election: a clause."""
    links = context.tables.links
    if part.idle is not None:
        return part.idle
    why = links.why_down(End(device.name, part.interface))
    if why is not None:
        return why
    down = next(
        t for t in part.tracked if t.weight == 0 and not links.is_up(End(device.name, t.interface))
    )
    return f"it looks at {down.interface}, and {links.why_down(End(device.name, down.interface))}"


def _cut_off(context: Context, holding: list[tuple[Device, SharedGateway]]) -> Iterator[Finding]:
    """A holder that reaches nothing of what one beside it reaches."""
    network, links = context.tables.network, context.tables.links
    for device, part in holding:
        for other in network.devices:
            spare = next(
                (
                    p
                    for p in other.shared
                    if other is not device and shared.hears((device, part), (other, p), links)
                ),
                None,
            )
            if spare is None or effective_priority(other, spare, links) is None:
                continue
            lost = _reached_by_other(context, device.name, other.name, part)
            if not lost:
                continue
            dead = [
                i.name
                for i in device.interfaces
                if not links.is_up(End(device.name, i.name)) and i.name != part.interface
            ]
            address = part.addresses[0][0].address
            looks = " and looks at nothing that tells it so"
            if part.tracked:
                looks = f" and looks at {named(t.interface for t in part.tracked)} alone"
            yield Finding(
                "shared-holder-cut-off",
                # What is down is what is wrong, and has a finding of its own.
                RISKS if dead else BREAKS,
                device.name,
                f"{device.name} holds {address} and has no way to {lost[0]}"
                + (f" and {len(lost) - 1} more" if len(lost) > 1 else "")
                + f", which {other.name} reaches,{looks}.",
                f"As long as {device.name} holds the address, what it is sent ends there; "
                f"{other.name} would take over if {device.name} gave it up."
                + (f" Down at {device.name}: {', '.join(dead)}." if dead else ""),
                (part.source,),
                interface=part.interface,
                peer=End(other.name, spare.interface),
                key=str(address),
                subject=(part, spare, tuple(dead)),
            )
            break


def _reached_by_other(
    context: Context, holder: str, spare: str, part: SharedGateway
) -> list[Address]:
    """Addresses of hosts elsewhere that the holder surely does not reach, and the spare does; none
    if the holder reaches any of them."""
    table = context.reach.families[part.addresses[0][0].address.family]
    if holder not in table.row or spare not in table.row or not table.addresses:
        return []
    here, there = table.delivers(table.row[holder]), table.delivers(table.row[spare])
    devices, own = context.forwarding.devices, part.addresses[0][0].prefix
    outside = np.array(
        [
            table.names[row] not in (holder, spare) and not own.contains(table.addresses[column])
            for column, row in enumerate(table.owner_rows.tolist())
        ],
        dtype=bool,
    )
    hosts = outside & [devices[table.names[row]].is_host for row in table.owner_rows.tolist()]
    hosts = hosts if hosts.any() else outside
    if (here.maybe & hosts).any():
        return []
    return [table.addresses[c] for c in np.flatnonzero(there.surely & hosts).tolist()]


def _beside(context: Context) -> Iterator[Finding]:
    """Hosts with another gateway than the hosts beside them, which use the shared one."""
    parts = _parts(context)
    users: dict[Address, list[str]] = defaultdict(list)
    odd: list[tuple[Device, StaticRoute, Address, Address]] = []
    for device in context.network.devices:
        for route in device.statics if device.is_host else ():
            if not route.prefix.is_default or route.gateway is None:
                continue
            if route.gateway in parts:
                users[route.gateway].append(device.name)
                continue
            for address, members in parts.items():
                if any(
                    member.interface(part.place) is not None
                    and member.interface(part.place).has(route.gateway)  # type: ignore[union-attr]
                    for member, part in members
                ):
                    odd.append((device, route, route.gateway, address))
    for device, route, gateway, address in odd:
        if not users[address]:
            continue
        yield Finding(
            "host-beside-shared",
            NOTES,
            device.name,
            f"{device.name} has the gateway {gateway}, one router's own address; "
            f"{named(users[address])} {'use' if len(users[address]) > 1 else 'uses'} {address}, "
            "which is shared.",
            "When that router fails or loses its way, this host does too, and those beside it go "
            "on by the other one.",
            (route.source,),
            key=str(address),
            subject=(device, route, address),
        )
