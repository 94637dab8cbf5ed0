"""All routers of one OSPF version together: areas, borders, externals, and each one's routes.

RFC 2328, sections 12.4.3 (what borders announce), 16.2 (inter-area routes), 16.4
(externals). The order follows from who depends on whom: paths inside every area; what
borders announce into the backbone; the borders' own inter-area routes; what they announce
into the other areas; externals on top of all that.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import NamedTuple

from ...network.addressing import Address, Prefix, host_prefix, prefix_of
from ...network.facts import Device, Network, Unmodelled
from ...network.routing import AreaRange, OspfArea, OspfProcess
from ...network.source import Source
from ..links import Links
from ..policy import filter_permits
from ..routes import NextHop, Origin, Refusal, Route
from .externals import External
from .interfaces import LOOPBACK, ONE_OF_MANY, SHARED, OspfEnd, ends_of
from .neighbours import Adjacencies, dotted, find
from .spf import FAR, Advert, AreaGraph, Edge, Key, hop_order

BACKBONE = 0
INTRA, INTER, EXTERNAL_1, EXTERNAL_2 = 0, 1, 2, 3
TYPES = ("intra-area", "inter-area", "external-1", "external-2", "nssa-1", "nssa-2")
_UNREACHABLE = 0xFFFFFF
_AVOID = 0xFF0000
"""The cost of a summary by a router that is not to be passed (RFC 6987, section 2)."""


class Best(NamedTuple):
    """A router's own choice for a key: kind, cost, next hops, area and origin."""

    kind: int
    cost: int
    hops: tuple[NextHop, ...]
    area: int
    origin: Origin
    metric2: int = 0
    own: str | None = None
    """The interface, if this is a subnet of the router's own."""
    nssa: bool = False
    tag: int = 0


@dataclass
class Router:
    """One OSPF router: its process, its ends, the areas it is active in."""

    device: Device
    process: OspfProcess
    ends: list[OspfEnd]
    areas: list[int] = field(default_factory=list)
    is_border: bool = False
    best: dict[Key, Best] = field(default_factory=dict)
    ways: dict[str, list[Best]] = field(default_factory=dict)
    """To each router that announces or passes on: the best way of every area."""
    discards: list[tuple[AreaRange, int]] = field(default_factory=list)

    @cached_property
    def internal_lengths(self) -> list[int]:
        """The prefix lengths of internal ways, longest first."""
        found = {key.length for key in self.best if isinstance(key, Prefix)}
        return sorted(found, reverse=True)

    def area(self, number: int) -> OspfArea:
        return self.process.areas.get(number) or OspfArea(number)


