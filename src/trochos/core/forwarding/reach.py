"""All pairs of a network: each source address of a device against each address of others.

What arrays cannot answer (an address that several hold, a way longer than the hop limit) is
walked instead; the rows look the same.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import InitVar, dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..network.addressing import FAMILIES, Address
from ..network.facts import Device, place_of
from ..network.quiet import without_collecting
from ..step.filters import Flow
from ..step.legs import Leg, passed_by
from ..step.packet import Packet
from ..step.sources import usable_addresses
from ..step.verdicts import WORST_FIRST
from ..step.walk import walk
from .again import still_leading
from .counts import Counts
from .families import FamilyReach
from .pings import NO, PARTLY, UNSURE, YES
from .replies import ARRIVED, answers, as_if, reply_to
from .states import States
from .view import Forwarding

_OK = {NO: False, PARTLY: "partly", YES: True, UNSURE: None}


_CODE: dict[object, int] = {said: code for code, said in _OK.items()}


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
            "from": place_of(self.device)["device"],
            "source": None if self.source is None else str(self.source),
            "to": str(self.target),
            **place_of(self.owner),
            "outbound": self.outbound,
            "return": self.back,
            "ok": self.ok,
        }


def verdict_of(bits: int) -> str | None:
    """The worst verdict in a bit set; None for the empty set."""
    return None if bits == 0 else WORST_FIRST[(bits & -bits).bit_length() - 1]


@dataclass(slots=True)
class Reach:
    """All pairs of a network. Building it solves both families; rows come on demand."""

    forwarding: Forwarding
    families: dict[int, FamilyReach] = field(default_factory=dict)
    before: InitVar[Reach | None] = None
    """That of the network of which this is a changed copy; answers are the same without it."""

    def __post_init__(self, before: Reach | None) -> None:
        with without_collecting():
            leading = (
                still_leading(before.forwarding, self.forwarding) if before is not None else None
            )
            for family in FAMILIES:
                held = before.families[family] if before is not None and leading else None
                self.families[family] = FamilyReach(
                    self.forwarding, family, None, held, leading or frozenset()
                )

    def let_go(self) -> None:
        """Forgets the arrays of before the change: what is asked from now on is computed anew."""
        for table in self.families.values():
            if table.all_states is not None:
                table.all_states.let_go()
            table.earlier = None

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
        numbers, ok = table.default_rows(row)
        back = table.default_returns(row)
        owners = table.owner_rows
        others = [
            fact.address
            for _, fact in usable_addresses(self.forwarding.devices[name], table.family)
            if not fact.address.is_link_local
        ]
        returns = {source: table.back(owners, source) for source in others}
        states = {source: table.ping(row, source) for source in others}
        for column, target in enumerate(table.addresses):
            if targets is not None and target not in targets:
                continue
            holders = dict.fromkeys(o.end.device for o in self.forwarding.near.holders(target))
            for owner in holders:
                if owner == name:
                    continue
                chosen = table.source(int(numbers[column]))
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

    def own_choice(self, name: str, targets: Iterable[Address]) -> Iterator[Pair]:
        """The rows of `pairs` from the source that a device chooses itself, for some targets.

        A target that nobody has now has no row.
        """
        wanted: dict[int, list[Address]] = {family: [] for family in FAMILIES}
        for target in targets:
            wanted[target.family].append(target)
        for family, asked in wanted.items():
            table = self.families[family]
            row = table.row.get(name)
            columns = [table.column[target] for target in asked if target in table.column]
            if row is None or not columns:
                continue
            numbers, ok = table.default_rows(row)
            plain, odd = self._chosen_columns(table, row, numbers)
            back = table.default_returns(row)
            walked = [table.addresses[c] for c in columns if odd[c]]
            if walked:
                yield from self._first_of_each(table, name, set(walked))
            for column in columns:
                if not plain[column]:
                    continue
                source = table.source(int(numbers[column]))
                outbound = verdict_of(int(table.bits[row, column])) or "unknown"
                if source is None and outbound == "delivered":
                    outbound = "no-source"
                owner = table.names[table.owner_rows[column]]
                state = _OK[int(ok[column])]
                returned = verdict_of(int(back[column]))
                yield Pair(name, source, table.addresses[column], owner, outbound, returned, state)

    def _chosen_columns(
        self, table: FamilyReach, row: int, numbers: NDArray[np.int32]
    ) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
        """Of the rows from a device's own choice of source the columns that arrays answer, and
        those that must be walked."""
        owners = table.owner_rows
        others = owners != row
        if not table.any_odd:
            return others, np.zeros_like(others)
        ours = (numbers >= 0) & (numbers < len(table.addresses))
        held = np.where(ours, numbers, 0)
        odd = ours & (table.shared_columns[held] | table.overlong[owners, held])
        odd |= table.shared_columns | table.overlong[row]
        # Of an address that several hold the device itself may be the first.
        return others & ~odd, odd & (others | table.shared_columns)

    def _first_of_each(
        self, table: FamilyReach, name: str, targets: set[Address]
    ) -> Iterator[Pair]:
        """Of each target and owner the first row, which is that of the device's own choice."""
        seen: set[tuple[Address, str]] = set()
        for pair in self._pairs_of(table, name, targets):
            if (pair.target, pair.owner) not in seen:
                seen.add((pair.target, pair.owner))
                yield pair

    def own_choices(
        self, name: str, family: int, columns: NDArray[np.bool_]
    ) -> tuple[NDArray[np.int64], list[Address], list[Address], list[Pair]]:
        """A device's own choices of source against many columns at once.

        Args:
            name: the device that asks.
            family: 4 or 6.
            columns: which addresses of the family's table count.

        Returns:
            How many of those that arrays answer show each state (by the code of `pings`), the
            addresses among them that fail wholly or in part, those of which it is not known, and
            the rows that had to be walked.
        """
        table = self.families[family]
        row = table.row[name]
        numbers, ok = table.default_rows(row)
        plain, odd = self._chosen_columns(table, row, numbers)
        counts = np.bincount(ok[plain & columns], minlength=len(_OK))
        failing = np.flatnonzero(plain & columns & ((ok == NO) | (ok == PARTLY)))
        unsure = np.flatnonzero(plain & columns & (ok == UNSURE))
        walked = {table.addresses[c] for c in np.flatnonzero(odd & columns)}
        rows = list(self._first_of_each(table, name, walked)) if walked else []
        fail, open_ = ([table.addresses[c] for c in some] for some in (failing, unsure))
        return counts, fail, open_, rows

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
        chosen, ok = table.default_rows(row)
        nothing = np.zeros_like(plain)
        if table.any_odd:
            ours = (chosen >= 0) & (chosen < len(table.addresses))
            held = np.where(ours, chosen, 0)
            odd = ours & (table.shared_columns[held] | table.overlong[owners, held])
            yield plain & ~odd, plain & odd, ok, None
        else:
            yield plain, nothing, ok, None
        for _, fact in usable_addresses(device, table.family):
            if fact.address.is_link_local:
                continue
            column = table.column[fact.address]
            mask = plain & (chosen != column)
            if not table.any_odd:
                yield mask, nothing, table.ping(row, fact.address), fact.address
                continue
            odd = table.overlong[owners, column] | table.shared_columns[column]
            states = table.ping(row, fact.address)
            yield mask & ~odd, mask & odd, states, fact.address

    @staticmethod
    def own_columns(table: FamilyReach, name: str) -> NDArray[np.bool_]:
        """The columns of addresses that a device holds alone."""
        mine: NDArray[np.bool_] = (table.owner_rows == table.row[name]) & ~table.shared_columns
        return mine

    def states_of(self, table: FamilyReach, name: str) -> list[tuple[Address, NDArray[np.int8]]]:
        """Per source address of a device, what a ping to every column shows (own columns: YES).

        Sources and columns that arrays cannot answer are walked.
        """
        whole = self.all_states(table, build=False)
        if whole is not None:
            return whole.of(name)
        known = table.states.get(name)
        if known is None:
            known = list(self._states_of(table, name))
            if table.keeps:
                table.states[name] = known
        return known

    @staticmethod
    def all_states(table: FamilyReach, build: bool = True) -> States | None:
        """What pings between all addresses show, as one array; None if arrays do not tell all of
        it, or it is too large to be kept.

        Args:
            table: of one family.
            build: if False, only if little has to be computed.
        """
        if table.any_odd or not table.keeps:
            return None
        if table.all_states is None:
            earlier = table.earlier
            was = earlier.reach.all_states if earlier and earlier.same_owners else None
            if was is not None or build:
                table.all_states = States(table, was)
        return table.all_states

    def _states_of(
        self, table: FamilyReach, name: str
    ) -> Iterator[tuple[Address, NDArray[np.int8]]]:
        row = table.row[name]
        chosen, ok = table.default_rows(row)
        owners = table.owner_rows
        mine = self.own_columns(table, name)
        for _, fact in usable_addresses(self.forwarding.devices[name], table.family):
            if fact.address.is_link_local or fact.address not in table.column:
                continue
            own = table.column[fact.address]
            states = table.ping(row, fact.address)
            states = np.where(chosen == own, ok, states).astype(np.int8)
            if table.any_odd:
                odd = table.overlong[owners, own] | table.shared_columns | table.overlong[row]
                odd |= table.shared_columns[own]
                for column in np.flatnonzero(odd & ~mine).tolist():
                    target = table.addresses[column]
                    holders = [d for d in self.forwarding.near.meant_devices(target) if d != name]
                    found = [_CODE[self._walked(name, fact.address, target, d).ok] for d in holders]
                    states[column] = self._together(found)
            states[mine] = YES
            yield fact.address, states

    def _together(self, found: list[int]) -> int:
        """One state for an address of several holders: the worst where they are in one another's
        way, that of the one that answers where routing instances have addresses of their own."""
        if not self.forwarding.near.has_instances or len(found) < 2:
            return min(found, default=YES)
        return next((state for state in (YES, UNSURE, PARTLY) if state in found), NO)

    def _walked_rows(self, table: FamilyReach, name: str) -> Iterator[Pair]:
        row = table.row[name]
        if not table.any_odd:
            return
        always = np.flatnonzero(table.shared_columns | table.overlong[row])
        if always.size:
            yield from self._pairs_of(table, name, {table.addresses[c] for c in always})
        sources = table.default_rows(row)[0]
        for _, odd, _, source in self._split(table, row, self.forwarding.devices[name]):
            for column in np.flatnonzero(odd):
                used = table.source(int(sources[column])) if source is None else source
                owner = table.names[table.owner_rows[column]]
                yield self._walked(name, used, table.addresses[column], owner)

    def summary(self) -> dict[str, object]:
        """Counts over all rows, without building them."""
        counts = Counts()
        for table in self.families.values():
            for row, name in enumerate(table.names if table.addresses else ()):
                if self.forwarding.devices[name].role == "unread":
                    continue
                if table.any_odd:
                    self._count_with_walks(counts, table, row)
                else:
                    self._count(counts, table, row)
        return counts.document()

    def _count(self, counts: Counts, table: FamilyReach, row: int) -> None:
        """Counts a device's rows where arrays tell everything."""
        rest = table.owner_rows != row
        alike = table.alike(row)
        if alike is not None:
            columns, states, sources = alike
            counts.alike(columns, states, sources)
            rest &= ~columns
        some = np.flatnonzero(rest)
        if not some.size:
            return
        chosen, ok = table.choose(row, some)

        def asked() -> Iterator[tuple[NDArray[np.bool_], NDArray[np.int8], Address | None]]:
            yield np.ones(some.size, dtype=bool), ok, None
            for source, column in table.sources_of(row):
                states = table.pings(np.int64(row), np.int64(column), some)
                yield chosen != column, states, source

        counts.asked(table, row, some, chosen < 0, asked())

    def _count_with_walks(self, counts: Counts, table: FamilyReach, row: int) -> None:
        """Counts a device's rows. What must be walked is walked alone: few addresses in a sound
        network."""
        name = table.names[row]
        for pair in self._walked_rows(table, name):
            counts.walked(pair.outbound, pair.ok)
        asked = (
            (mask, states, source)
            for mask, _, states, source in self._split(table, row, self.forwarding.devices[name])
        )
        everything = np.arange(len(table.addresses))
        counts.asked(table, row, everything, table.default_rows(row)[0] < 0, asked)


