"""The gates of BGP sessions: what makes one side fit the other."""

from __future__ import annotations

from collections import Counter
from typing import Any

from ....change.writers.base import Writer
from ....change.writers.bgp import BgpPart, Peer
from ....network.addressing import Address, InterfaceAddress, Prefix
from ....network.bgp import BgpNeighbour, BgpProcess
from ....network.edits import Remedy
from ....network.facts import Device, Interface
from ....protocols.bgp.ends import COUNTERPARTS, BgpEnd, has_policy, requires_policy, role
from ....protocols.gates import Judged
from ...finding import named
from ..bench import Bench
from .mends import Made, own_router_id


def mend_bgp(
    bench: Bench,
    gate: Judged,
    me: BgpEnd,
    other: BgpEnd,
    mine: str | None,
    theirs: str | None,
) -> Made | None:
    writer = bench.writer(me.name)
    n = me.neighbour
    if gate.gate == "configured":
        if n is not None:
            return "", ()
        peer = other.source
        if other.link is not None and other.neighbour is not None and other.neighbour.far:
            port = other.neighbour.far[1]
            wanted = tuple(family for family in (6,) if other.active_in(family))
            edits = writer.speaks(BgpPart).add_neighbour_at(port, other.local_as, wanted)
            return None if edits is None else (f"name {other.name} as neighbour on {port}", edits)
        if peer is None:
            return None
        like = _like(me, other, peer)
        edits = writer.speaks(BgpPart).add_neighbour(peer, other.local_as, like)
        if like is None and edits is not None and other.neighbour is not None:
            edits = (*edits, *_mirrored(writer, me, other, peer))
        return None if edits is None else (f"name {other.name} ({peer}) as neighbour", edits)
    if n is None:
        return "", ()  # what is to be configured is configured right
    assert n.address is not None
    misnamed = not any(f.address == n.address for i in other.device.interfaces for f in i.addresses)
    if gate.gate == "peer address":
        return _right_peer(writer, me, other) if misnamed else ("", ())
    if misnamed and gate.gate in ("reachable", "source address", "hop limit", "opens the session"):
        return "", ()  # all that is said of an address that is not the other's
    if gate.gate == "switched on":
        off = n.shutdown or me.process.shutdown
        if off is None or not off.value:
            return "", ()
        if off is n.shutdown and off.source.path is not None:
            edits = writer.speaks(BgpPart).neighbour_setting(_called(n), "shutdown", None)
        else:
            edits = writer.drop(off.source)
        return None if edits is None else (f"switch the session to {other.name} on", edits)
    if gate.gate == "opens the session" and n.passive is not None and n.passive.value:
        edits = writer.drop(n.passive.source)
        return None if edits is None else (f"let it open the session to {other.name}", edits)
    if gate.gate == "opens the session" and me.hops is not None and not me.can_open:
        return _farther(writer, n, other, me.hops)  # not on a subnet of its own
    if gate.gate == "source address":
        return _right_source(bench, me, other)
    if gate.gate == "hop limit" and n.ttl_security is not None:
        edits = writer.drop(n.ttl_security.source)
        words = f"let packets of {other.name} come from farther away"
        return None if edits is None else (words, edits)
    if gate.gate in ("hop limit", "reachable"):
        far = max(me.hops or 0, other.hops or 0)
        if gate.gate == "reachable" or (me.hops is not None and me.ttl() >= me.hops):
            return ("", ()) if gate.gate == "hop limit" else None
        return _farther(writer, n, other, far)
    if gate.gate == "password":
        given = other.neighbour.password if other.neighbour else None
        if given is None:
            edits = writer.drop(n.password.source) if n.password else None
            return None if edits is None else (f"drop the password towards {other.name}", edits)
        edits = writer.speaks(BgpPart).neighbour_setting(_called(n), "password", given.value)
        return None if edits is None else (f"use the password that {other.name} uses", edits)
    if gate.gate == "AS number":
        fellow = me.process.confederation and other.process.confederation
        if fellow and me.process.confederation.value == other.process.confederation.value:  # type: ignore[union-attr]
            number = other.process.number
            if number == me.process.number or number in me.process.members:
                return "", ()
            edits = writer.speaks(BgpPart).confederation_member(number)
            words = f"name AS {number} of {other.name} as a member of the confederation"
            return None if edits is None else (words, edits)
        if me.expected_as() in (other.local_as,):
            return "", ()
        # What the group says is said there: no member may say otherwise.
        by_group = n.group is not None and n.remote_as is not None
        by_group = by_group and n.remote_as.source.text.split()[1:2] == [n.group]  # type: ignore[union-attr]
        whose = n.group if by_group and n.group is not None else _called(n)
        edits = writer.speaks(BgpPart).neighbour_setting(whose, "remote AS", str(other.local_as))
        return None if edits is None else (f"expect {other.name} in AS {other.local_as}", edits)
    if gate.gate == "role":
        counterpart = COUNTERPARTS.get(role(other) or "")
        if counterpart is None:
            edits = writer.drop(n.role.source) if n.role is not None else None
            return None if edits is None else (f"say no role towards {other.name}", edits)
        edits = writer.speaks(BgpPart).neighbour_setting(_called(n), "role", counterpart)
        return None if edits is None else (f"be {counterpart} to {other.name}", edits)
    if gate.gate == "router ids differ":
        return own_router_id(bench, "bgp", 4, me.device)
    if gate.gate == "prefix limit":
        if not me.down:
            return "", ()
        edits_out: list[Any] = []
        for held in n.families.values():
            if held.maximum is not None:
                edits_out += writer.drop(held.maximum.source) or ()
        if not edits_out:
            return None
        return f"lift the prefix limit towards {other.name}", tuple(edits_out)
    if gate.gate in ("IPv4 family", "IPv6 family"):
        family = int(gate.gate[3])
        if me.active_in(family):
            return "", ()
        edits = writer.speaks(BgpPart).neighbour_setting(_called(n), "active", "", family)
        return None if edits is None else (f"exchange IPv{family} routes with {other.name}", edits)
    if gate.gate == "peer near":
        return ("", ()) if me.near else _farther(writer, n, other, me.hops or 2)
    if gate.gate == "external policy":
        return _policy(bench, me, other)
    return None


