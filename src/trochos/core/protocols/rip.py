"""RIP (RFC 2453) and RIPng (RFC 2080) over the whole network.

Every router starts with what it announces itself; updates travel over every pair of ends
where one hears the other, round by round, until nothing changes. A relation has a
direction here: a passive end still listens, so one side may hear what the other does not.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from operator import itemgetter
from typing import NamedTuple

from ..network import claims
from ..network.addressing import Address, Prefix, prefix_of
from ..network.claims import Claim
from ..network.facts import AddressFact, Device, End, Interface, Network, Unmodelled
from ..network.mends import Mend, Say, Setting
from ..network.rip import NAMED, RipHabits, RipInterface, RipProcess
from ..network.routing import Redistribution, RouteFilter
from ..network.source import Source
from ..step.filters import Filters, Flow
from ..step.links import Links
from ..step.routes import NextHop, Origin, Route
from ..step.table import Table
from . import vectors
from .again import Told
from .gates import FILTERED, NOTHING, ROUTES, Gate, Judged, Reading, Relation, Side, judge
from .identity import link_local, statement_covers
from .passing import any_filters, lets_pass, on_own_packets
from .policy import Attributes, apply_route_map, filter_permits
from .protocol import RoutingProtocol, Untold

INFINITY = 16
ROUNDS = 4 * INFINITY
"""After so many updates a network has settled, or never does."""
HEARS, DEAF = "hears", "deaf"


OWN = Flow("udp", 520)


@dataclass(frozen=True, slots=True)
class RipEnd:
    """One interface of one router as RIP sees it; `enabled` names the statement."""

    device: str
    process: RipProcess
    interface: Interface
    settings: RipInterface
    enabled: Source | None
    fact: AddressFact | None
    address: Address | None
    passive: bool
    passive_source: Source | None
    send: frozenset[str]
    receive: frozenset[str]
    version_source: Source
    key: str | None
    up: bool
    why_deaf: str | None
    """Why no neighbour is heard; None if one can be. An interface that is up and deaf (a tunnel
    whose outer packets are lost) is announced all the same."""
    filters: Filters | None

    @property
    def end(self) -> End:
        return End(self.device, self.interface.name)

    @property
    def active(self) -> bool:
        return self.up and self.enabled is not None


class Held(NamedTuple):
    """A router's own knowledge of a prefix."""

    metric: int
    hops: tuple[NextHop, ...]
    origin: Origin
    own: bool
    interface: str | None = None
    protocol: str = "rip"
    tag: int = 0


class Offered(NamedTuple):
    """What a router hears of a prefix from one neighbour."""

    metric: int
    hop: NextHop
    origin: Origin
    tag: int


@dataclass(slots=True)
class Router:
    device: Device
    process: RipProcess
    ends: list[RipEnd] = field(default_factory=list)


def ends_of(device: Device, process: RipProcess, links: Links) -> list[RipEnd]:
    """All interfaces of a router, whether they take part or not."""
    out = []
    habits = device.profile.habit(RipHabits)
    for interface in device.interfaces:
        settings = process.interfaces.get(interface.name) or RipInterface(interface.name)
        end = End(device.name, interface.name)
        facts = [
            f
            for f in interface.addresses
            if f.address.family == process.family and not f.address.is_link_local
        ]
        enabled: Source | None = None
        chosen = facts[0] if facts else None
        for statement in process.networks:
            if statement.interface == interface.name:
                enabled = statement.source
                break
            hit = next((f for f in facts if statement_covers(statement, f, True)), None)
            if hit is not None:
                enabled, chosen = statement.source, hit
                break
        passive = process.passive.get(interface.name) or process.passive_default
        version = process.version.value if process.version else None
        version_source = process.version.source if process.version else None
        default_send = str(version or habits.version)
        default_receive = str(version) if version else "1 2"
        send = settings.send.value if settings.send else default_send
        receive = settings.receive.value if settings.receive else default_receive
        given = settings.receive or settings.send
        source = given.source if given else version_source
        out.append(
            RipEnd(
                device.name,
                process,
                interface,
                settings,
                enabled,
                chosen,
                link_local(interface)
                if process.family == 6
                else (chosen.address if chosen else None),
                bool(passive and passive.value),
                passive.source if passive else None,
                frozenset(send.split()),
                frozenset(receive.split()),
                source or process.source._replace(default=True, text=f"version {default_send}"),
                _key(device, settings),
                links.is_up(end),
                links.why_deaf(end),
                links.filters.get(device.name),
            )
        )
    return out


