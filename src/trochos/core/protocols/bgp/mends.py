"""What makes one side of a BGP session fit the other, row by row, in terms of facts.

Those that only BGP knows (a neighbour and what is said of it) are kinds of their own:
`diagnosis.remedies.neighbours.bgp` makes them into edits, and asks the rest of the network where
several would do.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ...network.addressing import Address
from ...network.bgp import BgpNeighbour
from ...network.facts import Interface
from ...network.mends import Fits, Mend, OwnMend, OwnRouterId, Say
from .ends import COUNTERPARTS, BgpEnd, has_policy, requires_policy, role

Setting = tuple[str, str | None, int | None]
"""(what, its value or None to take it away, the family it is said in)."""
Row = Callable[[BgpEnd, BgpEnd], Mend | None]


@dataclass(frozen=True, slots=True)
class NameAt(OwnMend):
    """A speaker behind an interface has to be named as neighbour, for these families."""

    port: str
    system: int
    families: tuple[int, ...]
    who: str


@dataclass(frozen=True, slots=True)
class Name(OwnMend):
    """A speaker has to be named as neighbour: set up like another one, or with these settings."""

    address: Address
    system: int
    who: str
    like: BgpNeighbour | None
    settings: tuple[Setting, ...]


@dataclass(frozen=True, slots=True)
class Rename(OwnMend):
    """A neighbour has to be known by the address that it talks from."""

    neighbour: BgpNeighbour
    address: Address
    system: int
    who: str
    like: BgpNeighbour | None
    settings: tuple[Setting, ...]


@dataclass(frozen=True, slots=True)
class OfNeighbour(OwnMend):
    """Settings of a neighbour or a group of them."""

    whose: Address | str
    settings: tuple[Setting, ...]
    words: str


@dataclass(frozen=True, slots=True)
class Member(OwnMend):
    """A system has to be named as a member of the confederation."""

    system: int
    who: str


@dataclass(frozen=True, slots=True)
class TalkFrom(OwnMend):
    """A neighbour has to be talked to from this address; `by_name`: sources are interfaces here."""

    whose: Address | str
    interface: Interface
    address: Address
    by_name: bool
    who: str


@dataclass(frozen=True, slots=True)
class Policies(OwnMend):
    """A neighbour lacks policies: (family, direction, the map that is usual here, if one is)."""

    whose: Address | str
    lacking: tuple[tuple[int, str, str | None], ...]
    who: str


def configure(me: BgpEnd, other: BgpEnd) -> Mend | None:
    """Name the other as neighbour, as others of its system are named here."""
    if me.neighbour is not None:
        return Fits()
    if other.link is not None and other.neighbour is not None and other.neighbour.far:
        wanted = tuple(family for family in (6,) if other.active_in(family))
        return NameAt(other.neighbour.far[1], other.local_as, wanted, other.name)
    if other.source is None:
        return None
    like = _like(me, other, other.source)
    settings = _mirrored(me, other) if like is None else ()
    return Name(other.source, other.local_as, other.name, like, settings)


def _of(row: Callable[[BgpEnd, BgpEnd, BgpNeighbour], Mend | None]) -> Row:
    """A mend of what is said of a neighbour: what is to be configured is configured right."""

    def mend(me: BgpEnd, other: BgpEnd) -> Mend | None:
        return Fits() if me.neighbour is None else row(me, other, me.neighbour)

    return mend


def _unless_misnamed(row: Callable[[BgpEnd, BgpEnd, BgpNeighbour], Mend | None]) -> Row:
    """The same, where nothing that is said of an address helps that is not the other's."""
    return _of(lambda me, other, n: Fits() if _misnamed(n, other) else row(me, other, n))


def _misnamed(n: BgpNeighbour, other: BgpEnd) -> bool:
    return not any(f.address == n.address for i in other.device.interfaces for f in i.addresses)


def _called(n: BgpNeighbour) -> Address | str:
    """What the configuration calls a neighbour that was found."""
    assert n.called is not None
    return n.called


@_of
def right_peer(me: BgpEnd, other: BgpEnd, n: BgpNeighbour) -> Mend | None:
    """The neighbour under the address that the other end talks from."""
    if not _misnamed(n, other):
        return Fits()
    if other.source is None:
        return None
    like = _like(me, other, other.source)
    if like is None or like.update_source is None or n.update_source is not None:
        like = None
    lacks = n.update_source is None and other.neighbour is not None
    settings = _mirrored(me, other) if lacks else ()
    return Rename(n, other.source, other.local_as, other.name, like, settings)


@_of
def switch_on(me: BgpEnd, other: BgpEnd, n: BgpNeighbour) -> Mend | None:
    off = n.shutdown or me.process.shutdown
    if off is None or not off.value:
        return Fits()
    words = f"switch the session to {other.name} on"
    if off is n.shutdown and off.source.path is not None:
        return OfNeighbour(_called(n), (("shutdown", None, None),), words)
    return Say(words, gone=(off.source,))


@_unless_misnamed
def reach(me: BgpEnd, other: BgpEnd, n: BgpNeighbour) -> Mend | None:
    return None  # what breaks the way has findings of its own


@_unless_misnamed
def open_it(me: BgpEnd, other: BgpEnd, n: BgpNeighbour) -> Mend | None:
    if n.passive is not None and n.passive.value:
        return Say(f"let it open the session to {other.name}", gone=(n.passive.source,))
    if me.hops is not None and not me.can_open:
        return farther(n, other, me.hops)  # not on a subnet of its own
    return None


