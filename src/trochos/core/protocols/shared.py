"""Who holds the addresses that routers share (VRRP: RFC 3768, RFC 5798).

On a link, routers that hear each other elect the one of highest priority, of equal ones that of
the highest address; where whoever was first stays (`lax`, or no preemption), equal ones are not
told apart. Those that do not hear each other (another router id, version, secret, other
addresses or another link) each hold what they share. Measured on keepalived 2.2.7
(tests/core/test_shared.py): adverts with other addresses are refused.
"""

from __future__ import annotations

from dataclasses import replace

from ..network.addressing import Address
from ..network.facts import AddressFact, Device, End, Network
from ..network.shared import SharedGateway
from .connected import address_is_active
from .links import Links

Part = tuple[Device, SharedGateway]


def with_holders(network: Network) -> Network:
    """The network in which each shared address stands at whoever holds it."""
    if not any(device.shared for device in network.devices):
        return network
    links = Links(network)
    held: dict[End, list[AddressFact]] = {}
    for device, gateway in holders(network, links):
        end = End(device.name, gateway.interface)
        held.setdefault(end, []).extend(
            AddressFact(value, source, captured=True) for value, source in gateway.addresses
        )
    devices = []
    for device in network.devices:
        interfaces = tuple(
            replace(i, addresses=(*i.addresses, *held[End(device.name, i.name)]))
            if End(device.name, i.name) in held
            else i
            for i in device.interfaces
        )
        changed = any(End(device.name, i.name) in held for i in device.interfaces)
        devices.append(replace(device, interfaces=interfaces) if changed else device)
    return replace(network, devices=tuple(devices))


def holders(network: Network, links: Links) -> list[Part]:
    """Every (router, its part) that holds its addresses; parts in doubt never do."""
    taking: list[tuple[Device, SharedGateway, int]] = []
    for device in network.devices:
        for gateway in device.shared:
            priority = effective_priority(device, gateway, links)
            if priority is not None and not _open(gateway, device, network, links):
                taking.append((device, gateway, priority))
    unsure = {
        value.address
        for device in network.devices
        for gateway in device.shared
        if _open(gateway, device, network, links)
        for value, _ in gateway.addresses
    }
    out = []
    for device, gateway, priority in taking:
        if any(value.address in unsure for value, _ in gateway.addresses):
            continue
        mine = (priority, _primary(device, gateway))
        rivals = [
            (other_priority, _primary(other, theirs), theirs)
            for other, theirs, other_priority in taking
            if other is not device and hears((device, gateway), (other, theirs), links)
        ]
        if any(_by_chance(priority, gateway, r[0], r[2]) for r in rivals):
            continue
        if all(mine > rival[:2] for rival in rivals):
            out.append((device, gateway))
    return out


def _by_chance(mine: int, gateway: SharedGateway, theirs: int, other: SharedGateway) -> bool:
    """True if it is not in the texts which of two holds: whoever was first stays."""
    if not (gateway.lax or other.lax):
        return False
    if mine == theirs or (gateway.version == 2 and gateway.interval != other.interval):
        return True  # of two intervals in version 2 it was not measured who gives in
    better = gateway if mine > theirs else other
    return not better.preempt


def _open(gateway: SharedGateway, device: Device, network: Network, links: Links) -> bool:
    """True if its part is in doubt, or somebody on its link was not read and may take part."""
    if gateway.doubt is not None:
        return True
    segment = links.segment_of.get(End(device.name, gateway.interface))
    if segment is None:
        return False
    strange = {d.name for d in network.devices if d.strange}
    return bool({*segment.unread, *(end.device for end in segment.ends)} & strange)


def effective_priority(device: Device, gateway: SharedGateway, links: Links) -> int | None:
    """The priority with what is tracked; None if the router does not take part now."""
    if gateway.idle is not None or not links.is_up(End(device.name, gateway.interface)):
        return None
    priority = gateway.priority
    for item in gateway.tracked:
        up = links.is_up(End(device.name, item.interface))
        if item.weight == 0 and not up:
            return None
        if (item.weight < 0 and not up) or (item.weight > 0 and up):
            priority += item.weight
    return max(1, min(priority, 254)) if gateway.priority < 255 else 255


def hears(one: Part, other: Part, links: Links) -> bool:
    """True if two routers take part in one election."""
    (device, mine), (there, theirs) = one, other
    here = links.segment_of.get(End(device.name, mine.interface))
    if here is None or End(there.name, theirs.interface) not in here.ends:
        return False
    if bool(mine.peers) != bool(theirs.peers):
        return False
    if mine.peers and not (_among(there, mine.peers) and _among(device, theirs.peers)):
        return False
    return (
        mine.router_id == theirs.router_id
        and mine.version == theirs.version
        and (mine.version != 2 or mine.secret == theirs.secret)
        and (
            (mine.lax and theirs.lax)
            or {v.address for v, _ in mine.addresses} == {v.address for v, _ in theirs.addresses}
        )
    )


def claims(device: Device, end: End, address: Address) -> bool:
    """True if a device may hold a shared address on one of its interfaces, whoever does."""
    return any(
        gateway.interface == end.interface and gateway.idle is None and gateway.holds(address)
        for gateway in device.shared
    )


def _primary(device: Device, gateway: SharedGateway) -> int:
    """The number of the address from which a router speaks on its interface."""
    interface = device.interface(gateway.interface)
    family = gateway.addresses[0][0].address.family
    found = [
        fact.address.value
        for fact in (interface.addresses if interface is not None else ())
        if fact.address.family == family
        and (family == 4 or fact.address.is_link_local)
        and address_is_active(device, interface, fact)  # type: ignore[arg-type]
    ]
    return found[0] if found else 0


def _among(device: Device, peers: tuple[Address, ...]) -> bool:
    return any(i.has(peer) for i in device.interfaces for peer in peers)
