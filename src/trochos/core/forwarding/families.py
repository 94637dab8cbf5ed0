"""One address family at once: who reaches which address, and how it ends if not.

Rows are devices, columns are addresses. The longest match of every device for every
address comes from one tree of all prefixes; verdicts are bit sets that flow against the
edges until nothing changes: a least fixed point for the ways a packet can end, and a
greatest one for walking on for ever. The way back is a look-up in the same result.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..network.addressing import Address, prefix_of
from ..network.facts import Device, End
from ..protocols.routes import NextHop, Route
from ..protocols.rows import Winners
from .flow import Edges, Words, pack, unpack
from .sources import choose_source, only_source, source_for, usable_addresses
from .step import Forwarding
from .verdicts import BIT, WORST_FIRST
from .walk import INITIAL_HOPS, guards

NO, PARTLY, YES, UNSURE = 0, 1, 2, 3


KEPT_CELLS = 80_000_000
"""Up to so many pairs of addresses, what is computed for each is kept for the next question (a byte
each)."""


Bits = NDArray[np.uint32]
Places = NDArray[Any]
"""Per device and column a place in the device's list of routes, or -1."""


_ROWS = 256
"""How many rows are copied at a time."""
_ZERO = Address(4, 0)
_DELIVERED = np.uint32(BIT["delivered"])


_UNKNOWN = np.uint32(BIT["unknown"])
_REST = np.uint32(sum(BIT.values())) & ~(_DELIVERED | _UNKNOWN)


def match_columns(
    tables: list[Winners], addresses: list[Address], singly: bool
) -> tuple[Places, list[list[Route]]]:
    """The longest match of each table for each address.

    Args:
        tables: per device, the routes it obeys.
        addresses: the columns, all of one family.
        singly: a number for every route. Else cells of one row with the same next hops share one.

    Returns:
        `index` of shape (devices, addresses): which of the device's routes matches, or -1;
        and per device the routes that the numbers stand for.
    """
    shared = {id(row.columns): row.columns for table in tables for row, _ in table.rows}
    known = {prefix for table in tables for prefix in table.alone}
    for held in shared.values():
        known.update(held.prefixes)
    prefixes = sorted(known)
    number = {prefix: i for i, prefix in enumerate(prefixes)}
    places = {
        key: np.array([number[prefix] for prefix in held.prefixes], dtype=np.int64)
        for key, held in shared.items()
    }
    parent = np.full(len(prefixes), -1, dtype=np.int64)
    depth = np.zeros(len(prefixes), dtype=np.int64)
    stack: list[int] = []
    for i, prefix in enumerate(prefixes):
        while stack and not prefixes[stack[-1]].covers(prefix):
            stack.pop()
        if stack:
            parent[i], depth[i] = stack[-1], depth[stack[-1]] + 1
        stack.append(i)
    # A device has fewer routes than there are prefixes, and these are the largest arrays of all.
    dtype = np.int16 if len(prefixes) < np.iinfo(np.int16).max else np.int32
    own: Places = np.full((len(tables), len(prefixes)), -1, dtype=dtype)
    routes: list[list[Route]] = []
    for row, table in enumerate(tables):
        listed = list(table.values()) if singly else list(table.alone.values())
        if listed:
            own[row, [number[route.prefix] for route in listed]] = np.arange(len(listed))
        for source, mask in () if singly else table.rows:
            stands = np.full(len(source.sets), -1, dtype=np.int32)
            for kind in source.sets_in_use:
                alike = np.flatnonzero((source.ids == kind) & mask)
                if alike.size:
                    stands[kind] = len(listed)
                    listed.append(table[source.columns.prefixes[alike[0]]])
            cells = np.flatnonzero(mask)
            own[row, places[id(source.columns)][cells]] = stands[source.ids[cells]]
        routes.append(listed)
    for level in range(1, int(depth.max(initial=0)) + 1):
        columns = np.flatnonzero(depth == level)
        block = own[:, columns]
        own[:, columns] = np.where(block >= 0, block, own[:, parent[columns]])
    lengths = sorted({prefix.length for prefix in prefixes}, reverse=True)
    column_of = np.full(len(addresses), -1, dtype=np.int64)
    for column, address in enumerate(addresses):
        for length in lengths:
            found = number.get(prefix_of(address, length))
            if found is not None:
                column_of[column] = found
                break
    index: Places = np.full((len(tables), len(addresses)), -1, dtype=dtype)
    matched = np.flatnonzero(column_of >= 0)
    if matched.size:
        index[:, matched] = own[:, column_of[matched]]
    return index, routes


