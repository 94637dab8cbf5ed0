"""Neighbours whose addresses nobody wrote: those at the other end of an interface, and those
that call from inside a range that is listened to.
"""

from __future__ import annotations

from dataclasses import replace

from ...network.addressing import Address
from ...network.bgp import BgpNeighbour, BgpProcess
from ...network.facts import Device, End, Interface, Network
from ...network.routing import Flag, Routing
from ...step.links import Links
from ..identity import link_local, was_captured
from .reaching import Reaching


def with_neighbours(network: Network, links: Links, reaching: Reaching) -> dict[str, Device]:
    """All speakers, each with an address for every neighbour that can be found."""
    speakers = {d.name: d for d in network.devices if d.routing.one(BgpProcess) is not None}
    for name, device in speakers.items():
        if any(n.interface is not None for n in statements(device)):
            listed = tuple(_found(device, n, speakers, links) for n in statements(device))
            speakers[name] = _with(device, listed)
    for name, device in speakers.items():
        process = device.routing.one(BgpProcess)
        if process is not None and process.listen:
            called = _callers(device, process, speakers, reaching)
            speakers[name] = _with(device, (*process.neighbours, *called))
    return speakers


def _with(device: Device, listed: tuple[BgpNeighbour, ...]) -> Device:
    process = device.routing.one(BgpProcess)
    assert process is not None
    changed = replace(process, neighbours=listed)
    processes = (changed if p is process else p for p in device.routing.processes)
    return replace(device, routing=Routing(tuple(processes)))


def _found(
    device: Device, neighbour: BgpNeighbour, speakers: dict[str, Device], links: Links
) -> BgpNeighbour:
    """A neighbour that is named by its interface, with the address it has there."""
    if neighbour.interface is None:
        return neighbour
    port = neighbour.interface.value
    own = device.interface(port)
    segment = links.segment_of.get(End(device.name, port))
    far = [e for e in segment.ends if e.device != device.name] if segment is not None else []
    far = [e for e in far if e.device in speakers]
    if own is None or not far:
        return neighbour
    if neighbour.address is not None:
        # Its address is written, and the interface says on which link that is.
        owner = next((e for e in far if _owns(speakers[e.device], e, neighbour.address)), None)
        if owner is None or not neighbour.address.is_link_local:
            return neighbour
        return replace(neighbour, far=(owner.device, owner.interface))
    if len(far) > 1:
        return neighbour
    other = None if neighbour.link_local_only else _other_of_two(own)
    if other is not None:
        return replace(neighbour, address=other)
    there = speakers[far[0].device].interface(far[0].interface)
    address = link_local(there) if there is not None else None
    if address is None:
        return neighbour
    return replace(neighbour, address=address, far=(far[0].device, far[0].interface))


def hidden(
    device: Device, neighbour: BgpNeighbour, devices: dict[str, Device], links: Links
) -> bool:
    """True if a neighbour is met by a link-local address and nobody gathered whose that is: the
    address is not known, or several speakers share the link."""
    if neighbour.interface is None or neighbour.address is not None:
        return False
    if neighbour.shutdown is not None and neighbour.shutdown.value:
        return False
    here = End(device.name, neighbour.interface.value)
    own, segment = device.interface(here.interface), links.segment_of.get(here)
    if own is None or segment is None:
        return False
    if not neighbour.link_local_only and _other_of_two(own) is not None:
        return False
    far = [
        (devices[end.device], end.interface)
        for end in segment.ends
        if end.device != device.name
        and end.device in devices
        and devices[end.device].routing.one(BgpProcess) is not None
    ]
    if len(far) > 1:
        return True
    met = [facts.interface(port) for facts, port in [(device, here.interface), *far]] if far else []
    return any(
        interface is not None and not was_captured(interface) and link_local(interface) is None
        for interface in met
    )


def _owns(device: Device, end: End, address: Address) -> bool:
    interface = device.interface(end.interface)
    return interface is not None and interface.has(address)


def _other_of_two(interface: Interface) -> Address | None:
    """The other address of the interface's IPv4 subnet, if that has just two."""
    for fact in interface.addresses:
        length = fact.value.length
        if fact.address.family == 4 and length in (30, 31):
            return Address(4, fact.address.value ^ (3 if length == 30 else 1))
    return None


def _callers(
    device: Device, process: BgpProcess, speakers: dict[str, Device], reaching: Reaching
) -> list[BgpNeighbour]:
    """Neighbours that no line names and that a range takes in (the narrowest speaks)."""
    known = {n.address for n in process.neighbours}
    ranges = sorted(process.listen, key=lambda r: -r.prefix.length)
    out: list[BgpNeighbour] = []
    for name, other in sorted(speakers.items()):
        for theirs in statements(other):
            if name == device.name or theirs.address is None:
                continue
            if not reaching.owns(device.name, theirs.address):
                continue
            source = local_address(other, theirs, reaching)
            held = next(
                (r for r in ranges if source is not None and r.prefix.contains(source)), None
            )
            if held is None or source is None or source in known:
                continue
            known.add(source)
            waits = Flag(True, held.source)
            out.append(replace(held.like, address=source, passive=waits, dynamic=True))
    return out


def statements(device: Device) -> tuple[BgpNeighbour, ...]:
    """The neighbours of a speaker; none of a device that is not one."""
    process = device.routing.one(BgpProcess)
    return process.neighbours if process is not None else ()


def local_address(device: Device, neighbour: BgpNeighbour, reaching: Reaching) -> Address | None:
    """The address a speaker talks from: the configured source, else the route's."""
    if neighbour.address is None:
        return None
    if neighbour.far is not None and neighbour.interface is not None:
        exit_ = device.interface(neighbour.interface.value)
        return link_local(exit_) if exit_ is not None else None
    given = neighbour.update_source
    if given is None:
        return reaching.source(device.name, neighbour.address)
    family = neighbour.address.family
    interface = device.interface(given.value)
    if interface is not None:
        for fact in interface.addresses:
            if fact.address.family == family and not fact.address.is_link_local:
                return fact.address
        return None
    for item in device.interfaces:
        for fact in item.addresses:
            if str(fact.address) == given.value:
                return fact.address
    return None
