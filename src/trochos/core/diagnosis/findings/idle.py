"""Findings about lines that do nothing: statements without an interface, maps without a use."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.addressing import FAMILIES
from ...network.facts import Device
from ...network.protocols import label
from ...network.routing import NetworkStatement
from ...protocols.identity import statement_covers
from ..finding import NOTES, Finding
from .context import Context

KINDS = {
    "statement-without-interface": "A network statement takes in no interface of its device.",
    "route-map-unused": "A route map is written and nothing refers to it.",
}


def find(context: Context) -> Iterator[Finding]:
    for device in context.network.devices:
        yield from _statements(device)
        yield from _maps(device)


def idle_statements(device: Device, protocol: str, family: int) -> list[NetworkStatement]:
    """Network statements of a protocol that take in no interface of the device."""
    out: list[NetworkStatement] = []
    for process in device.routing.called(protocol, family):
        for statement in process.statements:
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
    for protocol in device.routing.protocols():
        name = label(protocol)
        for family in FAMILIES:
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
    named = {name for process in device.routing.processes for name in process.maps()}
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
