"""Which route every device obeys for every address, and which of its routes go the same ways.

A device has many routes and few ways out: what follows of a packet depends on the ways alone. In a
changed copy of a network a device that obeys the same table is not asked again, and one whose table
differs for few prefixes (`Table.unlike_followed`) is asked for the addresses under those.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..network.addressing import Address, Prefix
from ..step.routes import Route
from ..step.rows import Winners
from .again import Earlier
from .matching import Places, match_columns
from .view import Forwarding

MOST = 200
"""Of more addresses than this each is dearer to look up than all are to match at once."""


class Under:
    """Which of some addresses lie in a prefix; many devices ask for the same few prefixes."""

    def __init__(self, addresses: list[Address]) -> None:
        """`addresses` are sorted, and of one family."""
        self.addresses = addresses
        self._known: dict[Prefix, range] = {}

    def columns(self, prefixes: Iterable[Prefix]) -> list[int]:
        """The places of all addresses that lie in any of some prefixes, in order."""
        found: set[int] = set()
        for prefix in prefixes:
            found.update(self._under(prefix))
        return sorted(found)

    def longest(self, prefixes: Iterable[Prefix]) -> dict[int, Prefix]:
        """Per place the longest of some prefixes in which its address lies, if it does in any."""
        out: dict[int, Prefix] = {}
        for prefix in sorted(prefixes, key=lambda p: p.length):
            out.update(dict.fromkeys(self._under(prefix), prefix))
        return out

    def _under(self, prefix: Prefix) -> range:
        known = self._known.get(prefix)
        if known is None:
            first, last = (Address(prefix.family, v) for v in (prefix.network, prefix.last))
            known = self._known[prefix] = range(
                bisect_left(self.addresses, first), bisect_right(self.addresses, last)
            )
        return known


def rematched(
    before: Winners, after: Winners, prefixes: frozenset[Prefix], under: Under
) -> list[tuple[int, Route | None]] | None:
    """For which addresses a device goes by another route than before, and which one (None: none).

    Args:
        before, after: what it obeyed, and what it obeys.
        prefixes: those whose winners have other next hops, or are not in both.
        under: the addresses.

    Returns:
        (place of the address, route) in the order of places; None if there are too many.
    """
    columns = under.columns(prefixes)
    if len(columns) > MOST:
        return None
    out: list[tuple[int, Route | None]] = []
    then = under.longest(p for p in prefixes if p in before)
    now = under.longest(p for p in prefixes if p in after)
    for column in columns:
        # What is longer than the longest that differs is the same before and after.
        found = after.longest_prefix(under.addresses[column])
        was, becomes = then.get(column), now.get(column)
        least = -1 if found is None else found.length
        now_other = becomes is not None and becomes.length == least
        if now_other or (was is not None and was.length > least):
            out.append((column, None if found is None else after[found]))
    return out


Moved = list[tuple[int, Route | None]]
"""(column, the route that it matches now); None where it matches none."""


class Matches:
    """The matches of one family, by row (device) and column (address)."""

    def __init__(
        self,
        views: Sequence[Forwarding],
        family: int,
        names: list[str],
        addresses: list[Address],
        held: tuple[Earlier[Any], Matches] | None,
    ) -> None:
        """`views` are that of the network, and of the one from before a change; `held` is what is
        known of before, and its matches."""
        self._views, self._forwarding = views, views[0]
        self._family, self._names, self._addresses = family, names, addresses
        self.few: dict[int, NDArray[np.int64]] = {}
        """Per row that matches other routes than before the change for few columns: those."""
        self.index: Places
        """Which of the device's routes matches, or -1."""
        self.routes: list[list[Route]]
        self.index, self.routes = self._match(held)
        self.ways: Places = np.full_like(self.index, -1)
        """A route that stands for all with the same next hops, or -1."""
        self.positions: list[list[int]] = []
        """Per row the numbers that occur in `ways`, perhaps with some that match nothing."""
        self._first: list[dict[tuple[object, ...], int]] = []
        """Per row the number of the first route with some next hops."""
        for row in range(len(names)):
            if held is not None and held[0].same[row]:
                self.positions.append(held[1].positions[row])
                self._first.append(held[1]._first[row])
                self.ways[row] = held[1].ways[row]
            elif held is not None and row in self.few:
                self._group_few(row, held[1])
            else:
                self._group(row)
        # What is kept of a copy must not keep what it was made of.
        self._views = ()

    def _match(self, held: tuple[Earlier[Any], Matches] | None) -> tuple[Places, list[list[Route]]]:
        """The longest matches; where a device obeys the same table as before, those of then."""
        view = self._forwarding
        # What strangers may change, or others told without being certain, differs by the route.
        singly = bool(view.strangers) or view.tells_unsure
        few: dict[int, Moved] = {}
        changed = [*range(len(self._names))]
        if held is not None:
            few = {} if singly else self._rematched(*held)
            changed = [row for row in changed if not held[0].same[row] and row not in few]
        tables = [view.obeyed(self._names[row], self._family) for row in changed]
        index, routes = match_columns(tables, self._addresses, singly)
        if held is None:
            return index, routes
        before = held[1]
        merged = before.index.astype(np.result_type(before.index, index))
        merged[changed] = index
        theirs = [*before.routes]
        for row, found in zip(changed, routes, strict=True):
            theirs[row] = found
        for row, moved in few.items():
            # What matches now gets a number of its own, behind all that were there.
            number = len(theirs[row])
            theirs[row] = [*theirs[row], *(route for _, route in moved if route is not None)]
            for column, route in moved:
                merged[row, column] = -1 if route is None else number
                number += route is not None
            self.few[row] = np.array([column for column, _ in moved], dtype=np.int64)
        return merged, theirs

    def _rematched(self, earlier: Earlier[Any], before: Matches) -> dict[int, Moved]:
        """Per row whose table differs for few prefixes: the columns that match another route."""
        under, out = Under(self._addresses), {}
        # Numbers of routes are kept short, and some are added.
        room = np.iinfo(before.index.dtype).max - MOST
        for row, prefixes in earlier.patched.items():
            now, then = (view.obeyed(self._names[row], self._family) for view in self._views)
            tables = (view.tables.of(self._names[row], self._family) for view in self._views)
            if any(t.best is not w for t, w in zip(tables, (now, then), strict=True)):
                continue
            found = rematched(then, now, prefixes, under)
            if found is not None and len(before.routes[row]) < room:
                out[row] = found
        return out

    def _group(self, row: int) -> None:
        first: dict[tuple[object, ...], int] = {}
        stands = self._stands(row, 0, first)
        self._first.append(first)
        self.positions.append(np.unique(stands).tolist())
        if stands.size:
            index = self.index[row]
            self.ways[row] = np.where(index >= 0, stands[np.maximum(index, 0)], -1)

    def _group_few(self, row: int, before: Matches) -> None:
        """The routes from before stand where they stood, and those behind them are new."""
        known, some = len(before.routes[row]), self.few[row]
        first = dict(before._first[row])
        stands = self._stands(row, known, first)
        self._first.append(first)
        self.ways[row] = before.ways[row]
        self.ways[row, some] = -1
        new = self.index[row, some] >= known
        self.ways[row, some[new]] = stands[self.index[row, some[new]] - known]
        added = {*stands.tolist()} - {*before.positions[row]}
        self.positions.append([*before.positions[row], *sorted(added)])

    def _stands(
        self, row: int, known: int, first: dict[tuple[object, ...], int]
    ) -> NDArray[np.int32]:
        """For each route from a number on the first one with the same ways, which `first` knows and
        learns."""
        view, name = self._forwarding, self._names[row]
        unsure = view.tells_unsure
        return np.array(
            [
                first.setdefault(
                    (
                        route.obeyed_hops or route.wanted,
                        route.problem,
                        route.protocol in ("connected", "local"),
                        unsure and bool(view.not_computed(name, self._family, route)),
                    ),
                    position,
                )
                for position, route in enumerate(self.routes[row][known:], known)
            ],
            dtype=np.int32,
        )
