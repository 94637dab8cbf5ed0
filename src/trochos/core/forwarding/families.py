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

import numpy as np
from numpy.typing import NDArray

from ..network.addressing import Address, Prefix, prefix_of
from ..network.facts import Device, End
from ..protocols.routes import NextHop, Route
from .sources import choose_source, source_for, usable_addresses
from .step import Forwarding
from .verdicts import BIT
from .walk import INITIAL_HOPS, guards

NO, PARTLY, YES, UNSURE = 0, 1, 2, 3


KEPT_ROWS = 400
"""Up to so many devices, what is computed per device is kept for the next question."""


Bits = NDArray[np.uint32]


_DELIVERED = np.uint32(BIT["delivered"])


_UNKNOWN = np.uint32(BIT["unknown"])


def match_columns(
    tables: list[dict[Prefix, Route]], addresses: list[Address]
) -> tuple[NDArray[np.int32], list[list[Route]]]:
    """The longest match of each table for each address.

    Args:
        tables: per device, the routes it obeys.
        addresses: the columns, all of one family.

    Returns:
        `index` of shape (devices, addresses): which of the device's routes matches, or -1;
        and per device the routes that the numbers stand for.
    """
    prefixes = sorted({prefix for table in tables for prefix in table})
    number = {prefix: i for i, prefix in enumerate(prefixes)}
    parent = np.full(len(prefixes), -1, dtype=np.int64)
    depth = np.zeros(len(prefixes), dtype=np.int64)
    stack: list[int] = []
    for i, prefix in enumerate(prefixes):
        while stack and not prefixes[stack[-1]].covers(prefix):
            stack.pop()
        if stack:
            parent[i], depth[i] = stack[-1], depth[stack[-1]] + 1
        stack.append(i)
    own = np.full((len(tables), len(prefixes)), -1, dtype=np.int32)
    routes: list[list[Route]] = []
    for row, table in enumerate(tables):
        listed = list(table.values())
        routes.append(listed)
        if listed:
            own[row, [number[route.prefix] for route in listed]] = np.arange(len(listed))
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
    index = np.full((len(tables), len(addresses)), -1, dtype=np.int32)
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
                for address in near.owners
                if address.family == family and not address.is_loopback and not address.is_multicast
            ]
        self.addresses: list[Address] = sorted(addresses)
        self.column = {address: i for i, address in enumerate(self.addresses)}
        self.shared = {
            address
            for address in self.addresses
            if len({owner.end.device for owner in near.owners.get(address, ())}) > 1
        }
        tables = [forwarding.obeyed[name, family] for name in self.names]
        self.index, self.routes = match_columns(tables, self.addresses)
        self.unsure = self._unsure()
        """Per row the columns for which strangers may change what is computed."""
        self.ways = self._group_by_ways()
        self._along: dict[tuple[int, int], list[_Along]] = {}
        self._defaults: dict[int, tuple[list[Address | None], Bits, NDArray[np.int8]]] = {}
        self.states: dict[str, list[tuple[Address, NDArray[np.int8]]]] = {}
        """Per device what pings from each of its sources show, kept by `Reach`."""
        self.edges: list[tuple[int, int, NDArray[np.bool_]]] = []
        """(from row, to row, columns that go that way)."""
        shape = (len(self.names), len(self.addresses))
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

    def _group_by_ways(self) -> NDArray[np.int32]:
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
            if routes:
                index = self.index[row]
                ways[row] = np.where(index >= 0, stands[np.maximum(index, 0)], -1)
        return ways

    # -- the fixed points --------------------------------------------------------

    def _solve(self) -> None:
        edges = self.edges
        for row in range(len(self.names)):
            edges += self._device(row)
        changed = True
        while changed:
            changed = False
            for here, there, mask in edges:
                line = self.bits[here]
                new = line | np.where(mask, self.bits[there], np.uint32(0))
                if not np.array_equal(new, line):
                    self.bits[here] = new
                    changed = True
        walking = np.zeros(self.bits.shape, dtype=bool)
        for here, _, mask in edges:
            walking[here] |= mask
        spent: NDArray[np.bool_] | None = None
        rounds = 1
        while True:
            if rounds == INITIAL_HOPS:
                spent = walking.copy()
            further = np.zeros_like(walking)
            for here, there, mask in edges:
                further[here] |= mask & walking[there]
            rounds += 1
            if np.array_equal(further, walking):
                break
            walking = further
        self.bits[walking] |= np.uint32(BIT["loop"])
        if spent is not None:
            self.overlong = spent & ~walking
        self._guarded()

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
            for here, there, mask in self.edges:
                met[here] |= mask & np.isin(there, rows)
        changed = True
        while changed:
            changed = False
            for here, there, mask in self.edges:
                line = met[here] | (mask & met[there])
                if not np.array_equal(line, met[here]):
                    met[here] = line
                    changed = True
        # A host that is handed a packet decides about it too, and has no edge of its own.
        for row in rows:
            met[:, self.owned[row]] = True
        self.overlong |= met

    def _device(self, row: int) -> list[tuple[int, int, NDArray[np.bool_]]]:
        """Fills what ends at this device, and returns its edges to others."""
        name = self.names[row]
        forwarding = self.forwarding
        # What rules choose depends on more than the target: such pairs are walked.
        ruled = forwarding.ruled(name, self.family)
        strange = forwarding.devices[name].role == "unread"
        if strange or ruled or forwarding.rewritten(name, self.family):
            self.bits[row] = _UNKNOWN
            return []
        mine = self.owned[row]
        self.bits[row][mine] = _DELIVERED
        edges: dict[int, NDArray[np.bool_]] = {}
        index = self.ways[row]
        unsure = self.unsure.get(row)
        if unsure is not None:
            self.bits[row][unsure & ~mine] = _UNKNOWN
            mine = mine | unsure
        for position in np.unique(index[~mine]):
            columns = np.flatnonzero((index == position) & ~mine)
            if position < 0:
                self._unrouted(row, columns)
                continue
            route = self.routes[row][position]
            if forwarding.not_computed(name, self.family, route):
                self.bits[row, columns] |= _UNKNOWN
                continue
            for along in self.along(row, int(position)):
                if forwarding.asks_for_target(name, along.hop):
                    self._on_link(row, route, along.hop, columns)
                    continue
                self.bits[row, columns] |= np.uint32(along.bits)
                for end in along.ends:
                    self._edge(edges, row, columns, end)
        return [(row, there, mask) for there, mask in edges.items()]

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

    def _edge(
        self, edges: dict[int, NDArray[np.bool_]], row: int, columns: NDArray[np.int64], end: End
    ) -> None:
        there = self.row[end.device]
        passing = columns
        if self.forwarding.not_computed_on(end, self.family):
            self.bits[row, columns] |= _UNKNOWN
            return
        if not self.forwarding.forwards(end.device, end.interface, self.family) and (
            self.forwarding.devices[end.device].role != "unread"
            and not self.forwarding.rewritten(end.device, self.family)
        ):
            own = self.owned[there, columns]
            self.bits[row, columns[own]] |= _DELIVERED
            self.bits[row, columns[~own]] |= np.uint32(BIT["not-forwarding"])
            return
        mask = edges.setdefault(there, np.zeros(len(self.addresses), dtype=bool))
        mask[passing] = True

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
            (route for route in table.routes if route.problem is not None),
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

    def default_rows(self, row: int) -> tuple[list[Address | None], Bits, NDArray[np.int8]]:
        """For one device and every address: the source it chooses, the return, and `ok`.

        The return is 0 where there is no source to return to.
        """
        known = self._defaults.get(row)
        if known is None:
            known = self._default_rows(row)
            if len(self.names) <= KEPT_ROWS:
                self._defaults[row] = known
        return known

    def _default_rows(self, row: int) -> tuple[list[Address | None], Bits, NDArray[np.int8]]:
        device = self.forwarding.devices[self.names[row]]
        count = len(self.addresses)
        if self.forwarding.ruled(device.name, self.family):
            own = [source_for(self.forwarding, device.name, a) for a in self.addresses]
            nothing: Bits = np.zeros(count, dtype=np.uint32)
            return own, nothing, np.full(count, UNSURE, dtype=np.int8)
        sources: list[Address | None] = [None] * count
        back: Bits = np.zeros(count, dtype=np.uint32)
        ok = np.zeros(count, dtype=np.int8)
        owners = self.owner_rows
        for position in np.unique(self.ways[row]):
            columns = np.flatnonzero(self.ways[row] == position)
            if position < 0:
                ok[columns] = [
                    UNSURE if bits == int(_UNKNOWN) else NO for bits in self.bits[row, columns]
                ]
                continue
            along = self.along(row, int(position))
            fixed = self._fixed_sources(device, along)
            if fixed is None:
                for chosen, alike in self._by_source(device, along, columns):
                    for column in alike:
                        sources[column] = chosen[0]
                    returns = [self.back(owners[alike], source) for source in chosen]
                    back[alike] = returns[0]
                    outs = [self._outbound(row, item, alike) for item in along]
                    ok[alike] = combine(
                        [states_of_ping(o, r) for o, r in zip(outs, returns, strict=True)]
                    )
                continue
            for column in columns:
                sources[column] = fixed[0]
            back[columns] = self.back(owners[columns], fixed[0])
            if len({*fixed}) == 1:
                ok[columns] = states_of_ping(self.bits[row, columns], back[columns])
                continue
            states = []
            for item, source in zip(along, fixed, strict=True):
                outbound = self._outbound(row, item, columns)
                states.append(states_of_ping(outbound, self.back(owners[columns], source)))
            ok[columns] = combine(states)
        unsure = self.unsure.get(row)
        if unsure is not None:
            # By which way it leaves, and so from which source, is not known either.
            ok[unsure & ~self.owned[row]] = UNSURE
        # What is not known of the way out leaves only the way back to say that it surely fails.
        dark = self.bits[row] == _UNKNOWN
        sourced = np.array([source is not None for source in sources], dtype=bool)
        ok[dark & ~sourced] = UNSURE
        known = dark & sourced
        if unsure is not None:
            known &= ~unsure
        ok[known] = states_of_ping(self.bits[row, known], back[known])
        return sources, back, ok

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
                    next((o for o in near.owners[a] if o.active), near.owners[a][0]).end.device
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
        if (
            self.forwarding.devices[end.device].role != "unread"
            and not self.forwarding.rewritten(end.device, self.family)
            and not self.forwarding.forwards(end.device, end.interface, self.family)
        ):
            bits = np.where(
                self.owned[there, columns], _DELIVERED, np.uint32(BIT["not-forwarding"])
            ).astype(np.uint32)
        return bits

    def _fixed_sources(self, device: Device, along: list[_Along]) -> list[Address | None] | None:
        """The source per next hop, if it does not depend on the target; else None."""
        out: list[Address | None] = []
        for item in along:
            hop = item.hop
            if hop.action != "forward" or hop.address is None:
                return None
            if hop.source is not None:
                return None
            if self.family == 6:
                at_exit = [
                    fact
                    for interface, fact in usable_addresses(device, 6)
                    if interface.name == hop.interface and not fact.address.is_link_local
                ]
                if len(at_exit) != 1 or at_exit[0].address.value >> 118 == 0x3FB:
                    return None
                out.append(at_exit[0].address)
                break
            near = hop.address if hop.address.family == self.family else Address(self.family, 0)
            out.append(choose_source(device, near, hop))
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

    def _outbound(self, row: int, item: _Along, columns: NDArray[np.int64]) -> Bits:
        """How packets of a device for some columns end that leave by one next hop."""
        name = self.names[row]
        outbound: Bits = np.full(columns.shape, item.bits, dtype=np.uint32)
        if self.forwarding.asks_for_target(name, item.hop):
            for position, column in enumerate(columns.tolist()):
                route = self.routes[row][self.index[row, column]]
                found = self._on_link_bits(row, route, item.hop, self.addresses[column])
                outbound[position] |= np.uint32(found)
        for end in item.ends:
            outbound |= self.through(end, columns)
        return outbound


def states_of_ping(outbound: Bits, back: Bits) -> NDArray[np.int8]:
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


def combine(states: list[NDArray[np.int8]]) -> NDArray[np.int8]:
    """Several first hops, each with its own source: one answer."""
    stacked = np.stack(states)
    out = np.full(stacked.shape[1], PARTLY, dtype=np.int8)
    for state in (NO, YES, UNSURE):
        out[(stacked == state).all(axis=0)] = state
    mixed = (
        (stacked == UNSURE).any(axis=0)
        & ~(stacked == NO).any(axis=0)
        & ~(stacked == PARTLY).any(axis=0)
    )
    out[mixed] = UNSURE
    return out
