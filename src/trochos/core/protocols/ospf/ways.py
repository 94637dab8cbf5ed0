"""The ways to routers that announce externals or pass them on (RFC 2328, 16.4 (3) and 16.4.1)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..shortest import FAR, Sets
from .holdings import Costs, Mask
from .origins import Numbers, Origins
from .router import BACKBONE, INTRA, Best, Router


@dataclass(slots=True)
class Layer:
    """What the routers of one area know of one kind; `cost` is FAR where there is no way."""

    kind: int
    area: int
    rows: NDArray[np.int64]
    cost: Costs
    ids: Numbers
    who: Numbers


class Chosen(NamedTuple):
    """One router's preferred way to each announcer; `cost` is FAR where there is none."""

    kind: NDArray[np.int64]
    cost: Costs
    ids: Numbers
    area: NDArray[np.int64]
    who: Numbers


class Ways:
    """All of them: a layer per area and kind."""

    def __init__(self, family: int, names: Sequence[str], origins: Origins, sets: list[Sets]):
        self.family = family
        self.names = list(names)
        self.number = {name: i for i, name in enumerate(names)}
        self.origins, self.sets = origins, sets
        self.layers: list[Layer] = []
        self._of: dict[int, list[tuple[Layer, int]]] = {}
        self._announces: dict[int, Mask] = {}
        self._used: dict[int, Chosen] = {}

    def add(self, layer: Layer) -> None:
        self.layers.append(layer)
        for node, row in enumerate(layer.rows.tolist()):
            self._of.setdefault(row, []).append((layer, node))

    def shows(self, area: int, announcers: Mask) -> None:
        """Takes note of who shows itself in an area as one that may announce externals."""
        self._announces[area] = announcers

    def layers_of(self, row: int) -> list[tuple[Layer, int]]:
        """The layers in which a router has a line, each with the line's number."""
        return self._of.get(row, [])

    def within(self, row: int) -> Mask:
        """The announcers to which a router has a way inside an area."""
        out = np.zeros(len(self.names), dtype=bool)
        for layer, node in self._of.get(row, ()):
            if layer.kind == INTRA:
                out |= layer.cost[node] < FAR
        return out

    def has(self, row: int, name: str) -> bool:
        """True if a router has any way to an announcer."""
        number = self.number.get(name)
        return number is not None and any(
            layer.cost[node, number] < FAR for layer, node in self._of.get(row, ())
        )

    def preferred(self, row: int, router: Router) -> Chosen:
        """The preferred of several ways (16.4.1): inside another area first.

        Version 3 compares only ways through areas where the announcer may announce externals.
        """
        held = self._of.get(row, [])
        count = len(self.names)
        if not held or not count:
            nothing = np.zeros(count, dtype=np.int64)
            none = np.zeros(count, dtype=np.int32)
            return Chosen(nothing, np.full(count, FAR), none, nothing, none)
        kind = np.array([layer.kind for layer, _ in held], dtype=np.int64)[:, None]
        area = np.array([layer.area for layer, _ in held], dtype=np.int64)[:, None]
        cost = np.stack([layer.cost[node] for layer, node in held])
        valid = cost < FAR
        if self.family == 6:
            shown = np.stack([self.announcing(layer.area) for layer, _ in held])
            valid &= (kind != INTRA) | shown
            key = (kind << 41) + cost
        else:
            if not router.process.rfc1583:
                inside = valid & (kind == INTRA) & (area != BACKBONE)
                valid = np.where(inside.any(axis=0), inside, valid)
            key = (cost << 33) + ((1 << 32) - area)
        key = np.where(valid, key, np.iinfo(np.int64).max)
        which = key.argmin(axis=0)
        place = np.arange(count)
        found = np.where(valid[which, place], cost[which, place], FAR)
        ids = np.stack([layer.ids[node] for layer, node in held])[which, place]
        who = np.stack([layer.who[node] for layer, node in held])[which, place]
        return Chosen(kind[which, 0], found, ids, area[which, 0], who)

    def used(self, row: int, router: Router) -> Chosen:
        """The ways by which externals are reached: an announcer that is reached inside an area
        must show itself there. To be asked when no layer will come or change."""
        known = self._used.get(row)
        if known is not None:
            return known
        chosen = self.preferred(row, router)
        cost = chosen.cost.copy()
        for area in np.unique(chosen.area[(chosen.kind == INTRA) & (cost < FAR)]).tolist():
            hidden = (chosen.kind == INTRA) & (chosen.area == area) & ~self.announcing(area)
            cost[hidden] = FAR
        found = self._used[row] = chosen._replace(cost=cost)
        return found

    def best(self, row: int, router: Router, name: str) -> Best | None:
        """The preferred way to one announcer."""
        number = self.number.get(name)
        if number is None:
            return None
        chosen = self.preferred(row, router)
        if chosen.cost[number] >= FAR:
            return None
        return Best(
            int(chosen.kind[number]),
            int(chosen.cost[number]),
            self.sets[row].hops[chosen.ids[number]],
            int(chosen.area[number]),
            self.origins.get(int(chosen.who[number])),
        )

    def announcing(self, area: int) -> Mask:
        """Who shows itself in an area as one that may announce externals."""
        found = self._announces.get(area)
        return found if found is not None else np.zeros(len(self.names), dtype=bool)
