"""The longest match of every device for every address, from one tree of all prefixes."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..network.addressing import Address, Prefix
from ..step.routes import Route
from ..step.rows import Winners

Places = NDArray[Any]
"""Per device and column a place in the device's list of routes, or -1."""


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
    if not prefixes:
        return np.full((len(tables), len(addresses)), -1, dtype=np.int16), [[] for _ in tables]
    number = {prefix: i for i, prefix in enumerate(prefixes)}
    parent, depth = _tree(prefixes)
    # Most prefixes are a device's own addresses: nothing lies in them, and few devices hold them.
    # Those are entered at the end, beside what matches everywhere else.
    wide = np.zeros(len(prefixes), dtype=bool)
    wide[parent[parent >= 0]] = True
    for held in shared.values():
        wide[[number[prefix] for prefix in held.prefixes]] = True
    place = np.cumsum(wide) - 1
    places = {
        key: place[[number[prefix] for prefix in held.prefixes]] for key, held in shared.items()
    }
    # A device has fewer routes than there are prefixes, and these are the largest arrays of all.
    dtype = np.int16 if len(prefixes) < np.iinfo(np.int16).max else np.int32
    own: Places = np.full((len(tables), int(wide.sum())), -1, dtype=dtype)
    routes: list[list[Route]] = []
    narrow: list[tuple[int, int, int]] = []
    """(row, prefix, the place in the device's list of routes) of what few devices hold."""
    for row, table in enumerate(tables):
        listed = list(table.values()) if singly else list(table.alone.values())
        for at, route in enumerate(listed):
            its = number[route.prefix]
            if wide[its]:
                own[row, place[its]] = at
            else:
                narrow.append((row, its, at))
        for source, mask in () if singly else table.rows:
            cells = np.flatnonzero(mask)
            kinds = source.ids[cells]
            # Written from the last to the first, so the first cell of each kind is what stays.
            first = np.full(len(source.sets), -1, dtype=np.int64)
            first[kinds[::-1]] = cells[::-1]
            stands = np.full(len(source.sets), -1, dtype=dtype)
            used = np.flatnonzero(first >= 0)
            stands[used] = np.arange(len(listed), len(listed) + used.size)
            own[row, places[id(source.columns)][cells]] = stands[kinds]
            listed += [table[source.columns.prefixes[cell]] for cell in first[used].tolist()]
        routes.append(listed)
    for level in range(1, int(depth[wide].max(initial=0)) + 1):
        some = np.flatnonzero(wide & (depth == level))
        block = own.take(place[some], axis=1)
        above = own.take(place[parent[some]], axis=1)
        own[:, place[some]] = np.where(block >= 0, block, above)
    longest = np.array(_longest(prefixes, addresses), dtype=np.int64)
    widest = np.where((longest >= 0) & ~wide[longest], parent[longest], longest)
    index: Places = np.full((len(tables), len(addresses)), -1, dtype=dtype)
    if own.size:
        index = own.take(place[np.maximum(widest, 0)], axis=1)
        index[:, widest < 0] = -1
    columns_of: dict[int, list[int]] = {}
    for column in np.flatnonzero((longest >= 0) & ~wide[longest]).tolist():
        columns_of.setdefault(int(longest[column]), []).append(column)
    for row, its, at in narrow:
        for column in columns_of.get(its, ()):
            index[row, column] = at
    return index, routes


def _tree(prefixes: list[Prefix]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Per prefix the place of the next shorter one that covers it (-1: none), and how many do; the
    prefixes are sorted."""
    parent: list[int] = []
    depth: list[int] = []
    ends = [prefix.last for prefix in prefixes]
    begun: list[int] = []
    for place, prefix in enumerate(prefixes):
        while begun and ends[begun[-1]] < prefix.network:
            begun.pop()
        parent.append(begun[-1] if begun else -1)
        depth.append(len(begun))
        begun.append(place)
    return np.array(parent, dtype=np.int64), np.array(depth, dtype=np.int64)


def _longest(prefixes: list[Prefix], addresses: list[Address]) -> list[int]:
    """Per address the place of the longest prefix that holds it, or -1; the prefixes are sorted."""
    ends = [prefix.last for prefix in prefixes]
    out = [-1] * len(addresses)
    # A prefix lies inside those before it or beside them, so the last one that holds an address is
    # the longest.
    begun: list[int] = []
    upcoming = 0
    for column in sorted(range(len(addresses)), key=lambda c: addresses[c].value):
        value = addresses[column].value
        while upcoming < len(prefixes) and prefixes[upcoming].network <= value:
            begun.append(upcoming)
            upcoming += 1
        while begun and ends[begun[-1]] < value:
            begun.pop()
        out[column] = begun[-1] if begun else -1
    return out
