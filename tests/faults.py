"""Faults put into healthy networks: one line of a router's text changed at a time.

What a fault breaks is what pings show before and after on all pairs of hosts. The faults are
mechanical on purpose: a line gone, a number or an address changed, a shut interface, so that
kinds nobody thought of turn up too.
"""

from __future__ import annotations

import random
import re
from collections.abc import Iterator
from dataclasses import dataclass

from trochos.core.change.apply import apply
from trochos.core.change.rehearse import compare_pairs
from trochos.core.forwarding.path import find_path
from trochos.core.network.edits import Edit, EditError, TextEdit
from trochos.core.survey import Computed

IDLE = re.compile(
    r"^(?:frr |hostname|service|log|line|end|!|exit|description"
    r"|neighbor \S+ (?:timers|description))"
)
Fault = TextEdit


@dataclass(frozen=True)
class Outcome:
    """What a diagnosis made of a fault."""

    fault: Fault
    pair: tuple[str, str]
    first: str | None
    right: bool
    proven: bool
    heals: bool
    damage: bool
    cure: int
    line: bool = False
    """Its evidence or remedy is about the very line, or the same statement with other numbers."""

    @property
    def hit(self) -> bool:
        return self.right and self.proven and self.heals and not self.damage and self.cure == 1


def _changes(line: str, rng: random.Random) -> Iterator[str]:
    """Other lines that somebody could have typed instead."""
    number = re.search(
        r"(hello-interval|dead-interval|mtu|as|version|remote-as|area|delay) (\d+)\b", line
    )
    if number:
        value = int(number.group(2))
        yield line[: number.start(2)] + str(value + 1) + line[number.end(2) :]
    address = re.search(r"\b(\d+\.\d+\.\d+)\.(\d+)(/\d+)?", line)
    if address:
        last = int(address.group(2))
        other = (last + 4) % 256 if address.group(3) else (last ^ 3)
        head = f"{address.group(1)}.{other}{address.group(3) or ''}"
        yield line[: address.start()] + head + line[address.end() :]
    if " permit " in line:
        yield line.replace(" permit ", " deny ")
    if "md5 " in line or "password " in line or "string " in line:
        yield re.sub(r"(<secret:(?:[0-9a-f]{4})?)[0-9a-f]{12}>", r"\g<1>0123456789ab>", line)


def faults(survey: Computed, rng: random.Random) -> Iterator[Fault]:
    """Every fault of a network, in no order that means anything."""
    out: list[Fault] = []
    for device in survey.network.devices:
        text = survey.survey.files.get(device.name, {}).get("frr.conf")
        if text is None:
            continue
        context: tuple[str, ...] = ()
        for raw in text.split("\n"):
            line = " ".join(raw.split())
            if not raw.startswith(" ") and line:
                context = ()
            if re.match(r"interface (?!lo$)", line):
                out.append(TextEdit(device.name, "frr.conf", (line,), (), ("shutdown",)))
            if re.match(r"(?:interface|router|route-map) ", line):
                context = (line,)
                continue
            if line.startswith("address-family"):
                context = (*context[:1], line)
                continue
            if line.startswith("exit-address-family"):
                context = context[:1]
                continue
            if not line or IDLE.match(line):
                continue
            out.append(TextEdit(device.name, "frr.conf", context, (line,), ()))
            for changed in _changes(line, rng):
                if changed != line:
                    edit = TextEdit(device.name, "frr.conf", context, (line,), (changed,))
                    out.append(edit)
    rng.shuffle(out)
    yield from out


def hosts_of(survey: Computed) -> list[str]:
    return [d.name for d in survey.network.devices if d.is_host]


def broken_pairs(before: Computed, after: Computed) -> list[tuple[str, str]]:
    """Pairs of hosts that worked and do not work any more."""
    out = []
    hosts = hosts_of(before)
    for sender in hosts:
        for receiver in hosts:
            if sender == receiver:
                continue
            was = find_path(before.forwarding, sender, receiver).works
            now = find_path(after.forwarding, sender, receiver).works
            if was == "yes" and now == "no":
                out.append((sender, receiver))
    return out


