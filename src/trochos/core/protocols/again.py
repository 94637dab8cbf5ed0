"""What a change leaves as it was, so that a copy of a network need not be computed anew.

Facts are compared without the numbers of their lines: a line that was put in moves every line
below it, and changes none of them. What is kept therefore quotes lines by their numbers from
before the change.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping, Sequence
from copy import copy
from dataclasses import dataclass, fields, is_dataclass
from functools import cache
from typing import Any, Self

from ..network.addressing import Prefix
from ..network.facts import Device, End, Network
from ..network.source import Source
from ..step.links import Links
from ..step.routes import Route, essence
from ..step.rows import Offer, Row
from ..step.table import Table, TableKey
from .patching import Change, patched


@cache
def _names(kind: type) -> tuple[str, ...]:
    return tuple(item.name for item in fields(kind))


def alike(left: Any, right: Any) -> bool:
    """True if two facts say the same in the same words, on whatever lines."""
    if left is right:
        return True
    if isinstance(left, Source) and isinstance(right, Source):
        return left._replace(line=None, after=None) == right._replace(line=None, after=None)
    if type(left) is not type(right):
        return False
    if isinstance(left, tuple | list):
        return len(left) == len(right) and all(map(alike, left, right))
    if isinstance(left, dict):
        return left.keys() == right.keys() and all(alike(left[k], right[k]) for k in left)
    if is_dataclass(left) and not isinstance(left, type):
        return all(alike(getattr(left, n), getattr(right, n)) for n in _names(type(left)))
    return bool(left == right)


@dataclass(slots=True)
class Round:
    """What protocols offered in one round, and those of the tables that this made which somebody
    asked for: all of them in the last round."""

    offered: Mapping[TableKey, Sequence[Offer]]
    tables: Mapping[TableKey, Table]


class Kept:
    """What of an earlier computation holds for a changed network."""

    def __init__(
        self,
        network: Network,
        deaf: frozenset[End],
        before: Network,
        links: Links,
        trace: list[Round],
    ) -> None:
        self.trace = trace
        old = {device.name: device for device in before.devices}
        self.changed = [d for d in network.devices if old.get(d.name) is not d]
        self._old = old
        same = (
            deaf == links.deaf
            and len(network.devices) == len(before.devices)
            and network.segments == before.segments
            and network.cables == before.cables
            and all(
                d.name in old and self._alike(d, "interfaces", "filters", "lent")
                for d in self.changed
            )
        )
        self.links = links.again() if same else Links(network, deaf, links)
        self._same_links = same
        names = {device.name for device in self.changed}
        self.untouched = {
            device.name
            for device in network.devices
            if device.name in old
            and device.name not in names
            and (same or links.alike(self.links, device))
        }
        """The devices whose tables depend on nothing that changed but what neighbours offer."""

    def _alike(self, device: Device, *parts: str) -> bool:
        old = self._old[device.name]
        return all(alike(getattr(old, part), getattr(device, part)) for part in parts)

    def speaks_alike(self, processes: Callable[[Device], object]) -> bool:
        """True if a protocol's settings are what they were, on every device."""
        return self._same_links and all(
            self._alike(device, "policy", "profile", "role")
            and alike(processes(self._old[device.name]), processes(device))
            for device in self.changed
        )

    def table(self, number: int, key: TableKey, offers: Sequence[Offer]) -> Table | None:
        """The table of an untouched device after a round (-1: the last one) with these offers, if
        it was made, or one from then in which few cells are other ones."""
        if key[0] not in self.untouched:
            return None
        device = self._old[key[0]]
        few: Table | None = None
        # The tables of the last round are whole: what is taken over from them is done.
        at = [self.trace[-1], *self.trace[:-1][max(number, 0) :][: number >= 0]]
        for there in at:
            table, held = there.tables.get(key), there.offered.get(key, [])
            changes = changed_rows(held, offers) if table is not None else None
            if table is None or changes is None:
                continue
            if not any(change.prefixes for change in changes):
                return table
            few = few or patched(table, device, changes)
        return few


def changed_rows(held: Sequence[Offer], offers: Sequence[Offer]) -> list[Change] | None:
    """The rows that differ between what was offered and what is; None if anything else does."""
    if len(held) != len(offers):
        return None
    out: list[Change] = []
    for old, new in zip(held, offers, strict=True):
        if old is new:
            continue
        if isinstance(old, Row) and isinstance(new, Row):
            found = new.unlike_cells(old)
            if found is None:
                if not new.same(old) or not new.for_same_reasons(old):
                    return None
                found = [], []
            out.append(Change(old, new, *found))
        elif isinstance(old, Row) or isinstance(new, Row) or not _as_before(old, new):
            return None
    return out


def _as_before(old: Route, new: Route) -> bool:
    """True if a candidate is what it was, and for the same reasons."""
    return essence(old) == essence(new) and (
        old.because == new.because or alike(old.because, new.because)
    )


def own_copies(offers: Sequence[Offer]) -> list[Offer]:
    """Copies to be marked as winners and losers, where the originals belong to others. Rows make
    their routes anew for whoever asks."""
    return [offer if isinstance(offer, Row) else offer.unmarked() for offer in offers]


class Told(ABC):
    """Speakers whose candidates depend on tables only through what routers tell by themselves.

    The same news gets the same answer, also that of the computation before a change.
    """

    protocol: str
    family: int

    def __init__(self) -> None:
        self.given: list[tuple[object, Mapping[str, Sequence[Offer]]]] = []
        self._earlier: list[tuple[object, Mapping[str, Sequence[Offer]]]] = []

    def again(self) -> Self:
        """The same speakers for a changed network in which their own settings are the same."""
        other = copy(self)
        other.given, other._earlier = [], self.given
        return other

    def follow(self, earlier: Any) -> None:
        """Nothing is taken over where settings changed."""
        return None

    def why_not_told(self, prefix: Prefix, holder: str, other: str) -> Any:
        """Why a router does not tell a working neighbour of a prefix: None where nothing but
        its tables decides what it tells."""
        return None

    def areas(self) -> Mapping[str, Sequence[str]]:
        """The areas that each router is in, in people's words, the one that joins the others
        first; empty where the protocol has none."""
        return {}

    @abstractmethod
    def told(self, tables: Mapping[TableKey, Table]) -> object:
        """What all routers announce by themselves, with these tables."""

    @abstractmethod
    def answer(self, told: Any) -> Mapping[str, Sequence[Offer]]:
        """The candidates of all routers."""

    def offers(self, tables: Mapping[TableKey, Table]) -> Mapping[str, Sequence[Offer]]:
        """Candidates of all routers; computed again only if their announcements changed."""
        told = self.told(tables)
        if self.given and self.given[-1][0] == told:
            return self.given[-1][1]
        offers = next(
            (o for known, o in self._earlier if known == told or alike(known, told)), None
        )
        if offers is None:
            offers = self.answer(told)
        self.given.append((told, offers))
        return offers
