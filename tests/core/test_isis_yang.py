"""IS-IS as the IETF's YANG data (RFC 9130): the same answers, the same causes, valid remedies."""

from __future__ import annotations

import json

import pytest
from ietf import survey_as_yang
from surveys import KEY
from yangson.enumerations import ContentType, ValidationScope

from trochos.core.change.apply import apply
from trochos.core.change.handover import hand_over
from trochos.core.survey import Computed
from trochos.server.surveys import modules

from .test_openconfig import CASES, bare_files, tables

KARST = sorted(p.name for p in CASES.iterdir() if p.name.startswith("karst"))


def written(name: str) -> tuple[Computed, Computed, list[str]]:
    files = bare_files(CASES / name / "survey")
    text = Computed.from_files(files, KEY)
    anew, done = survey_as_yang(text, files)
    return text, Computed.from_files(anew, KEY), done


@pytest.mark.thorough
@pytest.mark.parametrize("name", KARST)
def test_a_captured_network_written_anew_gives_the_same_answers(name: str) -> None:
    text, data, done = written(name)
    assert len(done) >= 5
    assert tables(data) == tables(text)
    assert [p.as_json() for p in data.reach.pairs()] == [p.as_json() for p in text.reach.pairs()]
    assert not [line for r in data.survey.reading if r.file == "running.json" for line in r.unknown]
    validator = modules.model()
    for device in done:
        whole = json.loads(data.survey.text(device, "running.json") or "")
        validator.from_raw(whole).validate(ValidationScope.all, ContentType.config)


@pytest.mark.thorough
@pytest.mark.parametrize("name", [n for n in KARST if n != "karst-00"])
def test_a_fault_is_found_and_mended_in_data(name: str) -> None:
    fault = json.loads((CASES / name / "truth" / "answer.json").read_text())["fault"]
    _, data, done = written(name)
    sender, receiver = fault["broken_pairs"][0]
    first = data.diagnose(sender, receiver).causes[0]
    assert first.certainty == "proven"
    edits = first.option.remedy.edits
    named = {first.option.finding.device, *(edit.device for edit in edits)}
    assert named & {fault["device"], fault.get("peer")}
    healed = Computed(apply(data.survey, edits).survey)
    assert healed.path(sender, receiver).works == "yes"
    for part in hand_over(data.survey, edits, (), modules.problem_with):
        if part.device in done:
            assert part.problem is None and part.language == "NETCONF edit"
