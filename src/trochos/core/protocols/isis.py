"""IS-IS (ISO 10589, RFC 1195, 5305, 5308) over the whole network, one family at a time.

Each level is a network of its own: neighbours of that level, what each router announces into it,
and the shortest ways from every router that takes part. What a router uses is level 1's where that
knows a prefix, else level 2's; nothing is carried from one level into the other unless somebody
redistributes it. A LAN is taken as links between all of its routers that are neighbours: their
designated system changes no cost (ISO 10589, 8.4.5).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from ..network.addressing import Address, Prefix
from ..network.facts import AddressFact, Device, End, Interface, Network, Unmodelled
from ..network.isis import (
    KINDS,
    LEVELS,
    NAMED,
    NARROWEST,
    IsisHabits,
    IsisInterface,
    IsisProcess,
)
from ..network.mends import Fits, Fitting, Mend, Say, Setting, Speak, TakeIn
from ..network.routing import DefaultRoute, Redistribution, Word
from ..network.source import Source
from . import vectors
from .again import Told
from .gates import ROUTES, Gate, Reading, Relation, Side, judge
from .identity import link_local
from .links import Links
from .policy import Attributes, apply_route_map
from .protocol import RoutingProtocol
from .routes import NextHop, Origin, Route
from .shortest import FAR, AreaGraph, Edge
from .table import Table

DOWN, INITIALIZING, UP = "down", "initializing", "up"
POINT_TO_POINT, BROADCAST = "point-to-point", "broadcast"


@dataclass(frozen=True, slots=True)
class IsisEnd:
    """One interface of one router as IS-IS sees it in one family."""

    device: str
    process: IsisProcess
    interface: Interface
    settings: IsisInterface
    enabled: Source | None
    """The line that takes it in for this family."""
    circuit: Source | None
    """The line that takes it in for any family: then it is a circuit, and has neighbours."""
    fact: AddressFact | None
    address: Address | None
    """What neighbours take as next hop."""
    passive: bool
    passive_source: Source | None
    network: str
    levels: frozenset[int]
    style: str
    costs: Mapping[int, int]
    up: bool
    why_down: str | None
    loopback: Address | None = None
    """The router's first IPv4 address on a loopback."""

    @property
    def end(self) -> End:
        return End(self.device, self.interface.name)

    @property
    def active(self) -> bool:
        return self.up and self.circuit is not None and self.process.net is not None

    @property
    def speaks(self) -> bool:
        return self.active and not self.passive

    def default(self, text: str) -> Source:
        """Evidence for a value that nobody wrote."""
        source = self.interface.source or self.process.source
        return source._replace(text=text, default=True)


@dataclass(slots=True)
class Router:
    device: Device
    process: IsisProcess
    ends: list[IsisEnd] = field(default_factory=list)
    adjacent: set[int] = field(default_factory=set)
    """The levels in which it has a neighbour."""


class Advert(NamedTuple):
    """A prefix that a router announces into a level."""

    router: str
    cost: int
    origin: Origin


Item = tuple[int, Prefix, int, Origin]
"""What a router announces beside its subnets: level, prefix, metric, origin."""