def _key(device: Device, settings: RipInterface) -> str | None:
    if settings.key_chain is not None:
        chain = device.policy.key_chains.get(settings.key_chain.value)
        return chain[0] if chain else ""
    return settings.key.value if settings.key else None


# -- gates -----------------------------------------------------------------------------


def _silent_to(end: RipEnd, other: RipEnd) -> bool:
    """True if an end is passive and does not list the other as a neighbour to tell anyway."""
    return end.passive and all(address != other.address for address, _ in end.process.neighbours)


def _passive(end: RipEnd, other: RipEnd) -> Reading:
    source = (end.passive_source,) if end.passive and end.passive_source else ()
    silent = _silent_to(end, other)
    text = "passive, listens only" if silent else "passive, tells this neighbour"
    return Reading(text if end.passive else "not passive", source, silent)


def _versions(end: RipEnd, _: RipEnd) -> Reading:
    text = f"sends {_list(end.send)}, takes {_list(end.receive)}"
    return Reading(text, (end.version_source,), (end.send, end.receive))


def _list(versions: frozenset[str]) -> str:
    return " and ".join(sorted(versions)) or "none"


def _versions_fit(left: Reading, right: Reading) -> bool:
    return bool(left.value[0] & right.value[1]) and bool(right.value[0] & left.value[1])


def _mode(end: RipEnd, _: RipEnd) -> Reading:
    word = end.settings.authentication
    if word is None:
        source = end.interface.source or end.process.source
        return Reading("none", (source._replace(text="no authentication", default=True),))
    return Reading(word.value, (word.source,))


def _secret(end: RipEnd, _: RipEnd) -> Reading:
    word = end.settings.key_chain or end.settings.key
    return Reading(word.value if word else "no key", (word.source,) if word else (), end.key or "")


def _authenticated(left: RipEnd, right: RipEnd) -> bool:
    words = (left.settings.authentication, right.settings.authentication)
    return words[0] is not None and words[1] is not None and words[0].value == words[1].value


def _same_version(end: RipEnd, other: RipEnd) -> Mend | None:
    """What the other end says of versions, where it says it: of its interface, else at all."""
    settings: list[Setting] = []
    gone: list[Source] = []
    for what in ("receive", "send"):
        mine, theirs = getattr(end.settings, what), getattr(other.settings, what)
        if mine is not None and theirs is None:
            gone.append(mine.source)
        elif theirs is not None and mine is None:
            settings.append(Setting(what, theirs.value))
    own, given = end.process.version, other.process.version
    if not settings and not gone:
        if own is not None and given is None:
            gone.append(own.source)
        elif given is not None and (own is None or own != given):
            settings.append(Setting("version", str(given.value), whole=True))
    if not settings and not gone:
        return None
    words = f"speak the same version on {end.interface.name} as {other.device}"
    return Say(words, tuple(settings), tuple(gone))


GATES: tuple[Gate[RipEnd], ...] = (
    Gate("line", vectors.line, vectors.both, no_mend=vectors.NO_LINE),
    Gate("enabled", vectors.enabled, vectors.both, mend=vectors.take_in),
    Gate(
        "subnet",
        vectors.subnet,
        vectors.same_subnet,
        applies=lambda a, b: a.process.family == 4,
        mend=vectors.into_subnet,
    ),
    Gate(
        "not passive",
        _passive,
        lambda a, b: not a.value and not b.value,
        stops=ROUTES,
        mend=vectors.speak,
    ),
    Gate("filter", lets_pass(OWN), vectors.both, applies=any_filters, no_mend=FILTERED),
    Gate(
        "version",
        _versions,
        _versions_fit,
        applies=lambda a, b: a.process.family == 4,
        mend=_same_version,
    ),
    Gate("authentication type", _mode, mend=vectors.same_keys),
    Gate("authentication key", _secret, applies=_authenticated, mend=vectors.same_keys),
)


