"""Where to begin: what fails now, each failing pair under the cause that a rehearsal proves.

Each finding that breaks something has its remedy rehearsed alone; the pairs that heal are its own.
What heals only with all of them needs those without which it fails again. Of what is left, pairs
are diagnosed one by one; every failing pair that a cure heals belongs to it. Where many faults
overlap, what is left is diagnosed on a copy on which the known ones are mended, and each further
cure is made there before the next pair is asked. The rest is grouped by where and how it ends.
What a filter refuses, what routing instances keep apart, what rewritten addresses hide, and what
failed in the survey before as well, is folded apart: it is on purpose, as far as anybody can tell.
"""

from __future__ import annotations

import contextlib
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, NamedTuple

from ..change.apply import apply
from ..change.rehearse import Effect, compare_pairs
from ..diagnosis.answer import Cause, Option
from ..diagnosis.causes import Diagnosis
from ..diagnosis.finding import BREAKS, Finding
from ..diagnosis.remedies.bench import Bench
from ..diagnosis.suspects import SURE
from ..diagnosis.trials import bench_of
from ..forwarding.endpoints import EndpointError
from ..network.addressing import Address
from ..network.documents import Document
from ..network.edits import Edit, EditError
from ..step.legs import Branch
from .hidden import hidden_from
from .questions import Answered, Question, Watch, asked, standing, unwatched

if TYPE_CHECKING:
    from ..survey import Computed

WORK, LEAST_COPIES = 1_000_000, 8
"""How many copies of the network single searches compute at most in all: WORK through the square
of its devices, as a copy of more devices costs more and stands for more pairs. The demo's 57
devices with their 25 faults take 300; 200 routers get 25, which takes 9 s."""
OVERLAPPING = 4
"""From so many faults on, pairs that none of them alone explains are asked on a copy without
them: a search for all that one pair needs grows with the faults around it."""
FINDINGS = 60
"""How many findings are rehearsed at most, the first ones."""
WALKED = 1000
"""How many pairs that no cause explains are walked one by one to say where they end."""
ALIKE = 8
"""For how many pairs it is looked which of findings that ask for the same line they need."""
BRIEF = 14
"""How much is tried for a pair at first. What needs more waits until the faults of the others are
taken away, which often mend it, too: of 28 searches in the demo 24 end within 14 trials, one finds
its cure after 33, and three found none in 40."""
REMEDIES = 3
"""How many remedies of each are compared."""