class OspfDomain:
    """One version of OSPF over a whole network.

    `adjacencies` holds every neighbour relation. `routes` gives the candidates of every
    router for a given set of externals; everything below externals is computed once.
    """

    def __init__(self, network: Network, links: Links, version: int) -> None:
        self.version, self.family = version, 4 if version == 2 else 6
        self.routers: dict[str, Router] = {}
        for device in network.devices:
            for process in device.routing.ospf:
                if process.version == version:
                    ends = ends_of(device, process, links)
                    self.routers[device.name] = Router(device, process, ends)
        everyone = [end for router in self.routers.values() for end in router.ends]
        self.adjacencies: Adjacencies = find(everyone, links)
        self.graphs: dict[int, AreaGraph] = {}
        self._origins: dict[tuple[str, Prefix], Origin] = {}
        self._internal: dict[str, list[Route]] = {}
        self._lines: dict[int, tuple[Origin, tuple[Source, ...]]] = {}
        if self.routers:
            self._build()
            self._inside()
            self._between()

    # -- the areas' graphs ----------------------------------------------------------------

    def _build(self) -> None:
        for name, router in self.routers.items():
            areas = {e.area.value for e in router.ends if e.active and e.area is not None}
            router.areas = sorted(areas)
            for number in router.areas:
                self._graph(number).node(name)
        in_transit: set[int] = set()
        for group in self.adjacencies.groups:
            chosen = group.designated
            if chosen is None or chosen.area is None:
                continue
            if chosen.network_type not in SHARED:
                # The others wait for a network that this end, being point to point, never makes.
                in_transit |= {id(e) for e in group.members if e.network_type in SHARED}
                continue
            attached = [chosen]
            for left, right in self.adjacencies.full:
                other = right if left is chosen else left if right is chosen else None
                if other is not None and _same_kind(chosen, other):
                    attached.append(other)
            if len(attached) < 2:
                continue
            graph = self._graph(chosen.area.value)
            for one in attached:
                in_transit.add(id(one))
                for prefix, _ in chosen.prefixes:
                    self._advertise(graph, one, prefix, _transit_cost(one), True)
                for other in attached:
                    if other is not one:
                        self._edge(graph, one, other)
        for left, right in self.adjacencies.full:
            if left.area is None or id(left) in in_transit or id(right) in in_transit:
                continue
            if not _same_kind(left, right) or left.network_type in SHARED:
                continue
            graph = self._graph(left.area.value)
            self._edge(graph, left, right)
            self._edge(graph, right, left)
        for router in self.routers.values():
            for end in router.ends:
                if end.active and end.area is not None and id(end) not in in_transit:
                    self._stub(end)

    def _graph(self, number: int) -> AreaGraph:
        graph = self.graphs.get(number)
        if graph is None:
            graph = self.graphs[number] = AreaGraph(number)
        return graph

    def _edge(self, graph: AreaGraph, start: OspfEnd, end: OspfEnd) -> None:
        cost = _transit_cost(start)
        hop = NextHop("forward", end.address, start.interface.name)
        graph.edges.append(Edge(graph.node(start.device), graph.node(end.device), cost, (hop,)))

    def _stub(self, end: OspfEnd) -> None:
        assert end.area is not None
        graph = self._graph(end.area.value)
        for prefix, _ in end.prefixes:
            if end.network_type == LOOPBACK and end.process.version == 2:
                if end.address is not None:
                    self._advertise(graph, end, host_prefix(end.address), 0)
            elif end.network_type == "point-to-multipoint" and end.address is not None:
                self._advertise(graph, end, host_prefix(end.address), 0)
            else:
                self._advertise(graph, end, prefix, end.cost)

    def _advertise(
        self, graph: AreaGraph, end: OspfEnd, prefix: Prefix, cost: int, transit: bool = False
    ) -> None:
        assert end.area is not None
        key = (f"{end.device} {end.interface.name} {end.area.value}", prefix)
        origin = self._origins.get(key)
        if origin is None:
            lines = [end.area.source]
            for held, source in end.prefixes:
                if held.covers(prefix):
                    lines.append(source)
            says = (
                f"{end.device} announces {prefix} of its {end.interface.name} in area "
                f"{dotted(end.area.value)}"
            )
            origin = self._origins[key] = Origin(end.device, says, tuple(lines))
        advert = Advert(graph.node(end.device), cost, origin, end.interface.name, transit)
        graph.adverts.setdefault(prefix, []).append(advert)

    # -- inside the areas, and which routers are borders --------------------------------------

    def _inside(self) -> None:
        for number, graph in self.graphs.items():
            if number != BACKBONE:
                graph.solve()
        self._virtual_links()
        if BACKBONE in self.graphs:
            self.graphs[BACKBONE].solve()
        for router in self.routers.values():
            kind = router.process.border_type or router.device.profile.ospf.border_type
            configured = len(set(router.process.areas) | set(router.areas))
            active = len(router.areas)
            backbone = BACKBONE in router.areas
            if kind == "standard":
                router.is_border = active > 1
            elif kind == "ibm":
                router.is_border = active > 1 and BACKBONE in router.process.areas
            else:
                router.is_border = configured > 1 and backbone
        for number, graph in self.graphs.items():
            for node, name in enumerate(graph.nodes):
                origin = Origin(name, f"{name} is in area {dotted(number)}")
                graph.adverts[("router", name)] = [Advert(node, 0, origin)]
            for key, adverts in graph.adverts.items():
                total, masks, who = graph.column(adverts)
                for node, name in enumerate(graph.nodes):
                    cost = total[node]
                    if cost >= FAR:
                        continue
                    nearest = adverts[who[node]]
                    origin = nearest.origin
                    own = nearest.interface if nearest.node == node else None
                    router = self.routers[name]
                    if own is not None and len(adverts) > 1:
                        if router.device.profile.ospf.own_stub_blinds_to_transit:
                            if _is_blind(graph, adverts, node):
                                continue
                    hops = graph.hops(node, masks[node])
                    if own is not None:
                        hops = (NextHop("forward", None, own), *hops)
                    best = Best(INTRA, cost, hops, number, origin, own=own)
                    if isinstance(key, Prefix):
                        _offer(router.best, key, best)
                    elif key[1] != name:
                        router.ways.setdefault(key[1], []).append(best)

    def _virtual_links(self) -> None:
        """Backbone adjacencies across another area (RFC 2328, section 15)."""
        wanted: dict[tuple[str, int], tuple[int, Source]] = {}
        by_id = {}
        for name, router in self.routers.items():
            identity = router.ends[0].router_id if router.ends else None
            if identity is not None:
                by_id[identity.value] = name
            for area in router.process.areas.values():
                for link in area.virtual_links:
                    wanted[name, link.neighbour] = (area.id, link.source)
        for (name, neighbour), (number, _) in wanted.items():
            other = by_id.get(neighbour)
            graph = self.graphs.get(number)
            mine = self.routers[name].ends[0].router_id
            if other is None or graph is None or mine is None:
                continue
            back = wanted.get((other, mine.value))
            if back is None or back[0] != number or not {name, other} <= graph.index.keys():
                continue
            start, end = graph.index[name], graph.index[other]
            cost = int(graph.distance[start, end])
            if cost >= FAR:
                continue
            backbone = self._graph(BACKBONE)
            hops = graph.hops(start, int(graph.masks[start, end]))
            edge = Edge(backbone.node(name), backbone.node(other), cost, hops)
            backbone.edges.append(edge)
            for device in (name, other):
                router = self.routers[device]
                if BACKBONE not in router.areas:
                    router.areas = sorted({*router.areas, BACKBONE})

    # -- between the areas ---------------------------------------------------------------------

    def _between(self) -> None:
        borders = [router for router in self.routers.values() if router.is_border]
        into: dict[int, dict[Key, list[Advert]]] = defaultdict(dict)
        for router in borders:
            for number in router.areas:
                self._announce_area(router, number, into)
        self._learn(BACKBONE, into.get(BACKBONE, {}))
        for router in borders:
            self._announce_backbone(router, into)
            self._announce_defaults(router, into)
        for number, summaries in into.items():
            if number != BACKBONE:
                self._learn(number, summaries)

    def _announce_area(
        self, border: Router, number: int, into: dict[int, dict[Key, list[Advert]]]
    ) -> None:
        """What a border announces of one of its areas into its others (12.4.3)."""
        facts = border.area(number)
        name = border.device.name
        parts: dict[Prefix, list[Best]] = {}
        transit = any(True for _ in facts.virtual_links)
        for key, best in border.best.items():
            if best.kind != INTRA or best.area != number or best.cost >= _UNREACHABLE:
                continue
            assert isinstance(key, Prefix)
            if self._denied(border, facts, "out", key) is not None:
                continue
            inside = [r for r in facts.ranges if r.prefix.covers(key)]
            if inside and not transit:
                found = max(inside, key=lambda r: r.prefix.length)
                parts.setdefault(found.prefix, []).append(best)
                continue
            for target in border.areas:
                if target != number:
                    self._summary(border, number, target, key, best, into)
        for other in border.ways:
            way = self._best_way(border, other)
            if way is None or way.kind != INTRA or way.area != number:
                continue
            if facts.kind == "normal" and self._announces(other, number):
                for target in border.areas:
                    if target != number:
                        self._summary(border, number, target, ("router", other), way, into)
        for item in facts.ranges:
            members = parts.get(item.prefix)
            if not members:
                continue
            border.discards.append((item, number))
            if not item.advertise:
                continue
            cost = item.cost
            if cost is None:
                lowest = (
                    border.process.rfc1583 or border.device.profile.ospf.range_keeps_lowest_cost
                )
                cost = (min if lowest else max)(m.cost for m in members)
            says = f"{name} announces {item.prefix} for its area {dotted(number)}"
            origin = Origin(name, says, (item.source,), members[0].origin)
            for target in border.areas:
                if target != number:
                    graph = self.graphs[target]
                    advert = Advert(graph.node(name), _summary_cost(border, cost), origin)
                    shown = item.substitute or item.prefix
                    into[target].setdefault(shown, []).append(advert)

    @staticmethod
    def _denied(border: Router, area: OspfArea, direction: str, prefix: Prefix) -> Refusal | None:
        """The filter of an area that keeps a prefix from being announced."""
        for item in area.filters:
            if item.direction == direction:
                permit, line = filter_permits(
                    border.device.policy, item.kind, item.name, prefix, missing=True
                )
                if not permit:
                    why = f"{border.device.name}'s filter {item.name} denies {prefix}"
                    return Refusal(why, (item.source, *((line,) if line else ())))
        return None

    def why_not_passed(self, name: str, prefix: Prefix, target: int) -> Refusal | None:
        """Why a border does not announce a prefix it holds into an area."""
        router = self.routers[name]
        best = router.best.get(prefix)
        if best is None or not router.is_border or target not in router.areas:
            return None
        if best.area == target:
            return None
        if best.kind == INTRA:
            facts = router.area(best.area)
            denied = self._denied(router, facts, "out", prefix)
            if denied is not None:
                return denied
            for item in facts.ranges:
                if item.prefix.covers(prefix):
                    word = "announces" if item.advertise else "hides"
                    return Refusal(f"{name}'s range {item.prefix} {word} it", (item.source,))
        elif best.area != BACKBONE:
            return Refusal(f"{name} has it from another area than the backbone")
        return self.obstacle(router, target, prefix, best)

    def _announces(self, name: str, number: int) -> bool:
        """True if a router shows itself in an area as one that may announce externals.

        In a stub area it never does (RFC 2328, A.4.2: bit E).
        """
        router = self.routers[name]
        if router.area(number).kind == "stub":
            return False
        process = router.process
        if process.redistribute or process.default is not None:
            return True
        return router.is_border and any(router.area(n).kind == "nssa" for n in router.areas)

    @staticmethod
    def _best_way(router: Router, announcer: str) -> Best | None:
        """The preferred of several ways to a router (16.4.1): inside another area first."""
        ways = router.ways.get(announcer)
        if not ways:
            return None
        if not router.process.rfc1583:
            ways = [w for w in ways if w.kind == INTRA and w.area != BACKBONE] or ways
        return min(ways, key=lambda way: (way.cost, -way.area))

    def _way_to(self, router: Router, announcer: str) -> Best | None:
        """The way to a router that announces externals (16.4 (3))."""
        chosen = self._best_way(router, announcer)
        if chosen is not None and chosen.kind == INTRA:
            if not self._announces(announcer, chosen.area):
                return None
        return chosen

    def _summary(
        self,
        border: Router,
        source: int,
        target: int,
        key: Key,
        best: Best,
        into: dict[int, dict[Key, list[Advert]]],
    ) -> None:
        if self.obstacle(border, target, key, best) is not None:
            return
        name = border.device.name
        what = str(key) if isinstance(key, Prefix) else key[1]
        says = f"{name} announces {what} from area {dotted(source)} into area {dotted(target)}"
        graph = self.graphs[target]
        origin = Origin(name, says, (), best.origin)
        advert = Advert(graph.node(name), _summary_cost(border, best.cost), origin)
        into[target].setdefault(key, []).append(advert)

    def obstacle(self, border: Router, target: int, key: Key, best: Best) -> Refusal | None:
        """What keeps a border from announcing a route of its own into an area."""
        facts = border.area(target)
        name = border.device.name
        lines = (facts.kind_source,) if facts.kind_source else ()
        if facts.kind != "normal":
            where = f"area {dotted(target)} is {'a stub area' if facts.kind == 'stub' else 'NSSA'}"
            if not isinstance(key, Prefix):
                return Refusal(f"{where}, which takes no externals from elsewhere", lines)
            if not facts.summaries:
                return Refusal(f"{where} without summaries on {name}", lines)
        if isinstance(key, Prefix):
            denied = self._denied(border, facts, "in", key)
            if denied is not None:
                return denied
        exits = {end.interface.name for end in border.ends if end.area and end.area.value == target}
        if best.hops and all(hop.interface in exits for hop in best.hops):
            return Refusal(f"{name} reaches it through area {dotted(target)} itself")
        return None

    def _announce_backbone(self, border: Router, into: dict[int, dict[Key, list[Advert]]]) -> None:
        """What a border announces into its other areas of what it learned in the backbone."""
        for key, best in border.best.items():
            if best.kind != INTER or best.area != BACKBONE or best.cost >= _UNREACHABLE:
                continue
            for target in border.areas:
                if target != BACKBONE:
                    self._summary(border, BACKBONE, target, key, best, into)
        for other in border.ways:
            way = self._best_way(border, other)
            if way is not None and way.kind == INTER and way.area == BACKBONE:
                for target in border.areas:
                    if target != BACKBONE:
                        self._summary(border, BACKBONE, target, ("router", other), way, into)

    def _announce_defaults(self, border: Router, into: dict[int, dict[Key, list[Advert]]]) -> None:
        """The default route into stub areas (RFC 2328, 12.4.3.1)."""
        name = border.device.name
        for number in border.areas:
            facts = border.area(number)
            if facts.kind == "normal" or number == BACKBONE or facts.kind_source is None:
                continue
            cost = facts.default_cost.value if facts.default_cost else 1
            says = f"{name} announces a default route into the {facts.kind} area {dotted(number)}"
            origin = Origin(name, says, (facts.kind_source,))
            graph = self.graphs[number]
            advert = Advert(graph.node(name), _summary_cost(border, cost), origin)
            into[number].setdefault(Prefix(self.family, 0, 0), []).append(advert)

    @cached_property
    def _in_backbone(self) -> set[str]:
        """Routers with a full neighbour in the backbone: borders among them learn there alone."""
        found = set()
        for left, right in self.adjacencies.full:
            if left.area is not None and left.area.value == BACKBONE:
                found |= {left.device, right.device}
        backbone = self.graphs.get(BACKBONE)
        if backbone is not None:
            for edge in backbone.edges:
                found |= {backbone.nodes[edge.start], backbone.nodes[edge.end]}
        return found

    def _learn(self, number: int, summaries: dict[Key, list[Advert]]) -> None:
        """Inter-area routes of the routers in one area, from what borders announce there."""
        graph = self.graphs.get(number)
        if graph is None:
            return
        listeners = [
            (node, self.routers[name])
            for node, name in enumerate(graph.nodes)
            if number == BACKBONE
            or not self.routers[name].is_border
            or name not in self._in_backbone
        ]
        for key, adverts in summaries.items():
            total, masks, who = graph.column(adverts)
            announcers = {advert.node for advert in adverts}
            is_prefix = isinstance(key, Prefix)
            for node, router in listeners:
                cost, mask = total[node], masks[node]
                origin = adverts[who[node]].origin
                if node in announcers:
                    # A router does not learn from its own announcement.
                    used = [advert for advert in adverts if advert.node != node]
                    if not used:
                        continue
                    other, their_masks, which = graph.column(used)
                    cost, mask = other[node], their_masks[node]
                    origin = used[which[node]].origin
                if cost >= _UNREACHABLE or not mask:
                    continue
                if router.is_border and isinstance(key, Prefix):
                    if self._inside_own_range(router, key):
                        continue
                    if key.is_default and router.area(number).kind != "normal":
                        continue  # a border takes no default from a stub area of its own
                best = Best(INTER, cost, graph.hops(node, mask), number, origin)
                if is_prefix:
                    _offer(router.best, key, best)
                elif not any(way.kind == INTRA for way in router.ways.get(str(key[1]), ())):
                    router.ways.setdefault(str(key[1]), []).append(best)

    def _inside_own_range(self, router: Router, prefix: Prefix) -> bool:
        if not router.is_border or not router.device.profile.ospf.ranges_hide_others:
            return False
        return any(item.prefix.covers(prefix) for item, _ in router.discards)

    # -- externals -------------------------------------------------------------------------

    def routes(self, announced: dict[str, list[External]]) -> dict[str, list[Route]]:
        """The candidates of every router, given what each announces as external."""
        everywhere, within = self._spread(announced)
        out: dict[str, list[Route]] = {}
        for name, router in self.routers.items():
            internal = self._internal.get(name)
            if internal is None:
                internal = self._internal[name] = [
                    *self._candidates(router, router.best),
                    *self._discards(router),
                ]
            found: dict[Key, Best] = {}
            self._externals(router, found, everywhere, within)
            out[name] = [*internal, *self._candidates(router, found)]
        return out

    def _spread(
        self, announced: dict[str, list[External]]
    ) -> tuple[list[External], dict[int, list[External]]]:
        """Which externals travel everywhere, and which stay inside one area (RFC 3101)."""
        everywhere: list[External] = []
        within: dict[int, list[External]] = defaultdict(list)
        for name, externals in announced.items():
            router = self.routers[name]
            normal = any(router.area(number).kind == "normal" for number in router.areas)
            for item in externals:
                if normal:
                    everywhere.append(item)
                for number in router.areas:
                    if router.area(number).kind != "nssa":
                        continue
                    forward = item.forward
                    if forward is None and not router.is_border:
                        forward = self._address_in(router, number)
                    within[number].append(
                        External(
                            item.announcer,
                            item.prefix,
                            item.metric,
                            item.metric_type,
                            forward,
                            item.origin,
                            number,
                            not router.is_border,
                            item.tag,
                        )
                    )
        for router in self.routers.values():
            self._nssa_defaults(router, within)
        self._translate(everywhere, within)
        return everywhere, within

    def _nssa_defaults(self, router: Router, within: dict[int, list[External]]) -> None:
        if not router.is_border:
            return
        for number in router.areas:
            statement = router.area(number).nssa_default
            if statement is None:
                continue
            name = router.device.name
            says = f"{name} announces a default route into the area {dotted(number)}"
            within[number].append(
                External(
                    name,
                    Prefix(self.family, 0, 0),
                    1 if statement.metric is None else statement.metric,
                    statement.metric_type or 2,
                    None,
                    Origin(name, says, (statement.source,)),
                    number,
                )
            )

    def _translate(self, everywhere: list[External], within: dict[int, list[External]]) -> None:
        """The border with the highest router id announces an area's externals to the rest."""
        for number, items in within.items():
            graph = self.graphs[number]
            borders = [self.routers[n] for n in graph.nodes if self.routers[n].is_border]
            always = [r for r in borders if r.area(number).translate == "always"]
            able = [r for r in borders if r.area(number).translate != "never"]
            able.sort(key=lambda r: r.ends[0].router_id.value if r.ends[0].router_id else 0)
            for border in {r.device.name: r for r in (*always, *able[-1:])}.values():
                name = border.device.name
                for item in items:
                    if not item.translate or item.announcer == name:
                        continue
                    if item.announcer not in border.ways:
                        continue
                    says = f"{name} passes {item.prefix} on from area {dotted(number)}"
                    passed = External(
                        name,
                        item.prefix,
                        item.metric,
                        item.metric_type,
                        item.forward,
                        Origin(name, says, (), item.origin),
                        tag=item.tag,
                    )
                    if border.device.profile.ospf.translation_resets_metric:
                        habits = border.device.profile.ospf
                        metric = habits.redistribute_metric
                        if item.prefix.is_default:
                            metric = habits.default_metric_always
                        passed = replace(passed, metric=metric, tag=0)
                    everywhere.append(passed)

    @staticmethod
    def _address_in(router: Router, number: int) -> Address | None:
        """The address by which a router is reached inside an area."""
        candidates = [
            end
            for end in router.ends
            if end.active and end.area is not None and end.area.value == number
        ]
        # The first that was switched on: in the order of the statements, then by name.
        candidates.sort(key=lambda end: (end.area.source.line or 0, end.interface.name))  # type: ignore[union-attr]
        return candidates[0].address if candidates else None

    def _externals(
        self,
        router: Router,
        found: dict[Key, Best],
        everywhere: list[External],
        within: dict[int, list[External]],
    ) -> None:
        heard: list[External] = []
        if any(router.area(number).kind == "normal" for number in router.areas):
            heard += everywhere
        for number in router.areas:
            heard += within.get(number, ())
        internal: list[int] | None = None
        for item in heard:
            if item.announcer == router.device.name:
                continue
            to = self._way_to(router, item.announcer)
            if to is None or not to.hops:
                continue
            way: Best | None = to
            if item.forward is not None:
                if internal is None:
                    internal = router.internal_lengths
                way = _forward_route(router.best, internal, item.forward)
                if way is None:
                    continue
            assert way is not None
            hops = way.hops
            if item.forward is not None and way.own is not None:
                hops = (NextHop("forward", item.forward, way.own),)
            kind = EXTERNAL_1 if item.metric_type == 1 else EXTERNAL_2
            cost = way.cost + (item.metric if kind == EXTERNAL_1 else 0)
            offer = Best(
                kind,
                cost,
                hops,
                to.area,
                item.origin,
                item.metric if kind == EXTERNAL_2 else 0,
                None,
                item.area is not None,
                item.tag,
            )
            if item.prefix not in router.best:
                _offer_external(found, item.prefix, offer)

    def twins(self) -> list[tuple[int, Router, Router]]:
        """(area, router, router) that have one router id and reach each other in that area."""
        out = []
        for number, graph in sorted(self.graphs.items()):
            held: dict[int, list[int]] = defaultdict(list)
            for node, name in enumerate(graph.nodes):
                identity = self.routers[name].ends[0].router_id
                if identity is not None:
                    held[identity.value].append(node)
            for nodes in held.values():
                for index, one in enumerate(nodes):
                    for other in nodes[index + 1 :]:
                        if graph.distance[one, other] < FAR:
                            pair = (graph.nodes[one], graph.nodes[other])
                            out.append((number, self.routers[pair[0]], self.routers[pair[1]]))
        return out

    def doubts(self) -> dict[str, list[Unmodelled]]:
        """What two routers with one router id announce replaces each other for ever (13.4)."""
        out: dict[str, list[Unmodelled]] = defaultdict(list)
        for number, one, other in self.twins():
            identity = one.ends[0].router_id
            assert identity is not None
            names = f"{one.device.name} and {other.device.name}"
            why = (
                f"{names} have one router id, {dotted(identity.value)}, in area "
                f"{dotted(number)}, so what they announce replaces each other for ever"
            )
            graph = self.graphs[number]
            start = graph.index[one.device.name]
            for node, name in enumerate(graph.nodes):
                if graph.distance[start, node] < FAR:
                    out[name].append(Unmodelled(identity.source, why, self.family))
        return out

    # -- candidates for the table -------------------------------------------------------------

    def _candidates(self, router: Router, best: dict[Key, Best]) -> list[Route]:
        process = router.process
        habits = router.device.profile.ospf
        fallback = process.distance.get("all", habits.distance)
        distances = (
            process.distance.get("intra-area", fallback),
            process.distance.get("inter-area", fallback),
            process.distance.get("external", fallback),
            process.distance.get("external", fallback),
        )
        limit = process.max_paths.value if process.max_paths else None
        out: list[Route] = []
        evidence = self._evidence
        for key, item in best.items():
            if not isinstance(key, Prefix) or not item.hops:
                continue
            hops = item.hops if limit is None else item.hops[:limit]
            kind = item.kind + 2 if item.nssa else item.kind
            metric = item.metric2 if item.kind == EXTERNAL_2 else item.cost
            out.append(
                Route(
                    key,
                    "ospf",
                    distances[item.kind],
                    metric,
                    hops,
                    evidence(item.origin),
                    type=TYPES[kind],
                    origin=item.origin,
                    tag=item.tag,
                )
            )
        return out

    def _discards(self, router: Router) -> list[Route]:
        """What a border holds for its ranges, so that nothing in them loops."""
        habits = router.device.profile.ospf
        if not habits.range_discards:
            return []
        distance = router.process.distance.get("all", habits.distance)
        return [
            _discard(found, distance)
            for found, _ in router.discards
            if (found.advertise or habits.hidden_range_discards) and found.prefix not in router.best
        ]

    def _evidence(self, origin: Origin) -> tuple[Source, ...]:
        found = self._lines.get(id(origin))
        if found is None:
            # The origin is kept beside its lines, so that no other can take its identity.
            found = self._lines[id(origin)] = (origin, origin.evidence())
        return found[1]


