"""Causes: the injected fault is the first suspect, is proven, and its remedy heals."""

from __future__ import annotations

import json
import random
from pathlib import Path

import pytest
from faults import faults, try_fault
from surveys import ROOT, bare, company, compute, frr, wired

from trochos.core.change.apply import apply
from trochos.core.network.edits import TextEdit
from trochos.core.survey import Computed

CASES = ROOT / "tests" / "cases"


def answer(case: Path) -> dict:  # type: ignore[type-arg]
    found = case / "truth" / "answer.json"
    return json.loads(found.read_text()) if found.exists() else {}


def injected(case: Path) -> list[dict]:  # type: ignore[type-arg]
    held = answer(case)
    return held.get("faults") or ([held["fault"]] if held.get("fault") else [])


def broken(case: Path) -> list[tuple[str, str]]:
    held = answer(case)
    pairs = [tuple(p) for f in injected(case) for p in f.get("broken_pairs", [])]
    return pairs or [tuple(p) for p in held.get("partial_pairs", [])]


FAULTY = [c for c in sorted(CASES.iterdir()) if broken(c) and not answer(c).get("unstable")]


@pytest.mark.parametrize("case", FAULTY, ids=lambda c: c.name)
def test_the_injected_fault_is_the_first_suspect(case: Path) -> None:
    pairs = broken(case)
    found = bare(case / "survey").diagnose(*pairs[0])
    top = found.causes[0]
    shown = top.as_json(1)
    places = {f["device"] for f in injected(case)} | {f.get("peer") for f in injected(case)}
    assert str(shown["device"]).partition("/")[0] in places
    assert top.certainty == "proven" and top.works
    assert not top.effect.breaks
    healed = {(pair.sender, pair.owner) for pair in top.effect.heals}
    if len(injected(case)) == 1:
        assert len(found.cure) == 1
        assert set(pairs) <= healed


@pytest.mark.parametrize("case", sorted(CASES.glob("*-00")), ids=lambda c: c.name)
def test_a_complaint_that_is_not_true_has_no_cause(case: Path) -> None:
    survey = bare(case / "survey")
    hosts = [d.name for d in survey.network.devices if d.is_host]
    found = survey.diagnose(hosts[0], hosts[1])
    assert found.path.works == "yes"
    assert found.causes == [] and found.cure == []
    assert found.says.startswith("It works")


@pytest.mark.thorough
@pytest.mark.parametrize("net", ["dale", "loom", "rook", "trio", "silo"])
def test_lines_changed_at_random_are_found(net: str) -> None:
    """Mechanical faults nobody thought of: most are named, and no remedy does damage."""
    healthy = bare(CASES / f"{net}-00" / "survey")
    outcomes = []
    for fault in faults(healthy, random.Random(7)):
        outcome = try_fault(healthy, fault)
        if outcome is not None:
            outcomes.append(outcome)
        if len(outcomes) == 8:
            break
    assert not any(outcome.damage for outcome in outcomes)
    missed = [outcome for outcome in outcomes if not outcome.hit]
    assert len(missed) <= 1, missed


def test_two_faults_that_hide_each_other_are_found_together() -> None:
    """One breaks the way there, the other the way back: only both remedies heal."""
    healthy = bare(CASES / "dale-00" / "survey")
    edits = [
        TextEdit(
            "mill",
            "frr.conf",
            (),
            ("ip route 10.64.20.0/24 10.64.0.6",),
            ("ip route 10.64.20.0/24 10.64.0.1",),
        ),
        TextEdit("weir", "frr.conf", (), ("ip route 10.64.10.0/24 10.64.0.5",), ()),
    ]
    survey = Computed(apply(healthy.survey, edits).survey)
    found = survey.diagnose("h1", "h2")
    assert {cause.option.finding.device for cause in found.causes} == {"mill", "weir"}
    assert len(found.cure) == 2
    assert all(cause.certainty == "proven" and cause.works for cause in found.causes)


@pytest.mark.thorough
def test_a_cure_has_no_more_members_than_there_are_faults() -> None:
    """Each of the two can be worked around by several changes elsewhere that need each other."""
    healthy = bare(CASES / "elmet-00" / "survey")
    edits = [
        TextEdit(
            router, "frr.conf", ("interface eth3",), (f"ip address {was}",), (f"ip address {now}",)
        )
        for router, was, now in (
            ("scar", "10.110.0.13/30", "10.110.0.17/30"),
            ("ridge", "10.111.2.1/24", "10.111.2.5/24"),
        )
    ]
    survey = Computed(apply(healthy.survey, edits).survey)
    found = survey.diagnose("h2", "h4")
    assert len(found.cure) == 2
    assert {edit.device for cause in found.causes for edit in cause.option.edits} == {
        "scar",
        "ridge",
    }
    together = tuple(edit for cause in found.causes for edit in cause.option.edits)
    assert survey.rehearse(together).anew.path("h2", "h4").works == "yes"


@pytest.mark.thorough
def test_a_search_that_is_stopped_says_so() -> None:
    survey = company(broken=True)
    found = survey.diagnose("gate-printer", "booking-db", None, lambda tried, of, what: False)
    assert not found.complete
    assert found.cure == []


@pytest.mark.thorough
def test_the_same_fault_is_healed_in_either_language() -> None:
    """Remedies are said in the device's own language, and mean the same."""
    for dialect in ("frr", "yang"):
        survey = company(broken=True, dialect=dialect)
        for sender, receiver in (("gate-printer", "booking-db"), ("shag-kiosk", "booking-db")):
            found = survey.diagnose(sender, receiver)
            assert found.causes and found.causes[0].certainty == "proven", (dialect, sender)
            files = {edit.file for edit in found.causes[0].option.edits}  # type: ignore[union-attr]
            assert files <= {"frr.conf"} if dialect == "frr" else files <= {"running.json"}


@pytest.mark.parametrize(("at_ant", "at_bee", "blamed"), [(3, 4, "bee"), (4, 3, "ant")])
def test_who_types_an_area_it_has_nothing_in_has_mistyped(
    at_ant: int, at_bee: int, blamed: str
) -> None:
    ospf = ("router ospf", " network 10.64.0.0/16 area 0", " network 10.65.0.0/16 area 3")
    broken = compute(
        {
            "topology.json": wired(("ant", "eth0", "bee", "eth0")),
            "devices/ant/frr.conf": frr(
                "ant",
                {"eth0": "10.65.1.1/30", "eth1": "10.64.1.1/24"},
                *ospf,
                f" area {at_ant} stub",
            ),
            "devices/bee/frr.conf": frr(
                "bee",
                {"eth0": "10.65.1.2/30", "eth1": "10.65.2.1/24"},
                *ospf,
                f" area {at_bee} stub",
            ),
        }
    )
    first = broken.diagnose("ant", "10.65.2.1").causes[0].as_json(1)
    assert first["kind"] == "ospf-area-type" and first["certainty"] == "proven"
    assert str(first["remedy"]["title"]).startswith(f"On {blamed}: ")  # type: ignore[index]
    assert first["evidence"][0]["text"].strip() == "area 4 stub"  # type: ignore[index]