@dataclass(slots=True)
class _Along:
    """What one gateway next hop contributes: an end, or the device that goes on."""

    hop: NextHop
    bits: int = 0
    ends: tuple[End, ...] = ()


class FamilyReach:
    """The verdicts of one family: `bits[device, address]` holds every way a leg can end."""

    def __init__(
        self, forwarding: Forwarding, family: int, addresses: list[Address] | None = None
    ) -> None:
        """Solves for every surveyed address, or for the given ones."""
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
        tables = [forwarding.obeyed[name, family] for name in self.names]
        # What strangers may change, or others told without being certain, differs by the route.
        singly = bool(forwarding.strangers) or forwarding.tells_unsure
        self.index, self.routes = match_columns(tables, self.addresses, singly)
        self.unsure = self._unsure()
        """Per row the columns for which strangers may change what is computed."""
        self.positions: list[list[int]] = []
        """Per row the numbers that occur in `ways`, perhaps with some that match nothing."""
        self.ways = self._group_by_ways()
        self._along: dict[tuple[int, int], list[_Along]] = {}
        self._defaults: dict[int, tuple[NDArray[np.int32], NDArray[np.int8]]] = {}
        self._sources: list[Address] = list(self.addresses)
        self._source_number: dict[Address, int] = dict(self.column)
        # What is not known of the way out may hide that the source became another one: then the
        # way back to the first says nothing.
        self._ping = PING_UNSURE if forwarding.may_rewrite else PING
        self.states: dict[str, list[tuple[Address, NDArray[np.int8]]]] = {}
        """Per device what pings from each of its sources show, kept by `Reach`."""
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

    def _unsure(self) -> dict[int, NDArray[np.bool_]]:
        strangers, out = self.forwarding.strangers, {}
        for row, name in enumerate(self.names if strangers else ()):
            found = strangers.unsure(name, self.routes[row], self.index[row], self.addresses)
            if found is not None and found.any():
                out[row] = found
        return out

    def _group_by_ways(self) -> Places:
        """Per device and address a route that stands for all with the same next hops.

        A device has many routes and few ways out; what follows depends on the ways alone.
        """
        ways = np.full_like(self.index, -1)
        forwarding = self.forwarding
        unsure = forwarding.tells_unsure
        for row, routes in enumerate(self.routes):
            first: dict[tuple[object, ...], int] = {}
            stands = np.array(
                [
                    first.setdefault(
                        (
                            route.obeyed_hops or route.wanted,
                            route.problem,
                            route.protocol in ("connected", "local"),
                            unsure
                            and bool(forwarding.not_computed(self.names[row], self.family, route)),
                        ),
                        position,
                    )
                    for position, route in enumerate(routes)
                ],
                dtype=np.int32,
            )
            self.positions.append(np.unique(stands).tolist())
            if routes:
                index = self.index[row]
                ways[row] = np.where(index >= 0, stands[np.maximum(index, 0)], -1)
        return ways

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
        name = self.names[row]
        forwarding = self.forwarding
        # What rules choose depends on more than the target: such pairs are walked.
        ruled = forwarding.ruled(name, self.family)
        strange = forwarding.devices[name].role == "unread"
        if strange or ruled or forwarding.rewritten(name, self.family):
            self.bits[row] = _UNKNOWN
            return {}
        mine = self.owned[row]
        self.bits[row][mine] = _DELIVERED
        ways = self.ways[row]
        unsure = self.unsure.get(row)
        if unsure is not None:
            self.bits[row][unsure & ~mine] = _UNKNOWN
            mine = mine | unsure
        # Few ways out: what each leads to is found once and then looked up for every column.
        # The last place stands for no route at all.
        ends = np.zeros(len(self.routes[row]) + 1, dtype=np.uint32)
        leads: dict[int, NDArray[np.bool_]] = {}
        for position in self.positions[row]:
            route = self.routes[row][position]
            if forwarding.not_computed(name, self.family, route):
                ends[position] = _UNKNOWN
                continue
            for along in self.along(row, position):
                if forwarding.asks_for_target(name, along.hop):
                    columns = np.flatnonzero((ways == position) & ~mine)
                    self._on_link(row, route, along.hop, columns)
                    continue
                ends[position] |= np.uint32(along.bits)
                for end in along.ends:
                    there = self.row[end.device]
                    if self.forwarding.not_computed_on(end, self.family):
                        ends[position] |= _UNKNOWN
                    elif self._passes_on(end):
                        places = leads.setdefault(there, np.zeros(ends.shape, dtype=bool))
                        places[position] = True
                    else:
                        columns = np.flatnonzero((ways == position) & ~mine)
                        own = self.owned[there, columns]
                        self.bits[row, columns[own]] |= _DELIVERED
                        self.bits[row, columns[~own]] |= np.uint32(BIT["not-forwarding"])
        self.bits[row] |= np.where(mine, np.uint32(0), ends[ways])
        nowhere = np.flatnonzero((ways < 0) & ~mine)
        if nowhere.size:
            self._unrouted(row, nowhere)
        return {there: places[ways] & ~mine for there, places in leads.items()}

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
        known = self._along.get((row, position))
        if known is None:
            route = self.routes[row][position]
            known = []
            for hop in route.obeyed_hops or route.wanted:
                item = _Along(hop)
                if not self.forwarding.asks_for_target(self.names[row], hop):
                    probe = hop.address or Address(self.family, route.prefix.network)
                    ends = []
                    for fate in self.forwarding.along(self.names[row], route, hop, probe):
                        if fate.verdict is not None:
                            item.bits |= BIT[fate.verdict]
                        elif fate.to is not None:
                            ends.append(fate.to)
                    item.ends = tuple(ends)
                known.append(item)
            self._along[row, position] = known
        return known

    def _on_link(self, row: int, route: Route, hop: NextHop, columns: NDArray[np.int64]) -> None:
        """A hop that asks for the target itself: who answers owns it, so the leg ends."""
        for column in columns:
            self.bits[row, column] |= np.uint32(
                self._on_link_bits(row, route, hop, self.addresses[column])
            )

    def _on_link_bits(self, row: int, route: Route, hop: NextHop, target: Address) -> int:
        bits = 0
        for fate in self.forwarding.along(self.names[row], route, hop, target):
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
        return bits

    def _unrouted(self, row: int, columns: NDArray[np.int64]) -> None:
        name = self.names[row]
        if self.forwarding.not_computed(name, self.family, None):
            self.bits[row, columns] |= _UNKNOWN
            return
        table = self.forwarding.tables.of(name, self.family)
        broken = sorted(
            table.failing(),
            key=lambda r: (-r.prefix.length, r.distance, r.metric),
        )
        if not broken:
            self.bits[row, columns] |= np.uint32(BIT["no-route"])
            return
        for column in columns:
            address = self.addresses[column]
            verdict = next((r.problem for r in broken if r.prefix.contains(address)), "no-route")
            self.bits[row, column] |= np.uint32(BIT[verdict or "no-route"])

    # -- sources and rows ----------------------------------------------------------

    def default_rows(self, row: int) -> tuple[NDArray[np.int32], NDArray[np.int8]]:
        """For one device and every address: the number of the source it chooses (see `source`),
        and what a ping shows."""
        known = self._defaults.get(row)
        if known is None:
            known = self._default_rows(row)
            if not self.keeps:
                self._defaults.clear()  # whoever asks for one row asks again soon
            self._defaults[row] = known
        return known

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

    def _default_rows(self, row: int) -> tuple[NDArray[np.int32], NDArray[np.int8]]:
        device = self.forwarding.devices[self.names[row]]
        count = len(self.addresses)
        if self.forwarding.ruled(device.name, self.family):
            own = [source_for(self.forwarding, device.name, a) for a in self.addresses]
            numbers = np.array([self._number(source) for source in own], dtype=np.int32)
            return numbers, np.full(count, UNSURE, dtype=np.int8)
        codes, ways = self.codes[row], self.ways[row]
        # The source of most ways out is one, whatever the target.
        one = np.full(len(self.routes[row]) + 1, -1, dtype=np.int32)
        several: list[tuple[int, list[_Along], list[Address | None] | None]] = []
        for position in self.positions[row]:
            along = self.along(row, position)
            fixed = self._fixed_sources(device, along)
            if fixed is None or len({*fixed}) > 1:
                several.append((position, along, fixed))
            elif fixed:
                one[position] = self._number(fixed[0])
        sources = one[ways]
        ok = self._ping[codes, self._codes_of_returns(sources)]
        nowhere = ways < 0
        ok[nowhere] = np.where(codes[nowhere] == _ONLY_UNKNOWN, UNSURE, NO)
        for position, along, fixed in several:
            columns = np.flatnonzero(ways == position)
            if not columns.size:
                continue
            if fixed is not None:
                sources[columns] = self._number(fixed[0])
                ok[columns] = combine(
                    [
                        self._ping[
                            self._outbound(row, item, columns), self._back_codes(source, columns)
                        ]
                        for item, source in zip(along, fixed, strict=True)
                    ]
                )
                continue
            for chosen, alike in self._by_source(device, along, columns):
                sources[alike] = self._number(chosen[0])
                outs = [self._outbound(row, item, alike) for item in along]
                ok[alike] = combine(
                    [
                        self._ping[out, self._back_codes(source, alike)]
                        for out, source in zip(outs, chosen, strict=True)
                    ]
                )
        unsure = self.unsure.get(row)
        if unsure is not None:
            # By which way it leaves, and so from which source, is not known either.
            ok[unsure & ~self.owned[row]] = UNSURE
        # What is not known of the way out leaves only the way back to say that it surely fails.
        dark = codes == _ONLY_UNKNOWN
        if dark.any():
            ok[dark & (sources < 0)] = UNSURE
            known = dark & (sources >= 0)
            if unsure is not None:
                known &= ~unsure
            back = code_of(self.default_returns_of(sources)[known])
            ok[known] = self._ping[codes[known], back]
        return sources, ok

    def default_returns_of(self, sources: NDArray[np.int32]) -> Bits:
        """How the return to one source per address can end; 0 where that is none of ours."""
        back: Bits = np.zeros(sources.size, dtype=np.uint32)
        held = np.flatnonzero((sources >= 0) & (sources < len(self.addresses)))
        back[held] = self.bits[self.owner_rows[held], sources[held]]
        return back

    def _codes_of_returns(self, sources: NDArray[np.int32]) -> NDArray[np.uint8]:
        """Per address the code of the return to the source with this number."""
        held = (sources >= 0) & (sources < len(self.addresses))
        found: NDArray[np.uint8] = self._codes_back[np.where(held, sources, 0), self.owner_rows]
        found[~held] = 0
        return found

    def ping(self, row: int, source: Address | None) -> NDArray[np.int8]:
        """What pings of a device from one source to every address show."""
        back = self._back_codes(source, None)
        found: NDArray[np.int8] = self._ping.ravel().take((self.codes[row] << 3) + back)
        return found

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
            known, source = only_source(device, hop)
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
        """Columns for which the device chooses the same source, at each next hop."""
        groups: dict[tuple[Address | None, ...], list[int]] = {}
        for column in columns.tolist():
            target = self.addresses[column]
            # IPv6 chooses once for all next hops.
            hops = along[:1] if self.family == 6 else along
            chosen = tuple(choose_source(device, target, item.hop) for item in hops)
            if self.family == 6:
                chosen *= len(along)
            groups.setdefault(chosen, []).append(column)
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
                found = self._on_link_bits(row, route, item.hop, self.addresses[column])
                outbound[position] |= code_of(np.array(found, np.uint32))
        for end in item.ends:
            outbound |= code_of(self.through(end, columns))
        return outbound