def _hears(listener: RipEnd, speaker: RipEnd, gates: list[Judged]) -> bool:
    """True if the listener takes the speaker's updates."""
    for gate in gates:
        if gate.gate == "not passive":
            if _silent_to(speaker, listener):
                return False
        elif gate.gate == "filter":
            if on_own_packets(listener, speaker, OWN) is not None:
                return False
        elif gate.gate == "version":
            if not speaker.send & listener.receive:
                return False
        elif not gate.holds and gate.stops != NOTHING:
            return False
    return True


# -- the protocol -------------------------------------------------------------------------


class RipSpeakers(Told):
    """RIP of one family over the whole network, as the scheduler sees it."""

    protocol = RipProcess.protocol

    def __init__(self, network: Network, links: Links, family: int) -> None:
        super().__init__()
        self.family = family
        self.routers: dict[str, Router] = {}
        for device in network.devices:
            for process in device.routing.of(RipProcess):
                if process.family == family:
                    ends = ends_of(device, process, links)
                    self.routers[device.name] = Router(device, process, ends)
        self._relations: list[Relation] = []
        self.unsettled: dict[Prefix, list[str]] = {}
        """Prefixes on which routers never agree, with those routers."""
        self._settled: vectors.Settled[str, Held] | None = None
        self.hears: dict[str, list[tuple[RipEnd, RipEnd]]] = defaultdict(list)
        """Listener's device -> (its end, the speaker's end)."""
        self._find(links)

    def relations(self) -> list[Relation]:
        return self._relations

    def doubts(self) -> dict[str, list[Unmodelled]]:
        """Every router, if some never agree: what they tell goes on."""
        out: dict[str, list[Unmodelled]] = {}
        for prefix, members in self.unsettled.items():
            for name, router in self.routers.items():
                process = router.process
                doubt = vectors.unsettled(
                    process.name, prefix, members, process.source, self.family
                )
                out.setdefault(name, []).append(doubt)
        return out

    def least_distance(self, device: Device) -> int | None:
        """The smallest distance that its routes could have on a device; None without it."""
        found = []
        for process in device.routing.of(RipProcess):
            if process.family == self.family:
                usual = (
                    process.distance.value
                    if process.distance
                    else device.profile.habit(RipHabits).distance
                )
                found += [usual, *(item.distance for item in process.distances)]
        return min(found, default=None)

    def outside(self) -> tuple[tuple[str, End, Unmodelled], ...]:
        return ()

    def listening(self) -> Iterator[tuple[End, str, Source]]:
        """The ends that are up and take part."""
        for router in self.routers.values():
            for end in router.ends:
                if end.active and end.enabled is not None:
                    yield end.end, end.process.name, end.enabled

    def _find(self, links: Links) -> None:
        ends = [end for router in self.routers.values() for end in router.ends]
        for left, right in vectors.pairs(ends, links):
            self._pair(left, right)

    def _pair(self, left: RipEnd, right: RipEnd) -> None:
        if _silent_to(left, right) and _silent_to(right, left):
            return
        if (left.passive and not right.enabled) or (right.passive and not left.enabled):
            return
        outcome = judge(GATES, left, right)
        sides = []
        for listener, speaker in ((left, right), (right, left)):
            hears = _hears(listener, speaker, outcome.gates)
            if hears:
                self.hears[listener.device].append((listener, speaker))
            address = str(listener.address) if listener.address else None
            sides.append(
                Side(
                    listener.device,
                    listener.interface.name,
                    address,
                    HEARS if hears else DEAF,
                    HEARS,
                )
            )
        up = any(side.state == HEARS for side in sides)
        self._relations.append(
            Relation("rip", self.family, sides[0], sides[1], outcome.gates, up, ends=(left, right))
        )

    def told(self, tables: Mapping[tuple[str, int], Table]) -> dict[str, dict[Prefix, Held]]:
        """What each router announces by itself."""
        return {name: self._own(router, tables) for name, router in self.routers.items()}

    def answer(self, told: dict[str, dict[Prefix, Held]]) -> dict[str, list[Route]]:
        return self._converge(told)

    def _own(self, router: Router, tables: Mapping[tuple[str, int], Table]) -> dict[Prefix, Held]:
        """What a router announces by itself: its subnets, redistribution, a default."""
        process, name = router.process, router.device.name
        out: dict[Prefix, Held] = {}
        for statement in process.redistribute:
            if statement.protocol == "rip":
                continue
            for route in tables[name, self.family].learned(statement.protocol):
                held = self._redistributed(router, route, statement)
                if held is not None:
                    out[route.prefix] = held
        if process.default is not None:
            prefix = Prefix(self.family, 0, 0)
            claim = Claim(claims.DEFAULT, name, into=process.name)
            out[prefix] = Held(1, (), Origin(claim, (process.default.source,)), True)
        for prefix, source in process.statics:
            claim = Claim(claims.STATEMENT, name, prefix, into=process.name)
            out[prefix] = Held(1, (), Origin(claim, (source,)), True)
        for end in router.ends:
            if not end.active or end.enabled is None:
                continue
            for fact in end.interface.addresses:
                if fact.address.family != self.family or fact.address.is_link_local:
                    continue
                inside = any(
                    s.interface == end.interface.name or statement_covers(s, fact, True)
                    for s in process.networks
                )
                if not inside:
                    continue
                prefix = fact.connected
                port, into = end.interface.name, f"into {process.name}"
                origin = Origin(
                    Claim(claims.OWN, name, prefix, port, into), (end.enabled, fact.source)
                )
                out.setdefault(prefix, Held(1, (), origin, True, end.interface.name))
                if out[prefix].protocol != "rip":
                    out[prefix] = Held(1, (), origin, True, end.interface.name)
        return out

    @staticmethod
    def _redistributed(router: Router, route: Route, statement: Redistribution) -> Held | None:
        process, device = router.process, router.device
        metric = statement.metric
        if metric is None:
            given = process.default_metric
            metric = given.value if given else device.profile.habit(RipHabits).redistribute_metric
            if statement.protocol == "connected":
                metric = 1
        hop = route.next_hops[0] if route.next_hops else NextHop("forward")
        because = [statement.source, *route.because]
        tag = route.tag
        if statement.route_map is not None:
            attributes = Attributes(
                route.prefix, route.protocol, None, None, tag, hop.interface, hop.address
            )
            ruling = apply_route_map(device.policy, statement.route_map, attributes)
            if not ruling.permit:
                return None
            because += ruling.because
            if ruling.attributes.metric is not None:
                metric = ruling.attributes.metric
            tag = ruling.attributes.tag
        claim = Claim(claims.REDISTRIBUTED, device.name, route.prefix, route.protocol, process.name)
        origin = Origin(claim, tuple(dict.fromkeys(because)), route.origin)
        interface = hop.interface if route.protocol == "connected" else None
        return Held(metric, (), origin, True, interface, route.protocol, tag)

    def why_not_told(self, prefix: Prefix, holder: str, other: str) -> Untold | None:
        if not self.given or other not in self.routers:
            return None
        known = self._states(self.given[-1][0]).known.get(holder, {})  # type: ignore[arg-type]
        held = known.get(prefix)
        if held is None:
            return None
        sender, taker = self.routers[holder], self.routers[other]
        shown = {told for told, _ in _with_aggregates(sender, known)}
        if prefix not in shown:
            wide = [(a, line) for a, line in sender.process.aggregates if a.covers(prefix)]
            says = f"{holder} announces only {wide[0][0]}, which {prefix} is part of."
            return Untold(holder, says, (wide[0][1],))
        heard = [(a, b) for a, b in self.hears.get(other, ()) if b.device == holder]
        for listener, speaker in heard:
            here, there = speaker.interface.name, listener.interface.name
            found = vectors.kept_back(
                (sender.device, sender.process.filters, here),
                (taker.device, taker.process.filters, there),
                prefix,
            )
            if found is not None:
                return found
            out = _offset(sender, "out", here, prefix) or 0
            metric = self._taken(taker, listener, prefix, held.metric + out)[0]
            if metric >= INFINITY:
                lines = tuple(
                    item.source
                    for router, port in ((sender, here), (taker, there))
                    for item in router.process.offsets
                    if item.interface in (None, port)
                )
                says = (
                    f"The metric of {prefix} from {holder} to {other} would be {metric}, and "
                    f"{INFINITY} stands for no way."
                )
                return Untold(holder, says, (*lines, *held.origin.sources))
        if not heard:
            return vectors.unheard(self._relations, holder, other)
        return Untold(holder, f"{holder} announces it, and {other} has none of it.", ())

    def _converge(self, local: dict[str, dict[Prefix, Held]]) -> dict[str, list[Route]]:
        settled = self._states(local)
        self.unsettled = settled.unsettled
        out: dict[str, list[Route]] = {}
        for name, known in settled.known.items():
            process = self.routers[name].process
            habits = self.routers[name].device.profile.habit(RipHabits)
            usual = process.distance.value if process.distance else habits.distance
            device = self.routers[name].device
            out[name] = [
                Route(
                    prefix,
                    "rip",
                    vectors.distance(device, process.distances, held.hops, prefix, usual),
                    held.metric,
                    held.hops,
                    held.origin.evidence(),
                    origin=held.origin,
                    tag=held.tag,
                )
                for prefix, held in sorted(known.items(), key=itemgetter(0))
                if not held.own
            ]
        return out

    def _states(self, local: dict[str, dict[Prefix, Held]]) -> vectors.Settled[str, Held]:
        if self._settled is None or self._settled.local != local:
            ways = {
                name: [(speaker.device, (listener, speaker)) for listener, speaker in heard]
                for name, heard in self.hears.items()
            }
            telling = vectors.Telling(ways, self.taken, self.mixes, self.choose)
            self._settled = telling.settle(local, ROUNDS)
        return self._settled

    def taken(
        self, taker: str, way: tuple[RipEnd, RipEnd], known: Mapping[Prefix, Held]
    ) -> Iterator[tuple[Prefix, Offered]]:
        """What a router takes from an update by one way, of a neighbour that knows this."""
        router, (listener, speaker) = self.routers[taker], way
        for prefix, told, held in self._updates(speaker, listener, known):
            metric, allowed = self._taken(router, listener, prefix, told)
            if allowed and metric < INFINITY:
                hop = NextHop("forward", speaker.address, listener.interface.name)
                yield prefix, Offered(metric, hop, held.origin, held.tag)

    def mixes(self, way: tuple[RipEnd, RipEnd]) -> bool:
        """True if a router's updates say something of a prefix that it does not know as such."""
        listener, speaker = way
        aggregates = self.routers[speaker.device].process.aggregates
        return bool(aggregates) or self._classful(speaker, listener)

    def choose(self, name: str, own: Held | None, heard: Sequence[Offered]) -> Held | None:
        """What a router knows of a prefix of which it hears this."""
        if own is not None or not heard:
            return own
        router = self.routers[name]
        several = router.process.max_paths
        if router.device.profile.habit(RipHabits).shares_equal_cost:
            several = max(several, 256)
        least = min(offer.metric for offer in heard)
        best = sorted(
            (offer for offer in heard if offer.metric == least),
            key=lambda o: (o.hop.address.value if o.hop.address else 0, o.hop.interface or ""),
        )
        hops = tuple(dict.fromkeys(offer.hop for offer in best))[:several]
        return Held(least, hops, best[0].origin, False, tag=best[0].tag)

    def _classful(self, speaker: RipEnd, listener: RipEnd) -> bool:
        """True if updates carry no masks."""
        return self.family == 4 and not speaker.send & listener.receive - {"1"}

    def _updates(
        self, speaker: RipEnd, listener: RipEnd, known: Mapping[Prefix, Held]
    ) -> list[tuple[Prefix, int, Held]]:
        """What a router sends out of one interface."""
        router = self.routers[speaker.device]
        out = []
        name = speaker.interface.name
        split = speaker.settings.split_horizon
        splits = split is None or split.value != "off"
        classful = self._classful(speaker, listener)
        for prefix, held in _with_aggregates(router, known):
            if splits and any(hop.interface == name for hop in held.hops):
                continue
            # RIPng tells a subnet on its own link, too (seen on real routers).
            own = self.family == 4 and held.interface is not None
            if splits and own and _is_here(speaker, prefix):
                continue
            if classful and not _fits_version_1(speaker, prefix):
                continue
            if not vectors.allowed(router.device, router.process.filters, "out", name, prefix):
                continue
            metric = held.metric
            offset = _offset(router, "out", name, prefix)
            metric += offset or 0
            if metric >= INFINITY:
                continue
            shown = prefix
            if classful:
                shown = _as_read_by_version_1(listener, prefix)
            out.append((shown, metric, held))
        return out

    @staticmethod
    def _taken(router: Router, listener: RipEnd, prefix: Prefix, metric: int) -> tuple[int, bool]:
        name = listener.interface.name
        offset = _offset(router, "in", name, prefix)
        # An offset list that matches takes the place of the interface's own cost.
        metric += 1 if offset is None else offset
        passes = vectors.allowed(router.device, router.process.filters, "in", name, prefix)
        return metric, passes


