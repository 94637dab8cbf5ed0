"""The areas' graphs: which routers are in which area, the ways between them, what each announces.

RFC 2328, section 12.4.1 (router links) and 12.4.2 (networks with several routers).
"""

from __future__ import annotations

from collections import defaultdict

from ...network import claims
from ...network.addressing import Prefix, dotted, host_prefix
from ...network.claims import Claim
from ...step.routes import NextHop, Origin
from ..shortest import Advert, AreaGraph, Edge
from .interfaces import LOOPBACK, ONE_OF_MANY, SHARED, OspfEnd
from .neighbours import Adjacencies
from .router import Router

Parts = tuple[object, ...]
"""What the graph of an area follows from: objects that never change."""


class Areas:
    """Builds the graph of every area from the adjacencies."""

    def __init__(
        self, routers: dict[str, Router], adjacencies: Adjacencies, before: Areas | None = None
    ) -> None:
        """`before` are those of the same routers before a change: an area that follows from the
        same ends and relations is taken over, with its shortest paths."""
        self.routers, self.adjacencies = routers, adjacencies
        self.graphs: dict[int, AreaGraph] = {}
        self._origins: dict[tuple[str, Prefix], Origin] = {}
        self._parts = self._follow_from()
        self.kept: set[int] = set()
        """The areas that were taken over."""
        if before is not None:
            self.kept = {
                number
                for number, parts in self._parts.items()
                if number in before.graphs and _same_objects(parts, before._parts.get(number))
            }
        self._build(before)

    def _follow_from(self) -> dict[int, Parts]:
        """Per area what its graph follows from; areas that one medium joins are not among them."""
        out: dict[int, list[object]] = defaultdict(list)
        for router in self.routers.values():
            for end in router.ends:
                if end.active and end.area is not None:
                    out[end.area.value].append(end)
        for left, right in self.adjacencies.full:
            for end in (left, right):
                if end.area is not None:
                    out[end.area.value] += [left, right]
        joined: set[int] = set()
        for group in self.adjacencies.groups:
            areas = {end.area.value for end in group.members if end.area is not None}
            for number in areas:
                out[number] += [group.designated, *group.members]
            if len(areas) > 1:
                joined |= areas
        return {number: tuple(parts) for number, parts in out.items() if number not in joined}

    def _build(self, before: Areas | None) -> None:
        for name, router in self.routers.items():
            areas = {e.area.value for e in router.ends if e.active and e.area is not None}
            router.areas = sorted(areas)
            for number in router.areas:
                if before is not None and number in self.kept:
                    self.graphs.setdefault(number, before.graphs[number])
                else:
                    self.graph(number).node(name)
        in_transit: set[int] = set()
        for group in self.adjacencies.groups:
            chosen = group.designated
            if chosen is None or chosen.area is None or chosen.area.value in self.kept:
                continue
            if chosen.network_type not in SHARED:
                # The others wait for a network that this end, being point to point, never makes.
                in_transit |= {id(e) for e in group.members if e.network_type in SHARED}
                continue
            attached = [chosen]
            for left, right in self.adjacencies.full:
                other = right if left is chosen else left if right is chosen else None
                if other is not None and _same_kind(chosen, other):
                    attached.append(other)
            if len(attached) < 2:
                continue
            graph = self.graph(chosen.area.value)
            for one in attached:
                in_transit.add(id(one))
                for prefix, _ in chosen.prefixes:
                    self._advertise(graph, one, prefix, _transit_cost(one), True)
                for other in attached:
                    if other is not one:
                        self._edge(graph, one, other)
        for left, right in self.adjacencies.full:
            if left.area is None or id(left) in in_transit or id(right) in in_transit:
                continue
            if left.area.value in self.kept:
                continue
            if not _same_kind(left, right) or left.network_type in SHARED:
                continue
            graph = self.graph(left.area.value)
            self._edge(graph, left, right)
            self._edge(graph, right, left)
        for router in self.routers.values():
            for end in router.ends:
                if end.active and end.area is not None and id(end) not in in_transit:
                    if end.area.value not in self.kept:
                        self._stub(end)

    def graph(self, number: int) -> AreaGraph:
        """The graph of an area, made at its first use."""
        graph = self.graphs.get(number)
        if graph is None:
            graph = self.graphs[number] = AreaGraph(number)
        return graph

    def _edge(self, graph: AreaGraph, start: OspfEnd, end: OspfEnd) -> None:
        cost = _transit_cost(start)
        # Where both ends share no subnet, the neighbour is on the link all the same.
        onlink = (
            start.fact is not None
            and end.address is not None
            and start.network_type not in SHARED
            and not start.fact.connected.contains(end.address)
        )
        hop = NextHop("forward", end.address, start.interface.name, onlink=onlink)
        graph.edges.append(Edge(graph.node(start.device), graph.node(end.device), cost, (hop,)))

    def _stub(self, end: OspfEnd) -> None:
        assert end.area is not None
        if end.unnumbered:
            return  # there is no subnet to announce
        graph = self.graph(end.area.value)
        for prefix, _ in end.prefixes:
            if end.network_type == LOOPBACK and end.process.version == 2:
                if end.address is not None:
                    self._advertise(graph, end, host_prefix(end.address), 0)
            elif end.network_type == "point-to-multipoint" and end.address is not None:
                self._advertise(graph, end, host_prefix(end.address), 0)
            else:
                self._advertise(graph, end, prefix, end.cost)

    def _advertise(
        self, graph: AreaGraph, end: OspfEnd, prefix: Prefix, cost: int, transit: bool = False
    ) -> None:
        assert end.area is not None
        key = (f"{end.device} {end.interface.name} {end.area.value}", prefix)
        origin = self._origins.get(key)
        if origin is None:
            lines = [end.area.source]
            for held, source in end.prefixes:
                if held.covers(prefix):
                    lines.append(source)
            into = f"in area {dotted(end.area.value)}"
            claim = Claim(claims.OWN, end.device, prefix, end.interface.name, into)
            origin = self._origins[key] = Origin(claim, tuple(lines))
        advert = Advert(graph.node(end.device), cost, origin, end.interface.name, transit)
        graph.adverts.setdefault(prefix, []).append(advert)


def _same_objects(parts: Parts, others: Parts | None) -> bool:
    return (
        others is not None
        and len(parts) == len(others)
        and all(one is other for one, other in zip(parts, others, strict=True))
    )


def _transit_cost(end: OspfEnd) -> int:
    """The cost of a way through a router; one that is told not to be passed says so."""
    stub = end.process.stub_router
    return ONE_OF_MANY if stub is not None and stub.value else end.cost


def _same_kind(left: OspfEnd, right: OspfEnd) -> bool:
    """True if both treat the link alike: one of many, or point to point."""
    return (left.network_type in SHARED) == (right.network_type in SHARED)
