"""The manual's page of findings is what the engine knows."""

from __future__ import annotations

import runpy

from surveys import ROOT


def test_the_page_of_findings_is_current() -> None:
    page = runpy.run_path(str(ROOT / "docs" / "manual" / "make.py"))["page"]
    assert (ROOT / "docs" / "manual" / "findings.md").read_text() == page()


def test_the_page_of_limits_is_current() -> None:
    page = runpy.run_path(str(ROOT / "docs" / "manual" / "make.py"))["limits_page"]
    assert (ROOT / "docs" / "manual" / "limits.md").read_text() == page()
