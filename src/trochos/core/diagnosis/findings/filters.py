"""Findings about filters, names and sockets: entries that never match, names that lead astray."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.addressing import Address, parse_address
from ...network.facts import Device
from ...network.filters import TERMINAL, Chain
from ...step.filters import covers
from ..finding import BREAKS, NOTES, Finding
from .context import Context

KINDS = {
    "filter-entry-idle": "An entry of a filter can never match: one before it takes its packets.",
    "name-without-owner": "A name stands for an address that nobody has.",
    "name-elsewhere": "A device's name stands for an address of another device.",
    "resolver-without-owner": "A resolver is an address that nobody has.",
}


def find(context: Context) -> Iterator[Finding]:
    for device in context.network.devices:
        for chain in device.filters:
            yield from _idle(device, chain)
        yield from _names(context, device)
        yield from _resolvers(context, device)


def _idle(device: Device, chain: Chain) -> Iterator[Finding]:
    for number, entry in enumerate(chain.entries):
        if any(match.key.endswith("unknown") for match in entry.matches):
            continue
        for earlier in chain.entries[:number]:
            if earlier.verdict not in TERMINAL or not covers(earlier, entry):
                continue
            yield Finding(
                "filter-entry-idle",
                NOTES,
                device.name,
                f"An entry of the filter {chain.name} on {device.name} never matches.",
                "Every packet that it describes is taken by an entry before it, so it does "
                "nothing. If it is meant, it has to stand earlier.",
                (entry.source, earlier.source),
                key=f"{chain.name}-{entry.source.line}-{number}",
            )
            break


def _inside(context: Context, address: Address) -> bool:
    """True if an address lies in a subnet of the survey, so that somebody who was read should
    have it."""
    return not context.forwarding.near.may_hold(address) and any(
        fact.connected.contains(address)
        for device in context.network.devices
        for interface in device.interfaces
        for fact in interface.addresses
        if not fact.address.is_loopback
    )


def _names(context: Context, device: Device) -> Iterator[Finding]:
    for item in device.services.names or ():
        address = parse_address(item.address)
        if address is None or address.is_loopback or address.is_multicast:
            continue
        owners = context.forwarding.near.owner_devices(address)
        short = item.name.split(".")[0]
        meant = context.network.device(item.name) or context.network.device(short)
        if not owners and _inside(context, address):
            yield Finding(
                "name-without-owner",
                BREAKS,
                device.name,
                f"On {device.name} the name {item.name} stands for {address}, which nobody has.",
                "Whoever asks for the name sends to an address where nobody answers.",
                (item.source,),
                key=item.name,
                subject=(item, meant.name if meant else None),
            )
        elif owners and meant is not None and meant.name not in owners:
            yield Finding(
                "name-elsewhere",
                NOTES,
                device.name,
                f"On {device.name} the name {item.name} stands for {address} of {owners[0]}.",
                f"{meant.name} has other addresses. Whoever asks for the name reaches {owners[0]}.",
                (item.source,),
                key=item.name,
                subject=(item, meant.name),
            )


def _resolvers(context: Context, device: Device) -> Iterator[Finding]:
    for text, source in device.services.resolvers or ():
        address = parse_address(text)
        if address is None or address.is_loopback or context.forwarding.near.owners.get(address):
            continue
        if _inside(context, address):
            yield Finding(
                "resolver-without-owner",
                BREAKS,
                device.name,
                f"{device.name} asks {text} for names, and nobody has that address.",
                "Every name that is not in its hosts file waits until the next resolver is asked, "
                "or fails.",
                (source,),
                key=text,
                subject=(text, source),
            )
