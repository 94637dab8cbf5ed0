"""What distance vector protocols share: ends with an address each, filters per interface."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Generic, Protocol, TypeVar

from ..network.addressing import Prefix
from ..network.facts import AddressFact, Device, End, Interface, Unmodelled
from ..network.mends import Fits, IntoSubnet, Mend, SameKeys, Say, Setting, Speak, TakeIn
from ..network.routing import Flag, NetworkStatement, PeerDistance, RouteFilter
from ..network.source import Source
from ..step.links import Links
from ..step.routes import NextHop
from .gates import Reading, Relation
from .policy import filter_permits
from .protocol import Untold


class _Process(Protocol):
    @property
    def source(self) -> Source: ...

    @property
    def networks(self) -> tuple[NetworkStatement, ...]: ...

    @property
    def family(self) -> int: ...


class Wired(Protocol):
    """An end of a link that is up or not."""

    @property
    def interface(self) -> Interface: ...

    @property
    def up(self) -> bool: ...

    @property
    def why_deaf(self) -> str | None: ...


class Taken(Protocol):
    """An end that a line takes in, or does not."""

    @property
    def interface(self) -> Interface: ...

    @property
    def enabled(self) -> Source | None: ...


class VectorEnd(Protocol):
    """An interface of a router, as a distance vector protocol sees it."""

    @property
    def device(self) -> str: ...

    @property
    def interface(self) -> Interface: ...

    @property
    def process(self) -> _Process: ...

    @property
    def enabled(self) -> Source | None: ...

    @property
    def fact(self) -> AddressFact | None: ...

    @property
    def up(self) -> bool: ...

    @property
    def why_deaf(self) -> str | None: ...

    @property
    def end(self) -> End: ...

    @property
    def settings(self) -> Any: ...


class _Quiet(_Process, Protocol):
    @property
    def passive(self) -> Mapping[str, Flag]: ...


class SilentEnd(Protocol):
    """An end that may be passive."""

    @property
    def process(self) -> _Quiet: ...

    @property
    def passive(self) -> bool: ...

    @property
    def passive_source(self) -> Source | None: ...


E = TypeVar("E", bound=VectorEnd)
K = TypeVar("K")
H = TypeVar("H")
Offered = TypeVar("Offered")
W = TypeVar("W")


def busy(
    ends_of: Callable[[Device, Any, Links], Iterable[Taken]],
) -> Callable[[Device, Any, Links], set[str]]:
    """The interfaces on which a process runs: those whose ends a line takes in."""
    return lambda device, process, links: {
        end.interface.name for end in ends_of(device, process, links) if end.enabled is not None
    }


def line(end: Wired, _: object) -> Reading:
    """Whether neighbours can be heard."""
    off = end.interface.enabled_source
    lines = () if end.up or off is None else (off,)
    return Reading(end.why_deaf or "up", lines, end.why_deaf is None)


def enabled(end: VectorEnd, _: object) -> Reading:
    """Which statement takes the interface in; the line that would, if none does."""
    if end.enabled is not None:
        return Reading(end.enabled.text, (end.enabled,), True)
    what = end.fact.connected if end.fact else end.interface.name
    last = end.process.networks[-1].source.line if end.process.networks else None
    missing = end.process.source._replace(
        line=None, text=f"network {what}", missing=True, after=last or end.process.source.line
    )
    return Reading("no statement covers it", (missing,), False)


def subnet(end: VectorEnd, _: object) -> Reading:
    """The address and its length."""
    if end.fact is None:
        return Reading("no address", (), None)
    return Reading(str(end.fact.value), (end.fact.source,), end.fact)


def same_subnet(left: Reading, right: Reading) -> bool:
    """True if each address lies in the other's subnet; the lengths may differ."""
    mine, theirs = left.value, right.value
    if not isinstance(mine, AddressFact) or not isinstance(theirs, AddressFact):
        return False
    return mine.connected.contains(theirs.address) and theirs.connected.contains(mine.address)


def both(left: Reading, right: Reading) -> bool:
    return bool(left.value and right.value)


def pairs(ends: Iterable[E], links: Links) -> Iterator[tuple[E, E]]:
    """Every two ends of different devices on one segment of which one takes part."""
    by_segment: dict[int, list[E]] = defaultdict(list)
    for end in ends:
        segment = links.segment_of.get(end.end)
        if segment is not None and not end.interface.loopback:
            by_segment[id(segment)].append(end)
    for members in by_segment.values():
        for index, left in enumerate(members):
            for right in members[index + 1 :]:
                if left.device != right.device and (left.enabled or right.enabled):
                    yield left, right