class _Budget:
    """What single searches may still compute, shared by all of them."""

    def __init__(self, survey: Computed, watch: Watch) -> None:
        self.left = max(LEAST_COPIES, WORK // max(1, len(survey.network.devices)) ** 2)
        self._watch = watch

    def within(self, done: int, of: int, brief: bool = False) -> Watch:
        """Watches one of the searches: what it tries is said, how far all are is counted."""

        def watch(tried: int, most: int, what: str) -> bool:
            if brief and tried > BRIEF:
                return False
            self.left -= 1
            return self.left > 0 and self._watch(done, of, what)

        return watch


@dataclass(slots=True)
class Group:
    """Failing pairs that one cause explains, or that end in one place in one way."""

    summary: str
    pairs: list[Question]
    causes: list[Cause] = field(default_factory=list)
    folded: bool = False
    """True if it is refused on purpose."""
    further: int = 0
    """How many of the pairs work only when other faults are mended, too."""
    unsure: int = 0
    """How many of the pairs then end at what could not be read, so that the rest is not known."""

    def as_json(self) -> dict[str, object]:
        first = self.causes[0] if self.causes else None
        example = self.pairs[0]
        return {
            "summary": self.summary,
            "finding": first.option.finding.id if first is not None else None,
            "cause": first.as_json(1, pairs=False) if first is not None else None,
            "causes": [c.as_json(n, pairs=False) for n, c in enumerate(self.causes, 1)],
            "pairs": len(self.pairs),
            "from": sorted({q.sender for q in self.pairs}),
            "to": sorted({q.owner for q in self.pairs}),
            "example": {"from": example.sender, "to": str(example.target)},
            "folded": self.folded,
            "further": self.further,
            "unsure": self.unsure,
        }


@dataclass(slots=True)
class Turned:
    """What is otherwise than in the survey before."""

    broken: int
    healed: int
    groups: list[Group]

    def as_json(self) -> dict[str, object]:
        return {
            "broken": self.broken,
            "healed": self.healed,
            "groups": [group.as_json() for group in self.groups],
        }


@dataclass(slots=True)
class Desk(Document):
    """The whole network in a few sentences, worst first."""

    pairs: int
    ok: int
    partly: int
    groups: list[Group]
    turned: Turned | None
    unread: list[str]
    doubtful: int
    complete: bool = True

    @property
    def fails(self) -> bool:
        """True if something fails that is not refused on purpose."""
        return any(not group.folded for group in self.groups)

    def as_nodes(self) -> dict[str, object]:
        """The `desk` document of the contract."""
        return {
            "pairs": {"n": self.pairs, "ok": self.ok, "partly": self.partly},
            "groups": [group.as_json() for group in self.groups],
            "turned": self.turned.as_json() if self.turned is not None else None,
            "unread": self.unread,
            "doubtful": self.doubtful,
            "complete": self.complete,
        }


def desk(survey: Computed, before: Computed | None = None, watch: Watch = unwatched) -> Desk:
    """What fails now, grouped by cause; with an older survey also what turned since."""
    now = standing(survey.reach)
    failing = now.failing
    then = asked(before.reach, failing) if before is not None else {}
    same = {q for q in failing if q in then and then[q].ok is False and failing[q].ok is False}
    # What worked before is not refused, or kept apart, on purpose.
    worked = {q for q in failing if q in then and then[q].ok is True}
    purpose = {q for q, a in failing.items() if a.refused} - same - worked
    near = survey.forwarding.near
    kept = {
        q
        for q in failing
        if near.has_instances
        and not near.meet(q.sender, q.owner)
        and q not in same | purpose | worked
    }
    left = failing.keys() - same - purpose - kept - worked
    hidden = {q for q in left if hidden_from(survey.forwarding, q, failing[q].source)}
    own = _between_routers(survey, left - hidden)
    apart = same | purpose | kept | hidden | own
    groups, complete = _grouped(survey, {q: a for q, a in failing.items() if q not in apart}, watch)
    # What a cause explains comes before what is only known by where it ends.
    groups.sort(key=lambda group: (not group.causes, -len(group.pairs), group.summary))
    for pairs, what in (
        (purpose, "refused by filters"),
        (kept, "kept apart in routing instances"),
        (hidden, "hidden behind who rewrites their addresses"),
        (own, "the routers' own addresses on links between them"),
        (same, "as in the survey before"),
    ):
        if pairs:
            names = _few(sorted({q.owner for q in pairs}))
            summary = f"{_count(len(pairs))} to {names} fail, {what}."
            groups.append(Group(summary, sorted(pairs), folded=True))
    return Desk(
        now.questions,
        now.ok,
        now.partly,
        groups,
        _turned(worked, _mended_since(survey, before), groups) if before is not None else None,
        sorted(d.name for d in survey.network.devices if d.role == "unread"),
        now.unknown,
        complete,
    )


def _between_routers(survey: Computed, questions: set[Question]) -> set[Question]:
    """Those about an address that a router has only to talk to other routers.

    Routers stand for the hosts behind them where a survey has none, and no host lives there.
    """
    devices = {device.name: device for device in survey.network.devices}
    ends = {
        end
        for segment in survey.network.segments
        if len({e.device for e in segment.ends}) + len(segment.unread) > 1
        for end in segment.ends
        if all(devices[e.device].role == "router" for e in segment.ends if e.device in devices)
    }
    owners = survey.forwarding.near.owners
    return {q for q in questions if all(owner.end in ends for owner in owners[q.target])}


def _grouped(
    survey: Computed, failing: dict[Question, Answered], watch: Watch
) -> tuple[list[Group], bool]:
    """Groups by proven cause, the rest by where it ends; False if the search was stopped."""
    if not failing:
        return [], True
    out, left, usable, complete = _by_findings(survey, failing, watch)
    rest: dict[str, list[Question]] = {}
    budget = _Budget(survey, watch)
    if left and complete and len(usable) >= OVERLAPPING:
        complete = _peeled(survey, usable, left, out, rest, watch, budget)
    # Where taking apart was stopped, single searches among all the faults would not end either.
    while left and complete:
        question, done = _next(left), len(failing) - len(left)
        if budget.left <= 0 or not watch(done, len(failing), question.sender):
            complete = False
            break
        found = _diagnosis(survey, question, budget.within(done, len(failing)))
        causes = [c for c in found.causes if c.option.finding.id in found.cure] if found else []
        healed = _healed(causes, left) | ({question} if causes and causes[0].works else set())
        if not healed:
            # Others that end there in the same way are not asked one by one.
            where = _end(survey, question)
            alike = sorted(_alike(survey, question, left) | {question})
            rest.setdefault(where, []).extend(alike)
            for item in alike:
                left.pop(item)
            continue
        _enter(out, causes, healed)
        for item in healed:
            left.pop(item)
    # Of very many only one of those alike is walked to its end.
    ends: dict[object, str] = {}
    for question, answer in left.items():
        key = (question.owner, answer.outbound, answer.back) if len(left) > WALKED else question
        if key not in ends:
            ends[key] = _end(survey, question)
        rest.setdefault(ends[key], []).append(question)
    for questions in rest.values():
        reasons = {_reason(survey, q) for q in questions[:2]}
        says = _reason(survey, min(questions))
        if len(reasons) > 1:
            says = f"for one, {min(questions).sender} to {min(questions).owner}: {says}"
        out.append(Group(f"{_who(set(questions))}: {says}", sorted(questions)))
    return out, complete


def _next(open_: dict[Question, Answered]) -> Question:
    """The pair to ask about next: one of those to whom most fail, so that what is found first
    explains most. Pairs that fail wholly tell more than those that fail for some flows."""
    most = Counter(q.owner for q in open_)
    return min(open_, key=lambda q: (open_[q].ok == "partly", -most[q.owner], q))


def _peeled(
    survey: Computed,
    usable: list[Finding],
    left: dict[Question, Answered],
    groups: list[Group],
    rest: dict[str, list[Question]],
    watch: Watch,
    budget: _Budget,
) -> bool:
    """Takes what is left apart on a copy without the known faults; False if it was stopped."""
    texts = survey.survey
    for finding in usable:
        with contextlib.suppress(EditError):
            texts = apply(texts, finding.remedies[0].edits).survey
    copy = type(survey)(texts, survey)
    now = asked(copy.reach, left)
    open_ = {q: now[q] for q in left if q in now and now[q].ok is not True}
    known = len(left)
    later_on: set[Question] = set()
    while open_:
        ready = {q: a for q, a in open_.items() if q not in later_on}
        question = _next(ready or open_)
        if budget.left <= 0 or not watch(known - len(open_), known, question.sender):
            return False
        watched = budget.within(known - len(open_), known, brief=bool(ready))
        found = _diagnosis(copy, question, watched)
        causes = [c for c in found.causes if c.option.finding.id in found.cure] if found else []
        if ready and not causes and found and not found.complete:
            later_on |= {question} | _alike(copy, question, open_)
            continue
        edits = tuple(edit for cause in causes for edit in cause.option.edits)
        later = _with(copy, edits) if edits else None
        then = asked(later.reach, open_) if later is not None else {}
        mended = _mended(then, open_)
        # Only what fails for certain now is explained by what leads it to something unread.
        unsure = {q for q in mended.unsure if open_[q].ok is False} if mended.whole else set()
        healed = mended.whole | unsure
        if later is None or not healed:
            for item in _alike(copy, question, open_) | {question}:
                rest.setdefault(_end(survey, item), []).append(item)
                open_.pop(item)
                left.pop(item)
            continue
        alone = _with(survey, edits)
        first = asked(alone.reach, mended.whole) if alone is not None else {}
        further = sum(not (q in first and first[q].ok is True) for q in mended.whole)
        _enter(groups, causes, healed, further, len(unsure))
        for item in healed:
            open_.pop(item)
            left.pop(item)
        copy = later
        copy.let_go()  # else each copy would keep all before it
    return True


def _alike(survey: Computed, question: Question, open_: dict[Question, Answered]) -> set[Question]:
    """Those that go to the same device and end where this one ends, in the same way."""
    where = _end(survey, question)
    alike = {q for q in open_ if q.owner == question.owner and open_[q] == open_[question]}
    return {q for q in alike if _end(survey, q) == where}


def _with(survey: Computed, edits: tuple[Edit, ...]) -> Computed | None:
    """The survey with edits made; None if they cannot be."""
    try:
        return type(survey)(apply(survey.survey, edits).survey, survey)
    except EditError:
        return None


def _enter(
    groups: list[Group],
    causes: list[Cause],
    healed: set[Question],
    further: int | None = None,
    unsure: int = 0,
) -> None:
    """Puts pairs under a cure: in the group of one of its causes, or in one of their own.

    Args:
        further: how many of them need other faults mended, too; if it is not known, all of a cure
            of several.
        unsure: how many of them then end at what could not be read.
    """
    ids = {cause.option.finding.id for cause in causes}
    for group in groups:
        if group.causes and group.causes[0].option.finding.id in ids:
            group.pairs = sorted({*group.pairs, *healed})
            many = len(healed) if len(ids) > 1 else 0
            group.further += many if further is None else further
            group.unsure += unsure
            says = group.causes[0].option.finding.summary
            group.summary = f"{_who(set(group.pairs))}: {says}"
            return
    says = " And ".join(cause.option.finding.summary for cause in causes)
    group = Group(f"{_who(healed)}: {says}", sorted(healed), causes)
    group.further, group.unsure = further or 0, unsure
    groups.append(group)


def _by_findings(
    survey: Computed, failing: dict[Question, Answered], watch: Watch
) -> tuple[list[Group], dict[Question, Answered], list[Finding], bool]:
    """The groups of findings that break something, what none of them explains, and the findings
    whose remedies can be made."""
    left = dict(failing)
    believed = [f for f in survey.findings if f.severity == BREAKS and f.remedies]
    believed = believed[:FINDINGS]
    alone: dict[str, set[Question]] = {}
    effects: dict[str, Effect] = {}
    usable: list[Finding] = []
    for number, finding in enumerate(believed):
        if not watch(number, 2 * len(believed), finding.device):
            return [], left, [], False
        found = _best(survey, finding, failing)
        if found is not None:
            best, healed, effect = found
            alone[best.id], effects[best.id] = healed, effect
            usable.append(best)
    usable = _made_together(survey, usable)
    groups: dict[str, set[Question]] = {}
    for finding in sorted(usable, key=lambda f: (-len(alone[f.id]), f.id)):
        mine = {q for q in alone[finding.id] if q in left}
        if mine:
            groups[finding.id] = mine
            for question in mine:
                left.pop(question)
    # Copies with all remedies but one differ least from that with all.
    whole = _made(survey, usable) if left and usable else None
    together = _mended(asked(whole.reach, left), left) if whole is not None else None
    needs: dict[Question, list[str]] = {q: [] for q in together.all} if together else {}
    for number, finding in enumerate(usable if needs else ()):
        if not watch(len(believed) + number, 2 * len(believed), finding.device):
            break
        others = [other for other in usable if other is not finding]
        without = _mends(survey, others, needs, whole)
        if without is None or together is None:
            continue
        for question in needs:
            # To know no more of a pair that would work is a loss, too.
            enough = without.whole if question in together.whole else without.all
            if question not in enough:
                needs[question].append(finding.id)
    if together is not None and any(not needed for needed in needs.values()):
        _one_of_two(survey, usable, needs, together, whole, watch)
    # A pair that needs several stands under the one of them that most pairs need.
    weight = Counter(name for needed in needs.values() for name in needed)
    weight.update({name: len(questions) for name, questions in groups.items()})
    further: Counter[str] = Counter()
    unsure: Counter[str] = Counter()
    for question, needed in needs.items():
        if needed:
            first = max(needed, key=lambda name: (weight[name], name))
            groups.setdefault(first, set()).add(question)
            further[first] += len(needed) > 1
            unsure[first] += together is not None and question in together.unsure
            left.pop(question)
    known = {finding.id: finding for finding in usable}
    out = []
    for name, questions in groups.items():
        finding = known[name]
        option = Option(finding, finding.remedies[0], SURE, contradicts=True)
        cause = Cause(option, "proven", further[name] < len(questions), effects[name])
        summary = f"{_who(questions)}: {finding.summary}"
        group = Group(summary, sorted(questions), [cause])
        group.further, group.unsure = further[name], unsure[name]
        out.append(group)
    return out, left, usable, True


def _one_of_two(
    survey: Computed,
    usable: list[Finding],
    needs: dict[Question, list[str]],
    together: _Mended,
    near: Bench | None,
    watch: Watch,
) -> None:
    """Completes what pairs need that seem to need nothing: where two findings ask for the same
    line, either can be left out, and not both."""

    def enough(findings: list[Finding], questions: Iterable[Question]) -> set[Question]:
        found = _mends(survey, findings, questions, near) or _Mended(set(), set())
        return {q for q in questions if q in (found.whole if q in together.whole else found.all)}

    open_ = sorted(question for question, needed in needs.items() if not needed)
    for number in range(ALIKE):
        if not open_ or not watch(number, ALIKE, open_[0].sender):
            return
        kept = list(usable)
        for finding in usable[::-1]:
            fewer = [other for other in kept if other is not finding]
            if enough(fewer, open_[:1]):
                kept = fewer
        for question in enough(kept, open_) | {open_[0]}:
            needs[question] = [finding.id for finding in kept]
        open_ = [question for question in open_ if not needs[question]]


def _best(
    survey: Computed,
    finding: Finding,
    failing: dict[Question, Answered],
) -> tuple[Finding, set[Question], Effect] | None:
    """The finding with the remedy first that heals most, what that heals, and its whole effect:
    which of two ends is the odd one shows in the whole network, also where other faults still stop
    every host. None if no remedy can be made, or all of them heal nothing."""
    found: list[tuple[tuple[int, int], int, set[Question], Effect]] = []
    remedies = finding.remedies[:REMEDIES]
    for number, remedy in enumerate(remedies):
        try:
            reach = _copy(survey, [replace(finding, remedies=(remedy,))]).reach
        except EditError:
            continue
        healed = _mended(asked(reach, failing), failing).whole
        effect = compare_pairs(survey.bench.reach, reach)
        heals = effect.count("heals")
        if not heals and (len(remedies) > 1 or not healed):
            continue  # what follows from another fault goes when that one is mended
        more = heals - effect.count("breaks")
        found.append(((len(healed), more), -number, healed, effect))
    if not found:
        return None
    _, at, healed, effect = max(found, key=lambda item: item[:2])
    first = finding.remedies[-at]
    rest = tuple(remedy for remedy in finding.remedies if remedy is not first)
    return replace(finding, remedies=(first, *rest)), healed, effect


def _made_together(survey: Computed, findings: list[Finding]) -> list[Finding]:
    """The findings whose remedies can all be made on one copy: of two that change the same line
    otherwise, the first."""
    out: list[Finding] = []
    for finding in findings:
        try:
            apply(survey.survey, _edits([*out, finding]))
        except EditError:
            continue
        out.append(finding)
    return out


def _edits(findings: list[Finding]) -> tuple[Edit, ...]:
    """All edits of the first remedies, what several have in common once."""
    return tuple(dict.fromkeys(e for finding in findings for e in finding.remedies[0].edits))


def _copy(survey: Computed, findings: list[Finding], near: Bench | None = None) -> Bench:
    """The network with the first remedies of findings; EditError if these cannot be made together.

    Args:
        near: a network that differs little from it, if one is known: what both share is taken over.
    """
    edits = _edits(findings)
    return bench_of(apply(survey.survey, edits).survey, near or survey.bench)


def _made(survey: Computed, findings: list[Finding]) -> Bench | None:
    """The same; None if they cannot be made together."""
    try:
        return _copy(survey, findings)
    except EditError:
        return None


class _Mended(NamedTuple):
    """Failing pairs after some remedies: those that work, and those of which it is not known,
    because they get as far as what could not be read."""

    whole: set[Question]
    unsure: set[Question]

    @property
    def all(self) -> set[Question]:
        return self.whole | self.unsure


def _mended(later: dict[Question, Answered], failing: Iterable[Question]) -> _Mended:
    known = {q: later[q].ok for q in failing if q in later}
    return _Mended(
        {q for q, ok in known.items() if ok is True}, {q for q, ok in known.items() if ok is None}
    )


def _mends(
    survey: Computed,
    findings: list[Finding],
    failing: Iterable[Question],
    near: Bench | None = None,
) -> _Mended | None:
    """What becomes of failing pairs with the first remedies of findings; None if these cannot be
    made together."""
    try:
        return _mended(asked(_copy(survey, findings, near).reach, failing), failing)
    except EditError:
        return None


def _diagnosis(survey: Computed, question: Question, watch: Watch) -> Diagnosis | None:
    try:
        return survey.diagnose(question.sender, str(question.target), None, watch)
    except EndpointError:
        return None


def _healed(causes: list[Cause], left: dict[Question, Answered]) -> set[Question]:
    """The failing pairs that the cure heals: from the source that each would choose."""
    healed: dict[tuple[str, Address], set[Address]] = {}
    for cause in causes:
        for pair in cause.effect.heals:
            healed.setdefault((pair.sender, pair.target), set()).add(pair.source)
    out = set()
    for question, answer in left.items():
        sources = healed.get((question.sender, question.target))
        if sources and (answer.source is None or answer.source in sources):
            out.add(question)
    return out


def _end(survey: Computed, question: Question) -> str:
    """Where and how a pair ends, as a key."""
    branch = _decisive(survey, question)
    return f"{branch.last.device} {branch.verdict}"


def _reason(survey: Computed, question: Question) -> str:
    """The same as a sentence."""
    return _decisive(survey, question).reason


def _decisive(survey: Computed, question: Question) -> Branch:
    path = survey.path(question.sender, str(question.target))
    leg = path.outbound if path.outbound.state != "yes" or path.back is None else path.back
    return leg.decisive


def _mended_since(survey: Computed, before: Computed) -> int:
    """How many questions failed in the older survey and work now."""
    then = standing(before.reach).failing
    return sum(answer.ok is True for answer in asked(survey.reach, then).values())


def _turned(broken: set[Question], healed: int, groups: list[Group]) -> Turned:
    parts = []
    for group in groups:
        pairs = [q for q in group.pairs if q in broken]
        if pairs:
            parts.append(Group(group.summary, pairs, group.causes, group.folded))
    return Turned(len(broken), healed, parts)


def _who(pairs: set[Question]) -> str:
    """Whose conversations these are, in a few words."""
    senders, owners = {q.sender for q in pairs}, {q.owner for q in pairs}
    fail = "fails" if len(pairs) == 1 else "fail"
    if senders == owners:
        return f"{_count(len(pairs))} {fail} between {_few(sorted(senders))}"
    return f"{_count(len(pairs))} {fail} from {_few(sorted(senders))} to {_few(sorted(owners))}"


def _count(number: int) -> str:
    return f"{number} pair" if number == 1 else f"{number} pairs"


def _few(names: list[str]) -> str:
    if len(names) <= 3:
        return " and ".join(names) if len(names) < 3 else f"{names[0]}, {names[1]} and {names[2]}"
    return f"{names[0]}, {names[1]} and {len(names) - 2} more"
