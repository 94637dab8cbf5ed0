"""What broke it: two surveys as differences, and the smallest set whose taking-back heals.

A difference is one setting that is otherwise: a line with what it replaced, a value of data. Each
can be taken back on a copy of the newer survey. The needed ones are found by divide and conquer
(Junker, QuickXplain, AAAI 2004), those on the journeys first; the others are innocent.
"""

from __future__ import annotations

import json
from contextlib import suppress
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from ..change.apply import apply
from ..change.derive import edits_between
from ..change.paths import steps_of, words_of
from ..change.places import value_at
from ..change.rehearse import compare_pairs
from ..change.text import slot, squeeze
from ..diagnosis.trials import bench_of
from ..forwarding.endpoints import EndpointError
from ..forwarding.path import Path, Traffic, find_path
from ..network.documents import Document
from ..network.edits import DataEdit, Edit, EditError, TextEdit
from ..network.source import Source, alike
from .questions import Watch, unwatched

if TYPE_CHECKING:
    from ..survey import Computed

STATE = (
    "routes",
    "neighbour cache",
    "gathered",
    "reports",
    "tables of",
    "probes",
    "wiring",
    "title",
    "route table",
    "what ",
)
"""Kinds of files that show what follows from configuration: no difference of anybody's making."""


_STATE_LEAVES = frozenset(
    (
        *("ifindex", "link_index", "link_netnsid", "qdisc", "txqlen", "promiscuity", "allmulti"),
        *("operstate", "valid_life_time", "preferred_life_time", "stats", "stats64", "linkmode"),
        *("proto_down", "proto_down_reason", "num_tx_queues", "num_rx_queues", "gso_max_size"),
        *("gso_max_segs", "tso_max_size", "tso_max_segs", "gro_max_size", "dynamic", "mngtmpaddr"),
        *("used", "updated", "probes", "refcnt", "lastuse", "expires", "nhid", "uptime"),
    )
)
"""Members of captures that say how a device is at the moment, and not how it was set up."""


@dataclass(slots=True)
class Difference:
    """One thing that is otherwise in the newer survey, and the edits that take it back."""

    number: int
    device: str
    file: str
    summary: str
    old: list[Source]
    new: list[Source]
    edits: tuple[Edit, ...]
    works: bool = False
    heals: int = 0
    breaks: int = 0

    @property
    def id(self) -> str:
        return f"{self.device}-{self.file}-{self.number}".replace("/", "-")

    def as_json(self) -> dict[str, object]:
        return {
            "id": self.id,
            "device": self.device,
            "file": self.file,
            "summary": self.summary,
            "old": [source.as_json() for source in self.old],
            "new": [source.as_json() for source in self.new],
            "edits": [edit.as_json() for edit in self.edits],
            "proof": {"complaint_works": self.works, "heals": self.heals, "breaks": self.breaks},
        }


@dataclass(slots=True)
class Since(Document):
    """Which differences broke a complaint."""

    sender: str
    receiver: str
    then: str
    path: Path
    differences: list[Difference]
    guilty: list[Difference] = field(default_factory=list)
    tried: int = 0
    says: str = ""

    def as_nodes(self) -> dict[str, object]:
        """The `since` document of the contract."""
        return {
            "from": self.sender,
            "to": self.receiver,
            "works_then": self.then,
            "works_now": self.path.works,
            "differences": len(self.differences),
            "tried": self.tried,
            "guilty": [item.as_json() for item in self.guilty],
            "cure": [item.id for item in self.guilty],
            "innocent": len(self.differences) - len(self.guilty),
            "says": self.says,
            "path": self.path.as_nodes(),
        }


