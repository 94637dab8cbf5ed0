"""All routers of one OSPF version together, and each one's routes.

The order follows from who depends on whom: paths inside every area (`areas`, `shortest`); what
borders announce into the backbone, their own inter-area routes, what they announce into the
other areas (`borders`); externals on top of all that (`externals`, `choice`).
"""

from __future__ import annotations

from collections import defaultdict
from functools import partial
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...network import claims
from ...network.addressing import Prefix, dotted
from ...network.claims import Claim
from ...network.facts import Network, Unmodelled
from ...network.ospf import AreaRange, OspfHabits, OspfProcess
from ...step.links import Links
from ...step.routes import NextHop, Origin, Refusal, Route
from ...step.rows import Offer
from ..shortest import FAR, Advert, AreaGraph, Edge, Sets, numbers_of
from . import virtual
from .areas import Areas
from .borders import Borders
from .choice import Choice, Externals
from .externals import External
from .holdings import Costs, Holdings, Mask
from .interfaces import ends_of
from .neighbours import Adjacencies, find
from .origins import Numbers, Origins
from .router import BACKBONE, INTRA, Router
from .rows import ExternalRow, InternalRow, Terms
from .ways import Layer, Ways


class _WaysInside(NamedTuple):
    """The ways to announcers inside one area, as a `Layer`; `who` counts from the first of
    `origins`."""

    origins: list[Origin]
    cost: Costs
    ids: Numbers
    who: Numbers


class _RoutesInside(NamedTuple):
    """What the routers of one area hold for the prefixes that are announced there, of shape
    (routers, prefixes); `who` counts from the first of `origins`, of which each has the announcer's
    row and, of a subnet of its own, the interface."""

    keys: list[Prefix]
    origins: list[Origin]
    rows: NDArray[np.int64]
    ports: list[str | None]
    total: Costs
    ids: Numbers
    who: Numbers
    valid: Mask


class _Block(NamedTuple):
    """What was found inside one area; nothing of it changes later."""

    ways: _WaysInside | None
    routes: _RoutesInside | None