def ends_of(device: Device, process: IsisProcess, links: Links) -> list[IsisEnd]:
    """All interfaces of a router, whether they take part or not."""
    habits = device.profile.habit(IsisHabits)
    style = process.style.value if process.style else habits.style
    out = []
    loopback = next(
        (
            fact.address
            for interface in device.interfaces
            if interface.loopback
            for fact in interface.addresses
            if fact.address.family == 4 and not fact.address.is_loopback
        ),
        None,
    )
    for interface in device.interfaces:
        held = process.interfaces.get(interface.name) or IsisInterface(interface.name)
        taken = held.taken_in
        if held.refused is not None and habits.late_style_refuses:
            taken = {}
        facts = [
            f
            for f in interface.addresses
            if f.address.family == process.family and not f.address.is_link_local
        ]
        circuit = KINDS[held.circuit.value] if held.circuit else frozenset(LEVELS)
        narrow = style == "narrow"
        costs = {}
        for level in LEVELS:
            said = held.metrics.get(level)
            cost = said.value if said is not None else habits.metric
            costs[level] = min(cost, NARROWEST) if narrow else cost
        up = links.hears(End(device.name, interface.name))
        quiet = held.passive
        if interface.loopback or held.network is None:
            network = BROADCAST
        else:
            network = held.network.value
        out.append(
            IsisEnd(
                device.name,
                process,
                interface,
                held,
                taken.get(process.family),
                next(iter(taken.values()), None),
                facts[0] if facts else None,
                link_local(interface)
                if process.family == 6
                else (facts[0].address if facts else None),
                interface.loopback or bool(quiet and quiet.value),
                quiet.source if quiet else None,
                POINT_TO_POINT if interface.point_to_point else network,
                process.levels & circuit,
                style,
                costs,
                up,
                None if up else links.why_deaf(End(device.name, interface.name)),
                loopback,
            )
        )
    return out


# -- gates -----------------------------------------------------------------------------


def _both_down(left: IsisEnd, right: IsisEnd) -> tuple[str, str]:
    return DOWN, DOWN


def _line(end: IsisEnd, _: IsisEnd) -> Reading:
    off = end.interface.enabled_source
    lines = () if end.up or off is None else (off,)
    return Reading("up" if end.up else end.why_down or "down", lines, end.up)


def _circuit(end: IsisEnd, _: IsisEnd) -> Reading:
    if end.circuit is not None:
        return Reading(end.circuit.text, (end.circuit,), True)
    if end.settings.refused is not None:
        return Reading("refused with its metric", (end.settings.refused,), False)
    word = "ip" if end.process.family == 4 else "ipv6"
    text = f"{word} router isis {end.process.tag}".strip()
    source = end.interface.source or end.process.source
    missing = source._replace(line=None, text=text, missing=True, after=source.line)
    return Reading("not in IS-IS", (missing,), False)


def _take_in(end: IsisEnd, _: IsisEnd) -> Mend:
    if end.circuit is None and end.settings.refused is not None:
        return Say(f"leave the metric of {end.interface.name} out", gone=(end.settings.refused,))
    return Fits() if end.circuit is not None else TakeIn()


def _family(end: IsisEnd, _: IsisEnd) -> Reading:
    label = "IPv4" if end.process.family == 4 else "IPv6"
    if end.enabled is not None:
        return Reading(f"carries {label}", (end.enabled,), True)
    word = "ip" if end.process.family == 4 else "ipv6"
    source = end.circuit or end.process.source
    text = f"{word} router isis {end.process.tag}".strip()
    missing = source._replace(line=None, text=text, missing=True, after=source.line)
    return Reading(f"does not carry {label}", (missing,), False)


def _carry(end: IsisEnd, _: IsisEnd) -> Mend:
    return Fits() if end.enabled is not None else TakeIn()


def _passive(end: IsisEnd, _: IsisEnd) -> Reading:
    lines = (end.passive_source,) if end.passive and end.passive_source else ()
    return Reading("passive" if end.passive else "not passive", lines, not end.passive)


def _speak(end: IsisEnd, _: IsisEnd) -> Mend:
    return Speak(end.passive, end.passive_source, False)


def _network(end: IsisEnd, _: IsisEnd) -> Reading:
    word = end.settings.network
    return Reading(end.network, (word.source,) if word else (end.default("broadcast"),))


def _same_network(end: IsisEnd, other: IsisEnd) -> Mend | None:
    words = f"make {end.interface.name} {other.network}"
    if other.network == POINT_TO_POINT:
        return Say(words, (Setting("network type", POINT_TO_POINT),))
    word = end.settings.network
    return None if word is None else Say(words, gone=(word.source,))


def _levels(end: IsisEnd, _: IsisEnd) -> Reading:
    lines = [w.source for w in (end.settings.circuit, end.process.kind) if w is not None]
    text = " and ".join(f"level {level}" for level in sorted(end.levels)) or "no level"
    return Reading(text, tuple(lines) or (end.default("level-1-2"),), end.levels)


