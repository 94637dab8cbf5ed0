"""What a change does to every pair: who heals, who breaks, whose way moves.

Both states are compared on the arrays of all pairs. A pair is a source address of a device
against an address of another; what is gone because its own address was taken away is told
apart from real damage.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence, Set
from functools import cached_property
from itertools import islice, pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..forwarding.families import FamilyReach
from ..forwarding.flow import pack, unpack
from ..forwarding.pings import NO, PARTLY, UNSURE, YES
from ..forwarding.reach import Reach, ping
from ..forwarding.states import States
from ..forwarding.view import Forwarding
from ..network.addressing import FAMILIES, Address, Prefix
from ..protocols.tables import Tables
from ..step.routes import Route

Bools = NDArray[np.bool_]
Columns = NDArray[np.int64]
_TOGETHER = 1 << 22
"""How many pairs are looked at together."""


class PairRef(NamedTuple):
    """A source address of a device against one address of another device."""

    sender: str
    source: Address
    target: Address
    owner: str

    def as_json(self) -> dict[str, object]:
        return {
            "from": self.sender,
            "source": str(self.source),
            "to": str(self.target),
            "device": self.owner,
        }


Cells = tuple[Columns, Columns]
"""Pairs of some sources: of each which source, and which column of the table."""


class _Block:
    """Pairs of some source addresses: the table that names their targets, the sources, how many
    pairs there are, and what finds them.

    Counts are asked for much more often than lists.
    """

    def __init__(
        self,
        table: FamilyReach,
        sources: Sequence[tuple[str, Address]],
        size: int,
        find: Callable[[], Cells],
        better: Forwarding,
    ) -> None:
        """`better` is the state of the network in which they work better, or as well."""
        self.table, self.sources, self.size, self.better = table, sources, size, better
        self._find = find

    @cached_property
    def _cells(self) -> Cells:
        return self._find()

    @property
    def which(self) -> Columns:
        """Of each pair the place of its source."""
        return self._cells[0]

    @property
    def columns(self) -> Columns:
        """Of each pair the column of its target."""
        return self._cells[1]

    def pairs(self) -> Iterator[PairRef]:
        for number, column in zip(self.which.tolist(), self.columns.tolist(), strict=True):
            sender, source = self.sources[number]
            target = self.table.addresses[column]
            yield PairRef(sender, source, target, self._owner(sender, source, column, target))

    def _owner(self, sender: str, source: Address, column: int, target: Address) -> str:
        """Whose address it is: of several that hold it, the one that answers this sender."""
        owner = self.table.names[self.table.owner_rows[column]]
        near = self.table.forwarding.near
        others = [d for d in near.meant_devices(target) if d != sender]
        if len(others) > 1 and not near.is_anycast(target):
            for name in others:
                if ping(self.better, sender, source, target, name)[2] in (True, "partly"):
                    return name
        return others[0] if owner == sender else owner

    def without(self, addresses: Set[Address]) -> int:
        """How many pairs there are, but for those from or to some addresses."""
        if not addresses:
            return self.size
        held = self.table.addresses
        to = {n for n, address in enumerate(held) if address in addresses}
        by = {n for n, (_, source) in enumerate(self.sources) if source in addresses}
        out = np.isin(self.columns, [*to]) | np.isin(self.which, [*by])
        return int(np.count_nonzero(~out))

    def between(self) -> Iterator[tuple[str, str, int]]:
        """(sender, owner, how many pairs)."""
        owners = self.table.owner_rows[self.columns]
        keys, counts = np.unique(self.which * len(self.table.names) + owners, return_counts=True)
        for key, count in zip(keys.tolist(), counts.tolist(), strict=True):
            number, row = divmod(key, len(self.table.names))
            yield self.sources[number][0], self.table.names[row], count


class Effect:
    """All pairs before and after, kept as columns; lists are made when somebody asks.

    `heals` and `breaks` work better or worse than before, `moves` work as before another
    way, `gone` lost an address of their own, `new` work and had no address before; of `unsure`
    it was known that they work, at least for some flows, and is not known any more.
    """

    def __init__(self, before: Forwarding, after: Forwarding) -> None:
        self.before, self.after = before, after
        self._blocks: dict[str, list[_Block]] = {}

    def add(
        self, kind: str, table: FamilyReach, sender: str, source: Address, columns: Columns
    ) -> None:
        """Enters the pairs of one source address."""
        self.add_all(kind, table, [(sender, source)], (np.zeros(columns.size, np.int64), columns))

    def add_all(
        self, kind: str, table: FamilyReach, sources: Sequence[tuple[str, Address]], cells: Cells
    ) -> None:
        """Enters pairs of many."""
        self.add_later(kind, table, sources, cells[0].size, lambda: cells)

    def add_later(
        self,
        kind: str,
        table: FamilyReach,
        sources: Sequence[tuple[str, Address]],
        size: int,
        find: Callable[[], Cells],
    ) -> None:
        """Enters so many pairs, which are found when somebody wants to see them."""
        if size:
            better = self.after if kind in ("heals", "new") else self.before
            block = _Block(table, sources, size, find, better)
            self._blocks.setdefault(kind, []).append(block)

    def count(self, kind: str) -> int:
        """How many pairs there are of a kind."""
        return sum(block.size for block in self._blocks.get(kind, ()))

    def count_elsewhere(self, kind: str, addresses: Set[Address]) -> int:
        """How many pairs there are of a kind, without those from or to some addresses."""
        return sum(block.without(addresses) for block in self._blocks.get(kind, ()))

    def first(self, kind: str, most: int) -> list[PairRef]:
        """The first pairs of a kind."""
        found = (pair for block in self._blocks.get(kind, ()) for pair in block.pairs())
        return list(islice(found, most))

    def between(self, kind: str) -> Counter[tuple[str, str]]:
        """How many pairs of a kind there are between any two devices."""
        out: Counter[tuple[str, str]] = Counter()
        for block in self._blocks.get(kind, ()):
            for sender, owner, count in block.between():
                out[sender, owner] += count
        return out

    def _all(self, kind: str) -> list[PairRef]:
        return [pair for block in self._blocks.get(kind, ()) for pair in block.pairs()]

    @cached_property
    def heals(self) -> list[PairRef]:
        return self._all("heals")

    @cached_property
    def breaks(self) -> list[PairRef]:
        return self._all("breaks")

    @cached_property
    def moves(self) -> list[PairRef]:
        return self._all("moves")

    @cached_property
    def gone(self) -> list[PairRef]:
        return self._all("gone")

    @cached_property
    def new(self) -> list[PairRef]:
        return self._all("new")

    @property
    def nothing(self) -> bool:
        """True if every pair is as it was."""
        return not any(self._blocks.values())

    def counts(self) -> dict[str, object]:
        """How many pairs heal, break and move."""
        return {kind: self.count(kind) for kind in ("heals", "breaks", "moves")}

    def as_json(self) -> dict[str, object]:
        return {
            "heals": [pair.as_json() for pair in self.heals],
            "breaks": [pair.as_json() for pair in self.breaks],
            "moves": [pair.as_json() for pair in self.moves],
            "unsure": self.count("unsure"),
        }


def compare_pairs(before: Reach, after: Reach) -> Effect:
    """Every pair of both states side by side."""
    out = Effect(before.forwarding, after.forwarding)
    for family in FAMILIES:
        _family(out, before, after, family)
    return out


def working_with(reach: Reach, name: str) -> int:
    """How many pairs work, at least for some flows, from a device or to it."""
    total = 0
    for table in reach.families.values():
        if name not in table.row or not table.addresses:
            continue
        own = reach.own_columns(table, name)
        for other in table.names:
            device = reach.forwarding.devices[other]
            if device.role == "unread":
                continue
            for _, states in reach.states_of(table, other):
                works = (states == YES) | (states == PARTLY)
                mine = ~own if other == name else own
                total += int((works & mine).sum())
    return total


def _family(out: Effect, before: Reach, after: Reach, family: int) -> None:
    old, new = before.families[family], after.families[family]
    if _all_at_once(out, old, new):
        return
    shared = [a for a in old.addresses if a in new.column]
    left = np.array([old.column[a] for a in shared], dtype=np.int64)
    right = np.array([new.column[a] for a in shared], dtype=np.int64)
    touched = _touched(old, new, left, right)
    lost = np.array([c for c, a in enumerate(old.addresses) if a not in new.column], np.int64)
    fresh = np.array([c for c, a in enumerate(new.addresses) if a not in old.column], np.int64)
    # An address that another device holds now was taken from the one that answered for it.
    before_names, after_names = np.array(old.names), np.array(new.names)
    handed = before_names[old.owner_rows[left]] != after_names[new.owner_rows[right]]
    read = {n for n in new.names if new.forwarding.devices[n].role != "unread"}
    position = np.full(len(new.addresses), -1, dtype=np.int64)
    position[right] = np.arange(right.size)
    # What a device that was not read again would answer is not known: counted apart.
    known = np.array([old.names[r] in read for r in old.owner_rows[lost]], dtype=bool)
    owners = new.owner_rows[right]
    returning = np.ascontiguousarray(touched.T)
    leaves: Bools = np.any(touched, axis=1)
    comes_back: Bools = np.any(returning, axis=1)
    as_it_was = left.size == len(old.addresses) and right.size == len(new.addresses)
    runs = _runs(left, right)
    for name in old.names:
        if name not in read or old.forwarding.devices[name].role == "unread":
            continue
        if not old.addresses or not new.addresses:
            continue
        was = dict(before.states_of(old, name))
        now = dict(after.states_of(new, name))
        ours, theirs = ~before.own_columns(old, name), ~after.own_columns(new, name)
        apart = ours[left]
        row = new.row[name]
        for source, states in was.items():
            held = now.get(source)
            if held is None or lost.size:
                worked = ours & ((states == YES) | (states == PARTLY))
                if held is None:
                    out.add("gone", old, name, source, np.flatnonzero(worked))
                    continue
                out.add("gone", old, name, source, lost[worked[lost] & known])
            moved = touched[row]
            back = position[new.column[source]]
            comes = back >= 0 and comes_back[back]
            # Most of what a change touches ends as it did, and equal bytes are found much faster
            # than cells that differ.
            alike = states is held or all(
                states[a:b].tobytes() == held[c : c + b - a].tobytes() for a, b, c in runs
            )
            if alike and not comes and not leaves[row]:
                continue
            # Columns of both are sorted, so that without one that comes or goes they agree.
            was_so, is_so = (states, held) if as_it_was else (states[left], held[right])
            if not alike:
                _enter(out, (old, name, source), was_so, is_so, apart, left, handed)
            if comes:
                moved = moved | returning[back].take(owners)
            elif not leaves[row]:
                continue
            columns = np.flatnonzero(moved & apart)
            stays = (was_so[columns] == is_so[columns]) & (was_so[columns] != NO)
            out.add("moves", old, name, source, left[columns[stays]])
        if fresh.size or now.keys() != was.keys():
            for source, states in now.items():
                works = theirs & (states == YES)
                columns = np.flatnonzero(works) if source not in was else fresh[works[fresh]]
                out.add("new", new, name, source, columns)


def _all_at_once(out: Effect, old: FamilyReach, new: FamilyReach) -> bool:
    """Compares a copy that knows where it differs from the state before; False if it does not."""
    if new.earlier is None or new.earlier.reach is not old or not new.earlier.same_owners:
        return False
    if not old.addresses:
        return True
    was, now = Reach.all_states(old), Reach.all_states(new)
    if was is None or now is None or now.earlier is not was:
        return False
    unlike, prior = now.unlike, now.prior
    assert unlike is not None and prior is not None
    theirs, ours = was.sources.keys(), now.sources.keys()
    owners = old.owner_rows
    # What is shown at an address of the device itself is no pair.
    apart = owners[unlike.columns] != now.sources.rows[unlike.rows]
    before = prior[unlike.rows]
    fresh = np.flatnonzero((before < 0) & apart & (unlike.states == YES))
    some = np.flatnonzero((before >= 0) & apart)
    rows, columns = before[some], unlike.columns[some]
    kinds = _KINDS.take((was.matrix[rows, columns] << 2) + unlike.states[some])
    for kind, number in (("heals", _HEALS), ("breaks", _WORSE), ("unsure", _UNSURE)):
        mine = kinds == number
        out.add_all(kind, old, theirs, (rows[mine], columns[mine]))
    out.add_all("new", new, ours, (unlike.rows[fresh], unlike.columns[fresh]))
    left = np.setdiff1d(np.arange(len(theirs)), prior)
    worked = (was.matrix[left] == YES) | (was.matrix[left] == PARTLY)
    worked &= owners != was.sources.rows[left][:, None]
    lost, columns = np.nonzero(worked)
    out.add_all("gone", old, theirs, (left[lost], columns))
    _moved(out, (old, new), (was, now), theirs)
    return True


def _moved(
    out: Effect,
    tables: tuple[FamilyReach, FamilyReach],
    states: tuple[States, States],
    named: Sequence[tuple[str, Address]],
) -> None:
    """Enters the pairs that work as before, and of which a packet or its answer goes another way.

    Args:
        out: where.
        tables, states: of before and after.
        named: the sources from before.
    """
    (old, new), (was, now) = tables, states
    every = np.arange(len(old.addresses))
    touched = _touched(old, new, every, every)
    if not touched.any():
        return
    moving = _Moving(old, was, now, touched)
    sizes = sum(int(np.count_nonzero(moved)) for _, moved in moving.parts())
    out.add_later("moves", old, named, sizes, moving.cells)


class _Moving:
    """Which pairs work as before and go another way, from who sends packets another way."""

    def __init__(self, table: FamilyReach, was: States, now: States, touched: Bools) -> None:
        self.table, self.was, self.now, self.touched = table, was, now, touched

    def parts(self) -> Iterator[tuple[Columns, Bools]]:
        """(sources before the change, of each which columns), some at a time."""
        touched, sources, owners = self.touched, self.now.sources, self.table.owner_rows
        prior, unlike = self.now.prior, self.now.unlike
        assert prior is not None and unlike is not None
        returning = np.ascontiguousarray(touched.T)
        leaves: Bools = np.any(touched, axis=1)
        comes_back: Bools = np.any(returning, axis=1)
        meant = np.flatnonzero((prior >= 0) & (leaves[sources.rows] | comes_back[sources.columns]))
        edges = np.searchsorted(unlike.rows, np.arange(len(sources.names) + 1)).tolist()
        step = max(1, _TOGETHER // max(1, owners.size))
        for start in range(0, meant.size, step):
            part = meant[start : start + step]
            moved = touched[sources.rows[part]]
            back = np.flatnonzero(comes_back[sources.columns[part]])
            moved[back] |= returning[sources.columns[part[back]]][:, owners]
            moved &= self.was.matrix[prior[part]] != NO
            moved &= owners != sources.rows[part][:, None]
            for place, source in enumerate(part.tolist()):
                first, last = edges[source], edges[source + 1]
                if first != last:
                    moved[place, unlike.columns[first:last]] = False
            yield prior[part], moved

    def cells(self) -> Cells:
        found = [(before, *np.nonzero(moved)) for before, moved in self.parts()]
        which = [before[at] for before, at, _ in found]
        return np.concatenate(which), np.concatenate([columns for _, _, columns in found])


def _runs(left: Columns, right: Columns) -> list[tuple[int, int, int]]:
    """The columns of two tables that belong together, as stretches in which both go on by one:
    (where one begins and ends in the first, where in the second)."""
    if not left.size:
        return []
    breaks = np.flatnonzero((np.diff(left) != 1) | (np.diff(right) != 1)) + 1
    edges = [0, *breaks.tolist(), left.size]
    return [(int(left[a]), int(left[a]) + b - a, int(right[a])) for a, b in pairwise(edges)]


def _enter(
    out: Effect,
    of: tuple[FamilyReach, str, Address],
    was: NDArray[np.int8],
    now: NDArray[np.int8],
    apart: Bools,
    left: Columns,
    handed: Bools,
) -> None:
    """Enters the pairs of one source whose state is another one now.

    Args:
        out: where.
        of: the table from before, the sender, and the source.
        was, now: per shared address.
        apart: which of them are not the sender's own.
        left: the column of each in the table from before.
        handed: which of them another device answers for now.
    """
    unlike = np.flatnonzero((was != now) & apart)
    if not unlike.size:
        return
    kinds = _KINDS.take((was[unlike] << 2) + now[unlike])
    worse = unlike[kinds == _WORSE]
    out.add("heals", *of, left[unlike[kinds == _HEALS]])
    out.add("breaks", *of, left[worse[~handed[worse]]])
    out.add("gone", *of, left[worse[handed[worse]]])
    out.add("unsure", *of, left[unlike[kinds == _UNSURE]])


_NOTHING, _HEALS, _WORSE, _UNSURE, _AS_BEFORE = range(5)


def _kind(before: int, after: int) -> int:
    """What became of a pair, from its states before and after."""
    rank = {NO: 0, PARTLY: 1, UNSURE: 2, YES: 3}
    if before == after:
        return _AS_BEFORE if before != NO else _NOTHING
    if UNSURE in (before, after):
        return _UNSURE if before in (YES, PARTLY) else _NOTHING
    return _HEALS if rank[after] > rank[before] else _WORSE


_KINDS = np.array([_kind(before, after) for before in range(4) for after in range(4)], np.int8)


def _hops(route: Route) -> tuple[object, ...]:
    hops = route.obeyed_hops or route.wanted
    return tuple(sorted((h.action, str(h.address), h.interface or "") for h in hops))


def _touched(
    old: FamilyReach, new: FamilyReach, left: NDArray[np.int64], right: NDArray[np.int64]
) -> Bools:
    """Which (device, shared address) sends packets another way now, itself or further on."""
    out = np.zeros((len(new.names), left.size), dtype=bool)
    earlier, every = new.earlier, np.arange(left.size)
    for row, name in enumerate(new.names):
        if name not in old.row:
            continue
        places = every
        if earlier is not None and earlier.reach is old and earlier.leads[row]:
            if row not in earlier.rerouted:
                continue
            places = np.flatnonzero(earlier.rerouted[row][right])
        # Routes with the same ways out are one for this, so there are few to compare.
        before, after = old.ways[old.row[name], left[places]], new.ways[row, right[places]]
        theirs, ours = old.routes[old.row[name]], new.routes[row]
        width = len(ours) + 1
        keys = (before.astype(np.int64) + 1) * width + (after + 1)
        kinds, inverse = np.unique(keys, return_inverse=True)
        differs = np.array(
            [_differ(theirs, int(key) // width - 1, ours, int(key) % width - 1) for key in kinds],
            dtype=bool,
        )
        out[row, places] = differs[np.ravel(inverse)]
    if not out.any():
        return out
    whole = np.zeros((len(new.names), len(new.addresses)), dtype=bool)
    whole[:, right] = out
    matrix = pack(whole)
    new.edges.spread(matrix)
    further: Bools = unpack(matrix, len(new.addresses))[:, right]
    return further


def _differ(theirs: list[Route], a: int, ours: list[Route], b: int) -> bool:
    if a < 0 or b < 0:
        return (a < 0) != (b < 0)
    return _hops(theirs[a]) != _hops(ours[b])


def routes_changed(before: Tables, after: Tables) -> int:
    """How many entries of all tables are new, gone or lead elsewhere."""
    count = 0
    for key in before.tables.keys() | after.tables.keys():
        for prefix in unlike(before, after, key):
            old, new = winner(before, key, prefix), winner(after, key, prefix)
            count += not same_route(old, new)
    return count


def unlike(before: Tables, after: Tables, key: tuple[str, int]) -> Set[Prefix]:
    """The prefixes whose entries may differ between two tables of one device."""
    old, new = before.tables.get(key), after.tables.get(key)
    if old is None or new is None:
        return {p for table in (old, new) if table is not None for p in table.prefixes()}
    return old.unlike(new)


def winner(tables: Tables, key: tuple[str, int], prefix: Prefix) -> Route | None:
    """The entry for a prefix; None where the device has none, or is not there."""
    table = tables.tables.get(key)
    return table.winner(prefix) if table is not None else None


def same_route(left: Route | None, right: Route | None) -> bool:
    """True if two entries of a table have the same origin, metric and next hops."""
    if left is None or right is None:
        return left is right
    return (
        left.protocol == right.protocol
        and left.type == right.type
        and left.metric == right.metric
        and left.distance == right.distance
        and _hops(left) == _hops(right)
    )


def neighbours_changed(before: Tables, after: Tables) -> dict[str, list[dict[str, object]]]:
    """Neighbour relations that work in one state and not in the other."""

    def working(tables: Tables) -> dict[tuple[object, ...], dict[str, object]]:
        out: dict[tuple[object, ...], dict[str, object]] = {}
        for relation in tables.relations():
            if relation.works:
                ends = [
                    {"device": side.device, "interface": side.interface, "address": side.address}
                    for side in (relation.left, relation.right)
                ]
                ends.sort(key=lambda e: (e["device"] or "", e["interface"] or ""))
                key = (
                    relation.protocol,
                    relation.family,
                    *((e["device"], e["interface"] or e["address"]) for e in ends),
                )
                out[key] = {
                    "protocol": relation.protocol,
                    "family": "ipv4" if relation.family == 4 else "ipv6",
                    "left": ends[0],
                    "right": ends[1],
                }
        return out

    old, new = working(before), working(after)
    return {
        "gained": [new[key] for key in sorted(new.keys() - old.keys(), key=str)],
        "lost": [old[key] for key in sorted(old.keys() - new.keys(), key=str)],
    }