def allowed(
    device: Device,
    filters: Iterable[RouteFilter],
    direction: str,
    interface: str,
    prefix: Prefix,
) -> bool:
    """True if every filter of this direction on this interface lets a prefix pass."""
    return denying(device, filters, direction, interface, prefix) is None


def denying(
    device: Device,
    filters: Iterable[RouteFilter],
    direction: str,
    interface: str,
    prefix: Prefix,
) -> tuple[str, tuple[Source, ...]] | None:
    """The first list of this direction on this interface that keeps a prefix back, with the lines
    that say so; None if none does."""
    for item in filters:
        if item.direction != direction or item.interface not in (None, interface):
            continue
        permit, line = filter_permits(device.policy, item.kind, item.name, prefix, missing=True)
        if not permit:
            return item.name, (item.source, *((line,) if line is not None else ()))
    return None


def kept_back(
    sender: tuple[Device, Iterable[RouteFilter], str],
    taker: tuple[Device, Iterable[RouteFilter], str],
    prefix: Prefix,
) -> Untold | None:
    """What lists at either end of a link do to a prefix: (whose, its lists, its interface)."""
    for (device, filters, interface), direction, does in (
        (sender, "out", "does not pass it on"),
        (taker, "in", "does not take it"),
    ):
        found = denying(device, filters, direction, interface, prefix)
        if found is not None:
            says = f"{device.name} {does}: its list {found[0]} keeps {prefix} back."
            return Untold(device.name, says, found[1])
    return None


def unheard(relations: Iterable[Relation], holder: str, other: str) -> Untold | None:
    """Why one of two neighbours hears nothing of the other, although that one hears it."""
    for relation in relations:
        sides = {relation.left.device, relation.right.device}
        gate = relation.first_failing
        if sides == {holder, other} and gate is not None:
            says = f"{other} hears no updates of {holder}, at this gate: {gate.gate}."
            return Untold(holder, says, gate.evidence)
    return None


def distance(
    device: Device,
    given: Iterable[PeerDistance],
    hops: tuple[NextHop, ...],
    prefix: Prefix,
    usual: int,
) -> int:
    """The distance of a route: what is said of the neighbour it came from, else the usual."""
    address = hops[0].address if hops else None
    inside = [item for item in given if address is not None and item.prefix.contains(address)]
    for item in sorted(inside, key=lambda item: -item.prefix.length)[:1]:
        if item.name is None or filter_permits(device.policy, "access", item.name, prefix)[0]:
            return item.distance
    return usual


# -- what routers tell each other -----------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Settled(Generic[K, H]):
    """How a network ends that is told this; speakers keep it for who asks why a router knows
    nothing of a prefix, because to find it again takes as long as all tables."""

    local: Mapping[K, Mapping[Prefix, H]]
    """What each knows by itself."""
    known: dict[K, dict[Prefix, H]]
    """What each knows in the end."""
    unsettled: dict[Prefix, list[K]]
    """The prefixes on which some never agree, with those: they are known to nobody, because no
    state of them is true for long."""


@dataclass(frozen=True, slots=True)
class Telling(Generic[K, W, H, Offered]):
    """Routers that tell each other what they know, update by update, until nobody learns anything.

    `W` is a way by which one hears another, `H` what is known of a prefix, `Offered` what one hears
    of it by one way. An update repeats only what changed since the one before: most of what a
    router says it has said already.
    """

    ways: Mapping[K, Sequence[tuple[K, W]]]
    """Whom a router hears, in the order in which it asks, and how."""
    taken: Callable[[K, W, Mapping[Prefix, H]], Iterable[tuple[Prefix, Offered]]]
    """What a router takes by a way from an update of one who knows this."""
    mixes: Callable[[W], bool]
    """True if what is said by a way of one prefix depends on what is known of others, or is said
    of another one: summaries, and versions that carry no masks."""
    choose: Callable[[K, H | None, Sequence[Offered]], H | None]
    """What a router knows of a prefix, given what it knows by itself and hears."""

    def settle(self, local: Mapping[K, Mapping[Prefix, H]], rounds: int) -> Settled[K, H]:
        """What everybody knows in the end.

        Args:
            local: what each knows by itself.
            rounds: after so many updates a network has settled, or never does.
        """
        known = {key: dict(held) for key, held in local.items()}
        ways: dict[K, list[_Heard[K, W, Offered]]] = {
            key: [_Heard(teller, way, self.mixes(way)) for teller, way in self.ways.get(key, ())]
            for key in local
        }
        news: dict[K, dict[Prefix, H | None]] = {key: dict(held) for key, held in local.items()}
        for _ in range(rounds):
            news = self._update(local, known, ways, news)
            if not news:
                return Settled(local, known, {})
            for key, changed in news.items():
                held = known[key]
                for prefix, what in changed.items():
                    if what is None:
                        held.pop(prefix, None)
                    else:
                        held[prefix] = what
        moving: dict[Prefix, list[K]] = {}
        for key, changed in self._update(local, known, ways, news).items():
            for prefix in changed:
                moving.setdefault(prefix, []).append(key)
        for held in known.values():
            for prefix in moving:
                held.pop(prefix, None)
        return Settled(local, known, {prefix: moving[prefix] for prefix in sorted(moving)})

    def _update(
        self,
        local: Mapping[K, Mapping[Prefix, H]],
        known: Mapping[K, Mapping[Prefix, H]],
        ways: Mapping[K, Sequence[_Heard[K, W, Offered]]],
        news: Mapping[K, Mapping[Prefix, H | None]],
    ) -> dict[K, dict[Prefix, H | None]]:
        """What is otherwise after one more update of everybody: None where nothing is known."""
        out: dict[K, dict[Prefix, H | None]] = {}
        for key, heard in ways.items():
            touched: dict[Prefix, None] = {}
            for way in heard:
                if way.teller in news:
                    asked = way.outdate(known[way.teller], news[way.teller])
                    touched |= dict.fromkeys(way.hear(self.taken(key, way.way, asked)))
            mine, changed = known[key], {}
            for prefix in touched:
                offers = [offer for way in heard for offer in way.offers.get(prefix, ())]
                found = self.choose(key, local[key].get(prefix), offers)
                if found != mine.get(prefix):
                    changed[prefix] = found
            if changed:
                out[key] = changed
        return out


