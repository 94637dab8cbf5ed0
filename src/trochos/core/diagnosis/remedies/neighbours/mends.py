"""What several protocols share: a statement that takes an interface in, an end that speaks
again, a router id of its own.
"""

from __future__ import annotations

from typing import Any

from ....change.writers.base import Edits, Writer
from ....network.addressing import Prefix
from ....network.edits import Remedy
from ....network.facts import AddressFact, Device, Interface
from ....network.protocols import label
from ....network.routing import NetworkStatement, Process
from ....protocols import registry
from ...findings.idle import idle_statements
from ..bench import Bench

Made = tuple[str, Edits]
"""(what is done, in words after the device's name; the edits)."""


def covered(
    bench: Bench,
    protocol: str,
    device: str,
    family: int,
    interface: Interface,
    fact: AddressFact | None,
    area: int = 0,
) -> Made | None:
    """A statement that takes the interface in; one that takes nothing in makes way for it."""
    if fact is None and family == 4:
        return None
    writer = bench.writer(device)
    prefix = fact.connected if fact is not None else Prefix(family, 0, 0)
    edits = writer.of(protocol).cover(family, interface, prefix, area)
    if edits is None:
        return None
    stray = nearest(idle_statements(bench.devices[device], protocol, family), prefix)
    gone: Edits = ()
    if stray is not None:
        gone = writer.drop(stray.source) or ()
    name = label(protocol)
    words = f"run {name} on {interface.name}"
    if stray is not None:
        words += f" instead of {stray.prefix or stray.interface}, which no interface has"
    return words, (*gone, *edits)


def nearest(statements: list[NetworkStatement], prefix: Prefix) -> NetworkStatement | None:
    """The statement that was most likely meant to be this prefix: the one that shares most."""
    alike = [
        s
        for s in statements
        if s.prefix is not None
        and s.prefix.family == prefix.family
        and s.prefix.length == prefix.length
    ]
    if not alike:
        return statements[0] if len(statements) == 1 else None
    return min(alike, key=lambda s: s.prefix.network ^ prefix.network)  # type: ignore[union-attr]


def speaks_again(
    writer: Writer,
    protocol: str,
    family: int,
    interface: Interface,
    passive: bool,
    source: Any,
    excepted: bool,
) -> Made | None:
    """A passive interface speaks again; where all are by default, all of them do, unless
    others were excepted one by one."""
    if not passive:
        return "", ()
    words = f"let {interface.name} speak again"
    if source is None:
        return None
    if "default" in source.text and not excepted:
        edits = writer.drop(source)
        return None if edits is None else ("let its interfaces speak again", edits)
    if "default" in source.text:
        edits = writer.of(protocol).speak(family, interface, source)
        return None if edits is None else (words, edits)
    edits = writer.drop(source)
    return None if edits is None else (words, edits)


def own_router_id(bench: Bench, protocol: str, family: int, device: Device) -> Made | None:
    """A router id that is this device's alone: a loopback address, else its lowest."""
    own = [
        (not interface.loopback, fact.address)
        for interface in device.interfaces
        for fact in interface.addresses
        if fact.address.family == 4 and not fact.address.is_loopback
    ]
    used = set()
    for other in bench.network.devices:
        if other.name == device.name:
            continue
        used |= {p.identity.value for p in other.routing.processes if p.identity}
        used |= {
            fact.address.value
            for interface in other.interfaces
            if interface.loopback
            for fact in interface.addresses
        }
    running = device.routing.called(protocol, family)
    current = next((p.identity for p in running), None)
    if current is not None and any(current.value == address.value for _, address in own):
        return None  # its id is an address of its own: the other end is wrong
    for _, address in sorted(own):
        if address.value in used:
            continue
        edits = bench.writer(device.name).of(protocol).router_id(family, address)
        return None if edits is None else (f"use {address} as router id", edits)
    return None


def running(bench: Bench, device: Device, process: Process) -> set[str]:
    """The interfaces on which a process runs."""
    return registry.protocol(process.protocol).busy(device, process, bench.tables.links)


def cover_all(bench: Bench, protocol: str, device: str, family: int, area: int) -> Remedy | None:
    """A protocol run on every interface of a device that it does not run on yet."""
    facts = bench.devices[device]
    idle: list[tuple[Interface, AddressFact]] = []
    for process in facts.routing.called(protocol, family):
        busy = running(bench, facts, process)
        for interface in facts.interfaces:
            found = [
                f
                for f in interface.addresses
                if f.address.family == family and not f.address.is_link_local
            ]
            if found and interface.enabled and interface.name not in busy:
                idle.append((interface, found[0]))
    if len(idle) < 2:
        return None
    edits: list[Any] = []
    for interface, fact in idle:
        made = bench.writer(device).of(protocol).cover(family, interface, fact.connected, area)
        if made is None:
            return None
        edits += made
    names = ", ".join(interface.name for interface, _ in idle)
    name = label(protocol)
    return Remedy(f"On {device}: run {name} on {names}.", tuple(edits))
