"""A line or member that nobody knows, planted in every kind of file at every sort of place, is
accounted for: it is in the report, or what it stands in is."""

from __future__ import annotations

import copy
import json
import random
from collections.abc import Iterator
from typing import Any

import pytest
from surveys import KEY, ROOT

from trochos.core.survey import Computed
from trochos.local import read_folder

MARK = "zzmarker"
GATHERED = ("what a routing protocol reported", "route table of an FRR router")
"""What devices computed themselves is set beside what is computed here; it decides nothing."""


def kinds() -> dict[str, tuple[str, bytes]]:
    """One file of every name, from the captured networks and the demo."""
    out: dict[str, tuple[str, bytes]] = {}
    roots = [path / "survey" for path in sorted((ROOT / "tests" / "cases").iterdir())]
    for root in [ROOT / "demo" / "broken", *roots]:
        for path, data in read_folder(root).items():
            out.setdefault(path.rsplit("/", 1)[-1], (path, data))
    return out


KINDS = kinds()


STATE = ("info_data", "info_slave_data")
"""What a kernel tells of a kind of link beyond what is read: it differs from version to version."""


def places(tree: Any) -> Iterator[dict[str, Any]]:
    """Every object of some JSON."""
    if isinstance(tree, dict):
        yield tree
        tree = [inner for key, inner in tree.items() if key not in STATE]
    for inner in tree if isinstance(tree, list) else ():
        yield from places(inner)


def planted(text: str, rng: random.Random) -> Iterator[str]:
    """The text with the marker at each of its places, or at some of very many."""
    if text.lstrip()[:1] in ("{", "["):
        count = sum(1 for _ in places(json.loads(text)))
        for number in sorted(rng.sample(range(count), min(count, 25))):
            tree = copy.deepcopy(json.loads(text))
            list(places(tree))[number][MARK] = "tavern"
            yield json.dumps(tree, indent=1)
        return
    lines = text.split("\n")
    for at in sorted(rng.sample(range(len(lines)), min(len(lines), 40))):
        yield "\n".join([*lines[:at], f"{MARK} tavern", *lines[at:]])


def said(path: str, text: str) -> tuple[int, Computed]:
    """How much is said not to be understood, or to be uncertain for that."""
    survey = Computed.from_files({path: text.encode()}, KEY)
    lines = sum(len(report.unknown) for report in survey.survey.reading)
    doubts = sum(len(device.unmodelled) for device in survey.network.devices)
    return lines + doubts, survey


@pytest.mark.parametrize("name", sorted(KINDS))
def test_what_nobody_knows_is_accounted_for(name: str) -> None:
    path, data = KINDS[name]
    text = data.decode()
    if text.lstrip()[:1] in ("{", "["):
        text = json.dumps(json.loads(text), indent=1)
    before, survey = said(path, text)
    if survey.survey.reading[0].kind in GATHERED:
        return
    silent = []
    for changed in planted(text, random.Random(name)):
        after, survey = said(path, changed)
        for report in survey.survey.reading:
            assert report.understood + report.irrelevant + len(report.unknown) == report.lines
        if after <= before and survey.survey.reading[0].note is None:
            at = changed.split("\n")
            number = next(i for i, line in enumerate(at) if MARK in line)
            silent.append(" / ".join(line.strip() for line in at[max(number - 2, 0) : number + 2]))
    assert silent == []