def ping(
    forwarding: Forwarding, name: str, source: Address | None, target: Address, owner: str
) -> tuple[Leg, Leg | None, object]:
    """One conversation by walking: both legs, and what a ping shows. An answer from a wrong host
    is an answer, except where routing instances have addresses of their own: there it is asked
    whether the owner answers."""
    wanted = frozenset((owner,))
    if forwarding.near.is_anycast(target):
        wanted = frozenset(forwarding.near.owner_devices(target))
    outbound = walk(forwarding, name, Packet(target, source, flow=Flow()), wanted)
    if source is None:
        return outbound, None, None if outbound.state == "unknown" else False
    passed = passed_by(outbound)
    request = Packet(target, source, flow=Flow())
    legs = answers(forwarding, outbound, request, None, passed)
    fates = []
    strict = forwarding.near.has_instances
    chassis = forwarding.devices[owner].chassis
    for branch in outbound.branches:
        if branch.verdict in ARRIVED:
            here = forwarding.devices[branch.last.device].chassis
            wrong = strict and branch.verdict == "wrong-host" and here != chassis
            answer = legs[branch.last.device, reply_to(branch, request, passed)]
            fates.append("no" if wrong else answer.state)
        else:
            fates.append("unknown" if branch.verdict == "unknown" else "no")
    back = next(iter(legs.values()), None)
    if back is None:
        back = walk(forwarding, owner, as_if(request, passed), frozenset((name,)))
    if all(fate == "yes" for fate in fates):
        ok: object = True
    elif any(fate in ("yes", "partly") for fate in fates):
        ok = "partly"
    else:
        ok = None if all(fate == "unknown" for fate in fates) else False
    return outbound, back, ok
