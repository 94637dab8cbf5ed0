"""What borders announce into one area, gathered border by border (RFC 2328, 12.4.3)."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...network import claims
from ...network.addressing import Prefix
from ...network.claims import Claim
from ...step.routes import Origin
from ..shortest import Advert, AreaGraph, Nearest
from .holdings import Costs
from .origins import Numbers, Origins


class Told(NamedTuple):
    """One border's announcements: columns of what, at which costs, and which origins."""

    node: int
    columns: NDArray[np.int64]
    costs: Costs
    who: Numbers


@dataclass(frozen=True, slots=True)
class PassedOn:
    """The claim of a border that passes on what it holds from one area into another."""

    border: str
    names: tuple[Prefix | str, ...]
    source: str
    into: str

    def __call__(self, place: int, before: Origin) -> Origin:
        claim = Claim(claims.PASSED_ON, self.border, self.names[place], self.source, self.into)
        return Origin(claim, (), before)


@dataclass(slots=True)
class Summaries:
    """All announcements into one area: of prefixes, and of routers that announce externals."""

    area: int
    prefixes: list[Told] = field(default_factory=list)
    routers: list[Told] = field(default_factory=list)

    def adverts(self, told: list[Told], origins: Origins) -> dict[int, list[Advert]]:
        """The same as a list of announcements per column."""
        out: dict[int, list[Advert]] = {}
        for item in told:
            for column, cost, who in zip(
                item.columns.tolist(), item.costs.tolist(), item.who.tolist(), strict=True
            ):
                out.setdefault(column, []).append(Advert(item.node, cost, origins.get(who)))
        return out

    @staticmethod
    def nearest(graph: AreaGraph, told: list[Told]) -> tuple[NDArray[np.int64], Nearest]:
        """The columns that are announced, and the nearest announcement of each per router."""
        columns = np.unique(np.concatenate([item.columns for item in told]))
        found = graph.nearest(columns.size)
        for item in told:
            place = np.searchsorted(columns, item.columns)
            nodes = np.full(place.size, item.node, dtype=np.int64)
            found.told(nodes, place, item.costs, item.who, by_itself=False)
        return columns, found
