"""The copies that a search computes: each set of remedies applied, once, and the complaint asked.

A `Trial` is one such copy; `Trials` makes them within a bound and says how they compare.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Set

from ..change.apply import apply
from ..change.rehearse import Effect, compare_pairs
from ..forwarding.endpoints import EndpointError
from ..forwarding.families import FamilyReach
from ..forwarding.path import Path, Traffic, find_path
from ..forwarding.settle import settle
from ..network.addressing import Address
from ..network.edits import Edit, EditError
from ..readers.survey import Survey
from ..step.verdicts import BIT
from .answer import Cause, Trial
from .remedies.bench import Bench

TRIALS, LEAST_TRIALS, WORK = 140, 40, 2400
"""How many remedies are tried at most: the bound of the search, `WORK` trials of one device each.
Of 156 pairs of faults on the captured networks (up to 15 devices; bench/any_line.py
--pairs) the longest search took 131; mangled demos of 55 devices took 140, and 12 s."""
Progress = Callable[[int, int, str], bool]
"""Called with (tried, of at most, what); False stops the search with the best so far."""


def bench_of(survey: Survey, base: Bench) -> Bench:
    """A changed copy of a survey, computed as far as single paths need it."""
    return Bench(survey, *settle(survey.network, base.tables), before=base)


class Trials:
    """What was tried for one complaint: the network with each set of edits, computed once.

    `first` is the complaint as it is; `receiver` is what it is asked for where the address that
    it was about is gone. `stopped` is true once the bound is reached or `progress` says so:
    what is not known by then stays unknown.
    """

    def __init__(
        self,
        base: Bench,
        first: Path,
        sender: str,
        receiver: str,
        traffic: Traffic | None,
        progress: Progress | None,
    ) -> None:
        self.base, self.first = base, first
        self.sender, self.receiver, self.traffic = sender, receiver, traffic
        self.progress = progress
        self.tried = 0
        devices = max(1, len(base.network.devices))
        self.most = max(LEAST_TRIALS, min(TRIALS, WORK // devices))
        self.stopped = False
        self._held: dict[tuple[Edit, ...], Trial | None] = {}
        self._effects: dict[tuple[Edit, ...], Effect] = {}
        self._arrivals: dict[tuple[Edit, ...], int] = {}

    def held(self, edits: tuple[Edit, ...]) -> Trial | None:
        """What was tried already; None also for what was not, or could not be made."""
        return self._held.get(edits)

    def __contains__(self, edits: tuple[Edit, ...]) -> bool:
        return edits in self._held

    def allow(self, more: int) -> None:
        """Lets so many more be tried, whatever the search has used up: what is found is shown."""
        self.most = max(self.most, self.tried + more)

    def attempt(self, edits: tuple[Edit, ...], what: str) -> Trial | None:
        """The network with these edits; None if they cannot be made together."""
        if edits in self._held:
            return self._held[edits]
        if self.tried >= self.most:
            self.stopped = True
            return None
        self.tried += 1
        if self.progress is not None and not self.progress(self.tried, self.most, what):
            self.stopped = True
            return None
        trial: Trial | None = None
        try:
            changed = apply(self.base.survey, edits)
            bench = bench_of(changed.survey, self.base)
            trial = Trial(bench, edits, self._ask(bench))
        except (EditError, EndpointError):
            trial = None  # they contradict each other, or take an end of the complaint away
        self._held[edits] = trial
        return trial

    def _ask(self, bench: Bench) -> Path:
        """The complaint put to a changed network: the same addresses, where they still are."""
        first = self.first
        near = bench.forwarding.near
        there = first.receiver in near.owner_devices(first.target)
        receiver = str(first.target) if there else self.receiver
        owner = first.receiver if there else None
        return find_path(bench.forwarding, self.sender, receiver, self.traffic, owner)

    def effect(self, edits: tuple[Edit, ...]) -> Effect:
        held = self._effects.get(edits)
        if held is None:
            trial = self._held[edits]
            assert trial is not None
            held = self._effects[edits] = compare_pairs(self.base.reach, trial.bench.reach)
        return held

    def gains(self, judged: list[Cause]) -> dict[int, int]:
        """Per cause how many pairs it heals. Which of two ends should move to the other is not
        told by pairs with their own addresses (those of the end that moves are gone, those of the
        other one heal), so remedies of one finding that heal as many other pairs count alike."""
        out = {id(cause): cause.effect.count("heals") for cause in judged}
        for _, alike in itertools.groupby(
            sorted(judged, key=lambda c: c.option.finding.id), lambda c: c.option.finding.id
        ):
            members = list(alike)
            moved = {a for cause in members for a in self._renumbered(cause.option.edits)}
            if not moved or len(members) < 2:
                continue
            elsewhere = {c.effect.count_elsewhere("heals", moved) for c in members}
            if len(elsewhere) == 1:
                most = max(out[id(c)] for c in members)
                out |= {id(c): most for c in members}
        return out

    def _renumbered(self, edits: tuple[Edit, ...]) -> Set[Address]:
        """The addresses that somebody has before or after a change, and not in both."""
        trial = self._held[edits]
        assert trial is not None
        owners = self.base.forwarding.near.owners
        return owners.keys() ^ trial.bench.forwarding.near.owners.keys()

    def state(self, trial: Trial) -> tuple[object, ...]:
        """Where the legs end, and how far around their ends the others get."""
        legs = []
        for leg in (trial.path.outbound, trial.path.back):
            if leg is None:
                legs.append(("", "", ""))
                continue
            last = leg.decisive.last
            legs.append((leg.verdict, last.device, str(last.route.prefix) if last.route else ""))
        return (*legs, self._reached(trial))

    def _reached(self, trial: Trial) -> int:
        """How many devices get to the target, and to the source: what heals a part of a way
        that is broken twice changes nothing for the complaint, but for them."""
        first = self.first
        held = self._arrivals.get(trial.edits)
        if held is None:
            ends = {first.target} | ({first.source} if first.source is not None else set())
            table = FamilyReach(trial.bench.forwarding, first.family, list(ends))
            held = int((table.bits & BIT["delivered"] != 0).sum())
            self._arrivals[trial.edits] = held
        return held

    def score(self, trial: Trial) -> int:
        """How far the complaint got: a leg that arrives counts most."""
        value = 0
        for leg in (trial.path.outbound, trial.path.back):
            if leg is not None:
                value += {"yes": 10, "partly": 6, "unknown": 2}.get(leg.state, 0)
        return value * 1000 + self._reached(trial)
