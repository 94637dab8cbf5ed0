"""The scheduler: every device's tables, computed to a fixed point across all protocols.

Connected routes come first. Then, round by round, every protocol offers its candidates
for the tables of the round before, static routes are resolved against the table they are
part of, and one place selects. A protocol looks at tables only for what it redistributes
or resolves, so most networks settle after two rounds. The number of rounds is bounded:
routes that keep replacing each other are reported as unsettled.

A changed copy of a network goes through the same rounds from the same start; what the change
does not touch is taken from the rounds before it (`again`).
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import partial

from ..network.addressing import FAMILIES, Prefix
from ..network.facts import Device, End, Network, Unmodelled
from ..network.quiet import without_collecting
from .again import Kept, Round, TableKey, Told, essence, own_copies
from .connected import connected_routes
from .gates import Relation
from .links import Links
from .nexthops import NextHops
from .protocol import Speakers
from .registry import protocols
from .routes import Route, Table
from .selection import choose, explain_losers
from .statics import StaticResolver
from .table_maps import TableMaps

MAX_ROUNDS = 24


@dataclass(slots=True)
class Tables:
    """The computed tables of a network; `of` finds one by device and family."""

    network: Network
    links: Links
    tables: dict[TableKey, Table] = field(default_factory=dict)
    speakers: list[Speakers] = field(default_factory=list)
    rounds: int = 0
    trace: list[Round] = field(default_factory=list)
    """Every round, for the next copy of this network."""
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

    def outside(self) -> list[tuple[str, End, Unmodelled]]:
        """Neighbours of all protocols that nobody surveyed."""
        return [item for speakers in self.speakers for item in speakers.outside()]

    def relations(self) -> list[Relation]:
        """Every neighbour relation of every protocol."""
        return [relation for speakers in self.speakers for relation in speakers.relations()]


def speakers_of(network: Network, links: Links) -> list[Speakers]:
    """The protocols that run anywhere in the network, a speaker for each of their families."""
    return [
        speakers
        for protocol in protocols()
        for speakers in protocol.speak(network, links, protocol.families(network))
    ]


def compute_tables(
    network: Network, deaf: frozenset[End] = frozenset(), before: Tables | None = None
) -> Tables:
    """Computes all tables from configuration, addresses, interface state and wiring.

    Args:
        network: the facts.
        deaf: ends of tunnels through which no neighbour is heard.
        before: the tables of the network of which this is a changed copy. The tables are
            the same with and without it; what they quote from texts has the line numbers
            from before the change where the change did not touch it.
    """
    kept = None
    if before is not None and before.trace:
        kept = Kept(network, deaf, before.network, before.links, before.trace)
    links = kept.links if kept is not None else None
    if before is None or links is None:
        kept, links = None, Links(network, deaf)
    out = Tables(network, links)
    with without_collecting():
        builders = _Builders(network, links, kept)
        out.tables = builders.first()
        out.trace.append(Round({}, dict(out.tables)))
        out.speakers = (
            speakers_of(network, links)
            if kept is None or before is None
            else _speakers_again(kept, before, out)
        )
        settled = _settle(out, builders)
        if not settled and kept is not None:
            # What never settles has no state that could be taken over.
            return compute_tables(network, deaf)
        builders.finish(out, before)
    if not settled:
        out.trace.clear()
    return out


def _speakers_again(kept: Kept, before: Tables, out: Tables) -> list[Speakers]:
    """The speakers of a changed network: those from before the change wherever they still hold."""
    network, links = out.network, out.links
    old = {(speakers.protocol, speakers.family): speakers for speakers in before.speakers}
    found: list[Speakers] = []
    for protocol in protocols():
        families = protocol.families(network)
        if families != protocol.families(before.network):
            return speakers_of(network, links)
        kept_ones: dict[int, Speakers] = {}
        for family in families:
            held = old[protocol.name, family]
            if isinstance(held, Told) and kept.speaks_alike(
                partial(protocol.processes, family=family)
            ):
                kept_ones[family] = held.again()  # type: ignore[assignment]
        missing = [family for family in families if family not in kept_ones]
        made = {s.family: s for s in protocol.speak(network, links, missing)}
        found += [(kept_ones | made)[family] for family in families]
    return found


def _settle(out: Tables, builders: _Builders) -> bool:
    """Rounds of offers and selection until no table changes; False if that never happens."""
    if not out.speakers:
        return True
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
            out.tables[key] = builders.build(number + 1, key, routes)
            moved = _moved(before, out.tables[key].best)
            if moved:
                changed[key] = moved
        offered = collected
        out.trace.append(Round(offered, dict(out.tables)))
        history.append(changed)
        if not changed:
            return True
    for key, moving in history[-1].items():
        table = out.tables[key]
        table.unsettled += tuple(route for prefix, route in table.best.items() if prefix in moving)
        for prefix in moving:
            # Neither state is true for long, so the route is not claimed to be there.
            table.best.pop(prefix, None)
    return False


def _moved(before: dict[Prefix, Route], after: dict[Prefix, Route]) -> set[Prefix]:
    """The prefixes whose winner is another one now."""
    out = {prefix for prefix in before if prefix not in after}
    for prefix, route in after.items():
        held = before.get(prefix)
        if held is not route and (held is None or essence(held) != essence(route)):
            out.add(prefix)
    return out


def _same(new: list[Route], old: list[Route]) -> bool:
    return len(new) == len(old) and all(
        a is b or essence(a) == essence(b) for a, b in zip(new, old, strict=True)
    )


class _Builders:
    """The tables of all devices, each built by its own builder or kept as it was."""

    def __init__(self, network: Network, links: Links, kept: Kept | None) -> None:
        self.devices = {device.name: device for device in network.devices}
        self.links, self.kept = links, kept
        self._made: dict[TableKey, _Builder] = {}
        self._held: dict[TableKey, list[Route]] = {}
        """What an untouched device was offered when its table was kept."""

    def _builder(self, key: TableKey) -> _Builder:
        builder = self._made.get(key)
        if builder is None:
            device = self.devices[key[0]]
            builder = self._made[key] = _Builder(device, key[1], self.links)
        return builder

    def first(self) -> dict[TableKey, Table]:
        """All tables before any protocol said a word."""
        keys = [(name, family) for name in self.devices for family in FAMILIES]
        return {key: self.build(0, key, []) for key in keys}

    def build(self, number: int, key: TableKey, offers: list[Route]) -> Table:
        """A device's table after a round with these offers."""
        if self.kept is None:
            return self._builder(key).build(offers)
        table = self.kept.table(number, key, offers)
        if table is None:
            self._held.pop(key, None)
            return self._builder(key).build(own_copies(offers))
        self._held[key] = offers
        return table

    def finish(self, out: Tables, before: Tables | None) -> None:
        """Marks the winners and gives every loser its reason."""
        for key, table in out.tables.items():
            if key in self._held:
                if before is not None and table is before.tables[key]:
                    continue
                # A table on the way of the earlier computation is the end of this one. Its
                # routes may be shared, so it is made once more.
                table = out.tables[key] = self._builder(key).build(own_copies(self._held[key]))
            explain_losers(table.routes, table.best)


class _Builder:
    """Builds one table again and again: only what neighbours offer differs."""

    def __init__(self, device: Device, family: int, links: Links) -> None:
        self.device, self.family, self.links = device, family, links
        self.fixed = connected_routes(device, family, links)
        self.resolver = StaticResolver(device, family, links)
        self.resolver.learn_connected(self.fixed)
        self.base = choose(self.fixed)
        maps = TableMaps(device, family)
        self.maps = maps if maps.names else None

    def build(self, offers: list[Route]) -> Table:
        """The table with these offers, statics and recursive next hops resolved."""
        table = Table(self.device.name, self.family)
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
            if self.maps is not None:
                statics, learned = self.maps.pass_on(statics), self.maps.pass_on(learned)
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
