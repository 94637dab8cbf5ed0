"""What of a network's forwarding holds for a changed copy of it.

A failed link changes what few devices do and what many have routes to. A device whose own facts
and lines, and those of everybody on its links, are what they were leads each next hop where it
led before (`still_leading`). Where its table is the same too, so is each of its decisions, and
what is left to compute is how packets end that pass others.
"""

from __future__ import annotations

from functools import cached_property
from typing import Any, Generic, Protocol, TypeVar
from weakref import ref

import numpy as np
from numpy.typing import NDArray

from ..network.addressing import Address, Prefix
from ..network.facts import Device
from ..step.routes import NextHop, Route
from .flow import Edges, pack, unpack
from .matching import Places
from .view import Forwarding


class Solved(Protocol):
    """What is asked of a family whose verdicts are solved (`families.FamilyReach`)."""

    forwarding: Forwarding
    family: int
    names: list[str]
    addresses: list[Address]
    routes: list[list[Route]]
    positions: list[list[int]]
    ways: Places
    decisions: list[Any]
    defaults: dict[int, tuple[NDArray[np.int32], NDArray[np.int8]]]
    edges: Edges

    @property
    def all_defaults(self) -> tuple[NDArray[np.int32], NDArray[np.int8]]: ...

    @property
    def all_defaults_known(self) -> tuple[NDArray[np.int32], NDArray[np.int8]] | None: ...

    @property
    def codes(self) -> NDArray[Any]: ...

    @property
    def owner_rows(self) -> NDArray[Any]: ...

    def choose(
        self, row: int, columns: NDArray[np.int64] | None
    ) -> tuple[NDArray[np.int32], NDArray[np.int8]]: ...


Family = TypeVar("Family", bound=Solved)


def still_leading(before: Forwarding, after: Forwarding) -> frozenset[str]:
    """The devices whose every next hop leads where it led before a change; none where that is
    not certain without asking each."""
    old, new = before.tables, after.tables
    if (
        old.network.segments != new.network.segments
        or before.strangers
        or after.strangers
        or not before.same_doubts(after)
        or before.may_rewrite != after.may_rewrite
        or before.devices.keys() != after.devices.keys()
    ):
        return frozenset()
    moved = {
        name
        for name, device in after.devices.items()
        if device is not before.devices[name] or not old.links.alike(new.links, device)
    }
    if any(_switches(view.devices[name]) for name in moved for view in (before, after)):
        return frozenset()  # a switch may join and part ends that share no link with it
    beside = set(moved)
    for segment in new.network.segments:
        names = {end.device for end in segment.ends}
        if names & moved:
            beside |= names
    for name, device in after.devices.items():
        if any(interface.tunnel is not None for interface in device.interfaces):
            beside.add(name)  # what becomes of the outer packets is a walk over others
    return frozenset(after.devices.keys() - beside)


def _switches(device: Device) -> bool:
    """True if frames may pass a device from port to port."""
    return any(i.master is not None for i in device.interfaces)