def since(
    survey: Computed,
    sender: str,
    receiver: str,
    worked: Computed,
    traffic: Traffic | None = None,
    watch: Watch = unwatched,
) -> Since:
    """Finds which differences to an older survey broke a complaint.

    Raises:
        EndpointError: an end is not in the newer survey.
    """
    path = survey.path(sender, receiver, traffic)
    try:
        then = worked.path(sender, receiver, traffic)
        works_then = then.works
    except EndpointError:
        then, works_then = None, "unknown"
    out = Since(sender, receiver, works_then, path, differences(worked, survey))
    if path.works == "yes":
        out.says = f"It works now: {path.sentence()}"
        return out
    if works_then != "yes":
        out.says = "It did not work in the older survey either, so no difference to it broke it."
        if then is not None:
            out.says += f" {then.sentence()}"
        return out
    search = _Search(survey, worked, sender, receiver, traffic, watch)
    met = _met(path) | (_met(then) if then is not None else set())
    # What lies on the journeys comes first, and of that what can move packets.
    ordered = sorted(out.differences, key=lambda d: (d.device not in met, _idle(d), d.number))
    out.guilty = search.guilty(ordered)
    out.tried = search.tried
    if out.guilty:
        out.says = " ".join(item.summary for item in out.guilty)
    else:
        out.says = (
            "Taking all differences back does not make it work: what changed is not in files that "
            "both surveys hold, such as a device that is gone."
        )
    return out


class _Search:
    def __init__(
        self,
        survey: Computed,
        old: Computed,
        sender: str,
        receiver: str,
        traffic: Traffic | None,
        watch: Watch,
    ) -> None:
        self.survey, self.old, self.watch = survey, old, watch
        self.ends = (sender, receiver, traffic)
        self.tried = 0
        self._known: dict[frozenset[int], bool] = {}

    def heals(self, items: list[Difference]) -> bool:
        """True if the complaint works with these taken back."""
        key = frozenset(id(item) for item in items)
        known = self._known.get(key)
        if known is None:
            known = self._known[key] = self._try(items)
        return known

    def _try(self, items: list[Difference]) -> bool:
        self.tried += 1
        self.watch(self.tried, 0, items[0].device if items else "")
        bench = self.survey.bench
        try:
            ordered = sorted(items, key=lambda item: item.number)
            changed = apply(self.survey.survey, [e for item in ordered for e in item.edits])
            copy = bench_of(changed.survey, bench)
            return find_path(copy.forwarding, *self.ends).works == "yes"
        except (EditError, EndpointError):
            return False

    def guilty(self, ordered: list[Difference]) -> list[Difference]:
        """The needed ones, each with its own proof."""
        for item in ordered[:60]:
            if self.heals([item]):
                return self._proven([item])
        if not self.heals(ordered):
            return []
        return self._proven(self._needed([], False, ordered[::-1]))

    def _needed(
        self, given: list[Difference], fresh: bool, rest: list[Difference]
    ) -> list[Difference]:
        if fresh and self.heals(given):
            return []
        if len(rest) == 1:
            return rest
        half = len(rest) // 2
        first, second = rest[:half], rest[half:]
        late = self._needed(given + first, bool(first), second)
        early = self._needed(given + late, bool(late), first)
        return early + late

    def _proven(self, found: list[Difference]) -> list[Difference]:
        bench = self.survey.bench
        for item in found:
            rest = [other for other in found if other is not item]
            item.works = self.heals(found) and not (rest and self.heals(rest))
            try:
                changed = apply(self.survey.survey, item.edits)
            except EditError:
                continue
            effect = compare_pairs(bench.reach, bench_of(changed.survey, bench).reach)
            item.heals, item.breaks = effect.count("heals"), effect.count("breaks")
            for edit in item.edits:
                if isinstance(edit, DataEdit):
                    item.new = value_at(self.survey.survey, edit) or item.new
                    item.old = value_at(self.old.survey, edit) or item.old
        return sorted(found, key=lambda item: item.number)


def _met(path: Path) -> set[str]:
    return {
        hop.device
        for leg in (path.outbound, path.back)
        for branch in (leg.branches if leg is not None else ())
        for hop in branch.hops
    }


def _idle(item: Difference) -> bool:
    """True for what says nothing about packets."""
    words = [source.text.split()[:1] for source in (*item.old, *item.new)]
    return all(word in (["description"], ["hostname"], ["!"], []) for word in words)


