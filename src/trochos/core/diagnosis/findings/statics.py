"""Findings about static routes: unusable ones, silent next hops, ways that lead nowhere."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ...forwarding.families import FamilyReach
from ...network.addressing import Address
from ...network.facts import Device, End, Source, StaticRoute
from ...step.packet import Packet
from ...step.routes import NextHop, Route
from ...step.verdicts import BIT
from ...step.walk import walk
from ..finding import BREAKS, EITHER, NOTES, RISKS, Finding
from .context import Context

KINDS = {
    "static-unusable": "A static route is configured and cannot be used.",
    "spare-silent": "A spare static route leads to a next hop that nobody has.",
    "static-exit-down": "A static route waits for an interface that is down.",
    "next-hop-silent": "A static route's next hop is an address that nobody has.",
    "next-hop-host": "A static route hands packets to a host, which passes nothing on.",
    "exit-without-target": "A static route names only an exit on a LAN where the target is not.",
    "statics-contradict": "Equal-cost static routes lead different ways, and one of them fails.",
    "discards-owned": "A discard route swallows addresses that a device of the survey has.",
    "unsettled-routes": "Routes that replace each other for ever.",
}
TRAITS = {"statics-contradict": EITHER}
Columns = NDArray[np.int64]
_SILENT = BIT["next-hop-silent"]
_DELIVERED = BIT["delivered"]
_UNKNOWN = BIT["unknown"]


def find(context: Context) -> Iterator[Finding]:
    for device in context.network.devices:
        if device.role == "unread":
            continue
        for family in (4, 6):
            table = context.tables.of(device.name, family)
            if table.unsettled:
                yield _unsettled(device, table.unsettled)
            for route in table.statics():
                if route.problem is not None:
                    if not device.is_host and context.known(device, family):
                        yield _unusable(context, device, route)
                elif route.selected:
                    yield from _next_hops(context, device, route)
                elif not device.is_host:
                    yield from _spare(context, device, route, table.winner(route.prefix))
            yield from _contradictions(context, device, family)


def _spare(
    context: Context, device: Device, route: Route, winner: Route | None
) -> Iterator[Finding]:
    """A spare that would be of no use on the day it is needed."""
    if winner is None or winner.distance >= route.distance or winner.protocol == "connected":
        return
    for hop in route.next_hops:
        if hop.action != "forward" or hop.interface is None or hop.address is None:
            continue
        end = End(device.name, hop.interface)
        if not context.tables.links.is_up(end):
            continue
        answer = context.forwarding.near.answer(end, hop.address)
        if not answer.takers and not answer.unknown:
            yield Finding(
                "spare-silent",
                RISKS,
                device.name,
                f"{device.name}'s spare route to {route.prefix} leads to {hop.address} on "
                f"{hop.interface}, and nobody has that address.",
                f"When the {winner.protocol} route goes, the spare takes over and packets are "
                "dropped.",
                _static_lines(device, route, hop),
                hop.interface,
                key=f"{route.prefix}-{hop.address}",
                subject=(route, hop),
            )


def _unsettled(device: Device, routes: tuple[Route, ...]) -> Finding:
    names = ", ".join(str(route.prefix) for route in routes)
    return Finding(
        "unsettled-routes",
        BREAKS,
        device.name,
        f"On {device.name} these routes replace each other for ever: {names}.",
        "Each depends on another of them, so none of them ever stands for long.",
        tuple(source for route in routes for source in route.because),
    )


def _unusable(context: Context, device: Device, route: Route) -> Finding:
    table = context.tables.of(device.name, route.prefix.family)
    other = table.winner(route.prefix)
    down = route.problem == "interface-down"
    where = route.wanted[0].interface if route.wanted else None
    key = f"{route.prefix}-{route.because[0].line or 0}"
    if down:
        # The interface is the cause and has a finding of its own; this is what follows.
        severity = NOTES
    elif other is None:
        severity = BREAKS
    elif other.distance < route.distance and other.protocol != "connected":
        severity = RISKS
    else:
        severity = BREAKS if other.distance == route.distance else NOTES
    return Finding(
        "static-exit-down" if down else "static-unusable",
        severity,
        device.name,
        f"{device.name}'s static route to {route.prefix} is not used: {route.why}",
        (
            "The route comes back by itself when the interface does."
            if down
            else f"{device.name} has no other route to {route.prefix}, so packets there follow a "
            "shorter prefix or are dropped."
            if other is None
            else f"The {other.protocol} route is used instead; this line is no spare for it."
        ),
        route.because,
        where,
        key=key,
        subject=(route, None),
    )


def _static_lines(device: Device, route: Route, hop: NextHop) -> tuple[Source, ...]:
    """The configured lines that gave this next hop."""
    lines = [
        static.source
        for static in device.statics
        if static.prefix == route.prefix
        and static.distance == route.distance
        and (_same(static, hop) or (static.gateway is not None and static.gateway in route.via))
    ]
    return tuple(lines) or route.because


def _same(static: StaticRoute, hop: NextHop) -> bool:
    if static.gateway is not None:
        return static.gateway == hop.address
    return static.interface is not None and static.interface == hop.interface


def _next_hops(context: Context, device: Device, route: Route) -> Iterator[Finding]:
    near = context.forwarding.near
    for hop in route.next_hops:
        if hop.action in ("discard", "reject"):
            yield from _swallowed(context, device, route, hop)
        if hop.action != "forward" or hop.interface is None:
            continue
        end = End(device.name, hop.interface)
        key = f"{route.prefix}-{hop.address or hop.interface}"
        if hop.address is None:
            yield from _exit_only(context, device, route, hop)
            continue
        if device.is_host and route.prefix.is_default:
            continue  # hosts.py speaks of gateways
        if not context.tables.links.is_up(end):
            continue
        answer = near.answer(end, hop.address)
        if answer.takers:
            yield from _handed_to_host(context, device, route, hop)
        elif not answer.unknown:
            spare = len(route.next_hops) > 1
            yield Finding(
                "next-hop-silent",
                BREAKS,
                device.name,
                f"{device.name} sends {route.prefix} to {hop.address} on {hop.interface}, and "
                "nobody has that address.",
                f"{answer.why[:1].upper()}{answer.why[1:]}, so "
                + ("the flows that take this branch" if spare else "these packets")
                + " are dropped.",
                _static_lines(device, route, hop),
                hop.interface,
                key=key,
                subject=(route, hop),
            )


def _handed_to_host(
    context: Context, device: Device, route: Route, hop: NextHop
) -> Iterator[Finding]:
    assert hop.address is not None and hop.interface is not None
    answer = context.forwarding.near.answer(End(device.name, hop.interface), hop.address)
    for taker in answer.takers:
        target = context.forwarding.devices.get(taker.device)
        if target is None or context.forwarding.forwards(
            taker.device, taker.interface, route.prefix.family
        ):
            continue
        if any(
            route.prefix.contains(fact.address) and route.prefix.is_host
            for interface in target.interfaces
            for fact in interface.addresses
        ):
            continue  # a host route to the host itself
        kind = "is a host" if target.is_host else "does not forward there"
        yield Finding(
            "next-hop-host",
            BREAKS,
            device.name,
            f"{device.name} sends {route.prefix} to {taker.device}, which {kind}.",
            f"{taker.device} drops what is not for itself.",
            _static_lines(device, route, hop),
            hop.interface,
            taker,
            f"{route.prefix}-{hop.address}",
            (route, hop),
        )


def _owned_inside(table: FamilyReach, route: Route, row: int) -> list[Address]:
    """Surveyed addresses of others for which the device obeys this very route."""
    numbers = [number for number, held in enumerate(table.routes[row]) if held is route]
    columns = np.flatnonzero(np.isin(table.index[row], numbers) & ~table.owned[row])
    return [table.addresses[column] for column in columns.tolist()]


def _swallowed(context: Context, device: Device, route: Route, hop: NextHop) -> Iterator[Finding]:
    table = context.reach.families[route.prefix.family]
    lost = _owned_inside(table, route, table.row[device.name])
    if not lost or not context.certain(device, route.prefix.family):
        return
    owner = context.forwarding.near.owner_devices(lost[0])
    whose = f", which {owner[0]} has" if owner else ""
    verb = "discards" if hop.action == "discard" else "rejects"
    yield Finding(
        "discards-owned",
        # What stands for longer routes is meant to discard the rest: one of those is missing.
        RISKS
        if context.tables.of(device.name, route.prefix.family).leads_on_inside(route.prefix)
        else BREAKS,
        device.name,
        f"{device.name} {verb} packets to {route.prefix}, among them {lost[0]}{whose}.",
        "A discard route is right for addresses that nobody has. This one is the longest match "
        "for addresses that exist.",
        route.because,
        key=str(route.prefix),
        subject=(route, hop),
    )


def _exit_only(context: Context, device: Device, route: Route, hop: NextHop) -> Iterator[Finding]:
    table = context.reach.families[route.prefix.family]
    row = table.row[device.name]
    assert hop.interface is not None
    end = End(device.name, hop.interface)
    if not context.tables.links.is_up(end):
        return
    if not context.forwarding.asks_for_target(device.name, hop):
        return  # into a tunnel nobody is asked for: whoever is at its far end takes it
    wanted = _owned_inside(table, route, row)
    silent = [
        address
        for address in wanted
        if not (answer := context.forwarding.near.answer(end, address)).takers
        and not answer.unknown
    ]
    if not silent:
        return
    yield Finding(
        "exit-without-target",
        BREAKS,
        device.name,
        f"{device.name} looks for {route.prefix} directly on {hop.interface}, and "
        f"{silent[0]} is not there.",
        "A route that names only an interface makes the router ask for the target itself on that "
        "link. Only a next hop that is on the link can pass the packet on.",
        _static_lines(device, route, hop),
        hop.interface,
        key=str(route.prefix),
        subject=(route, hop),
    )


def _contradictions(context: Context, device: Device, family: int) -> Iterator[Finding]:
    table = context.reach.families[family]
    if not table.addresses:
        return
    row = table.row[device.name]
    doubtful = (table.bits[row] != _DELIVERED) & ~table.owned[row] & (table.index[row] >= 0)
    for position in np.unique(table.index[row][doubtful]):
        route = table.routes[row][position]
        if route.protocol != "static" or len(route.next_hops) < 2 or not route.selected:
            continue
        columns = np.flatnonzero((table.index[row] == position) & ~table.owned[row])
        if not columns.size:
            continue
        results = []
        for item in table.along(row, int(position)):
            bits = np.full(columns.shape, item.bits, dtype=np.uint32)
            for end in item.ends:
                through = table.through(end, columns)
                doubtful = through != _DELIVERED
                if doubtful.any():
                    # A branch that comes back here is no way, whatever other branches do.
                    through[doubtful] = _walked(context, table, end, device.name, columns[doubtful])
                bits |= through
            results.append((item.hop, bits))
        good = [hop for hop, bits in results if (bits == _DELIVERED).any()]
        for hop, bits in results:
            known = bits & _UNKNOWN == 0
            fails = known & (bits != _DELIVERED)
            if hop in good or not fails.any() or not good:
                continue
            if (
                hop.address is not None
                and int(bits[fails][0]) & _SILENT
                and not (int(bits[fails][0]) & ~_SILENT)
            ):
                continue  # the silent next hop has its own finding
            yield Finding(
                "statics-contradict",
                BREAKS,
                device.name,
                f"{device.name} has two equal ways to {route.prefix}, and the one through "
                f"{hop.address or hop.interface} does not lead there.",
                f"Flows are spread over both. Those through {good[0].address or ''} arrive, "
                "the others do not.",
                (
                    *_static_lines(device, route, hop),
                    *(s for s in route.because if s not in _static_lines(device, route, hop)),
                ),
                hop.interface,
                key=f"{route.prefix}-{hop.address or hop.interface}",
                subject=(route, hop),
            )


def _walked(
    context: Context, table: FamilyReach, end: End, device: str, columns: Columns
) -> NDArray[np.uint32]:
    """How packets end that leave by one branch: coming back to the device is a loop."""
    out = np.zeros(columns.shape, dtype=np.uint32)
    cache: dict[int, int] = {}
    there = table.row[end.device]
    forwards = context.forwarding.forwards(end.device, end.interface, table.family)
    for at, column in enumerate(columns):
        if table.owned[there, column]:
            out[at] = _DELIVERED
            continue
        if not forwards:
            out[at] = BIT["not-forwarding"]
            continue
        position = int(table.index[there, column])
        if position not in cache:
            cache[position] = 0
            for branch in walk(
                context.forwarding, end.device, Packet(table.addresses[column])
            ).branches:
                back = any(hop.device == device for hop in branch.hops)
                cache[position] |= BIT["loop"] if back else BIT[branch.verdict]
        out[at] = cache[position]
    return out
