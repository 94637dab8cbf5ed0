"""EIGRP (RFC 7868) over the whole network.

Each process starts with the subnets its statements take in (and what it redistributes or
summarises), and tells its neighbours the metric of its own best way. A router uses every
neighbour whose reported distance is below its own best one (the feasibility condition,
section 3.4) and whose total lies within the variance.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from operator import itemgetter
from typing import NamedTuple

from ..network import claims
from ..network.addressing import Address, Prefix
from ..network.claims import Claim
from ..network.eigrp import NAMED, EigrpHabits, EigrpInterface, EigrpProcess
from ..network.facts import AddressFact, Device, End, Interface, Network, Unmodelled
from ..network.mends import Mend, Say, Setting
from ..network.routing import Number, Redistribution, Word
from ..network.source import Source
from ..step.filters import Filters, Flow
from ..step.links import Links
from ..step.routes import NextHop, Origin, Route
from ..step.table import Table, TableKey
from . import vectors
from .again import Told
from .gates import FILTERED, Gate, Judged, Reading, Relation, Side, judge
from .identity import link_local, router_id, statement_covers
from .passing import any_filters, lets_pass
from .policy import Attributes, apply_route_map
from .protocol import RoutingProtocol, Untold
from .rip import classful

OWN = Flow("eigrp")
Key = tuple[str, int]
"""A process: (device, its number)."""
DOWN, PENDING, UP = "down", "pending", "up"
SCALE = 256
INFINITE = 0xFFFFFFFF
MAX_HOPS = 100
ROUNDS = 200
"""After so many updates a network has settled, or never does."""


class Vector(NamedTuple):
    """The parts of a metric along a way: least bandwidth (kbit/s), summed delay (10 us), hops."""

    bandwidth: int
    delay: int
    hops: int = 0
    reliability: int = 255
    load: int = 1


@dataclass(frozen=True, slots=True)
class EigrpEnd:
    """One interface of one process."""

    device: str
    process: EigrpProcess
    interface: Interface
    settings: EigrpInterface
    enabled: Source | None
    fact: AddressFact | None
    address: Address | None
    passive: bool
    passive_source: Source | None
    bandwidth: int
    delay: int
    weights: tuple[int, ...]
    key: str | None
    router_id: Number | None
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
    """A process's own knowledge of a prefix."""

    metric: int
    vector: Vector
    hops: tuple[NextHop, ...]
    origin: Origin
    own: bool = False
    external: bool = False
    interface: str | None = None
    kind: str = "internal"


class Offered(NamedTuple):
    """What a process hears of a prefix from one neighbour."""

    total: int
    reported: int
    """The neighbour's own metric."""
    hop: NextHop
    held: Held


@dataclass(slots=True)
class Router:
    device: Device
    process: EigrpProcess
    ends: list[EigrpEnd] = field(default_factory=list)

    @property
    def key(self) -> Key:
        return self.device.name, self.process.number


def composite(weights: tuple[int, ...], vector: Vector) -> int:
    """The composite metric (RFC 7868, section 5.6.2.3), scaled by 256."""
    k1, k2, k3, k4, k5 = weights[:5]
    bandwidth = 10_000_000 // max(1, vector.bandwidth)
    total = k1 * bandwidth
    if k2:
        total += k2 * bandwidth // (256 - vector.load)
    total += k3 * vector.delay
    if k5:
        total = total * k5 // (vector.reliability + k4)
    return min(total * SCALE, INFINITE)


def _weights(process: EigrpProcess, device: Device) -> tuple[int, ...]:
    given = process.weights
    if given is None:
        return device.profile.habit(EigrpHabits).weights
    return (*given, 0, 0, 0, 0, 0)[:6]


