"""Findings about what devices show of themselves, where it does not fit what is written."""

from __future__ import annotations

from collections.abc import Iterator

from ...forwarding.endpoints import EndpointError
from ...forwarding.path import Traffic, find_path
from ...network.facts import (
    Device,
    End,
    Heard,
    Planned,
    ProbeFact,
    Resolved,
    Source,
    Unstored,
)
from ...network.instants import seconds_of
from ..finding import NOTES, RISKS, Finding
from ..probed import Echo, Probed, beside
from ..reality import SAME, compare_table
from .context import Context

KINDS = {
    "cable-elsewhere": "A device hears another neighbour on a port than the wiring says.",
    "answered-elsewhere": "Another device answered for an address than the one that has it.",
    "heard-one-way": "Of two ends of a cable only one hears the other over LLDP.",
    "not-stored": "A device runs with lines that it would not start with again.",
    "plan-differs": "An interface does not have the address that the drawing gives it.",
    "probe-disagrees": "What a device saw when it asked is not what is computed.",
    "read-apart": "The devices of a survey were read minutes apart.",
    "table-differs": "A device's own table is not what its configuration implies.",
}
APART = 300
"""Seconds: from here on, what was changed between two readings is worth a thought."""


def find(context: Context) -> Iterator[Finding]:
    names = {device.name: device.name for device in context.network.devices}
    names |= {d.hostname: d.name for d in context.network.devices if d.hostname}
    macs = {
        interface.mac.lower(): End(device.name, interface.name)
        for device in context.network.devices
        for interface in device.interfaces
        if interface.mac
    }
    for device in context.network.devices:
        for item in device.heard:
            yield from _cable(context, device, item, names)
        for family in (4, 6):
            yield from _table(context, device, family)
        for entry in device.resolved:
            yield from _resolved(context, device, entry, macs)
        yield from _one_way(context, device, names)
        for probe in device.probes:
            yield from _probe(context, device, probe)
        if device.unstored is not None:
            yield _not_stored(device, device.unstored)
    for planned in context.network.planned:
        yield from _planned(context, planned)
    yield from _apart(context)


def _cable(
    context: Context, device: Device, item: Heard, names: dict[str, str]
) -> Iterator[Finding]:
    """The wiring was drawn, and the port hears somebody else than is drawn there."""
    here = End(device.name, item.interface)
    drawn = context.network.cables or context.network.segments
    segment = next((s for s in drawn if here in s.ends), None)
    if segment is None or segment.inferred or item.system in (segment.lan or "").split("+"):
        return
    other = names.get(item.system) or names.get(item.system.partition(".")[0])
    if other is None or other in segment.unread:
        return
    heard = context.network.device(other)
    ports = [w for w in (item.port, item.label) if w and heard and heard.interface(w)]
    ends = [end for end in segment.ends if end != here]
    there = [end for end in ends if end.device == other]
    if there and (not ports or any(end.interface in ports for end in there)):
        return
    shown = End(other, ports[0] if ports else item.port)
    expected = " and ".join(str(end) for end in ends) or "nothing"
    yield Finding(
        "cable-elsewhere",
        RISKS,
        device.name,
        f"{here} hears {shown} over LLDP, and the wiring has {expected} there.",
        "Either a cable is in the wrong port, or the drawing is old: what is computed follows "
        "the drawing.",
        (item.source,),
        item.interface,
        shown,
        key=str(shown),
    )


def _resolved(
    context: Context, device: Device, entry: Resolved, macs: dict[str, End]
) -> Iterator[Finding]:
    """Two devices with one address, or a stranger's: the cache shows who was faster."""
    owners = context.forwarding.near.owner_devices(entry.address)
    who = macs.get((entry.mac or "").lower())
    if not owners or entry.mac is None or (who is not None and who.device in owners):
        return
    if who is None and any(
        interface.mac is None
        for name in owners
        for interface in context.forwarding.devices[name].interfaces
        if not interface.loopback
    ):
        return  # whose it is cannot be told
    shown = (
        f"{who} answers" if who is not None else f"{entry.mac}, which nobody surveyed has, answers"
    )
    yield Finding(
        "answered-elsewhere",
        RISKS,
        device.name,
        f"{device.name} asked on {entry.interface} for {entry.address}, which {owners[0]} has, and "
        f"{shown}.",
        "Two devices answer for one address, or somebody took it: packets reach the one that "
        "answered.",
        (entry.source,),
        entry.interface,
        who,
        key=str(entry.address),
    )


