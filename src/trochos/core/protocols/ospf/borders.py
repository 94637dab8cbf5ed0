"""What borders announce between areas, and what the routers there make of it.

RFC 2328, sections 12.4.3 (what borders announce), 16.2 (inter-area routes), 16.4.1 (the
way to a router that announces externals).
"""

from __future__ import annotations

from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ...network import claims
from ...network.addressing import Prefix, dotted
from ...network.claims import Claim
from ...network.ospf import OspfArea, OspfHabits
from ...step.routes import NextHop, Origin, Refusal
from ..policy import filter_permits
from ..shortest import FAR, AreaGraph, numbers_of
from .holdings import NOTHING, Costs, Holdings, Mask
from .neighbours import Adjacencies
from .origins import Numbers
from .router import BACKBONE, INTER, INTRA, Best, Router
from .summaries import PassedOn, Summaries, Told
from .virtual import VirtualEnd
from .ways import Chosen, Layer, Ways

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
        held: Holdings,
        ways: Ways,
    ) -> None:
        self.family, self.routers, self.graphs = family, routers, graphs
        self.adjacencies, self.held, self.ways = adjacencies, held, ways
        self.origins = held.origins
        self._taken: dict[str, dict[int, int]] = {}
        self._between()

    def _between(self) -> None:
        borders = [router for router in self.routers.values() if router.is_border]
        into = self._nothing()
        for router in borders:
            for number in router.areas:
                self._announce_area(router, number, into)
        self._learn(BACKBONE, into)
        for router in borders:
            self._announce_backbone(router, into)
        for _ in range(_PASSES):
            if not self._shorten(into):
                break
            into = self._nothing()
            for router in borders:
                router.discards.clear()
                for number in router.areas:
                    self._announce_area(router, number, into)
                self._announce_backbone(router, into)
        for router in borders:
            self._announce_defaults(router, into)
        for number in into:
            if number != BACKBONE:
                self._learn(number, into)

    def _nothing(self) -> dict[int, Summaries]:
        return {number: Summaries(number) for number in self.graphs}

    def _shorten(self, into: dict[int, Summaries]) -> bool:
        """Backbone ways over a virtual link made shorter through the area that it crosses, by
        what other borders announce there (RFC 2328, 16.3); True if any is."""
        crossed = {
            relation.ends[0].area
            for relation in self.adjacencies.relations
            if isinstance(relation.ends[0], VirtualEnd) and relation.works
        }
        changed = False
        for number in sorted(crossed):
            graph, told = self.graphs[number], into[number]
            for node, name in enumerate(graph.nodes):
                router = self.routers[name]
                if not router.is_border or name not in self._in_backbone:
                    continue
                for items, shorten in (
                    (told.prefixes, self._shorten_prefix),
                    (told.routers, self._shorten_ways),
                ):
                    others = [item for item in items if item.node != node]
                    if not others:
                        continue
                    columns, found = Summaries.nearest(graph, others)
                    for place, column in enumerate(columns.tolist()):
                        cost = int(found.total[node, place])
                        hops = graph.hops(node, int(found.masks[node, place]))
                        if cost < _UNREACHABLE and hops:
                            who = int(found.who[node, place])
                            changed |= shorten(router, column, cost, hops, who)
        return changed

    def _shorten_prefix(
        self, router: Router, column: int, cost: int, hops: tuple[NextHop, ...], who: int
    ) -> bool:
        row = self.held.row[router.device.name]
        if self.held.kind[row, column] == NOTHING:
            return False
        held = self.held.cell(row, column)
        if held.area != BACKBONE or held.own is not None:
            return False
        found = self._shorter(row, held.cost, int(self.held.ids[row, column]), cost, hops)
        if found is None:
            return False
        if cost < held.cost:
            self.held.who[row, column] = self.origins.one(self.origins.get(who), BACKBONE)
        self.held.cost[row, column], self.held.ids[row, column] = cost, found
        return True

    def _shorten_ways(
        self, router: Router, column: int, cost: int, hops: tuple[NextHop, ...], who: int
    ) -> bool:
        row, changed = self.held.row[router.device.name], False
        for layer, node in self.ways.layers_of(row):
            was = int(layer.cost[node, column])
            if layer.area != BACKBONE or was >= FAR:
                continue
            found = self._shorter(row, was, int(layer.ids[node, column]), cost, hops)
            if found is not None:
                if cost < was:
                    layer.who[node, column] = who
                layer.cost[node, column], layer.ids[node, column] = cost, found
                changed = True
        return changed

    def _shorter(
        self, row: int, held: int, ids: int, cost: int, hops: tuple[NextHop, ...]
    ) -> int | None:
        """The next-hop set with a way that is as short or shorter; None if it adds nothing."""
        if cost > held:
            return None
        sets = self.held.sets[row]
        if cost < held:
            return sets.number(hops)
        both = sets.union(ids, sets.number(hops))
        return both if both != ids else None

    def _announce_area(self, border: Router, number: int, into: dict[int, Summaries]) -> None:
        """What a border announces of one of its areas into its others (12.4.3)."""
        facts, held, row = border.area(number), self.held, self.held.row[border.device.name]
        name = border.device.name
        transit = any(link.area == number for link in border.process.virtual_links)
        taken = self._taken.get(name)
        if taken is None:
            taken = self._taken[name] = self._names_taken(border)
        inside = np.flatnonzero((held.kind[row] == INTRA) & (held.cost[row] < _UNREACHABLE))
        inside = inside[self.origins.areas(held.who[row, inside]) == number]
        parts: dict[Prefix, list[int]] = {}
        shown: list[int] = []
        filtered = any(item.direction == "out" for item in facts.filters)
        for column in inside.tolist():
            key = held.columns.prefixes[column]
            if filtered and self._denied(border, facts, "out", key) is not None:
                continue
            if facts.ranges and not transit:
                covering = [r for r in facts.ranges if r.prefix.covers(key)]
                if covering:
                    found = max(covering, key=lambda r: r.prefix.length)
                    parts.setdefault(found.prefix, []).append(column)
                    continue
            if key.length >= taken.get(key.network, 0):
                shown.append(column)
        targets = [target for target in border.areas if target != number]
        for target in targets:
            self._summaries(border, number, target, np.array(shown, dtype=np.int64), into)
        if facts.kind == "normal":
            chosen = self.ways.preferred(row, border)
            mine = (chosen.kind == INTRA) & (chosen.area == number) & (chosen.cost < FAR)
            mine &= self.ways.announcing(number)
            for target in targets:
                self._router_summaries(border, number, target, mine, chosen, into)
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
                cost = (min if lowest else max)(int(held.cost[row, m]) for m in members)
            claim = Claim(claims.FOR_AREA, name, item.prefix, dotted(number))
            before = self.origins.get(int(held.who[row, members[0]]))
            origin = Origin(claim, (item.source,), before)
            for target in targets:
                self._one(border, target, item.substitute or item.prefix, cost, origin, into)

    def _one(
        self,
        border: Router,
        target: int,
        prefix: Prefix,
        cost: int,
        origin: Origin,
        into: dict[int, Summaries],
    ) -> None:
        into[target].prefixes.append(
            Told(
                self.graphs[target].node(border.device.name),
                np.array([self.held.columns.number[prefix]]),
                np.array([_summary_cost(border, cost)]),
                np.array([self.origins.one(origin, target)], dtype=np.int32),
            )
        )

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
        best = self.held.best(self.held.row[name], prefix)
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

    def _summaries(
        self,
        border: Router,
        source: int,
        target: int,
        columns: NDArray[np.int64],
        into: dict[int, Summaries],
    ) -> None:
        """Announces what a border holds for some columns into another area."""
        facts, row = border.area(target), self.held.row[border.device.name]
        if facts.kind != "normal" and not facts.summaries:
            return
        columns = columns[self._elsewhere(border, target, row, self.held.ids[row, columns])]
        if any(item.direction == "in" for item in facts.filters):
            prefixes = self.held.columns.prefixes
            denied = [
                self._denied(border, facts, "in", prefixes[c]) is not None for c in columns.tolist()
            ]
            columns = columns[~np.array(denied, dtype=bool)]
        if not columns.size:
            return
        names = tuple(map(self.held.columns.prefixes.__getitem__, columns.tolist()))
        costs = self.held.cost[row, columns].astype(np.int64)
        before = self.held.who[row, columns]
        into[target].prefixes.append(
            self._passed_on(border, source, target, columns, names, costs, before)
        )

    def _router_summaries(
        self,
        border: Router,
        source: int,
        target: int,
        mine: Mask,
        chosen: Chosen,
        into: dict[int, Summaries],
    ) -> None:
        """Announces announcers of externals into another area, if that takes externals."""
        if border.area(target).kind != "normal":
            return
        row = self.held.row[border.device.name]
        numbers = np.flatnonzero(mine)
        numbers = numbers[self._elsewhere(border, target, row, chosen.ids[numbers])]
        if numbers.size:
            names = tuple(map(self.ways.names.__getitem__, numbers.tolist()))
            costs, before = chosen.cost[numbers], chosen.who[numbers]
            into[target].routers.append(
                self._passed_on(border, source, target, numbers, names, costs, before)
            )

    def _passed_on(
        self,
        border: Router,
        source: int,
        target: int,
        columns: NDArray[np.int64],
        names: tuple[Prefix | str, ...],
        costs: Costs,
        before: Numbers,
    ) -> Told:
        ends = f"area {dotted(source)}", f"area {dotted(target)}"
        made = PassedOn(border.device.name, names, *ends)
        first = self.origins.passed_on(before.copy(), target, made)
        if border.process.stub_router is not None and border.process.stub_router.value:
            costs = np.full_like(costs, _AVOID)
        who = np.arange(first, first + columns.size, dtype=np.int32)
        return Told(self.graphs[target].node(border.device.name), columns, costs, who)

    def _elsewhere(self, border: Router, target: int, row: int, ids: Numbers) -> Mask:
        """True for what a border does not reach through the target area itself."""
        exits = {end.interface.name for end in border.ends if end.area and end.area.value == target}
        elsewhere = np.array(
            [
                not hops or any(hop.interface not in exits for hop in hops)
                for hops in self.held.sets[row].hops
            ],
            dtype=bool,
        )
        found: Mask = elsewhere[ids]
        return found

    def obstacle(self, border: Router, target: int, key: Prefix, best: Best) -> Refusal | None:
        """What keeps a border from announcing a route of its own into an area."""
        facts = border.area(target)
        name = border.device.name
        lines = (facts.kind_source,) if facts.kind_source else ()
        if facts.kind != "normal":
            where = f"area {dotted(target)} is {'a stub area' if facts.kind == 'stub' else 'NSSA'}"
            if not facts.summaries:
                return Refusal(f"{where} without summaries on {name}", lines)
        denied = self._denied(border, facts, "in", key)
        if denied is not None:
            return denied
        exits = {end.interface.name for end in border.ends if end.area and end.area.value == target}
        if best.hops and all(hop.interface in exits for hop in best.hops):
            return Refusal(f"{name} reaches it through area {dotted(target)} itself")
        return None

    def _announce_backbone(self, border: Router, into: dict[int, Summaries]) -> None:
        """What a border announces into its other areas of what it learned in the backbone."""
        held, row = self.held, self.held.row[border.device.name]
        learned = np.flatnonzero((held.kind[row] == INTER) & (held.cost[row] < _UNREACHABLE))
        learned = learned[self.origins.areas(held.who[row, learned]) == BACKBONE]
        chosen = self.ways.preferred(row, border)
        theirs = (chosen.kind == INTER) & (chosen.area == BACKBONE) & (chosen.cost < FAR)
        for target in border.areas:
            if target != BACKBONE:
                self._summaries(border, BACKBONE, target, learned, into)
                self._router_summaries(border, BACKBONE, target, theirs, chosen, into)

    def _announce_defaults(self, border: Router, into: dict[int, Summaries]) -> None:
        """The default route into stub areas (RFC 2328, 12.4.3.1)."""
        name = border.device.name
        for number in border.areas:
            facts = border.area(number)
            if facts.kind == "normal" or number == BACKBONE or facts.kind_source is None:
                continue
            if self.family == 6 and facts.kind == "nssa" and facts.summaries:
                continue  # its default is an external, where it is told to have one
            cost = facts.default_cost.value if facts.default_cost else 1
            claim = Claim(claims.AREA_DEFAULT, name, of=f"{facts.kind} ", into=dotted(number))
            origin = Origin(claim, (facts.kind_source,))
            self._one(border, number, Prefix(self.family, 0, 0), cost, origin, into)

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

    def _learn(self, number: int, into: dict[int, Summaries]) -> None:
        """Inter-area routes of the routers in one area, from what borders announce there."""
        graph, told = self.graphs.get(number), into.get(number)
        if graph is None or told is None or not (told.prefixes or told.routers):
            return
        listeners = [
            node
            for node, name in enumerate(graph.nodes)
            if number == BACKBONE
            or not self.routers[name].is_border
            or name not in self._in_backbone
        ]
        nodes = np.array(listeners, dtype=np.int64)
        rows = np.array([self.held.row[graph.nodes[node]] for node in listeners], dtype=np.int64)
        sets = [self.held.sets[self.held.row[name]] for name in graph.nodes]
        if told.prefixes:
            columns, found = Summaries.nearest(graph, told.prefixes)
            valid = (found.total < _UNREACHABLE) & (found.masks != 0)
            for node in listeners:
                router = self.routers[graph.nodes[node]]
                if router.is_border:
                    valid[node] &= ~self._hidden(router, number, columns)
            ids = numbers_of(graph, found.masks, sets)
            self.held.offer(
                rows,
                columns,
                INTER,
                np.where(valid, found.total, 0)[nodes],
                ids[nodes],
                found.who[nodes],
                valid[nodes],
            )
        if told.routers:
            columns, found = Summaries.nearest(graph, told.routers)
            valid = (found.total < _UNREACHABLE) & (found.masks != 0)
            # Whom a router finds inside an area it does not look for elsewhere.
            cost = np.full((rows.size, len(self.ways.names)), FAR, dtype=np.int64)
            cost[:, columns] = np.where(valid, found.total, FAR)[nodes]
            for place, row in enumerate(rows.tolist()):
                cost[place, self.ways.within(row)] = FAR
            ids, who = np.zeros(cost.shape, np.int32), np.zeros(cost.shape, np.int32)
            ids[:, columns] = numbers_of(graph, found.masks, sets)[nodes]
            who[:, columns] = found.who[nodes]
            self.ways.add(Layer(INTER, number, rows, cost, ids, who))

    def _hidden(self, router: Router, number: int, columns: NDArray[np.int64]) -> Mask:
        """What a border does not learn: what lies in a range of its own, and a default from a
        stub area of its own."""
        hides = self.family == 4 and router.device.profile.habit(OspfHabits).ranges_hide_others
        ranges = [item.prefix for item, _ in router.discards] if hides else []
        defaults = router.area(number).kind != "normal"
        out = np.zeros(columns.size, dtype=bool)
        if not ranges and not defaults:
            return out
        if defaults:
            out |= columns == self.held.columns.number[Prefix(self.family, 0, 0)]
        if ranges:
            network, length = self._as_numbers
            for item in ranges:
                inside = network[columns] >> (32 - item.length) == item.network >> (
                    32 - item.length
                )
                out |= inside & (length[columns] >= item.length)
        return out

    @cached_property
    def _as_numbers(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Address and length of every prefix of version 2."""
        prefixes = self.held.columns.prefixes
        return (
            np.array([prefix.network for prefix in prefixes], dtype=np.int64),
            np.array([prefix.length for prefix in prefixes], dtype=np.int64),
        )

    def _names_taken(self, border: Router) -> dict[int, int]:
        """Network address -> length of the border's own subnets there.

        A summary is named after its network address. Where the border's own subnet has that
        name from the start, a wider one of the same address finds none (seen on real routers;
        RFC 2328, appendix E, would find one).
        """
        if not border.device.profile.habit(OspfHabits).own_subnet_keeps_name:
            return {}
        row = self.held.row[border.device.name]
        out: dict[int, int] = {}
        inside = np.flatnonzero(self.held.kind[row] == INTRA)
        for column in inside[self.origins.owned_by(self.held.who[row, inside], row)].tolist():
            key = self.held.columns.prefixes[column]
            out[key.network] = max(key.length, out.get(key.network, 0))
        return out


def _summary_cost(border: Router, cost: int) -> int:
    """What a border says a route of its costs; one that is not to be passed says "much"."""
    stub = border.process.stub_router
    return _AVOID if stub is not None and stub.value else cost