def _with_aggregates(router: Router, known: Mapping[Prefix, Held]) -> Iterator[tuple[Prefix, Held]]:
    """What a router announces: aggregates in the place of what they cover."""
    active: dict[Prefix, Held] = {}
    for aggregate, source in router.process.aggregates:
        part = min((p for p in known if p != aggregate and aggregate.covers(p)), default=None)
        if part is not None:
            name = router.device.name
            claim = Claim(claims.PARTS, name, aggregate, "it knows")
            origin = Origin(claim, (source,), known[part].origin)
            active[aggregate] = Held(1, (), origin, True)
    for prefix, held in known.items():
        if not any(a != prefix and a.covers(prefix) for a in active):
            yield prefix, held
    yield from active.items()


def _is_here(end: RipEnd, prefix: Prefix) -> bool:
    return any(
        fact.address.family == prefix.family and prefix.contains(fact.address)
        for fact in end.interface.addresses
        if not fact.address.is_link_local
    )


def _offset(router: Router, direction: str, interface: str, prefix: Prefix) -> int | None:
    """The offset for a prefix: the interface's own list first, then the general one."""
    chosen: list[RouteFilter] = sorted(
        (
            item
            for item in router.process.offsets
            if item.direction == direction and item.interface in (None, interface)
        ),
        key=lambda item: item.interface is None,
    )
    for item in chosen:
        if item.kind == "any":
            return item.offset
        permit, _ = filter_permits(router.device.policy, item.kind, item.name, prefix)
        if permit:
            return item.offset
    return None