def differences(old: Computed, new: Computed) -> list[Difference]:
    """What is otherwise in the newer survey, setting by setting, in the order of its files."""
    out: list[Difference] = []
    kinds = {(r.device or "", r.file): r.kind for r in (*old.survey.reading, *new.survey.reading)}
    for device in sorted(old.survey.files.keys() & new.survey.files.keys()):
        before, after = old.survey.files[device], new.survey.files[device]
        for file, was, now in _matched(before, after):
            router = new.network.device(device)
            hosts = router is not None and router.is_host
            kind = kinds.get((device, file), "")
            # A host's routes are its configuration; nobody configures what else is shown so.
            shown = kind.startswith(STATE) and not (hosts and kind.startswith("routes"))
            if not device or shown or alike(was, now):
                continue
            try:
                edits = edits_between(device, file, now, was)
            except EditError:
                continue
            for edit in edits:
                with suppress(EditError):  # a key that no path can name is changed by nobody
                    out += _of_edit(edit, was, now, len(out))
    return _moves_joined(old, new, out)


def _moves_joined(old: Computed, new: Computed, found: list[Difference]) -> list[Difference]:
    """An interface that went to another routing instance is one fact, although its section of the
    text and what the system showed of it all changed."""
    before = _instances(old)
    for place, now in _instances(new).items():
        device, interface = place
        was = before.get(place, now)
        if was == now:
            continue
        mine = [d for d in found if d.device == device and _about_move(d, interface, was, now)]
        if not mine:
            continue
        what = [f"the routing instance {name}" if name else "the main one" for name in (now, was)]
        one = Difference(
            mine[0].number,
            device,
            mine[0].file,
            f"{device} {interface} is in {what[0]}, and was in {what[1]}.",
            [source for d in mine for source in d.old],
            [source for d in mine for source in d.new],
            tuple(edit for d in mine for edit in d.edits),
        )
        found = sorted([d for d in found if d not in mine] + [one], key=lambda d: d.number)
    return found


def _instances(survey: Computed) -> dict[tuple[str, str], str]:
    """The routing instance of every interface that is in one place only."""
    return {
        (device.chassis, interface.name): device.instance
        for device in survey.network.devices
        for interface in device.interfaces
        if interface.name != "lo"
    }


def _about_move(item: Difference, interface: str, was: str, now: str) -> bool:
    openings = {f"interface {interface}"}
    openings |= {f"interface {interface} vrf {name}" for name in (was, now)}
    for edit in item.edits:
        if isinstance(edit, TextEdit):
            lines = (*edit.context[-1:], *(() if edit.context else (*edit.remove, *edit.add)))
            if not openings.intersection(lines):
                return False
        elif isinstance(edit, DataEdit):
            listed = "/interfaces/" in edit.path and interface in (edit.old, edit.new)
            marked = edit.path.endswith(("/vrf", "/master")) and {edit.old, edit.new} <= {
                was,
                now,
                None,
            }
            if not (listed or marked):
                return False
    return True


def _matched(before: dict[str, str], after: dict[str, str]) -> list[tuple[str, str, str]]:
    """(file of the newer survey, older text, newer text); a renamed file is found again."""
    out = [(file, before[file], after[file]) for file in sorted(before.keys() & after.keys())]
    gone = {file: before[file] for file in before.keys() - after.keys()}
    for file in sorted(after.keys() - before.keys()):
        lines = set(after[file].splitlines())
        best = max(gone, key=lambda f: len(lines & set(gone[f].splitlines())), default=None)
        if best is not None and 2 * len(lines & set(gone[best].splitlines())) > len(lines):
            out.append((file, gone.pop(best), after[file]))
    return out


