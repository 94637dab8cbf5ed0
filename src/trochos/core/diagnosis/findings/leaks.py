"""Findings about routes that instances of a device offer each other by BGP (RFC 4364)."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from ...network.bgp import BgpFamily, BgpProcess
from ...network.facts import Device
from ...network.source import Source
from ...protocols.bgp.leaks import offers
from ..finding import BREAKS, NOTES, Finding
from .context import Context
from .instances import place

KINDS = {
    "route-target-twice": "Two routing instances of a device offer their routes under one route "
    "target.",
    "import-from-nobody": "A routing instance takes the routes of one over that has none of BGP.",
    "route-target-unoffered": "A routing instance takes a route target over that none of the "
    "device's instances offers.",
}


class Renamed(NamedTuple):
    """The route target that an instance offers, and the one that was rather meant."""

    node: str
    family: int
    line: Source
    old: str
    new: str


def find(context: Context) -> Iterator[Finding]:
    chassis: dict[str, list[tuple[Device, BgpProcess]]] = {}
    for device in context.network.devices:
        process = device.routing.one(BgpProcess)
        if process is not None:
            chassis.setdefault(device.chassis, []).append((device, process))
    for nodes in chassis.values():
        for family in (4, 6):
            held = [(d, f) for d, p in nodes if (f := p.families.get(family)) is not None]
            # What other routers offer is not computed, so who offers what is not known there.
            between = any(process.between_routers is not None for _, process in nodes)
            yield from _twice(held, family, _unoffered(held) if not between else {})
            if not between:
                yield from _missing(held)
            yield from _from_nobody(held)


def _unoffered(nodes: list[tuple[Device, BgpFamily]]) -> dict[str, tuple[Device, Source]]:
    """The route targets that some instance takes and none offers."""
    told = {word.value for _, held in nodes if offers(held) for word in held.rt_export}
    return {
        word.value: (device, word.source)
        for device, held in nodes
        if held.taken is not None and held.taken.value
        for word in held.rt_import
        if word.value not in told
    }


def _twice(
    nodes: list[tuple[Device, BgpFamily]],
    family: int,
    unoffered: dict[str, tuple[Device, Source]],
) -> Iterator[Finding]:
    first: dict[str, tuple[Device, Source]] = {}
    for device, held in nodes:
        for word in held.rt_export if offers(held) else ():
            before = first.setdefault(word.value, (device, word.source))
            if before[0] is device:
                continue
            renamed = next(
                (
                    Renamed(node.name, family, line, word.value, target)
                    for target, (who, _) in unoffered.items()
                    if who in (device, before[0])
                    for node, line in ((device, word.source), before)
                    if node is not who
                ),
                None,
            )
            yield Finding(
                "route-target-twice",
                BREAKS if renamed else NOTES,
                renamed.node if renamed else device.name,
                f"{device.chassis} offers the routes of {place(before[0])} and of {place(device)} "
                f"under the same route target {word.value}.",
                "Whoever takes that route target over gets the routes of both."
                + (f" Nobody offers {renamed.new}, which one of them takes." if renamed else ""),
                (before[1], word.source),
                key=word.value,
                subject=renamed,
            )


def _missing(nodes: list[tuple[Device, BgpFamily]]) -> Iterator[Finding]:
    for target, (device, line) in _unoffered(nodes).items():
        yield Finding(
            "route-target-unoffered",
            NOTES,
            device.name,
            f"{place(device)[0].upper()}{place(device)[1:]} of {device.chassis} takes the route "
            f"target {target} over, and no instance of {device.chassis} offers it.",
            "It takes nothing over by that line.",
            (line,),
            key=target,
        )


def _from_nobody(nodes: list[tuple[Device, BgpFamily]]) -> Iterator[Finding]:
    speaking = {device.instance or "default" for device, _ in nodes}
    for device, held in nodes:
        for word in held.imports:
            if word.value not in speaking:
                yield Finding(
                    "import-from-nobody",
                    NOTES,
                    device.name,
                    f"{device.chassis} takes the routes of {word.value} over into {place(device)}, "
                    "and BGP holds none there.",
                    "The instance is not there, or no BGP runs in it for these addresses.",
                    (word.source,),
                    key=word.value,
                )