def try_fault(healthy: Computed, fault: Fault) -> Outcome | None:
    """Diagnoses one fault; None if it breaks no pair of hosts, or cannot be made."""
    try:
        broken = Computed(apply(healthy.survey, [fault]).survey)
    except EditError:
        return None
    pairs = broken_pairs(healthy, broken)
    if not pairs:
        return None
    sender, receiver = pairs[0]
    found = broken.diagnose(sender, receiver)
    if not found.causes:
        return Outcome(fault, pairs[0], None, False, False, False, False, len(found.cure))
    top = found.causes[0]
    shown = top.as_json(1)
    healed = {(pair.sender, pair.owner) for pair in top.effect.heals}
    peer = shown["peer"]["device"] if isinstance(shown["peer"], dict) else None
    edited = {edit.device for edit in top.option.edits}
    return Outcome(
        fault,
        pairs[0],
        f"{shown['kind']} at {shown['device']}: {top.option.remedy.title}",
        fault.device in {shown["device"], peer, *edited},
        top.certainty == "proven",
        all(pair in healed for pair in pairs),
        bool(top.effect.breaks) and _damages(healthy, broken, top.option.edits),
        len(found.cure),
        _about(fault, [s.text for s in top.option.finding.evidence], top.option.edits),
    )


def _damages(healthy: Computed, broken: Computed, edits: tuple[Edit, ...]) -> bool:
    """True if with a remedy something does not work that worked before the fault: what only works
    because of a fault goes with it."""
    mended = broken.rehearse(edits).after
    return compare_pairs(healthy.reach, mended.reach).count("breaks") > 0


def _about(fault: Fault, evidence: list[str], edits: tuple[Edit, ...]) -> bool:
    """True if lines that are shown or changed are about what a fault is about."""
    shown = {*evidence, *(x for e in edits if isinstance(e, TextEdit) for x in (*e.add, *e.remove))}
    mine = {_stem(line) for line in (*fault.remove, *fault.add)}
    return any(_stem(line) in mine for line in shown)


def _stem(line: str) -> tuple[str, ...]:
    """A statement without its numbers and addresses: its first words."""
    words = re.sub(r"[0-9a-fA-F:.]*[:.][0-9a-fA-F:./]*|\d+", "#", line.removeprefix("no ")).split()
    return tuple(words[:3])


def try_two(healthy: Computed, faults: tuple[Fault, Fault]) -> tuple[bool, int, str] | None:
    """Diagnoses two faults of which each alone breaks one pair of hosts.

    Returns:
        Whether the cure heals the pair and touches what both faults touched, how many
        remedies it has, and what it is; None if the two do not both break one pair.
    """
    broken = []
    for fault in faults:
        try:
            broken.append(set(broken_pairs(healthy, healthy.rehearse((fault,)).after)))
        except EditError:
            return None
        if not broken[-1]:
            return None
    shared = sorted(broken[0] & broken[1])
    if not shared or faults[0].device == faults[1].device:
        return None
    both = Computed(apply(healthy.survey, faults).survey)
    if find_path(both.forwarding, *shared[0]).works != "no":
        return None
    found = both.diagnose(*shared[0])
    chosen = [cause for cause in found.causes if cause.option.finding.id in found.cure]
    healed = both.rehearse(tuple(e for cause in chosen for e in cause.option.edits)).after
    works = bool(chosen) and find_path(healed.forwarding, *shared[0]).works == "yes"
    named = [
        {cause.option.finding.device, *(edit.device for edit in cause.option.edits)}
        | ({cause.option.finding.peer.device} if cause.option.finding.peer else set())
        for cause in chosen
    ]
    right = all(any(fault.device in places for places in named) for fault in faults)
    says = "; ".join(f"{c.option.finding.kind}: {c.option.remedy.title}" for c in chosen)
    return works and right, len(chosen), f"{shared[0]} {says}"
