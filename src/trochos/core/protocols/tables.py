"""The scheduler: every device's tables, computed to a fixed point across all protocols.

Connected routes come first. Then, round by round, every protocol offers its candidates
for the tables of the round before, static routes are resolved against the table they are
part of, and one place selects. A protocol looks at tables only for what it redistributes
or resolves, so most networks settle after two rounds. The number of rounds is bounded:
routes that keep replacing each other are reported as unsettled.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Protocol

from ..network.addressing import FAMILIES, Prefix
from ..network.facts import Device, End, Network, Unmodelled
from ..network.quiet import without_collecting
from .bgp.speakers import BgpSpeakers
from .connected import connected_routes
from .eigrp import EigrpSpeakers
from .gates import Relation
from .links import Links
from .nexthops import NextHops
from .ospf.speakers import OspfSpeakers
from .rip import RipSpeakers
from .routes import Route, Table
from .selection import choose, explain_losers
from .statics import StaticResolver

TableKey = tuple[str, int]
MAX_ROUNDS = 24


class Speakers(Protocol):
    """One protocol of one family over the whole network."""

    @property
    def family(self) -> int:
        """4 or 6."""

    def offers(self, tables: Mapping[TableKey, Table]) -> dict[str, list[Route]]:
        """The candidates per device, given the tables of the round before."""

    def relations(self) -> list[Relation]:
        """Every pair of ends that are or should be neighbours."""

    def doubts(self) -> dict[str, list[Unmodelled]]:
        """Per device: why its routes of this protocol are never certain."""


@dataclass(slots=True)
class Tables:
    """The computed tables of a network; `of` finds one by device and family."""

    network: Network
    links: Links
    tables: dict[TableKey, Table] = field(default_factory=dict)
    speakers: list[Speakers] = field(default_factory=list)
    rounds: int = 0
    absence: object = None
    """What diagnosis derived from these tables and keeps with them."""

    def of(self, device: str, family: int) -> Table:
        return self.tables[device, family]

    def doubts(self) -> dict[str, list[Unmodelled]]:
        """Per device: why what it learned is never certain, such as routes that never settle."""
        out: dict[str, list[Unmodelled]] = {}
        for speakers in self.speakers:
            for device, items in speakers.doubts().items():
                out.setdefault(device, []).extend(items)
        return out

    def relations(self) -> list[Relation]:
        """Every neighbour relation of every protocol."""
        return [relation for speakers in self.speakers for relation in speakers.relations()]


def speakers_of(network: Network, links: Links) -> list[Speakers]:
    """The protocols that run anywhere in the network."""
    out: list[Speakers] = []
    versions = {p.version for d in network.devices for p in d.routing.ospf}
    out += [OspfSpeakers(network, links, version) for version in sorted(versions)]
    rip = {p.family for d in network.devices for p in d.routing.rip}
    out += [RipSpeakers(network, links, family) for family in sorted(rip)]
    eigrp = {p.family for d in network.devices for p in d.routing.eigrp}
    out += [EigrpSpeakers(network, links, family) for family in sorted(eigrp)]
    if any(d.routing.bgp is not None for d in network.devices):
        bgp = BgpSpeakers(network, links)
        out += [bgp.of(family) for family in FAMILIES]
    return out


def compute_tables(network: Network, deaf: frozenset[End] = frozenset()) -> Tables:
    """Computes all tables from configuration, addresses, interface state and wiring.

    Args:
        network: the facts.
        deaf: ends of tunnels through which no neighbour is heard.
    """
    links = Links(network, deaf)
    out = Tables(network, links)
    with without_collecting():
        builders = {
            (device.name, family): _Builder(device, family, links)
            for device in network.devices
            for family in FAMILIES
        }
        out.tables = {key: builder.build([]) for key, builder in builders.items()}
        out.speakers = speakers_of(network, links)
        if out.speakers:
            _settle(out, builders)
        for builder in builders.values():
            builder.finish()
    return out


def _settle(out: Tables, builders: dict[TableKey, _Builder]) -> None:
    """Rounds of offers and selection until no table changes."""
    history: list[dict[TableKey, set[Prefix]]] = []
    offered: dict[TableKey, list[Route]] = {}
    for number in range(MAX_ROUNDS):
        out.rounds = number + 1
        collected: dict[TableKey, list[Route]] = {}
        for speakers in out.speakers:
            for device, routes in speakers.offers(out.tables).items():
                collected.setdefault((device, speakers.family), []).extend(routes)
        changed: dict[TableKey, set[Prefix]] = {}
        for key in collected.keys() | offered.keys():
            routes = collected.get(key, [])
            if _same(routes, offered.get(key, [])):
                continue
            before = out.tables[key].best
            out.tables[key] = builders[key].build(routes)
            moved = _moved(before, out.tables[key].best)
            if moved:
                changed[key] = moved
        offered = collected
        history.append(changed)
        if not changed:
            return
    for key, moving in history[-1].items():
        table = out.tables[key]
        table.unsettled += tuple(route for prefix, route in table.best.items() if prefix in moving)
        for prefix in moving:
            # Neither state is true for long, so the route is not claimed to be there.
            table.best.pop(prefix, None)


def _moved(before: dict[Prefix, Route], after: dict[Prefix, Route]) -> set[Prefix]:
    """The prefixes whose winner is another one now."""
    out = {prefix for prefix in before if prefix not in after}
    for prefix, route in after.items():
        held = before.get(prefix)
        if held is not route and (held is None or _essence(held) != _essence(route)):
            out.add(prefix)
    return out


def _same(new: list[Route], old: list[Route]) -> bool:
    return len(new) == len(old) and all(
        a is b or _essence(a) == _essence(b) for a, b in zip(new, old, strict=True)
    )


def _essence(route: Route) -> tuple[object, ...]:
    return (
        route.prefix,
        route.protocol,
        route.type,
        route.distance,
        route.metric,
        route.next_hops,
        route.via,
        route.tag,
    )


class _Builder:
    """Builds one table again and again: only what neighbours offer differs."""

    def __init__(self, device: Device, family: int, links: Links) -> None:
        self.device, self.family, self.links = device, family, links
        self.fixed = connected_routes(device, family, links)
        self.resolver = StaticResolver(device, family, links)
        self.resolver.learn_connected(self.fixed)
        self.base = choose(self.fixed)
        self.table = Table(device.name, family)

    def build(self, offers: list[Route]) -> Table:
        """The table with these offers, statics and recursive next hops resolved."""
        table = self.table = Table(self.device.name, self.family)
        best, candidates = self.base, self.fixed
        if not self.resolver.groups and not offers:
            table.routes, table.best = candidates, dict(best)
            return table
        rounds = len(self.resolver.groups) + 3 + (4 if offers else 0)
        history: list[dict[Prefix, tuple[object, ...]]] = []
        lengths = {route.prefix.length for route in offers}
        for _ in range(rounds):
            statics = self.resolver.candidates(best) if self.resolver.groups else []
            check = NextHops(self.device, self.links, best, self.resolver.connected, lengths)
            learned = [check.settle(route) for route in offers]
            candidates = [*self.fixed, *statics, *learned]
            new = choose(candidates)
            settled = not self.resolver.groups or self.resolver.holds(new)
            if settled and offers:
                settled = check.holds(new)
            if settled or _shape(new) == _shape(best):
                best = new
                break
            history.append(_shape(new))
            best = new
        else:
            table.unsettled = _moving(best, history)
            for route in table.unsettled:
                # Neither state is true for long, so the route is not claimed to be there.
                best.pop(route.prefix, None)
        table.routes, table.best = candidates, best
        return table

    def finish(self) -> None:
        """Marks the winners and gives every loser its reason."""
        explain_losers(self.table.routes, self.table.best)


def _shape(best: dict[Prefix, Route]) -> dict[Prefix, tuple[object, ...]]:
    return {
        prefix: (route.protocol, route.distance, route.metric, route.next_hops)
        for prefix, route in best.items()
    }


def _moving(
    best: dict[Prefix, Route], history: list[dict[Prefix, tuple[object, ...]]]
) -> tuple[Route, ...]:
    last = history[-1]
    moving = {
        prefix
        for earlier in history[-4:]
        for prefix in earlier.keys() | last.keys()
        if earlier.get(prefix) != last.get(prefix)
    }
    return tuple(route for prefix, route in best.items() if prefix in moving)
