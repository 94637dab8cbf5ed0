"""Externals on their way: which travel everywhere, which stay in an area, and who uses which.

RFC 2328, section 16.4; RFC 3101 for areas that are not so stubby.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ...network import claims
from ...network.addressing import Address, Prefix, dotted, prefix_of
from ...network.claims import Claim
from ...network.ospf import OspfHabits
from ...step.routes import NextHop, Origin
from ...step.rows import Columns, Reasons
from ..shortest import FAR, AreaGraph, Sets
from .externals import External
from .holdings import NOTHING, Costs, Holdings, Mask
from .origins import Numbers
from .router import EXTERNAL_1, EXTERNAL_2, INTRA, Router
from .ways import Ways


class Choice:
    """Distributes one set of externals, and chooses among them for each router."""

    def __init__(
        self,
        family: int,
        routers: dict[str, Router],
        graphs: dict[int, AreaGraph],
        held: Holdings,
        ways: Ways,
        announced: dict[str, list[External]],
    ) -> None:
        self.family, self.routers, self.graphs = family, routers, graphs
        self.held, self.ways = held, ways
        self.everywhere, self.within = self._spread(announced)

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
                    if forward is None and (self.family == 6 or not router.is_border):
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
            claim = Claim(claims.AREA_DEFAULT, name, into=dotted(number))
            within[number].append(
                External(
                    name,
                    Prefix(self.family, 0, 0),
                    1 if statement.metric is None else statement.metric,
                    statement.metric_type or 2,
                    self._address_in(router, number) if self.family == 6 else None,
                    Origin(claim, (statement.source,)),
                    number,
                )
            )

    def _translate(self, everywhere: list[External], within: dict[int, list[External]]) -> None:
        """The border with the highest router id announces an area's externals to the rest: of
        those that reach each other, because an area may be in several parts."""
        for number, items in within.items():
            graph = self.graphs[number]
            borders = [self.routers[n] for n in graph.nodes if self.routers[n].is_border]
            always = [r for r in borders if r.area(number).translate == "always"]
            able = [r for r in borders if r.area(number).translate != "never"]
            chosen = [r for r in able if r is _highest(r, able, graph)]
            for border in {r.device.name: r for r in (*always, *chosen)}.values():
                name = border.device.name
                for item in items:
                    if not item.translate or item.announcer == name or item.prefix.is_default:
                        continue
                    if not self.ways.has(self.held.row[name], item.announcer):
                        continue
                    claim = Claim(claims.PASSES, name, item.prefix, f"area {dotted(number)}")
                    passed = External(
                        name,
                        item.prefix,
                        item.metric,
                        item.metric_type,
                        item.forward,
                        Origin(claim, (), item.origin),
                        tag=item.tag,
                    )
                    habits = border.device.profile.habit(OspfHabits)
                    if self.family == 6 and habits.translation_takes_over:
                        passed = self._taken_over(border, passed)
                    elif habits.translation_resets_metric:
                        passed = replace(passed, metric=habits.redistribute_metric, tag=0)
                    if border.area(number).suppress_forward:
                        passed = replace(passed, forward=None)
                    everywhere.append(passed)

    def _taken_over(self, border: Router, item: External) -> External:
        """An external that leads to the border that passes it on, and costs what it has from
        there."""
        way = None
        if item.forward is not None:
            row = self.held.row[border.device.name]
            column = int(self._leads_to(item.forward)[row])
            way = self.held.cell(row, column) if column >= 0 else None
        metric = item.metric + (way.cost if way is not None and item.metric_type == 1 else 0)
        return replace(item, metric=metric, forward=None)

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
        if not candidates or router.process.version == 2:
            return candidates[0].address if candidates else None
        # Version 3 speaks from a link-local address, which leads nowhere from elsewhere.
        return next(
            (
                fact.address
                for end in candidates
                for fact in end.interface.addresses
                if fact.address.family == 6 and not fact.address.is_link_local
            ),
            None,
        )

    def _leads_to(self, address: Address) -> NDArray[np.int64]:
        """Per router the column of its internal way to a forwarding address (16.4 (3)), or -1."""
        held = self.held
        found = np.full(len(held.row), -1, dtype=np.int64)
        for length in sorted(held.columns.lengths):
            column = held.columns.number.get(prefix_of(address, length))
            if column is not None:
                found = np.where(held.kind[:, column] != NOTHING, column, found)
        return found

    def solve(self) -> Externals | None:
        """The externals that each router uses, for prefixes it has no internal way to."""
        items = [*self.everywhere, *(item for held in self.within.values() for item in held)]
        if not items:
            return None
        out = Externals(items, len(self.held.row))
        announcers = self.ways.number
        by = np.array([announcers.get(item.announcer, -1) for item in items], dtype=np.int64)
        leading = np.array([i for i, item in enumerate(items) if item.forward], dtype=np.int64)
        addresses = [item.forward for item in items if item.forward]
        leads = {address: self._leads_to(address) for address in dict.fromkeys(addresses)}
        over = np.array([leads[address] for address in addresses], dtype=np.int64)
        """Per announcement with a forwarding address and router: the column of the way there."""
        areas = np.array([-1 if i.area is None else i.area for i in items], dtype=np.int64)
        told_in = {number: areas == number for number in self.within}
        internal = self.held.columns.number
        hidden = np.array([internal.get(p, -1) for p in out.columns.prefixes], dtype=np.int64)
        metric = np.array([item.metric for item in items], dtype=np.int64)
        first = np.array([item.metric_type == 1 for item in items], dtype=bool)
        for name, router in self.routers.items():
            row = self.held.row[name]
            used = self.ways.used(row, router)
            sets = self.held.sets[row]
            cost, ids = used.cost[by], used.ids[by].copy()
            normal = any(router.area(number).kind == "normal" for number in router.areas)
            heard = (areas < 0) if normal else np.zeros(len(items), dtype=bool)
            for number in router.areas:
                if number in told_in:
                    heard |= told_in[number]
            valid = heard & (by >= 0) & (cost < FAR) & (ids > 0)
            if name in announcers:
                valid &= by != announcers[name]
            if leading.size:
                self._forward(router, row, valid, cost, ids, leading, addresses, over[:, row])
            out.choose(row, sets, valid, cost, ids, metric, first)
            line = (hidden >= 0) & (self.held.kind[row][hidden] != NOTHING)
            out.ids[row, line] = 0
        return out

    def _forward(
        self,
        router: Router,
        row: int,
        valid: Mask,
        cost: Costs,
        ids: Numbers,
        leading: NDArray[np.int64],
        addresses: list[Address],
        columns: NDArray[np.int64],
    ) -> None:
        """Puts the ways to forwarding addresses in place of those to the announcers.

        Args:
            router, row: whose.
            valid, cost, ids: per announcement, changed in place.
            leading, addresses: which announcements have a forwarding address, and which.
            columns: the column of the router's internal way to each, or -1.
        """
        held = self.held
        own = {end.address for end in router.ends if end.active}
        # Nobody knows the way, or it is handed over to the router itself (seen on real routers).
        lost = columns < 0
        lost |= np.array([address in own for address in addresses], dtype=bool)
        valid[leading[lost]] = False
        ways, which = columns[~lost], leading[~lost]
        cost[which], ids[which] = held.cost[row, ways], held.ids[row, ways]
        beside = held.kind[row, ways] == INTRA
        beside &= held.origins.owned_by(held.who[row, ways], row)
        if not beside.any():
            return
        asks = router.device.profile.habit(OspfHabits).asks_for_external and self.family == 6
        reached = [
            address for address, gone in zip(addresses, lost.tolist(), strict=True) if not gone
        ]
        for place in np.flatnonzero(beside).tolist():
            exit = held.origins.own_interface(int(held.who[row, ways[place]]), row)
            hop = NextHop("forward", None if asks else reached[place], exit)
            ids[which[place]] = held.sets[row].number((hop,))


class Externals:
    """What all routers use of a set of externals: a row per router, a column per prefix."""

    def __init__(self, items: list[External], rows: int) -> None:
        self.items = items
        self.columns = Columns(dict.fromkeys(item.prefix for item in items))
        shape = (rows, len(self.columns.prefixes))
        self.kind = np.zeros(shape, dtype=np.int8)
        self.cost = np.zeros(shape, dtype=np.int32)
        self.ids: Numbers = np.zeros(shape, dtype=np.int32)
        self.who: Numbers = np.zeros(shape, dtype=np.int32)
        self.metrics = np.array([item.metric for item in items], dtype=np.int64)
        self.tags = np.array([item.tag for item in items], dtype=np.int64)
        self.within = np.array([item.area is not None for item in items], dtype=bool)
        self.reasons = Reasons([item.origin for item in items])
        column = [self.columns.number[item.prefix] for item in items]
        self._layers: list[tuple[NDArray[np.int64], NDArray[np.int64]]] = []
        """Announcements of different prefixes each: (which, columns), in the order announced."""
        seen: dict[int, int] = {}
        layers: list[list[int]] = []
        for number, its in enumerate(column):
            depth = seen[its] = seen.get(its, -1) + 1
            if depth == len(layers):
                layers.append([])
            layers[depth].append(number)
        for layer in layers:
            which = np.array(layer, dtype=np.int64)
            self._layers.append((which, np.array(column, dtype=np.int64)[which]))

    def choose(
        self,
        row: int,
        sets: Sets,
        valid: Mask,
        cost: Costs,
        ids: Numbers,
        metric: NDArray[np.int64],
        first: Mask,
    ) -> None:
        """Keeps the best of each prefix for one router (16.4.1, 16.4 (6)); equal ones share.

        Args:
            row, sets: whose.
            valid, cost, ids: per announcement, whether it is usable, and the way to it.
            metric, first: per announcement, and whether it is of type 1.
        """
        total = np.where(first, cost + metric, cost)
        # Type 1 before type 2; of type 2 the lower metric, then the nearer.
        rank = np.where(first, total, (((1 << 24) + metric) << 33) + total)
        best = np.full(self.ids.shape[1], np.iinfo(np.int64).max, dtype=np.int64)
        for which, columns in self._layers:
            usable = valid[which]
            which, columns = which[usable], columns[usable]
            theirs, held = rank[which], best[columns]
            for number, column in zip(
                which[theirs == held].tolist(), columns[theirs == held].tolist(), strict=True
            ):
                self.ids[row, column] = sets.union(int(self.ids[row, column]), int(ids[number]))
            nearer = theirs < held
            which, columns = which[nearer], columns[nearer]
            best[columns] = rank[which]
            self.ids[row, columns], self.who[row, columns] = ids[which], which
            self.kind[row, columns] = np.where(first[which], EXTERNAL_1, EXTERNAL_2)
            self.cost[row, columns] = total[which]


def _highest(router: Router, others: list[Router], graph: AreaGraph) -> Router:
    """Of the borders that one reaches inside an area, itself included, the highest router id."""
    row = graph.distance[graph.index[router.device.name]]
    near = [r for r in others if row[graph.index[r.device.name]] < FAR]

    def identity(item: Router) -> int:
        held = item.ends[0].router_id
        return held.value if held else 0

    return max(near, key=identity)
