"""Shortest paths inside one area or level, for all of its routers at once.

Networks with several routers are not vertices here: a way into a network costs what the
router's interface costs, the way out of it costs nothing, so each ordered pair of routers
on it is one edge (RFC 2328, section 16.1, gives the same distances). All weights are then
at least one, and an edge lies on a shortest path exactly if `w + D[v, t] == D[u, t]`.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..network.addressing import Prefix
from ..step.routes import NextHop, Origin
from ..step.rows import HopSets

FAR = np.int64(1) << 40
"""A distance no way reaches."""
SMALL = 160
"""Up to so many routers distances are found by passing (7 ms there): an import costs more."""


@dataclass(slots=True)
class Edge:
    """A way from router `start` to router `end` and the next hops it stands for."""

    start: int
    end: int
    cost: int
    hops: tuple[NextHop, ...]


@dataclass(slots=True)
class Advert:
    """A router announces something at a cost of its own."""

    node: int
    cost: int
    origin: Origin
    interface: str | None = None
    """The announcer's own interface, if this is a subnet of its own."""
    transit: bool = False
    """The prefix of a network that several routers share, by one of those attached."""


@dataclass(slots=True)
class AreaGraph:
    """One area: its routers, the ways between them, and what each announces."""

    id: int
    nodes: list[str] = field(default_factory=list)
    index: dict[str, int] = field(default_factory=dict)
    edges: list[Edge] = field(default_factory=list)
    adverts: dict[Prefix, list[Advert]] = field(default_factory=dict)
    distance: NDArray[np.int64] = field(default_factory=lambda: np.zeros((0, 0), np.int64))
    masks: NDArray[Any] = field(default_factory=lambda: np.zeros((0, 0), np.uint64))
    out_edges: list[list[Edge]] = field(default_factory=list)
    _hops: list[dict[int, tuple[NextHop, ...]]] = field(default_factory=list)

    def node(self, device: str) -> int:
        """The number of a router in this area, given at its first use."""
        found = self.index.get(device)
        if found is None:
            found = self.index[device] = len(self.nodes)
            self.nodes.append(device)
        return found

    def solve(self) -> None:
        """Distances and equal-cost next hops between all pairs of routers."""
        count = len(self.nodes)
        best: dict[tuple[int, int], int] = {}
        self.out_edges = [[] for _ in range(count)]
        for edge in self.edges:
            key = (edge.start, edge.end)
            best[key] = min(best.get(key, edge.cost), edge.cost)
            self.out_edges[edge.start].append(edge)
        rows = np.fromiter((k[0] for k in best), np.int64, len(best))
        columns = np.fromiter((k[1] for k in best), np.int64, len(best))
        weights = np.fromiter(best.values(), np.int64, len(best))
        solve = by_passing if count <= SMALL else by_growing
        self.distance = solve(count, rows, columns, weights)
        many = max((len(edges) for edges in self.out_edges), default=0) > 63
        self.masks = np.zeros((count, count), object if many else np.uint64)
        for start, edges in enumerate(self.out_edges):
            reached = self.distance[start] < FAR
            reached[start] = False
            for bit, edge in enumerate(edges):
                on_way = reached & (edge.cost + self.distance[edge.end] == self.distance[start])
                self.masks[start, on_way] |= 1 << bit if many else np.uint64(1 << bit)
        self._hops = [{0: ()} for _ in range(count)]

    def hops(self, node: int, mask: int) -> tuple[NextHop, ...]:
        """The next hops that a mask of out-edges stands for, sorted."""
        known = self._hops[node]
        found = known.get(mask)
        if found is None:
            collected: dict[NextHop, None] = {}
            for bit, edge in enumerate(self.out_edges[node]):
                if mask >> bit & 1:
                    collected.update(dict.fromkeys(edge.hops))
            found = known[mask] = tuple(sorted(collected, key=hop_order))
        return found

    def nearest(self, columns: int) -> Nearest:
        """For some columns of announcements, to be told one after the other."""
        return Nearest(self, columns)


Numbers = NDArray[np.int64]


def by_passing(count: int, rows: Numbers, columns: Numbers, weights: Numbers) -> Numbers:
    """All distances, by letting ways pass one router after the other (Floyd and Warshall): the
    fastest for areas of usual size, and without another package, whose import costs a quarter of a
    second.

    Args:
        count: how many routers there are.
        rows, columns: the edges, each ordered pair at most once.
        weights: the cost of each.

    Returns:
        Distances from row to column; FAR where no way leads.
    """
    found = np.full((count, count), FAR, dtype=np.int64)
    found[rows, columns] = weights
    np.fill_diagonal(found, 0)
    for middle in range(count):
        np.minimum(found, found[:, middle, None] + found[None, middle], out=found)
    np.minimum(found, FAR, out=found)
    return found


