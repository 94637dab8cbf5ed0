"""What makes one end of an OSPF relation fit the other, row by row, in terms of facts.

Those that only OSPF knows (another area, an area's type, a virtual link) are kinds of their own:
`diagnosis.remedies.neighbours.ospf` makes them into edits.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from ...network.addressing import Address, dotted
from ...network.mends import (
    Fits,
    Fitting,
    IntoSubnet,
    Mend,
    OwnMend,
    OwnRouterId,
    Say,
    Setting,
    Speak,
    TakeIn,
)
from ...network.ospf import OspfArea, VirtualLink
from ...network.source import Source
from .interfaces import OspfEnd, authentication

if TYPE_CHECKING:
    from collections.abc import Callable

    from .virtual import VirtualEnd


@dataclass(frozen=True, slots=True)
class OtherArea(OwnMend):
    """An interface that a statement put into its area has to be in another one."""

    area: int


@dataclass(frozen=True, slots=True)
class Dead(OwnMend):
    """The dead interval has to be this, in seconds; `beside` a hello interval that fits."""

    seconds: int
    beside: bool


@dataclass(frozen=True, slots=True)
class LikeArea(OwnMend):
    """The area has to be of the kind that another router says, and not `instead` of that one."""

    area: OspfArea
    of: str
    instead: OspfArea | None


@dataclass(frozen=True, slots=True)
class ListNeighbour(OwnMend):
    """A neighbour that is not found by itself has to be listed."""

    address: Address


@dataclass(frozen=True, slots=True)
class RunVirtual(OwnMend):
    """A virtual link has to be said so, as `of` says it."""

    link: VirtualLink
    of: str


def run(me: OspfEnd, other: OspfEnd) -> Mend | None:
    if me.area is not None and me.router_id is not None:
        return Fits()
    return None if other.area is None else TakeIn(other.area.value)


def speak(me: OspfEnd, other: OspfEnd) -> Mend:
    excepted = any(
        s.passive is not None and not s.passive.value for s in me.process.interfaces.values()
    )
    return Speak(me.passive, me.passive_source, excepted)


def into_area(me: OspfEnd, other: OspfEnd) -> Mend:
    if me.area is None or other.area is None:
        return Fits()  # where it does not run at all, running it in the right area is the mend
    area = other.area.value
    if me.settings.area is None:
        return OtherArea(area)
    words = f"put {me.interface.name} into area {dotted(area)}"
    return Say(words, (Setting("area", str(area)),))


def into_subnet(me: OspfEnd, other: OspfEnd) -> Mend:
    return IntoSubnet(other.fact)


def same_keys(me: OspfEnd, other: OspfEnd) -> Mend:
    """The other end's authentication, type and keys together."""
    wanted, held = authentication(other), authentication(me)
    settings: list[Setting] = []
    stale = [word.source for _, word in me.settings.digests]
    if me.settings.key is not None:
        stale.append(me.settings.key.source)
    if wanted.value != held.value:
        if wanted.value == "none" and me.settings.authentication is not None:
            stale.append(me.settings.authentication.source)
        else:
            settings.append(Setting("authentication", wanted.value))
    if wanted.value == "message-digest":
        alike = {(number, word.value) for number, word in me.settings.digests}
        kept = {w.value for n, w in other.settings.digests if (n, w.value) in alike}
        for number, word in other.settings.digests:
            if (number, word.value) not in alike:
                settings.append(Setting(f"digest {number}", word.value))
                same = [w.source for n, w in me.settings.digests if n == number]
                stale = [source for source in stale if source not in same]
        stale = [source for source in stale if not any(key in source.text for key in kept)]
    elif wanted.value == "simple" and other.settings.key is not None:
        key = other.settings.key.value
        if me.settings.key is None or me.settings.key.value != key:
            settings.append(Setting("key", key))
        if me.settings.key is not None:
            stale.remove(me.settings.key.source)
    words = f"authenticate on {me.interface.name} as {other.device} does"
    return Say(words, tuple(settings), tuple(dict.fromkeys(stale)))


