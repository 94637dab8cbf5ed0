"""What borders announce between areas, and what the routers there make of it.

RFC 2328, sections 12.4.3 (what borders announce), 16.2 (inter-area routes), 16.4.1 (the
way to a router that announces externals).
"""

from __future__ import annotations

from collections import defaultdict
from functools import cached_property

from ...network.addressing import Prefix, dotted
from ...network.ospf import OspfArea, OspfHabits
from ..policy import filter_permits
from ..routes import Origin, Refusal
from .neighbours import Adjacencies
from .router import BACKBONE, INTER, INTRA, Best, Router, offer
from .spf import Advert, AreaGraph, Key, hop_order
from .virtual import VirtualEnd

_UNREACHABLE = 0xFFFFFF
_PASSES = 4
"""How often ways through crossed areas are looked for: each may make another one shorter."""
_AVOID = 0xFF0000
"""The cost of a summary by a router that is not to be passed (RFC 6987, section 2)."""


class Borders:
    """Everything that happens between areas; fills in the routers' inter-area choices."""

    def __init__(
        self,
        family: int,
        routers: dict[str, Router],
        graphs: dict[int, AreaGraph],
        adjacencies: Adjacencies,
    ) -> None:
        self.family, self.routers, self.graphs = family, routers, graphs
        self.adjacencies = adjacencies
        self._between()

    def _between(self) -> None:
        borders = [router for router in self.routers.values() if router.is_border]
        into: dict[int, dict[Key, list[Advert]]] = defaultdict(dict)
        for router in borders:
            for number in router.areas:
                self._announce_area(router, number, into)
        self._learn(BACKBONE, into.get(BACKBONE, {}))
        for router in borders:
            self._announce_backbone(router, into)
        for _ in range(_PASSES):
            if not self._shorten(into):
                break
            into = defaultdict(dict)
            for router in borders:
                router.discards.clear()
                for number in router.areas:
                    self._announce_area(router, number, into)
                self._announce_backbone(router, into)
        for router in borders:
            self._announce_defaults(router, into)
        for number, summaries in into.items():
            if number != BACKBONE:
                self._learn(number, summaries)

    def _shorten(self, into: dict[int, dict[Key, list[Advert]]]) -> bool:
        """Backbone ways over a virtual link made shorter through the area that it crosses, by
        what other borders announce there (RFC 2328, 16.3); True if any is."""
        crossed = {
            relation.ends[0].area
            for relation in self.adjacencies.relations
            if isinstance(relation.ends[0], VirtualEnd) and relation.works
        }
        changed = False
        for number in sorted(crossed):
            graph = self.graphs[number]
            for key, adverts in into.get(number, {}).items():
                for node, name in enumerate(graph.nodes):
                    router = self.routers[name]
                    if not router.is_border or name not in self._in_backbone:
                        continue
                    others = [advert for advert in adverts if advert.node != node]
                    if others and self._shortened(router, graph, key, others):
                        changed = True
        return changed

    @staticmethod
    def _shortened(router: Router, graph: AreaGraph, key: Key, adverts: list[Advert]) -> bool:
        node = graph.index[router.device.name]
        total, masks, who = graph.column(adverts)
        cost, hops = total[node], graph.hops(node, masks[node])
        if cost >= _UNREACHABLE or not hops:
            return False

        def shorter(held: Best) -> Best | None:
            if held.area != BACKBONE or held.own is not None or cost > held.cost:
                return None
            if cost < held.cost:
                return held._replace(cost=cost, hops=hops, origin=adverts[who[node]].origin)
            both = tuple(sorted({*held.hops, *hops}, key=hop_order))
            return held._replace(hops=both) if both != held.hops else None

        if isinstance(key, Prefix):
            held = router.best.get(key)
            better = shorter(held) if held is not None and held.kind in (INTRA, INTER) else None
            if better is not None:
                router.best[key] = better
            return better is not None
        ways = router.ways.get(key[1], [])
        changed = False
        for at, way in enumerate(ways):
            better = shorter(way)
            if better is not None:
                ways[at], changed = better, True
        return changed

    def _announce_area(
        self, border: Router, number: int, into: dict[int, dict[Key, list[Advert]]]
    ) -> None:
        """What a border announces of one of its areas into its others (12.4.3)."""
        facts = border.area(number)
        name = border.device.name
        parts: dict[Prefix, list[Best]] = {}
        transit = any(link.area == number for link in border.process.virtual_links)
        taken = _names_taken(border)
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
            if key.length < taken.get(key.network, 0):
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
                    border.process.rfc1583
                    or border.device.profile.habit(OspfHabits).range_keeps_lowest_cost
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

    def _best_way(self, router: Router, announcer: str) -> Best | None:
        """The preferred of several ways to a router (16.4.1): inside another area first.

        Version 3 compares only ways through areas where the router may announce externals.
        """
        ways = router.ways.get(announcer)
        if ways and self.family == 6:
            ways = [w for w in ways if w.kind != INTRA or self._announces(announcer, w.area)]
            return min(ways, key=lambda way: (way.kind, way.cost), default=None)
        if not ways:
            return None
        if not router.process.rfc1583:
            ways = [w for w in ways if w.kind == INTRA and w.area != BACKBONE] or ways
        return min(ways, key=lambda way: (way.cost, -way.area))

    def way_to(self, router: Router, announcer: str) -> Best | None:
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
            if self.family == 6 and facts.kind == "nssa" and facts.summaries:
                continue  # its default is an external, where it is told to have one
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
                    offer(router.best, key, best)
                elif not any(way.kind == INTRA for way in router.ways.get(str(key[1]), ())):
                    router.ways.setdefault(str(key[1]), []).append(best)

    def _inside_own_range(self, router: Router, prefix: Prefix) -> bool:
        hides = self.family == 4 and router.device.profile.habit(OspfHabits).ranges_hide_others
        if not router.is_border or not hides:
            return False
        return any(item.prefix.covers(prefix) for item, _ in router.discards)


def _names_taken(border: Router) -> dict[int, int]:
    """Network address -> length of the border's own subnets there.

    A summary is named after its network address. Where the border's own subnet has that
    name from the start, a wider one of the same address finds none (seen on real routers;
    RFC 2328, appendix E, would find one).
    """
    if not border.device.profile.habit(OspfHabits).own_subnet_keeps_name:
        return {}
    out: dict[int, int] = {}
    for key, best in border.best.items():
        if isinstance(key, Prefix) and best.own is not None:
            out[key.network] = max(key.length, out.get(key.network, 0))
    return out


def _summary_cost(border: Router, cost: int) -> int:
    """What a border says a route of its costs; one that is not to be passed says "much"."""
    stub = border.process.stub_router
    return _AVOID if stub is not None and stub.value else cost
