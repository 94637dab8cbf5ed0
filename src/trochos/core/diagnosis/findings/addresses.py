"""Findings about addresses: one address that several devices hold."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.addressing import Address
from ...network.facts import Device, End, Source
from ...protocols.identity import was_captured
from ...step.shares import claims
from ..finding import BREAKS, NOTES, RISKS, Finding
from .context import Context

KINDS = {
    "address-conflict": "Two devices hold the same address, so packets reach whichever answers.",
    "address-twice": "One device holds the same address on two interfaces.",
    "hostname-differs": "A device calls itself otherwise than the survey lists it.",
    "link-local-unknown": "Link-local addresses that neighbours use were not gathered.",
    "device-partly-read": "A file of a device is cut, damaged, or contradicts another one.",
    "device-unread": "A device stands in the wiring or the survey, and nobody could read it.",
}


def find(context: Context) -> Iterator[Finding]:
    yield from _conflicts(context)
    for device in context.network.devices:
        told = device.hostname and device.hostname != device.chassis and not device.instance
        if told and device.hostname_source:
            yield Finding(
                "hostname-differs",
                NOTES,
                device.name,
                f"{device.name} calls itself {device.hostname}.",
                "Names in logs and in this survey will not match. Nothing stops because of it.",
                (device.hostname_source,),
            )
        yield from _unknown_link_locals(device)
        if device.partly is not None:
            yield Finding(
                "device-partly-read",
                NOTES,
                device.name,
                f"{device.name} could be read in part only.",
                "A file of it ends early, is damaged, or contradicts another one. What hangs on "
                "what is missing is not certain.",
                (device.partly,),
            )
        if device.role == "unread":
            yield Finding(
                "device-unread",
                NOTES,
                device.name,
                f"{device.unknown_because[:1].upper()}{device.unknown_because[1:]}."
                if device.instance
                else f"{device.unknown_because}.",
                "What it does with packets is unknown, and so is every answer that depends on it.",
                (),
            )


def _sources(context: Context, address: Address, ends: list[End]) -> tuple[Source, ...]:
    out = []
    for end in ends:
        interface = context.forwarding.near.interface(end)
        if interface is not None:
            out += [fact.source for fact in interface.addresses if fact.address == address]
    return tuple(out)


def _conflicts(context: Context) -> Iterator[Finding]:
    near = context.forwarding.near
    for address, owners in near.owners.items():
        if len(owners) < 2 or address.is_loopback or near.is_anycast(address):
            continue
        if all(
            claims(near.devices[o.end.device], o.end, address, context.tables.links) for o in owners
        ):
            continue  # routers that share it: what is wrong between them is said of that
        active = [owner.end for owner in owners if owner.active]
        devices = list(dict.fromkeys(owner.end.device for owner in owners))
        if len(devices) == 1:
            ends = [owner.end for owner in owners]
            yield Finding(
                "address-twice",
                NOTES,
                devices[0],
                f"{devices[0]} has {address} on {ends[0].interface} and on {ends[1].interface}.",
                "Only one of the two interfaces can be meant.",
                _sources(context, address, ends),
                ends[1].interface,
                key=str(address),
            )
            continue
        both = len({end.device for end in active}) > 1
        ends = active if both else [owner.end for owner in owners]
        # The newcomer is usually the one whose address does not fit its surroundings.
        ends = sorted(
            ends,
            key=lambda end: (
                _fits(context, end, address),
                _named(context, end),
                # A router that others use as their gateway was there first.
                not context.forwarding.devices[end.device].is_host,
                end,
            ),
        )
        first = ends[0]
        rest = (end for end in ends if end.device != first.device)
        met = next((end for end in rest if near.meet(first.device, end.device)), None)
        if met is None:
            continue
        other = met
        yield Finding(
            "address-conflict",
            # Where instances have addresses of their own, what joins them is wrong, and each
            # address that meets its like only follows from it.
            BREAKS if both and not near.has_instances else RISKS,
            first.device,
            f"{first.device} and {other.device} both have the address {address} "
            f"({first.interface} and {other.interface}).",
            "Packets to this address reach whichever of the two is nearer or answers first, and "
            "replies come from the wrong one."
            if both
            else "One of the two is down now. When it comes back, packets reach the nearer.",
            _sources(context, address, ends),
            first.interface,
            other,
            str(address),
            subject=(address, (first, other)),
        )


def _unknown_link_locals(device: Device) -> Iterator[Finding]:
    """Neighbours that know each other by addresses that no configuration says."""
    speaks = any(p.family == 6 for p in device.routing.processes)
    unknown = [
        interface
        for interface in device.interfaces
        if speaks and interface.enabled and not interface.loopback and not was_captured(interface)
        if any(f.address.family == 6 for f in interface.addresses)
        and not any(f.address.is_link_local for f in interface.addresses)
    ]
    if unknown:
        yield Finding(
            "link-local-unknown",
            NOTES,
            device.name,
            f"The link-local addresses of {device.name} were not gathered.",
            "Next hops that its neighbours learn are shown by its other addresses on those links. "
            "Gather interfaces and addresses (ip -j addr, or their state) to see the real ones.",
            (unknown[0].source,) if unknown[0].source else (),
        )


def _named(context: Context, end: End) -> int:
    """How many statics of the devices on its link lead through the end's address."""
    links = context.tables.links
    segment = links.segment_of.get(end)
    interface = links.interface(end)
    if segment is None or interface is None:
        return 0
    mine = {fact.address for fact in interface.addresses}
    beside = {other.device for other in segment.ends if other != end}
    return sum(
        route.gateway in mine
        for device in context.network.devices
        if device.name in beside
        for route in device.statics
    )


def _fits(context: Context, end: End, address: Address) -> int:
    """How many neighbours on its link share the subnet: the one with fewer is odd."""
    links = context.tables.links
    segment = links.segment_of.get(end)
    interface = links.interface(end)
    if segment is None or interface is None:
        return 0
    mine = [fact.connected for fact in interface.addresses if fact.address == address]
    count = 0
    for other in segment.ends:
        far = links.interface(other)
        if other == end or far is None:
            continue
        count += any(prefix.contains(fact.address) for fact in far.addresses for prefix in mine)
    # A subnet that other routers have static routes towards is the established one.
    return count
