"""A table after a change in which few of its cells differ: the one from before, with those put in.

A link that fails takes its own subnet out of every table and moves few routes of few routers. What
a device says itself, what competes, and how next hops are found stays as it was, unless a prefix
that changed is one of those or holds an address that was looked up. Then the table is built.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

import numpy as np

from ..network.addressing import BITS, Address, Prefix
from ..network.facts import Device
from ..step.rows import Mask, Row, Winners
from ..step.table import Table
from .table_maps import TableMaps

MOST = 300
"""Of more prefixes than this each is dearer to look at than a table is to build."""


class Change(NamedTuple):
    """One row and what it was before."""

    before: Row
    after: Row
    columns: list[int]
    """Where it offers something else, or for other reasons."""
    gone: list[Prefix]
    """What only the row before has a column for."""

    @property
    def prefixes(self) -> list[Prefix]:
        """Every prefix whose candidate differs."""
        return [*(self.after.columns.prefixes[column] for column in self.columns), *self.gone]


def patched(table: Table, device: Device, changes: Sequence[Change]) -> Table | None:
    """The table with other cells; None if it has to be built.

    Args:
        table: from before, of a device that is the same.
        device: the device.
        changes: the rows that differ; all others, and what is offered singly, are the same.
    """
    prefixes = {prefix for change in changes for prefix in change.prefixes}
    if len(prefixes) > MOST or table.unsettled or TableMaps(device, table.family).names:
        return None
    after = {id(change.before): change for change in changes}
    if any(not table.shows(prefix) for prefix in prefixes):
        return None
    if table.looked_up is None:
        table.looked_up = frozenset(_looked_up(table, device))
    if _holds_any(prefixes, table.looked_up):
        return None
    rows: list[tuple[Row, Mask]] = []
    for row, mask in table.best.rows:
        change = after.pop(id(row), None)
        if change is None:
            rows.append((row, mask))
            continue
        if not _leads_as_before(change, mask):
            return None
        rows.append((change.after, _mask(change, mask)))
    if after or _twice(rows, prefixes):
        return None
    out = Table(device.name, table.family, table.alone, Winners(table.best.alone, rows))
    rerouted = {prefix for change in changes for prefix in _rerouted(change)}
    out.follow(table, frozenset(prefixes), frozenset(rerouted))
    return out


def _rerouted(change: Change) -> Iterator[Prefix]:
    """The prefixes that have other next hops, or are there no more, or only now: of most the cost
    alone differs."""
    before, after = change.before, change.after
    there = after.columns.aligned(before.columns)
    for column in change.columns:
        held = int(there[column])
        was = before.sets[before.ids[held]] if held >= 0 else ()
        if after.sets[after.ids[column]] != was:
            yield after.columns.prefixes[column]
    yield from change.gone


def _looked_up(table: Table, device: Device) -> set[Address]:
    """Every address that the table had to find a way to."""
    found = {s.gateway for s in device.statics if s.gateway is not None}
    for route in table.alone:
        found.update(hop.address for hop in (*route.next_hops, *route.wanted) if hop.address)
        found.update(address for address in route.via if address)
    for row, _ in table.best.rows:
        for number in row.sets_in_use:
            found.update(hop.address for hop in row.sets[number] if hop.address)
    return found


def _holds_any(prefixes: Iterable[Prefix], addresses: Iterable[Address]) -> bool:
    # Written out: of every table some prefixes and addresses are held against each other.
    values = [(address.family, address.value) for address in addresses]
    for family, network, length in prefixes:
        beyond = BITS[family] - length
        wanted = network >> beyond
        for its, value in values:
            if value >> beyond == wanted and its == family:
                return True
    return False


def _leads_as_before(change: Change, mask: Mask) -> bool:
    """True if cells that differ have next hops that other cells had before: those were found to
    stand."""
    row = change.before
    numbers = np.flatnonzero(np.bincount(row.ids[mask], minlength=1)).tolist()
    known = {row.sets[number] for number in numbers}
    now = {change.after.sets[n] for n in set(change.after.ids[change.columns].tolist()) if n}
    return now <= known


def _mask(change: Change, mask: Mask) -> Mask:
    """The cells of the row after the change that nothing competes with."""
    there = change.after.columns.aligned(change.before.columns)
    if change.after.columns is change.before.columns:
        out = mask.copy()
    else:
        out = mask[there] & (there >= 0)
    out[change.columns] = change.after.ids[change.columns] > 0
    return out


def _twice(rows: Sequence[tuple[Row, Mask]], prefixes: Iterable[Prefix]) -> bool:
    """True if two rows offer one of some prefixes."""
    if len(rows) < 2:
        return False
    held = [(row.columns.number, row.ids) for row, _ in rows]
    for prefix in prefixes:
        offering = 0
        for number, ids in held:
            column = number.get(prefix)
            offering += column is not None and bool(ids[column])
        if offering > 1:
            return True
    return False
