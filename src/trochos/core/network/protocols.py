"""The routing protocols that are computed, by their words: what each is called, here and elsewhere.

This is the one list of them at the level of facts. `protocols.registry` says how each is
computed, `readers.protocols` and `change.writers.protocols` how each is read and written. Whoever
needs a list of protocols, or a name to show, asks here and compares no name.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from . import bgp, eigrp, isis, ospf, rip, shared
from .addressing import FAMILIES
from .routing import Named

_ROWS: list[Named] = [ospf.NAMED, rip.NAMED, eigrp.NAMED, isis.NAMED, bgp.NAMED]


def names() -> list[str]:
    """The words of all protocols, in the order in which they are asked."""
    return [row.name for row in _ROWS]


def rows() -> list[Named]:
    """All rows, in the order in which protocols are asked."""
    return list(_ROWS)


def find(name: str) -> Named | None:
    """The row of a protocol; None for what is no routing protocol, or is not computed."""
    return next((row for row in _ROWS if row.name == name), None)


def label(name: str, family: int | None = None) -> str:
    """What people call a source of routes: `OSPF`, for IPv6 alone `OSPFv3`; a word that is no
    computed protocol stays as it is."""
    row = find(name)
    if row is None:
        return shared.LABEL if name == shared.NAME else name
    return row.label if family is None else row.labels[FAMILIES.index(family)]


def has_areas(name: str) -> bool:
    """True if a protocol takes interfaces into areas."""
    row = find(name)
    return row is not None and row.areas


def by_sessions(name: str) -> bool:
    """True if a protocol's neighbours are named one by one, wherever they are."""
    row = find(name)
    return row is not None and row.sessions


def labels() -> dict[str, str]:
    """Word -> label of all protocols."""
    return {row.name: row.label for row in _ROWS}


def computed_as(word: str) -> str:
    """The protocol that routers mean by a word of theirs: their `ospf6` is our `ospf`."""
    return next((row.name for row in _ROWS if word in row.words), word)


def by_packets() -> dict[int, str]:
    """Number of IP (IANA, protocol numbers) -> the protocol whose packets carry it."""
    return {row.packets: row.name for row in _ROWS if row.packets is not None}


def by_table() -> dict[int, str]:
    """Number in a table read over SNMP (IANA-RTPROTO-MIB) -> protocol."""
    return {row.table: row.name for row in _ROWS if row.table is not None}


@contextmanager
def also(row: Named) -> Iterator[None]:
    """Another protocol for as long as this lasts: how a test adds one without editing the core."""
    _ROWS.append(row)
    try:
        yield
    finally:
        _ROWS.remove(row)
