"""What a change takes along without naming it: an interface that is removed takes its addresses,
the routes that need it and the neighbours that are met there."""

from __future__ import annotations

from collections import Counter
from typing import NamedTuple

from ..network.facts import Device
from ..protocols.tables import Tables


class Along(NamedTuple):
    """One thing that goes: `what` is `address`, `route`, `static route` or `neighbour`."""

    what: str
    device: str
    text: str

    def as_json(self) -> dict[str, str]:
        return {"what": self.what, "device": self.device, "text": self.text}


def taken_along(before: Tables, after: Tables) -> list[Along]:
    """What devices had before a change and have no more after it."""
    out: list[Along] = []
    later = {device.name: device for device in after.network.devices}
    for device in before.network.devices:
        now = later.get(device.name)
        if now is device:
            continue
        left, right = _facts(device), _facts(now) if now is not None else Counter[Along]()
        out += sorted((left - right).elements())
        out += _unusable(device, before, after) if now is not None else []
    lost = _neighbours(before) - _neighbours(after)
    return [*out, *sorted(lost.elements())]


def _facts(device: Device) -> Counter[Along]:
    name = device.name
    found = [
        Along("address", name, f"{fact.value} on {interface.name}")
        for interface in device.interfaces
        for fact in interface.addresses
        if interface.enabled and not fact.address.is_link_local
    ]
    for route in device.statics:
        way = route.gateway or route.interface or route.special
        found.append(Along("static route", name, f"{route.prefix} over {way}"))
    return Counter(found)


def _unusable(device: Device, before: Tables, after: Tables) -> list[Along]:
    """Static routes that stand there still and are of no use any more."""
    out = []
    for family in (4, 6):
        was = {r.because: r for r in before.of(device.name, family).statics()}
        for route in after.of(device.name, family).statics():
            held = was.get(route.because)
            if route.problem is not None and held is not None and held.problem is None:
                out.append(Along("route", device.name, f"{route.prefix}: {route.why}"))
    return out


def _neighbours(tables: Tables) -> Counter[Along]:
    return Counter(
        Along("neighbour", r.left.device, f"{r.protocol.upper()} with {r.right.device}")
        for r in tables.relations()
        if r.works
    )
