"""Externals on their way: which travel everywhere, which stay in an area, and who uses which.

RFC 2328, section 16.4; RFC 3101 for areas that are not so stubby.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...network import claims
from ...network.addressing import Address, Prefix, dotted, prefix_of
from ...network.claims import Claim
from ...network.ospf import OspfHabits
from ...step.routes import NextHop, Origin
from ...step.rows import Columns, Reasons
from ..again import alike
from ..comparing import Cells, Compared, Theirs, Unlike, compare
from ..shortest import FAR, AreaGraph, Sets
from .externals import External
from .holdings import NOTHING, Costs, Holdings, Mask
from .origins import Numbers
from .router import EXTERNAL_1, EXTERNAL_2, INTRA, Router
from .ways import Ways

_ROWS = 256
"""How many routers choose at a time: of all together the arrays would be the largest of all."""


Layers = list[tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]]


class _Told(NamedTuple):
    """All announcements, in the order announced."""

    by: NDArray[np.int64]
    """The number of the announcer; -1 if nobody knows it."""
    areas: NDArray[np.int64]
    """The area that each stays in, or -1."""
    leading: NDArray[np.int64]
    """Which have a forwarding address."""
    addresses: list[Address]
    """That of each of them."""
    over: NDArray[np.int64]
    """Per one of them and router: the column of the way there, or -1."""
    metric: NDArray[np.int64]
    first: Mask
    """Which are of type 1."""
    layers: Layers
    """The places of announcements of different prefixes each, their numbers, and the columns."""


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

    def solve(self, last: Externals | None = None) -> Externals | None:
        """The externals that each router uses, for prefixes it has no internal way to.

        `last` is what was chosen by the same routers among other externals: what is announced of
        most prefixes is what it was.
        """
        found = [*self.everywhere, *(item for held in self.within.values() for item in held)]
        if not found:
            return None
        out = Externals(found, self.held)
        open_ = out.take_over(last) if last is not None else np.ones(len(found), dtype=bool)
        if not open_.any():
            return out
        items = [found[number] for number in np.flatnonzero(open_).tolist()]
        announcers = self.ways.number
        by = np.array([announcers.get(item.announcer, -1) for item in items], dtype=np.int64)
        leading = np.array([i for i, item in enumerate(items) if item.forward], dtype=np.int64)
        addresses = [item.forward for item in items if item.forward]
        leads = {address: self._leads_to(address) for address in dict.fromkeys(addresses)}
        over = np.array([leads[address] for address in addresses], dtype=np.int64)
        areas = np.array([-1 if i.area is None else i.area for i in items], dtype=np.int64)
        told_in = {number: areas == number for number in self.within}
        internal = self.held.columns.number
        hidden = np.array([internal.get(p, -1) for p in out.columns.prefixes], dtype=np.int64)
        metric = np.array([item.metric for item in items], dtype=np.int64)
        first = np.array([item.metric_type == 1 for item in items], dtype=bool)
        layers = out.layers_of(open_)
        told = _Told(by, areas, leading, addresses, over, metric, first, layers)
        everyone = [*self.routers.items()]
        for start in range(0, len(everyone), _ROWS):
            self._several(everyone[start : start + _ROWS], told, told_in, out)
        known = np.flatnonzero(hidden >= 0)
        covered = self.held.kind[:, hidden[known]] != NOTHING
        out.ids[:, known] = np.where(covered, 0, out.ids[:, known])
        return out

    def _several(
        self,
        members: list[tuple[str, Router]],
        told: _Told,
        told_in: dict[int, Mask],
        out: Externals,
    ) -> None:
        """What some routers use: a line of the arrays each."""
        announcers = self.ways.number
        rows = np.array([self.held.row[name] for name, _ in members], dtype=np.int64)
        ways = self.ways.used(rows, [router for _, router in members])
        cost, ids = ways[0][:, told.by], ways[1][:, told.by]
        valid = (told.by >= 0) & (cost < FAR) & (ids > 0)
        # A router hears nothing from itself.
        itself = np.array([announcers.get(name, -2) for name, _ in members], dtype=np.int64)
        valid &= told.by != itself[:, None]
        heard: dict[tuple[int, ...], Mask] = {}
        for line, (_, router) in enumerate(members):
            normal = any(router.area(number).kind == "normal" for number in router.areas)
            key = (normal, *(number for number in router.areas if number in told_in))
            if key not in heard:
                some = (told.areas < 0) if normal else np.zeros(told.areas.size, dtype=bool)
                for number in key[1:]:
                    some = some | told_in[number]
                heard[key] = some
            valid[line] &= heard[key]
        if told.leading.size:
            self._forward(members, rows, valid, cost, ids, told)
        out.choose(rows, self.held.sets, valid, cost, ids, told.metric, told.first, told.layers)

    def _forward(
        self,
        members: list[tuple[str, Router]],
        rows: NDArray[np.int64],
        valid: Mask,
        cost: Costs,
        ids: Numbers,
        told: _Told,
    ) -> None:
        """Puts the ways to forwarding addresses in place of those to the announcers.

        Args:
            members, rows: whose.
            valid, cost, ids: per router and announcement, changed in place.
            told: the announcements.
        """
        held, leading = self.held, told.leading
        columns = told.over[:, rows].T
        # Nobody knows the way, or it is handed over to the router itself (seen on real routers).
        lost = columns < 0
        places: dict[Address, list[int]] = {}
        for place, address in enumerate(told.addresses):
            places.setdefault(address, []).append(place)
        for line, (_, router) in enumerate(members):
            for end in router.ends:
                if end.active and end.address in places:
                    lost[line, places[end.address]] = True
        valid[:, leading] &= ~lost
        ways = np.where(lost, 0, columns)
        cells = rows[:, None], ways
        cost[:, leading] = np.where(lost, cost[:, leading], held.cost[cells])
        ids[:, leading] = np.where(lost, ids[:, leading], held.ids[cells])
        beside = ~lost & (held.kind[cells] == INTRA)
        beside &= held.origins.owned_by(held.who[cells], rows[:, None])
        for line, place in np.argwhere(beside).tolist():
            row, router = int(rows[line]), members[line][1]
            asks = router.device.profile.habit(OspfHabits).asks_for_external and self.family == 6
            exit = held.origins.own_interface(int(held.who[row, ways[line, place]]), row)
            hop = NextHop("forward", None if asks else told.addresses[place], exit)
            ids[line, leading[place]] = held.sets[row].number((hop,))


class Externals:
    """What all routers use of a set of externals: a row per router, a column per prefix."""

    def __init__(self, items: list[External], held: Holdings) -> None:
        self.items, self._held = items, held
        rows = len(held.row)
        self._unlike: Compared[Externals] = Compared()
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
        self._of: dict[Prefix, list[int]] = {}
        """Per prefix the numbers of its announcements, in the order announced."""
        for number, item in enumerate(items):
            self._of.setdefault(item.prefix, []).append(number)

    def layers_of(self, some: Mask) -> Layers:
        """Announcements of different prefixes each, layer by layer in the order announced."""
        place = np.cumsum(some) - 1
        layers: list[tuple[list[int], list[int]]] = []
        for column, numbers in enumerate(self._of.values()):
            if not some[numbers[0]]:
                continue
            for depth, number in enumerate(numbers):
                if depth == len(layers):
                    layers.append(([], []))
                layers[depth][0].append(number)
                layers[depth][1].append(column)
        out: Layers = []
        for its, columns in layers:
            which = np.array(its, dtype=np.int64)
            out.append((place[which], which, np.array(columns, dtype=np.int64)))
        return out

    def take_over(self, last: Externals) -> Mask:
        """Takes over the columns of which nothing else is announced; which announcements are left
        to be chosen among."""
        mine: list[int] = []
        theirs: list[int] = []
        open_ = np.ones(len(self.items), dtype=bool)
        number_of = np.zeros(max(1, len(last.items)), dtype=np.int32)
        for column, (prefix, numbers) in enumerate(self._of.items()):
            held = last._of.get(prefix)
            if held is None or len(held) != len(numbers):
                continue
            if all(self.items[n] == last.items[h] for n, h in zip(numbers, held, strict=True)):
                mine.append(column)
                theirs.append(last.columns.number[prefix])
                open_[numbers] = False
                number_of[held] = numbers
        self.kind[:, mine], self.cost[:, mine] = last.kind[:, theirs], last.cost[:, theirs]
        self.ids[:, mine] = last.ids[:, theirs]
        self.who[:, mine] = number_of[last.who[:, theirs]]
        return open_

    def unlike(self, other: Externals) -> Unlike | None:
        """See `Holdings.unlike`."""
        return self._unlike.with_(other, self._compare)

    def _compare(self, other: Externals) -> Unlike | None:
        def rest(theirs: Theirs, where: Mask) -> Mask:
            return self.reasons.unlike(self.who, other.reasons, theirs(other.who), where, alike)

        pairs = list(zip(self._values(), other._values(), strict=True))
        return compare(self._cells(), other._cells(), pairs, rest)

    def _cells(self) -> Cells:
        return Cells([*self._held.row], self.columns, self.ids, self._held.sets)

    def _values(self) -> list[NDArray[Any]]:
        """What makes each cell what it is, beside its next hops."""
        metric = np.where(self.kind == EXTERNAL_2, self.metrics[self.who], self.cost)
        return [self.kind, metric, self.within[self.who], self.tags[self.who]]

    def choose(
        self,
        rows: NDArray[np.int64],
        sets: list[Sets],
        valid: Mask,
        cost: Costs,
        ids: Numbers,
        metric: NDArray[np.int64],
        first: Mask,
        layers: Layers,
    ) -> None:
        """Keeps the best of each prefix for some routers (16.4.1, 16.4 (6)); equal ones share.

        Args:
            rows: whose.
            sets: the next-hop sets of all routers.
            valid, cost, ids: per router and announcement, whether it is usable, and the way to it.
            metric, first: per announcement, and whether it is of type 1.
            layers: see `layers_of`.
        """
        total = np.where(first, cost + metric, cost)
        # Type 1 before type 2; of type 2 the lower metric, then the nearer.
        rank = np.where(first, total, (((1 << 24) + metric) << 33) + total)
        nothing = np.iinfo(np.int64).max
        rank[~valid] = nothing
        best = np.full((rows.size, self.ids.shape[1]), nothing, dtype=np.int64)
        for places, which, columns in layers:
            theirs, held = rank[:, places], best[:, columns]
            usable = valid[:, places]
            for line, at in np.argwhere(usable & (theirs == held)).tolist():
                row, column = int(rows[line]), int(columns[at])
                both = sets[row].union(int(self.ids[row, column]), int(ids[line, places[at]]))
                self.ids[row, column] = both
            lines, ats = (usable & (theirs < held)).nonzero()
            its = places[ats]
            best[lines, columns[ats]] = theirs[lines, ats]
            cells = rows[lines], columns[ats]
            self.ids[cells], self.who[cells] = ids[lines, its], which[ats]
            self.kind[cells] = np.where(first[its], EXTERNAL_1, EXTERNAL_2)
            self.cost[cells] = total[lines, its]


def _highest(router: Router, others: list[Router], graph: AreaGraph) -> Router:
    """Of the borders that one reaches inside an area, itself included, the highest router id."""
    row = graph.distance[graph.index[router.device.name]]
    near = [r for r in others if row[graph.index[r.device.name]] < FAR]

    def identity(item: Router) -> int:
        held = item.ends[0].router_id
        return held.value if held else 0

    return max(near, key=identity)
