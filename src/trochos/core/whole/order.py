"""The order of a change's steps: none may cut what works before and after, nor the way to it.

A step is what is changed on one device, or one edit of it where that is needed. A state is the
set of steps that are done; the search walks from state to state, the least cost first (Dijkstra,
1959), and rehearses a state when it is its turn. So a safe order is found as soon as there is one,
and that there is none is known when every state that can be reached safely was tried.
"""

from __future__ import annotations

import heapq
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..change.rehearse import Effect, PairRef
from ..forwarding.families import FamilyReach
from ..forwarding.pings import UNSURE, YES
from ..forwarding.reach import Reach
from ..network.addressing import FAMILIES, Address
from ..network.documents import Document
from ..network.edits import Edit, EditError
from .questions import Watch, unwatched

if TYPE_CHECKING:
    from ..survey import Computed

EXACT = 12
"""Up to so many steps every order that matters is tried; 2 to the 12 states are 4,096."""
TRIES = 3_000
"""States that are rehearsed of a change with more steps."""
EXAMPLES = 5

Cost = tuple[int, int, int]
"""Steps that cannot be reached, steps at which something is cut, pairs cut: the first decides."""
_LEVEL = np.array([0, 1, 2, 0], dtype=np.int8)  # of NO, PARTLY, YES, UNSURE


@dataclass(slots=True)
class Step:
    """One step, and what is cut from when it is done until the next one is."""

    device: str
    edits: tuple[Edit, ...]
    cuts: int = 0
    unsure: int = 0
    """Pairs of which it is not known whether they work then."""
    examples: list[PairRef] = field(default_factory=list)
    unreached: list[str] = field(default_factory=list)
    """Devices still to be changed that the management host does not reach then."""

    def as_json(self) -> dict[str, object]:
        return {
            "device": self.device,
            "edits": [edit.as_json() for edit in self.edits],
            "cuts": self.cuts,
            "unsure": self.unsure,
            "examples": [pair.as_json() for pair in self.examples],
            "unreached": self.unreached,
        }


@dataclass(slots=True)
class Order(Document):
    """The best order that was found."""

    safe: bool
    exact: bool
    """True if there is none that cuts less; False if the search ended before it knew."""
    steps: list[Step]
    tried: int
    """States of the network that were rehearsed."""
    says: str = ""

    def as_nodes(self) -> dict[str, object]:
        """The `order` part of the `rehearse` document."""
        return {
            "safe": self.safe,
            "exact": self.exact,
            "steps": [step.as_json() for step in self.steps],
            "tried": self.tried,
            "says": self.says,
        }


class _State(NamedTuple):
    """A state of the network: what is cut in it, and whom the management host reaches."""

    cuts: int
    unsure: int
    examples: list[PairRef]
    reached: frozenset[str]


def steps_of(edits: tuple[Edit, ...], fine: bool = False) -> list[Step]:
    """The steps of a change: per device, or per edit."""
    grouped: dict[str, list[tuple[Edit, ...]]] = {}
    for edit in edits:
        grouped.setdefault(edit.device, []).append((edit,))
    if fine:
        return [Step(device, part) for device, parts in grouped.items() for part in parts]
    return [
        Step(device, tuple(edit for part in parts for edit in part))
        for device, parts in grouped.items()
    ]


def order(
    survey: Computed,
    edits: tuple[Edit, ...],
    host: str | None = None,
    watch: Watch = unwatched,
) -> Order:
    """The order in which the steps of a change cut least.

    Args:
        survey: the network before the change.
        edits: the change.
        host: where the person sits who makes it; nobody changes a device that it cannot reach.
        watch: progress; the best order so far is the answer if it says no.

    Raises:
        EditError: the change cannot be made.
        EndpointError: the host is not there.
    """
    sits = survey.device_named(host) if host is not None else None
    coarse = _Search(survey, edits, steps_of(edits), sits, watch).run()
    fine = steps_of(edits, fine=True)
    if coarse.safe or len(fine) == len(coarse.steps):
        return coarse
    finer = _Search(survey, edits, fine, sits, watch).run()
    finer.tried += coarse.tried
    finer.steps = _joined(finer.steps)
    if finer.safe or _cost(finer.steps) < _cost(coarse.steps):
        return finer
    coarse.tried = finer.tried
    coarse.exact = coarse.exact and finer.exact
    return coarse


def _joined(steps: list[Step]) -> list[Step]:
    """What is done on one device in a row is one step: nobody has to stop in between."""
    out: list[Step] = []
    for step in steps:
        if out and out[-1].device == step.device:
            step.edits = (*out.pop().edits, *step.edits)
        out.append(step)
    return out


def _cost(steps: list[Step]) -> Cost:
    total = (0, 0, 0)
    for step in steps:
        total = _plus(total, (len(step.unreached), step.cuts + step.unsure))
    return total