def _level_stuck(left: IsisEnd, right: IsisEnd) -> tuple[str, str]:
    # On a LAN each level has hellos of its own, which the other level does not hear.
    both = INITIALIZING if left.network == POINT_TO_POINT else DOWN
    return both, both


def _same_level(end: IsisEnd, other: IsisEnd) -> Mend | None:
    """What the other end says of its levels, where this one says something else: of the circuit,
    or of the whole router."""
    circuit, kind = end.settings.circuit, end.process.kind
    if circuit is not None and not KINDS[circuit.value] & other.levels:
        return Say(f"let {end.interface.name} speak as {other.device} does", gone=(circuit.source,))
    if kind is None or KINDS[kind.value] & other.levels:
        return None
    wanted = other.process.kind.value if other.process.kind else None
    if wanted is None or not KINDS[wanted] & other.levels:
        wanted = "level-2-only" if 2 in other.levels else "level-1"
    words = f"speak {wanted} as {other.device} does"
    return Say(words, (Setting("kind", wanted, whole=True),))


def _area(end: IsisEnd, _: IsisEnd) -> Reading:
    net = end.process.net
    return Reading(end.process.area, (net.source,) if net else (), end.process.area)


def _only_level_1(left: IsisEnd, right: IsisEnd) -> bool:
    return left.levels & right.levels == {1}


def _area_stuck(left: IsisEnd, right: IsisEnd) -> tuple[str, str]:
    if left.network != POINT_TO_POINT:
        return DOWN, DOWN
    if (left.process.levels == {1}) != (right.process.levels == {1}):
        return (DOWN, INITIALIZING) if left.process.levels == {1} else (INITIALIZING, DOWN)
    return DOWN, DOWN


def _same_area(end: IsisEnd, other: IsisEnd) -> Mend | None:
    net, area = end.process.net, other.process.area
    if net is None or area is None:
        return None
    rest = ".".join(net.value.split(".")[-4:])
    words = f"join {other.device}'s area {area}"
    return Say(words, (Setting("net", f"{area}.{rest}", whole=True),))


def _system(end: IsisEnd, _: IsisEnd) -> Reading:
    net = end.process.net
    if net is not None:
        return Reading(end.process.system, (net.source,))
    text = f"net {end.process.area or '49.0001'}..."
    source = end.process.source
    missing = source._replace(line=None, text=text, missing=True, after=source.line)
    return Reading("none", (missing,), "")


def _named(end: IsisEnd, other: IsisEnd) -> Mend | None:
    """A name for a system that has none, made of its loopback's address as is the custom."""
    if end.process.net is not None:
        return Fits() if other.process.net is None else None
    address = end.loopback or (end.address if end.process.family == 4 else None)
    if address is None or address.family != 4:
        return None
    digits = "".join(f"{part:03}" for part in address.value.to_bytes(4, "big"))
    system = ".".join(digits[at : at + 4] for at in (0, 4, 8))
    area = other.process.area or "49.0001"
    net = f"{area}.{system}.00"
    return Say(f"name the system {net}", (Setting("net", net, whole=True),))


def _hello_key(end: IsisEnd, _: IsisEnd) -> Reading:
    kind, key = end.settings.authentication, end.settings.key
    if kind is None or key is None:
        return Reading("no password", (end.default("no password"),), None)
    return Reading(f"{kind.value} {key.value}", (kind.source,), (kind.value, key.value))


def _key_stuck(left: IsisEnd, right: IsisEnd) -> tuple[str, str]:
    if left.network != POINT_TO_POINT and left.settings.key and right.settings.key:
        return DOWN, DOWN
    if (left.settings.key is None) == (right.settings.key is None):
        return DOWN, DOWN
    # Whoever asks for a password hears nobody; the other hears it, and is not heard.
    return (DOWN, INITIALIZING) if left.settings.key is not None else (INITIALIZING, DOWN)


