"""Which pairs of a network are asked about, and how a long search is watched."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np

from ..forwarding.pings import PARTLY, UNSURE, YES
from ..forwarding.reach import Pair, Reach
from ..network.addressing import FAMILIES, Address
from ..step.sources import usable_addresses

Watch = Callable[[int, int, str], bool]
"""Called with (done, of at most, what); False stops the search with the best so far."""


def unwatched(done: int, of: int, what: str) -> bool:
    """A search that nobody watches goes on to its end."""
    return True


class Question(NamedTuple):
    """A device against one address of another, from the source that it chooses itself."""

    sender: str
    target: Address
    owner: str


class Answered(NamedTuple):
    """How a question ends: `ok` is True, False, "partly" or None (not known)."""

    source: Address | None
    outbound: str
    back: str | None
    ok: object

    @property
    def refused(self) -> bool:
        """True if a filter ends it: on purpose, as far as anybody can tell."""
        return self.outbound in ("filtered", "refused") or (
            self.outbound == "delivered" and self.back in ("filtered", "refused")
        )


def hosts_of(reach: Reach) -> set[str]:
    """The devices whose conversations count: hosts, or all routers where there are none."""
    devices = [d for d in reach.forwarding.tables.network.devices if d.role != "unread"]
    hosts = {d.name for d in devices if d.is_host}
    return hosts or {d.name for d in devices if d.role == "router"}


@dataclass(slots=True)
class Standing:
    """How all questions of a network stand: counted, and those that fail wholly or in part;
    where asked for, also those of which it is not known."""

    questions: int = 0
    ok: int = 0
    partly: int = 0
    unknown: int = 0
    failing: dict[Question, Answered] = field(default_factory=dict)
    open: dict[Question, Answered] = field(default_factory=dict)


def standing(reach: Reach, *, opened: bool = False) -> Standing:
    """Counts `answers` without building them; only what fails is made one by one, and what is not
    known if it is asked for."""
    among = hosts_of(reach)
    near = reach.forwarding.near
    out = Standing()
    for family, table in reach.families.items():
        rows = [table.row[name] for name in among if name in table.row]
        counted = np.isin(table.owner_rows, rows)
        counted |= np.array(
            [
                address in table.shared
                and any(o.end.device in among for o in near.holders(address))
                for address in table.addresses
            ],
            dtype=bool,
        )
        counted &= np.array([address in near.owners for address in table.addresses], dtype=bool)
        for name in sorted(among & _speakers(reach, among, family)):
            counts, failing, unsure, walked = reach.own_choices(name, family, counted)
            out.questions += int(counts.sum())
            out.ok += int(counts[YES])
            out.partly += int(counts[PARTLY])
            out.unknown += int(counts[UNSURE])
            for pair in walked:
                if pair.owner not in among:
                    continue
                out.questions += 1
                out.ok += pair.ok is True
                out.partly += pair.ok == "partly"
                out.unknown += pair.ok is None
                if pair.ok is False or pair.ok == "partly":
                    _enter(out.failing, pair)
                elif pair.ok is None and opened:
                    _enter(out.open, pair)
            for pair in reach.own_choice(name, unsure if opened else ()):
                _enter(out.open, pair)
            for pair in reach.own_choice(name, failing):
                _enter(out.failing, pair)
    return out


def asked(reach: Reach, questions: Iterable[Question]) -> dict[Question, Answered]:
    """The answers to some questions; those whose ends are gone are left out."""
    wanted: dict[str, set[Address]] = {}
    whole = set(questions)
    for question in whole:
        wanted.setdefault(question.sender, set()).add(question.target)
    out: dict[Question, Answered] = {}
    known = {d.name for d in reach.forwarding.tables.network.devices if d.role != "unread"}
    speaking = {family: _speakers(reach, wanted.keys() & known, family) for family in FAMILIES}
    for name, targets in wanted.items():
        heard = [t for t in sorted(targets) if name in speaking[t.family]]
        for pair in reach.own_choice(name, heard):
            _enter(out, pair)
    return {question: answer for question, answer in out.items() if question in whole}


def _enter(out: dict[Question, Answered], pair: Pair) -> None:
    question = Question(pair.device, pair.target, pair.owner)
    out.setdefault(question, Answered(pair.source, pair.outbound, pair.back, pair.ok))


def _speakers(reach: Reach, names: Iterable[str], family: int) -> set[str]:
    """Who has an address of a family: who has none asks nothing in it."""
    devices = reach.forwarding.devices
    return {
        name
        for name in names
        if any(not f.address.is_link_local for _, f in usable_addresses(devices[name], family))
    }


def answers(reach: Reach, ends: Iterable[str] | None = None) -> dict[Question, Answered]:
    """Every question between the ends that count, or the given ones."""
    among = set(ends) if ends is not None else hosts_of(reach)
    near = reach.forwarding.near
    targets = {a for a, owners in near.owners.items() if any(o.end.device in among for o in owners)}
    out: dict[Question, Answered] = {}
    speaks = {(name, family) for family in FAMILIES for name in _speakers(reach, among, family)}
    for pair in reach.pairs(among, targets):
        if pair.owner in among and (pair.device, pair.target.family) in speaks:
            _enter(out, pair)
    return out
