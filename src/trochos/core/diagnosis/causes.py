"""The causes of one complaint, proven by computing the network with each remedy.

Suspects come from findings and from where the legs die. Each remedy is applied to a copy,
the network computed again, and the complaint asked again. If no remedy alone heals it, the
search goes on from those that moved it: faults that hide behind one another show up one by
one. What remains is reduced to the smallest set in which every member is needed.
"""

from __future__ import annotations

import itertools
from dataclasses import replace

from ..change.apply import apply
from ..change.rehearse import compare_pairs
from ..forwarding.endpoints import EndpointError
from ..forwarding.path import Path, Traffic, find_path
from ..network.edits import DataEdit, Edit, EditError, Remedy, TextEdit
from ..network.facts import End
from ..network.guard import guarded
from ..network.quiet import without_collecting
from ..step.filters import Flow
from ..step.legs import Leg
from .answer import Alternative, Cause, Diagnosis, Option, Trial
from .finding import BREAKS, EITHER, OUTER, TO_PEER, Finding
from .findings import Context, find_all
from .older import NEW, RESTORES, Older
from .ranking import TRAITS, belief, ranked
from .remedies.bench import Bench
from .remedies.of_findings import remedies_of
from .suspects import LIKELY, PLAUSIBLE, POSSIBLE, SURE, WORKAROUND, Suspect, look, look_towards
from .suspects.statics import leads_away
from .touching import findings_on_path
from .trials import Progress, Trials, bench_of
from .wording import as_it_stands, narrowed, quoting, service, together

FULL = 14
"""How many remedies that work are compared on all pairs."""
ALTERNATIVES = 2
"""How many other remedies of the first cause are computed for whoever is to choose."""
COUPLED = 9
"""Among how many remedies two are looked for that do what more would do."""
STAGES = (-1, LIKELY, POSSIBLE, 99)
"""Remedies that are believed up to here are tried alone, then their findings' all together."""
LARGE, FULL_LARGE = 100, 2
"""From so many devices on, only so many remedies that work are looked for and compared."""


