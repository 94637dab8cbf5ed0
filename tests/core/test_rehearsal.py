"""Rehearsals: all pairs before and after, and the texts that devices would hold."""

from __future__ import annotations

import json

import pytest
from surveys import KEY, ROOT, bare, company

from trochos.core.change.handover import hand_over
from trochos.core.change.unmask import changed_files, mask_edits, secrets_in
from trochos.core.network.edits import (
    DataEdit,
    Down,
    EditError,
    Remedy,
    TextEdit,
    read_edits,
)
from trochos.core.readers.survey import places
from trochos.core.survey import Computed
from trochos.local import read_folder

CASES = ROOT / "tests" / "cases"
SHUT = TextEdit("moss", "frr.conf", ("interface eth4",), (), ("shutdown",))


def pings(survey: Computed) -> dict[tuple[str, str, str], object]:
    return {
        (p.device, str(p.source), str(p.target)): p.ok
        for p in survey.reach.pairs()
        if p.source is not None
    }


@pytest.mark.parametrize(
    ("net", "edit"),
    [
        ("loom", SHUT),
        ("loom", Down((("cress", "eth1"),))),
        ("loom", Down((("moss", None),))),
        ("trio", TextEdit("mid", "frr.conf", (), ("router bgp 65540",), ())),
        ("dale", TextEdit("mill", "frr.conf", (), ("ip route 10.64.20.0/24 10.64.0.6",), ())),
        ("ouse", Down((("aire", "eth1"), ("calder", "eth1")))),
    ],
)
def test_the_comparison_is_what_asking_every_pair_twice_says(net: str, edit: object) -> None:
    survey = bare(CASES / f"{net}-00" / "survey")
    rehearsal = survey.rehearse((edit,))  # type: ignore[arg-type]
    was, now = pings(survey), pings(rehearsal.after)
    effect = rehearsal.effect

    def refs(pairs) -> set[tuple[str, str, str]]:  # type: ignore[no-untyped-def]
        return {(p.sender, str(p.source), str(p.target)) for p in pairs}

    shared = was.keys() & now.keys()
    assert refs(effect.breaks) == {
        k for k in shared if was[k] is True and now[k] in (False, "partly")
    }
    assert refs(effect.heals) == {
        k for k in shared if now[k] is True and was[k] in (False, "partly")
    }
    assert not refs(effect.moves) & refs(effect.breaks)


def test_a_change_and_its_way_back_change_nothing() -> None:
    survey = bare(CASES / "loom-00" / "survey")
    there = survey.rehearse((SHUT,))
    back = TextEdit("moss", "frr.conf", ("interface eth4",), ("shutdown",), ())
    again = there.after.rehearse((back,))
    assert survey.compare(again.after).same


def test_a_link_that_fails_breaks_what_needs_it_and_moves_the_rest() -> None:
    survey = bare(CASES / "loom-00" / "survey")
    effect = survey.rehearse((Down((("cress", "eth1"),)),)).effect
    assert effect.moves
    assert not any(p.sender.startswith("h") and p.owner.startswith("h") for p in effect.breaks)


@pytest.mark.thorough
def test_what_vanishes_with_its_own_address_is_told_apart() -> None:
    survey = company()
    tern = next(d for d in survey.network.devices if d.name == "tern")
    address = next(f for i in tern.interfaces if i.name == "lo" for f in i.addresses)
    line = address.source.text
    effect = survey.rehearse((TextEdit("tern", "frr.conf", ("interface lo",), (line,), ()),)).effect
    assert effect.gone
    assert all(str(address.address) in (str(p.target), str(p.source)) for p in effect.gone)


@pytest.mark.thorough
def test_written_texts_hold_the_real_secrets() -> None:
    folder = CASES / "port-03" / "survey"
    files = read_folder(folder)
    survey = Computed.from_files(files, KEY)
    top = survey.diagnose("h1", "h2").causes[0]
    changed = changed_files(
        files, places(files, survey.survey), survey.survey.files, top.option.edits, KEY
    )
    differing = [path for path in files if files[path] != changed[path]]
    assert differing == ["devices/pier/frr.conf"]
    assert b"<secret:" not in changed[differing[0]]
    assert Computed.from_files(changed, KEY).path("h1", "h2").works == "yes"


@pytest.mark.thorough
def test_the_hand_over_speaks_each_devices_language() -> None:
    survey = company(broken=True)
    found = survey.diagnose("shag-kiosk", "bank-desk")
    edits = [edit for cause in found.causes for edit in cause.option.edits]
    parts = {part.language: part for part in hand_over(survey.survey, edits)}
    lines = parts["configuration lines"]
    assert " ip ospf hello-interval 2" in lines.apply.split("\n")
    assert " ip ospf hello-interval 5" in lines.back.split("\n")
    rpc = parts["NETCONF edit"]
    assert "<edit-config>" in rpc.apply and "<source>198.18.255.50</source>" in rpc.apply
    assert 'nc:operation="remove"' in rpc.back


@pytest.mark.parametrize(
    ("document", "says"),
    [
        ([], r'\{"edits"'),
        ({"edits": [{"device": "a", "file": "f"}]}, "neither"),
        ({"edits": [{"down": {"link": [{"device": "a"}]}}]}, "two ends"),
        ({"edits": [{"add": ["x"]}]}, '"device"'),
        ({"edits": [{"device": "a", "file": "f", "add": [1]}]}, "list of lines"),
    ],
)
def test_a_change_of_another_shape_is_refused_with_a_sentence(document: object, says: str) -> None:
    with pytest.raises(EditError, match=says):
        read_edits(document)


def test_edits_survive_the_way_through_json() -> None:
    edits = (
        SHUT,
        DataEdit("d", "running.json", "/a/b", None, {"x": [1]}),
        Down((("moss", "eth4"), ("reed", "eth1"))),
        Down((("moss", None),)),
    )
    document = json.loads(json.dumps(Remedy("t", edits).as_json()))
    assert read_edits(document) == edits


def test_a_typed_secret_is_masked_and_written_as_it_was_typed() -> None:
    files = read_folder(CASES / "port-03" / "survey")
    survey = Computed.from_files(files, KEY)
    line = "ip ospf message-digest-key 1 md5 "
    typed = (
        TextEdit(
            "pier", "frr.conf", ("interface eth1",), (line + "saltmarch",), (line + "saltmarsh",)
        ),
        DataEdit("x", "running.json", "/a/password", None, "hunter2"),
    )
    hidden = mask_edits(typed, KEY)
    assert "salt" not in str(hidden) and "hunter2" not in str(hidden)
    known = secrets_in(typed, KEY)
    assert set(known.values()) == {"saltmarch", "saltmarsh", "hunter2"}
    edits = hidden[:1]
    assert survey.rehearse(edits).after.path("h1", "h2").works == "yes"
    where = places(files, survey.survey)
    changed = changed_files(files, where, survey.survey.files, edits, KEY, known)
    assert (line + "saltmarsh").encode() in changed["devices/pier/frr.conf"]
