"""Externals on their way: which travel everywhere, which stay in an area, and who uses which.

RFC 2328, section 16.4; RFC 3101 for areas that are not so stubby.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import replace

from ...network.addressing import Address, Prefix, dotted, prefix_of
from ...network.ospf import OspfHabits
from ..routes import NextHop, Origin
from .borders import Borders
from .externals import External
from .router import EXTERNAL_1, EXTERNAL_2, INTER, INTRA, Best, Router
from .spf import FAR, AreaGraph, Key, hop_order


class Choice:
    """Distributes one set of externals, and chooses among them for each router."""

    def __init__(
        self,
        family: int,
        routers: dict[str, Router],
        graphs: dict[int, AreaGraph],
        borders: Borders,
        announced: dict[str, list[External]],
    ) -> None:
        self.family, self.routers, self.graphs, self.borders = family, routers, graphs, borders
        self.everywhere, self.within = self._spread(announced)

    def _spread(
        self, announced: dict[str, list[External]]
    ) -> tuple[list[External], dict[int, list[External]]]:
        """Which externals travel everywhere, and which stay inside one area (RFC 3101)."""
        everywhere: list[External] = []
        within: dict[int, list[External]] = defaultdict(list)
        for name, externals in announced.items():
            router = self.routers[name]
            normal = any(router.area(number).kind == "normal" for number in router.areas)
            for item in externals:
                if normal:
                    everywhere.append(item)
                for number in router.areas:
                    if router.area(number).kind != "nssa":
                        continue
                    forward = item.forward
                    if forward is None and (self.family == 6 or not router.is_border):
                        forward = self._address_in(router, number)
                    within[number].append(
                        External(
                            item.announcer,
                            item.prefix,
                            item.metric,
                            item.metric_type,
                            forward,
                            item.origin,
                            number,
                            not router.is_border,
                            item.tag,
                        )
                    )
        for router in self.routers.values():
            self._nssa_defaults(router, within)
        self._translate(everywhere, within)
        return everywhere, within

    def _nssa_defaults(self, router: Router, within: dict[int, list[External]]) -> None:
        if not router.is_border:
            return
        for number in router.areas:
            statement = router.area(number).nssa_default
            if statement is None:
                continue
            name = router.device.name
            says = f"{name} announces a default route into the area {dotted(number)}"
            within[number].append(
                External(
                    name,
                    Prefix(self.family, 0, 0),
                    1 if statement.metric is None else statement.metric,
                    statement.metric_type or 2,
                    self._address_in(router, number) if self.family == 6 else None,
                    Origin(name, says, (statement.source,)),
                    number,
                )
            )

    def _translate(self, everywhere: list[External], within: dict[int, list[External]]) -> None:
        """The border with the highest router id announces an area's externals to the rest: of
        those that reach each other, because an area may be in several parts."""
        for number, items in within.items():
            graph = self.graphs[number]
            borders = [self.routers[n] for n in graph.nodes if self.routers[n].is_border]
            always = [r for r in borders if r.area(number).translate == "always"]
            able = [r for r in borders if r.area(number).translate != "never"]
            chosen = [r for r in able if r is _highest(r, able, graph)]
            for border in {r.device.name: r for r in (*always, *chosen)}.values():
                name = border.device.name
                for item in items:
                    if not item.translate or item.announcer == name or item.prefix.is_default:
                        continue
                    if item.announcer not in border.ways:
                        continue
                    says = f"{name} passes {item.prefix} on from area {dotted(number)}"
                    passed = External(
                        name,
                        item.prefix,
                        item.metric,
                        item.metric_type,
                        item.forward,
                        Origin(name, says, (), item.origin),
                        tag=item.tag,
                    )
                    habits = border.device.profile.habit(OspfHabits)
                    if self.family == 6 and habits.translation_takes_over:
                        passed = self._taken_over(border, passed)
                    elif habits.translation_resets_metric:
                        passed = replace(passed, metric=habits.redistribute_metric, tag=0)
                    if border.area(number).suppress_forward:
                        passed = replace(passed, forward=None)
                    everywhere.append(passed)

    @staticmethod
    def _taken_over(border: Router, item: External) -> External:
        """An external that leads to the border that passes it on, and costs what it has from
        there."""
        way = None
        if item.forward is not None:
            way = _forward_route(border.best, border.internal_lengths, item.forward)
        metric = item.metric + (way.cost if way is not None and item.metric_type == 1 else 0)
        return replace(item, metric=metric, forward=None)

    @staticmethod
    def _address_in(router: Router, number: int) -> Address | None:
        """The address by which a router is reached inside an area."""
        candidates = [
            end
            for end in router.ends
            if end.active and end.area is not None and end.area.value == number
        ]
        # The first that was switched on: in the order of the statements, then by name.
        candidates.sort(key=lambda end: (end.area.source.line or 0, end.interface.name))  # type: ignore[union-attr]
        if not candidates or router.process.version == 2:
            return candidates[0].address if candidates else None
        # Version 3 speaks from a link-local address, which leads nowhere from elsewhere.
        return next(
            (
                fact.address
                for end in candidates
                for fact in end.interface.addresses
                if fact.address.family == 6 and not fact.address.is_link_local
            ),
            None,
        )

    def of(self, router: Router) -> dict[Key, Best]:
        """The externals that a router uses, for prefixes it has no internal way to."""
        found: dict[Key, Best] = {}
        heard: list[External] = []
        if any(router.area(number).kind == "normal" for number in router.areas):
            heard += self.everywhere
        for number in router.areas:
            heard += self.within.get(number, ())
        internal: list[int] | None = None
        own = {end.address for end in router.ends if end.active}
        for item in heard:
            if item.announcer == router.device.name:
                continue
            to = self.borders.way_to(router, item.announcer)
            if to is None or not to.hops:
                continue
            way: Best | None = to
            if item.forward is not None:
                if item.forward in own:
                    continue  # handed over to the router itself (seen on real routers)
                if internal is None:
                    internal = router.internal_lengths
                way = _forward_route(router.best, internal, item.forward)
                if way is None:
                    continue
            assert way is not None
            hops = way.hops
            if item.forward is not None and way.own is not None:
                asks = (
                    router.device.profile.habit(OspfHabits).asks_for_external and self.family == 6
                )
                hops = (NextHop("forward", None if asks else item.forward, way.own),)
            kind = EXTERNAL_1 if item.metric_type == 1 else EXTERNAL_2
            cost = way.cost + (item.metric if kind == EXTERNAL_1 else 0)
            offer = Best(
                kind,
                cost,
                hops,
                to.area,
                item.origin,
                item.metric if kind == EXTERNAL_2 else 0,
                None,
                item.area is not None,
                item.tag,
            )
            if item.prefix not in router.best:
                _offer_external(found, item.prefix, offer)
        return found


def _highest(router: Router, others: list[Router], graph: AreaGraph) -> Router:
    """Of the borders that one reaches inside an area, itself included, the highest router id."""
    row = graph.distance[graph.index[router.device.name]]
    near = [r for r in others if row[graph.index[r.device.name]] < FAR]

    def identity(item: Router) -> int:
        held = item.ends[0].router_id
        return held.value if held else 0

    return max(near, key=identity)


def _offer_external(best: dict[Key, Best], prefix: Prefix, offer: Best) -> None:
    """Keeps the better of two externals (16.4.1, 16.4 (6)); internal ways always win."""
    held = best.get(prefix)
    rank = (offer.kind, offer.metric2, offer.cost)
    if held is None or rank < (held.kind, held.metric2, held.cost):
        best[prefix] = offer
    elif rank == (held.kind, held.metric2, held.cost):
        hops = tuple(sorted({*held.hops, *offer.hops}, key=hop_order))
        best[prefix] = held._replace(hops=hops)


def _forward_route(best: dict[Key, Best], lengths: list[int], address: Address) -> Best | None:
    """The internal way to a forwarding address (16.4 (3)); None if there is none."""
    for length in lengths:
        found = best.get(prefix_of(address, length))
        if found is not None and found.kind in (INTRA, INTER):
            return found
    return None