def ends_of(device: Device, process: EigrpProcess, links: Links) -> list[EigrpEnd]:
    """All interfaces of a router, whether they take part or not."""
    habits = device.profile.habit(EigrpHabits)
    identity = router_id(device, process.router_id, links)
    out = []
    for interface in device.interfaces:
        settings = process.interfaces.get(interface.name) or EigrpInterface(interface.name)
        facts = [
            f
            for f in interface.addresses
            if f.address.family == process.family and not f.address.is_link_local
        ]
        enabled, chosen = None, facts[0] if facts else None
        for statement in process.networks:
            if statement.interface == interface.name:
                enabled = statement.source
                break
            hit = next(
                (f for f in facts if statement_covers(statement, f, habits.statement_ignores_mask)),
                None,
            )
            if hit is not None:
                enabled, chosen = statement.source, hit
                break
        passive = settings.passive or process.passive.get(interface.name) or process.passive_default
        bandwidth, delay = habits.bandwidth, habits.delay
        if not habits.fixed_metrics:
            bandwidth = settings.bandwidth.value if settings.bandwidth else bandwidth
            delay = settings.delay.value if settings.delay else delay
        end = End(device.name, interface.name)
        chain = settings.key_chain
        known = device.policy.key_chains.get(chain.value) if chain else None
        out.append(
            EigrpEnd(
                device.name,
                process,
                interface,
                settings,
                enabled,
                chosen,
                link_local(interface)
                if process.family == 6
                else (chosen.address if chosen else None),
                bool(passive and passive.value) and not habits.ignores_passive,
                passive.source if passive else None,
                bandwidth,
                delay,
                _weights(process, device),
                (known[0] if known else "") if chain else None,
                identity,
                links.is_up(end),
                links.why_deaf(end),
                links.filters.get(device.name),
            )
        )
    return out


# -- gates ---------------------------------------------------------------------------------


def _passive(end: EigrpEnd, _: EigrpEnd) -> Reading:
    source = (end.passive_source,) if end.passive and end.passive_source else ()
    return Reading("passive" if end.passive else "not passive", source, end.passive)


def _number(end: EigrpEnd, _: EigrpEnd) -> Reading:
    return Reading(str(end.process.number), (end.process.source,))


def _metric_weights(end: EigrpEnd, _: EigrpEnd) -> Reading:
    source = end.process.weights_source
    text = " ".join(str(k) for k in end.weights)
    default = end.process.source._replace(text=f"K values {text}", default=True)
    return Reading(text, (source or default,))


def _authentication(end: EigrpEnd, _: EigrpEnd) -> Reading:
    word = end.settings.authentication
    return Reading(word.value if word else "none", (word.source,) if word else ())


def _secret(end: EigrpEnd, _: EigrpEnd) -> Reading:
    word = end.settings.key_chain
    return Reading(word.value if word else "no key", (word.source,) if word else (), end.key or "")


def _unheard(left: EigrpEnd, right: EigrpEnd) -> tuple[str, str]:
    return DOWN, DOWN


def _same_system(end: EigrpEnd, other: EigrpEnd) -> Mend:
    number = str(other.process.number)
    words = f"put EIGRP into autonomous system {number}"
    return Say(words, (Setting("autonomous system", number, whole=True),))


def _same_weights(end: EigrpEnd, other: EigrpEnd) -> Mend:
    words = f"use the K values of {other.device}"
    if other.process.weights is None:
        lines = (end.process.weights_source,) if end.process.weights_source else ()
        return Say(words, gone=lines)
    values = " ".join(str(k) for k in other.weights)
    return Say(words, (Setting("K values", values, whole=True),))


