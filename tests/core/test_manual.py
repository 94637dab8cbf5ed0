"""The manual's page of findings is what the engine knows."""

from __future__ import annotations

import runpy

import pytest
from surveys import KEY, ROOT

from trochos.core.diagnosis import glossary
from trochos.core.diagnosis.ends import compare_ends
from trochos.core.network.facts import End
from trochos.core.protocols import shared
from trochos.core.protocols.registry import protocols
from trochos.core.step.verdicts import WORST_FIRST
from trochos.core.survey import Computed
from trochos.local import read_folder


def test_the_page_of_findings_is_current() -> None:
    page = runpy.run_path(str(ROOT / "docs" / "manual" / "make.py"))["page"]
    assert (ROOT / "docs" / "manual" / "findings.md").read_text() == page()


def test_the_page_of_limits_is_current() -> None:
    page = runpy.run_path(str(ROOT / "docs" / "manual" / "make.py"))["limits_page"]
    assert (ROOT / "docs" / "manual" / "limits.md").read_text() == page()


@pytest.mark.parametrize("name", ["verdicts", "gates", "claims", "files"])
def test_the_pages_of_words_are_current(name: str) -> None:
    page = runpy.run_path(str(ROOT / "docs" / "manual" / "make.py"))[f"{name}_page"]
    assert (ROOT / "docs" / "manual" / f"{name}.md").read_text() == page()


def test_every_word_on_the_screens_is_explained() -> None:
    assert glossary.VERDICTS.keys() == set(WORST_FIRST)
    gates = {gate.name for protocol in protocols() for gate in protocol.gates}
    assert gates | {gate.name for gate in shared.GATES} <= glossary.GATES.keys()
    survey = Computed.from_files(read_folder(ROOT / "demo" / "broken"), KEY)
    pairs = survey.neighbours_json()["pairs"]
    shown = {gate["gate"] for pair in pairs for gate in pair["gates"]}  # type: ignore[index,union-attr]
    assert shown <= glossary.GATES.keys()
    for interface in survey.network.device("heron").interfaces:  # type: ignore[union-attr]
        end = End("heron", interface.name)
        far = survey.tables.links.far_end(end)
        rows = compare_ends(survey.tables, survey.forwarding, end, far, None)["gates"]
        assert {row["gate"] for row in rows} <= glossary.GATES.keys()  # type: ignore[attr-defined]
