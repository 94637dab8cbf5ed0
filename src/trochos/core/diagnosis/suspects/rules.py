"""A route in a table that a rule leads to, and that does not lead there."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.edits import DataEdit, Remedy
from ...network.facts import Device
from ...step.legs import Hop
from ..finding import BREAKS, Finding
from ..remedies.bench import Bench
from .suspect import PLAUSIBLE, Suspect


def on_ruled(bench: Bench, device: Device, hop: Hop) -> Iterator[Suspect]:
    """Another router beside the device as the next hop of the table's route."""
    route, rule = hop.route, hop.rule
    if route is None or rule is None or not route.because:
        return
    line = route.because[0]
    if line.path is None or not route.next_hops or route.next_hops[0].address is None:
        return
    now = str(route.next_hops[0].address)
    entry = "/" + line.path.strip("/").split("/")[0]
    family = route.prefix.family
    remedies = []
    for mine, other in bench.beside(device.name):
        far = bench.devices[other.device]
        port = bench.tables.links.interface(other)
        if far.is_host or port is None:
            continue
        for fact in port.addresses:
            address = str(fact.address)
            if fact.address.family != family or fact.address.is_link_local or address == now:
                continue
            edits = (
                DataEdit(line.device, line.file, f"{entry}/gateway", now, address),
                DataEdit(line.device, line.file, f"{entry}/dev", None, mine.interface),
            )
            title = f"On {device.name}: send {route.prefix} to {address} in table {rule.table}."
            remedies.append(Remedy(title, edits))
    if remedies:
        yield Suspect(
            Finding(
                "rule-route-astray",
                BREAKS,
                device.name,
                f"{device.name} sends packets of rule {rule.priority} to {now}, as table "
                f"{rule.table} says, and that does not lead there.",
                "Another router beside it may be the one that was meant.",
                (line, rule.line),
                key=f"{rule.priority}-{route.prefix}",
                remedies=tuple(remedies),
            ),
            PLAUSIBLE,
        )
