"""A changed copy computed from what the change left equals the copy computed from nothing."""

from __future__ import annotations

import contextlib
import random
import re
from dataclasses import fields

import pytest
from faults import faults
from surveys import KEY, ROOT

from trochos.core.change.rehearse import compare_pairs
from trochos.core.network.edits import Down, Edit, EditError
from trochos.core.step.routes import Route
from trochos.core.survey import Computed
from trochos.local import read_folder

LINE = re.compile(r'"line": \d+')
NETWORKS = [
    *(
        ROOT / "tests" / "cases" / name / "survey"
        for name in (
            "dale-00",
            "loom-00",
            "port-00",
            "rook-00",
            "elmet-00",
            "trio-00",
            "silo-00",
            "trio-08",
            "karst-01",
            "weald-00",
        )
    ),
    ROOT / "demo" / "healthy",
    ROOT / "demo" / "broken",
]


def seen(survey: Computed) -> tuple[object, ...]:
    """Tables with their losers, relations with their gates, all pairs; no line numbers."""
    tables = []
    for key, table in sorted(survey.tables.tables.items()):
        for route in table.everything():
            held = route.as_json()
            held["because"] = [item.text for item in route.because]
            if held["lost_to"]:
                held["lost_to"] = {**held["lost_to"], "because": None}  # type: ignore[dict-item]
            tables.append((key, str(held)))
    relations = [
        (
            r.protocol,
            r.family,
            r.left,
            r.right,
            r.works,
            [(g.gate, g.left, g.right, g.holds) for g in r.gates],
        )
        for r in survey.tables.relations()
    ]
    pairs = list(survey.reach.pairs())
    return sorted(tables), relations, pairs


def edits_of(survey: Computed, rng: random.Random, count: int) -> list[tuple[Edit, ...]]:
    out: list[tuple[Edit, ...]] = [(fault,) for fault in faults(survey, rng)]
    for device in survey.network.devices:
        for interface in device.interfaces:
            if not interface.loopback:
                out.append((Down(((device.name, interface.name),)),))
    for finding in survey.findings:
        out += [remedy.edits for remedy in finding.remedies]
    rng.shuffle(out)
    return out[:count]


@pytest.mark.thorough
@pytest.mark.parametrize("folder", NETWORKS, ids=lambda path: "-".join(path.parts[-2:]))
def test_a_copy_equals_the_same_network_computed_anew(folder: object) -> None:
    survey = Computed.from_files(read_folder(folder), KEY)  # type: ignore[arg-type]
    rng = random.Random(7)
    before = seen(survey)
    kept = 0
    for edits in edits_of(survey, rng, 12):
        try:
            rehearsal = survey.rehearse(edits)
        except EditError:
            continue
        assert seen(rehearsal.after) == seen(rehearsal.anew), edits
        anew = compare_pairs(survey.reach, rehearsal.anew.reach)
        for kind in ("heals", "breaks", "moves", "gone", "new"):
            assert getattr(rehearsal.effect, kind) == getattr(anew, kind), (kind, edits)
        assert rehearsal.effect.count("unsure") == anew.count("unsure"), edits
        kept += any(
            table is survey.tables.tables.get(key)
            for key, table in rehearsal.after.tables.tables.items()
        )
    assert kept, "nothing was taken over"
    assert seen(survey) == before, "a copy changed its original"


def test_a_route_without_its_mark_keeps_all_else() -> None:
    """The copy is written out field by field, and must not forget one that is new."""
    values = {item.name: f"the {item.name}" for item in fields(Route)}
    marked = Route(**values)  # type: ignore[arg-type]
    cleared = {"selected": False, "lost_to": None, "why": None}
    assert {n: getattr(marked.unmarked(), n) for n in values} == {**values, **cleared}


@pytest.mark.thorough
def test_copies_leave_nothing_behind_in_their_original() -> None:
    """Originals are asked by several people at once, and live much longer than what they try."""
    survey = Computed.from_files(read_folder(ROOT / "demo" / "healthy"), KEY)
    survey.reach.summary()
    links = survey.tables.links
    held = dict(links._of_device), dict(links._of_parts)
    tried = 0
    for fault in faults(survey, random.Random(4)):
        with contextlib.suppress(EditError):
            survey.rehearse((fault,)).after.reach.summary()
            tried += 1
        if tried == 5:
            break
    assert tried == 5 and (links._of_device, links._of_parts) == held


@pytest.mark.thorough
def test_a_copy_that_lets_go_answers_as_before() -> None:
    survey = Computed.from_files(read_folder(ROOT / "demo" / "healthy"), KEY)
    survey.reach.summary()
    after = survey.rehearse((Down((("heron", "ge2"), ("tern", "eth0"))),)).after
    assert after.reach.families[4].earlier is not None
    after.let_go()
    anew = Computed(after.survey)
    assert list(after.reach.pairs()) == list(anew.reach.pairs())
    assert after.reach.summary() == anew.reach.summary()