def _plus(cost: Cost, more: tuple[int, int]) -> Cost:
    unreached, cuts = more
    return cost[0] + unreached, cost[1] + (cuts > 0), cost[2] + cuts


class _Search:
    """Over the sets of steps that are done, as bits."""

    def __init__(
        self,
        survey: Computed,
        edits: tuple[Edit, ...],
        steps: list[Step],
        host: str | None,
        watch: Watch,
    ) -> None:
        self.survey, self.edits, self.steps = survey, edits, steps
        self.host, self.watch = host, watch
        self.end = (1 << len(steps)) - 1
        self.place = {id(edit): number for number, edit in enumerate(edits)}
        self.kept = _Kept(survey.reach, survey.rehearse(edits).after.reach)
        self.states: dict[int, _State | None] = {}
        """None: the edits of these steps alone cannot be made."""
        self.stopped = False
        self.limit = (1 << EXACT) + 1 if len(steps) <= EXACT else TRIES

    # -- one state ------------------------------------------------------------------------

    def state(self, done: int) -> _State | None:
        if done not in self.states:
            self.states[done] = self._rehearsed(done)
        return self.states[done]

    def _rehearsed(self, done: int) -> _State | None:
        if done == 0:
            return _State(0, 0, [], self._reached(self.survey.reach))
        chosen = [e for n, step in enumerate(self.steps) if done >> n & 1 for e in step.edits]
        chosen.sort(key=lambda edit: self.place[id(edit)])
        try:
            after = self.survey.rehearse(tuple(chosen)).after
        except EditError:
            return None
        effect, unsure = self.kept.lost(after.reach)
        return _State(
            effect.count("breaks"), unsure, effect.first("breaks", EXAMPLES),
            self._reached(after.reach),
        )  # fmt: skip

    def _reached(self, reach: Reach) -> frozenset[str]:
        """The devices of which the host reaches an address."""
        if self.host is None:
            return frozenset(step.device for step in self.steps)
        devices = reach.forwarding.devices
        out = {devices[self.host].chassis}
        for table in reach.families.values():
            if self.host in table.row and table.addresses:
                for _, states in reach.states_of(table, self.host):
                    rows = np.unique(table.owner_rows[states == YES])
                    out |= {devices[table.names[row]].chassis for row in rows.tolist()}
        return frozenset(out)

    def _more(self, done: int, step: int, reached: frozenset[str]) -> tuple[int, int] | None:
        """What one step more costs: (devices out of reach, pairs cut)."""
        state = self.state(done | 1 << step)
        if state is None:
            return None
        late = self.steps[step].device not in reached
        return late + len(self._out_of_reach(done | 1 << step)), state.cuts + state.unsure

    def _out_of_reach(self, done: int) -> list[str]:
        """Devices still to be changed that were reached at the start and are not now."""
        state, first = self.state(done), self.state(0)
        assert state is not None and first is not None
        left = {s.device for n, s in enumerate(self.steps) if not done >> n & 1}
        return sorted(left & first.reached - state.reached)

    # -- the search -----------------------------------------------------------------------

    def run(self) -> Order:
        """Least cost first; of equal ones those with most steps done, then those that stay on a
        device, then as they were written."""
        came: dict[int, tuple[int, int]] = {}
        settled: set[int] = set()
        # (cost, steps left, another device, order of entry, state, from, step, cost is known)
        waiting: list[tuple[Cost, int, bool, int, int, int, int, bool]] = []
        entered, best = 0, 0
        found = self.end == 0

        def enter(cost: Cost, done: int, step: int, known: bool) -> None:
            nonlocal entered
            entered += 1
            into = done | 1 << step
            left = len(self.steps) - into.bit_count()
            last = came[done][1] if done else step
            other = self.steps[last].device != self.steps[step].device
            heapq.heappush(waiting, (cost, left, other, entered, into, done, step, known))

        def expand(cost: Cost, done: int) -> None:
            for step in range(len(self.steps)):
                if not done >> step & 1 and done | 1 << step not in settled:
                    enter(cost, done, step, False)

        settled.add(0)
        expand((0, 0, 0), 0)
        while waiting and not found:
            cost, _, _, _, into, done, step, known = heapq.heappop(waiting)
            if into in settled:
                continue
            if not known:
                fresh = into not in self.states
                if fresh and not self._go_on(best.bit_count()):
                    break
                before = self.state(done)
                assert before is not None
                more = self._more(done, step, before.reached)
                if more is None:
                    continue
                worse = _plus(cost, more)
                if worse > cost:
                    enter(worse, done, step, True)
                    continue
            settled.add(into)
            came[into] = done, step
            if into.bit_count() > best.bit_count():
                best = into
            found = into == self.end
            if not found:
                expand(cost, into)
        return self._answer(came, best, found)

    def _go_on(self, done: int) -> bool:
        what = f"{done} of {len(self.steps)} steps in order"
        if len(self.states) >= self.limit or not self.watch(len(self.states), self.limit, what):
            self.stopped = True
        return not self.stopped

    def _answer(self, came: dict[int, tuple[int, int]], best: int, found: bool) -> Order:
        taken: list[int] = []
        at = best
        while at:
            at, step = came[at]
            taken.append(step)
        taken.reverse()
        taken += self._rest(best)
        steps, done = [], 0
        first = self.state(0)
        assert first is not None
        reached = first.reached
        for step in taken:
            late = [self.steps[step].device] if self.steps[step].device not in reached else []
            done |= 1 << step
            state = self.state(done)
            assert state is not None
            reached = state.reached
            held = self.steps[step]
            steps.append(
                Step(held.device, held.edits, state.cuts, state.unsure, state.examples,
                     [*late, *self._out_of_reach(done)])
            )  # fmt: skip
        safe = _cost(steps) == (0, 0, 0)
        return Order(safe, found, steps, len(self.states), self._says(steps, safe, found))

    def _rest(self, done: int) -> list[int]:
        """The steps that the search did not come to: each time the one that cuts least; as they
        were written when the time is over."""
        out: list[int] = []
        while done != self.end:
            before = self.state(done)
            assert before is not None
            left = [n for n in range(len(self.steps)) if not done >> n & 1]
            costs = []
            for step in left:
                more = self._more(done, step, before.reached)
                if more is not None:
                    costs.append((more, step))
                    if self.stopped:
                        break
            if not costs:
                raise EditError(
                    f"The change can only be made as a whole: after {done.bit_count()} of its "
                    "steps none of the others can be made."
                )
            _, step = min(costs)
            out.append(step)
            done |= 1 << step
        return out

    def _says(self, steps: list[Step], safe: bool, exact: bool) -> str:
        if safe:
            return "In this order nothing is cut that works before and after."
        cutting = sum(bool(step.cuts or step.unsure) for step in steps)
        unreached = sorted({name for step in steps for name in step.unreached})
        parts = []
        if cutting:
            parts.append(f"something is cut, or not known, after {cutting} of the steps")
        if unreached:
            parts.append(f"{', '.join(unreached)} cannot be reached from {self.host} meanwhile")
        told = " and ".join(parts)
        if exact:
            return (
                f"No order is safe, {len(self.states)} states of the network were tried. In this "
                f"one, which cuts least, {told}."
            )
        return (
            f"No safe order was found in the time there was ({len(self.states)} states tried); "
            f"there may be one. In the best one so far {told}."
        )