def _same_hello_key(end: IsisEnd, other: IsisEnd) -> Mend | None:
    words = f"authenticate on {end.interface.name} as {other.device} does"
    kind, key = other.settings.authentication, other.settings.key
    if kind is None or key is None:
        mine = end.settings.authentication
        return None if mine is None else Say(words, gone=(mine.source,))
    return Say(words, (Setting("password", f"{kind.value} {key.value}"),))


def _mtu(end: IsisEnd, _: IsisEnd) -> Reading:
    source = end.interface.mtu_source
    return Reading(str(end.interface.mtu), (source,) if source else (), end.interface.mtu)


def _padded(left: IsisEnd, right: IsisEnd) -> bool:
    pads = [e.settings.padding is None or e.settings.padding.value for e in (left, right)]
    known = left.interface.mtu is not None and right.interface.mtu is not None
    return known and all(pads)


def _mtu_stuck(left: IsisEnd, right: IsisEnd) -> tuple[str, str]:
    small = (left.interface.mtu or 0) < (right.interface.mtu or 0)
    return (DOWN, INITIALIZING) if small else (INITIALIZING, DOWN)


def _same_mtu(end: IsisEnd, other: IsisEnd) -> Mend | None:
    return None if other.interface.mtu is None else Fitting(other.interface.mtu)


def _topology(end: IsisEnd, _: IsisEnd) -> Reading:
    flag = end.process.own_topology
    if flag is not None and flag.value:
        return Reading("of its own", (flag.source,))
    return Reading("the common one", (end.default("one topology"),))


def _same_topology(end: IsisEnd, other: IsisEnd) -> Mend | None:
    mine, theirs = end.process.own_topology, other.process.own_topology
    words = f"compute IPv6 as {other.device} does"
    if theirs is not None and theirs.value:
        return Say(words, (Setting("topology", "ipv6-unicast", whole=True),))
    return None if mine is None else Say(words, gone=(mine.source,))


def _style(end: IsisEnd, _: IsisEnd) -> Reading:
    word = end.process.style
    line = word.source if word is not None else end.default(end.style)
    return Reading(f"{end.style} metrics", (line,), end.style)


def _styles_fit(left: Reading, right: Reading) -> bool:
    return left.value == right.value or "transition" in (left.value, right.value)


def _same_style(end: IsisEnd, other: IsisEnd) -> Mend | None:
    words = f"say metrics as {other.device} does"
    if other.process.style is not None:
        return Say(words, (Setting("metric style", other.style, whole=True),))
    mine = end.process.style
    return None if mine is None else Say(words, gone=(mine.source,))


def _announcement_key(end: IsisEnd, other: IsisEnd) -> Reading:
    word = _level_key(end.process, min(end.levels & other.levels, default=1))
    return Reading(word.value if word else "no password", (word.source,) if word else ())


def _level_key(process: IsisProcess, level: int) -> Word | None:
    return process.area_key if level == 1 else process.domain_key


def _same_announcement_key(end: IsisEnd, other: IsisEnd) -> Mend | None:
    level = min(end.levels & other.levels, default=1)
    mine, theirs = _level_key(end.process, level), _level_key(other.process, level)
    words = f"protect what it announces as {other.device} does"
    if theirs is None:
        return None if mine is None else Say(words, gone=(mine.source,))
    what = "area password" if level == 1 else "domain password"
    return Say(words, (Setting(what, theirs.value, whole=True),))


def _circuits(left: IsisEnd, right: IsisEnd) -> bool:
    return left.circuit is not None and right.circuit is not None