def _one_way(context: Context, device: Device, names: dict[str, str]) -> Iterator[Finding]:
    """A port that is heard and hears nobody, though its device hears others."""
    for item in device.heard:
        other = context.network.device(names.get(item.system, "") or item.system)
        if other is None or not other.heard:
            continue
        ports = [p for p in (item.port, item.label) if p and other.interface(p)]
        if not ports or any(h.interface == ports[0] for h in other.heard):
            continue
        there = End(other.name, ports[0])
        yield Finding(
            "heard-one-way",
            RISKS,
            other.name,
            f"{device.name} {item.interface} hears {there} over LLDP, and {there} hears nobody.",
            "One direction of the cable may be dead: neighbours then come half up, and packets "
            "get through one way only.",
            (item.source,),
            ports[0],
            End(device.name, item.interface),
        )


def _table(context: Context, device: Device, family: int) -> Iterator[Finding]:
    compared = compare_table(context.tables, device, family)
    differ = [row for row in compared if row.state != SAME]
    if not differ:
        return
    first = differ[0]
    evidence: tuple[Source, ...] = first.computed.because[:1] if first.computed else ()
    words = {
        "missing": f"it has {first.prefix}, which its configuration does not give it",
        "extra": f"it lacks {first.prefix}, which its configuration implies",
        "different": f"it sends {first.prefix} another way than its configuration implies",
    }
    more = f", and {len(differ) - 1} more" if len(differ) > 1 else ""
    yield Finding(
        "table-differs",
        NOTES,
        device.name,
        f"{device.name}'s own IPv{family} table differs: {words[first.state]}{more}.",
        f"The likely reason: {first.reason}.",
        evidence,
        key=str(family),
    )


def _probe(context: Context, device: Device, probe: ProbeFact) -> Iterator[Finding]:
    traffic = Traffic(
        str(probe.source) if probe.source is not None else None,
        size=probe.size,
        dont_fragment=probe.dont_fragment,
    )
    try:
        path = find_path(context.forwarding, device.name, str(probe.target), traffic)
    except EndpointError:
        return  # the target or the source is of nobody here: nothing to compare it with
    seen = Probed(Echo(probe.sent, probe.received, probe.says), probe.hops)
    found = beside(context.forwarding, path, seen)
    if found.agrees:
        return
    yield Finding(
        "probe-disagrees",
        NOTES,
        device.name,
        f"{device.name} asked for {probe.target}"
        + (f" from {probe.source}" if probe.source else "")
        + f": {found.says}",
        "What a device sees is what is. Gather again; if it stays, what is computed here is not "
        "to be relied on for this way.",
        (probe.source_line,),
        key=f"{probe.target}-{probe.source or ''}-{probe.size}",
    )


def _not_stored(device: Device, unstored: Unstored) -> Finding:
    running, held = len(unstored.running), len(unstored.stored)
    parts = []
    if running:
        parts.append(f"runs with {_lines(running)} not stored")
    if held:
        parts.append(f"has stored {_lines(held)} not running")
    return Finding(
        "not-stored",
        RISKS,
        device.name,
        f"{device.name} {' and '.join(parts)}.",
        "Its next restart undoes what runs now. Store the running configuration, or find out who "
        "changed it.",
        (*unstored.running[:4], *unstored.stored[:4]),
    )


def _lines(count: int) -> str:
    return "1 line that is" if count == 1 else f"{count} lines that are"


def _planned(context: Context, planned: Planned) -> Iterator[Finding]:
    device = context.network.device(planned.end.device)
    if device is None or device.role == "unread":
        return
    interface = device.interface(planned.end.interface)
    if interface is not None and interface.has(planned.address):
        return
    family = planned.address.family
    held = [
        fact
        for fact in (interface.addresses if interface is not None else ())
        if fact.address.family == family and not fact.address.is_link_local
    ]
    elsewhere = next((i.name for i in device.interfaces if i.has(planned.address)), None)
    has = (
        f"has {held[0].value}"
        if held
        else "has no address"
        if interface is not None
        else "does not exist there"
    )
    where = f"; it stands on {elsewhere}" if elsewhere else ""
    yield Finding(
        "plan-differs",
        NOTES,
        device.name,
        f"The drawing gives {planned.end} the address {planned.address}, and it {has}{where}.",
        "Either the device or the drawing is wrong. What is computed follows the device.",
        (planned.source, *(fact.source for fact in held[:1])),
        planned.end.interface or None,
        key=str(planned.address),
    )


def _apart(context: Context) -> Iterator[Finding]:
    times: list[tuple[int, int, str]] = []
    for device in context.network.devices:
        if device.read_at is not None:
            began, ended = map(seconds_of, device.read_at)
            if began is not None and ended is not None:
                times.append((began, ended, device.name))
    if len(times) < 2:
        return
    first, last = min(times), max(times, key=lambda t: t[1])
    gap = last[1] - first[0]
    if gap < APART:
        return
    minutes = round(gap / 60)
    yield Finding(
        "read-apart",
        NOTES,
        last[2],
        f"{first[2]} was read {minutes} minutes before {last[2]} was.",
        "What somebody changed in between looks like a contradiction between the two. Gather "
        "again before trusting a difference that has no other reason.",
        (),
        key="survey",
    )