def _discard(found: AreaRange, distance: int) -> Route:
    origin = Origin(
        found.source.device,
        f"{found.source.device} discards what lies in its range {found.prefix} and in no "
        "network of it",
        (found.source,),
    )
    return Route(
        found.prefix,
        "ospf",
        distance,
        0,
        (NextHop("discard"),),
        (found.source,),
        type="summary",
        origin=origin,
    )


def _summary_cost(border: Router, cost: int) -> int:
    """What a border says a route of its costs; one that is not to be passed says "much"."""
    stub = border.process.stub_router
    return _AVOID if stub is not None and stub.value else cost


def _transit_cost(end: OspfEnd) -> int:
    """The cost of a way through a router; one that is told not to be passed says so."""
    stub = end.process.stub_router
    return ONE_OF_MANY if stub is not None and stub.value else end.cost


def _same_kind(left: OspfEnd, right: OspfEnd) -> bool:
    """True if both treat the link alike: one of many, or point to point."""
    return (left.network_type in SHARED) == (right.network_type in SHARED)


def _is_blind(graph: AreaGraph, adverts: list[Advert], node: int) -> bool:
    """True if a router's own nearer subnet is a network that others share without it."""
    if any(a.node == node and a.transit for a in adverts):
        return False
    return any(a.transit and graph.distance[node, a.node] < FAR for a in adverts)


