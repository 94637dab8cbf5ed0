"""Findings about rewritten addresses: entries that nobody meets, and what they put in place."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.addressing import Address, Prefix
from ...network.facts import Device
from ...network.filters import Entry
from ...network.translation import DESTINATION, SOURCE
from ...step.filters import covers
from ...step.packet import Packet
from ...step.walk import walk
from ..finding import BREAKS, NOTES, RISKS, Finding
from .context import Context

KINDS = {
    "translation-idle": "An entry that rewrites addresses can never be met.",
    "translation-unrouted": "A source is rewritten to an address that nobody sends back.",
    "forward-to-nobody": "Packets are led to an address that nobody has.",
}


def find(context: Context) -> Iterator[Finding]:
    for device in context.network.devices:
        for chain in device.translations:
            earlier: list[Entry] = []
            for number, entry in enumerate(chain.entries):
                if entry.rewrite is None:
                    continue
                yield from _idle(device, chain.name, number, entry, earlier)
                if entry.rewrite.what == SOURCE:
                    yield from _unrouted(context, device, entry)
                elif entry.rewrite.what == DESTINATION:
                    yield from _nobody(context, device, entry)
                earlier.append(entry)


def _ports(entry: Entry) -> list[str]:
    """The interfaces that an entry asks for by their whole names."""
    return [
        str(value)
        for match in entry.matches
        if match.key in ("in", "out") and not match.negated
        for value in match.values
        if not str(value).endswith("*")
    ]


def _idle(
    device: Device, chain: str, number: int, entry: Entry, earlier: list[Entry]
) -> Iterator[Finding]:
    if any(match.key.endswith("unknown") for match in entry.matches):
        return
    before = next((other for other in earlier if covers(other, entry)), None)
    missing = [name for name in _ports(entry) if device.interface(name) is None]
    if before is None and not missing:
        return
    why = (
        f"{device.name} has no interface {missing[0]}."
        if missing
        else "Every packet that it describes is taken by an entry before it."
    )
    yield Finding(
        "translation-idle",
        NOTES,
        device.name,
        f"An entry of {chain} on {device.name} rewrites nothing.",
        why,
        (entry.source, *((before.source,) if before is not None else ())),
        key=f"{chain}-{number}",
        subject=entry,
    )


def _unrouted(context: Context, device: Device, entry: Entry) -> Iterator[Finding]:
    """An address in place of sources that those at the exit do not send here."""
    assert entry.rewrite is not None
    address = entry.rewrite.first
    if address is None or context.forwarding.near.owns(device.name, address):
        return
    exits = [
        port
        for match in entry.matches
        if match.key == "out" and not match.negated
        for port in match.values
    ]
    beside = {
        other.device
        for segment in context.network.segments
        for mine in segment.ends
        if mine.device == device.name and mine.interface in exits
        for other in segment.ends
        if other.device != device.name
    }
    names = sorted(n for n in beside if n in context.forwarding.devices)
    if not names or any(context.forwarding.devices[n].role != "router" for n in names):
        return
    for name in names:
        if not context.certain(context.forwarding.devices[name], address.family):
            return
        for branch in walk(context.forwarding, name, Packet(address)).branches:
            if branch.verdict == "unknown" or any(h.device == device.name for h in branch.hops):
                return
    yield Finding(
        "translation-unrouted",
        RISKS,
        device.name,
        f"{device.name} rewrites sources to {address}, and {names[0]} beside it does not send what "
        "is for that address back.",
        "Requests arrive with that source, and their answers get lost.",
        (entry.source,),
        key=str(address),
        subject=entry,
    )


def _nobody(context: Context, device: Device, entry: Entry) -> Iterator[Finding]:
    assert entry.rewrite is not None
    address = entry.rewrite.first
    if address is None or context.forwarding.near.owner_devices(address):
        return
    inside = any(
        fact.connected.contains(address)
        for other in context.network.devices
        for interface in other.interfaces
        for fact in interface.addresses
    )
    if not inside or context.forwarding.near.may_hold(address):
        return
    named = [
        str(Address(v.family, v.network))
        for match in entry.matches
        if match.key == "target"
        for v in match.values
        if isinstance(v, Prefix)
    ]
    yield Finding(
        "forward-to-nobody",
        BREAKS,
        device.name,
        f"{device.name} leads packets for {named[0] if named else 'an address of its own'} to "
        f"{address}, which nobody has.",
        "Whoever asks for the outside address is led to where nobody answers.",
        (entry.source,),
        key=str(address),
        subject=entry,
    )
