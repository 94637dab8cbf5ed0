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
    """A router's preferred way to each announcer, or those of several routers, a row each; `cost`
    is FAR where there is none."""

    kind: NDArray[np.int64]
    cost: Costs
    ids: Numbers
    area: NDArray[np.int64]
    who: Numbers

    def of(self, line: int) -> Chosen:
        """One of several routers'."""
        return Chosen(*(array[line] for array in self))


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
        self._used: dict[bytes, tuple[Costs, Numbers]] = {}

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
        if not held or not self.names:
            return self._nothing(1).of(0)
        layers = [layer for layer, _ in held]
        nodes = [np.array([node], dtype=np.int64) for _, node in held]
        return self._preferred(layers, nodes, router.process.rfc1583).of(0)

    def used(self, rows: NDArray[np.int64], routers: Sequence[Router]) -> tuple[Costs, Numbers]:
        """The ways by which some routers reach externals, a row each: the cost to each announcer,
        and the next hops. An announcer that is reached inside an area must show itself there. To be
        asked when no layer will come or change."""
        key = rows.tobytes()
        known = self._used.get(key)
        if known is None:
            known = self._used[key] = self._find_used(rows, routers)
        return known

    def _find_used(
        self, rows: NDArray[np.int64], routers: Sequence[Router]
    ) -> tuple[Costs, Numbers]:
        # Routers of the same areas are looked at together.
        alike: dict[tuple[object, ...], list[int]] = {}
        for line, (row, router) in enumerate(zip(rows.tolist(), routers, strict=True)):
            layers = tuple(id(layer) for layer, _ in self._of.get(row, ()))
            alike.setdefault((router.process.rfc1583, *layers), []).append(line)
        costs = np.full((rows.size, len(self.names)), FAR, dtype=np.int64)
        ids = np.zeros(costs.shape, dtype=np.int32)
        for lines in alike.values():
            held = [self._of.get(int(rows[line]), []) for line in lines]
            if not held[0] or not self.names:
                continue
            layers_here = [layer for layer, _ in held[0]]
            nodes = [np.array([of[i][1] for of in held]) for i in range(len(layers_here))]
            found = self._preferred(layers_here, nodes, routers[lines[0]].process.rfc1583)
            for area in {layer.area for layer in layers_here if layer.kind == INTRA}:
                inside = (found.kind == INTRA) & (found.area == area)
                found.cost[inside & ~self.announcing(area)] = FAR
            costs[lines], ids[lines] = found.cost, found.ids
        return costs, ids

    def _nothing(self, routers: int) -> Chosen:
        shape = (routers, len(self.names))
        nothing, none = np.zeros(shape, dtype=np.int64), np.zeros(shape, dtype=np.int32)
        return Chosen(nothing, np.full(shape, FAR), none, nothing, none)

    def _preferred(
        self, layers: list[Layer], nodes: list[NDArray[np.int64]], rfc1583: bool
    ) -> Chosen:
        """`preferred` for some routers of the same areas.

        Args:
            layers: those in which they have lines.
            nodes: per layer the lines of all of them.
            rfc1583: whether they compare as that RFC says.

        Returns:
            Arrays of shape (routers, announcers).
        """
        kind = np.array([layer.kind for layer in layers], dtype=np.int64)
        area = np.array([layer.area for layer in layers], dtype=np.int64)
        cost = np.stack([layer.cost[at] for layer, at in zip(layers, nodes, strict=True)])
        valid = cost < FAR
        kinds, areas = kind[:, None, None], area[:, None, None]
        if self.family == 6:
            shown = np.stack([self.announcing(layer.area) for layer in layers])
            valid &= (kinds != INTRA) | shown[:, None, :]
            key = (kinds << 41) + cost
        else:
            if not rfc1583:
                inside = valid & (kinds == INTRA) & (areas != BACKBONE)
                valid = np.where(inside.any(axis=0), inside, valid)
            key = (cost << 33) + ((1 << 32) - areas)
        key = np.where(valid, key, np.iinfo(np.int64).max)
        which = key.argmin(axis=0)[None]
        held = [np.stack([layer.ids[at] for layer, at in zip(layers, nodes, strict=True)])]
        held.append(np.stack([layer.who[at] for layer, at in zip(layers, nodes, strict=True)]))
        ids, who = (np.take_along_axis(array, which, axis=0)[0] for array in held)
        known = np.take_along_axis(valid, which, axis=0)[0]
        found = np.where(known, np.take_along_axis(cost, which, axis=0)[0], FAR)
        return Chosen(kind[which[0]], found, ids, area[which[0]], who)

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
