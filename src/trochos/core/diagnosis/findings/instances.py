"""Findings about routing instances: an interface, a process or a static route in the wrong one."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from ...network.addressing import Address
from ...network.facts import AddressFact, Device, End, Interface, StaticRoute
from ...network.routing import Process
from ...network.source import Source
from ...protocols.identity import statement_covers
from ..finding import BREAKS, Finding, named
from .context import Context

KINDS = {
    "interface-in-wrong-instance": "An interface is in a routing instance that has nothing to do "
    "with its link, and another instance of the device has.",
    "process-in-wrong-instance": "A protocol runs in a routing instance where it meets nobody, and "
    "not in the one whose neighbours speak it.",
    "static-in-wrong-instance": "The gateway of a static route is on a link of another routing "
    "instance of the device.",
}


class Moved(NamedTuple):
    """What is to go from one node of a device to another."""

    what: Interface | Process | StaticRoute
    here: str
    there: str


def find(context: Context) -> Iterator[Finding]:
    nodes: dict[str, list[Device]] = {}
    for device in context.network.devices:
        nodes.setdefault(device.chassis, []).append(device)
    for siblings in nodes.values():
        if len(siblings) < 2 or any(node.role == "unread" for node in siblings):
            continue
        for node in siblings:
            others = [other for other in siblings if other is not node]
            for interface in node.interfaces:
                if interface.enabled and not interface.loopback:
                    yield from _interface(context, node, interface, others)
            for process in node.routing.processes:
                yield from _process(context, node, process, others)
            yield from _statics(context, node, others)


def place(node: Device) -> str:
    """What people call the tables of a node."""
    if node.instance:
        return f"the routing instance {node.instance}"
    return "the main routing instance"


def _interface(
    context: Context, node: Device, interface: Interface, others: list[Device]
) -> Iterator[Finding]:
    if _ties(context, node, interface, node):
        return
    ties = {other.name: _ties(context, node, interface, other) for other in others}
    wanting = [other for other in others if ties[other.name]]
    if len(wanting) != 1:
        return
    (wanted,) = wanting
    opened = interface.vrf_source or interface.source
    yield Finding(
        "interface-in-wrong-instance",
        BREAKS,
        node.name,
        f"{node.chassis} {interface.name} is in {place(node)}, where nothing concerns its link; "
        f"what concerns it is in {place(wanted)}.",
        "Packets that arrive there are looked up in other tables, and whoever is on the link is no "
        "neighbour.",
        tuple(dict.fromkeys((*((opened,) if opened else ()), *ties[wanted.name]))),
        interface.name,
        key=wanted.name,
        subject=Moved(interface, node.name, wanted.name),
    )


def _ties(context: Context, node: Device, interface: Interface, by: Device) -> list[Source]:
    """The lines of one node of a device that have to do with the link of an interface of
    another: statements that take its subnet in where somebody there speaks the protocol, gateways
    and neighbours in its subnet."""
    out: list[Source] = []
    facts = [fact for fact in interface.addresses if not fact.address.is_link_local]
    spoken = _spoken(context, End(node.name, interface.name))
    elsewhere = {f.connected for i in by.interfaces if i is not interface for f in i.addresses}
    # What lies in a subnet of another link of that node too is looked for there.
    alone = [fact for fact in facts if fact.connected not in elsewhere]
    for process in by.routing.processes:
        if process.protocol in spoken:
            out += _covering(process, interface, facts)
        out += _near(alone, process.named_neighbours(), (process.source,))
    for route in by.statics:
        if route.gateway is not None:
            out += _near(alone, [route.gateway], (route.source,))
    # A node that has this subnet on another link of its own does not want it twice.
    return out if by is node or alone == facts else []


def _near(
    facts: list[AddressFact], addresses: list[Address], lines: tuple[Source, ...]
) -> tuple[Source, ...]:
    """The lines, if one of the addresses is on the link and not the interface's own."""
    own = {fact.address for fact in facts}
    hit = any(a not in own and f.connected.contains(a) for a in addresses for f in facts)
    return lines if hit else ()