def classful(address: Address) -> Prefix:
    """The network of an address by its class (RFC 791, section 3.2)."""
    head = address.value >> 24
    return prefix_of(address, 8 if head < 128 else 16 if head < 192 else 24)


def _fits_version_1(end: RipEnd, prefix: Prefix) -> bool:
    """Version 1 carries no masks: only subnets of the interface's length, or whole networks."""
    if prefix.is_default or end.fact is None:
        return True
    major = classful(end.fact.address)
    network = Address(prefix.family, prefix.network)
    if end.fact.value.length > major.length and major.contains(network):
        return prefix.length in (end.fact.value.length, 32)
    return prefix.length == classful(network).length


def _as_read_by_version_1(end: RipEnd, prefix: Prefix) -> Prefix:
    if prefix.is_default or end.fact is None:
        return prefix
    network = Address(prefix.family, prefix.network)
    major = classful(end.fact.address)
    if major.contains(network):
        own = prefix_of(network, end.fact.value.length)
        return own if own.network == prefix.network else prefix._replace(length=32)
    return classful(network)


RIP = RoutingProtocol(
    NAMED,
    lambda network, links, families: [RipSpeakers(network, links, f) for f in families],
    GATES,
    busy=vectors.busy(ends_of),
    packets=OWN,
)
