"""The rows of all pairs, counted without building them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..network.addressing import Address
from ..step.verdicts import BIT, RANK, WORST_FIRST
from .families import FamilyReach
from .pings import PARTLY, YES, worst_of

Mask = NDArray[np.bool_]
Asked = Iterable[tuple[Mask, NDArray[np.int8], Address | None]]
"""Per source (None: the device's own choice) which columns count, and what pings show there."""


@dataclass(slots=True)
class Counts:
    """How many rows there are, how many work, and how the ways out end."""

    pairs: int = 0
    ok: int = 0
    partly: int = 0
    outbound: dict[str, int] = field(default_factory=dict)

    def document(self) -> dict[str, object]:
        """As `reach --summary` prints it."""
        return {
            "pairs": self.pairs,
            "ok": self.ok,
            "partly": self.partly,
            "outbound": dict(sorted(self.outbound.items())),
        }

    def walked(self, verdict: str, ok: object) -> None:
        """Counts one row that was walked."""
        self.pairs += 1
        self.ok += ok is True
        self.partly += ok == "partly"
        self._ends(verdict, 1)

    def alike(self, columns: Mask, states: NDArray[np.int8], sources: int) -> None:
        """Counts columns where packets surely arrive and every source shows the same."""
        count = int(np.count_nonzero(columns))
        if not count:
            return
        self.pairs += count * sources
        self.ok += sources * int(np.count_nonzero(columns & (states == YES)))
        self.partly += sources * int(np.count_nonzero(columns & (states == PARTLY)))
        self._ends("delivered", count * sources)

    def asked(
        self, table: FamilyReach, row: int, some: NDArray[np.int64], unsent: Mask, asked: Asked
    ) -> None:
        """Counts what arrays say of some columns.

        Args:
            table: of one family.
            row: the device that asks.
            some: the columns.
            unsent: for which of them the device finds no source: what would arrive never leaves.
            asked: per source which of them count, and what pings show.
        """
        # How often each column counts: once per source.
        times = np.zeros(some.size, dtype=np.int64)
        alone = 0
        bits = table.bits[row, some]
        for mask, states, source in asked:
            times += mask
            if source is None:
                alone = int(np.count_nonzero(unsent & mask & (bits == BIT["delivered"])))
            self.ok += int(np.count_nonzero(mask & (states == YES)))
            self.partly += int(np.count_nonzero(mask & (states == PARTLY)))
        self.pairs += int(times.sum())
        counts = np.bincount(worst_of(bits), times, len(WORST_FIRST) + 1).astype(int)
        counts[RANK["delivered"]] -= alone
        counts[RANK["no-source"]] += alone
        for verdict, count in zip((*WORST_FIRST, "unknown"), counts.tolist(), strict=True):
            self._ends(verdict, count)

    def _ends(self, verdict: str, count: int) -> None:
        if count:
            self.outbound[verdict] = self.outbound.get(verdict, 0) + count