class Search:
    """One diagnosis."""

    def __init__(
        self,
        base: Bench,
        findings: list[Finding],
        sender: str,
        receiver: str,
        traffic: Traffic | None,
        progress: Progress | None,
        before: Older | None = None,
    ) -> None:
        self.before = before
        self.base, self.findings = base, findings
        self.sender, self.receiver, self.traffic = sender, receiver, traffic
        self.broke = False
        self.first = self._complaint()
        """The complaint as it is."""
        self.trials = Trials(base, self.first, sender, self.receiver, traffic, progress)
        self._mended: list[tuple[Trial, list[Option]]] = []
        """States with all contradictions of the one before mended, the last first."""

    def _complaint(self) -> Path:
        """The path asked for. Where a device answers at its own address: the path to an outside
        one that stands for it, if that fails. Whoever complains of the device may have asked
        for that."""
        forwarding = self.base.forwarding
        path = find_path(forwarding, self.sender, self.receiver, self.traffic)
        if path.works != "yes" or path.receiver != self.receiver:
            return path  # it fails, or an address was said
        for address, owners in forwarding.near.led.items():
            if any(owner.end.device == path.receiver for owner in owners):
                other = find_path(forwarding, self.sender, str(address), self.traffic)
                if other.works in ("no", "partly"):
                    self.receiver = str(address)
                    return other
        return path

    def run(self) -> Diagnosis:
        path = self.first
        out = Diagnosis(path)
        if path.works == "yes":
            out.says = path.sentence()
            return out
        if self._deaf(path):
            out.says = service(self.base, path)
            return out
        start = Trial(self.base, (), path)
        if path.works == "unknown":
            # What hangs on something that is not known is not proven by what else would help.
            sure = self._options(start, self.findings, looking=False)
            sure = [o for o in sure if o.weight == SURE and o.finding.severity == BREAKS]
            for option in sure[:FULL_LARGE]:
                self.trials.attempt(option.edits, option.remedy.title)
            out.causes = self._unproven(sure)
            out.says = path.sentence()
            out.tried, out.complete = self.trials.tried, not (self.trials.stopped or self.broke)
            return out
        options: list[Option] = []
        alone: list[Option] = []
        found: list[Option] = []
        if self.large:
            # Contradictions on the way are tried before anything is looked for.
            sure = self._options(start, self.findings, looking=False)
            alone = self._alone([option for option in sure if option.weight == SURE])
        if not alone:
            options = self._options(start, self.findings)
            # Faults that hide each other come before ways around them: a detour heals much.
            for above, most in itertools.pairwise(STAGES):
                here = [option for option in options if above < option.weight <= most]
                alone = self._alone(here)
                if not alone and most < STAGES[-1]:
                    found = self._contradictions(start, options, most)
                    if found:
                        # One that is believed less may do what these do together.
                        near = {edit.device for option in found for edit in option.edits}
                        less = [o for o in options if most < o.weight <= POSSIBLE]
                        alone = self._alone(
                            [o for o in less if near & {edit.device for edit in o.edits}]
                        )
                    if len(found) == 1:
                        alone, found = found, []
                if alone or found or self.trials.stopped:
                    break
        if alone:
            out.causes = ranked(alone, self.trials, FULL_LARGE if self.large else FULL)
            for number, cause in enumerate(out.causes):
                self._alternatives(cause, (), number == 0)
            out.cure = [out.causes[0].option.finding.id]
            out.says = out.causes[0].option.finding.summary
        else:
            found = found or self._together(start, options)
            if len(found) > 2:
                found = self._fewer(found, options)
            if found:
                out.causes, out.cure = self._set(found)
                out.says = together(found)
            else:
                out.causes = self._unproven(options)
                out.says = narrowed(path)
        for cause in out.causes:
            cause.option.finding = quoting(self.base, cause.option)
            cause.before = self.before.says(cause.option.standing) if self.before else None
        out.tried, out.complete = self.trials.tried, not (self.trials.stopped or self.broke)
        return out

    def _deaf(self, path: Path) -> bool:
        """True if the request arrives where nobody listens: no change of the network helps."""
        last = path.outbound.decisive.last
        if any(self.base.devices[h.device].translations for h in path.outbound.decisive.hops):
            return False  # it may be led to the wrong place, or not be led on
        arrived = last.route is not None and last.route.protocol == "local"
        filtered = bool(last.filters) and last.filters[-1].verdict != "accept"
        back = path.back is None or path.back.state == "yes"
        return path.outbound.verdict == "refused" and arrived and not filtered and back

    # -- options -----------------------------------------------------------------

    @property
    def flow(self) -> Flow:
        traffic = self.traffic or Traffic()
        return Flow(traffic.protocol, traffic.port)

    @property
    def large(self) -> bool:
        return len(self.base.network.devices) >= LARGE

    def _options(self, at: Trial, findings: list[Finding], looking: bool = True) -> list[Option]:
        """Every remedy worth a try in a state, most believed first."""
        bench, path = at.bench, at.path
        near = {f.id for f in findings_on_path(findings, path, bench.tables, bench.forwarding)}
        suspects: list[Suspect] = []
        for finding in findings:
            remedies = finding.remedies or tuple(remedies_of(bench, finding))
            trait = TRAITS.get(finding.kind)
            if trait == TO_PEER:
                suspects += self._towards_peer(bench, finding)
            if trait == OUTER:
                suspects += self._outer(bench, finding)
            if not remedies:
                continue
            on = trait == EITHER and self._leads_on(bench, finding)
            weight = belief(finding, finding.id in near, on)
            suspects.append(Suspect(replace(finding, remedies=remedies), weight))
        if looking:
            suspects += guarded(
                "looking for suspects", lambda: look(bench, path, self.flow), self._not_looked
            )
        if bench is not self.base:
            suspects = [Suspect(as_it_stands(self.base, s.finding), s.weight) for s in suspects]
        out: list[Option] = []
        wrong = {finding.id for finding in findings if finding.severity == "breaks"}
        seen: set[tuple[Edit, ...]] = set()
        for suspect in sorted(suspects, key=lambda s: s.weight):
            for order, remedy in enumerate(self._with_before(suspect.finding.remedies)):
                if remedy.edits in seen:
                    continue
                seen.add(remedy.edits)
                known = suspect.finding.id in wrong
                standing = NEW if self.before is None else self.before.standing(remedy.edits)
                # What puts back what stood before is believed more, whatever it is.
                weight = min(suspect.weight, LIKELY) if standing == RESTORES else suspect.weight
                out.append(Option(suspect.finding, remedy, weight, order, known, standing))
        out.sort(key=lambda o: (o.weight + min(o.order, 2), o.standing, o.order))
        return out

    def _with_before(self, remedies: tuple[Remedy, ...]) -> list[Remedy]:
        """Remedies, and beside them the same places as they were in the older survey."""
        out: list[Remedy] = []
        for remedy in remedies:
            was = self.before.as_it_was(remedy) if self.before is not None else None
            out += [remedy] if was is None else [was, remedy]
        return out

    def _not_looked(self, error: str) -> list[Suspect]:
        """Nothing was found because looking broke: the answer says that it is not complete."""
        self.broke = True
        return []

    def _leads_on(self, bench: Bench, finding: Finding) -> bool:
        """True if the failing one of two equal ways leads nearer to an end of the complaint."""
        first = self.first
        assert isinstance(finding.subject, tuple)
        route, hop = finding.subject
        return any(
            end is not None
            and route.prefix.contains(end)
            and not leads_away(bench, finding.device, hop.interface, hop.address, end)
            for end in (first.target, first.source)
        )

    def _towards_peer(self, bench: Bench, finding: Finding) -> list[Suspect]:
        """A session that lacks its way: the way between the two is a complaint of its own."""
        out: list[Suspect] = []
        relation = finding.subject
        ends = getattr(relation, "ends", (None, None))
        for me in ends:
            if me is None or me.peer is None:
                continue
            try:
                path = find_path(bench.forwarding, me.name, str(me.peer))
            except EndpointError:
                continue  # the peer's address is nobody's
            legs: list[tuple[Leg | None, object]] = [
                (path.outbound, path.target),
                (path.back, path.source),
            ]
            for leg, target in legs:
                if leg is not None and target is not None and leg.state != "yes":
                    out += look_towards(bench, leg, target)  # type: ignore[arg-type]
        return [Suspect(s.finding, max(s.weight, 1)) for s in out]

    @staticmethod
    def _outer(bench: Bench, finding: Finding) -> list[Suspect]:
        """A tunnel that does not get through: its outer way is a complaint of its own."""
        out: list[Suspect] = []
        end = End(finding.device, finding.interface or "")
        tunnel = bench.forwarding.tunnel(end)
        leg = bench.forwarding.under.get(end)
        if tunnel is not None and isinstance(leg, Leg):
            out += look_towards(bench, leg, tunnel.remote)
        return [Suspect(s.finding, max(s.weight, LIKELY)) for s in out]

    # -- one remedy that heals -----------------------------------------------------

    def _alone(self, options: list[Option]) -> list[Option]:
        """The options that heal the complaint by themselves."""
        out: list[Option] = []
        best = WORKAROUND + 9
        for option in options:
            if len(out) >= FULL_LARGE and self.large:
                break
            # What is believed much less than one that works is not tried any more.
            if out and option.weight > max(best, LIKELY):
                continue
            trial = self.trials.attempt(option.edits, option.remedy.title)
            if self.trials.stopped:
                break
            if trial is not None and trial.works == "yes":
                out.append(option)
                best = min(best, option.weight)
        return out

    def _alternatives(self, cause: Cause, rest: tuple[Edit, ...], look: bool) -> None:
        """The other remedies of a cause; if somebody is to choose, with what they would do."""
        others = [r for r in cause.option.finding.remedies if r.edits != cause.option.edits]
        for number, remedy in enumerate(others):
            edits = (*rest, *remedy.edits)
            known = edits in self.trials
            if not known and (not look or self.large or number >= ALTERNATIVES):
                cause.alternatives.append(Alternative(remedy))
                continue
            trial = self.trials.attempt(edits, remedy.title)
            if trial is None:
                cause.alternatives.append(Alternative(remedy))
                continue
            without = self.trials.held(rest) if rest else None
            before = without.bench.reach if without is not None else self.base.reach
            effect = compare_pairs(before, trial.bench.reach)
            asks_pings = self.traffic is None or self.traffic.protocol == "icmp"
            if not effect.count("heals") and (trial.works != "yes" or asks_pings):
                continue  # what heals nothing is no other way to mend it
            cause.alternatives.append(Alternative(remedy, trial.works == "yes", effect))

    # -- several together --------------------------------------------------------------

    def _contradictions(self, start: Trial, options: list[Option], most: int) -> list[Option]:
        """The needed ones of all contradictions, if mending them all heals the complaint."""
        self._mended = [(start, list[Option]())]
        for _ in range(3):
            # What contradicts itself may hide other contradictions, and what is missing.
            state, before = self._mended[0]
            here = options if state is start else self._options(state, trial_findings(state))
            # A line that is useless now may be of use when another is right, so what only
            # takes lines away waits.
            for these in ([o for o in here if not only_removes(o.edits)], here):
                more = self._all_contradictions(state, these, most)
                if more is None:
                    continue
                chosen = [*before, *more[1]]
                if more[0].works == "yes":
                    return self._reduced(chosen)
                self._mended.insert(0, (more[0], chosen))
            if self._mended[0][0] is state:
                break
        return []

    def _together(self, start: Trial, options: list[Option]) -> list[Option]:
        """The smallest set of remedies found that heals the complaint."""
        frontier = self._mended
        for depth in range(3):
            moved: list[tuple[tuple[int, ...], Trial, list[Option]]] = []
            for trial, chosen in frontier:
                here = options
                if chosen:
                    here = self._options(trial, trial_findings(trial))
                state = self.trials.state(trial)
                for option in here:
                    edits = (*trial.edits, *option.edits)
                    nxt = self.trials.attempt(edits, option.remedy.title)
                    if self.trials.stopped:
                        return []
                    if nxt is None:
                        continue
                    if nxt.works == "yes":
                        return self._reduced([*chosen, option])
                    if self.trials.state(nxt) != state:
                        gain = self.trials.score(nxt) - self.trials.score(trial)
                        rank = (-gain, option.weight + min(option.order, 2), len(moved))
                        moved.append((rank, nxt, [*chosen, option]))
            moved.sort(key=lambda item: item[0])
            frontier = [(trial, chosen) for _, trial, chosen in moved[: 6 - depth]]
            if not frontier:
                return []
        return []

    def _all_contradictions(
        self, at: Trial, options: list[Option], most: int
    ) -> tuple[Trial, list[Option]] | None:
        """Every finding's best remedy at once: faults in a row show nothing one by one."""
        chosen: list[Option] = []
        seen: set[str] = set()
        edits = at.edits
        for option in options:
            name = option.finding.id
            if name in seen or not option.contradicts or option.weight > most:
                continue
            seen.add(name)
            try:
                apply(self.base.survey, (*edits, *option.edits))
            except EditError:
                continue  # it says the same as one before, or contradicts it
            chosen.append(option)
            edits = (*edits, *option.edits)
        trial = self.trials.attempt(edits, "all contradictions at once") if chosen else None
        return None if trial is None else (trial, chosen)

    def _reduced(self, chosen: list[Option]) -> list[Option]:
        """A set of which each member is needed, made of the most believed.

        Halves are left out together as long as that heals (the divide and conquer of
        Junker, QuickXplain, AAAI 2004): a few needed ones among many cost few trials.
        """
        ordered = sorted(chosen, key=lambda o: o.weight + o.order)
        # A remedy found on a changed copy may rest on the change: they keep their order.
        place = {id(option): number for number, option in enumerate(chosen)}

        def heals(options: list[Option]) -> bool:
            in_order = sorted(options, key=lambda o: place[id(o)])
            edits = tuple(edit for option in in_order for edit in option.edits)
            trial = self.trials.attempt(edits, "is each of them needed?")
            return trial is not None and trial.works == "yes"

        def needed(given: list[Option], fresh: bool, rest: list[Option]) -> list[Option]:
            if fresh and given and heals(given):
                return []
            if len(rest) == 1:
                return rest
            half = len(rest) // 2
            first, second = rest[:half], rest[half:]
            late = needed(given + first, True, second)
            early = needed(given + late, bool(late), first)
            return early + late

        # Of n of which k are needed that asks about 2k + 2k log2(n/k) times; k is seldom over 4.
        self.trials.allow(len(chosen) + 24)
        found = needed([], False, ordered)
        # A search that was stopped on the way has shown nothing of the rest.
        if self.trials.stopped or not found:
            return chosen
        return sorted(found, key=lambda o: place[id(o)])

    def _fewer(self, chosen: list[Option], options: list[Option]) -> list[Option]:
        """Two that do what more do, if there are such: each of a set may be needed in it, and
        the set still not be the smallest. The most believed are tried, within a bound."""
        believed = sorted(options, key=lambda o: o.weight + o.order)
        most = COUPLED // 3 if self.large else COUPLED
        near = [o for o in believed if o.weight <= POSSIBLE and o.order < 2][:most]
        for one, other in itertools.combinations(near, 2):
            if one.finding.id == other.finding.id or (one in chosen and other in chosen):
                continue  # two ways to mend one thing; or both are needed, and are not enough
            trial = self.trials.attempt((*one.edits, *other.edits), "do two do it?")
            if self.trials.stopped:
                break
            if trial is not None and trial.works == "yes":
                return [one, other]
        return chosen

    def _set(self, chosen: list[Option]) -> tuple[list[Cause], list[str]]:
        whole = tuple(edit for o in chosen for edit in o.edits)
        self.trials.allow(len(chosen) + 1)
        if self.trials.attempt(whole, "all of them together") is None:
            return [], []
        everything = self.trials.held(whole)
        assert everything is not None
        causes = []
        for option in chosen:
            rest = tuple(edit for o in chosen if o is not option for edit in o.edits)
            without = self.trials.attempt(rest, "all but one")
            effect = (
                compare_pairs(without.bench.reach, everything.bench.reach)
                if without is not None
                else self.trials.effect(whole)
            )
            # Proven is a member without which the rest does not heal; a search that was stopped
            # before that was tried has not shown it.
            needed = without is not None and without.works != "yes"
            refused = without is None and not self.trials.stopped
            certainty = "proven" if needed or refused else "likely"
            causes.append(Cause(option, certainty, True, effect))
            self._alternatives(causes[-1], rest, True)
        ranked = sorted(causes, key=lambda c: (c.option.weight, -c.effect.count("heals")))
        try:
            apply(self.base.survey, tuple(edit for c in ranked for edit in c.option.edits))
            causes = ranked
        except EditError:
            pass  # one of them changes what another one put in, so their order stays
        return causes, [cause.option.finding.id for cause in causes]

    # -- nothing heals ---------------------------------------------------------------------

    def _unproven(self, options: list[Option]) -> list[Cause]:
        out: list[Cause] = []
        seen: set[str] = set()
        for option in options:
            if option.finding.id in seen or len(out) >= 5 or option.weight > LIKELY:
                continue
            if len(out) > 1 and self.trials.stopped:
                break  # what each of them would do to all pairs costs as much as many trials
            trial = self.trials.held(option.edits)
            if trial is None:
                continue
            seen.add(option.finding.id)
            out.append(Cause(option, "likely", False, self.trials.effect(option.edits)))
        return out