GATES: tuple[Gate[IsisEnd], ...] = (
    Gate("line", _line, vectors.both, stuck=_both_down, no_mend=vectors.NO_LINE),
    Gate("enabled", _circuit, vectors.both, stuck=_both_down, mend=_take_in),
    Gate("not passive", _passive, vectors.both, stuck=_both_down, mend=_speak),
    Gate("network type", _network, stuck=_both_down, applies=_circuits, mend=_same_network),
    Gate(
        "level",
        _levels,
        lambda left, right: bool(left.value & right.value),
        stuck=_level_stuck,
        applies=_circuits,
        mend=_same_level,
    ),
    Gate("area", _area, stuck=_area_stuck, applies=_only_level_1, mend=_same_area),
    Gate(
        "system id",
        _system,
        lambda left, right: bool(left.value and right.value) and left.value != right.value,
        stuck=_both_down,
        mend=_named,
    ),
    Gate("hello password", _hello_key, stuck=_key_stuck, mend=_same_hello_key),
    Gate("hello size", _mtu, stuck=_mtu_stuck, applies=_padded, mend=_same_mtu),
    Gate("address family", _family, vectors.both, stops=ROUTES, applies=_circuits, mend=_carry),
    Gate(
        "topology",
        _topology,
        stops=ROUTES,
        applies=lambda left, right: left.process.family == 6,
        mend=_same_topology,
    ),
    Gate("metric style", _style, _styles_fit, stops=ROUTES, mend=_same_style),
    Gate(
        "announcement password",
        _announcement_key,
        stops=ROUTES,
        mend=_same_announcement_key,
    ),
)


# -- the protocol -------------------------------------------------------------------------


