"""The scheduler: every device's tables, computed to a fixed point across all protocols.

Connected routes come first. Then, round by round, every protocol offers its candidates
for the tables of the round before, static routes are resolved against the table they are
part of, and one place selects. A protocol looks at tables only for what it redistributes
or resolves, so most networks settle after two rounds, and most tables need not be built
before all have settled. The number of rounds is bounded: routes that keep replacing each
other are reported as unsettled.

A changed copy of a network goes through the same rounds from the same start; what the change
does not touch is taken from the rounds before it (`again`).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import partial

import numpy as np

from ..network.addressing import FAMILIES, Prefix
from ..network.facts import Device, End, Network, Unmodelled
from ..network.quiet import without_collecting
from ..network.source import Source
from ..step.connected import connected_routes
from ..step.links import Links
from ..step.near import neighbourhood
from ..step.nexthops import NextHops
from ..step.routes import Route, essence
from ..step.rows import Mask, Offer, Row, Winners, singly
from ..step.selection import choose, explain_losers
from ..step.statics import StaticResolver
from ..step.table import Table, TableKey
from .again import Kept, Round, Told, own_copies
from .gates import Relation
from .protocol import Speakers
from .registry import protocols
from .table_maps import TableMaps

MAX_ROUNDS = 24

Moving = dict[TableKey, tuple[Winners, Winners]]
"""The winners before and after a round where they differ."""


@dataclass(slots=True)
class Tables:
    """The computed tables of a network; `of` finds one by device and family."""

    network: Network
    links: Links
    tables: Mapping[TableKey, Table] = field(default_factory=dict)
    speakers: list[Speakers] = field(default_factory=list)
    rounds: int = 0
    trace: list[Round] = field(default_factory=list)
    """Every round, for the next copy of this network."""
    near: object = None
    """Who answers on the links: held here for all who ask (`near.neighbourhood`)."""
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
        for (device, its), table in self.tables.items():
            because = [line for route in table.unsettled for line in route.because]
            if table.unsettled:
                names = ", ".join(str(route.prefix) for route in table.unsettled)
                why = f"its routes to {names} replace each other and never settle"
                first = because[0] if because else Source(device, "", None, "")
                out.setdefault(device, []).append(Unmodelled(first, why, its, told=True))
        for relation in self.relations() if self.network.keys_hidden else ():
            for gate in relation.not_known if relation.works else ():
                family = None if relation.carries_both else relation.family
                for side, other in (
                    (relation.left, relation.right),
                    (relation.right, relation.left),
                ):
                    why = (
                        f"the {gate.gate} that it needs to be a neighbour of {other.device} was "
                        "taken out of a text, so whether both have the same one is not known"
                    )
                    source = next((s for s in gate.evidence if s.device == side.device), None)
                    source = source or Source(side.device, "", None, gate.gate)
                    doubt = Unmodelled(source, why, family, told=True)
                    out.setdefault(side.device, []).append(doubt)
        return out

    def outside(self) -> list[tuple[str, End, Unmodelled]]:
        """Neighbours of all protocols that nobody surveyed."""
        return [item for speakers in self.speakers for item in speakers.outside()]

    def relations(self) -> list[Relation]:
        """Every neighbour relation of every protocol."""
        return [relation for speakers in self.speakers for relation in speakers.relations()]

    def speaking(self, family: int) -> dict[str, set[str]]:
        """Who speaks any protocol with whom; a session of either family may carry both."""
        near: dict[str, set[str]] = {}
        for relation in self.relations():
            if relation.family == family or relation.carries_both:
                left, right = relation.left.device, relation.right.device
                near.setdefault(left, set()).add(right)
                near.setdefault(right, set()).add(left)
        return near


def reached(near: Mapping[str, set[str]], start: str) -> list[str]:
    """Whom news of a device may get to, and itself, sorted.

    Args:
        near: who speaks with whom.
        start: the device.
    """
    seen, waiting = {start}, [start]
    while waiting:
        for other in near.get(waiting.pop(), ()):
            if other not in seen:
                seen.add(other)
                waiting.append(other)
    return sorted(seen)


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
    links = kept.links if kept is not None else Links(network, deaf)
    out = Tables(network, links)
    with without_collecting():
        live = _Live(_Builders(network, links, kept))
        out.near = neighbourhood(network, links)
        out.speakers = (
            speakers_of(network, links)
            if kept is None or before is None
            else _speakers_again(kept, before, out)
        )
        settled = _settle(out, live)
        if not settled and kept is not None:
            # What never settles has no state that could be taken over.
            return compute_tables(network, deaf)
        out.tables = live.finish(before)
        if settled:
            out.trace.append(Round(live.offered, out.tables))
        else:
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
        for family, speakers in made.items():
            speakers.follow(old[protocol.name, family])
        found += [(kept_ones | made)[family] for family in families]
    return found


def _settle(out: Tables, live: _Live) -> bool:
    """Rounds of offers and selection until no table changes that a protocol looks at; False if
    that never happens."""
    if not out.speakers:
        return True
    moving: Moving = {}
    for number in range(MAX_ROUNDS):
        out.rounds = number + 1
        collected: dict[TableKey, list[Offer]] = {}
        for speakers in out.speakers:
            for device, routes in speakers.offers(live).items():
                collected.setdefault((device, speakers.family), []).extend(routes)
        out.trace.append(Round(live.offered, dict(live.built)))
        moving = live.take(collected)
        if not moving:
            return True
    for key, (before, after) in live.moved(moving).items():
        table, moved = live[key], _moved(before, after)
        # Neither state is true for long, so the route is not claimed to be there.
        table.unsettled += tuple(after[prefix] for prefix in moved if prefix in after)
        table.drop(moved)
    return False


def _moved(before: Winners, after: Winners) -> set[Prefix]:
    """The prefixes whose winner is another one now."""
    out = {prefix for prefix in before if prefix not in after}
    for prefix, route in after.items():
        held = before.get(prefix)
        if held is not route and (held is None or essence(held) != essence(route)):
            out.add(prefix)
    return out


def _same(new: list[Offer], old: list[Offer]) -> bool:
    return len(new) == len(old) and all(map(_equal, new, old))


def _equal(new: Offer, old: Offer) -> bool:
    if new is old:
        return True
    if isinstance(new, Row) or isinstance(old, Row):
        if not isinstance(new, Row) or not isinstance(old, Row):
            return False
        # All rows of a source are compared at once where that is possible.
        cells = new.unlike_cells(old)
        return cells == ([], []) or new.same(old)
    return essence(new) == essence(old)


class _Builders:
    """The tables of all devices, each built by its own builder or kept as it was."""

    def __init__(self, network: Network, links: Links, kept: Kept | None) -> None:
        self.devices = {device.name: device for device in network.devices}
        self.links, self.kept = links, kept
        self._made: dict[TableKey, _Builder] = {}
        self._held: dict[TableKey, list[Offer]] = {}
        """What an untouched device was offered when its table was kept."""

    def _builder(self, key: TableKey) -> _Builder:
        builder = self._made.get(key)
        if builder is None:
            device = self.devices[key[0]]
            builder = self._made[key] = _Builder(device, key[1], self.links)
        return builder

    def build(self, number: int, key: TableKey, offers: list[Offer]) -> Table:
        """A device's table after a round (-1: the last one) with these offers."""
        if self.kept is None:
            return self._builder(key).build(offers)
        table = self.kept.table(number, key, offers)
        if table is None:
            self._held.pop(key, None)
            return self._builder(key).build(own_copies(offers))
        self._held[key] = offers
        return table

    def finish(self, key: TableKey, table: Table, before: Tables | None) -> Table:
        """The table with its winners marked, and every loser's reason."""
        if key in self._held:
            was = before.tables[key] if before is not None else None
            if was is not None and (table is was or table.unlike_followed(was) is not None):
                return table
            # A table on the way of the earlier computation is the end of this one. Its routes
            # may be shared, so it is made once more.
            table = self._builder(key).build(own_copies(self._held[key]))
        explain_losers(table.alone, table.best.alone)
        return table