GATES: tuple[Gate[EigrpEnd], ...] = (
    Gate("line", vectors.line, vectors.both, stuck=_unheard, no_mend=vectors.NO_LINE),
    Gate("enabled", vectors.enabled, vectors.both, stuck=_unheard, mend=vectors.take_in),
    Gate(
        "not passive",
        _passive,
        lambda a, b: not a.value and not b.value,
        stuck=_unheard,
        mend=vectors.speak,
    ),
    Gate(
        "filter",
        lets_pass(OWN),
        vectors.both,
        stuck=_unheard,
        applies=any_filters,
        no_mend=FILTERED,
    ),
    Gate(
        "subnet",
        vectors.subnet,
        vectors.same_subnet,
        stuck=_unheard,
        applies=lambda a, b: a.process.family == 4,
        mend=vectors.into_subnet,
    ),
    Gate("autonomous system", _number, stuck=_unheard, mend=_same_system),
    Gate("K values", _metric_weights, stuck=_unheard, mend=_same_weights),
    Gate("authentication type", _authentication, stuck=_unheard, mend=vectors.same_keys),
    Gate(
        "authentication key",
        _secret,
        stuck=_unheard,
        applies=lambda a, b: bool(a.settings.authentication and b.settings.authentication),
        mend=vectors.same_keys,
    ),
)


