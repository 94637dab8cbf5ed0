"""The table of one device and family: it is asked, and how it is kept is nobody else's business."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Set
from dataclasses import dataclass, field
from weakref import ref

from ..network.addressing import Address, Prefix, prefix_of
from .routes import Route
from .rows import Winners, prefixes_of

TableKey = tuple[str, int]
"""A device (of which an instance is one) and a family."""


@dataclass(slots=True, weakref_slot=True)
class Table:
    """All candidates of one device and family, and the selected one per prefix.

    A candidate stands alone or is the cell of a row. Cells are usable, selected, and the only
    candidate for their prefix: whatever competes, fails or is kept out stands alone.
    """

    device: str
    family: int
    alone: list[Route] = field(default_factory=list)
    """The candidates that stand alone, in the order in which sources are asked."""
    best: Winners = field(default_factory=lambda: Winners({}, []))
    """The winners, to be asked by prefix."""
    unsettled: tuple[Route, ...] = ()
    """Routes that keep replacing each other: selection found no stable answer."""

    looked_up: frozenset[Address] | None = None
    """Every address that it had to find a way to, once somebody asked."""
    _by_prefix: dict[Prefix, list[Route]] | None = None
    _follows: tuple[ref[Table], frozenset[Prefix], frozenset[Prefix]] | None = None

    def winner(self, prefix: Prefix) -> Route | None:
        """The selected route to exactly this prefix."""
        return self.best.get(prefix)

    def holds(self, prefix: Prefix) -> bool:
        """True if a route to exactly this prefix is selected."""
        return prefix in self.best

    def prefixes(self) -> Iterator[Prefix]:
        """Every prefix that has a winner."""
        return iter(self.best)

    def learned(self, protocol: str) -> list[Route]:
        """The winners of one protocol, as another one would announce them."""
        found = [route for route in self.best.alone.values() if route.protocol == protocol]
        for row, mask in self.best.rows:
            if row.protocol == protocol:
                found += [self.best[row.columns.prefixes[c]] for c in mask.nonzero()[0].tolist()]
        return found

    def statics(self) -> list[Route]:
        """Every candidate of a static route, used or not."""
        return [route for route in self.alone if route.protocol == "static"]

    def failing(self) -> list[Route]:
        """Every candidate that cannot be used, and says why."""
        return [route for route in self.alone if route.problem is not None]

    def follow(self, other: Table, changed: frozenset[Prefix], rerouted: frozenset[Prefix]) -> None:
        """Notes that this is another table with other cells: for which prefixes, and for which of
        those the next hops differ."""
        self._follows = ref(other), changed, rerouted

    def unlike_followed(self, other: Table) -> frozenset[Prefix] | None:
        """Every prefix whose winner differs from another table's, of which this one is a patched
        copy; None if it is not."""
        if self._follows is None or self._follows[0]() is not other:
            return None
        return self._follows[1]

    def rerouted(self, other: Table) -> frozenset[Prefix] | None:
        """Of `unlike_followed` the prefixes for which packets go by other ways."""
        if self._follows is None or self._follows[0]() is not other:
            return None
        return self._follows[2]

    def shows(self, prefix: Prefix) -> bool:
        """True if nothing stands alone for a prefix: it has a cell or nothing."""
        return prefix not in self._index()

    def unlike(self, other: Table) -> Set[Prefix]:
        """Every prefix whose winner may be another one in both; all others have the same."""
        known = self.unlike_followed(other)
        if known is not None:
            return known
        return self.best.unlike(other.best)

    def everything(self) -> list[Route]:
        """Every candidate, for whoever writes all of them down."""
        return [*self.alone, *self.best.cells()]

    def leads_on_inside(self, prefix: Prefix) -> bool:
        """True if longer routes inside a prefix forward: what stands for the whole is a summary."""
        for inner in self.best:
            if inner.length > prefix.length and prefix.covers(inner):
                route = self.best.get(inner)
                if route is not None and route.next_hops[0].action == "forward":
                    return True
        return False

    def counts(self) -> tuple[int, int]:
        """How many candidates are selected, and how many are not, without the device's own
        addresses."""
        alone = [route.selected for route in self.alone if route.protocol != "local"]
        cells = sum(int(mask.sum()) for _, mask in self.best.rows)
        return cells + sum(alone), len(alone) - sum(alone)

    @property
    def is_bare(self) -> bool:
        """True if there is nothing in it but the device's own addresses."""
        return not self.best.rows and all(route.protocol == "local" for route in self.alone)

    def candidates(self, prefix: Prefix) -> list[Route]:
        """Every candidate for exactly this prefix, in the order in which sources are asked."""
        found = self._index().get(prefix)
        if found is None:
            cell = self.best.get(prefix)
            return [] if cell is None else [cell]
        return found

    def covering(self, address: Address) -> list[Route]:
        """Every candidate whose prefix holds the address, longest first, winners first."""
        index = self._index()
        found: list[Route] = []
        for length in {*self.best.lengths, *(prefix.length for prefix in index)}:
            found += self.candidates(prefix_of(address, length))
        found.sort(key=lambda r: (-r.prefix.length, not r.selected, r.distance, r.metric))
        return found

    def drop(self, prefixes: set[Prefix]) -> None:
        """Takes the winners for some prefixes out."""
        self.best = self.best.without(prefixes)

    def _index(self) -> dict[Prefix, list[Route]]:
        if self._by_prefix is None:
            self._by_prefix = {}
            for route in self.alone:
                self._by_prefix.setdefault(route.prefix, []).append(route)
        return self._by_prefix


def held_by_any(tables: Iterable[Table]) -> set[Prefix]:
    """Every prefix that any of some tables has a winner for."""
    return prefixes_of(table.best for table in tables)


class Lookup:
    """Longest match over one table."""

    __slots__ = ("_best",)

    def __init__(self, best: Winners) -> None:
        self._best = best

    def __call__(self, address: Address) -> Route | None:
        return self._best.longest(address)