def by_growing(count: int, rows: Numbers, columns: Numbers, weights: Numbers) -> Numbers:
    """The same by growing a tree from each router (Dijkstra), for areas in which few of all pairs
    are edges."""
    # Imported where it is needed: most networks have no such area.
    from scipy.sparse import csr_array
    from scipy.sparse.csgraph import dijkstra

    shape = (count, count)
    graph = csr_array((weights.astype(np.float64), (rows, columns)), shape=shape)
    found = dijkstra(graph, directed=True)
    return np.where(np.isinf(found), FAR, found).astype(np.int64)


class Nearest:
    """Per router of an area and column: how far the nearest announcer is, the mask of the ways
    there, and which announcement it is (-1: none)."""

    def __init__(self, graph: AreaGraph, columns: int) -> None:
        self.graph = graph
        shape = (len(graph.nodes), columns)
        self.total = np.full(shape, FAR * 2, dtype=np.int64)
        self.masks = np.zeros(shape, dtype=graph.masks.dtype)
        self.who = np.full(shape, -1, dtype=np.int32)

    def told(
        self,
        nodes: NDArray[np.int64],
        columns: NDArray[np.int64],
        costs: NDArray[np.int64],
        who: NDArray[np.int32],
        by_itself: bool,
    ) -> None:
        """Takes one announcement per column, by `nodes` at `costs`.

        With `by_itself` an announcer names its own where another is as near; without, it does not
        listen to itself.
        """
        graph = self.graph
        other = graph.distance[:, nodes] + costs
        place = np.arange(nodes.size)
        if not by_itself:
            other[nodes, place] = FAR
        total, masks = self.total[:, columns], self.masks[:, columns]
        nearer, equal = other < total, other == total
        theirs = graph.masks[:, nodes]
        self.masks[:, columns] = np.where(nearer, theirs, np.where(equal, masks | theirs, masks))
        self.total[:, columns] = np.minimum(total, other)
        if by_itself:
            nearer[nodes, place] |= equal[nodes, place]
        self.who[:, columns] = np.where(nearer, who, self.who[:, columns])


_FEW = 1 << 12


class Sets:
    """The next-hop sets of one router; 0 is the empty one."""

    __slots__ = ("_number", "_unions", "hops")

    def __init__(self) -> None:
        self.hops: HopSets = [()]
        self._number: dict[tuple[NextHop, ...], int] = {(): 0}
        self._unions: dict[tuple[int, int], int] = {}

    def copy(self) -> Sets:
        """The same sets under the same numbers; what is added to either is its own."""
        out = Sets()
        out.hops = [*self.hops]
        out._number, out._unions = {**self._number}, {**self._unions}
        return out

    def number(self, hops: tuple[NextHop, ...]) -> int:
        found = self._number.get(hops)
        if found is None:
            found = self._number[hops] = len(self.hops)
            self.hops.append(hops)
        return found

    def known(self, other: Sets) -> NDArray[np.int32]:
        """Per set of another router its number here, or -1."""
        return np.array([self._number.get(hops, -1) for hops in other.hops], dtype=np.int32)

    def union(self, one: int, other: int) -> int:
        """The set of both together, sorted."""
        found = self._unions.get((one, other))
        if found is None:
            both = {*self.hops[one], *self.hops[other]}
            found = self.number(tuple(sorted(both, key=hop_order)))
            self._unions[one, other] = found
        return found


def numbers_of(graph: AreaGraph, masks: NDArray[Any], sets: list[Sets]) -> NDArray[np.int32]:
    """The next-hop sets that masks of out-edges stand for, of shape (routers of the area, any)."""
    out = np.zeros(masks.shape, dtype=np.int32)
    few = masks.dtype != object and masks.size > 0 and int(masks.max()) < _FEW
    for node, line in enumerate(masks):
        held = sets[node]
        if few:
            # Routers have few ways out: a place for each mask is found faster than by sorting.
            places = line.astype(np.int64)
            number = np.zeros(int(places.max()) + 1, dtype=np.int32)
            kinds = np.flatnonzero(np.bincount(places))
            number[kinds] = [held.number(graph.hops(node, mask)) for mask in kinds.tolist()]
            out[node] = number[places]
            continue
        kinds, inverse = np.unique(line, return_inverse=True)
        known = [held.number(graph.hops(node, int(mask))) for mask in kinds]
        out[node] = np.array(known, dtype=np.int32)[inverse]
    return out


def hop_order(hop: NextHop) -> tuple[int, int, str]:
    """The order in which next hops of one route are listed: by address, then interface."""
    if hop.address is None:
        return (1, 0, hop.interface or "")
    return (0, hop.address.value, hop.interface or "")
