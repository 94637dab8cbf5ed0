"""Findings about hosts: their gateway, and whether they have exactly one."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.addressing import Address
from ...network.facts import Device, End, StaticRoute
from ...step.sources import usable_addresses
from ..finding import BREAKS, NOTES, RISKS, Finding
from .context import Context

KINDS = {
    "host-gateway-outside": "A host's gateway is not on the host's own subnet.",
    "host-gateway-silent": "A host's gateway is an address that nobody has.",
    "host-gateway-is-host": "A host's gateway does not forward packets.",
    "host-without-gateway": "A host has no gateway, so it reaches its own subnet alone.",
    "host-two-gateways": "A host has two gateways, and which one it uses is chance.",
}


def find(context: Context) -> Iterator[Finding]:
    for device in context.network.devices:
        if not device.is_host:
            continue
        for family in (4, 6):
            addresses = [
                (interface, fact)
                for interface, fact in usable_addresses(device, family)
                if not fact.address.is_link_local and not interface.loopback
            ]
            if not addresses:
                continue
            defaults = [
                route
                for route in device.statics
                if route.prefix.family == family
                and route.prefix.is_default
                and route.special is None
            ]
            if not defaults and not context.certain(device, family):
                continue
            if not defaults:
                yield from _none(context, device, family)
                continue
            yield from _several(device, defaults)
            for route in defaults:
                yield from _gateway(context, device, route)


def _none(context: Context, device: Device, family: int) -> Iterator[Finding]:
    routes = [
        route
        for route in device.statics
        if route.prefix.family == family and not route.prefix.is_host
    ]
    _, fact = next(
        (i, f)
        for i, f in usable_addresses(device, family)
        if not f.address.is_link_local and not i.loopback
    )
    label = "IPv4" if family == 4 else "IPv6"
    ends = [End(device.name, i.name) for i, _ in usable_addresses(device, family)]
    company = {
        other.device
        for end in ends
        if (segment := context.tables.links.segment_of.get(end)) is not None
        for other in segment.ends
        if context.forwarding.forwards(other.device, other.interface, family)
        and _has(context, other, family)
    }
    if not company:
        return
    yield Finding(
        "host-without-gateway",
        NOTES if routes else BREAKS,
        device.name,
        f"{device.name} has no {label} gateway.",
        f"It can reach {fact.connected} and nothing beyond it"
        + (", except by its other static routes." if routes else "."),
        (fact.source,),
        key=label,
        subject=(fact, family),
    )


def _has(context: Context, end: End, family: int) -> bool:
    interface = context.tables.links.interface(end)
    return interface is not None and any(
        fact.address.family == family and not fact.address.is_link_local
        for fact in interface.addresses
    )


def _several(device: Device, defaults: list[StaticRoute]) -> Iterator[Finding]:
    best = min(route.distance for route in defaults)
    equal = [route for route in defaults if route.distance == best]
    if len({(route.gateway, route.interface) for route in equal}) < 2:
        return
    if len({route.entry for route in equal}) < 2 and equal[0].prefix.family == 4:
        return  # one entry with several next hops was meant so
    names = " and ".join(str(route.gateway or route.interface) for route in equal[:2])
    yield Finding(
        "host-two-gateways",
        RISKS,
        device.name,
        f"{device.name} has two gateways of equal rank, {names}.",
        "Which of the two it uses depends on the order in which they were set.",
        tuple(route.source for route in equal),
        key=f"ipv{equal[0].prefix.family}",
    )


def _gateway(context: Context, device: Device, route: StaticRoute) -> Iterator[Finding]:
    gateway = route.gateway
    if gateway is None or route.interface is None:
        return
    end = End(device.name, route.interface)
    interface = device.interface(route.interface)
    if interface is None or not context.tables.links.is_up(end):
        return
    facts = [fact for fact in interface.addresses if fact.address.family == gateway.family]
    local = gateway.family == 6 and gateway.is_link_local
    plain = [fact for fact in facts if not fact.address.is_link_local]
    single = bool(plain) and all(fact.value.prefix.is_host for fact in plain)
    on_subnet = any(fact.connected.contains(gateway) for fact in facts)
    evidence = (route.source, *(fact.source for fact in plain[:1]))
    if not on_subnet and not local and not route.onlink and not single:
        others = any(
            other.interface == route.interface
            and other.gateway is None
            and other.prefix.contains(gateway)
            and not other.prefix.is_default
            for other in device.statics
        )
        if not others:
            subnet = plain[0].connected if plain else "its subnet"
            yield Finding(
                "host-gateway-outside",
                BREAKS,
                device.name,
                f"{device.name}'s gateway {gateway} is not in {subnet}.",
                "The host cannot ask for an address outside its own subnet, so it has no way out.",
                evidence,
                route.interface,
                key=str(gateway),
                subject=route,
            )
            return
    answer = context.forwarding.near.answer(end, gateway)
    if answer.takers:
        for taker in answer.takers:
            if not context.forwarding.forwards(taker.device, taker.interface, gateway.family):
                yield Finding(
                    "host-gateway-is-host",
                    BREAKS,
                    device.name,
                    f"{device.name}'s gateway {gateway} is {taker.device}, which passes nothing "
                    "on.",
                    "Everything that leaves the subnet is dropped there.",
                    evidence,
                    route.interface,
                    taker,
                    str(gateway),
                    route,
                )
    elif not answer.unknown and not answer.wrong and not _shared(context, end, gateway):
        yield Finding(
            "host-gateway-silent",
            BREAKS,
            device.name,
            f"{device.name}'s gateway is {gateway}, and nobody has that address.",
            f"{answer.why[:1].upper()}{answer.why[1:]}. Everything that leaves the subnet is lost.",
            evidence,
            route.interface,
            key=str(gateway),
            subject=route,
        )


def _shared(context: Context, end: End, address: Address) -> bool:
    """True if routers on a link share an address, whoever holds it: what is wrong with that is said
    of them."""
    segment = context.tables.links.segment_of.get(end)
    beside = {other.device for other in segment.ends} if segment is not None else set()
    return any(
        part.holds(address)
        for device in context.network.devices
        if device.name in beside
        for part in device.shared
    )
