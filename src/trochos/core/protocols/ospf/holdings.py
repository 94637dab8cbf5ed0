"""What all routers of a domain hold for all prefixes, as arrays: a row per router, a column per
prefix. A `Best` is made for the cell that is asked about.

Next hops are numbers, per router: a router has few ways out and few sets of them.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from ...network.addressing import Prefix
from ...step.rows import Columns
from ..comparing import Cells, Compared, Pairs, Theirs, Unlike, compare
from ..shortest import Sets
from .origins import Numbers, Origins
from .router import Best

NOTHING = 9
"""The kind of a cell that holds nothing."""

Rows = TypeVar("Rows")
Mask = NDArray[np.bool_]
Costs = NDArray[np.int64]


class Holdings:
    """The internal routes of all routers (RFC 2328, 16.1 and 16.2)."""

    def __init__(
        self,
        names: Iterable[str],
        prefixes: Iterable[Prefix],
        origins: Origins,
        sets: list[Sets] | None = None,
    ) -> None:
        """`sets` are those of the routers from before a change, by row: what is taken over from
        there keeps its numbers."""
        self.row = {name: i for i, name in enumerate(names)}
        self.columns = Columns(prefixes)
        self.origins = origins
        shape = (len(self.row), len(self.columns.prefixes))
        self.kind = np.full(shape, NOTHING, dtype=np.int8)
        self.cost = np.zeros(shape, dtype=np.int32)
        self.ids: Numbers = np.zeros(shape, dtype=np.int32)
        self.who: Numbers = np.zeros(shape, dtype=np.int32)
        self.sets = [Sets() for _ in self.row] if sets is None else [held.copy() for held in sets]
        self._unlike: Compared[Holdings] = Compared()

    def best(self, row: int, prefix: Prefix) -> Best | None:
        """What a router holds for a prefix."""
        column = self.columns.number.get(prefix)
        if column is None or self.kind[row, column] == NOTHING:
            return None
        return self.cell(row, column)

    def cell(self, row: int, column: int) -> Best:
        number = int(self.who[row, column])
        return Best(
            int(self.kind[row, column]),
            int(self.cost[row, column]),
            self.sets[row].hops[self.ids[row, column]],
            int(self.origins.areas(np.array([number], np.int32))[0]),
            self.origins.get(number),
            own=self.origins.own_interface(number, row) if self.kind[row, column] == 0 else None,
        )

    def unlike(self, other: Holdings) -> Unlike | None:
        """Where the rows of a domain from before a change are other ones, or rest on other lines;
        None if the domains have other routers. Cells that offer nothing in both are alike."""
        return self._unlike.with_(other, self._compare)

    def _compare(self, other: Holdings) -> Unlike | None:
        def rest(theirs: Theirs, where: Mask) -> Mask:
            mine, held = self.origins.first(self.who), other.origins.first(theirs(other.who))
            return self.origins.unlike(mine, other.origins, held, where)

        pairs: Pairs = [(self.kind, other.kind), (self.cost, other.cost)]
        return compare(Cells.of(self), Cells.of(other), pairs, rest)

    def offer(
        self,
        rows: NDArray[np.int64],
        columns: NDArray[np.int64],
        kind: int,
        cost: Costs,
        ids: Numbers,
        who: Numbers,
        valid: Mask,
    ) -> None:
        """Keeps the better of what is held and what is offered; equal ones share (16.1, 16.2).

        Args:
            rows, columns: whose cells, of shapes (n,) and (k,).
            kind: of all that is offered.
            cost, ids, who, valid: of shape (n, k); what is not valid is not offered.
        """
        cells = np.ix_(rows, columns)
        kinds, costs = self.kind[cells], self.cost[cells]
        better = valid & ((kinds > kind) | ((kinds == kind) & (cost < costs)))
        for place, line in np.argwhere(valid & (kinds == kind) & (cost == costs)).tolist():
            row, column = int(rows[place]), int(columns[line])
            held = int(self.who[row, column])
            if kind or self.origins.own_interface(held, row) is None:
                both = self.sets[row].union(int(self.ids[row, column]), int(ids[place, line]))
                self.ids[row, column] = both
        if better.all():
            self.kind[cells] = kind
            self.cost[cells], self.ids[cells], self.who[cells] = cost, ids, who
            return
        at, which = better.nonzero()
        here, there = rows[at], columns[which]
        self.kind[here, there] = kind
        self.cost[here, there] = cost[at, which]
        self.ids[here, there] = ids[at, which]
        self.who[here, there] = who[at, which]