def _states(outbound: Bits, back: Bits) -> NDArray[np.int8]:
    """What a ping shows, from the ways both legs can end."""
    both = outbound | back
    some = (outbound & _DELIVERED != 0) & (back & _DELIVERED != 0)
    rest = both & ~(_DELIVERED | _UNKNOWN)
    pure = some & (both == _DELIVERED)
    # A leg that surely fails decides, whatever else is not known.
    fails = (outbound & (_DELIVERED | _UNKNOWN) == 0) | (back & (_DELIVERED | _UNKNOWN) == 0)
    state = np.full(outbound.shape, NO, dtype=np.int8)
    state[some & (rest != 0)] = PARTLY
    state[some & (rest == 0) & ~pure] = UNSURE
    state[~some & ~fails] = UNSURE
    state[pure] = YES
    return state


_ONLY_UNKNOWN = 2


def code_of(bits: Bits) -> NDArray[np.uint8]:
    """What matters of sets of ends for a ping: 1 it may arrive, 2 it is not known, 4 it may end in
    another way. Codes of several ways are joined as sets are."""
    found: NDArray[np.uint8] = (bits & _DELIVERED != 0).astype(np.uint8)
    found |= (bits & _UNKNOWN != 0).astype(np.uint8) << 1
    found |= (bits & _REST != 0).astype(np.uint8) << 2
    return found


