"""Every single failure: what it cuts, what only moves, and what belongs to the failed thing."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from ..change.rehearse import PairRef
from ..diagnosis.audit import Expectation
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
class Sweep:
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
        return sorted(cutting, key=lambda f: (-len(f.expectations), -f.cuts, str(f.down)))

    def as_json(self) -> dict[str, object]:
        """The `sweep` document of the contract."""
        return {
            "baseline": {"pairs": self.pairs, "ok": self.ok},
            "failures": [failure.as_json() for failure in self.failures],
            "tried": len(self.failures),
            "of": self.of,
            "threads": [failure.as_json() for failure in self.threads],
        }


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
) -> Sweep:
    """Takes each of `downs` down on a copy.

    Args:
        survey: the network as it is.
        downs: what fails, one at a time.
        expectations: those that hold now are checked under every failure.
        watch: progress; the failures tried so far are the answer if it says no.
    """
    summary = survey.reach.summary()
    out = Sweep(int(str(summary["pairs"])), int(str(summary["ok"])), [], len(downs))
    held = []
    if expectations:
        results = survey.audit(expectations)
        held = [result.expectation for result in results if result.holds]
    for number, down in enumerate(downs):
        what = " and ".join(f"{d} {i or ''}".strip() for d, i in down.ends)
        if not watch(number, len(downs), what):
            break
        rehearsal = survey.rehearse((down,))
        effect = rehearsal.effect
        fallen = [r.expectation.name for r in rehearsal.after.audit(held) if not r.holds]
        out.failures.append(
            Failure(
                down,
                effect.count("breaks"),
                effect.count("moves"),
                effect.count("gone"),
                effect.first("breaks", EXAMPLES),
                fallen,
            )
        )
    return out