class IsisSpeakers(Told):
    """IS-IS of one family over the whole network, as the scheduler sees it."""

    protocol = IsisProcess.protocol

    def __init__(self, network: Network, links: Links, family: int) -> None:
        super().__init__()
        self.family = family
        self.routers: dict[str, Router] = {}
        for device in network.devices:
            for process in device.routing.of(IsisProcess):
                if process.family == family:
                    ends = ends_of(device, process, links)
                    self.routers[device.name] = Router(device, process, ends)
        self._relations: list[Relation] = []
        self._edges: dict[int, list[tuple[IsisEnd, IsisEnd]]] = {1: [], 2: []}
        """Per level (whose end, towards which end)."""
        for left, right in self._pairs(links):
            self._pair(left, right)
        self._graphs: dict[tuple[object, ...], AreaGraph] = {}
        self._prefixes = {level: self._own(level) for level in LEVELS}

    # -- what others ask ---------------------------------------------------------

    def relations(self) -> list[Relation]:
        return self._relations

    def doubts(self) -> dict[str, list[Unmodelled]]:
        """Every router, where two that meet have one system id: what they announce replaces each
        other for ever."""
        held: dict[str, list[str]] = defaultdict(list)
        for name, router in self.routers.items():
            if router.process.system is not None:
                held[router.process.system].append(name)
        out: dict[str, list[Unmodelled]] = {}
        for system, names in held.items():
            if len(names) < 2:
                continue
            net = self.routers[names[0]].process.net
            assert net is not None
            why = f"{' and '.join(names)} have one IS-IS system id, {system}"
            for name in self.routers:
                doubt = Unmodelled(net.source, why, self.family, told=True)
                out.setdefault(name, []).append(doubt)
        return out

    def least_distance(self, device: Device) -> int | None:
        """The distance of its routes on a device; None without it."""
        running = device.routing.of(IsisProcess)
        runs = any(p.family == self.family and p.carries for p in running)
        return device.profile.habit(IsisHabits).distance if runs else None

    def outside(self) -> tuple[tuple[str, End, Unmodelled], ...]:
        return ()

    def listening(self) -> Iterator[tuple[End, str, Source]]:
        """The ends that speak."""
        for router in self.routers.values():
            for end in router.ends:
                if end.speaks and end.circuit is not None:
                    yield end.end, end.process.name, end.circuit

    # -- neighbours ---------------------------------------------------------------

    def _pairs(self, links: Links) -> Iterator[tuple[IsisEnd, IsisEnd]]:
        by_segment: dict[int, list[IsisEnd]] = defaultdict(list)
        for router in self.routers.values():
            for end in router.ends:
                segment = links.segment_of.get(end.end)
                if segment is not None and not end.interface.loopback:
                    by_segment[id(segment)].append(end)
        for members in by_segment.values():
            for index, left in enumerate(members):
                for right in members[index + 1 :]:
                    taken = left.enabled or right.enabled
                    if left.device != right.device and taken:
                        yield left, right

    def _pair(self, left: IsisEnd, right: IsisEnd) -> None:
        if left.passive and right.passive:
            return
        if (left.passive and not right.circuit) or (right.passive and not left.circuit):
            return
        outcome = judge(GATES, left, right)
        states = (UP, UP) if outcome.up else outcome.stuck or (DOWN, DOWN)
        sides = [
            Side(
                end.device,
                end.interface.name,
                str(end.address) if end.address else None,
                state,
                UP,
            )
            for end, state in zip((left, right), states, strict=True)
        ]
        self._relations.append(
            Relation(
                self.protocol,
                self.family,
                sides[0],
                sides[1],
                outcome.gates,
                outcome.up,
                ends=(left, right),
            )
        )
        if not outcome.up:
            return
        for level in left.levels & right.levels:
            if level == 1 and left.process.area != right.process.area:
                continue
            self._edges[level] += [(left, right), (right, left)]
            for end in (left, right):
                self.routers[end.device].adjacent.add(level)

    # -- what is announced -----------------------------------------------------------

    def _own(self, level: int) -> dict[Prefix, list[Advert]]:
        """The routers' own subnets: into every level that they speak, whatever the circuit's."""
        out: dict[Prefix, list[Advert]] = {}
        for name, router in self.routers.items():
            if level not in router.process.levels:
                continue
            for end in router.ends:
                if not end.active or end.enabled is None:
                    continue
                for fact in end.interface.addresses:
                    if fact.address.family != self.family or fact.address.is_link_local:
                        continue
                    says = f"{name} announces {fact.connected} of its {end.interface.name}"
                    origin = Origin(name, f"{says} in level {level}", (end.enabled, fact.source))
                    advert = Advert(name, end.costs[level], origin)
                    out.setdefault(fact.connected, []).append(advert)
        return out

    def told(self, tables: Mapping[tuple[str, int], Table]) -> dict[str, list[Item]]:
        """What each router announces beside its subnets."""
        out: dict[str, list[Item]] = {}
        for name, router in self.routers.items():
            table = tables[name, self.family]
            found: list[Item] = []
            for item in router.process.announced:
                if item.level not in router.process.levels:
                    continue
                if isinstance(item.what, Redistribution):
                    what = item.what.protocol
                    for route in () if what == self.protocol else table.learned(what):
                        told = self._redistributed(router, route, item.what, item.level)
                        found += [told] if told is not None else []
                else:
                    told = self._default(router, table, item.what, item.level)
                    found += [told] if told is not None else []
            if found:
                out[name] = found
        return out

    def _redistributed(
        self, router: Router, route: Route, statement: Redistribution, level: int
    ) -> Item | None:
        device = router.device
        metric = statement.metric
        because = [statement.source, *route.because]
        if statement.route_map is not None:
            hop = route.next_hops[0] if route.next_hops else NextHop("forward")
            asked = Attributes(
                route.prefix, route.protocol, metric, None, route.tag, hop.interface, hop.address
            )
            ruling = apply_route_map(device.policy, statement.route_map, asked)
            if not ruling.permit:
                return None
            because += ruling.because
            metric = ruling.attributes.metric
        says = (
            f"{device.name} announces its {route.protocol} route to {route.prefix} into IS-IS, "
            f"level {level}"
        )
        origin = Origin(device.name, says, tuple(dict.fromkeys(because)), route.origin)
        usual = device.profile.habit(IsisHabits).redistribute_metric
        return level, route.prefix, usual if metric is None else metric, origin

    def _default(
        self, router: Router, table: Table, statement: DefaultRoute, level: int
    ) -> Item | None:
        prefix = Prefix(self.family, 0, 0)
        held = table.winner(prefix)
        if held is not None and held.protocol == self.protocol:
            held = None
        if held is None and not statement.always:
            return None
        device, because = router.device, [statement.source, *(held.because if held else ())]
        metric = statement.metric or 0
        if statement.route_map is not None:
            asked = Attributes(prefix, held.protocol if held else "", metric)
            ruling = apply_route_map(device.policy, statement.route_map, asked)
            if not ruling.permit:
                return None
            because += ruling.because
            metric = ruling.attributes.metric or 0
        says = f"{device.name} announces a default route into IS-IS, level {level}"
        return level, prefix, metric, Origin(device.name, says, tuple(because))

    # -- ways ---------------------------------------------------------------------------

    def answer(self, told: dict[str, list[Item]]) -> dict[str, list[Route]]:
        """The candidates of every router."""
        announced = {level: {p: [*a] for p, a in self._prefixes[level].items()} for level in LEVELS}
        for name, items in told.items():
            for level, prefix, metric, origin in items:
                announced[level].setdefault(prefix, []).append(Advert(name, metric, origin))
        best: dict[str, dict[Prefix, Route]] = {name: {} for name in self.routers}
        # Level 1 comes first: what it knows, level 2 does not replace.
        for level in LEVELS:
            for root in self.routers:
                if level in self.routers[root].process.levels:
                    for prefix, route in self._ways(root, level, announced[level]):
                        best[root].setdefault(prefix, route)
        return {name: list(held.values()) for name, held in best.items()}

    def _ways(
        self, root: str, level: int, announced: Mapping[Prefix, Sequence[Advert]]
    ) -> Iterator[tuple[Prefix, Route]]:
        router = self.routers[root]
        graph = self._graph(root, level)
        row = graph.index.get(root)
        if row is None:
            return
        habits = router.device.profile.habit(IsisHabits)
        extra = self._attached(router, graph) if level == 1 else []
        default = Prefix(self.family, 0, 0)
        prefixes = dict.fromkeys([*announced, *([default] if extra else [])])
        distance, masks = graph.distance[row], graph.masks[row]
        for prefix in prefixes:
            adverts = [*announced.get(prefix, ()), *(extra if prefix == default else ())]
            known = [(a, graph.index.get(a.router)) for a in adverts]
            if any(node == row for _, node in known):
                continue  # its own
            least, chosen, mask = FAR, None, 0
            for advert, node in known:
                if node is None or distance[node] >= FAR:
                    continue
                total = int(distance[node]) + advert.cost
                if total < least:
                    least, chosen, mask = np.int64(total), advert, int(masks[node])
                elif total == least:
                    mask |= int(masks[node])
            hops = graph.hops(row, mask) if chosen is not None else ()
            if chosen is not None and hops:
                yield (
                    prefix,
                    Route(
                        prefix,
                        self.protocol,
                        habits.distance,
                        int(least),
                        hops,
                        chosen.origin.evidence(),
                        type=f"level-{level}",
                        origin=chosen.origin,
                    ),
                )

    def _attached(self, router: Router, graph: AreaGraph) -> list[Advert]:
        """The defaults that a router of level 1 makes itself, towards those that say they know
        other areas (ISO 10589, 7.2.9.2; measured on FRR 8.4: routers of both levels make none)."""
        process = router.process
        ignores = process.attached_receive is not None and not process.attached_receive.value
        if process.levels != {1} or ignores:
            return []
        out = []
        for name in graph.nodes:
            other = self.routers[name].process
            sends = other.attached_send is None or other.attached_send.value
            if name != router.device.name and 2 in self.routers[name].adjacent and sends:
                if other.levels == frozenset(LEVELS):
                    lines = (other.net.source,) if other.net is not None else ()
                    says = f"{name} says in level 1 that it knows other areas"
                    out.append(Advert(name, 0, Origin(name, says, lines)))
        return out

    def _graph(self, root: str, level: int) -> AreaGraph:
        """The ways of a level as one router sees them: it knows those whose announcements it
        takes, and understands those whose metrics it does."""
        usable = self._known(root, level)
        loaded = self._overloaded(root)
        key = (level, usable, root if loaded else "")
        found = self._graphs.get(key)
        if found is not None:
            return found
        graph = self._graphs[key] = AreaGraph(level)
        for name in sorted(usable):
            graph.node(name)
        apart = self._has_own_topology(root)
        for here, there in self._edges[level]:
            if here.device not in usable or there.device not in usable:
                continue
            if apart and not (_in_topology(here) and _in_topology(there)):
                continue
            if self._overloaded(here.device) and here.device != root:
                continue  # nothing passes it
            hops: tuple[NextHop, ...] = ()
            if there.enabled is not None and there.address is not None:
                hops = (NextHop("forward", there.address, here.interface.name),)
            start, end = graph.index[here.device], graph.index[there.device]
            graph.edges.append(Edge(start, end, here.costs[level], hops))
        graph.solve()
        return graph

    def _overloaded(self, name: str) -> bool:
        flag = self.routers[name].process.overload
        return flag is not None and flag.value

    def _known(self, root: str, level: int) -> frozenset[str]:
        """The routers of a level whose announcements reach one and are understood there."""
        key = ("known", root, level)
        held = self._reaching.get(key) if self._reaching is not None else None
        if held is None:
            self._spread(level)
            assert self._reaching is not None
            held = self._reaching[key]
        return held

    _reaching: dict[tuple[str, str, int], frozenset[str]] | None = None

    def _spread(self, level: int) -> None:
        """How far each router's announcements come: past those that take them."""
        near: dict[str, set[str]] = defaultdict(set)
        for here, there in self._edges[level]:
            near[here.device].add(there.device)
        members = [n for n, r in self.routers.items() if level in r.process.levels]
        keys = {n: _level_key(self.routers[n].process, level) for n in members}
        styles = {n: self._style_of(n) for n in members}

        def takes(name: str, other: str) -> bool:
            mine, theirs = keys[name], keys[other]
            return mine is None or (theirs is not None and mine.value == theirs.value)

        heard: dict[str, set[str]] = {name: {name} for name in members}
        plain = len({k.value if k else None for k in keys.values()}) < 2
        done: set[str] = set()
        for origin in members:
            if plain and origin in done:
                continue
            reached, waiting = {origin}, [origin]
            while waiting:
                for other in near.get(waiting.pop(), ()):
                    if other not in reached and (plain or takes(other, origin)):
                        reached.add(other)
                        waiting.append(other)
            if plain:
                done |= reached
                for name in reached:
                    heard[name] = reached
            else:
                for name in reached:
                    heard[name].add(origin)
        if self._reaching is None:
            self._reaching = {}
        cache: dict[tuple[int, str, bool], frozenset[str]] = {}
        for name in members:
            mark = (id(heard[name]), styles[name], self._has_own_topology(name))
            if mark not in cache:
                cache[mark] = frozenset(
                    n
                    for n in heard[name]
                    if _compatible(styles[name], styles[n])
                    and self._has_own_topology(n) == self._has_own_topology(name)
                )
            self._reaching["known", name, level] = cache[mark]

    def _has_own_topology(self, name: str) -> bool:
        flag = self.routers[name].process.own_topology
        return self.family == 6 and flag is not None and flag.value

    def _style_of(self, name: str) -> str:
        router = self.routers[name]
        style = router.process.style
        return style.value if style else router.device.profile.habit(IsisHabits).style


def _in_topology(end: IsisEnd) -> bool:
    """True if a link is in IPv6's own topology."""
    out = end.settings.left_out
    return end.enabled is not None and not (out is not None and out.value)


def _compatible(mine: str, theirs: str) -> bool:
    return mine == theirs or "transition" in (mine, theirs)


def _speak_all(network: Network, links: Links, families: Sequence[int]) -> list[IsisSpeakers]:
    return [IsisSpeakers(network, links, family) for family in families]


def _busy(device: Device, process: IsisProcess, links: Links) -> set[str]:
    ends = ends_of(device, process, links)
    return {end.interface.name for end in ends if end.enabled is not None}


ISIS = RoutingProtocol(NAMED, _speak_all, GATES, (), _busy)
