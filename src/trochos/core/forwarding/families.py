"""One address family at once: who reaches which address, and how it ends if not.

Rows are devices, columns are addresses. The longest match of every device for every
address comes from one tree of all prefixes; verdicts are bit sets that flow against the
edges until nothing changes: a least fixed point for the ways a packet can end, and a
greatest one for walking on for ever. The way back is a look-up in the same result.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..network.addressing import Address
from ..network.facts import Device, End
from ..step.packet import INITIAL_HOPS
from ..step.routes import NextHop, Route
from ..step.sources import choose_source, only_source, usable_addresses
from ..step.unsaid import source_for
from ..step.verdicts import BIT, WORST_FIRST
from ..step.walk import guards
from .again import Earlier
from .flow import Edges, Words, pack, unpack
from .matches import Matches
from .pings import NO, ONLY_UNKNOWN, PING, PING_UNSURE, UNSURE, Bits, code_of, combine
from .states import States
from .view import Forwarding

KEPT_CELLS = 80_000_000
"""Up to so many pairs of addresses, what is computed for each is kept for the next question (a byte
each)."""


_ROWS = 256
"""How many rows are copied at a time."""
_ZERO = Address(4, 0)
_DELIVERED = np.uint32(BIT["delivered"])


_UNKNOWN = np.uint32(BIT["unknown"])


@dataclass(slots=True)
class _Along:
    """What one gateway next hop contributes: an end, or the device that goes on."""

    hop: NextHop
    bits: int = 0
    ends: tuple[End, ...] = ()
    source: tuple[bool, Address | None] | None = None
    """What `only_source` says, once somebody asked."""


class Delivered(NamedTuple):
    """Per address."""

    maybe: NDArray[np.bool_]
    surely: NDArray[np.bool_]


@dataclass(slots=True)
class _Decision:
    """What one device does with packets that are not its own."""

    ends: Bits
    """How they end here, by the number of their route; the last place is for no route."""
    leads: dict[int, NDArray[np.bool_]]
    """Per row of another device, by the number of the route: whether it is handed them."""
    placed: list[tuple[int, NDArray[np.int64], Bits]] = field(default_factory=list)
    """Columns that end in ways of their own, by the number of their route; -1 is for no route."""


class FamilyReach:
    """The verdicts of one family: `bits[device, address]` holds every way a leg can end."""

    def __init__(
        self,
        forwarding: Forwarding,
        family: int,
        addresses: list[Address] | None = None,
        before: FamilyReach | None = None,
        leading: frozenset[str] = frozenset(),
    ) -> None:
        """Solves for every surveyed address, or for the given ones.

        Args:
            forwarding: the view of the network.
            family: 4 or 6.
            addresses: the columns; every surveyed address without it.
            before: the same of the network of which this is a changed copy.
            leading: the devices whose next hops lead where they led then; see `still_leading`.
        """
        self.forwarding, self.family = forwarding, family
        self.names = [device.name for device in forwarding.tables.network.devices]
        self.row = {name: i for i, name in enumerate(self.names)}
        near = forwarding.near
        if addresses is None:
            addresses = [
                address
                for address in (*near.owners, *near.led)
                if address.family == family and not address.is_loopback and not address.is_multicast
            ]
        self.addresses: list[Address] = sorted(addresses)
        self.column = {address: i for i, address in enumerate(self.addresses)}
        self.shared = {
            address
            for address in self.addresses
            if len({owner.end.device for owner in near.holders(address)}) > 1
        }
        self.earlier = Earlier.of(before, self, leading) if before is not None else None
        views = [forwarding, *([before.forwarding] if before is not None else [])]
        held = (self.earlier, before.matches) if self.earlier and before else None
        self.matches: Matches = Matches(views, family, self.names, self.addresses, held)
        self.index, self.routes = self.matches.index, self.matches.routes
        self.unsure = self._unsure()
        """Per row the columns for which strangers may change what is computed."""
        self.positions, self.ways = self.matches.positions, self.matches.ways
        if self.earlier is not None:
            for row in np.flatnonzero(self.earlier.leads & ~self.earlier.same).tolist():
                self.earlier.reroute(row, self.matches.few.get(row))
        # Where next hops lead what they led to, both copies go on filling the same answers.
        self._along: list[dict[NextHop, _Along]] = self._taken_over("_along")
        self._linked: list[dict[tuple[NextHop, int], int]] = self._taken_over("_linked")
        self.decisions: list[_Decision | None] = [None] * len(self.names)
        self.defaults: dict[int, tuple[NDArray[np.int32], NDArray[np.int8]]] = {}
        self._sources: list[Address] = list(self.addresses)
        self._source_number: dict[Address, int] = dict(self.column)
        # What is not known of the way out may hide that the source became another one: then the
        # way back to the first says nothing.
        self._ping = PING_UNSURE if forwarding.may_rewrite else PING
        self.states: dict[str, list[tuple[Address, NDArray[np.int8]]]] = {}
        """Per device what pings from each of its sources show, kept by `Reach`."""
        self.all_states: States | None = None
        """The same of all devices, once it was asked for."""
        shape = (len(self.names), len(self.addresses))
        self.edges = Edges(*shape)
        self.bits: Bits = np.zeros(shape, dtype=np.uint32)
        self.owned = np.zeros(shape, dtype=bool)
        for address, owners in near.owners.items():
            column = self.column.get(address)
            for owner in owners:
                if owner.active and column is not None:
                    self.owned[self.row[owner.end.device], column] = True
        self.overlong = np.zeros(shape, dtype=bool)
        if self.names and self.addresses:
            self._solve()

    def _taken_over(self, name: str) -> list[dict[Any, Any]]:
        """Per row what is known of next hops: of before the change where that holds."""
        earlier = self.earlier
        if earlier is None:
            return [{} for _ in self.names]
        held = getattr(earlier.reach, name)
        return [held[row] if leads else {} for row, leads in enumerate(earlier.leads.tolist())]

    def _unsure(self) -> dict[int, NDArray[np.bool_]]:
        strangers, out = self.forwarding.strangers, {}
        for row, name in enumerate(self.names if strangers else ()):
            found = strangers.unsure(name, self.routes[row], self.index[row], self.addresses)
            if found is not None and found.any():
                out[row] = found
        return out

    # -- the fixed points --------------------------------------------------------

    def _solve(self) -> None:
        for row in range(len(self.names)):
            self.edges.add(row, self._device(row))
        self.edges.close()
        present = int(np.bitwise_or.reduce(self.bits, axis=None))
        for bit in (1 << place for place in range(len(WORST_FIRST)) if present >> place & 1):
            matrix = self._packed(bit)
            self.edges.spread(matrix)
            self._enter(bit, matrix)
        walking, spent = self.edges.walking(INITIAL_HOPS)
        self._enter(BIT["loop"], walking)
        if spent is not None:
            self.overlong = unpack(spent & ~walking, len(self.addresses))
        self._guarded()

    def _packed(self, bit: int) -> Words:
        """Where a way to end is known, some rows at a time: whole copies would be the largest
        arrays of all."""
        parts = [pack(self.bits[rows] & np.uint32(bit) != 0) for rows in self._parts()]
        return np.concatenate(parts)

    def _enter(self, bit: int, matrix: Words) -> None:
        for rows in self._parts():
            part = self.bits[rows]
            part[unpack(matrix[rows], len(self.addresses))] |= np.uint32(bit)

    def _parts(self) -> Iterator[slice]:
        for start in range(0, len(self.names), _ROWS):
            yield slice(start, start + _ROWS)

    def _guarded(self) -> None:
        """Marks what a filter or a reverse-path check on the way may stop: that depends on the
        source too, so these are walked."""
        rows = [r for r, n in enumerate(self.names) if guards(self.forwarding.devices[n])]
        if not rows:
            return
        met = np.zeros_like(self.overlong)
        met[rows] = True
        if self.family == 6:
            # Whoever is beside a filter may not be found, or may not find.
            met[self.edges.sources] |= unpack(self.edges.from_any(pack(met)), met.shape[1])
        matrix = pack(met)
        self.edges.spread(matrix)
        met = unpack(matrix, met.shape[1])
        # A host that is handed a packet decides about it too, and has no edge of its own.
        for row in rows:
            met[:, self.owned[row]] = True
        self.overlong |= met

    def _device(self, row: int) -> dict[int, NDArray[np.bool_]]:
        """Fills what ends at this device, and returns its edges to others."""
        name, forwarding = self.names[row], self.forwarding
        # What rules choose depends on more than the target: such pairs are walked.
        ruled = forwarding.ruled(name, self.family)
        strange = forwarding.devices[name].role == "unread"
        if strange or ruled or forwarding.rewritten(name, self.family):
            self.bits[row] = _UNKNOWN
            return {}
        mine = self.owned[row]
        self.bits[row][mine] = _DELIVERED
        unsure = self.unsure.get(row)
        if unsure is not None:
            self.bits[row][unsure & ~mine] = _UNKNOWN
            mine = mine | unsure
        decision = None
        if self.earlier is not None and self.earlier.same[row]:
            decision = self.earlier.reach.decisions[row]
        elif self.earlier is not None and row in self.matches.few:
            decision = self._decide_few(row, mine, self.earlier)
        if decision is None:
            decision = self._decide(row, mine)
        self.decisions[row] = decision
        ways = self.ways[row]
        self.bits[row] |= np.where(mine, np.uint32(0), decision.ends[ways])
        for _, columns, bits in decision.placed:
            self.bits[row, columns] |= bits
        return {there: places[ways] & ~mine for there, places in decision.leads.items()}

    def _decide(self, row: int, settled: NDArray[np.bool_]) -> _Decision:
        """What a device does with packets for every column that is not settled already.

        Few ways out: what each leads to is found once and then looked up for every column.
        """
        name, forwarding, ways = self.names[row], self.forwarding, self.ways[row]
        ends = np.zeros(len(self.routes[row]) + 1, dtype=np.uint32)
        decision = _Decision(ends, {})
        open_ = ~settled
        for position in self.positions[row]:
            route = self.routes[row][position]
            if forwarding.not_computed(name, self.family, route):
                ends[position] = _UNKNOWN
                continue
            columns: NDArray[np.int64] | None = None
            for along in self.along(row, position):
                if forwarding.asks_for_target(name, along.hop):
                    if columns is None:
                        columns = np.flatnonzero((ways == position) & open_)
                    # Who answers owns the address, so the leg ends.
                    found = [self._on_link_bits(row, route, along.hop, c) for c in columns.tolist()]
                    decision.placed.append((position, columns, np.array(found, np.uint32)))
                    continue
                ends[position] |= np.uint32(along.bits)
                for end in along.ends:
                    there = self.row[end.device]
                    if self.forwarding.not_computed_on(end, self.family):
                        ends[position] |= _UNKNOWN
                    elif self._passes_on(end):
                        if there not in decision.leads:
                            decision.leads[there] = np.zeros(ends.shape, dtype=bool)
                        decision.leads[there][position] = True
                    else:
                        if columns is None:
                            columns = np.flatnonzero((ways == position) & open_)
                        own = self.owned[there, columns]
                        bits = np.where(own, _DELIVERED, np.uint32(BIT["not-forwarding"]))
                        decision.placed.append((position, columns, bits.astype(np.uint32)))
        nowhere = np.flatnonzero((ways < 0) & open_)
        if nowhere.size:
            decision.placed.append((-1, nowhere, self._unrouted(row, nowhere)))
        return decision

    def _decide_few(
        self, row: int, settled: NDArray[np.bool_], earlier: Earlier[FamilyReach]
    ) -> _Decision | None:
        """`_decide` from before the change for a device that matches others for few columns; None
        if it has to be made."""
        was, some = earlier.reach.decisions[row], self.matches.few[row]
        if was is None or not earlier.leads[row]:
            return None
        touched = {*earlier.reach.ways[row, some].tolist(), *self.ways[row, some].tolist()}
        if touched - {-1, *earlier.reach.positions[row]}:
            return None  # it hands packets on by a way that it did not use
        if any(position in touched for position, _, _ in was.placed if position >= 0):
            return None
        more = len(self.routes[row]) - len(earlier.reach.routes[row])

        def longer(held: NDArray[Any]) -> NDArray[Any]:
            # The last place stays that of no route.
            return np.concatenate([held[:-1], np.zeros(more, held.dtype), held[-1:]])

        leads = {there: longer(places) for there, places in was.leads.items()}
        decision = _Decision(longer(was.ends), leads, [*was.placed])
        if -1 in touched:
            decision.placed = [item for item in was.placed if item[0] >= 0]
            nowhere = np.flatnonzero((self.ways[row] < 0) & ~settled)
            if nowhere.size:
                decision.placed.append((-1, nowhere, self._unrouted(row, nowhere)))
        return decision

    def _passes_on(self, end: End) -> bool:
        """False if a device that is handed packets on this end surely keeps them to itself."""
        device = end.device
        return (
            self.forwarding.forwards(device, end.interface, self.family)
            or self.forwarding.devices[device].role == "unread"
            or bool(self.forwarding.rewritten(device, self.family))
        )

    def along(self, row: int, position: int) -> list[_Along]:
        """What each next hop of a route leads to, for hops that do not depend on the target."""
        route = self.routes[row][position]
        known = self._along[row]
        out = []
        for hop in route.obeyed_hops or route.wanted:
            item = known.get(hop)
            if item is None:
                item = known[hop] = self._lead(row, route, hop)
            out.append(item)
        return out

    def _lead(self, row: int, route: Route, hop: NextHop) -> _Along:
        item = _Along(hop)
        if self.forwarding.asks_for_target(self.names[row], hop):
            return item
        probe = hop.address or Address(self.family, route.prefix.network)
        ends = []
        for fate in self.forwarding.along(self.names[row], route, hop, probe):
            if fate.verdict is not None:
                item.bits |= BIT[fate.verdict]
            elif fate.to is not None:
                ends.append(fate.to)
        item.ends = tuple(ends)
        return item

    def _on_link_bits(self, row: int, route: Route, hop: NextHop, column: int) -> int:
        """How it ends if the target itself is asked for on the link."""
        known = self._linked[row].get((hop, column))
        if known is not None:
            return known
        bits = 0
        for fate in self.forwarding.along(self.names[row], route, hop, self.addresses[column]):
            if fate.verdict is not None:
                bits |= BIT[fate.verdict]
            elif fate.to is not None and (
                self.forwarding.not_computed_on(fate.to, self.family)
                or self.forwarding.rewritten(fate.to.device, self.family)
                or self.forwarding.ruled(fate.to.device, self.family)
            ):
                bits |= BIT["unknown"]
            else:
                bits |= BIT["delivered"]
        self._linked[row][hop, column] = bits
        return bits

    def _unrouted(self, row: int, columns: NDArray[np.int64]) -> Bits:
        """How packets end for which there is no route."""
        name = self.names[row]
        if self.forwarding.not_computed(name, self.family, None):
            return np.full(columns.shape, _UNKNOWN, dtype=np.uint32)
        table = self.forwarding.tables.of(name, self.family)
        broken = sorted(
            table.failing(),
            key=lambda r: (-r.prefix.length, r.distance, r.metric),
        )
        out: Bits = np.full(columns.shape, BIT["no-route"], dtype=np.uint32)
        for place, column in enumerate(columns.tolist() if broken else ()):
            address = self.addresses[column]
            verdict = next((r.problem for r in broken if r.prefix.contains(address)), None)
            if verdict is not None:
                out[place] = BIT[verdict]
        return out

    # -- sources and rows ----------------------------------------------------------

    def default_rows(self, row: int) -> tuple[NDArray[np.int32], NDArray[np.int8]]:
        """For one device and every address: the number of the source it chooses (see `source`),
        and what a ping shows."""
        known = self.defaults.get(row)
        if known is None:
            known = self._defaults_again(row) or self.choose(row, None)
            if not self.keeps:
                self.defaults.clear()  # whoever asks for one row asks again soon
            self.defaults[row] = known
        return known

    @cached_property
    def all_defaults(self) -> tuple[NDArray[np.int32], NDArray[np.int8]]:
        """`default_rows` of every device, as two arrays."""
        found = [self.default_rows(row) for row in range(len(self.names))]
        sources = np.stack([held[0] for held in found])
        ok = np.stack([held[1] for held in found])
        if self.keeps:
            self.defaults = {row: (sources[row], ok[row]) for row in range(len(found))}
        return sources, ok

    @property
    def all_defaults_known(self) -> tuple[NDArray[np.int32], NDArray[np.int8]] | None:
        """The same if somebody asked for it, and every source has a column."""
        found = self.__dict__.get("all_defaults")
        if found is None or len(self._sources) > len(self.addresses):
            return None
        return found  # type: ignore[no-any-return]

    @property
    def keeps(self) -> bool:
        """True if what is computed per pair of addresses is kept."""
        return len(self.addresses) ** 2 <= KEPT_CELLS

    def source(self, number: int) -> Address | None:
        """The address that a number of `default_rows` stands for; numbers of surveyed addresses
        are their columns, and -1 is none."""
        return None if number < 0 else self._sources[number]

    def _number(self, source: Address | None) -> int:
        if source is None:
            return -1
        found = self._source_number.get(source)
        if found is None:
            found = self._source_number[source] = len(self._sources)
            self._sources.append(source)
        return found

    def default_returns(self, row: int) -> Bits:
        """For one device and every address: how the return to the source that it chooses can end;
        0 where there is no source to return to."""
        if self.forwarding.ruled(self.names[row], self.family):
            return np.zeros(len(self.addresses), dtype=np.uint32)
        return self.default_returns_of(self.default_rows(row)[0])

    def _defaults_again(self, row: int) -> tuple[NDArray[np.int32], NDArray[np.int8]] | None:
        return None if self.earlier is None else self.earlier.default_rows(row)

    def choose(
        self, row: int, some: NDArray[np.int64] | None
    ) -> tuple[NDArray[np.int32], NDArray[np.int8]]:
        """`default_rows` for all columns or for some."""
        device = self.forwarding.devices[self.names[row]]
        at = np.arange(len(self.addresses)) if some is None else some
        if self.forwarding.ruled(device.name, self.family):
            own = [source_for(self.forwarding, device.name, self.addresses[c]) for c in at.tolist()]
            numbers = np.array([self._number(source) for source in own], dtype=np.int32)
            return numbers, np.full(at.size, UNSURE, dtype=np.int8)
        codes, ways = self.codes[row], self.ways[row]
        if some is not None:
            codes, ways = codes[some], ways[some]
        # The source of most ways out is one, whatever the target.
        one = np.full(len(self.routes[row]) + 1, -1, dtype=np.int32)
        several: list[tuple[int, list[_Along], list[Address | None] | None]] = []
        used = self.positions[row] if some is None else np.unique(ways[ways >= 0]).tolist()
        for position in used:
            along = self.along(row, position)
            fixed = self._fixed_sources(device, along)
            if fixed is None or len({*fixed}) > 1:
                several.append((position, along, fixed))
            elif fixed:
                one[position] = self._number(fixed[0])
        sources = one[ways]
        ok = self._ping[codes, self._codes_of_returns(sources, at)]
        nowhere = ways < 0
        ok[nowhere] = np.where(codes[nowhere] == ONLY_UNKNOWN, UNSURE, NO)
        for position, along, fixed in several:
            here = np.flatnonzero(ways == position)
            if not here.size:
                continue
            if fixed is not None:
                sources[here] = self._number(fixed[0])
                ok[here] = combine(
                    [
                        self._ping[
                            self._outbound(row, item, at[here]), self._back_codes(source, at[here])
                        ]
                        for item, source in zip(along, fixed, strict=True)
                    ]
                )
                continue
            for chosen, alike in self._by_source(device, along, at[here]):
                columns = at[here[alike]]
                sources[here[alike]] = self._number(chosen[0])
                outs = [self._outbound(row, item, columns) for item in along]
                ok[here[alike]] = combine(
                    [
                        self._ping[out, self._back_codes(source, columns)]
                        for out, source in zip(outs, chosen, strict=True)
                    ]
                )
        unsure = self.unsure.get(row)
        if unsure is not None:
            # By which way it leaves, and so from which source, is not known either.
            ok[(unsure & ~self.owned[row])[at]] = UNSURE
        # What is not known of the way out leaves only the way back to say that it surely fails.
        dark = codes == ONLY_UNKNOWN
        if dark.any():
            ok[dark & (sources < 0)] = UNSURE
            known = dark & (sources >= 0)
            if unsure is not None:
                known &= ~unsure[at]
            back = self._codes_of_returns(sources, at)[known]
            ok[known] = self._ping[codes[known], back]
        return sources, ok

    def default_returns_of(self, sources: NDArray[np.int32]) -> Bits:
        """How the return to one source per address can end; 0 where that is none of ours."""
        back: Bits = np.zeros(sources.size, dtype=np.uint32)
        held = np.flatnonzero((sources >= 0) & (sources < len(self.addresses)))
        back[held] = self.bits[self.owner_rows[held], sources[held]]
        return back

    def _codes_of_returns(
        self, sources: NDArray[np.int32], columns: NDArray[np.int64]
    ) -> NDArray[np.uint8]:
        """Per column the code of the return to the source with this number."""
        held = (sources >= 0) & (sources < len(self.addresses))
        owners = self.owner_rows[columns]
        found: NDArray[np.uint8] = self._codes_back[np.where(held, sources, 0), owners]
        found[~held] = 0
        return found

    def ping(self, row: int, source: Address | None) -> NDArray[np.int8]:
        """What pings of a device from one source to every address show."""
        back = self._back_codes(source, None)
        found: NDArray[np.int8] = self._ping.ravel().take((self.codes[row] << 3) + back)
        return found

    def sources_of(self, row: int) -> list[tuple[Address, int]]:
        """The addresses from which a device may ping, with their columns."""
        device = self.forwarding.devices[self.names[row]]
        return [
            (fact.address, self.column[fact.address])
            for _, fact in usable_addresses(device, self.family)
            if not fact.address.is_link_local
        ]

    def alike(self, row: int) -> tuple[NDArray[np.bool_], NDArray[np.int8], int] | None:
        """Columns for which it does not matter which source a device chooses: its packets surely
        arrive, and the return to each of its sources is the same.

        Returns:
            Which columns, what pings to each column show there, and how many sources the device
            has; None if the choice may fall on an address that is not one of those.
        """
        name = self.names[row]
        device = self.forwarding.devices[name]
        columns = [column for _, column in self.sources_of(row)]
        # Only of an address for links that a route names, or of nothing at all, could it be.
        if len(columns) < len(usable_addresses(device, self.family)) and (
            self.family == 4
            or any(
                hop.source is not None and hop.source.is_link_local
                for position in self.positions[row]
                for hop in self.routes[row][position].next_hops
            )
        ):
            return None
        if not columns or row in self.unsure or self.forwarding.ruled(name, self.family):
            return None
        back = self._codes_back[columns]
        surely = self.codes[row] == 1
        surely &= (back == back[0]).all(axis=0)[self.owner_rows]
        surely &= self.owner_rows != row
        states: NDArray[np.int8] = self._ping[1].take(back[0].take(self.owner_rows))
        return surely, states, len(columns)

    def pings(
        self,
        rows: NDArray[np.int64] | np.int64,
        sources: NDArray[np.int64] | np.int64,
        columns: NDArray[np.int64],
    ) -> NDArray[np.int8]:
        """What single pings show: of devices, from their sources (as columns), to addresses."""
        back = self._codes_back[sources, self.owner_rows[columns]]
        found: NDArray[np.int8] = self._ping.ravel().take((self.codes[rows, columns] << 3) + back)
        return found

    def delivers(self, row: int) -> Delivered:
        """To which addresses packets of a device may get, and to which all of them surely do."""
        codes = self.codes[row]
        return Delivered(codes & 3 != 0, codes == 1)

    def _back_codes(
        self, source: Address | None, columns: NDArray[np.int64] | None
    ) -> NDArray[np.uint8]:
        """The codes of the return to a source from who holds each address."""
        owners = self.owner_rows if columns is None else self.owner_rows[columns]
        column = self.column.get(source) if source is not None else None
        if column is None:
            return np.zeros(owners.size, dtype=np.uint8)
        found: NDArray[np.uint8] = self._codes_back[column].take(owners)
        return found

    @cached_property
    def codes(self) -> NDArray[np.uint8]:
        """Per cell of `bits` what matters for a ping; see `code_of`."""
        return code_of(self.bits)

    @cached_property
    def _codes_back(self) -> NDArray[np.uint8]:
        """The same by column, because returns ask for a column at a time."""
        return np.ascontiguousarray(self.codes.T)

    @cached_property
    def any_odd(self) -> bool:
        """True if anything must be walked because arrays do not tell."""
        return bool(self.shared) or bool(self.overlong.any())

    @cached_property
    def shared_columns(self) -> NDArray[np.bool_]:
        """The columns of addresses that several devices hold."""
        return np.array([address in self.shared for address in self.addresses], dtype=bool)

    @cached_property
    def owner_rows(self) -> NDArray[np.int64]:
        """The row of the device that holds each address (of several, the first)."""
        near = self.forwarding.near
        return np.array(
            [
                self.row[
                    next((o for o in near.holders(a) if o.active), near.holders(a)[0]).end.device
                ]
                for a in self.addresses
            ],
            dtype=np.int64,
        )

    def back(self, owners: NDArray[np.int64], source: Address | None) -> Bits:
        if source is None or source not in self.column:
            return np.zeros(owners.shape, dtype=np.uint32)
        back: Bits = self.bits[owners, self.column[source]]
        return back

    def through(self, end: End, columns: NDArray[np.int64]) -> Bits:
        """How packets for some columns end after they are handed to a device on this end."""
        there = self.row[end.device]
        if self.forwarding.not_computed_on(end, self.family):
            return np.full(columns.shape, _UNKNOWN, dtype=np.uint32)
        bits: Bits = self.bits[there, columns]
        if not self._passes_on(end):
            bits = np.where(
                self.owned[there, columns], _DELIVERED, np.uint32(BIT["not-forwarding"])
            ).astype(np.uint32)
        return bits

    def _fixed_sources(self, device: Device, along: list[_Along]) -> list[Address | None] | None:
        """The source per next hop, if it does not depend on the target; else None."""
        out: list[Address | None] = []
        for item in along:
            hop = item.hop
            if hop.source is not None:
                return None
            if self.family == 6:
                if hop.action != "forward" or hop.address is None:
                    return None
                at_exit = [
                    fact
                    for interface, fact in usable_addresses(device, 6)
                    if interface.name == hop.interface and not fact.address.is_link_local
                ]
                if len(at_exit) != 1 or at_exit[0].address.value >> 118 == 0x3FB:
                    return None
                out.append(at_exit[0].address)
                break
            if item.source is None:
                item.source = only_source(device, hop)
            known, source = item.source
            if not known:
                if hop.address is None:
                    return None
                near = hop.address if hop.address.family == self.family else _ZERO
                source = choose_source(device, near, hop)
            out.append(source)
        if self.family == 6:
            out = out[:1] * len(along)
        return out

    def _by_source(
        self, device: Device, along: list[_Along], columns: NDArray[np.int64]
    ) -> Iterator[tuple[tuple[Address | None, ...], NDArray[np.int64]]]:
        """The places in `columns` for which the device chooses the same source, at each next
        hop."""
        groups: dict[tuple[Address | None, ...], list[int]] = {}
        for place, column in enumerate(columns.tolist()):
            target = self.addresses[column]
            # IPv6 chooses once for all next hops.
            hops = along[:1] if self.family == 6 else along
            chosen = tuple(choose_source(device, target, item.hop) for item in hops)
            if self.family == 6:
                chosen *= len(along)
            groups.setdefault(chosen, []).append(place)
        for chosen, alike in groups.items():
            yield chosen, np.array(alike, dtype=np.int64)

    def _outbound(self, row: int, item: _Along, columns: NDArray[np.int64]) -> NDArray[np.uint8]:
        """The codes of how packets of a device for some columns end that leave by one next hop."""
        name = self.names[row]
        outbound: NDArray[np.uint8] = np.full(
            columns.shape, code_of(np.array(item.bits, np.uint32)), dtype=np.uint8
        )
        if self.forwarding.asks_for_target(name, item.hop):
            for position, column in enumerate(columns.tolist()):
                route = self.routes[row][self.index[row, column]]
                found = self._on_link_bits(row, route, item.hop, column)
                outbound[position] |= code_of(np.array(found, np.uint32))
        for end in item.ends:
            outbound |= code_of(self.through(end, columns))
        return outbound
