"""What flows against the way of packets: a matrix of bits per device and address, 64 addresses to a
word, spread along all edges at once."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

Words = NDArray[np.uint64]
Bools = NDArray[np.bool_]

_PART = 1 << 22
"""How many words are gathered at a time."""


def pack(bits: Bools) -> Words:
    """Rows of booleans as rows of words."""
    packed = np.packbits(bits, axis=-1, bitorder="little")
    count = packed.shape[-1]
    width = -(-bits.shape[-1] // 64) * 8
    if count != width:
        whole = np.zeros((*packed.shape[:-1], width), dtype=np.uint8)
        whole[..., :count] = packed
        packed = whole
    return packed.view(np.uint64)


def unpack(words: Words, count: int) -> Bools:
    """The first `count` booleans of rows of words."""
    flat = np.ascontiguousarray(words).view(np.uint8)
    return np.unpackbits(flat, axis=-1, count=count, bitorder="little").view(bool)


class Edges:
    """Which device hands packets for which addresses to which other one."""

    def __init__(self, rows: int, columns: int) -> None:
        self.rows, self.columns = rows, columns
        self._here: list[int] = []
        self._there: list[int] = []
        self._masks: list[Words] = []
        self.here = self.there = np.zeros(0, dtype=np.int64)
        self.masks: Words = np.zeros((0, -(-columns // 64)), dtype=np.uint64)
        self._starts = np.zeros(0, dtype=np.int64)
        self._sources = np.zeros(0, dtype=np.int64)

    def add(self, here: int, leads: Mapping[int, Bools]) -> None:
        """Takes in what one device hands on: per other device the addresses. Devices are told in
        the order of their rows."""
        if not leads:
            return
        self._here += [here] * len(leads)
        self._there += leads
        self._masks.append(pack(np.stack([*leads.values()])))

    def close(self) -> None:
        """No more edges will come."""
        if not self._here:
            return
        self.here, self.there = np.array(self._here), np.array(self._there)
        self.masks = np.concatenate(self._masks)
        self._masks.clear()
        first = np.flatnonzero(np.diff(self.here, prepend=-1))
        self._starts, self._sources = first, self.here[first]

    def from_any(self, matrix: Words, which: NDArray[np.int64] | None = None) -> Words:
        """Per device that hands packets on: the addresses for which any device that it hands them
        to has its bit. With `which` only for those (places in `sources`)."""
        starts = self._starts
        ends = np.append(starts[1:], self.here.size)
        if which is None:
            which = np.arange(starts.size)
        out = np.zeros((which.size, self.masks.shape[1]), dtype=np.uint64)
        sizes = ends[which] - starts[which]
        step = max(1, _PART // max(1, self.masks.shape[1]))
        at = 0
        while at < which.size:
            # As many devices as together have about so many edges.
            upto = at + max(1, int(np.searchsorted(np.cumsum(sizes[at:]), step, side="right")))
            chosen = which[at:upto]
            count = sizes[at:upto]
            offsets = np.cumsum(count) - count
            edges = np.repeat(starts[chosen] - offsets, count) + np.arange(count.sum())
            reached = self.masks[edges] & matrix[self.there[edges]]
            out[at:upto] = np.bitwise_or.reduceat(reached, offsets, axis=0)
            at = upto
        return out

    @property
    def sources(self) -> NDArray[np.int64]:
        """The devices that hand packets on."""
        return self._sources

    @property
    def starts(self) -> NDArray[np.int64]:
        """Per device in `sources` where its edges begin."""
        return self._starts

    def _beside(self, changed: NDArray[np.int64]) -> NDArray[np.int64]:
        """The places in `sources` of those that hand packets to a changed device."""
        hit = np.zeros(self.rows, dtype=bool)
        hit[changed] = True
        found = np.zeros(self.rows, dtype=bool)
        found[self.here[hit[self.there]]] = True
        return np.flatnonzero(found[self._sources])

    def spread(self, matrix: Words) -> None:
        """Adds to every device what those have to which it hands packets, over any number of
        steps: the least fixed point, in place."""
        changed = np.arange(self.rows)
        while changed.size:
            which = self._beside(changed)
            rows = self._sources[which]
            new = matrix[rows] | self.from_any(matrix, which)
            moved = (new != matrix[rows]).any(axis=1)
            matrix[rows[moved]] = new[moved]
            changed = rows[moved]

    def walking(self, rounds: int) -> tuple[Words, Words | None]:
        """The addresses for which packets walk on for ever: the greatest fixed point; and those
        for which they still walk after so many steps, if anything does."""
        all_rows = np.arange(self._sources.size)
        here: Words = np.zeros((self.rows, self.masks.shape[1]), dtype=np.uint64)
        if not self.here.size:
            return here, None
        here[self._sources] = np.bitwise_or.reduceat(self.masks, self._starts, axis=0)
        spent: Words | None = None
        steps, which = 1, all_rows
        while True:
            if steps == rounds:
                spent = here.copy()
            rows = self._sources[which]
            further = self.from_any(here, which)
            moved = (further != here[rows]).any(axis=1)
            if not moved.any():
                return here, spent
            here[rows[moved]] = further[moved]
            which = self._beside(rows[moved])
            steps += 1
