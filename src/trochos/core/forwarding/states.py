"""What pings between all addresses of one family show, as one array: a row per source address, a
column per target. After a change only what may be otherwise is found again."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import Any, NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from ..network.addressing import Address
from ..step.sources import usable_addresses
from .again import Earlier, Solved
from .pings import YES

_CELLS = 1 << 22
"""How many cells are looked at together: more would be the largest arrays of all."""


class Solver(Solved, Protocol):
    """What is asked of a family here (`families.FamilyReach`)."""

    row: dict[str, int]
    column: dict[Address, int]
    earlier: Earlier[Any] | None

    def default_rows(self, row: int) -> tuple[NDArray[np.int32], NDArray[np.int8]]: ...

    def ping(self, row: int, source: Address | None) -> NDArray[np.int8]: ...

    def pings(
        self, rows: NDArray[np.int64], sources: NDArray[np.int64], columns: NDArray[np.int64]
    ) -> NDArray[np.int8]: ...


class Sources(NamedTuple):
    """From which addresses a network's devices ping, by device: the rows of the array."""

    names: list[str]
    """Per source the device."""
    addresses: list[Address]
    rows: NDArray[np.int64]
    """Per source the device's row in the family's table."""
    columns: NDArray[np.int64]
    """Per source the column of its address."""

    @classmethod
    def of(cls, table: Solver) -> Sources:
        """Every address that a device of the network was read to send from, and that counts."""
        names: list[str] = []
        addresses: list[Address] = []
        devices = table.forwarding.devices
        for name in table.names:
            if devices[name].role == "unread":
                continue
            usable = (fact.address for _, fact in usable_addresses(devices[name], table.family))
            for address in dict.fromkeys(usable):
                if not address.is_link_local and address in table.column:
                    names.append(name)
                    addresses.append(address)
        rows = np.array([table.row[name] for name in names], dtype=np.int64)
        columns = np.array([table.column[a] for a in addresses], dtype=np.int64)
        return cls(names, addresses, rows, columns)

    def keys(self) -> list[tuple[str, Address]]:
        """Device and address of each."""
        return [*zip(self.names, self.addresses, strict=True)]

    def parts(self, width: int) -> Iterator[slice]:
        """All rows, some at a time."""
        step = max(1, _CELLS // max(1, width))
        for start in range(0, len(self.names), step):
            yield slice(start, start + step)


class Cells(NamedTuple):
    """Some cells, in the order of rows and columns."""

    rows: NDArray[np.int64]
    columns: NDArray[np.int64]
    states: NDArray[np.int8]


class States:
    """`matrix[source, column]` is what pings from a source to an address show (own ones: YES).

    Only for tables of which arrays tell everything; see `FamilyReach.any_odd`.
    """

    def __init__(self, table: Solver, earlier: States | None = None) -> None:
        """`earlier` is that of before the change that the table knows of."""
        self.sources = Sources.of(table)
        self._width = len(table.addresses)
        self.earlier = earlier
        self.prior: NDArray[np.int64] | None = None
        """Per source its row before the change, or -1."""
        self.unlike: Cells | None = None
        """Where something else is shown than before the change, or nothing was."""
        self._places: dict[str, range] = {}
        for place, name in enumerate(self.sources.names):
            first = self._places.get(name, range(place, place)).start
            self._places[name] = range(first, place + 1)
        if earlier is not None:
            self._find_again(table, earlier)
        else:
            self.__dict__["matrix"] = self._found(table)

    def of(self, name: str) -> list[tuple[Address, NDArray[np.int8]]]:
        """Per source of a device what it shows."""
        return [(self.sources.addresses[n], self.matrix[n]) for n in self._places.get(name, ())]

    def let_go(self) -> None:
        """Forgets that of before the change."""
        assert self.matrix is not None
        self.earlier = self.prior = self.unlike = None

    @cached_property
    def matrix(self) -> NDArray[np.int8]:
        """The whole array; of a changed copy it is made when somebody asks for it."""
        assert self.earlier is not None and self.prior is not None and self.unlike is not None
        out: NDArray[np.int8] = self.earlier.matrix[np.maximum(self.prior, 0)]
        out[self.unlike.rows, self.unlike.columns] = self.unlike.states
        return out

    def _found(self, table: Solver) -> NDArray[np.int8]:
        sources = self.sources
        out = np.empty((len(sources.names), self._width), dtype=np.int8)
        for place, (name, source) in enumerate(zip(sources.names, sources.addresses, strict=True)):
            row = table.row[name]
            chosen, ok = table.default_rows(row)
            own = sources.columns[place]
            out[place] = np.where(chosen == own, ok, table.ping(row, source))
            out[place][table.owner_rows == row] = YES
        return out

    def _find_again(self, table: Solver, was: States) -> None:
        earlier, sources = table.earlier, self.sources
        assert earlier is not None
        held = {
            key: n
            for n, key in enumerate(zip(was.sources.names, was.sources.addresses, strict=True))
        }
        keys = zip(sources.names, sources.addresses, strict=True)
        self.prior = np.array([held.get(key, -1) for key in keys], dtype=np.int64)
        chosen, ok = table.all_defaults
        unlike = earlier.unlike_choices
        owners = table.owner_rows
        found: list[tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int8]]] = []
        for part in sources.parts(self._width):
            rows, own = sources.rows[part], sources.columns[part]
            open_ = unlike[rows]
            back = np.flatnonzero(earlier.any_returns_unlike[own])
            if back.size:
                open_[back] |= earlier.recoded_back[own[back]][:, owners]
            fresh = self.prior[part] < 0
            open_[fresh] = True
            at, columns = np.nonzero(open_)
            row, mine = rows[at], own[at]
            states = table.pings(row, mine, columns)
            itself = chosen[row, columns] == mine
            states[itself] = ok[row[itself], columns[itself]]
            states[owners[columns] == row] = YES
            before = was.matrix[np.maximum(self.prior[part][at], 0), columns]
            other = np.flatnonzero((states != before) | fresh[at])
            found.append((at[other] + part.start, columns[other], states[other]))
        parts = [
            np.concatenate([cells[n] for cells in found] or [np.zeros(0, np.int64)])
            for n in range(3)
        ]
        self.unlike = Cells(parts[0], parts[1], parts[2].astype(np.int8))