class _Live(Mapping[TableKey, Table]):
    """The tables of the round before, as protocols see them: each is built when it is asked for."""

    def __init__(self, builders: _Builders) -> None:
        self._builders = builders
        self._keys = [(name, family) for name in builders.devices for family in FAMILIES]
        self._number = 0
        self.offered: dict[TableKey, list[Offer]] = {}
        """What protocols offered in the round before."""
        self.built: dict[TableKey, Table] = {}
        """The tables that were asked for."""
        self._before: dict[TableKey, list[Offer]] = {}
        """What was offered in the round before that."""

    def __getitem__(self, key: TableKey) -> Table:
        table = self.built.get(key)
        if table is None:
            offers = self.offered.get(key, [])
            table = self.built[key] = self._builders.build(self._number, key, offers)
        return table

    def __iter__(self) -> Iterator[TableKey]:
        return iter(self._keys)

    def __len__(self) -> int:
        return len(self._keys)

    def take(self, collected: dict[TableKey, list[Offer]]) -> Moving:
        """Goes on to the next round; the winners before and after where a table that was asked
        for has others now. What nobody asked for moves nobody."""
        self._before, self.offered = self.offered, collected
        self._number += 1
        moving: Moving = {}
        for key in [*self.built]:
            if _same(collected.get(key, []), self._before.get(key, [])):
                continue
            was = self.built.pop(key)
            if not was.best.alike(self[key].best):
                moving[key] = was.best, self[key].best
        return moving

    def moved(self, moving: Moving) -> Moving:
        """What moved in the last round, with the tables that nobody asked for."""
        out = dict(moving)
        for key in self._keys:
            before = self._before.get(key, [])
            if key in self.built or _same(self.offered.get(key, []), before):
                continue
            was = self._builders.build(self._number - 1, key, before).best
            if not was.alike(self[key].best):
                out[key] = was, self[key].best
        return out

    def finish(self, before: Tables | None) -> dict[TableKey, Table]:
        """All tables, now that nothing moves."""
        self._number = -1
        return {key: self._builders.finish(key, self[key], before) for key in self._keys}