def same_timer(what: str) -> Callable[[OspfEnd, OspfEnd], Mend | None]:
    """The mend of the hello or dead interval."""

    def mend(me: OspfEnd, other: OspfEnd) -> Mend | None:
        given, own = getattr(other.settings, what), getattr(me.settings, what)
        seconds = getattr(other, what)
        words = f"set the {what} interval of {me.interface.name} to {seconds} s"
        if given is None and own is None and what == "dead" and other.hello != me.hello:
            return Fits()  # it follows from the hello interval, which has a gate of its own
        alike = what == "hello" or (other.settings.hello is None) == (me.settings.hello is None)
        if given is None and own is not None and alike:
            # The other end lives by the default, so the line here is what differs.
            return Say(words, gone=(own.source,))
        if what == "dead":
            return Dead(seconds, me.hello == other.hello)
        return Say(words, (Setting(what, str(seconds)),))

    return mend


def same_kind_of_area(me: OspfEnd, other: OspfEnd) -> Mend | None:
    if me.area is None or other.area is None:
        return Fits()
    there = other.area_facts
    here = me.process.areas.get(there.id)
    if me.area != other.area and here is not None and here.kind == there.kind:
        return Fits()  # in the right area, which it knows, the type is right too
    idle = idle_area(me)
    instead = idle if idle is not None and idle.kind == there.kind else None
    return LikeArea(there, other.device, instead)


def own_router_id(me: OspfEnd, other: OspfEnd) -> Mend:
    return OwnRouterId()


def same_mtu(me: OspfEnd, other: OspfEnd) -> Mend | None:
    return Fitting(other.interface.mtu) if other.interface.mtu else None


def same_network_type(me: OspfEnd, other: OspfEnd) -> Mend:
    own = me.settings.network_type
    words = f"make {me.interface.name} {other.network_type} as {other.device} has it"
    if other.settings.network_type is None and own is not None:
        return Say(words, gone=(own.source,))
    return Say(words, (Setting("network type", other.network_type),))


def same_instance(me: OspfEnd, other: OspfEnd) -> Mend | None:
    given, name = other.settings.instance, me.interface.name
    if given is not None:
        words = f"set the instance of {name} to {given.value}"
        return Say(words, (Setting("instance", str(given.value)),))
    own = me.settings.instance
    return None if own is None else _without(own.source, f"take the instance id off {name}")


def eligible(me: OspfEnd, other: OspfEnd) -> Mend | None:
    own = me.settings.priority
    words = f"let {me.interface.name} become the designated router"
    return None if own is None else _without(own.source, words)


def listed(me: OspfEnd, other: OspfEnd) -> Mend | None:
    return None if other.address is None else ListNeighbour(other.address)


def shared_again(me: OspfEnd, other: OspfEnd) -> Mend | None:
    own = me.settings.network_type
    words = f"make {me.interface.name} a broadcast network again"
    return None if own is None else _without(own.source, words)


def _without(line: Source, words: str) -> Mend:
    return Say(words, gone=(line,))


def as_the_other_says(me: VirtualEnd, other: VirtualEnd) -> Mend | None:
    """This side of a virtual link said as the other side says it."""
    if other.link is None:
        return None
    return RunVirtual(other.link._replace(neighbour=me.peer), other.device)


def named_at_both(me: VirtualEnd, other: VirtualEnd) -> Mend | None:
    if other.link is None and me.link is not None:
        return Fits()
    return as_the_other_says(me, other)


def idle_area(end: OspfEnd) -> OspfArea | None:
    """An area whose type a router states and in which it has nothing: a mistyped number."""
    return next(
        (
            facts
            for area, facts in end.process.areas.items()
            if facts.kind_source is not None
            and (end.area is None or area != end.area.value)
            and not in_area(end, area)
        ),
        None,
    )


def in_area(end: OspfEnd, area: int) -> bool:
    """True if a statement or another interface of the router is in an area."""
    others = [i for n, i in end.process.interfaces.items() if n != end.interface.name]
    stated = end.area.source if end.area is not None else None
    return any(i.area is not None and i.area.value == area for i in others) or any(
        s.area == area and s.source != stated for s in end.process.networks
    )
