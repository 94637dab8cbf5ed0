"""The longest match of every device for every address, from one tree of all prefixes."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..network.addressing import Address, prefix_of
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
