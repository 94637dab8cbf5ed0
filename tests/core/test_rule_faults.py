"""Rules that go wrong: each fault is the first suspect, and its remedy heals."""

from __future__ import annotations

import json

import pytest
from surveys import KEY, ROOT

from trochos.core.survey import Computed
from trochos.local import read_folder

BASE = ROOT / "tests" / "cases" / "weald-00" / "survey"


def changed(file: str, change) -> Computed:  # type: ignore[no-untyped-def]
    """The captured network with one file of captured rules or tables changed."""
    files = read_folder(BASE)
    held = json.loads(files[file])
    files[file] = json.dumps(change(held)).encode()
    return Computed.from_files(files, KEY)


def late(rules: list[dict]) -> list[dict]:  # type: ignore[type-arg]
    return [{**rule, "priority": 32800} if rule["priority"] == 120 else rule for rule in rules]


def mistyped(rules: list[dict]) -> list[dict]:  # type: ignore[type-arg]
    return [{**rule, "dst": "10.74.14.0"} if rule["priority"] == 110 else rule for rule in rules]


def emptied(routes: list[dict]) -> list[dict]:  # type: ignore[type-arg]
    return [route for route in routes if str(route.get("table")) != "20"]


FAULTS = {
    "a rule behind one that takes everything": (
        "devices/holt/ip-rule.json",
        late,
        ("h2", "h3"),
        "rule-never-reached",
        "On holt: give the rule the priority 120, before the main table.",
    ),
    "a rule about a prefix that nobody has": (
        "devices/holt/ip-rule.json",
        mistyped,
        ("h1", "h4"),
        "rule-prefix-unknown",
        "On holt: have rule 110 about 10.74.140.0/24.",
    ),
    "a rule to a table in which there is nothing": (
        "devices/holt/tables.json",
        emptied,
        ("h2", "h3"),
        "rule-table-empty",
        "On holt: send 0.0.0.0/0 to 10.74.2.2 in table 20.",
    ),
}


@pytest.mark.thorough
@pytest.mark.parametrize("name", FAULTS)
def test_a_fault_of_rules_is_the_first_suspect(name: str) -> None:
    file, change, (sender, receiver), kind, title = FAULTS[name]
    survey = changed(file, change)
    assert survey.path(sender, receiver).works == "no"
    first = survey.diagnose(sender, receiver).causes[0]
    assert (first.option.finding.kind, first.certainty) == (kind, "proven")
    assert first.option.finding.device == "holt"
    assert first.option.remedy.title == title
    assert survey.rehearse(first.option.edits).after.path(sender, receiver).works == "yes"


@pytest.mark.thorough
def test_a_table_that_points_to_the_wrong_router_is_found() -> None:
    def astray(routes: list[dict]) -> list[dict]:  # type: ignore[type-arg]
        return [
            {**r, "gateway": "10.74.129.1", "dev": "eth1"} if str(r.get("table")) == "30" else r
            for r in routes
        ]

    survey = changed("devices/wold/tables.json", astray)
    first = survey.diagnose("h1", "h4").causes[0]
    assert first.option.finding.kind == "rule-route-astray"
    assert first.option.remedy.title == "On wold: send 10.74.0.0/17 to 10.74.130.1 in table 30."
    assert first.certainty == "proven"


def test_rules_that_are_right_are_no_finding() -> None:
    survey = Computed.from_files(read_folder(BASE), KEY)
    assert not [f.summary for f in survey.findings if f.kind.startswith("rule-")]


def test_a_prefix_outside_of_the_survey_is_a_risk_at_most() -> None:
    def outside(rules: list[dict]) -> list[dict]:  # type: ignore[type-arg]
        far = {"priority": 130, "src": "all", "dst": "198.51.100.0", "dstlen": 24, "table": "40"}
        return [*rules, far]

    survey = changed("devices/holt/ip-rule.json", outside)
    (finding,) = [f for f in survey.findings if f.kind == "rule-prefix-unknown"]
    assert finding.severity == "risks"
