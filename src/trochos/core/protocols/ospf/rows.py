"""OSPF's candidates as a table takes them: one line of the domain's arrays each."""

from __future__ import annotations

from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...network.addressing import Prefix
from ...network.ospf import OspfHabits
from ...step.routes import Route
from ...step.rows import Ids, Row
from ..again import alike
from .choice import Externals
from .holdings import NOTHING, Holdings
from .router import EXTERNAL_2, Router

TYPES = ("intra-area", "inter-area", "external-1", "external-2", "nssa-1", "nssa-2")


class Terms(NamedTuple):
    """How a router takes its routes into its table."""

    distances: tuple[int, int, int, int]
    """Of routes inside areas, between areas, and of externals of type 1 and 2."""
    limit: int | None
    """How many equal ways are used."""

    @classmethod
    def of(cls, router: Router) -> Terms:
        process = router.process
        fallback = process.distance.get("all", router.device.profile.habit(OspfHabits).distance)
        external = process.distance.get("external", fallback)
        distances = (
            process.distance.get("intra-area", fallback),
            process.distance.get("inter-area", fallback),
            external,
            external,
        )
        return cls(distances, process.max_paths.value if process.max_paths else None)


def _distances(terms: Terms) -> NDArray[np.int64]:
    """The distance by the kind of a cell."""
    out = np.full(NOTHING + 1, -1, dtype=np.int64)
    out[: len(terms.distances)] = terms.distances
    return out


class _OspfRow(Row):
    protocol = "ospf"

    def __init__(self, row: int, terms: Terms, ids: Ids, held: Holdings) -> None:
        self.row, self.terms = row, terms
        if terms.limit is None:
            self.ids, self.sets = ids, held.sets[row].hops
        else:
            # Sets are cut here, and numbered as before.
            self.ids = ids
            self.sets = [hops[: terms.limit] for hops in held.sets[row].hops]

    def apart(self, other: Row) -> bool:
        return isinstance(other, _OspfRow) and type(other) is not type(self)


class InternalRow(_OspfRow):
    """A router's routes inside and between areas."""

    def __init__(self, held: Holdings, row: int, terms: Terms) -> None:
        super().__init__(row, terms, held.ids[row], held)
        self.held, self.columns = held, held.columns

    def route(self, column: int) -> Route:
        held, row = self.held, self.row
        kind, number = int(held.kind[row, column]), int(held.who[row, column])
        return Route(
            self.columns.prefixes[column],
            "ospf",
            self.terms.distances[kind],
            int(held.cost[row, column]),
            self.sets[self.ids[column]],
            held.origins.lines(number),
            type=TYPES[kind],
            origin=held.origins.get(number),
        )

    def unlike_cells(self, other: Row) -> tuple[list[int], list[Prefix]] | None:
        if not isinstance(other, InternalRow) or self.terms != other.terms:
            return None
        found = self.held.unlike(other.held)
        return None if found is None else found.of(self.row)

    @cached_property
    def values(self) -> tuple[NDArray[Any], ...]:
        kind = self.held.kind[self.row]
        return kind, self.held.cost[self.row], _distances(self.terms)[kind]

    def _rests_on(self, columns: NDArray[np.int64]) -> Ids:
        """Per column the announcement whose lines it rests on."""
        return self.held.origins.first(self.held.who[self.row][columns])

    def rest_on_same(
        self, columns: NDArray[np.int64], other: Row, theirs: NDArray[np.int64]
    ) -> bool:
        assert isinstance(other, InternalRow)
        origins = self.held.origins
        return origins.alike(self._rests_on(columns), other.held.origins, other._rests_on(theirs))


class ExternalRow(_OspfRow):
    """A router's externals, for prefixes that it has no internal way to."""

    def __init__(self, externals: Externals, row: int, terms: Terms, held: Holdings) -> None:
        super().__init__(row, terms, externals.ids[row], held)
        self.externals, self.columns = externals, externals.columns

    def route(self, column: int) -> Route:
        found, row = self.externals, self.row
        kind, item = int(found.kind[row, column]), found.items[found.who[row, column]]
        metric = item.metric if kind == EXTERNAL_2 else int(found.cost[row, column])
        return Route(
            self.columns.prefixes[column],
            "ospf",
            self.terms.distances[kind],
            metric,
            self.sets[self.ids[column]],
            found.reasons.lines(int(found.who[row, column])),
            type=TYPES[kind + 2 if item.area is not None else kind],
            origin=item.origin,
            tag=item.tag,
        )

    def unlike_cells(self, other: Row) -> tuple[list[int], list[Prefix]] | None:
        if not isinstance(other, ExternalRow) or self.terms != other.terms:
            return None
        found = self.externals.unlike(other.externals)
        return None if found is None else found.of(self.row)

    @cached_property
    def values(self) -> tuple[NDArray[Any], ...]:
        found, row = self.externals, self.row
        who, kind = found.who[row], found.kind[row]
        metric = np.where(kind == EXTERNAL_2, found.metrics[who], found.cost[row])
        return kind, metric, _distances(self.terms)[kind], found.within[who], found.tags[who]

    def rest_on_same(
        self, columns: NDArray[np.int64], other: Row, theirs: NDArray[np.int64]
    ) -> bool:
        assert isinstance(other, ExternalRow)
        mine, there = self.externals, other.externals
        return mine.reasons.alike(
            mine.who[self.row][columns], there.reasons, there.who[other.row][theirs], alike
        )