class _Kept:
    """The pairs that work before and after a change, and how well at least."""

    def __init__(self, before: Reach, after: Reach) -> None:
        self.before = before
        self.rows: list[tuple[FamilyReach, str, Address, NDArray[np.int64], NDArray[np.int8]]] = []
        for family in FAMILIES:
            self._family(before.families[family], after.families[family], before, after)

    def _family(self, old: FamilyReach, new: FamilyReach, before: Reach, after: Reach) -> None:
        if not old.addresses or not new.addresses:
            return
        position = _positions(old, new)
        there = np.flatnonzero(position >= 0)
        owners = np.array(old.names)[old.owner_rows[there]]
        there = there[owners == np.array(new.names)[new.owner_rows[position[there]]]]
        for name in old.names:
            if name not in new.row or before.forwarding.devices[name].role == "unread":
                continue
            now = dict(after.states_of(new, name))
            theirs = ~before.own_columns(old, name)
            for source, states in before.states_of(old, name):
                if source in now:
                    level = np.minimum(
                        _LEVEL[states[there]], _LEVEL[now[source][position[there]]]
                    )  # fmt: skip
                    level[~theirs[there]] = 0
                    held = level > 0
                    if held.any():
                        self.rows.append((old, name, source, there[held], level[held]))

    def lost(self, reach: Reach) -> tuple[Effect, int]:
        """What works less in another state (as `breaks`), and of how many pairs it is not known."""
        out = Effect(self.before.forwarding, reach.forwarding)
        unsure = 0
        positions: dict[int, NDArray[np.int64]] = {}
        for old, name, source, columns, level in self.rows:
            new = reach.families[old.family]
            if old.family not in positions:
                positions[old.family] = _positions(old, new)
            at = positions[old.family][columns]
            held = dict(reach.states_of(new, name)).get(source) if name in new.row else None
            if held is None:
                out.add("breaks", old, name, source, columns)
                continue
            states = np.where(at >= 0, held[at], 0)
            doubtful = states == UNSURE
            unsure += int(doubtful.sum())
            out.add("breaks", old, name, source, columns[(_LEVEL[states] < level) & ~doubtful])
        return out, unsure


def _positions(old: FamilyReach, new: FamilyReach) -> NDArray[np.int64]:
    """Where each address of one table stands in another; -1 if it does not."""
    return np.array([new.column.get(a, -1) for a in old.addresses], dtype=np.int64)
