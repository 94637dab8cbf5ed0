"""What routers that share an address have to agree on: each gate broken, found and mended."""

from __future__ import annotations

import pytest
from core.test_shared import VIRTUAL, lan, part

from trochos.core.change.braces import blocks
from trochos.core.change.derive import edits_between
from trochos.core.change.handover import hand_over
from trochos.core.network.edits import Down, TextEdit
from trochos.core.protocols import shared
from trochos.core.protocols.gates import NOTHING
from trochos.core.survey import Computed

UNICAST = ("    unicast_peer {", "        10.64.1.3", "    }")
BROKEN = {
    "link": part(100).replace("    interface eth0", "    interface eth1"),
    "router id": part(100, router_id=52),
    "version": part(100).replace("    priority", "    version 3\n    priority"),
    "authentication": part(100, secret="tar"),
    "interval": part(100).replace("advert_int 1", "advert_int 2"),
    "unicast peers": part(100, *UNICAST),
    "addresses": part(100).replace(
        f"        {VIRTUAL}/24 dev eth0", f"        {VIRTUAL}/24\n        10.64.1.9/24"
    ),
}


def relation(survey: Computed) -> shared.Relation:
    (found,) = shared.relations(survey.tables.network, survey.tables.links)
    return found


def holders(survey: Computed) -> list[str]:
    return survey.forwarding.near.meant_devices(
        next(a for a in survey.forwarding.near.owners if str(a) == VIRTUAL)
    )


@pytest.mark.parametrize("gate", [g.name for g in shared.GATES if g.stops != NOTHING])
@pytest.mark.parametrize("end", ["ant", "bee"])
def test_a_gate_that_fails_is_found_and_mended_at_either_end(gate: str, end: str) -> None:
    row = next(g for g in shared.GATES if g.name == gate)
    if gate == "line":
        assert row.no_mend
        return
    odd, other = BROKEN[gate], part(150)
    survey = lan(odd, other) if end == "ant" else lan(other, odd)
    assert relation(survey).first_failing is not None
    assert relation(survey).first_failing.gate == gate  # type: ignore[union-attr]
    assert holders(survey) == ["ant", "bee"]  # each takes itself for the only one
    (found,) = [f for f in survey.findings if f.kind == f"vrrp-{gate.replace(' ', '-')}"]
    assert not [f for f in survey.findings if f.kind == "address-conflict"]
    if row.mend is None:
        assert row.no_mend and not found.remedies
        return
    # Who speaks elsewhere than where the address is, is the odd one; else it may be either.
    changed = {end} if gate == "link" else {"ant", "bee"}
    assert {edit.device for r in found.remedies for edit in r.edits} == changed
    for remedy in found.remedies:
        mended = survey.rehearse(remedy.edits).after
        assert relation(mended).works, remedy
        assert len(holders(mended)) == 1


def test_a_fitting_pair_is_a_relation_that_works() -> None:
    survey = lan(part(150), part(100))
    found = relation(survey)
    assert found.works and (found.left.state, found.right.state) == ("holder", "waiting")
    shown = [p for p in survey.neighbours_json()["pairs"] if p["protocol"] == "vrrp"]
    assert [p["works"] for p in shown] == [True]
    assert not [f for f in survey.findings if f.severity != "notes"]


def test_nobody_holds_what_both_gave_up() -> None:
    looks = ("    track_interface {", "        eth1", "    }")
    survey = lan(part(150, *looks), part(100, *looks))
    after = survey.rehearse((Down((("cat", None),)),)).after
    (found,) = [f for f in after.findings if f.kind == "shared-address-unheld"]
    assert found.severity == "breaks" and "ant: it looks at eth1" in found.summary


def test_a_holder_without_a_way_on() -> None:
    survey = lan(part(150), part(100))
    after = survey.rehearse((Down((("ant", "eth1"),)),)).after
    (found,) = [f for f in after.findings if f.kind == "shared-holder-cut-off"]
    assert found.device == "ant" and "looks at nothing" in found.summary
    (remedy,) = found.remedies
    mended = survey.rehearse((*remedy.edits, Down((("ant", "eth1"),)))).after
    assert holders(mended) == ["bee"]


def test_edits_of_blocks_and_back() -> None:
    text = part(150)
    changed = text.replace("priority 150", "priority 90").replace(
        "    virtual_ipaddress {",
        "    track_interface {\n        eth1 weight -60\n    }\n    virtual_ipaddress {",
    )
    edits = edits_between("ant", "keepalived.conf", text, changed)
    assert all(isinstance(edit, TextEdit) for edit in edits)
    survey = lan(text, part(100))
    there = survey.rehearse(edits).after.survey.files["ant"]["keepalived.conf"]
    again = edits_between("ant", "keepalived.conf", there, text)
    back = survey.rehearse((*edits, *again)).after.survey.files["ant"]["keepalived.conf"]
    assert [line.split() for line in back.split("\n")] == [
        line.split() for line in text.split("\n")
    ]
    (change,) = hand_over(survey.survey, edits)
    assert change.language == "in words"
    assert (
        'In keepalived.conf, in vrrp_instance quay: write "priority 90" instead of' in change.apply
    )
    assert "priority 150" in change.back
    whole = blocks(text.split("\n"))
    assert [b.opening for b in whole.inner] == ["global_defs", "vrrp_instance quay"]


def test_of_equal_priorities_either_may_be_preferred() -> None:
    survey = lan(part(100), part(100))
    (found,) = [f for f in survey.findings if f.kind == "shared-priority-equal"]
    assert found.severity == "notes" and [s.text for s in found.evidence] == ["priority 100"] * 2
    ends = [holders(survey.rehearse(remedy.edits).after) for remedy in found.remedies]
    assert ends == [["ant"], ["bee"]]
    assert "is not in their texts" in survey.path("h1", "10.64.9.1").sentence()