def worst_of(bits: Bits) -> NDArray[np.int64]:
    """The rank of the verdict that speaks for sets of ends; one more than all ranks for the empty
    set."""
    lowest = np.where(bits == 0, np.int64(1 << len(WORST_FIRST)), bits & -bits.astype(np.int64))
    return np.frexp(lowest)[1].astype(np.int64) - 1


_OF_CODE = np.array(
    [
        (_DELIVERED if code & 1 else 0) | (_UNKNOWN if code & 2 else 0) | (code >> 2)
        for code in range(8)
    ],
    dtype=np.uint32,
)
PING = _states(np.repeat(_OF_CODE, 8), np.tile(_OF_CODE, 8)).reshape(8, 8)
"""What a ping shows, by the codes of the way out and of the return."""
PING_UNSURE = PING.copy()
PING_UNSURE[_ONLY_UNKNOWN] = np.where(PING[_ONLY_UNKNOWN] == NO, UNSURE, PING[_ONLY_UNKNOWN])
"""The same where a packet whose way is not known may have got another source."""


def combine(states: list[NDArray[np.int8]]) -> NDArray[np.int8]:
    """Several first hops, each with its own source: one answer."""
    found = np.zeros(states[0].shape, dtype=np.uint8)
    for state in states:
        found |= np.left_shift(1, state).astype(np.uint8)
    together: NDArray[np.int8] = _TOGETHER[found]
    return together


def _together() -> NDArray[np.int8]:
    out = np.full(16, PARTLY, dtype=np.int8)
    for state in (NO, YES, UNSURE):
        out[1 << state] = state
    out[1 << YES | 1 << UNSURE] = UNSURE
    return out


_TOGETHER = _together()