class OspfDomain:
    """One version of OSPF over a whole network.

    `adjacencies` holds every neighbour relation. `routes` gives the candidates of every
    router for a given set of externals; everything below externals is computed once.
    """

    def __init__(
        self, network: Network, links: Links, version: int, before: OspfDomain | None = None
    ) -> None:
        """`before` is that of the network of which this is a changed copy; everything is the same
        without it."""
        self.version, self.family = version, 4 if version == 2 else 6
        self.routers: dict[str, Router] = {}
        for device in network.devices:
            for number, process in enumerate(device.routing.of(OspfProcess)):
                if process.version == version:
                    ends = links.of_device(
                        f"ends of process {number}",
                        device,
                        partial(ends_of, device, process, links),
                    )
                    self.routers[device.name] = Router(device, process, ends)
        everyone = [end for router in self.routers.values() for end in router.ends]
        self.adjacencies: Adjacencies = find(everyone, links)
        self.origins = Origins()
        if before is not None and not self._has_the_routers_of(before):
            before = None
        self._areas: Areas = Areas(
            self.routers, self.adjacencies, before._areas if before else None
        )
        self.graphs: dict[int, AreaGraph] = self._areas.graphs
        self._solve()
        sets = before.held.sets if before is not None else None
        self.held: Holdings = Holdings(self.routers, self._prefixes(), self.origins, sets)
        self.ways = Ways(self.family, self._announcers(), self.origins, self.held.sets)
        self._blocks: dict[int, _Block] = {}
        """What was found inside each area."""
        self._inside(before)
        self.borders = Borders(
            self.family, self.routers, self.graphs, self.adjacencies, self.held, self.ways
        )
        self._internal: dict[str, list[Offer]] = {}
        self._chosen: Externals | None = None
        """What was chosen last."""

    def _has_the_routers_of(self, before: OspfDomain) -> bool:
        """True if both have the same routers, and no area is crossed by a virtual link: such a link
        changes what was found."""
        return [*self.routers] == [*before.routers] and not any(
            router.process.virtual_links
            for domain in (self, before)
            for router in domain.routers.values()
        )

    def _solve(self) -> None:
        for number, graph in self.graphs.items():
            if number != BACKBONE and number not in self._areas.kept:
                graph.solve()
        self._virtual_links()
        if BACKBONE in self.graphs and BACKBONE not in self._areas.kept:
            self.graphs[BACKBONE].solve()
        for router in self.routers.values():
            kind = router.process.border_type or router.device.profile.habit(OspfHabits).border_type
            configured = len(set(router.process.areas) | set(router.areas))
            active = len(router.areas)
            backbone = BACKBONE in router.areas
            if (
                router.process.virtual_links
                and router.device.profile.habit(OspfHabits).virtual_link_makes_border
            ):
                configured, backbone = configured + (BACKBONE not in router.areas), True
            if kind == "standard":
                router.is_border = active > 1
            elif kind == "ibm":
                router.is_border = active > 1 and BACKBONE in router.process.areas
            else:
                router.is_border = configured > 1 and backbone

    def _prefixes(self) -> dict[Prefix, None]:
        """Every prefix that any router may announce inside or between areas."""
        out = {key: None for graph in self.graphs.values() for key in graph.adverts}
        for router in self.routers.values():
            for area in router.process.areas.values():
                for item in area.ranges:
                    out[item.substitute or item.prefix] = None
        out[Prefix(self.family, 0, 0)] = None
        return out

    def _announcers(self) -> list[str]:
        """The routers that announce externals, or may pass them on."""
        return [
            name
            for name, router in self.routers.items()
            if router.process.redistribute
            or router.process.default is not None
            or (
                router.is_border
                and any(
                    router.area(n).kind == "nssa" or router.area(n).nssa_default is not None
                    for n in router.areas
                )
            )
        ]

    def _shows(self, name: str, number: int) -> bool:
        """True if a router shows itself in an area as one that may announce externals.

        In a stub area it never does (RFC 2328, A.4.2: bit E).
        """
        router = self.routers[name]
        if router.area(number).kind == "stub":
            return False
        process = router.process
        if process.redistribute or process.default is not None:
            return True
        return router.is_border and any(router.area(n).kind == "nssa" for n in router.areas)

    def _inside(self, before: OspfDomain | None) -> None:
        """Routes and ways inside areas (16.1)."""
        for number, graph in self.graphs.items():
            names = self.ways.names
            self.ways.shows(number, np.array([self._shows(n, number) for n in names], dtype=bool))
            rows = np.array([self.held.row[name] for name in graph.nodes], dtype=np.int64)
            sets = [self.held.sets[row] for row in rows.tolist()]
            kept = before is not None and number in self._areas.kept
            held = before._blocks.get(number) if kept and before is not None else None
            alike = before is not None and names == before.ways.names
            layer = held.ways if held is not None and alike else self._ways_inside(graph, sets)
            routes = held.routes if held is not None else self._routes_inside(graph, rows, sets)
            self._blocks[number] = _Block(layer, routes)
            if layer is not None:
                first = self.origins.several(layer.origins, number)
                self.ways.add(
                    Layer(INTRA, number, rows, layer.cost, layer.ids, layer.who + np.int32(first))
                )
            if routes is not None:
                self._offer(number, rows, routes)

    def _ways_inside(self, graph: AreaGraph, sets: list[Sets]) -> _WaysInside | None:
        place = [(i, graph.index[n]) for i, n in enumerate(self.ways.names) if n in graph.index]
        if not place:
            return None
        columns, nodes = np.array(place, dtype=np.int64).T
        origins = [
            Origin(Claim(claims.INSIDE, name, into=f"area {dotted(graph.id)}"))
            for name in (graph.nodes[node] for node in nodes.tolist())
        ]
        shape = (len(graph.nodes), len(self.ways.names))
        cost = np.full(shape, FAR, dtype=np.int64)
        cost[:, columns] = graph.distance[:, nodes]
        cost[nodes, columns] = FAR
        ids, who = np.zeros(shape, np.int32), np.zeros(shape, np.int32)
        ids[:, columns] = numbers_of(graph, graph.masks[:, nodes], sets)
        who[:, columns] = np.arange(nodes.size, dtype=np.int32)
        return _WaysInside(origins, cost, ids, who)

    def _offer(self, number: int, rows: NDArray[np.int64], routes: _RoutesInside) -> None:
        """Has the routers of an area know what was found inside it."""
        first = self.origins.owned(routes.origins, number, routes.rows, routes.ports)
        columns = np.array([self.held.columns.number[key] for key in routes.keys], dtype=np.int64)
        who = routes.who + np.int32(first)
        cost = np.where(routes.valid, routes.total, 0)
        self.held.offer(rows, columns, INTRA, cost, routes.ids, who, routes.valid)

    def _routes_inside(
        self, graph: AreaGraph, rows: NDArray[np.int64], sets: list[Sets]
    ) -> _RoutesInside | None:
        if not graph.adverts:
            return None
        keys = list(graph.adverts)
        found = graph.nearest(len(keys))
        by_depth: list[list[tuple[int, Advert, int]]] = []
        told: list[Advert] = []
        own: list[tuple[int, Advert, int]] = []
        for place, key in enumerate(keys):
            for depth, advert in enumerate(graph.adverts[key]):
                number = len(told)
                told.append(advert)
                if depth == len(by_depth):
                    by_depth.append([])
                by_depth[depth].append((place, advert, number))
                if advert.interface is not None:
                    own.append((place, advert, number))
        for some in by_depth:
            found.told(
                np.array([advert.node for _, advert, _ in some], dtype=np.int64),
                np.array([place for place, _, _ in some], dtype=np.int64),
                np.array([advert.cost for _, advert, _ in some], dtype=np.int64),
                np.array([number for _, _, number in some], dtype=np.int32),
                by_itself=True,
            )
        valid = found.total < FAR
        ids = numbers_of(graph, found.masks, sets)
        for place, advert, number in own:
            node = advert.node
            if found.who[node, place] != number or not valid[node, place]:
                continue
            device = self.routers[graph.nodes[node]].device
            adverts = graph.adverts[keys[place]]
            if len(adverts) > 1 and device.profile.habit(OspfHabits).own_stub_blinds_to_transit:
                if _is_blind(graph, adverts, node):
                    valid[node, place] = False
                    continue
            hops = graph.hops(node, int(found.masks[node, place]))
            ids[node, place] = sets[node].number(
                (NextHop("forward", None, advert.interface), *hops)
            )
        return _RoutesInside(
            keys,
            [advert.origin for advert in told],
            rows[[advert.node for advert in told]],
            [advert.interface for advert in told],
            found.total,
            ids,
            found.who,
            valid,
        )

    def _virtual_links(self) -> None:
        """Backbone adjacencies across another area (RFC 2328, section 15)."""
        for relation in virtual.find(self.routers, self.graphs):
            self.adjacencies.relations.append(relation)
            if not relation.works:
                continue
            backbone = self._areas.graph(BACKBONE)
            for here, there in (relation.ends, relation.ends[::-1]):
                graph = self.graphs[here.area]
                start, end = graph.index[here.device], graph.index[there.device]
                hops = graph.hops(start, int(graph.masks[start, end]))
                nodes = backbone.node(here.device), backbone.node(there.device)
                backbone.edges.append(Edge(*nodes, here.cost, hops))
                router = self.routers[here.device]
                if BACKBONE not in router.areas:
                    router.areas = sorted({*router.areas, BACKBONE})

    def routes(self, announced: dict[str, list[External]]) -> dict[str, list[Offer]]:
        """The candidates of every router, given what each announces as external."""
        choice = Choice(self.family, self.routers, self.graphs, self.held, self.ways, announced)
        external = self._chosen = choice.solve(self._chosen)
        out: dict[str, list[Offer]] = {}
        for row, (name, router) in enumerate(self.routers.items()):
            internal = self._internal.get(name)
            if internal is None:
                internal = self._internal[name] = [
                    InternalRow(self.held, row, Terms.of(router)),
                    *self._discards(router, row),
                ]
            out[name] = [*internal]
            if external is not None:
                out[name].append(ExternalRow(external, row, Terms.of(router), self.held))
        return out

    def twins(self) -> list[tuple[int, Router, Router]]:
        """(area, router, router) that have one router id and reach each other in that area."""
        out = []
        for number, graph in sorted(self.graphs.items()):
            held: dict[int, list[int]] = defaultdict(list)
            for node, name in enumerate(graph.nodes):
                identity = self.routers[name].ends[0].router_id
                if identity is not None:
                    held[identity.value].append(node)
            for nodes in held.values():
                for index, one in enumerate(nodes):
                    for other in nodes[index + 1 :]:
                        if graph.distance[one, other] < FAR:
                            pair = (graph.nodes[one], graph.nodes[other])
                            out.append((number, self.routers[pair[0]], self.routers[pair[1]]))
        return out

    def doubts(self) -> dict[str, list[Unmodelled]]:
        """What two routers with one router id announce replaces each other for ever (13.4)."""
        out: dict[str, list[Unmodelled]] = defaultdict(list)
        for number, one, other in self.twins():
            identity = one.ends[0].router_id
            assert identity is not None
            names = f"{one.device.name} and {other.device.name}"
            why = (
                f"{names} have one router id, {dotted(identity.value)}, in area "
                f"{dotted(number)}, so what they announce replaces each other for ever"
            )
            graph = self.graphs[number]
            start = graph.index[one.device.name]
            for node, name in enumerate(graph.nodes):
                if graph.distance[start, node] < FAR:
                    out[name].append(Unmodelled(identity.source, why, self.family))
        return out

    def _discards(self, router: Router, row: int) -> list[Offer]:
        """What a border holds for its ranges, so that nothing in them loops."""
        habits = router.device.profile.habit(OspfHabits)
        if not habits.range_discards:
            return []
        distance = router.process.distance.get("all", habits.distance)
        return [
            _discard(found, distance)
            for found, _ in router.discards
            if (found.advertise or habits.hidden_range_discards)
            and self.held.best(row, found.prefix) is None
        ]

    def why_not_passed(self, name: str, prefix: Prefix, target: int) -> Refusal | None:
        """Why a border does not announce a prefix it holds into an area."""
        return self.borders.why_not_passed(name, prefix, target)


def _discard(found: AreaRange, distance: int) -> Route:
    origin = Origin(
        Claim(claims.DISCARDS, found.source.device, found.prefix, "range", "network"),
        (found.source,),
    )
    return Route(
        found.prefix,
        "ospf",
        distance,
        0,
        (NextHop("discard"),),
        (found.source,),
        type="summary",
        origin=origin,
    )


def _is_blind(graph: AreaGraph, adverts: list[Advert], node: int) -> bool:
    """True if a router's own nearer subnet is a network that others share without it."""
    if any(a.node == node and a.transit for a in adverts):
        return False
    return any(a.transit and graph.distance[node, a.node] < FAR for a in adverts)
