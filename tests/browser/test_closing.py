"""How a case ends: closed with a reason, and kept so; or solved, which a newer survey shows."""

from __future__ import annotations

import re
from datetime import timedelta

from playwright.sync_api import Page, expect

from trochos.server.surveys.models import Case, StoredSurvey


def test_a_case_is_closed_with_a_reason_and_kept_so(page: Page) -> None:
    case = Case.objects.filter(survey__title__contains="Monday", state="reported").first()
    assert case is not None
    page.goto(f"/s/{case.survey_id}/cases/{case.pk}")
    page.get_by_role("button", name="Close unverified").click()
    reason = page.get_by_label("Why is it closed")
    expect(reason).to_be_focused()
    expect(page.get_by_role("button", name="Close it")).to_be_disabled()
    reason.fill("told by phone that it works again")
    reason.press("Enter")
    expect(page.get_by_test_id("case-state")).to_have_text("closed unverified")
    page.get_by_role("button", name="Keep it so").click()
    kept = page.get_by_role("link", name="Kept: expected from now on")
    expect(kept).to_be_visible()
    kept.click()
    expect(page.get_by_text(f"(case {case.pk})").first).to_be_visible()


def test_a_solved_case_says_so_before_what_was_wrong(page: Page) -> None:
    case = Case.objects.filter(survey__title__contains="Monday", state="reported").first()
    assert case is not None and case.survey.taken_at is not None
    healthy = StoredSurvey.objects.filter(title="Before the season").first()
    assert healthy is not None
    case.state, case.verified_on = "verified", healthy
    case.save()
    healthy.taken_at = case.survey.taken_at + timedelta(days=1)
    healthy.save()
    page.goto(f"/s/{case.survey_id}/cases/{case.pk}")
    banner = page.get_by_test_id("verified-banner")
    expect(banner).to_contain_text(f"Solved: {healthy.title} shows it.")
    expect(page.get_by_test_id("answer")).to_contain_text("How it was: ")
    expect(page.get_by_text("solved", exact=True)).to_be_visible()
    expect(page.get_by_text("fails", exact=True)).to_have_count(0)
    banner.get_by_role("link", name="The way now").click()
    expect(page).to_have_url(re.compile(rf"/s/{healthy.pk}/case\?"))
