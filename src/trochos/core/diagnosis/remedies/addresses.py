"""Remedies of addresses and masks: an end is moved into the subnet of the other."""

from __future__ import annotations

from ...change.writers.base import Edits
from ...network.addressing import Address, InterfaceAddress, Prefix
from ...network.edits import Remedy
from ...network.facts import AddressFact, End, Interface
from .bench import Bench
from .sides import EITHER

CLEARLY = 4
"""By so many leading bits a subnet is clearly farther from those of other links than another one:
sixteen times as far."""


def move_address(
    bench: Bench,
    device: str,
    interface: Interface,
    mine: AddressFact | None,
    theirs: AddressFact | None,
) -> tuple[str, Edits] | None:
    """One end gets an address in the other's subnet, or the other's mask."""
    if mine is None or theirs is None:
        return None
    if theirs.connected.contains(mine.address):
        new = InterfaceAddress(mine.address, theirs.value.length)
    else:
        free = bench.free_address(theirs.connected, mine.address, device)
        if free is None:
            return None
        new = InterfaceAddress(free, theirs.value.length)
    if new == mine.value:
        return "", ()
    edits = bench.writer(device).address(interface, mine, new)
    if edits is None:
        return None
    return f"give {interface.name} the address {new}", edits


def remedies(bench: Bench, end: End, rival: End, family: int) -> list[Remedy]:
    """Either end of a link moved to the other: the one that fewer lines name first, and of two
    that as many name the one whose subnet is farther from those of other links."""
    out: list[tuple[tuple[int, int], Remedy]] = []
    for one, other in ((end, rival), (rival, end)):
        here = bench.tables.links.interface(one)
        there = bench.tables.links.interface(other)
        if here is None or there is None:
            continue
        mine, theirs = _fact(here, family), _fact(there, family)
        done = move_address(bench, one.device, here, mine, theirs)
        if done is None or not done[1] or mine is None:
            continue
        done = _with_gateway(bench, one, other, theirs, done)
        lines = bench.mentioned(mine.address) + 2 * bench.named(mine.connected)
        if theirs is not None and theirs.connected.contains(mine.address):
            # The end whose mask leaves the other outside is the one that is too narrow.
            lines -= 0 if mine.connected.contains(theirs.address) else 100
        plan = bench.in_plan(mine.connected, (end, rival))
        out.append(((lines, plan), Remedy(f"On {one.device}: {done[0]}.", done[1])))
    out.sort(key=lambda item: item[0])
    found = [remedy for _, remedy in out]
    if len(out) == 2:
        (lines, plan), (others, farther) = out[0][0], out[1][0]
        if lines < others:
            why = "Fewer lines of the network name what stands here than what stands there."
            found[0] = found[0]._replace(odd=True, basis=why)
        elif plan != farther:
            why = "The subnet here lies farther from those of other links than the one there."
            found[0] = found[0]._replace(odd=farther - plan >= CLEARLY, basis=why)
        else:
            found = [remedy._replace(basis=EITHER) for remedy in found]
    return found


def _with_gateway(
    bench: Bench, one: End, other: End, theirs: AddressFact | None, done: tuple[str, Edits]
) -> tuple[str, Edits]:
    """A host whose mask left its gateway outside lost its gateway, too: it is set again."""
    facts = bench.devices[one.device]
    if not facts.is_host or theirs is None or bench.devices[other.device].is_host:
        return done
    family = theirs.address.family
    if any(r.prefix.is_default and r.prefix.family == family for r in facts.statics):
        return done
    gateway = bench.writer(one.device).static(
        Prefix(family, 0, 0), theirs.address, exit=one.interface
    )
    if gateway is None:
        return done
    return f"{done[0]} and the gateway {theirs.address}", (*done[1], *gateway)


def _fact(interface: Interface, family: int) -> AddressFact | None:
    return next(
        (
            fact
            for fact in interface.addresses
            if fact.address.family == family and not fact.address.is_link_local
        ),
        None,
    )


def swap(bench: Bench, device: str, one: Interface, other: Interface, family: int) -> list[Remedy]:
    """Two interfaces of a device exchange their addresses."""
    mine, theirs = _fact(one, family), _fact(other, family)
    if mine is None or theirs is None:
        return []
    writer = bench.writer(device)
    first = writer.address(one, mine, theirs.value)
    second = writer.address(other, theirs, mine.value)
    if first is None or second is None:
        return []
    title = f"On {device}: exchange the addresses of {one.name} and {other.name}."
    return [Remedy(title, (*first, *second))]


def fill(
    bench: Bench,
    device: str,
    interface: Interface,
    prefix: Prefix,
    wanted: tuple[Address, ...],
    like: AddressFact,
) -> list[Remedy]:
    """An address for an interface that has none: what others name, else a free one."""
    free = bench.free_address(prefix, Address(prefix.family, prefix.network + 1), device)
    out = []
    for address in dict.fromkeys((*wanted[:3], *((free,) if free is not None else ()))):
        new = InterfaceAddress(address, like.value.length)
        edits = bench.writer(device).address(interface, None, new)
        if edits is not None:
            out.append(Remedy(f"On {device}: give {interface.name} the address {new}.", edits))
    return out


def take_up(bench: Bench, device: str, wanted: Address | None) -> tuple[Remedy, Address] | None:
    """A router beside a device gets the address that the device looks for on that link.

    Returns:
        The remedy, and the address that the router has there now.
    """
    if wanted is None or wanted.is_link_local or wanted in bench.taken_by(device):
        return None
    for _, other in bench.beside(device):
        if bench.devices[other.device].role != "router":
            continue
        interface = bench.tables.links.interface(other)
        for fact in interface.addresses if interface is not None else ():
            if interface is not None and fact.connected.contains(wanted):
                new = InterfaceAddress(wanted, fact.value.length)
                edits = bench.writer(other.device).address(interface, fact, new)
                if edits is not None:
                    title = f"On {other.device}: give {interface.name} the address {new}."
                    return Remedy(title, edits), fact.address
    return None


def part(bench: Bench, address: Address, ends: tuple[End, ...]) -> list[Remedy]:
    """One of two holders of an address gets another one.

    Who fits its link less well, and then who is named by fewer, moves first; it gets an
    address that others name on its link and nobody holds, else a free one.
    """
    out: list[Remedy] = []
    for end in ends:
        interface = bench.tables.links.interface(end)
        if interface is None:
            continue
        mine = next((fact for fact in interface.addresses if fact.address == address), None)
        if mine is None:
            continue
        beside = [
            fact
            for own, other in bench.beside(end.device)
            if own == end
            for fact in getattr(bench.tables.links.interface(other), "addresses", ())
            if fact.address.family == address.family and not fact.address.is_link_local
        ]
        subnets = list(dict.fromkeys(f.connected for f in beside if f.address != address))
        subnets = subnets or [mine.connected]
        named = [a for a in bench.unowned if any(p.contains(a) for p in subnets)]
        free = bench.free_address(subnets[0], address, end.device)
        for new in dict.fromkeys((*named[:2], *((free,) if free is not None else ()))):
            length = next(p.length for p in subnets if p.contains(new))
            value = InterfaceAddress(new, length)
            edits = bench.writer(end.device).address(interface, mine, value)
            if edits:
                title = f"On {end.device}: give {interface.name} the address {value}."
                out.append(Remedy(title, edits))
    return out
