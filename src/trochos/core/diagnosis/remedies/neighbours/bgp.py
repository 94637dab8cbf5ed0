"""The mends that only BGP knows, made into edits, and those that ask the whole network."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable
from typing import Any

from ....change.writers.base import Writer
from ....change.writers.bgp import BgpPart, Peer
from ....network.addressing import Address, InterfaceAddress, Prefix
from ....network.bgp import BgpNeighbour, BgpProcess
from ....network.edits import Remedy
from ....network.facts import Device, Interface
from ....protocols.bgp.ends import BgpEnd
from ....protocols.bgp.mends import (
    Member,
    Name,
    NameAt,
    OfNeighbour,
    Policies,
    Rename,
    Setting,
    TalkFrom,
)
from ...finding import named
from ..bench import Bench
from .mends import Made


def _settled(writer: Writer, whose: Address | str, settings: Iterable[Setting]) -> list[Any]:
    """The edits of what is to be said of a neighbour, as far as they can be said."""
    out: list[Any] = []
    for what, value, family in settings:
        out += writer.speaks(BgpPart).neighbour_setting(whose, what, value, family) or ()
    return out


def _name_at(bench: Bench, mend: NameAt, me: BgpEnd) -> Made | None:
    part = bench.writer(me.name).speaks(BgpPart)
    edits = part.add_neighbour_at(mend.port, mend.system, mend.families)
    return None if edits is None else (f"name {mend.who} as neighbour on {mend.port}", edits)


def _name(bench: Bench, mend: Name, me: BgpEnd) -> Made | None:
    writer = bench.writer(me.name)
    edits = writer.speaks(BgpPart).add_neighbour(mend.address, mend.system, mend.like)
    if edits is None:
        return None
    edits = (*edits, *_settled(writer, mend.address, mend.settings))
    return f"name {mend.who} ({mend.address}) as neighbour", edits


def _rename(bench: Bench, mend: Rename, me: BgpEnd) -> Made | None:
    """One that was begun under a wrong address, and lacks what those like it have, is set up like
    them."""
    writer, n = bench.writer(me.name), mend.neighbour
    words = f"talk to {mend.who} at {mend.address}"
    if mend.like is not None:
        made = writer.speaks(BgpPart).add_neighbour(mend.address, mend.system, mend.like)
        gone = writer.drop(n.source)
        return None if made is None or gone is None else (words, (*made, *gone))
    assert n.address is not None
    edits = writer.speaks(BgpPart).rename_neighbour(n.address, mend.address)
    if edits is None:
        return None
    return words, (*edits, *_settled(writer, mend.address, mend.settings))


def _of_neighbour(bench: Bench, mend: OfNeighbour, me: BgpEnd) -> Made | None:
    part = bench.writer(me.name).speaks(BgpPart)
    edits: list[Any] = []
    for what, value, family in mend.settings:
        found = part.neighbour_setting(mend.whose, what, value, family)
        if found is None:
            return None
        edits += found
    return mend.words, tuple(edits)


def _member(bench: Bench, mend: Member, me: BgpEnd) -> Made | None:
    edits = bench.writer(me.name).speaks(BgpPart).confederation_member(mend.system)
    words = f"name AS {mend.system} of {mend.who} as a member of the confederation"
    return None if edits is None else (words, edits)


def _talk_from(bench: Bench, mend: TalkFrom, me: BgpEnd) -> Made | None:
    writer = bench.writer(me.name)
    by_name = mend.by_name and writer.sources_by_interface
    value = mend.interface.name if by_name else str(mend.address)
    edits = writer.speaks(BgpPart).neighbour_setting(mend.whose, "source", value)
    return None if edits is None else (f"talk to {mend.who} from {mend.address}", edits)


def _policies(bench: Bench, mend: Policies, me: BgpEnd) -> Made | None:
    """The policies that are usual here, or none required where others in the network say so."""
    part = bench.writer(me.name).speaks(BgpPart)
    names = [name for _, _, name in mend.lacking if name is not None]
    if not _lax(bench) and len(names) == len(mend.lacking):
        edits: list[Any] = []
        for family, direction, name in mend.lacking:
            edits += part.neighbour_setting(mend.whose, f"policy {direction}", name, family) or ()
        shown = " and ".join(dict.fromkeys(names))
        return f"apply the policy {shown} towards {mend.who} too", tuple(edits)
    found = part.no_external_policy()
    return None if found is None else ("require no policy of external neighbours", found)


MAKERS: dict[type, Callable[[Bench, Any, Any], Made | None]] = {
    NameAt: _name_at,
    Name: _name,
    Rename: _rename,
    OfNeighbour: _of_neighbour,
    Member: _member,
    TalkFrom: _talk_from,
    Policies: _policies,
}


def renumbered(bench: Bench, me: BgpEnd) -> tuple[Remedy, bool] | None:
    """The system number that all who name a speaker expect of it, if it has another one.

    Returns:
        The remedy, and whether at least two agree on the number.
    """
    expected: Counter[int] = Counter()
    for relation in bench.tables.relations():
        for mine, theirs in (relation.ends, relation.ends[::-1]):
            if isinstance(theirs, BgpEnd) and mine.name == me.name:
                number = theirs.expected_as()
                if number is not None and theirs.neighbour is not None:
                    expected[number] += 1
    if len(expected) != 1:
        return None
    ((number, count),) = expected.items()
    if number in (-1, me.process.number) or me.process.confederation is not None:
        return None
    edits = bench.writer(me.name).speaks(BgpPart).renumber(number)
    if edits is None:
        return None
    return Remedy(f"On {me.name}: speak BGP as AS {number}, as its neighbours expect.", edits), (
        count > 1
    )


def _in(device: Device, prefix: Prefix) -> list[Address]:
    """The addresses of a device in a subnet."""
    return [
        fact.address
        for interface in device.interfaces
        for fact in interface.addresses
        if prefix.contains(fact.address)
    ]


def own_again(bench: Bench, me: BgpEnd, other: BgpEnd) -> list[Remedy]:
    """The address by which others know a speaker, given back to it."""
    wanted = me.peer
    if wanted is None or wanted in bench.taken_by(other.name) or other.source is None:
        return []
    for interface in other.device.interfaces:
        for fact in interface.addresses:
            shared = len(bench.forwarding.near.owner_devices(fact.address)) > 1
            if fact.address == other.source and (shared or bench.mentioned(fact.address) == 0):
                new = InterfaceAddress(wanted, fact.value.length)
                here = _in(me.device, fact.connected)
                if here and not any(new.prefix.contains(address) for address in here):
                    continue  # the two would not share a subnet any more
                edits = bench.writer(other.name).address(interface, fact, new)
                if edits is not None:
                    title = f"On {other.name}: give {interface.name} the address {new}."
                    return [Remedy(title, edits)]
    return []


def start(
    bench: Bench, name: str, callers: tuple[tuple[Device, BgpNeighbour], ...]
) -> list[Remedy]:
    """BGP on a router that others name as neighbour: as they call it, with its own subnets."""
    device = bench.devices[name]
    called = Counter(number for caller, n in callers if (number := _expected(caller, n)))
    if not called:
        return []
    number = called.most_common(1)[0][0]
    outside = any(_number(caller) != number for caller, _ in callers)
    peers: list[Peer] = []
    for caller, n in callers:
        found = _answer(bench, device, caller, n, number, outside)
        if found is not None and found.address not in {peer.address for peer in peers}:
            peers.append(found)
    if not peers:
        return []
    edits = (
        bench.writer(name)
        .speaks(BgpPart)
        .start(number, tuple(peers), _own_subnets(bench, device), _lax(bench) > 0)
    )
    if edits is None:
        return []
    names = named(caller.name for caller, _ in callers)
    title = f"On {name}: speak BGP as AS {number} with {names}, and announce its own subnets."
    return [Remedy(title, edits)]


def _number(speaker: Device) -> int | None:
    process = speaker.routing.one(BgpProcess)
    return None if process is None else process.number


def _expected(caller: Device, n: BgpNeighbour) -> int | None:
    """The AS number by which a speaker knows its neighbour, if it says one."""
    word = n.remote_as.value if n.remote_as is not None else "external"
    if word == "internal":
        return _number(caller)
    return int(word) if word.isdigit() else None


def _answer(
    bench: Bench, device: Device, caller: Device, n: BgpNeighbour, number: int, outside: bool
) -> Peer | None:
    """What a router has to say so that a session which another configured comes up."""
    assert n.address is not None
    theirs = _talks_from(caller, n)
    process = caller.routing.one(BgpProcess)
    if theirs is None or process is None:
        return None
    own = next(i for i in device.interfaces if any(f.address == n.address for f in i.addresses))
    shared = any(fact.connected.contains(theirs) for fact in own.addresses)
    system = n.local_as.value if n.local_as is not None else process.number
    return Peer(
        theirs,
        system,
        source=None if shared else own,
        password=n.password.value if n.password is not None else None,
        multihop=n.multihop.value if n.multihop is not None and system != number else None,
        next_hop_self=outside and system == number,
    )


def _talks_from(caller: Device, n: BgpNeighbour) -> Address | None:
    assert n.address is not None
    given = n.update_source.value if n.update_source is not None else None

    def fits(interface: Interface, fact: Any) -> bool:
        if fact.address.family != n.address.family:  # type: ignore[union-attr]
            return False
        if given is None:
            return bool(fact.connected.contains(n.address))
        return given in (interface.name, str(fact.address))

    return next((f.address for i in caller.interfaces for f in i.addresses if fits(i, f)), None)


def _own_subnets(bench: Bench, device: Device) -> tuple[Prefix, ...]:
    """The subnets of a device on which no other router stands."""
    shared = {
        mine.interface
        for mine, other in bench.beside(device.name)
        if not bench.devices[other.device].is_host
    }
    return tuple(
        fact.connected
        for interface in device.interfaces
        if interface.enabled and not interface.loopback and interface.name not in shared
        for fact in interface.addresses
        if not fact.address.is_link_local
    )


def _lax(bench: Bench) -> int:
    """How many speakers say that they require no policy of external neighbours."""
    return sum(
        1
        for device in bench.network.devices
        for process in device.routing.of(BgpProcess)
        if process.requires_policy is not None and not process.requires_policy.value
    )