def _called(neighbour: BgpNeighbour) -> Address | str:
    """What the configuration calls a neighbour that was found."""
    called = neighbour.called
    assert called is not None
    return called


def _like(me: BgpEnd, other: BgpEnd, peer: Address) -> BgpNeighbour | None:
    """Another neighbour of the same system, as the model of how one is set up here."""
    return next(
        (
            item
            for item in me.process.neighbours
            if item.remote_as is not None
            and item is not me.neighbour
            and (
                item.remote_as.value in (str(other.local_as),)
                or (item.remote_as.value == "internal" and other.local_as == me.local_as)
            )
            and item.address is not None
            and item.address.family == peer.family
        ),
        None,
    )


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


def _mirrored(writer: Writer, me: BgpEnd, other: BgpEnd, peer: Address) -> list[Any]:
    """What the other end says of this one, and what therefore has to be said of it."""
    theirs = other.neighbour
    out: list[Any] = []
    if theirs is None:
        return out
    source = theirs.update_source
    if source is not None and me.device.interface(source.value) is not None:
        out += writer.speaks(BgpPart).neighbour_setting(peer, "source", source.value) or ()
    if theirs.multihop is not None:
        out += (
            writer.speaks(BgpPart).neighbour_setting(peer, "multihop", str(theirs.multihop.value))
            or ()
        )
    if theirs.password is not None:
        out += (
            writer.speaks(BgpPart).neighbour_setting(peer, "password", theirs.password.value) or ()
        )
    if me.local_as == other.local_as:
        for family, held in theirs.families.items():
            if held.next_hop_self is not None:
                out += (
                    writer.speaks(BgpPart).neighbour_setting(peer, "next hop self", "", family)
                    or ()
                )
    return out


