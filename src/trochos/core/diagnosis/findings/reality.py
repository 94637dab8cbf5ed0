"""Findings about what devices show of themselves, where it does not fit what is written."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.facts import Device, End, Heard, Source
from ..finding import NOTES, RISKS, Finding
from ..reality import SAME, compare_table
from .context import Context

KINDS = {
    "cable-elsewhere": "A device hears another neighbour on a port than the wiring says.",
    "table-differs": "A device's own table is not what its configuration implies.",
}


def find(context: Context) -> Iterator[Finding]:
    names = {device.name: device.name for device in context.network.devices}
    names |= {d.hostname: d.name for d in context.network.devices if d.hostname}
    for device in context.network.devices:
        for item in device.heard:
            yield from _cable(context, device, item, names)
        for family in (4, 6):
            yield from _table(context, device, family)


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