@_unless_misnamed
def right_source(me: BgpEnd, other: BgpEnd, n: BgpNeighbour) -> Mend | None:
    """Talk from the address that the other end expects."""
    expected = other.peer
    if expected is None or me.source == expected:
        return Fits()
    interface = next((i for i in me.device.interfaces if i.has(expected)), None)
    if interface is None:
        return None
    by_name = any(
        item.update_source is not None and me.device.interface(item.update_source.value) is not None
        for item in me.process.neighbours
    )
    by_name = by_name or interface.loopback
    return TalkFrom(_called(n), interface, expected, by_name, other.name)


@_unless_misnamed
def cross(me: BgpEnd, other: BgpEnd, n: BgpNeighbour) -> Mend | None:
    if n.ttl_security is not None:
        words = f"let packets of {other.name} come from farther away"
        return Say(words, gone=(n.ttl_security.source,))
    if me.hops is not None and me.ttl() >= me.hops:
        return Fits()
    return farther(n, other, max(me.hops or 0, other.hops or 0))


def farther(n: BgpNeighbour, other: BgpEnd, links: int) -> Mend:
    links = max(2, links)
    words = f"let packets to {other.name} cross {links} links"
    return OfNeighbour(_called(n), (("multihop", str(links), None),), words)


@_of
def same_password(me: BgpEnd, other: BgpEnd, n: BgpNeighbour) -> Mend | None:
    given = other.neighbour.password if other.neighbour else None
    if given is not None:
        words = f"use the password that {other.name} uses"
        return OfNeighbour(_called(n), (("password", given.value, None),), words)
    if n.password is None:
        return None
    return Say(f"drop the password towards {other.name}", gone=(n.password.source,))


@_of
def right_system(me: BgpEnd, other: BgpEnd, n: BgpNeighbour) -> Mend | None:
    mine, theirs = me.process.confederation, other.process.confederation
    if mine is not None and theirs is not None and mine.value == theirs.value:
        number = other.process.number
        if number == me.process.number or number in me.process.members:
            return Fits()
        return Member(number, other.name)
    if me.expected_as() == other.local_as:
        return Fits()
    # What the group says is said there: no member may say otherwise.
    by_group = n.group is not None and n.remote_as is not None
    by_group = by_group and n.remote_as.source.text.split()[1:2] == [n.group]  # type: ignore[union-attr]
    whose = n.group if by_group and n.group is not None else _called(n)
    words = f"expect {other.name} in AS {other.local_as}"
    return OfNeighbour(whose, (("remote AS", str(other.local_as), None),), words)


@_of
def fitting_role(me: BgpEnd, other: BgpEnd, n: BgpNeighbour) -> Mend | None:
    counterpart = COUNTERPARTS.get(role(other) or "")
    if counterpart is not None:
        words = f"be {counterpart} to {other.name}"
        return OfNeighbour(_called(n), (("role", counterpart, None),), words)
    if n.role is None:
        return None
    return Say(f"say no role towards {other.name}", gone=(n.role.source,))


@_of
def own_router_id(me: BgpEnd, other: BgpEnd, n: BgpNeighbour) -> Mend:
    return OwnRouterId()


@_of
def lift_limit(me: BgpEnd, other: BgpEnd, n: BgpNeighbour) -> Mend | None:
    if not me.down:
        return Fits()
    lines = tuple(held.maximum.source for held in n.families.values() if held.maximum is not None)
    return Say(f"lift the prefix limit towards {other.name}", gone=lines) if lines else None


def carry(family: int) -> Row:
    """The mend of an address family that is off."""

    @_of
    def mend(me: BgpEnd, other: BgpEnd, n: BgpNeighbour) -> Mend | None:
        if me.active_in(family):
            return Fits()
        words = f"exchange IPv{family} routes with {other.name}"
        return OfNeighbour(_called(n), (("active", "", family),), words)

    return mend


@_of
def come_near(me: BgpEnd, other: BgpEnd, n: BgpNeighbour) -> Mend | None:
    return Fits() if me.near else farther(n, other, me.hops or 2)


@_of
def have_policy(me: BgpEnd, other: BgpEnd, n: BgpNeighbour) -> Mend | None:
    """A policy as this device has it for others."""
    if not requires_policy(me):
        return Fits()
    lacking = tuple(
        (family, direction, _usual_policy(me, family, direction))
        for family in (4, 6)
        if me.active_in(family) and other.active_in(family)
        for direction in ("in", "out")
        if not has_policy(me.family(family), direction)
    )
    return Policies(_called(n), lacking, other.name) if lacking else Fits()


def _usual_policy(me: BgpEnd, family: int, direction: str) -> str | None:
    """The route map that this device applies to its other neighbours, or in the other direction."""
    for item in me.process.neighbours:
        held = item.families.get(family)
        word = getattr(held, f"route_map_{direction}", None) if held else None
        if word is not None:
            return str(word.value)
    own = me.family(family)
    word = own.route_map_out if direction == "in" else own.route_map_in
    return None if word is None else word.value


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


def _mirrored(me: BgpEnd, other: BgpEnd) -> tuple[Setting, ...]:
    """What the other end says of this one, and what therefore has to be said of it."""
    theirs = other.neighbour
    if theirs is None:
        return ()
    out: list[Setting] = []
    source = theirs.update_source
    if source is not None and me.device.interface(source.value) is not None:
        out.append(("source", source.value, None))
    if theirs.multihop is not None:
        out.append(("multihop", str(theirs.multihop.value), None))
    if theirs.password is not None:
        out.append(("password", theirs.password.value, None))
    if me.local_as == other.local_as:
        out += [
            ("next hop self", "", family)
            for family, held in theirs.families.items()
            if held.next_hop_self is not None
        ]
    return tuple(out)
