"""All routers of one OSPF version together, and each one's routes.

The order follows from who depends on whom: paths inside every area (`areas`, `spf`); what
borders announce into the backbone, their own inter-area routes, what they announce into the
other areas (`borders`); externals on top of all that (`externals`, `choice`).
"""

from __future__ import annotations

from collections import defaultdict

from ...network.addressing import Prefix, dotted
from ...network.facts import Network, Unmodelled
from ...network.ospf import AreaRange, OspfHabits, OspfProcess
from ...network.source import Source
from ..links import Links
from ..routes import NextHop, Origin, Refusal, Route
from . import virtual
from .areas import Areas
from .borders import Borders
from .choice import Choice
from .externals import External
from .interfaces import ends_of
from .neighbours import Adjacencies, find
from .router import BACKBONE, EXTERNAL_2, INTRA, Best, Router, offer
from .spf import FAR, Advert, AreaGraph, Edge, Key

TYPES = ("intra-area", "inter-area", "external-1", "external-2", "nssa-1", "nssa-2")


class OspfDomain:
    """One version of OSPF over a whole network.

    `adjacencies` holds every neighbour relation. `routes` gives the candidates of every
    router for a given set of externals; everything below externals is computed once.
    """

    def __init__(self, network: Network, links: Links, version: int) -> None:
        self.version, self.family = version, 4 if version == 2 else 6
        self.routers: dict[str, Router] = {}
        for device in network.devices:
            for process in device.routing.of(OspfProcess):
                if process.version == version:
                    ends = ends_of(device, process, links)
                    self.routers[device.name] = Router(device, process, ends)
        everyone = [end for router in self.routers.values() for end in router.ends]
        self.adjacencies: Adjacencies = find(everyone, links)
        self._internal: dict[str, list[Route]] = {}
        self._lines: dict[int, tuple[Origin, tuple[Source, ...]]] = {}
        self._areas = Areas(self.routers, self.adjacencies)
        self.graphs: dict[int, AreaGraph] = self._areas.graphs
        self._inside()
        self.borders = Borders(self.family, self.routers, self.graphs, self.adjacencies)

    def _inside(self) -> None:
        for number, graph in self.graphs.items():
            if number != BACKBONE:
                graph.solve()
        self._virtual_links()
        if BACKBONE in self.graphs:
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
        for number, graph in self.graphs.items():
            for node, name in enumerate(graph.nodes):
                origin = Origin(name, f"{name} is in area {dotted(number)}")
                graph.adverts[("router", name)] = [Advert(node, 0, origin)]
            for key, adverts in graph.adverts.items():
                total, masks, who = graph.column(adverts)
                for node, name in enumerate(graph.nodes):
                    cost = total[node]
                    if cost >= FAR:
                        continue
                    nearest = adverts[who[node]]
                    origin = nearest.origin
                    own = nearest.interface if nearest.node == node else None
                    router = self.routers[name]
                    if own is not None and len(adverts) > 1:
                        if router.device.profile.habit(OspfHabits).own_stub_blinds_to_transit:
                            if _is_blind(graph, adverts, node):
                                continue
                    hops = graph.hops(node, masks[node])
                    if own is not None:
                        hops = (NextHop("forward", None, own), *hops)
                    best = Best(INTRA, cost, hops, number, origin, own=own)
                    if isinstance(key, Prefix):
                        offer(router.best, key, best)
                    elif key[1] != name:
                        router.ways.setdefault(key[1], []).append(best)

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

    def routes(self, announced: dict[str, list[External]]) -> dict[str, list[Route]]:
        """The candidates of every router, given what each announces as external."""
        choice = Choice(self.family, self.routers, self.graphs, self.borders, announced)
        out: dict[str, list[Route]] = {}
        for name, router in self.routers.items():
            internal = self._internal.get(name)
            if internal is None:
                internal = self._internal[name] = [
                    *self._candidates(router, router.best),
                    *self._discards(router),
                ]
            out[name] = [*internal, *self._candidates(router, choice.of(router))]
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

    def _candidates(self, router: Router, best: dict[Key, Best]) -> list[Route]:
        process = router.process
        habits = router.device.profile.habit(OspfHabits)
        fallback = process.distance.get("all", habits.distance)
        distances = (
            process.distance.get("intra-area", fallback),
            process.distance.get("inter-area", fallback),
            process.distance.get("external", fallback),
            process.distance.get("external", fallback),
        )
        limit = process.max_paths.value if process.max_paths else None
        out: list[Route] = []
        evidence = self._evidence
        for key, item in best.items():
            if not isinstance(key, Prefix) or not item.hops:
                continue
            hops = item.hops if limit is None else item.hops[:limit]
            kind = item.kind + 2 if item.nssa else item.kind
            metric = item.metric2 if item.kind == EXTERNAL_2 else item.cost
            out.append(
                Route(
                    key,
                    "ospf",
                    distances[item.kind],
                    metric,
                    hops,
                    evidence(item.origin),
                    type=TYPES[kind],
                    origin=item.origin,
                    tag=item.tag,
                )
            )
        return out

    def _discards(self, router: Router) -> list[Route]:
        """What a border holds for its ranges, so that nothing in them loops."""
        habits = router.device.profile.habit(OspfHabits)
        if not habits.range_discards:
            return []
        distance = router.process.distance.get("all", habits.distance)
        return [
            _discard(found, distance)
            for found, _ in router.discards
            if (found.advertise or habits.hidden_range_discards) and found.prefix not in router.best
        ]

    def _evidence(self, origin: Origin) -> tuple[Source, ...]:
        found = self._lines.get(id(origin))
        if found is None:
            # The origin is kept beside its lines, so that no other can take its identity.
            found = self._lines[id(origin)] = (origin, origin.evidence())
        return found[1]

    def why_not_passed(self, name: str, prefix: Prefix, target: int) -> Refusal | None:
        """Why a border does not announce a prefix it holds into an area."""
        return self.borders.why_not_passed(name, prefix, target)


def _discard(found: AreaRange, distance: int) -> Route:
    origin = Origin(
        found.source.device,
        f"{found.source.device} discards what lies in its range {found.prefix} and in no "
        "network of it",
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