def only_removes(edits: tuple[Edit, ...]) -> bool:
    """True if edits take away and put nothing in its place."""
    return all(
        (isinstance(edit, TextEdit) and not edit.add)
        or (isinstance(edit, DataEdit) and edit.new is None)
        for edit in edits
    )


def trial_findings(trial: Trial) -> list[Finding]:
    """The findings of a changed network that may have remedies."""
    return _findings(trial.bench)


def _findings(bench: Bench) -> list[Finding]:
    context = Context(bench.network, bench.tables, bench.forwarding, bench.reach, of_trial=True)
    return find_all(context)


def diagnose(
    base: Bench,
    findings: list[Finding],
    sender: str,
    receiver: str,
    traffic: Traffic | None = None,
    progress: Progress | None = None,
    before: Older | None = None,
) -> Diagnosis:
    """The causes of a complaint, ranked, with proven remedies.

    Args:
        before: an older survey of the network, which says who was there first.

    Raises:
        EndpointError: an end is not in the survey, or the ends share no family.
    """
    with without_collecting():
        out = Search(base, findings, sender, receiver, traffic, progress, before).run()
        _other_family(base, out, sender, receiver, traffic, progress)
        return out


def _other_family(
    base: Bench,
    out: Diagnosis,
    sender: str,
    receiver: str,
    traffic: Traffic | None,
    progress: Progress | None,
) -> None:
    """Adds what the other address family lacks where both fail: whoever complains of a name wants
    it to work, and one fault a family leaves it broken when the first is mended.

    What only might be is not added: that a family is not routed may be meant so.
    """
    also = out.path.also
    cured = [cause for cause in out.causes if cause.option.finding.id in out.cure]
    if also is None or also.works not in ("no", "partly") or not cured:
        return
    try:
        edits = tuple(edit for cause in cured for edit in cause.option.edits)
        copy = bench_of(apply(base.survey, edits).survey, base)
        if find_path(copy.forwarding, sender, receiver, traffic).works == "yes":
            return
        search = Search(
            copy,
            _findings(copy),
            *(sender, str(also.target), traffic, progress),
        )
    except (EditError, EndpointError):
        return
    more = search.run()
    found = [cause for cause in more.causes if cause.option.finding.id in more.cure]
    out.tried += more.tried
    out.complete = out.complete and more.complete
    name = "IPv6" if also.family == 6 else "IPv4"
    first = "IPv4" if also.family == 6 else "IPv6"
    if not found or not all(cause.option.weight <= PLAUSIBLE for cause in found):
        out.says += f" This heals {first}; over {name} it fails as well: {also.sentence()}"
        return
    rest = [cause for cause in out.causes if cause not in cured]
    out.causes = [*cured, *found, *rest]
    out.cure += [cause.option.finding.id for cause in found]
    out.says += f" And over {name}: {more.says}"


__all__ = ["Cause", "Diagnosis", "diagnose"]