@dataclass(slots=True)
class _Heard(Generic[K, W, Offered]):
    """What one hears by one way."""

    teller: K
    way: W
    mixes: bool
    offers: dict[Prefix, list[Offered]] = field(default_factory=dict)
    outdated: dict[Prefix, list[Offered]] = field(default_factory=dict)

    def outdate(
        self, known: Mapping[Prefix, H], news: Mapping[Prefix, H | None]
    ) -> Mapping[Prefix, H]:
        """What has to be said again, of all that the teller knows; what was heard of it is out of
        date."""
        if self.mixes:
            self.outdated, self.offers = self.offers, {}
            return known
        self.outdated = {p: self.offers.pop(p) for p in news if p in self.offers}
        return {prefix: known[prefix] for prefix in news if prefix in known}

    def hear(self, said: Iterable[tuple[Prefix, Offered]]) -> list[Prefix]:
        """Takes in what is said in the place of what is out of date: where that differs."""
        found: dict[Prefix, list[Offered]] = {}
        for prefix, offer in said:
            found.setdefault(prefix, []).append(offer)
        self.offers.update(found)
        was = self.outdated
        return [p for p in was.keys() | found.keys() if was.get(p) != found.get(p)]


def unsettled(
    name: str, prefix: Prefix, members: Iterable[str], source: Source, family: int
) -> Unmodelled:
    """Why nothing is certain about a prefix on which routers never agree."""
    listed = sorted(set(members))
    shown = ", ".join(listed[:6]) + (f" and {len(listed) - 6} more" if len(listed) > 6 else "")
    why = f"{name} never settles on {prefix}: what {shown} tell each other changes without end"
    return Unmodelled(source, why, family, told=True)


# -- mends ---------------------------------------------------------------------------------

NO_LINE = "an interface that is down has a finding of its own, or no line that says so"


def take_in(end: VectorEnd, _: object) -> Mend:
    """The protocol runs on the interface."""
    return Fits() if end.enabled is not None else TakeIn()


def into_subnet(end: VectorEnd, other: VectorEnd) -> Mend:
    """The end's address moves into the other's subnet."""
    return IntoSubnet(other.fact)


def speak(end: SilentEnd, _: object) -> Mend:
    """A passive interface speaks again."""
    excepted = any(not flag.value for flag in end.process.passive.values())
    return Speak(end.passive, end.passive_source, excepted)


def same_keys(end: VectorEnd, other: VectorEnd) -> Mend | None:
    """The other end's authentication: its kind and its key together."""
    settings: list[Setting] = []
    gone: list[Source] = []
    for what in ("authentication", "key", "key_chain"):
        mine = getattr(end.settings, what, None)
        theirs = getattr(other.settings, what, None)
        if theirs is None and mine is not None:
            gone.append(mine.source)
        elif theirs is not None and (mine is None or mine.value != theirs.value):
            settings.append(Setting(what.replace("_", " "), theirs.value))
    if not settings and not gone:
        mine, theirs = (getattr(e.settings, "key_chain", None) for e in (end, other))
        if mine is None or theirs is None:
            return None
        return SameKeys(mine.value, other.device, theirs.value)
    words = f"authenticate on {end.interface.name} as {other.device} does"
    return Say(words, tuple(settings), tuple(gone))