class EigrpSpeakers(Told):
    """EIGRP of one family over the whole network, as the scheduler sees it."""

    protocol = EigrpProcess.protocol

    def __init__(self, network: Network, links: Links, family: int) -> None:
        super().__init__()
        self.family = family
        self.routers: dict[Key, Router] = {}
        for device in network.devices:
            for process in device.routing.of(EigrpProcess):
                if process.family == family:
                    router = Router(device, process, ends_of(device, process, links))
                    self.routers[router.key] = router
        self._relations: list[Relation] = []
        self.unsettled: dict[Prefix, list[Key]] = {}
        """Prefixes on which routers never agree, with those routers."""
        self._settled: vectors.Settled[Key, Held] | None = None
        self.hears: dict[Key, list[tuple[EigrpEnd, EigrpEnd]]] = defaultdict(list)
        self._find(links)

    def relations(self) -> list[Relation]:
        return self._relations

    def doubts(self) -> dict[str, list[Unmodelled]]:
        """Every router, if some never agree: what they tell goes on."""
        out: dict[str, list[Unmodelled]] = {}
        for prefix, members in self.unsettled.items():
            names = [name for name, _ in members]
            for (name, _), router in self.routers.items():
                process = router.process
                doubt = vectors.unsettled(process.name, prefix, names, process.source, self.family)
                out.setdefault(name, []).append(doubt)
        return out

    def least_distance(self, device: Device) -> int | None:
        """The smallest distance that its routes could have on a device; None without it."""
        usual = device.profile.habit(EigrpHabits).distance_internal
        found = [
            min(process.distance or (usual,))
            for process in device.routing.of(EigrpProcess)
            if process.family == self.family
        ]
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
        shown: dict[tuple[End, End], tuple[EigrpEnd, EigrpEnd, list[Judged], bool]] = {}
        for left, right in vectors.pairs(ends, links):
            if (left.passive and (right.passive or not right.enabled)) or (
                right.passive and not left.enabled
            ):
                continue
            outcome = judge(GATES, left, right)
            key = (left.end, right.end)
            if outcome.up:
                self.hears[left.device, left.process.number].append((left, right))
                self.hears[right.device, right.process.number].append((right, left))
            # Of several processes on one link, the pair that works is shown.
            if key not in shown or outcome.up:
                shown[key] = (left, right, outcome.gates, outcome.up)
        for left, right, gates, up in shown.values():
            self._relations.append(
                Relation(
                    "eigrp",
                    self.family,
                    _side(left, up),
                    _side(right, up),
                    gates,
                    up,
                    ends=(left, right),
                )
            )

    def told(self, tables: Mapping[TableKey, Table]) -> dict[Key, dict[Prefix, Held]]:
        """What each router announces by itself."""
        return {key: self._own(router, tables) for key, router in self.routers.items()}

    def answer(self, told: dict[Key, dict[Prefix, Held]]) -> dict[str, list[Route]]:
        return self._converge(told)

    def _own(self, router: Router, tables: Mapping[TableKey, Table]) -> dict[Prefix, Held]:
        process, habits = router.process, router.device.profile.habit(EigrpHabits)
        name = router.device.name
        out: dict[Prefix, Held] = {}
        if not habits.ignores_redistribution:
            for statement in process.redistribute:
                if statement.protocol == "eigrp":
                    continue
                for route in tables[name, self.family].learned(statement.protocol):
                    held = self._redistributed(router, route, statement)
                    if held is not None:
                        out[route.prefix] = held
        for end in router.ends:
            if not end.active or end.enabled is None:
                continue
            for fact in end.interface.addresses:
                if fact.address.family != self.family or fact.address.is_link_local:
                    continue
                if not any(
                    s.interface == end.interface.name
                    or statement_covers(s, fact, habits.statement_ignores_mask)
                    for s in process.networks
                ):
                    continue
                prefix = fact.connected
                claim = Claim(claims.OWN, name, prefix, end.interface.name, "into EIGRP")
                origin = Origin(claim, (end.enabled, fact.source))
                vector = Vector(end.bandwidth, end.delay)
                metric = composite(end.weights, vector)
                held_before = out.get(prefix)
                if held_before is None or held_before.external or metric < held_before.metric:
                    out[prefix] = Held(
                        metric, vector, (), origin, True, interface=end.interface.name
                    )
        return out

    @staticmethod
    def _redistributed(router: Router, route: Route, statement: Redistribution) -> Held | None:
        device, process = router.device, router.process
        because = [statement.source, *route.because]
        if statement.route_map is not None:
            ruling = apply_route_map(
                device.policy, statement.route_map, Attributes(route.prefix, route.protocol)
            )
            if not ruling.permit:
                return None
            because += ruling.because
        weights = _weights(process, device)
        given = process.default_metric
        if given is not None:
            vector = Vector(given[0], given[1])
        elif route.protocol in ("connected", "static"):
            end = next(
                (
                    e
                    for e in router.ends
                    if route.next_hops and e.interface.name == route.next_hops[0].interface
                ),
                None,
            )
            vector = Vector(end.bandwidth, end.delay) if end else Vector(100_000, 10)
        else:
            return None  # without a metric nothing is announced
        claim = Claim(claims.REDISTRIBUTED, device.name, route.prefix, route.protocol, "EIGRP")
        origin = Origin(claim, tuple(dict.fromkeys(because)), route.origin)
        return Held(composite(weights, vector), vector, (), origin, True, True)

    def why_not_told(self, prefix: Prefix, holder: str, other: str) -> Untold | None:
        if not self.given:
            return None
        state = self._states(self.given[-1][0]).known  # type: ignore[arg-type]
        for key, taker in self.routers.items():
            for listener, speaker in self.hears.get(key, ()) if key[0] == other else ():
                sender = self.routers[speaker.device, speaker.process.number]
                held = state[sender.key].get(prefix)
                if speaker.device != holder or held is None:
                    continue
                stub = _stub_keeps(sender, held)
                if stub is not None:
                    says = f"{holder} is a stub, and does not announce {prefix} as one."
                    return Untold(holder, says, (stub.source,))
                found = vectors.kept_back(
                    (sender.device, sender.process.filters, speaker.interface.name),
                    (taker.device, taker.process.filters, listener.interface.name),
                    prefix,
                )
                if found is not None:
                    return found
                told = dict(self._updates(sender, speaker, state[sender.key]))
                for summary, line in self._summaries(sender, speaker):
                    if summary.covers(prefix) and prefix not in told:
                        says = f"{holder} announces only {summary}, which {prefix} is part of."
                        return Untold(holder, says, (line,))
                return Untold(holder, f"{holder} announces it, and {other} has none of it.", ())
        return None

    def _converge(self, local: dict[Key, dict[Prefix, Held]]) -> dict[str, list[Route]]:
        settled = self._states(local)
        self.unsettled = settled.unsettled
        out: dict[str, list[Route]] = defaultdict(list)
        for key, known in settled.known.items():
            router = self.routers[key]
            habits = router.device.profile.habit(EigrpHabits)
            internal, external = router.process.distance or (
                habits.distance_internal,
                habits.distance_external,
            )
            for prefix, held in sorted(known.items(), key=itemgetter(0)):
                if held.own:
                    continue
                out[key[0]].append(
                    Route(
                        prefix,
                        "eigrp",
                        external if held.external else internal,
                        held.metric,
                        held.hops,
                        held.origin.evidence(),
                        type="external" if held.external else "internal",
                        origin=held.origin,
                    )
                )
            for prefix, held in self._discards(router, known):
                out[key[0]].append(
                    Route(
                        prefix,
                        "eigrp",
                        5,
                        held.metric,
                        (NextHop("discard"),),
                        held.origin.evidence(),
                        type="summary",
                        origin=held.origin,
                    )
                )
        return out

    def _states(self, local: dict[Key, dict[Prefix, Held]]) -> vectors.Settled[Key, Held]:
        if self._settled is None or self._settled.local != local:
            ways = {
                key: [
                    ((speaker.device, speaker.process.number), (listener, speaker))
                    for listener, speaker in heard
                ]
                for key, heard in self.hears.items()
            }
            telling = vectors.Telling(ways, self.taken, self.mixes, self.choose)
            self._settled = telling.settle(local, ROUNDS)
        return self._settled

    def taken(
        self, taker: Key, way: tuple[EigrpEnd, EigrpEnd], known: Mapping[Prefix, Held]
    ) -> Iterator[tuple[Prefix, Offered]]:
        """What a process takes from an update by one way, of a neighbour that knows this."""
        router, (listener, speaker) = self.routers[taker], way
        name = listener.interface.name
        hop = NextHop("forward", speaker.address, name)
        there = self.routers[speaker.device, speaker.process.number]
        for prefix, held in self._updates(there, speaker, known):
            if not vectors.allowed(router.device, router.process.filters, "in", name, prefix):
                continue
            vector = Vector(
                min(held.vector.bandwidth, listener.bandwidth),
                held.vector.delay + listener.delay,
                held.vector.hops + 1,
            )
            if vector.hops > MAX_HOPS:
                continue
            total = composite(listener.weights, vector)
            new = Held(total, vector, (), held.origin, False, held.external)
            yield prefix, Offered(total, held.metric, hop, new)

    def mixes(self, way: tuple[EigrpEnd, EigrpEnd]) -> bool:
        """True if updates on the speaker's end tell summaries."""
        _, speaker = way
        router = self.routers[speaker.device, speaker.process.number]
        return bool(self._told_summaries(router, speaker))

    def choose(self, key: Key, own: Held | None, heard: Sequence[Offered]) -> Held | None:
        """What a process knows of a prefix of which it hears this."""
        if not heard or (own is not None and not own.external):
            return own
        internal = [offer for offer in heard if not offer.held.external]
        if own is not None and not internal:
            return own
        found = internal or heard
        router = self.routers[key]
        process = router.process
        variance = process.variance.value if process.variance else 1
        habits = router.device.profile.habit(EigrpHabits)
        limit = process.max_paths.value if process.max_paths else habits.max_paths
        least = min(offer.total for offer in found)
        usable = sorted(
            (
                o
                for o in found
                if o.total == least or (o.reported < least and o.total <= variance * least)
            ),
            key=lambda o: (o.total, o.hop.address.value if o.hop.address else 0),
        )
        hops = tuple(
            sorted(
                dict.fromkeys(offer.hop for offer in usable[:limit]),
                key=lambda h: (h.address.value if h.address else 0, h.interface or ""),
            )
        )
        return usable[0].held._replace(hops=hops)

    def _updates(
        self, router: Router, speaker: EigrpEnd, known: Mapping[Prefix, Held]
    ) -> list[tuple[Prefix, Held]]:
        """What a process sends out of one interface."""
        out: list[tuple[Prefix, Held]] = []
        name = speaker.interface.name
        summaries = self._told_summaries(router, speaker)
        split = speaker.settings.split_horizon
        splits = split is None or split.value
        parts: dict[Prefix, list[tuple[int, Prefix, Held]]] = {}
        for prefix, held in known.items():
            if splits and any(hop.interface == name for hop in held.hops):
                continue
            if splits and held.own and held.interface == name:
                continue
            if _stub_keeps(router, held) is not None:
                continue
            covering = [s for s, _ in summaries if s.covers(prefix) and s != prefix]
            if covering:
                longest = max(covering, key=lambda s: s.length)
                parts.setdefault(longest, []).append((held.metric, prefix, held))
                continue
            if vectors.allowed(router.device, router.process.filters, "out", name, prefix):
                out.append((prefix, held))
        for summary, source in summaries:
            members = parts.get(summary)
            if members:
                *_, best = min(members, key=itemgetter(0, 1))
                claim = Claim(claims.OUT_OF, router.device.name, summary, name)
                origin = Origin(claim, (source,), best.origin)
                out.append((summary, best._replace(origin=origin, hops=(), own=True)))
        return out

    def _told_summaries(
        self, router: Router, speaker: EigrpEnd
    ) -> tuple[tuple[Prefix, Source], ...]:
        ignores = router.device.profile.habit(EigrpHabits).ignores_summaries
        return () if ignores else self._summaries(router, speaker)

    def _summaries(self, router: Router, speaker: EigrpEnd) -> tuple[tuple[Prefix, Source], ...]:
        found = list(speaker.settings.summaries)
        auto = router.process.auto_summary
        if auto is not None and auto.value and self.family == 4 and speaker.fact is not None:
            here = classful(speaker.fact.address)
            for end in router.ends:
                if end.active and end.fact is not None:
                    major = classful(end.fact.address)
                    if major != here and all(major != s for s, _ in found):
                        found.append((major, auto.source))
        return tuple(found)

    def _discards(self, router: Router, known: dict[Prefix, Held]) -> list[tuple[Prefix, Held]]:
        """A router that summarises holds a discard route for the summary (section 4.6)."""
        if router.device.profile.habit(EigrpHabits).ignores_summaries:
            return []
        out: dict[Prefix, Held] = {}
        for end in router.ends:
            if not end.active:
                continue
            for summary, source in self._summaries(router, end):
                members = [
                    (h.metric, p, h) for p, h in known.items() if summary.covers(p) and p != summary
                ]
                if members and summary not in known:
                    *_, best = min(members, key=itemgetter(0, 1))
                    name = router.device.name
                    claim = Claim(claims.DISCARDS, name, summary, "summary", "part")
                    origin = Origin(claim, (source,))
                    out[summary] = best._replace(origin=origin, own=True)
        return list(out.items())


def _stub_keeps(router: Router, held: Held) -> Word | None:
    """What makes a stub router keep something to itself; None if it announces it. It announces
    only the kinds it was told to (RFC 7868, section 6.6.2)."""
    stub = router.process.stub
    if stub is None:
        return None
    words = set(stub.value.split())
    kinds = {"redistributed", "static"} if held.external else {"connected"}
    told = held.own and "receive-only" not in words and bool(kinds & words)
    return None if told else stub


def _side(end: EigrpEnd, up: bool) -> Side:
    address = str(end.address) if end.address is not None else None
    return Side(end.device, end.interface.name, address, UP if up else DOWN, UP)


EIGRP = RoutingProtocol(
    NAMED,
    lambda network, links, families: [EigrpSpeakers(network, links, f) for f in families],
    GATES,
    busy=vectors.busy(ends_of),
    packets=OWN,
)
