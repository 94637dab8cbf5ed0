"""What every router of IS-IS uses, as arrays: a row per router, a column per prefix."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...network.addressing import Prefix
from ...network.isis import IsisProcess
from ...step.routes import Origin, Route
from ...step.rows import Columns, Reasons, Row
from ..again import alike
from ..comparing import Cells, Compared, Pairs, Theirs, Unlike, compare
from ..shortest import FAR, AreaGraph, Sets, numbers_of


class Advert(NamedTuple):
    """A prefix that a router announces into a level."""

    router: str
    cost: int
    origin: Origin


class Chosen:
    """What every router uses: a row per router, a column per prefix. `level` is 0 where it has no
    way, `who` the number of the announcement that it goes by."""

    def __init__(self, names: Iterable[str], prefixes: Iterable[Prefix]) -> None:
        self.row = {name: i for i, name in enumerate(names)}
        self.columns = Columns(prefixes)
        shape = (len(self.row), len(self.columns.prefixes))
        self.level = np.zeros(shape, dtype=np.int8)
        self.cost = np.zeros(shape, dtype=np.int32)
        self.ids = np.zeros(shape, dtype=np.int32)
        self.who = np.zeros(shape, dtype=np.int32)
        self.sets = [Sets() for _ in self.row]
        self.origins: list[Origin] = []
        self._own = np.zeros(shape, dtype=bool)
        """What each router announces itself in a level that was taken in."""
        self._unlike: Compared[Chosen] = Compared()

    def enter(
        self,
        graph: AreaGraph,
        names: Sequence[str],
        level: int,
        announced: Mapping[Prefix, Sequence[Advert]],
    ) -> None:
        """Takes in what some routers, who see the level alike, reach in it.

        What a router announces itself in level 1 hides what it hears in level 2, even where it has
        no such route (a default that is announced always; measured on FRR 8.4,
        `tests/real/test_isis.py`).
        """
        keys = list(announced)
        if not keys or not graph.nodes:
            return
        near = graph.nearest(len(keys))
        own = np.zeros(near.total.shape, dtype=bool)
        layers: list[list[tuple[int, int, int, int]]] = []
        for place, prefix in enumerate(keys):
            depth = 0
            for advert in announced[prefix]:
                node = graph.index.get(advert.router)
                if node is None:
                    continue
                own[node, place] = True
                if depth == len(layers):
                    layers.append([])
                layers[depth].append((node, place, advert.cost, len(self.origins)))
                self.origins.append(advert.origin)
                depth += 1
        for layer in layers:
            nodes, places, costs, who = np.array(layer, dtype=np.int64).T
            near.told(nodes, places, costs, who.astype(np.int32), by_itself=True)
        nodes = np.array([graph.index[name] for name in names], dtype=np.int64)
        rows = np.array([self.row[name] for name in names], dtype=np.int64)
        columns = np.array([self.columns.number[prefix] for prefix in keys], dtype=np.int64)
        sets = [self.sets[self.row[name]] for name in graph.nodes]
        ids = numbers_of(graph, near.masks, sets)[nodes]
        cells = np.ix_(rows, columns)
        self._own[cells] |= own[nodes]
        new = (near.total[nodes] < FAR) & ~self._own[cells] & (ids > 0) & (self.level[cells] == 0)
        at, which = new.nonzero()
        here, there = rows[at], columns[which]
        self.level[here, there] = level
        self.cost[here, there] = near.total[nodes[at], which]
        self.ids[here, there] = ids[at, which]
        self.who[here, there] = near.who[nodes[at], which]

    def hides(self, name: str, prefix: Prefix) -> bool:
        """True if a router has a way already, or announces the prefix in the level below."""
        cell = self.row[name], self.columns.number[prefix]
        return bool(self._own[cell] or self.level[cell])

    def one(
        self,
        graph: AreaGraph,
        name: str,
        level: int,
        prefix: Prefix,
        adverts: Sequence[Advert],
    ) -> bool:
        """Takes in one prefix of one router, for which others are told something else; True if it
        has a way, or announces it itself."""
        near, node = graph.nearest(1), graph.index[name]
        zero = np.zeros(1, dtype=np.int64)
        for advert in adverts:
            there = graph.index.get(advert.router)
            if there is not None:
                number = np.array([len(self.origins)], dtype=np.int32)
                near.told(np.array([there]), zero, zero + advert.cost, number, by_itself=True)
                self.origins.append(advert.origin)
        row, column = self.row[name], self.columns.number[prefix]
        hops = graph.hops(node, int(near.masks[node, 0]))
        if near.total[node, 0] < FAR and hops:
            self.level[row, column], self.cost[row, column] = level, near.total[node, 0]
            self.ids[row, column] = self.sets[row].number(hops)
            self.who[row, column] = near.who[node, 0]
        return bool(near.total[node, 0] < FAR)

    def unlike(self, other: Chosen, reasons: Reasons, theirs: Reasons) -> Unlike | None:
        """Where these rows are others than those from before a change; see `comparing.compare`."""

        def rest(order: Theirs, where: NDArray[np.bool_]) -> NDArray[np.bool_]:
            return reasons.unlike(self.who, theirs, order(other.who), where, alike)

        pairs: Pairs = [(self.level, other.level), (self.cost, other.cost)]
        return self._unlike.with_(
            other, lambda it: compare(Cells.of(self), Cells.of(it), pairs, rest)
        )


class IsisRow(Row):
    """A router's routes, as its table takes them in."""

    protocol = IsisProcess.protocol

    def __init__(self, chosen: Chosen, row: int, reasons: Reasons, distance: int) -> None:
        self.chosen, self.row, self.reasons, self.distance = chosen, row, reasons, distance
        self.columns, self.ids, self.sets = chosen.columns, chosen.ids[row], chosen.sets[row].hops

    def unlike_cells(self, other: Row) -> tuple[list[int], list[Prefix]] | None:
        if not isinstance(other, IsisRow) or self.distance != other.distance:
            return None
        found = self.chosen.unlike(other.chosen, self.reasons, other.reasons)
        return None if found is None else found.of(self.row)

    @property
    def values(self) -> tuple[NDArray[Any], ...]:
        return self.chosen.level[self.row], self.chosen.cost[self.row]

    def route(self, column: int) -> Route:
        number = int(self.chosen.who[self.row, column])
        return Route(
            self.columns.prefixes[column],
            self.protocol,
            self.distance,
            int(self.chosen.cost[self.row, column]),
            self.sets[self.ids[column]],
            self.reasons.lines(number),
            type=f"level-{self.chosen.level[self.row, column]}",
            origin=self.reasons.origins[number],
        )

    def rest_on_same(
        self, columns: NDArray[np.int64], other: Row, theirs: NDArray[np.int64]
    ) -> bool:
        assert isinstance(other, IsisRow)
        mine, there = self.chosen.who[self.row], other.chosen.who[other.row]
        return self.reasons.alike(mine[columns], other.reasons, there[theirs], alike)
