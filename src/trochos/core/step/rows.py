"""Candidates by the column: what one source offers to one table, without an object per route.

A protocol that computes all tables at once has arrays: a row per router, a column per prefix. A
`Row` is one line of them, as a table takes it in. `Winners` is what a table answers from: routes
that stand alone (connected, static, whatever competes) over the cells that nothing competes with.
A `Route` of a cell is made when somebody asks for that cell.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..network.addressing import Address, Prefix, prefix_of
from ..network.source import Source
from .routes import NextHop, Origin, Route, essence

Ids = NDArray[np.int32]
Mask = NDArray[np.bool_]

HopSets = list[tuple[NextHop, ...]]
"""What the numbers of a row stand for; the first is the empty set."""


_REMEMBERED = 100_000
"""For so many addresses the prefixes that hold them are remembered: every device is asked for the
same few."""


class Columns:
    """The prefixes that the columns of some arrays stand for; rows of one source share it."""

    def __init__(self, prefixes: Iterable[Prefix]) -> None:
        self.prefixes: list[Prefix] = list(prefixes)
        self.number: dict[Prefix, int] = {p: i for i, p in enumerate(self.prefixes)}

        self._aligned: tuple[Columns, NDArray[np.int64]] | None = None
        self._in_order = False
        self._holding: dict[Address, tuple[int, ...]] = {}

    @cached_property
    def lengths(self) -> frozenset[int]:
        return frozenset(prefix.length for prefix in self.prefixes)

    def same(self, other: Columns) -> bool:
        """True if both have the same prefixes in the same order."""
        if other is self:
            return True
        there = self.aligned(other)
        alike = there.size == len(other.prefixes)
        return alike and bool(self._in_order)

    def aligned(self, other: Columns) -> NDArray[np.int64]:
        """Per column the one of the same prefix elsewhere, or -1."""
        if other is self:
            return np.arange(len(self.prefixes))
        if self._aligned is None or self._aligned[0] is not other:
            found = [other.number.get(prefix, -1) for prefix in self.prefixes]
            there = np.array(found, dtype=np.int64)
            self._aligned = other, there
            self._in_order = np.array_equal(there, np.arange(there.size))
        return self._aligned[1]

    def holding(self, address: Address) -> tuple[int, ...]:
        """The columns whose prefix holds an address, the longest first."""
        found = self._holding.get(address)
        if found is None:
            if len(self._holding) >= _REMEMBERED:
                self._holding = {}
            columns = (self.number.get(prefix_of(address, length)) for length in self._longest)
            found = self._holding[address] = tuple(c for c in columns if c is not None)
        return found

    @cached_property
    def _longest(self) -> list[int]:
        return sorted(self.lengths, reverse=True)


class Row(ABC):
    """What one source offers to the table of one device.

    `ids[column]` is the number of the next-hop set in `sets`, 0 where nothing is offered.
    """

    protocol: str
    columns: Columns
    ids: Ids
    sets: HopSets

    @abstractmethod
    def route(self, column: int) -> Route:
        """The candidate of one column, made anew."""

    @property
    @abstractmethod
    def values(self) -> tuple[NDArray[Any], ...]:
        """What makes the candidate of each column what it is, beside its next hops."""

    @abstractmethod
    def rest_on_same(
        self, columns: NDArray[np.int64], other: Row, theirs: NDArray[np.int64]
    ) -> bool:
        """True if cells of this row and of another one of its kind, pair by pair, rest on the same
        lines."""

    def for_same_reasons(self, other: Row) -> bool:
        """True if another row that offers the same rests on the same lines."""
        return self is other or self.rest_on_same(self.in_order_of(other), other, other.offered)

    def unlike_cells(self, other: Row) -> tuple[list[int], list[Prefix]] | None:
        """Where this row offers something else than one of its kind from before a change, or for
        other reasons: its columns, and the prefixes that only the other one offers and has a
        column for. None where that is not known without comparing cell by cell."""
        return None

    def same(self, other: Row) -> bool:
        """True if another row offers the same; reasons are not compared."""
        if self is other:
            return True
        if type(self) is not type(other):
            return False
        mine = self.offered
        if self.columns.same(other.columns):
            theirs = mine
        else:
            # A column that is only here or only there says nothing where nothing is offered.
            theirs = self.columns.aligned(other.columns)[mine]
            if (theirs < 0).any():
                return False
        if mine.size != other.offered.size:
            return False
        ids = self.ids if self.sets == other.sets else self._numbers_in(other)[self.ids]
        if not np.array_equal(ids[mine], other.ids[theirs]):
            return False
        return all(
            np.array_equal(one[mine], two[theirs])
            for one, two in zip(self.values, other.values, strict=True)
        )

    @cached_property
    def offered(self) -> NDArray[np.int64]:
        """The columns for which something is offered."""
        return np.flatnonzero(self.ids)

    def in_order_of(self, other: Row) -> NDArray[np.int64]:
        """The offered columns in the order in which another row that offers the same has them."""
        if self.columns.same(other.columns):
            return self.offered
        there = self.columns.aligned(other.columns)[self.offered]
        return self.offered[np.argsort(there, kind="stable")]

    def _numbers_in(self, other: Row) -> Ids:
        """Per next-hop set the number that another row has for it, or -1."""
        number = {hops: i for i, hops in enumerate(other.sets)}
        return np.array([number.get(hops, -1) for hops in self.sets], dtype=np.int32)

    def unlike(self, other: Row, mine: Mask, theirs: Mask) -> list[Prefix]:
        """The prefixes whose cells differ in two rows of one source, or are in one of them only.

        Args:
            other: the other row, of the same source.
            mine, theirs: the columns that count.
        """
        there = self.columns.aligned(other.columns)
        ids = self.ids if self.sets == other.sets else self._numbers_in(other)[self.ids]
        ids, held = np.where(mine, ids, 0), np.where(theirs, other.ids, 0)
        found = np.where(there >= 0, held[there], 0)
        differs = ids != found
        both = (ids > 0) & (found > 0)
        for one, two in zip(self.values, other.values, strict=True):
            differs |= both & (one != two[there])
        prefixes = [self.columns.prefixes[c] for c in np.flatnonzero(differs).tolist()]
        back = other.columns.aligned(self.columns)
        gone = np.flatnonzero((held > 0) & (back < 0)).tolist()
        return [*prefixes, *(other.columns.prefixes[column] for column in gone)]

    def apart(self, other: Row) -> bool:
        """True if it is certain that another row offers nothing that this one offers."""
        return False

    @cached_property
    def sets_in_use(self) -> list[int]:
        """The numbers of the next-hop sets of its columns."""
        found = np.bincount(self.ids, minlength=1).nonzero()[0]
        return [number for number in found.tolist() if number]

    def find(self, prefix: Prefix) -> int | None:
        """The column of a prefix, if something is offered for it."""
        column = self.columns.number.get(prefix)
        return column if column is not None and self.ids[column] else None

    def routes(self) -> Iterator[Route]:
        """Every candidate, made anew."""
        for column in np.flatnonzero(self.ids).tolist():
            yield self.route(column)


class SameLines:
    """Which numbered announcements of another set rest on the same lines as those of this one.

    Numbers need not agree: a subnet that is gone moves all that are numbered after it.
    """

    def __init__(self) -> None:
        self._other: object = None
        self._there: Ids = np.zeros(0, dtype=np.int32)

    def hold(
        self,
        numbers: Ids,
        other: object,
        theirs: Ids,
        count: int,
        same: Callable[[int, int], bool],
    ) -> bool:
        """True if announcements of two sets, pair by pair, rest on the same lines.

        Args:
            numbers, theirs: pair by pair, the number here and there.
            other: the other set.
            count: how many numbers there are here.
            same: compares the lines of one pair; asked once for each pair that holds.
        """
        if self._other is not other or self._there.size != count:
            self._other, self._there = other, np.full(count, -1, dtype=np.int32)
        new = self._there[numbers] != theirs
        if not new.any():
            return True
        pairs = dict.fromkeys(zip(numbers[new].tolist(), theirs[new].tolist(), strict=True))
        for here, there in pairs:
            if not same(here, there):
                return False
            self._there[here] = there
        return True


def unlike_lines(
    numbers: Ids, theirs: Ids, where: Mask, count: int, same: Callable[[int, int], bool]
) -> Mask:
    """Per cell whether its announcement rests on other lines than one of another set.

    Args:
        numbers, theirs: cell by cell, the number here and there.
        where: the cells that count; the others may say anything.
        count: how many numbers there are here.
        same: compares the lines of one pair; asked once for each number that occurs.
    """
    if not where.any():
        return np.zeros_like(where)
    # Most cells of one number here have one number there.
    there = np.full(count, -1, dtype=np.int32)
    there[numbers[where]] = theirs[where]
    out: Mask = there[numbers] != theirs
    used = np.flatnonzero(there >= 0)
    bad = [
        here
        for here, other in zip(used.tolist(), there[used].tolist(), strict=True)
        if not same(here, other)
    ]
    if bad:
        odd = np.zeros(count, dtype=bool)
        odd[bad] = True
        out |= odd[numbers]
    return out


class Reasons:
    """The lines that numbered announcements rest on, and how they compare to another set's."""

    def __init__(self, origins: list[Origin]) -> None:
        self.origins = origins
        self._lines: dict[int, tuple[Source, ...]] = {}
        self._same = SameLines()

    def lines(self, number: int) -> tuple[Source, ...]:
        """The lines of one announcement."""
        found = self._lines.get(number)
        if found is None:
            found = self._lines[number] = self.origins[number].evidence()
        return found

    def unlike(
        self,
        numbers: Ids,
        other: Reasons,
        theirs: Ids,
        where: Mask,
        same: Callable[[tuple[Source, ...], tuple[Source, ...]], bool],
    ) -> Mask:
        """Per cell whether it rests on other lines than a cell of another set; see
        `unlike_lines`."""
        return unlike_lines(
            numbers,
            theirs,
            where,
            len(self.origins),
            lambda here, there: same(self.lines(here), other.lines(there)),
        )

    def alike(
        self,
        numbers: Ids,
        other: Reasons,
        theirs: Ids,
        same: Callable[[tuple[Source, ...], tuple[Source, ...]], bool],
    ) -> bool:
        """True if announcements of two sets, pair by pair, rest on the same lines."""

        def hold(here: int, there: int) -> bool:
            return same(self.lines(here), other.lines(there))

        return self._same.hold(numbers, other, theirs, len(self.origins), hold)


