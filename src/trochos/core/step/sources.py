"""Which source address a device puts on a packet when nobody tells it.

IPv4 as Linux does it: an address of the exit whose subnet holds the next hop, else the
exit's first, else the first of any interface. IPv6 by RFC 6724, section 5, with the
interface of the first next hop as the outgoing interface. A source that belongs to the route
comes before either.
"""

from __future__ import annotations

from ..network.addressing import Address, Prefix, parse_prefix
from ..network.facts import AddressFact, Device, Interface
from .connected import address_is_active
from .routes import NextHop

_LABELS: tuple[tuple[Prefix, int], ...] = tuple(
    (prefix, label)
    for text, label in (
        ("::1/128", 0),
        ("::ffff:0:0/96", 4),
        ("::/96", 3),
        ("2001::/32", 5),
        ("2002::/16", 2),
        ("3ffe::/16", 12),
        ("fec0::/10", 11),
        ("fc00::/7", 13),
        ("::/0", 1),
    )
    if (prefix := parse_prefix(text)) is not None
)


def usable_addresses(device: Device, family: int) -> list[tuple[Interface, AddressFact]]:
    """Addresses a packet can carry as its source, in the device's own order."""
    # Facts never change, and the same few devices are asked about thousands of targets.
    known = _usable.get((id(device), family))
    if known is None or known[0] is not device:
        if len(_usable) > 20_000:
            _usable.clear()
        known = _usable[id(device), family] = (device, _usable_addresses(device, family))
    return known[1]


_usable: dict[tuple[int, int], tuple[Device, list[tuple[Interface, AddressFact]]]] = {}


def _usable_addresses(device: Device, family: int) -> list[tuple[Interface, AddressFact]]:
    return [
        (interface, fact)
        for interface in device.interfaces
        for fact in interface.addresses
        if fact.address.family == family
        and not fact.address.is_loopback
        and address_is_active(device, interface, fact)
    ]


def choose_source(device: Device, target: Address, hop: NextHop) -> Address | None:
    """The source for a packet to `target` that leaves by `hop`; None if there is none."""
    if hop.source is not None and hop.source.family == target.family:
        if any(fact.address == hop.source for _, fact in usable_addresses(device, target.family)):
            return hop.source
    if target.family == 4:
        return _choose_ipv4(device, target, hop)
    return _choose_ipv6(device, target, hop)


def only_source(device: Device, hop: NextHop) -> tuple[bool, Address | None]:
    """(True, the IPv4 source by one next hop) if it is the same for every target; else
    (False, None)."""
    usable, by_exit = _usable_ipv4(device)
    at_exit = by_exit.get(hop.interface, ())
    if len(at_exit) > 1:
        return False, None
    if at_exit:
        return True, at_exit[0].address
    return True, usable[0][1].address if usable else None


_ByExit = dict[str | None, list[AddressFact]]


def _usable_ipv4(device: Device) -> tuple[list[tuple[Interface, AddressFact]], _ByExit]:
    """The addresses that IPv4 chooses from, and the same by interface."""
    known = _usable_4.get(id(device))
    if known is None or known[0] is not device:
        if len(_usable_4) > 20_000:
            _usable_4.clear()
        usable = usable_addresses(device, 4)
        usable = [(i, f) for i, f in usable if not f.address.is_link_local] or usable
        by_exit: _ByExit = {}
        for interface, fact in usable:
            by_exit.setdefault(interface.name, []).append(fact)
        known = _usable_4[id(device)] = (device, usable, by_exit)
    return known[1:]


_usable_4: dict[int, tuple[Device, list[tuple[Interface, AddressFact]], _ByExit]] = {}


def _choose_ipv4(device: Device, target: Address, hop: NextHop) -> Address | None:
    usable, by_exit = _usable_ipv4(device)
    near = hop.address if hop.address is not None else target
    at_exit = by_exit.get(hop.interface, ())
    for fact in at_exit:
        if fact.connected.contains(near):
            return fact.address
    if at_exit:
        return at_exit[0].address
    return usable[0][1].address if usable else None


def _scope(address: Address) -> int:
    if address.is_multicast:
        return address.value >> 112 & 0xF
    if address.is_link_local:
        return 2
    return 5 if address.value >> 118 == 0x3FB else 14


def _label(address: Address) -> int:
    best, length = 1, -1
    for prefix, label in _LABELS:
        if prefix.length > length and prefix.contains(address):
            best, length = label, prefix.length
    return best


def _choose_ipv6(device: Device, target: Address, hop: NextHop) -> Address | None:
    best: Address | None = None
    best_score: tuple[object, ...] | None = None
    wanted = _scope(target)
    for interface, fact in _newest_first(device):
        address = fact.address
        scope = _scope(address)
        if scope == 2 and interface.name != hop.interface:
            continue
        # Rule 2 prefers the smallest scope that reaches; what falls short comes last.
        appropriate = (scope >= wanted, -scope if scope >= wanted else scope)
        common = 128 - (address.value ^ target.value).bit_length()
        score = (
            address == target,
            appropriate,
            interface.name == hop.interface,
            _label(address) == _label(target),
            min(common, fact.value.length),
        )
        if best_score is None or score > best_score:
            best, best_score = address, score
    return best


def _newest_first(device: Device) -> list[tuple[Interface, AddressFact]]:
    """Linux lists the address it got last first; a capture already has that order."""
    out = []
    for interface in device.interfaces:
        mine = [(i, f) for i, f in usable_addresses(device, 6) if i is interface]
        out += mine if all(f.captured for _, f in mine) else mine[::-1]
    return out
