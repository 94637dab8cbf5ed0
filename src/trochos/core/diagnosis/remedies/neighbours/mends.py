"""What several protocols share: a statement that takes an interface in, an end that speaks
again, a router id of its own.
"""

from __future__ import annotations

from typing import Any

from ....change.writers.base import Edits, Writer
from ....network.addressing import Prefix
from ....network.edits import Remedy, TextEdit
from ....network.facts import AddressFact, Device, Interface
from ....network.routing import NetworkStatement
from ....protocols.eigrp import ends_of as eigrp_ends
from ....protocols.ospf.interfaces import ends_of as ospf_ends
from ....protocols.rip import ends_of as rip_ends
from ...findings.idle import idle_statements
from ..bench import Bench

Mend = tuple[str, Edits]
"""(what is done, in words after the device's name; the edits)."""


def covered(
    bench: Bench,
    protocol: str,
    device: str,
    family: int,
    interface: Interface,
    fact: AddressFact | None,
    area: int = 0,
) -> Mend | None:
    """A statement that takes the interface in; one that takes nothing in makes way for it."""
    if fact is None and family == 4:
        return None
    writer = bench.writer(device)
    prefix = fact.connected if fact is not None else Prefix(family, 0, 0)
    edits = writer.cover(protocol, family, interface, prefix, area)
    if edits is None:
        return None
    stray = nearest(idle_statements(bench.devices[device], protocol, family), prefix)
    gone: Edits = ()
    if stray is not None:
        gone = writer.drop(stray.source) or ()
    name = {"ospf": "OSPF", "rip": "RIP", "eigrp": "EIGRP"}[protocol]
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
) -> Mend | None:
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
        line = (
            "no ip ospf passive" if protocol == "ospf" else f"no passive-interface {interface.name}"
        )
        context = (
            (f"interface {interface.name}",) if protocol == "ospf" else ("router " + protocol,)
        )
        return words, (TextEdit(source.device, source.file, context, (), (line,)),)
    edits = writer.drop(source)
    return None if edits is None else (words, edits)


def own_router_id(bench: Bench, protocol: str, family: int, device: Device) -> Mend | None:
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
        used |= {p.router_id.value for p in other.routing.ospf if p.router_id}
        if other.routing.bgp is not None and other.routing.bgp.router_id:
            used.add(other.routing.bgp.router_id.value)
        used |= {
            fact.address.value
            for interface in other.interfaces
            if interface.loopback
            for fact in interface.addresses
        }
    current = None
    if protocol == "bgp" and device.routing.bgp is not None:
        current = device.routing.bgp.router_id
    else:
        current = next((p.router_id for p in device.routing.ospf if p.family == family), None)
    if current is not None and any(current.value == address.value for _, address in own):
        return None  # its id is an address of its own: the other end is wrong
    for _, address in sorted(own):
        if address.value in used:
            continue
        edits = bench.writer(device.name).router_id(protocol, family, address)
        return None if edits is None else (f"use {address} as router id", edits)
    return None


def running(bench: Bench, protocol: str, device: Device, process: Any) -> set[str]:
    """The interfaces on which a process runs."""
    links = bench.tables.links
    if protocol == "ospf":
        return {e.interface.name for e in ospf_ends(device, process, links) if e.area is not None}
    ends: list[Any] = []
    ends += rip_ends(device, process, links) if protocol == "rip" else []
    ends += eigrp_ends(device, process, links) if protocol == "eigrp" else []
    return {end.interface.name for end in ends if end.enabled is not None}


def cover_all(bench: Bench, protocol: str, device: str, family: int, area: int) -> Remedy | None:
    """A protocol run on every interface of a device that it does not run on yet."""
    facts = bench.devices[device]
    idle: list[tuple[Interface, AddressFact]] = []
    for process in getattr(facts.routing, protocol):
        if process.family != family:
            continue
        busy = running(bench, protocol, facts, process)
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
        made = bench.writer(device).cover(protocol, family, interface, fact.connected, area)
        if made is None:
            return None
        edits += made
    names = ", ".join(interface.name for interface, _ in idle)
    name = {"ospf": "OSPF", "rip": "RIP", "eigrp": "EIGRP"}[protocol]
    return Remedy(f"On {device}: run {name} on {names}.", tuple(edits))
