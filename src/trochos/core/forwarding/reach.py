"""All pairs at once, on arrays: who reaches which address, and how it ends if not.

Rows are devices, columns are addresses. The longest match of every device for every
address comes from one tree of all prefixes; verdicts are bit sets that flow against the
edges until nothing changes: a least fixed point for the ways a packet can end, and a
greatest one for walking on for ever. The way back is a look-up in the same result.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..network.addressing import FAMILIES, Address, Prefix, prefix_of
from ..network.facts import Device, End
from ..protocols.routes import NextHop, Route
from .sources import choose_source, usable_addresses
from .step import Forwarding
from .verdicts import BIT, WORST_FIRST
from .walk import INITIAL_HOPS, Leg, Packet, walk

Bits = NDArray[np.uint32]
_DELIVERED = np.uint32(BIT["delivered"])
_UNKNOWN = np.uint32(BIT["unknown"])
NO, PARTLY, YES, UNSURE = 0, 1, 2, 3
_OK = {NO: False, PARTLY: "partly", YES: True, UNSURE: None}


@dataclass(slots=True)
class Pair:
    """One row of the answer: a source address of a device against one address of another."""

    device: str
    source: Address | None
    target: Address
    owner: str
    outbound: str
    back: str | None
    ok: object

    def as_json(self) -> dict[str, object]:
        return {
            "from": self.device,
            "source": None if self.source is None else str(self.source),
            "to": str(self.target),
            "device": self.owner,
            "outbound": self.outbound,
            "return": self.back,
            "ok": self.ok,
        }


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
    prefixes = sorted(
        {prefix for table in tables for prefix in table}, key=lambda p: (p.network, p.length)
    )
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
        self.ways = self._group_by_ways()
        self._along: dict[tuple[int, int], list[_Along]] = {}
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

    def _group_by_ways(self) -> NDArray[np.int32]:
        """Per device and address a route that stands for all with the same next hops.

        A device has many routes and few ways out; what follows depends on the ways alone.
        """
        ways = np.full_like(self.index, -1)
        for row, routes in enumerate(self.routes):
            first: dict[tuple[object, ...], int] = {}
            stands = np.array(
                [
                    first.setdefault(
                        (
                            route.obeyed_hops or route.wanted,
                            route.problem,
                            route.protocol in ("connected", "local"),
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
        edges: list[tuple[int, int, NDArray[np.bool_]]] = []
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

    def _device(self, row: int) -> list[tuple[int, int, NDArray[np.bool_]]]:
        """Fills what ends at this device, and returns its edges to others."""
        name = self.names[row]
        forwarding = self.forwarding
        if forwarding.devices[name].role == "unread":
            self.bits[row] = _UNKNOWN
            return []
        mine = self.owned[row]
        self.bits[row][mine] = _DELIVERED
        edges: dict[int, NDArray[np.bool_]] = {}
        index = self.ways[row]
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
                if along.hop.action == "forward" and along.hop.address is None:
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
                if hop.action != "forward" or hop.address is not None:
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
            elif fate.to is not None and self.forwarding.not_computed_on(fate.to, self.family):
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
        device = self.forwarding.devices[self.names[row]]
        count = len(self.addresses)
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
                for column in columns:
                    source, returned, state = self._one(row, along, int(column), owners)
                    sources[column], back[column], ok[column] = source, returned, state
                continue
            for column in columns:
                sources[column] = fixed[0]
            back[columns] = self._back(owners[columns], fixed[0])
            if len({*fixed}) == 1:
                ok[columns] = _states(self.bits[row, columns], back[columns])
                continue
            states = []
            for item, source in zip(along, fixed, strict=True):
                outbound = np.full(columns.shape, item.bits, dtype=np.uint32)
                for end in item.ends:
                    outbound |= self.through(end, columns)
                states.append(_states(outbound, self._back(owners[columns], source)))
            ok[columns] = _combine(states)
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

    def _back(self, owners: NDArray[np.int64], source: Address | None) -> Bits:
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
        if self.forwarding.devices[end.device].role != "unread" and not self.forwarding.forwards(
            end.device, end.interface, self.family
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
            out.append(choose_source(device, hop.address, hop))
        if self.family == 6:
            out = out[:1] * len(along)
        return out

    def _one(
        self, row: int, along: list[_Along], column: int, owners: NDArray[np.int64]
    ) -> tuple[Address | None, np.uint32, int]:
        device = self.forwarding.devices[self.names[row]]
        target = self.addresses[column]
        columns = np.array([column])
        states = []
        first: Address | None = None
        returned = np.uint32(0)
        for number, item in enumerate(along):
            if self.family == 6 and number:
                source = first
            else:
                source = choose_source(device, target, item.hop)
            back = self._back(owners[columns], source)
            if number == 0:
                first, returned = source, back[0]
            outbound = np.array([item.bits], dtype=np.uint32)
            if item.hop.action == "forward" and item.hop.address is None:
                route = self.routes[row][self.index[row, column]]
                outbound |= np.uint32(self._on_link_bits(row, route, item.hop, target))
            for end in item.ends:
                outbound |= self.through(end, columns)
            states.append(_states(outbound, back))
        return first, returned, int(_combine(states)[0])


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


def _combine(states: list[NDArray[np.int8]]) -> NDArray[np.int8]:
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


def verdict_of(bits: int) -> str | None:
    """The worst verdict in a bit set; None for the empty set."""
    return None if bits == 0 else WORST_FIRST[(bits & -bits).bit_length() - 1]


@dataclass(slots=True)
class Reach:
    """All pairs of a network. Building it solves both families; rows come on demand."""

    forwarding: Forwarding
    families: dict[int, FamilyReach] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for family in FAMILIES:
            self.families[family] = FamilyReach(self.forwarding, family)

    def pairs(
        self, devices: set[str] | None = None, targets: set[Address] | None = None
    ) -> Iterator[Pair]:
        """Every device to every address of every other device, by device and address."""
        for name in [d.name for d in self.forwarding.tables.network.devices]:
            if devices is not None and name not in devices:
                continue
            if self.forwarding.devices[name].role == "unread":
                continue
            for family in FAMILIES:
                yield from self._pairs_of(self.families[family], name, targets)

    def _pairs_of(
        self, table: FamilyReach, name: str, targets: set[Address] | None
    ) -> Iterator[Pair]:
        if not table.addresses:
            return
        row = table.row[name]
        sources, back, ok = table.default_rows(row)
        owners = table.owner_rows
        others = [
            fact.address
            for _, fact in usable_addresses(self.forwarding.devices[name], table.family)
            if not fact.address.is_link_local
        ]
        returns = {source: table._back(owners, source) for source in others}
        states = {source: _states(table.bits[row], returns[source]) for source in others}
        for column, target in enumerate(table.addresses):
            if targets is not None and target not in targets:
                continue
            holders = dict.fromkeys(o.end.device for o in self.forwarding.near.owners[target])
            for owner in holders:
                if owner == name:
                    continue
                chosen = sources[column]
                rows: list[Address | None] = [chosen, *(s for s in others if s != chosen)]
                for source in rows:
                    if (
                        target in table.shared
                        or source in table.shared
                        or table.overlong[row, column]
                        or (
                            source is not None
                            and table.overlong[owners[column], table.column[source]]
                        )
                    ):
                        yield self._walked(name, source, target, owner)
                        continue
                    outbound = verdict_of(int(table.bits[row, column])) or "unknown"
                    if source is None and outbound == "delivered":
                        outbound = "no-source"
                    if source is chosen or source == chosen:
                        returned, state = int(back[column]), int(ok[column])
                    else:
                        assert source is not None
                        returned, state = int(returns[source][column]), int(states[source][column])
                    yield Pair(
                        name, source, target, owner, outbound, verdict_of(returned), _OK[state]
                    )

    def _walked(self, name: str, source: Address | None, target: Address, owner: str) -> Pair:
        """The same row by walking, for addresses that several devices hold."""
        outbound, back, ok = ping(self.forwarding, name, source, target, owner)
        return Pair(
            name, source, target, owner, outbound.verdict, back.verdict if back else None, ok
        )

    def _split(
        self, table: FamilyReach, row: int, device: Device
    ) -> Iterator[tuple[NDArray[np.bool_], NDArray[np.bool_], NDArray[np.int8], Address | None]]:
        """Per source (None: the device's own choice) the columns that arrays answer, those
        that must be walked, and what arrays say. Columns walked for every source are left out.
        """
        owners = table.owner_rows
        plain = (owners != row) & ~table.shared_columns & ~table.overlong[row]
        sources, _, ok = table.default_rows(row)
        chosen = np.array([-1 if a is None else table.column[a] for a in sources], dtype=np.int64)
        held = np.maximum(chosen, 0)
        odd = (chosen >= 0) & (table.shared_columns[held] | table.overlong[owners, held])
        yield plain & ~odd, plain & odd, ok, None
        for _, fact in usable_addresses(device, table.family):
            if fact.address.is_link_local:
                continue
            column = table.column[fact.address]
            mask = plain & (chosen != column)
            odd = table.overlong[owners, column] | table.shared_columns[column]
            states = _states(table.bits[row], table._back(owners, fact.address))
            yield mask & ~odd, mask & odd, states, fact.address

    def _plain_rows(
        self, table: FamilyReach, row: int, device: Device
    ) -> Iterator[tuple[NDArray[np.bool_], NDArray[np.int8], NDArray[np.bool_]]]:
        sources = table.default_rows(row)[0]
        chosen = np.array([a is not None for a in sources], dtype=bool)
        for mask, _, states, source in self._split(table, row, device):
            yield mask, states, chosen if source is None else np.ones_like(chosen)

    def _walked_rows(self, table: FamilyReach, name: str) -> Iterator[Pair]:
        row = table.row[name]
        always = np.flatnonzero(table.shared_columns | table.overlong[row])
        if always.size:
            yield from self._pairs_of(table, name, {table.addresses[c] for c in always})
        if not table.shared and not table.overlong.any():
            return
        sources = table.default_rows(row)[0]
        for _, odd, _, source in self._split(table, row, self.forwarding.devices[name]):
            for column in np.flatnonzero(odd):
                used = sources[column] if source is None else source
                owner = table.names[table.owner_rows[column]]
                yield self._walked(name, used, table.addresses[column], owner)

    def summary(self) -> dict[str, object]:
        """Counts over all rows, without building them."""
        total = fine = partly = 0
        ends: dict[str, int] = {}
        for table in self.families.values():
            if not table.addresses:
                continue
            for row, name in enumerate(table.names):
                device = self.forwarding.devices[name]
                if device.role == "unread":
                    continue
                # What must be walked is walked alone: few addresses in a sound network.
                for pair in self._walked_rows(table, name):
                    total += 1
                    fine += pair.ok is True
                    partly += pair.ok == "partly"
                    ends[pair.outbound] = ends.get(pair.outbound, 0) + 1
                for mask, state, sourced in self._plain_rows(table, row, device):
                    total += int(mask.sum())
                    fine += int((state[mask] == YES).sum())
                    partly += int((state[mask] == PARTLY).sum())
                    bits = table.bits[row][mask]
                    bits = np.where(
                        sourced[mask] | (bits != _DELIVERED), bits, np.uint32(BIT["no-source"])
                    )
                    values, counts = np.unique(bits, return_counts=True)
                    for value, count in zip(values, counts, strict=True):
                        verdict = verdict_of(int(value)) or "unknown"
                        ends[verdict] = ends.get(verdict, 0) + int(count)
        return {
            "pairs": total,
            "ok": fine,
            "partly": partly,
            "outbound": dict(sorted(ends.items())),
        }


def ping(
    forwarding: Forwarding, name: str, source: Address | None, target: Address, owner: str
) -> tuple[Leg, Leg | None, object]:
    """One conversation by walking: both legs, and what a ping shows (an answer from a wrong
    host is an answer)."""
    wanted = frozenset((owner,))
    if forwarding.near.is_anycast(target):
        wanted = frozenset(forwarding.near.owner_devices(target))
    outbound = walk(forwarding, name, Packet(target, source), wanted)
    if source is None:
        return outbound, None, False
    answering = [
        branch.last.device
        for branch in outbound.branches
        if branch.verdict in ("delivered", "wrong-host")
    ]
    legs = {
        device: walk(forwarding, device, Packet(source, target), frozenset((name,)))
        for device in dict.fromkeys([*answering, owner])
    }
    fates = []
    for branch in outbound.branches:
        if branch.verdict in ("delivered", "wrong-host"):
            fates.append(legs[branch.last.device].state)
        else:
            fates.append("unknown" if branch.verdict == "unknown" else "no")
    if all(fate == "yes" for fate in fates):
        ok: object = True
    elif any(fate in ("yes", "partly") for fate in fates):
        ok = "partly"
    else:
        ok = None if all(fate == "unknown" for fate in fates) else False
    return outbound, legs.get(answering[0] if answering else owner), ok
