"""Where what a router holds came from, by number: most are never asked about.

A border of a large network passes thousands of prefixes on, and each of them would have a sentence
of its own. So arrays hold numbers, and the sentence is made for the cell that somebody looks at.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ...network.source import Source
from ...step.routes import Origin
from ...step.rows import SameLines, unlike_lines
from ..again import alike

Numbers = NDArray[np.int32]
Make = Callable[[int, Origin], Origin]


class Origins:
    """All announcements of a domain. Each has the area in which it was heard and, where it is a
    subnet of the announcer's own, the announcer's row and interface."""

    def __init__(self) -> None:
        self._starts: list[int] = []
        self._parts: list[list[Origin] | tuple[Numbers, Make]] = []
        self._areas: list[NDArray[np.int64]] = []
        self._rows: list[NDArray[np.int64]] = []
        self._own: dict[int, tuple[int, str]] = {}
        self._count = 0
        nothing = np.zeros(0, dtype=np.int64)
        self._joined = 0, nothing, nothing, np.zeros(0, dtype=np.int32)
        self._seen = 0
        self._made: dict[int, Origin] = {}
        self._same = SameLines()
        self._lines: dict[int, tuple[Source, ...]] = {}

    def one(self, origin: Origin, area: int) -> int:
        """Takes one in that is no subnet of the announcer's own; its number."""
        return self._add([origin], 1, area, -1)

    def several(self, origins: list[Origin], area: int) -> int:
        """Takes some in that are no subnets of the announcers' own; the number of the first."""
        return self._add(origins, len(origins), area, -1)

    def owned(
        self, origins: list[Origin], area: int, rows: NDArray[np.int64], ports: list[str | None]
    ) -> int:
        """Takes some in with the announcers' rows and, of subnets of their own, the interfaces; the
        number of the first."""
        first = self._add(origins, len(origins), area, rows)
        for number, (row, port) in enumerate(zip(rows.tolist(), ports, strict=True), first):
            if port is not None:
                self._own[number] = row, port
        return first

    def passed_on(self, before: Numbers, area: int, make: Make) -> int:
        """Takes announcements in that pass others on; the number of the first.

        Args:
            before: the numbers of what is passed on.
            area: where they are heard.
            make: the origin of one of them, from its place in `before` and what it passes on.
        """
        return self._add((before, make), before.size, area, -1)

    def _add(
        self,
        part: list[Origin] | tuple[Numbers, Make],
        count: int,
        area: int,
        row: int | NDArray[np.int64],
    ) -> int:
        first = self._count
        self._starts.append(first)
        self._parts.append(part)
        self._areas.append(np.full(count, area, dtype=np.int64))
        self._rows.append(np.full(count, row, dtype=np.int64))
        self._count += count
        return first

    def _arrays(self) -> tuple[int, NDArray[np.int64], NDArray[np.int64], Numbers]:
        known, areas, rows, first = self._joined
        if known != self._count:
            areas = np.concatenate([areas, *self._areas])
            rows = np.concatenate([rows, *self._rows])
            first = np.concatenate([first, np.arange(known, self._count, dtype=np.int32)])
            for start, part in zip(
                self._starts[self._seen :], self._parts[self._seen :], strict=True
            ):
                if isinstance(part, tuple):
                    # What is passed on was taken in earlier, so its own first is known.
                    first[start : start + part[0].size] = first[part[0]]
            self._areas, self._rows, self._seen = [], [], len(self._parts)
            self._joined = self._count, areas, rows, first
        return self._joined

    def areas(self, numbers: Numbers) -> NDArray[np.int64]:
        """The areas in which announcements are heard."""
        found: NDArray[np.int64] = self._arrays()[1][numbers]
        return found

    def own_interface(self, number: int, row: int) -> str | None:
        """The router's own interface, if an announcement is of a subnet of its own."""
        held = self._own.get(number)
        return held[1] if held is not None and held[0] == row else None

    def owned_by(self, numbers: Numbers, row: int | NDArray[np.int64]) -> NDArray[np.bool_]:
        """True for announcements of a router's own subnets; of one router, or a line each."""
        found: NDArray[np.bool_] = self._arrays()[2][numbers] == row
        return found

    def first(self, numbers: Numbers) -> Numbers:
        """What each announcement passes on in the end: the one whose lines it rests on."""
        found: Numbers = self._arrays()[3][numbers]
        return found

    def alike(self, numbers: Numbers, other: Origins, theirs: Numbers) -> bool:
        """True if announcements of two domains, pair by pair, rest on the same lines."""

        def hold(here: int, there: int) -> bool:
            return alike(self.lines(here), other.lines(there))

        return self._same.hold(numbers, other, theirs, self._count, hold)

    def unlike(
        self, numbers: Numbers, other: Origins, theirs: Numbers, where: NDArray[np.bool_]
    ) -> NDArray[np.bool_]:
        """Per cell whether announcements rest on other lines than those of another domain.

        Args:
            numbers, theirs: what announcements pass on in the end (`first`), cell by cell.
            where: the cells that count; the others may say anything.
        """

        def same(here: int, there: int) -> bool:
            # What was found inside an area that did not change was taken over.
            one, two = self.get(here), other.get(there)
            return one is two or alike(self.lines(here), other.lines(there))

        return unlike_lines(numbers, theirs, where, self._count, same)

    def get(self, number: int) -> Origin:
        """The announcement itself, made at its first use."""
        at = bisect_right(self._starts, number) - 1
        part, place = self._parts[at], number - self._starts[at]
        if isinstance(part, list):
            return part[place]
        found = self._made.get(number)
        if found is None:
            before, make = part
            found = self._made[number] = make(place, self.get(int(before[place])))
        return found

    def lines(self, number: int) -> tuple[Source, ...]:
        """The lines that an announcement rests on."""
        number = int(self._arrays()[3][number])
        found = self._lines.get(number)
        if found is None:
            found = self._lines[number] = self.get(number).evidence()
        return found
