"""Where a leg ends because what it needs lies in another routing instance of the same device."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.addressing import Address, Prefix
from ...network.edits import Remedy
from ...network.facts import Device, Interface, Source, StaticRoute
from ...step.routes import Route
from ..finding import BREAKS, Finding
from ..findings.instances import Moved, place
from ..remedies import instances
from ..remedies.bench import Bench
from .suspect import LIKELY, PLAUSIBLE, POSSIBLE, SURE, Suspect


def other_instance(
    bench: Bench, device: Device, arrived: str | None, target: Address
) -> Iterator[Suspect]:
    """An interface that another instance of the device has: the one to the target, which this
    instance lacks, or the one by which the packet came, which that instance lacks.

    Nothing in the texts contradicts the one or the other. Which of the two is odd the address plan
    says: an interface belongs to the instance whose subnets are numbered most like its own.
    """
    for there in bench.devices.values():
        if there.chassis != device.chassis or there is device or there.role == "unread":
            continue
        for interface in there.interfaces:
            if not any(fact.connected.contains(target) for fact in interface.addresses):
                continue
            came = device.interface(arrived) if arrived is not None else None
            if came is not None and _leads(bench, there, device, came):
                yield from _one_way(bench, interface, there, device, came)
            yield from _moved(bench, interface, there, device, target)
            if came is not None:
                yield from _moved(bench, came, device, there, target)


def _led(here: Device, there: Device, interface: Interface) -> list[StaticRoute]:
    """The routes by which one node of a device leads to the link of an interface of another."""
    return [
        static
        for static in here.statics
        if here.lent.get(static.interface or "") == there.name
        and any(static.prefix.overlaps(fact.connected) for fact in interface.addresses)
    ]


def _taken_over(bench: Bench, here: Device, there: Device, interface: Interface) -> list[Route]:
    """The routes that one node took over from another one, to the link of an interface of it."""
    found = (
        bench.tables.of(here.name, fact.address.family).winner(fact.connected)
        for fact in interface.addresses
        if not fact.address.is_link_local
    )
    return [
        route
        for route in found
        if route is not None and any(hop.into == there.name for hop in route.next_hops)
    ]


def _leads(bench: Bench, here: Device, there: Device, interface: Interface) -> list[Source]:
    """The lines by which one node of a device leads to the link of an interface of another."""
    static = [static.source for static in _led(here, there, interface)]
    routes = _taken_over(bench, here, there, interface)
    return [*static, *(line for route in routes for line in route.because[:1])]


def _one_way(
    bench: Bench, interface: Interface, there: Device, device: Device, came: Interface
) -> Iterator[Suspect]:
    """A leak from one instance into another, to the link from which a packet comes, that has none
    back."""
    lines = _leads(bench, there, device, came)
    for fact in interface.addresses:
        prefix = fact.connected
        title = f"On {device.chassis}: send {prefix} from {place(device)} into {place(there)}."
        edits = None
        for route in _taken_over(bench, there, device, came):
            # Back by the same means.
            part = bench.writer(device.name).of(route.protocol)
            edits = part.take_over(prefix.family, there)
            title = f"On {device.chassis}: let {place(device)} take over from {place(there)}."
        edits = edits or bench.writer(device.name).leak(prefix, interface.name, there.instance)
        if not edits or fact.address.is_link_local:
            continue
        yield Suspect(
            Finding(
                "leak-one-way",
                BREAKS,
                device.name,
                f"{device.chassis} leads packets from {place(there)} into {place(device)}, and "
                f"none to {prefix} back.",
                "What is connected in one routing instance is not known in another; a route that "
                "leads over has to be there for both ways.",
                (*lines[:2], fact.source),
                interface.name,
                key=str(prefix),
                remedies=(Remedy(title, edits),),
            ),
            PLAUSIBLE if _meant(interface, there, device) else SURE,
        )


def _moved(
    bench: Bench, interface: Interface, here: Device, there: Device, target: Address
) -> Iterator[Suspect]:
    if interface.loopback or not interface.enabled or _led(there, here, interface):
        return  # where a route leads to it, somebody knows that it is there
    remedies = tuple(instances.remedies(bench, Moved(interface, here.name, there.name)))
    if not remedies:
        return
    line = interface.vrf_source or interface.source
    lines = [line] if line is not None else []
    because = (*lines, *(fact.source for fact in interface.addresses[:1]))
    # An instance that somebody made is not to be left without a link.
    last = bool(here.instance) and all(i is interface or i.loopback for i in here.interfaces)
    meant = not last and _meant(interface, here, there)
    yield Suspect(
        Finding(
            "instance-holds-link",
            BREAKS,
            here.name,
            f"{here.chassis} {interface.name} is in {place(here)}, and what asks for {target} is "
            f"in {place(there)}.",
            "What is connected in one routing instance is not known in another."
            + (f" Its subnet is numbered like those of {place(there)}." if meant else ""),
            because,
            interface.name,
            key=there.name,
            remedies=remedies,
        ),
        LIKELY if meant else POSSIBLE if last else PLAUSIBLE,
    )


def _meant(interface: Interface, here: Device, there: Device) -> bool:
    """True if an interface is numbered like those of another node, and unlike those of its own,
    where there are any."""
    return 0 < _alike(interface, here) < _alike(interface, there)


def _alike(interface: Interface, node: Device) -> int:
    """How many bits a subnet of the interface shares with another subnet of a node, at most."""
    mine = [fact.connected for fact in interface.addresses if not fact.address.is_link_local]
    others = [
        fact.connected
        for other in node.interfaces
        if other is not interface and not other.loopback
        for fact in other.addresses
        if not fact.address.is_link_local
    ]
    return max((_common(a, b) for a in mine for b in others if a.family == b.family), default=0)


def _common(one: Prefix, other: Prefix) -> int:
    width = 32 if one.family == 4 else 128
    return min(width - (one.network ^ other.network).bit_length(), one.length, other.length)
