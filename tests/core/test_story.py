"""The demo's first network over three surveys: what broke between two of them, and what nobody can
say while one router has not answered."""

from __future__ import annotations

import pytest
from surveys import KEY, ROOT

from trochos.core.diagnosis.ends import compare_ends
from trochos.core.diagnosis.finding import NOTES
from trochos.core.network.addressing import parse_address
from trochos.core.network.edits import DataEdit
from trochos.core.network.facts import End
from trochos.core.survey import Computed
from trochos.local import read_folder

GE6 = "/ietf-interfaces:interfaces/interface[name='ge6']"


def survey(name: str) -> Computed:
    return Computed.from_files(read_folder(ROOT / "demo" / name), KEY)


@pytest.fixture(scope="module")
def healthy() -> Computed:
    return survey("healthy")


@pytest.fixture(scope="module")
def broken() -> Computed:
    return survey("broken")


@pytest.mark.thorough
def test_of_many_differences_on_the_eve_two_matter(healthy: Computed) -> None:
    assert all(finding.severity == NOTES for finding in healthy.findings)
    found = survey("eve").since("school-desk", "tide-tables", healthy)
    assert len(found.differences) >= 14
    assert {item.device for item in found.guilty} == {"teal", "tidewater"}
    assert all(item.works for item in found.guilty), "each is needed"
    said = {item.device: item.summary for item in found.guilty}
    assert said["tidewater"] == (
        "tidewater, running.json: protocol bgp, neighbor 203.0.113.9, peer-as is 65537, "
        "and was 65536."
    )
    for item in found.guilty:
        for source in (*item.old, *item.new):
            text = (healthy if source in item.old else survey("eve")).survey.text(
                source.device, source.file
            )
            assert text is not None and source.line is not None
            assert text.split("\n")[source.line - 1].strip().rstrip(",") == source.text


@pytest.mark.thorough
def test_a_route_that_is_gone_is_named_in_words(broken: Computed, healthy: Computed) -> None:
    found = broken.since("bridge-tablet", "yard-scale", healthy)
    assert [item.summary for item in found.guilty] == [
        "yard, running.json: protocol static, route 10.64.40.0/24 is gone."
    ]


@pytest.mark.thorough
@pytest.mark.parametrize(
    ("sender", "receiver"), [("holm-kiosk", "booking-db"), ("planning-desk", "holm-gauge")]
)
def test_what_hangs_on_a_silent_router_is_not_known(
    broken: Computed, healthy: Computed, sender: str, receiver: str
) -> None:
    assert healthy.path(sender, receiver).works == "yes"
    found = broken.path(sender, receiver)
    assert found.works == "unknown" and "ness could not be read" in found.sentence()
    assert not broken.diagnose(sender, receiver).cure
    assert broken.unknowns().as_json()["unread"][0]["device"] == "ness"  # type: ignore[index]


@pytest.mark.thorough
def test_nobody_is_blamed_for_a_silent_router(broken: Computed) -> None:
    about = [f for f in broken.findings if "ness" in {f.device, f.peer} and f.severity != NOTES]
    assert about == []


@pytest.mark.thorough
def test_what_fails_before_it_gets_to_a_silent_router_stands_under_its_cause(
    broken: Computed,
) -> None:
    found = broken.desk(survey("eve"))
    open_ = [group for group in found.groups if not group.folded]
    assert all(group.causes for group in open_), "no failing pair is left without a cause"
    assert sum(group.unsure for group in open_) == 10
    shut = next(g for g in open_ if g.causes[0].option.finding.kind == "interface-shut")
    assert shut.unsure == 2 and {"holm-gauge", "holm-kiosk"} <= {q.owner for q in shut.pairs}


def test_neither_rung_nor_gate_says_that_a_silent_router_lacks_something(broken: Computed) -> None:
    rungs = broken.ladder("planning-desk", "holm-gauge").rungs
    assert [r.verdict for r in rungs[-2:]] == ["unknown", "unknown"]
    assert all(r.verdict == "delivered" for r in rungs[:-2])
    ends = compare_ends(
        *(broken.tables, broken.forwarding, End("heron", "ge6"), End("ness", "eth0")),
        parse_address("10.64.0.50"),
    )
    gates = {row["gate"]: row for row in ends["gates"]}  # type: ignore[attr-defined]
    assert gates["line"]["right"] == "could not be read"
    assert not [name for name, row in gates.items() if row["holds"] is False]
    # What is known of the near end still counts.
    shut = broken.rehearse(
        [DataEdit("heron", "running.json", f"{GE6}/enabled", old=True, new=False)]
    ).anew
    ends = compare_ends(
        shut.tables, shut.forwarding, End("heron", "ge6"), End("ness", "eth0"), None
    )
    gates = {row["gate"]: row for row in ends["gates"]}  # type: ignore[attr-defined]
    assert gates["switched on"]["holds"] is False and gates["line"]["holds"] is False