class Earlier(Generic[Family]):
    """The arrays of one family before a change, with the same rows and columns, and where those
    after it differ."""

    def __init__(
        self,
        reach: Family,
        after: Family,
        leads: NDArray[np.bool_],
        same: NDArray[np.bool_],
        patched: dict[int, frozenset[Prefix]],
    ) -> None:
        self.reach = reach
        # Whoever has this has it there: a circle would keep both until somebody looks for circles.
        self._held = ref(after)
        self.leads = leads
        """The rows whose next hops lead where they led."""
        self.same = same
        """Of those the rows that obey the same table."""
        self.patched = patched
        """The rows whose tables differ for few prefixes, with those that have other next hops."""
        self.rerouted: dict[int, NDArray[np.bool_]] = {}
        """Per row that leads where it led: the columns that go by others now. Rows without any
        are left out."""

    @classmethod
    def of(cls, before: Family, after: Family, leading: frozenset[str]) -> Earlier[Family] | None:
        """None if nothing can be taken over."""
        if not leading or before.names != after.names or before.addresses != after.addresses:
            return None
        old, new = before.forwarding.tables.tables, after.forwarding.tables.tables
        leads = np.array([name in leading for name in after.names], dtype=bool)
        same = [old[name, after.family] is new[name, after.family] for name in after.names]
        patched: dict[int, frozenset[Prefix]] = {}
        for row, name in enumerate(after.names):
            rerouted = new[name, after.family].rerouted(old[name, after.family])
            if rerouted is not None and leads[row]:
                patched[row] = rerouted
        return cls(before, after, leads, leads & np.array(same, dtype=bool), patched)

    @property
    def _after(self) -> Family:
        after = self._held()
        assert after is not None
        return after

    def reroute(self, row: int, some: NDArray[np.int64] | None) -> None:
        """Takes note of the columns for which a device has other next hops than before.

        Args:
            row: of a device whose next hops lead where they led.
            some: the columns that may differ; without it all.
        """
        before, after, numbers = self.reach, self._after, dict[tuple[NextHop, ...], int]()
        found = []
        for table in (before, after):
            routes = table.routes[row]
            kinds = np.full(len(routes) + 1, -1, dtype=np.int32)
            for position in table.positions[row]:
                hops = routes[position].obeyed_hops or routes[position].wanted
                kinds[position] = numbers.setdefault(hops, len(numbers))
            found.append(kinds)
        if some is None:
            unlike: NDArray[np.bool_] = found[0][before.ways[row]] != found[1][after.ways[row]]
        else:
            unlike = np.zeros(len(after.addresses), dtype=bool)
            unlike[some] = found[0][before.ways[row, some]] != found[1][after.ways[row, some]]
        if unlike.any():
            self.rerouted[row] = unlike

    def knows(self, row: int) -> bool:
        """True if it is known for which columns packets of a device go or end otherwise."""
        return bool(self._known[row])

    @cached_property
    def _known(self) -> NDArray[np.bool_]:
        decided = np.array([item is not None for item in self._after.decisions], dtype=bool)
        known: NDArray[np.bool_] = self.leads & decided & np.bool_(self.same_owners)
        return known

    @cached_property
    def unlike(self) -> NDArray[np.bool_]:
        """Per device the columns for which packets go or end otherwise than before the change,
        there or where it hands them on; all of those of which that is not known."""
        after, edges = self._after, self._after.edges
        words = pack(self.recoded)
        further = words.copy()
        if edges.here.size:
            further[edges.sources] |= np.bitwise_or.reduceat(
                words[edges.there], edges.starts, axis=0
            )
        found = unpack(further, len(after.addresses)).copy()
        for row, columns in self.rerouted.items():
            found[row] |= columns
        found[~self._known] = True
        return found

    @cached_property
    def any_returns_unlike(self) -> NDArray[np.bool_]:
        """Per address whether the return to it ends otherwise than before from anywhere."""
        return np.asarray(self.recoded.any(axis=0))

    @cached_property
    def _unlike_defaults(self) -> NDArray[np.bool_] | None:
        """Per device the columns for which it may choose another source than before, or a ping
        from that one may show something else; None if what was chosen is not known of all."""
        was = self.reach.all_defaults_known
        if was is None:
            return None
        sources, _ = was
        back = self.recoded_back[np.maximum(sources, 0), self._after.owner_rows]
        found: NDArray[np.bool_] = self.unlike | (back & (sources >= 0))
        return found

    def default_rows(self, row: int) -> tuple[NDArray[np.int32], NDArray[np.int8]] | None:
        """`FamilyReach.default_rows` from those before the change: only what differs is chosen
        anew. None if all has to be."""
        after, was = self._after, self.reach.defaults.get(row)
        if was is None or not self._known[row]:
            return None
        sources, ok = was
        # Numbers of addresses that are no columns are each table's own.
        if self._unlike_defaults is not None:
            columns = np.flatnonzero(self._unlike_defaults[row])
        elif (sources >= len(after.addresses)).any():
            return None
        else:
            back = self.recoded_back[np.maximum(sources, 0), after.owner_rows] & (sources >= 0)
            columns = np.flatnonzero(self.unlike[row] | back)
        if not columns.size:
            return was
        sources, ok = sources.copy(), ok.copy()
        sources[columns], ok[columns] = after.choose(row, columns)
        return sources, ok

    @cached_property
    def unlike_choices(self) -> NDArray[np.bool_]:
        """`unlike`, and the columns for which a device chooses another source, or a ping from that
        one shows something else."""
        was, now = self.reach.all_defaults, self._after.all_defaults
        found: NDArray[np.bool_] = self.unlike | (was[0] != now[0]) | (was[1] != now[1])
        return found

    @cached_property
    def same_owners(self) -> bool:
        """True if every address is held where it was."""
        return np.array_equal(self._after.owner_rows, self.reach.owner_rows)

    @cached_property
    def recoded(self) -> NDArray[np.bool_]:
        """Per cell whether another code stands there than before the change."""
        found: NDArray[np.bool_] = self._after.codes != self.reach.codes
        return found

    @cached_property
    def recoded_back(self) -> NDArray[np.bool_]:
        """The same by column."""
        return np.ascontiguousarray(self.recoded.T)
