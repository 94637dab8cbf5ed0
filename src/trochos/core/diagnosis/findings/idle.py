"""Findings about lines that do nothing: statements without an interface, maps without a use."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ...network.facts import Device
from ...protocols.identity import statement_covers
from ..finding import NOTES, Finding
from .context import Context

KINDS = {
    "statement-without-interface": "A network statement takes in no interface of its device.",
    "route-map-unused": "A route map is written and nothing refers to it.",
}
_NAMES = {"ospf": "OSPF", "rip": "RIP", "eigrp": "EIGRP"}


def find(context: Context) -> Iterator[Finding]:
    for device in context.network.devices:
        yield from _statements(device)
        yield from _maps(device)


def idle_statements(device: Device, protocol: str, family: int) -> list[Any]:
    """Network statements of a protocol that take in no interface of the device."""
    out = []
    for process in getattr(device.routing, protocol, ()):
        if process.family != family:
            continue
        for statement in process.networks:
            covers = any(
                statement.interface == interface.name
                if statement.interface is not None
                else any(statement_covers(statement, f, True) for f in interface.addresses)
                for interface in device.interfaces
            )
            if not covers:
                out.append(statement)
    return out


def _statements(device: Device) -> Iterator[Finding]:
    for protocol, name in _NAMES.items():
        for family in (4, 6):
            for statement in idle_statements(device, protocol, family):
                what = statement.prefix or statement.interface
                yield Finding(
                    "statement-without-interface",
                    NOTES,
                    device.name,
                    f"The {name} statement for {what} on {device.name} takes in no interface.",
                    "It does nothing. If an interface was meant, its subnet is not announced.",
                    (statement.source,),
                    key=f"{protocol}-{what}",
                    subject=statement.source,
                )


def used_maps(device: Device) -> set[str]:
    """The names of route maps that something on the device refers to."""
    routing = device.routing
    named: set[str] = set()
    processes: list[Any] = [*routing.ospf, *routing.rip, *routing.eigrp]
    for process in processes:
        named |= {r.route_map for r in process.redistribute if r.route_map}
        default = getattr(process, "default", None)
        if default is not None and default.route_map:
            named.add(default.route_map)
    if routing.bgp is not None:
        for family in routing.bgp.families.values():
            named |= {r.route_map for r in family.redistribute if r.route_map}
            named |= {n.route_map for n in family.networks if n.route_map}
            for aggregate in family.aggregates:
                named |= {m for m in (aggregate.route_map, aggregate.suppress_map) if m}
            if family.table_map is not None:
                named.add(family.table_map.value)
        for neighbour in routing.bgp.neighbours:
            for held in neighbour.families.values():
                for word in (
                    held.route_map_in,
                    held.route_map_out,
                    held.default_originate,
                    held.unsuppress_map,
                ):
                    if word is not None:
                        named.add(word.value)
    for entries in device.policy.route_maps.values():
        named |= {entry.call for entry in entries if entry.call}
    return named


def _maps(device: Device) -> Iterator[Finding]:
    used = used_maps(device)
    for name, entries in device.policy.route_maps.items():
        if name not in used and entries:
            yield Finding(
                "route-map-unused",
                NOTES,
                device.name,
                f"Nothing on {device.name} refers to the route map {name}.",
                "A policy was written and is not applied: perhaps the line that applies it is "
                "missing.",
                tuple(entry.source for entry in entries[:4]),
                key=name,
            )
