"""Devices whose tables differ from before a change for few prefixes: for which addresses they match
another route now."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterable

from ..network.addressing import Address, Prefix
from ..step.routes import Route
from ..step.rows import Winners
from ..step.table import Lookup

MOST = 200
"""Of more addresses than this each is dearer to look up than all are to match at once."""


class Under:
    """Which of some addresses lie in a prefix; many devices ask for the same few prefixes."""

    def __init__(self, addresses: list[Address]) -> None:
        """`addresses` are sorted, and of one family."""
        self.addresses = addresses
        self._known: dict[Prefix, range] = {}

    def columns(self, prefixes: Iterable[Prefix]) -> list[int]:
        """The places of all addresses that lie in any of some prefixes, in order."""
        found: set[int] = set()
        for prefix in prefixes:
            found.update(self._under(prefix))
        return sorted(found)

    def _under(self, prefix: Prefix) -> range:
        known = self._known.get(prefix)
        if known is None:
            first, last = (Address(prefix.family, v) for v in (prefix.network, prefix.last))
            known = self._known[prefix] = range(
                bisect_left(self.addresses, first), bisect_right(self.addresses, last)
            )
        return known


def rematched(
    before: Winners, after: Winners, prefixes: frozenset[Prefix], under: Under
) -> list[tuple[int, Route | None]] | None:
    """For which addresses a device matches another route than before, and which one (None: none).

    Args:
        before, after: what it obeyed, and what it obeys.
        prefixes: those whose winners differ.
        under: the addresses.

    Returns:
        (place of the address, route) in the order of places; None if there are too many.
    """
    columns = under.columns(prefixes)
    if len(columns) > MOST:
        return None
    out: list[tuple[int, Route | None]] = []
    then, now = Lookup(before), Lookup(after)
    for column in columns:
        address = under.addresses[column]
        was, found = then(address), now(address)
        if was is not None and found is not None and was.prefix == found.prefix:
            if found.prefix not in prefixes:
                continue
        elif was is None and found is None:
            continue
        out.append((column, found))
    return out