def _right_peer(writer: Writer, me: BgpEnd, other: BgpEnd) -> Made | None:
    """The neighbour under the address that the other end talks from.

    One that was begun under a wrong address, and lacks what those like it have, is set up
    like them.
    """
    n, towards = me.neighbour, other.source
    if towards is None or n is None or n.address is None:
        return None
    words = f"talk to {other.name} at {towards}"
    like = _like(me, other, towards)
    if like is not None and like.update_source is not None and n.update_source is None:
        made = writer.speaks(BgpPart).add_neighbour(towards, other.local_as, like)
        gone = writer.drop(n.source)
        return None if made is None or gone is None else (words, (*made, *gone))
    edits = writer.speaks(BgpPart).rename_neighbour(n.address, towards)
    if edits is None:
        return None
    if n.update_source is None and other.neighbour is not None:
        edits = (*edits, *_mirrored(writer, me, other, towards))
    return words, edits


def _farther(writer: Writer, n: BgpNeighbour, other: BgpEnd, links: int) -> Made | None:
    assert n.address is not None
    links = max(2, links)
    edits = writer.speaks(BgpPart).neighbour_setting(_called(n), "multihop", str(links))
    return None if edits is None else (f"let packets to {other.name} cross {links} links", edits)


def _policy(bench: Bench, me: BgpEnd, other: BgpEnd) -> Made | None:
    """A policy as this device has it for others, or none required, as others here have it."""
    if not requires_policy(me) or me.neighbour is None or me.neighbour.address is None:
        return "", ()
    lacking = [
        (family, direction)
        for family in (4, 6)
        if me.active_in(family) and other.active_in(family)
        for direction in ("in", "out")
        if not has_policy(me.family(family), direction)
    ]
    if not lacking:
        return "", ()
    writer = bench.writer(me.name)
    edits: list[Any] = []
    names: list[str] = []
    if not _lax(bench):
        for family, direction in lacking:
            name = _usual_policy(me, family, direction)
            if name is None:
                break
            found = writer.speaks(BgpPart).neighbour_setting(
                _called(me.neighbour), f"policy {direction}", name, family
            )
            edits += found or ()
            names.append(name)
        if len(names) == len(lacking):
            shown = " and ".join(dict.fromkeys(names))
            return f"apply the policy {shown} towards {other.name} too", tuple(edits)
    found = writer.speaks(BgpPart).no_external_policy()
    return None if found is None else ("require no policy of external neighbours", found)


def _usual_policy(me: BgpEnd, family: int, direction: str) -> str | None:
    """The route map that this device applies to its other neighbours, or in the other direction."""
    for item in me.process.neighbours:
        held = item.families.get(family)
        word = getattr(held, f"route_map_{direction}", None) if held else None
        if word is not None:
            return str(word.value)
    held = me.family(family)
    word = held.route_map_out if direction == "in" else held.route_map_in
    return None if word is None else word.value


def _right_source(bench: Bench, me: BgpEnd, other: BgpEnd) -> Made | None:
    """Talk from the address that the other end expects."""
    expected = other.peer
    n = me.neighbour
    if expected is None or n is None or n.address is None or me.source == expected:
        return "", ()
    for interface in me.device.interfaces:
        if interface.has(expected):
            by_name = any(
                item.update_source is not None
                and me.device.interface(item.update_source.value) is not None
                for item in me.process.neighbours
            )
            value = interface.name if by_name or interface.loopback else str(expected)
            if not bench.writer(me.name).sources_by_interface:
                value = str(expected)
            edits = (
                bench.writer(me.name).speaks(BgpPart).neighbour_setting(_called(n), "source", value)
            )
            words = f"talk to {other.name} from {expected}"
            return None if edits is None else (words, edits)
    return None


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