def _offer(best: dict[Key, Best], key: Key, offer: Best) -> None:
    """Keeps the better of two internal ways; equal ones share (16.1, 16.2)."""
    held = best.get(key)
    if held is None or (offer.kind, offer.cost) < (held.kind, held.cost):
        best[key] = offer
    elif (offer.kind, offer.cost) == (held.kind, held.cost) and held.own is None:
        hops = tuple(sorted({*held.hops, *offer.hops}, key=hop_order))
        best[key] = held._replace(hops=hops)


def _offer_external(best: dict[Key, Best], prefix: Prefix, offer: Best) -> None:
    """Keeps the better of two externals (16.4.1, 16.4 (6)); internal ways always win."""
    held = best.get(prefix)
    rank = (offer.kind, offer.metric2, offer.cost)
    if held is None or rank < (held.kind, held.metric2, held.cost):
        best[prefix] = offer
    elif rank == (held.kind, held.metric2, held.cost):
        hops = tuple(sorted({*held.hops, *offer.hops}, key=hop_order))
        best[prefix] = held._replace(hops=hops)


def _forward_route(best: dict[Key, Best], lengths: list[int], address: Address) -> Best | None:
    """The internal way to a forwarding address (16.4 (3)); None if there is none."""
    for length in lengths:
        found = best.get(prefix_of(address, length))
        if found is not None and found.kind in (INTRA, INTER):
            return found
    return None