def _of_edit(edit: Edit, was: str, now: str, number: int) -> list[Difference]:
    """An edit that leads back, cut into the settings that it changes."""
    if isinstance(edit, DataEdit):
        old = (
            [Source(edit.device, edit.file, None, _shown(edit.new))] if edit.new is not None else []
        )
        new = (
            [Source(edit.device, edit.file, None, _shown(edit.old))] if edit.old is not None else []
        )
        where = steps_of(edit.path)[-1][0]
        if isinstance(edit.old, str) and isinstance(edit.new, str) and alike(edit.old, edit.new):
            return []
        if where in _STATE_LEAVES or _follows(edit.old) or _follows(edit.new):
            return []
        if where.isdigit():
            where = _entry(edit.old if edit.old is not None else edit.new)
        else:
            holder = _holder(now, edit.path)
            where = f"{holder}: {words_of(edit.path)}" if holder else words_of(edit.path)
        place = f"{edit.device}, {edit.file}: {where}"
        says = f"{place} is {_shown(edit.old)}, and was {_shown(edit.new)}."
        if edit.new is None:
            says = f"{place} is new."
        elif edit.old is None:
            says = f"{place} is gone."
        return [Difference(number, edit.device, edit.file, says, old, new, (edit,))]
    if not isinstance(edit, TextEdit):
        return []
    if alike("\n".join(edit.remove), "\n".join(edit.add)):
        return []  # secrets under different keys, which nobody can compare
    opening = edit.context[-1] if edit.context else ""
    adds = list(edit.add)
    pairs: list[tuple[tuple[str, ...], tuple[str, ...]]] = []
    for line in edit.remove:
        mine = slot(opening, line)
        mate = next((a for a in adds if mine is not None and slot(opening, a) == mine), None)
        if mate is not None:
            adds.remove(mate)
        pairs.append(((line,), (mate,) if mate is not None else ()))
    pairs += [((), (line,)) for line in adds]
    if not edit.remove and not edit.add:
        pairs = [((), ())]  # a section that held nothing
    out: list[Difference] = []
    for remove, add in pairs:
        old = [_at(edit, was, line) for line in add]
        new = [_at(edit, now, line) for line in remove]
        place = f" ({opening})" if opening else ""
        if old and new:
            says = f"On {edit.device}{place}: {new[0].text!r}, where {old[0].text!r} was."
        elif new:
            says = f"On {edit.device}{place}: {new[0].text!r} is new."
        else:
            gone = old[0].text if old else opening
            says = f"On {edit.device}{place}: {gone!r} is gone."
        one = TextEdit(edit.device, edit.file, edit.context, remove, add)
        out.append(Difference(number + len(out), edit.device, edit.file, says, old, new, (one,)))
    return out


def _follows(value: object) -> bool:
    """True for an entry of a kernel's table that the kernel made itself: it follows from an
    address."""
    return isinstance(value, dict) and value.get("protocol") == "kernel"


def _holder(text: str, path: str) -> str:
    """The interface or route that a numbered entry of a list is, on the way to a setting."""
    try:
        here = json.loads(text)
    except ValueError:
        return ""  # XML, whose entries have keys
    found = ""
    for name, _ in steps_of(path):
        if not name.isdigit():
            break
        if not isinstance(here, list) or int(name) >= len(here):
            break
        here = here[int(name)]
        found = _entry(here) if isinstance(here, dict) else ""
    return found


def _entry(value: object) -> str:
    """An entry of a list in words: the route, the address, or all of it."""
    if isinstance(value, dict):
        if "dst" in value:
            via = value.get("gateway") or value.get("dev")
            return f"the route to {value['dst']}{f' over {via}' if via else ''}"
        for key in ("local", "ifname", "name"):
            if key in value:
                return str(value[key])
    return _shown(value)


def _at(edit: TextEdit, text: str, line: str) -> Source:
    """Where a line stands in its section of a text."""
    opening = edit.context[-1] if edit.context else None
    inside = opening is None
    for number, row in enumerate(text.split("\n"), 1):
        if opening is not None and not row.startswith(" ") and row.strip():
            inside = squeeze(row) == opening
        if inside and squeeze(row) == line:
            return Source(edit.device, edit.file, number, line)
    return Source(edit.device, edit.file, None, line)


def _shown(value: object) -> str:
    return json.dumps(value, ensure_ascii=False)[:160]
