"""Where the rows of a protocol differ from those of a computation before a change: of all routers
at once, because rows compared one by one take as long as building the tables."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, Generic, NamedTuple, Protocol, TypeVar
from weakref import ref

import numpy as np
from numpy.typing import NDArray

from ..network.addressing import Prefix
from ..step.rows import Columns, Mask
from .shortest import Sets

Numbers = NDArray[np.int32]
Rows = TypeVar("Rows")
Pairs = Sequence[tuple[NDArray[Any], NDArray[Any]]]
Theirs = Callable[[NDArray[Any]], NDArray[Any]]
"""Gives an array of the other rows in the order of one's own columns; where those have no such
column, anything."""


class _Held(Protocol):
    row: dict[str, int]
    columns: Columns
    ids: Numbers
    sets: list[Sets]


class Cells(NamedTuple):
    """Rows of a protocol: whose, for which prefixes, and with which next hops."""

    names: Sequence[str]
    columns: Columns
    ids: Numbers
    sets: list[Sets]

    @classmethod
    def of(cls, held: _Held) -> Cells:
        return cls([*held.row], held.columns, held.ids, held.sets)


class Unlike:
    """Where two sets of rows differ."""

    def __init__(
        self, differs: Mask, columns: Columns, ids: Numbers, gone: NDArray[np.int64]
    ) -> None:
        """`columns` and `ids` are those of the other rows, `gone` the columns that only they
        have."""
        self._prefixes = columns.prefixes
        self._differs = _by_row(differs)
        lost = _by_row(ids[:, gone] > 0)
        self._gone = lost[0], gone[lost[1]]

    def of(self, row: int) -> tuple[list[int], list[Prefix]]:
        """See `Row.unlike_cells`."""
        starts, columns = self._differs
        here: list[int] = columns[starts[row] : starts[row + 1]].tolist()
        starts, columns = self._gone
        gone = columns[starts[row] : starts[row + 1]].tolist()
        return here, [self._prefixes[column] for column in gone]


def _by_row(mask: Mask) -> tuple[list[int], NDArray[np.int64]]:
    """The columns of a mask row by row, and where those of each row begin."""
    rows, columns = np.nonzero(mask)
    return np.searchsorted(rows, np.arange(mask.shape[0] + 1)).tolist(), columns


class Compared(Generic[Rows]):
    """What comparisons with others said, as long as those live."""

    def __init__(self) -> None:
        self._known: list[tuple[ref[Rows], Unlike | None]] = []

    def __getstate__(self) -> dict[str, object]:
        """Nothing is stored: others are compared again."""
        return {"_known": []}

    def with_(self, other: Rows, compare: Callable[[Rows], Unlike | None]) -> Unlike | None:
        for held, found in self._known:
            if held() is other:
                return found
        self._known = [item for item in self._known if item[0]() is not None]
        found = compare(other)
        self._known.append((ref(other), found))
        return found


def compare(
    mine: Cells,
    other: Cells,
    values: Pairs,
    rest: Callable[[Theirs, Mask], Mask],
) -> Unlike | None:
    """Where rows are other ones than before, or rest on other lines; None if they are of other
    routers. Cells that offer nothing in both are alike.

    Args:
        mine, other: the rows, and those from before.
        values: pairs of arrays (own, other) that make a cell what it is, beside its next hops.
        rest: says of the cells of a mask which rest on other lines; of others it may say anything.
    """
    if mine.names != other.names:
        return None
    there = mine.columns.aligned(other.columns)
    moved = not mine.columns.same(other.columns)

    def theirs(array: NDArray[Any]) -> NDArray[Any]:
        return array[:, there] if moved else array

    ids = theirs(_renumbered(other.ids, other.sets, mine.sets))
    here, held = mine.ids > 0, ids != 0
    if moved:
        held &= there >= 0
    both = here & held
    differs: Mask = mine.ids != ids
    for one, two in values:
        differs |= one != theirs(two)
    differs &= both
    differs |= both & rest(theirs, both & ~differs)
    differs |= here != held
    gone = np.flatnonzero(other.columns.aligned(mine.columns) < 0)
    return Unlike(differs, other.columns, other.ids, gone)


def _renumbered(ids: Numbers, sets: list[Sets], wanted: list[Sets]) -> Numbers:
    """Rows of numbers of next-hop sets in the numbers of others; -1 for a set that those have
    not."""
    odd = [
        row
        for row, (one, other) in enumerate(zip(sets, wanted, strict=True))
        if one.hops != other.hops
    ]
    if not odd:
        return ids
    out = ids.copy()
    for row in odd:
        out[row] = wanted[row].known(sets[row])[ids[row]]
    return out
