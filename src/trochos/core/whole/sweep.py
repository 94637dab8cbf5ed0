"""Every single failure: what it cuts, what only moves, and what belongs to the failed thing."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from ..change.rehearse import PairRef
from ..diagnosis.audit import Expectation, Result, check, ends_of
from ..network.documents import Document
from ..network.edits import Down
from ..network.facts import End, Network
from .questions import Watch, unwatched

if TYPE_CHECKING:
    from ..survey import Computed

EXAMPLES = 5


@dataclass(slots=True)
class Failure:
    """One thing down, and what that does: the pairs are those that a rehearsal lists."""

    down: Down
    cuts: int
    moves: int
    gone: int
    examples: list[PairRef] = field(default_factory=list)
    expectations: list[str] = field(default_factory=list)
    """The names of those that hold now and would not."""

    def as_json(self) -> dict[str, object]:
        what = self.down.as_json()["down"]
        if isinstance(what, dict) and what.get("interface", "") is None:
            what = {"device": what["device"]}
        return {
            "down": what,
            "cuts": self.cuts,
            "moves": self.moves,
            "gone": self.gone,
            "examples": [pair.as_json() for pair in self.examples],
            "expectations": self.expectations,
        }


@dataclass(slots=True)
class Sweep(Document):
    """All failures that were tried, in the network's order."""

    pairs: int
    ok: int
    failures: list[Failure]
    of: int
    """How many there are to try."""

    @property
    def threads(self) -> list[Failure]:
        """What something hangs on, most first."""
        cutting = [f for f in self.failures if f.cuts or f.expectations]
        return sorted(cutting, key=lambda f: (-f.cuts, -len(f.expectations), str(f.down)))

    def as_nodes(self) -> dict[str, object]:
        """The `sweep` document of the contract."""
        return {
            "baseline": {"pairs": self.pairs, "ok": self.ok},
            "failures": [failure.as_json() for failure in self.failures],
            "tried": len(self.failures),
            "of": self.of,
            "threads": [failure.as_json() for failure in self.threads],
        }


Told = Callable[[Sweep], None]
Each = Callable[[Callable[[Down], Failure], list[Down]], Iterable[Failure]]
"""Goes through failures like `map`, in their order, when the next one is asked for; where there are
several processors it may be ahead of that."""


def links_of(network: Network) -> list[Down]:
    """Every link once: a cable with both ends, and each port of a LAN for itself."""
    tunnels = {
        End(d.name, i.name) for d in network.devices for i in d.interfaces if i.tunnel is not None
    }
    out: list[Down] = []
    for segment in network.cables or network.segments:
        known = [e for e in segment.ends if _is_there(network, e)]
        if not known or tunnels & set(segment.ends):
            continue
        if segment.lan is None and len(segment.ends) == 2 and len(known) == 2:
            out.append(Down(tuple((e.device, e.interface) for e in segment.ends)))
        else:
            out += [Down(((e.device, e.interface),)) for e in known]
    return out


def devices_of(network: Network) -> list[Down]:
    """Every device that passes something on."""
    return [
        Down(((d.name, None),))
        for d in network.devices
        if d.role in ("router", "switch") and not d.instance
    ]


def _is_there(network: Network, end: End) -> bool:
    device = network.device(end.device)
    return device is not None and device.interface(end.interface) is not None


def sweep(
    survey: Computed,
    downs: list[Down],
    expectations: list[Expectation] | None = None,
    watch: Watch = unwatched,
    told: Told = lambda found: None,
    each: Each = map,
) -> Sweep:
    """Takes each of `downs` down on a copy.

    Args:
        survey: the network as it is.
        downs: what fails, one at a time.
        expectations: those that hold now are checked under every failure.
        watch: progress; the failures tried so far are the answer if it says no.
        told: is given the answer after each failure, as far as it is.
        each: how the failures are gone through; see `Each`.
    """
    summary = survey.reach.summary()
    out = Sweep(int(str(summary["pairs"])), int(str(summary["ok"])), [], len(downs))
    held = holding(survey, expectations or [])
    for failure in failures(survey, downs, range(len(downs)), held, watch, each):
        out.failures.append(failure)
        told(out)
    return out


Held = dict[Expectation, set[str]]
"""Expectations that hold, each with the devices that it is about."""


def holding(survey: Computed, expectations: list[Expectation]) -> Held:
    """Those of some expectations that hold as the network is."""
    results = check(survey.forwarding, expectations)
    return {r.expectation: ends_of(survey.forwarding, r.expectation) for r in results if r.holds}


def failures(
    survey: Computed,
    downs: list[Down],
    places: range,
    held: Held,
    watch: Watch = unwatched,
    each: Each = map,
) -> Iterator[Failure]:
    """What those of `downs` at some places do, until the watch says no; see `sweep`."""
    found = iter(each(lambda down: _tried(survey, down, held), [downs[n] for n in places]))
    for number in places:
        if not watch(number, len(downs), _name(downs[number])):
            return
        yield next(found)


def _tried(survey: Computed, down: Down, held: Held) -> Failure:
    """What one failure does, also to expectations that hold now."""
    rehearsal = survey.rehearse((down,))
    effect = rehearsal.effect
    asked = [item for item, ends in held.items() if not _takes(down, ends)]
    return Failure(
        down,
        effect.count("breaks"),
        effect.count("moves"),
        effect.count("gone"),
        effect.first("breaks", EXAMPLES),
        [result.expectation.name for result in _fallen(rehearsal.after, asked)],
    )


def survive(survey: Computed, results: list[Result], watch: Watch = unwatched) -> list[Result]:
    """Results of expectations that have to survive single failures, each failure tried.

    One that holds now and falls under a failure does not hold, and says which; one that was not
    tried under every failure, because the watch says no, does not hold either.
    """
    out = list(results)
    open_ = [n for n, r in enumerate(results) if r.holds and r.expectation.survives]
    wanted = {kind for n in open_ for kind in results[n].expectation.survives}
    downs = [("link", d) for d in (links_of(survey.network) if "link" in wanted else ())]
    downs += [("device", d) for d in (devices_of(survey.network) if "device" in wanted else ())]
    ends = {n: ends_of(survey.forwarding, results[n].expectation) for n in open_}
    for number, (kind, down) in enumerate(downs):
        asked = [n for n in open_ if kind in results[n].expectation.survives and out[n].holds]
        asked = [n for n in asked if not _takes(down, ends[n])]
        if not asked:
            continue
        name = _name(down)
        if not watch(number, len(downs), name):
            # Also those that this failure would not have concerned: others were to come.
            for n in (n for n in open_ if out[n].holds):
                said = (
                    f"It holds now, but only {number} of {len(downs)} failures were tried in time."
                )
                out[n] = Result(results[n].expectation, False, said, results[n].path)
            break
        after = survey.rehearse((down,)).after
        for n in asked:
            (fallen,) = check(after.forwarding, [results[n].expectation])
            if not fallen.holds:
                said = f"It holds now, but not if {name} fails: {fallen.reason}"
                out[n] = Result(results[n].expectation, False, said, fallen.path)
    return out


def _fallen(after: Computed, expectations: list[Expectation]) -> list[Result]:
    return [result for result in check(after.forwarding, expectations) if not result.holds]


def _takes(down: Down, ends: set[str]) -> bool:
    """True if a failure takes one of the devices away that an expectation is about: nobody asks
    then."""
    return any(port is None and device in ends for device, port in down.ends)


def _name(down: Down) -> str:
    names = [f"{device} {port or ''}".strip() for device, port in down.ends]
    return names[0] if len(names) == 1 else f"the link between {' and '.join(names)}"