class _Builder:
    """Builds one table again and again: only what neighbours offer differs."""

    def __init__(self, device: Device, family: int, links: Links) -> None:
        self.device, self.family, self.links = device, family, links
        self.fixed = connected_routes(device, family, links)
        self.resolver = StaticResolver(device, family, links)
        self.resolver.learn_connected(self.fixed)
        self.base = Winners(choose(self.fixed), [])
        self.own = dict.fromkeys(
            [*(route.prefix for route in self.fixed), *(key[0] for key in self.resolver.groups)]
        )
        """The prefixes for which the device itself has something to say."""
        maps = TableMaps(device, family)
        self.maps = maps if maps.names else None

    def build(self, offers: list[Offer]) -> Table:
        """The table with these offers, statics and recursive next hops resolved."""
        if not self.resolver.groups and not offers:
            return Table(self.device.name, self.family, self.fixed, self.base.over({}))
        if self.maps is None:
            found = self._rounds(offers)
            if found is not None:
                return found
        # Every candidate singly, where each must be looked at or where they do not settle.
        return self._unsettled(singly(offers))

    def _rounds(self, offers: list[Offer]) -> Table | None:
        """The table, or None if selection finds no stable answer."""
        best = self.base
        lengths = _lengths(offers)
        for _ in range(self._most(offers)):
            candidates, new, settled = self._once(offers, lengths, best)
            if settled or new.alike(best):
                return Table(self.device.name, self.family, candidates, new)
            best = new
        return None

    def _most(self, offers: list[Offer]) -> int:
        return len(self.resolver.groups) + 3 + (4 if offers else 0)

    def _once(
        self, offers: list[Offer], lengths: set[int], best: Winners
    ) -> tuple[list[Route], Winners, bool]:
        """One round: what stands alone, the winners, and whether asking them changes nothing."""
        statics = self.resolver.candidates(best) if self.resolver.groups else []
        check = NextHops(self.device, self.links, best, self.resolver.connected, lengths)
        rows: list[tuple[Row, Mask]] = []
        columns: dict[int, list[int]] = {}
        if any(isinstance(offer, Row) for offer in offers):
            contested = {**self.own}
            contested |= {offer.prefix: None for offer in offers if not isinstance(offer, Row)}
            several = sum(isinstance(offer, Row) for offer in offers) > 1
            odd: dict[Prefix, None] = {}
            for offer in offers:
                if isinstance(offer, Row):
                    prefixes = offer.columns.prefixes
                    odd |= {prefixes[column]: None for column in check.odd_columns(offer)}
            if several:
                odd |= dict.fromkeys(_offered_twice(offers))
            contested |= odd
            for place, offer in enumerate(offers):
                if not isinstance(offer, Row):
                    continue
                found = (offer.columns.number.get(prefix) for prefix in contested)
                singles = [c for c in found if c is not None and offer.ids[c]]
                mask = offer.ids > 0
                mask[singles] = False
                columns[place] = singles
                rows.append((offer, mask))
        learned: list[Route] = []
        for place, offer in enumerate(offers):
            if isinstance(offer, Row):
                learned += [check.settle(offer.route(column)) for column in columns[place]]
            else:
                learned.append(check.settle(offer))
        if self.maps is not None:
            statics, learned = self.maps.pass_on(statics), self.maps.pass_on(learned)
        candidates = [*self.fixed, *statics, *learned]
        new = Winners(choose(candidates), rows)
        settled = not self.resolver.groups or self.resolver.holds(new)
        if settled and offers:
            settled = check.holds(new)
        return candidates, new, settled

    def _unsettled(self, offers: list[Route]) -> Table:
        """The table of candidates that are looked at one by one, without those that never
        settle."""
        table = Table(self.device.name, self.family)
        best = self.base
        history: list[dict[Prefix, tuple[object, ...]]] = []
        lengths = _lengths(offers)
        candidates: list[Route] = []
        for _ in range(self._most([*offers])):
            candidates, new, settled = self._once([*offers], lengths, best)
            if settled or _shape(new.alone) == _shape(best.alone):
                best = new
                break
            history.append(_shape(new.alone))
            best = new
        else:
            table.unsettled = _moving(best.alone, history)
            # Neither state is true for long, so the route is not claimed to be there.
            best = best.without([route.prefix for route in table.unsettled])
        table.alone, table.best = candidates, best
        return table


def _lengths(offers: Iterable[Offer]) -> set[int]:
    out: set[int] = set()
    for offer in offers:
        if isinstance(offer, Row):
            out |= offer.columns.lengths
        else:
            out.add(offer.prefix.length)
    return out


def _offered_twice(offers: list[Offer]) -> list[Prefix]:
    """The prefixes that more than one row offers."""
    seen: set[Prefix] = set()
    out: list[Prefix] = []
    rows = [offer for offer in offers if isinstance(offer, Row)]
    for first, row in enumerate(rows):
        for other in rows[first + 1 :]:
            if row.apart(other):
                continue
            mine = {row.columns.prefixes[c] for c in np.flatnonzero(row.ids).tolist()}
            theirs = {other.columns.prefixes[c] for c in np.flatnonzero(other.ids).tolist()}
            out += [prefix for prefix in mine & theirs if prefix not in seen]
            seen.update(out)
    return out


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