Offer = Route | Row


def singly(offers: Iterable[Offer]) -> list[Route]:
    """Every candidate as an object of its own, in the order offered."""
    out: list[Route] = []
    for offer in offers:
        if isinstance(offer, Row):
            out.extend(offer.routes())
        else:
            out.append(offer)
    return out


def prefixes_of(tables: Iterable[Winners]) -> set[Prefix]:
    """Every prefix that any of some tables has a winner for. Most have the same ones."""
    out: set[Prefix] = set()
    masks: dict[int, tuple[Columns, Mask]] = {}
    for table in tables:
        out.update(table.alone)
        for row, mask in table.rows:
            held = masks.get(id(row.columns))
            masks[id(row.columns)] = row.columns, mask if held is None else held[1] | mask
    for columns, mask in masks.values():
        out.update(columns.prefixes[column] for column in np.flatnonzero(mask).tolist())
    return out


class Winners(Mapping[Prefix, Route]):
    """The selected route per prefix.

    Args:
        alone: routes that are objects already; they answer for their prefixes.
        rows: sources with the columns whose cells nothing competes with.
    """

    __slots__ = ("_alone_lengths", "_lengths", "_made", "alone", "rows")

    def __init__(self, alone: dict[Prefix, Route], rows: list[tuple[Row, Mask]]) -> None:
        self.alone, self.rows = alone, rows
        self._made: dict[Prefix, Route] = {}
        self._lengths: list[int] | None = None
        self._alone_lengths: list[int] | None = None

    def get(self, prefix: Prefix, default: object = None) -> Route | None:  # type: ignore[override]
        found = self.alone.get(prefix)
        if found is not None or not self.rows:
            return found
        found = self._made.get(prefix)
        if found is None:
            for row, mask in self.rows:
                column = row.columns.number.get(prefix)
                if column is not None and mask[column]:
                    found = row.route(column)
                    found.selected = True
                    self._made[prefix] = found
                    break
        return found

    def longest(self, address: Address) -> Route | None:
        """The winner of the longest prefix that holds an address; None if there is none."""
        found = self.longest_prefix(address)
        return None if found is None else self.get(found)

    def longest_prefix(self, address: Address) -> Prefix | None:
        """The longest prefix with a winner that holds an address; None if there is none."""
        cell: Prefix | None = None
        for row, mask in self.rows:
            columns = row.columns
            for column in columns.holding(address):
                if mask[column]:
                    prefix = columns.prefixes[column]
                    if cell is None or prefix.length > cell.length:
                        cell = prefix
                    break
        if self._alone_lengths is None:
            self._alone_lengths = sorted({p.length for p in self.alone}, reverse=True)
        for length in self._alone_lengths:
            if cell is not None and length < cell.length:
                break
            prefix = prefix_of(address, length)
            if prefix in self.alone:
                return prefix
        return cell

    def __getitem__(self, prefix: Prefix) -> Route:
        found = self.get(prefix)
        if found is None:
            raise KeyError(prefix)
        return found

    def __contains__(self, prefix: object) -> bool:
        return prefix in self.alone or any(
            (column := row.columns.number.get(prefix)) is not None and mask[column]  # type: ignore[call-overload]
            for row, mask in self.rows
        )

    def __iter__(self) -> Iterator[Prefix]:
        yield from self.alone
        for row, mask in self.rows:
            prefixes = row.columns.prefixes
            for column in np.flatnonzero(mask).tolist():
                yield prefixes[column]

    def __len__(self) -> int:
        return len(self.alone) + sum(int(mask.sum()) for _, mask in self.rows)

    def cells(self) -> Iterator[Route]:
        """The routes of all cells; who needs few of them asks for those."""
        for row, mask in self.rows:
            prefixes = row.columns.prefixes
            for column in np.flatnonzero(mask).tolist():
                yield self[prefixes[column]]

    @property
    def lengths(self) -> list[int]:
        """Every prefix length that may be in use, longest first."""
        if self._lengths is None:
            found = {prefix.length for prefix in self.alone}
            for row, _ in self.rows:
                found |= row.columns.lengths
            self._lengths = sorted(found, reverse=True)
        return self._lengths

    def alike(self, other: Winners) -> bool:
        """True if both have the same winners; reasons are not compared."""
        if len(self.rows) != len(other.rows) or self.alone.keys() != other.alone.keys():
            return False
        for (row, mask), (their, theirs) in zip(self.rows, other.rows, strict=True):
            if not (row is their or row.same(their)) or not np.array_equal(mask, theirs):
                return False
        return all(
            route is other.alone[prefix] or essence(route) == essence(other.alone[prefix])
            for prefix, route in self.alone.items()
        )

    def unlike(self, other: Winners) -> set[Prefix]:
        """Every prefix whose winner may be another one in both; all others have the same."""
        out = {
            prefix
            for prefix in self.alone.keys() | other.alone.keys()
            if self.alone.get(prefix) is not other.alone.get(prefix)
        }
        kinds = [type(row) for row, _ in self.rows]
        if kinds == [type(row) for row, _ in other.rows]:
            for (row, mask), (their, theirs) in zip(self.rows, other.rows, strict=True):
                if row is not their or not np.array_equal(mask, theirs):
                    out.update(row.unlike(their, mask, theirs))
            return out
        return out | {*self, *other}

    def over(self, alone: Mapping[Prefix, Route]) -> Winners:
        """The same with some routes put over it. Their prefixes must not be in a cell."""
        return Winners({**self.alone, **alone}, self.rows)

    def without(self, prefixes: Iterable[Prefix]) -> Winners:
        """The same without the routes to some prefixes."""
        alone, rows = dict(self.alone), [(row, mask.copy()) for row, mask in self.rows]
        for prefix in prefixes:
            alone.pop(prefix, None)
            for row, mask in rows:
                column = row.columns.number.get(prefix)
                if column is not None:
                    mask[column] = False
        return Winners(alone, rows)