def _covering(process: Process, interface: Interface, facts: list[AddressFact]) -> list[Source]:
    """The statements and settings of a process that take an interface in."""
    lines = [
        statement.source
        for statement in process.statements
        if statement.interface == interface.name
        or any(statement_covers(statement, fact, True) for fact in facts)
    ]
    settings = getattr(process, "interfaces", {}).get(interface.name)
    area = getattr(settings, "area", None)
    return lines + ([area.source] if area is not None else [])


def _spoken(context: Context, end: End) -> set[str]:
    """The protocols that others on an end's link listen to."""
    segment = context.tables.links.segment_of.get(end)
    beside = {other for other in segment.ends if other.device != end.device} if segment else set()
    return {
        speakers.protocol
        for speakers in context.tables.speakers
        if any(found in beside for found, _, _ in speakers.listening())
    }


def _process(
    context: Context, node: Device, process: Process, others: list[Device]
) -> Iterator[Finding]:
    """A process that meets nobody where it is, and would in another instance."""
    if any(
        relation.up
        and relation.protocol == process.protocol
        and node.name in (relation.left.device, relation.right.device)
        for relation in context.tables.relations()
    ):
        return
    if any(node.interface(name) is not None for name in getattr(process, "interfaces", {})):
        return  # what is said of its interfaces says that it belongs here
    for other in others:
        if other.routing.called(process.protocol, process.family):
            continue
        meets = [
            interface.name
            for interface in other.interfaces
            if interface.enabled and not interface.loopback
            if _would_meet(context, process, other, interface)
        ]
        if not meets:
            continue
        yield Finding(
            "process-in-wrong-instance",
            BREAKS,
            node.name,
            f"{node.chassis} runs {process.name} in {place(node)}, where it meets nobody; its "
            f"neighbours are on {named(meets)} in {place(other)}.",
            "Neither learns a route from the other.",
            (process.source,),
            peer=End(other.name, meets[0]),
            key=f"{process.protocol}-{other.name}",
            subject=Moved(process, node.name, other.name),
        )


def _would_meet(context: Context, process: Process, node: Device, interface: Interface) -> bool:
    facts = [fact for fact in interface.addresses if not fact.address.is_link_local]
    if process.protocol in _spoken(context, End(node.name, interface.name)):
        return bool(_covering(process, interface, facts))
    segment = context.tables.links.segment_of.get(End(node.name, interface.name))
    beside = [context.network.device(end.device) for end in segment.ends] if segment else []
    speaks = any(d is not None and d.routing.called(process.protocol) for d in beside)
    return speaks and bool(_near(facts, process.named_neighbours(), (process.source,)))


def _beside(context: Context, node: Device, address: Address) -> bool:
    """True if somebody on a link of a node has an address."""
    links = context.tables.links
    return any(
        interface.has(address)
        for port in node.interfaces
        if (segment := links.segment_of.get(End(node.name, port.name))) is not None
        for end in segment.ends
        if end.device != node.name and (interface := links.interface(end)) is not None
    )


def _statics(context: Context, node: Device, others: list[Device]) -> Iterator[Finding]:
    connected = [f.connected for i in node.interfaces for f in i.addresses]
    for route in node.statics:
        gateway = route.gateway
        if gateway is None or route.kernel or any(p.contains(gateway) for p in connected):
            continue
        if _beside(context, node, gateway):
            continue  # it is on a link of this very node: the address or mask there is the matter
        table = context.tables.of(node.name, route.prefix.family)
        if any(r.usable for r in table.candidates(route.prefix) if route.source in r.because):
            continue
        there = [
            other
            for other in others
            if any(
                f.connected.contains(gateway) and f.address != gateway
                for i in other.interfaces
                for f in i.addresses
            )
        ]
        if len(there) != 1:
            continue
        yield Finding(
            "static-in-wrong-instance",
            BREAKS,
            node.name,
            f"{node.chassis}'s static route to {route.prefix} is in {place(node)}, and its gateway "
            f"{gateway} is on a link of {place(there[0])}.",
            "A gateway is looked for among the links of the route's own instance, so the route is "
            "not used, and the instance that could use it lacks it.",
            (route.source,),
            key=f"{route.prefix}-{gateway}",
            subject=Moved(route, node.name, there[0].name),
        )
