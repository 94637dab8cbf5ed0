"""Router ids and addresses by which a device presents itself to its neighbours."""

from __future__ import annotations

from ..network.addressing import Address
from ..network.facts import AddressFact, Device, Interface
from ..network.routing import NetworkStatement, Number
from ..network.source import Source
from ..step.connected import address_is_active
from ..step.links import Links


def router_id(device: Device, configured: Number | None, links: Links) -> Number | None:
    """The router id: configured, else the highest loopback address, else the highest of all.

    None if the device has no IPv4 address to take one from (RFC 2328, appendix C.1).
    """
    if configured is not None:
        return configured
    best: tuple[bool, int, Source] | None = None
    for interface in device.interfaces:
        if not interface.enabled:
            continue
        for fact in interface.addresses:
            if fact.address.family != 4 or fact.address.is_loopback:
                continue
            if not address_is_active(device, interface, fact):
                continue
            found = (interface.loopback, fact.address.value, fact.source)
            if best is None or found[:2] > best[:2]:
                best = found
    if best is None:
        return None
    return Number(best[1], best[2]._replace(default=True))


def link_local(interface: Interface) -> Address | None:
    """The interface's link-local IPv6 address.

    A configuration does not say it: the system forms it (RFC 4862). Where nothing was captured
    of the interface, its first other address stands for the same neighbour on the same link;
    the finding `link-local-unknown` says so.
    """
    own = [fact.address for fact in interface.addresses if fact.address.family == 6]
    found = next((address for address in own if address.is_link_local), None)
    if found is None and own and not was_captured(interface):
        return own[0]
    return found


def was_captured(interface: Interface) -> bool:
    """True if the system below was asked about the interface, and not only its configuration."""
    return interface.carrier is not None or interface.mac is not None


def statement_covers(statement: NetworkStatement, fact: AddressFact, ignores_mask: bool) -> bool:
    """True if a `network` statement takes the subnet of an address in.

    The subnet must lie inside the statement's prefix. Where the device ignores the mask,
    only the statement's own length counts, so a wider subnet is taken in as well.
    """
    prefix = statement.prefix
    if prefix is None or prefix.family != fact.address.family:
        return False
    if fact.peer is not None:
        return prefix.contains(Address(fact.peer.family, fact.peer.network))
    return prefix.contains(fact.address) and (ignores_mask or prefix.covers(fact.connected))
