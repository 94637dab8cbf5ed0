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
from functools import cached_property

from ...network import claims
from ...network.addressing import Prefix
from ...network.claims import Claim
from ...network.facts import NONE, Device, End, Network, Unmodelled
from ...network.isis import (
    LEVELS,
    NAMED,
    IsisHabits,
    IsisProcess,
)
from ...network.routing import DefaultRoute, Redistribution
from ...network.source import Source
from ...step.links import Links
from ...step.routes import NextHop, Origin, Route
from ...step.rows import Offer, Reasons
from ...step.table import Table
from .. import vectors
from ..again import Told
from ..gates import Relation, Side, judge
from ..policy import Attributes, apply_route_map
from ..protocol import RoutingProtocol, Untold
from ..shortest import AreaGraph, Edge
from .chosen import Advert, Chosen, IsisRow
from .ends import DOWN, POINT_TO_POINT, UP, IsisEnd, ends_of
from .gates import GATES, level_key

Item = tuple[int, Prefix, int, Origin]
"""What a router announces beside its subnets: level, prefix, metric, origin."""


@dataclass(slots=True)
class Router:
    device: Device
    process: IsisProcess
    ends: list[IsisEnd] = field(default_factory=list)
    adjacent: set[int] = field(default_factory=set)
    """The levels in which it has a neighbour."""


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
        other for ever. And a router whose route map stands below the line that names it."""
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
        for name, router in self.routers.items():
            out.setdefault(name, []).extend(self._late_maps(router))
        return out

    def _late_maps(self, router: Router) -> Iterator[Unmodelled]:
        """What depends on whether a route map or the line that names it was there first."""
        device = router.device
        if not device.profile.habit(IsisHabits).maps_are_found_once:
            return
        for item in router.process.announced:
            line, name = item.what.source, item.what.route_map
            entries = device.policy.route_maps.get(name, ()) if name is not None else ()
            if line.line is None or not entries or item.level not in router.process.levels:
                continue
            if all(
                e.source.file == line.file and (e.source.line or 0) > line.line for e in entries
            ):
                why = (
                    f"the route map {name} stands below the line that names it: a router that "
                    "starts with this text does not find it, and announces nothing by that line; "
                    "one where it was typed first does"
                )
                yield Unmodelled(line, why, self.family, told=True, touches=NONE)

    def why_not_told(self, prefix: Prefix, holder: str, other: str) -> Untold | None:
        """Where it is announced in another level than the one in which the two are neighbours."""
        spoken = {
            level
            for level, edges in self._edges.items()
            if any(a.device == holder and b.device == other for a, b in edges)
        }
        origins = [
            (level, advert.origin)
            for level in LEVELS
            for advert in self._prefixes[level].get(prefix, ())
            if advert.router == holder
        ]
        told: dict[str, list[Item]] = self.given[-1][0] if self.given else {}  # type: ignore[assignment]
        origins += [(i[0], i[3]) for i in told.get(holder, ()) if i[1] == prefix]
        if not origins or not spoken:
            return None
        lines = tuple(line for _, origin in origins for line in origin.sources)
        if spoken.isdisjoint(level for level, _ in origins):
            where = " and ".join(str(level) for level in sorted({level for level, _ in origins}))
            says = (
                f"{holder} announces it in level {where}, and {other} is its neighbour in level "
                f"{' and '.join(map(str, sorted(spoken)))} alone."
            )
            return Untold(holder, says, lines)
        return Untold(holder, f"{holder} announces it, and {other} has none of it.", ())

    def areas(self) -> dict[str, list[str]]:
        """A router of the upper level joins the areas, so it stands for that."""
        return {
            name: ["level 2"] if 2 in router.adjacent else [f"area {router.process.area}"]
            for name, router in self.routers.items()
            if router.process.area
        }

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
                    port, into = end.interface.name, f"in level {level}"
                    origin = Origin(
                        Claim(claims.OWN, name, fact.connected, port, into),
                        (end.enabled, fact.source),
                    )
                    advert = Advert(name, end.costs[level], origin)
                    out.setdefault(fact.connected, []).append(advert)
        return out

    def told(self, tables: Mapping[tuple[str, int], Table]) -> dict[str, list[Item]]:
        """What each router announces beside its subnets."""
        out: dict[str, list[Item]] = {}
        for name, router in self.routers.items():
            found: list[Item] = []
            for item in router.process.announced:
                if item.level not in router.process.levels:
                    continue
                if isinstance(item.what, Redistribution):
                    what = item.what.protocol
                    if what == self.protocol:
                        continue
                    for route in tables[name, self.family].learned(what):
                        told = self._redistributed(router, route, item.what, item.level)
                        found += [told] if told is not None else []
                else:
                    told = self._default(router, tables[name, self.family], item.what, item.level)
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
        into = f"IS-IS, level {level}"
        claim = Claim(claims.REDISTRIBUTED, device.name, route.prefix, route.protocol, into)
        origin = Origin(claim, tuple(dict.fromkeys(because)), route.origin)
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
        claim = Claim(claims.DEFAULT, device.name, into=f"IS-IS, level {level}")
        return level, prefix, metric, Origin(claim, tuple(because))

    # -- ways ---------------------------------------------------------------------------

    def answer(self, told: dict[str, list[Item]]) -> dict[str, list[Offer]]:
        """The candidates of every router."""
        announced = {level: {p: [*a] for p, a in self._prefixes[level].items()} for level in LEVELS}
        for name, items in told.items():
            for level, prefix, metric, origin in items:
                announced[level].setdefault(prefix, []).append(Advert(name, metric, origin))
        default = Prefix(self.family, 0, 0)
        found = Chosen(self.routers, dict.fromkeys([*announced[1], *announced[2], default]))
        # Level 1 comes first: what it knows, level 2 does not replace.
        for level in LEVELS:
            roots: dict[int, list[str]] = {}
            graphs: dict[int, AreaGraph] = {}
            for name, router in self.routers.items():
                if level in router.process.levels:
                    graph = self._graph(name, level)
                    graphs[id(graph)] = graph
                    roots.setdefault(id(graph), []).append(name)
            for key, names in roots.items():
                graph = graphs[key]
                for name in names:
                    router = self.routers[name]
                    extra = self._attached(router, graph) if level == 1 else []
                    heard = self._heard(name, announced[level]).get(default, ())
                    itself = any(advert.router == name for advert in heard)
                    if (not extra and not itself) or found.hides(name, default):
                        continue
                    if not self._other_default(found, graph, name, level, heard) and extra:
                        found.one(graph, name, level, default, [*heard, *extra])
                deaf = [name for name in names if self._deaf(name)]
                for name in deaf:
                    found.enter(graph, [name], level, self._heard(name, announced[level]))
                found.enter(graph, [n for n in names if n not in deaf], level, announced[level])
        reasons = Reasons(found.origins)
        return {
            name: [IsisRow(found, row, reasons, router.device.profile.habit(IsisHabits).distance)]
            for row, (name, router) in enumerate(self.routers.items())
        }

    def _deaf(self, name: str) -> bool:
        """True for a router that uses nothing of what others announce."""
        return any(end.uses_no_ipv6 for end in self.routers[name].ends)

    def _heard(
        self, name: str, announced: dict[Prefix, list[Advert]]
    ) -> Mapping[Prefix, Sequence[Advert]]:
        """What a router uses of what is announced in a level, and what it announces itself."""
        if not self._deaf(name):
            return announced
        own = (
            (prefix, [a for a in told if a.router == name]) for prefix, told in announced.items()
        )
        return {prefix: mine for prefix, mine in own if mine}

    def _other_default(
        self, found: Chosen, graph: AreaGraph, name: str, level: int, heard: Sequence[Advert]
    ) -> bool:
        """Takes in the default that others announce, if that replaces the router's own and the one
        towards other areas."""
        habits = self.routers[name].device.profile.habit(IsisHabits)
        wide = [a for a in heard if a.router != name and self._style_of(a.router) != "narrow"]
        if not habits.announced_default_overrules or self.family == 6 or not wide:
            return False
        return found.one(graph, name, level, Prefix(self.family, 0, 0), wide)

    def _attached(self, router: Router, graph: AreaGraph) -> list[Advert]:
        """The defaults that a router of level 1 makes itself, towards those that say they know
        other areas (ISO 10589, 7.2.9.2). One of both levels does so, too, while it has no neighbour
        in level 2 (measured on FRR 8.4, `tests/real/test_isis.py`)."""
        process = router.process
        ignores = process.attached_receive is not None and not process.attached_receive.value
        if 2 in router.adjacent or ignores:
            return []
        out = []
        for name in graph.nodes:
            other = self.routers[name].process
            sends = other.attached_send is None or other.attached_send.value
            if name != router.device.name and 2 in self.routers[name].adjacent and sends:
                if other.levels == frozenset(LEVELS):
                    lines = (other.net.source,) if other.net is not None else ()
                    origin = Origin(Claim(claims.KNOWS_OTHERS, name), lines)
                    out.append(Advert(name, 0, origin))
        return out

    def _graph(self, root: str, level: int) -> AreaGraph:
        """The ways of a level as one router sees them: it knows those whose announcements it
        takes, and understands those whose metrics it does."""
        usable = self._known(root, level)
        own = self._overloaded(root) or root in self._beside_others[level]
        key = (level, usable, root if own else "")
        found = self._graphs.get(key)
        if found is not None:
            return found
        graph = self._graphs[key] = AreaGraph(level)
        for name in sorted(usable):
            graph.node(name)
        apart = self._has_own_topology(root)
        habits = self.routers[root].device.profile.habit(IsisHabits)
        passes = apart and habits.own_topology_passes_overloaded
        for here, there in self._edges[level]:
            if here.device not in usable or there.device not in usable:
                continue
            if apart and not (_in_topology(here) and _in_topology(there)):
                continue
            if self._overloaded(here.device) and here.device != root and not passes:
                continue  # nothing passes it
            hops: tuple[NextHop, ...] = ()
            if _carries(there):
                hops = (NextHop("forward", there.address, here.interface.name),)
            elif here.device == root and here.network == POINT_TO_POINT:
                continue  # whom it hears itself it knows not to carry the family
            start, end = graph.index[here.device], graph.index[there.device]
            graph.edges.append(Edge(start, end, here.costs[level], hops))
        graph.solve()
        return graph

    @cached_property
    def _beside_others(self) -> dict[int, set[str]]:
        """Per level the routers with a neighbour that does not carry the family, on a link of two:
        such a router goes another way, while all others take the link for one. On a segment it
        takes it for one itself, and then has none (RFC 1195; measured on FRR 8.4,
        `tests/real/test_isis.py`)."""
        return {
            level: {
                here.device
                for here, there in edges
                if not _carries(there) and here.network == POINT_TO_POINT
            }
            for level, edges in self._edges.items()
        }

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
        keys = {n: level_key(self.routers[n].process, level) for n in members}
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


def _carries(end: IsisEnd) -> bool:
    """True if packets of the family can be handed over on a link."""
    return end.enabled is not None and end.address is not None


def _in_topology(end: IsisEnd) -> bool:
    """True if a link is in IPv6's own topology."""
    out = end.settings.left_out
    return end.enabled is not None and not (out is not None and out.value)


def _compatible(mine: str, theirs: str) -> bool:
    return mine == theirs or "transition" in (mine, theirs)


def _speak_all(network: Network, links: Links, families: Sequence[int]) -> list[IsisSpeakers]:
    return [IsisSpeakers(network, links, family) for family in families]


ISIS = RoutingProtocol(NAMED, _speak_all, GATES, (), vectors.busy(ends_of))
