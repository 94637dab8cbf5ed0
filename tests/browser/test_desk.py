"""Where to begin: what fails, by cause, worst first, with the remedy at hand."""

from __future__ import annotations

import re

from django.contrib.auth.models import User
from playwright.sync_api import Page, expect

from trochos.server.accounts.models import OneTimeLink
from trochos.server.surveys.models import StoredSurvey

from .conftest import PATIENCE


def test_what_fails_is_grouped_by_its_cause_and_the_first_is_rehearsed(
    page: Page, broken: int
) -> None:
    # Who signs in lands there.
    page.context.clear_cookies()
    page.goto(f"/sign-in#{OneTimeLink.issue(User.objects.get(username='ada'))}")
    page.wait_for_url("**/desk")
    expect(page.get_by_role("heading", name="Where to begin")).to_be_visible()
    # What is proven takes its time; progress is shown meanwhile.
    expect(page.get_by_test_id("desk-says")).to_contain_text("fail", timeout=2 * PATIENCE)
    groups = page.get_by_test_id("desk-group")
    # Every pair stands under what it lacks last, so each of the overlapping faults has a group.
    # What is shown before it is whole has fewer.
    shut = groups.filter(has_text="heron ge1 is shut down")
    expect(shut).to_have_count(1, timeout=4 * PATIENCE)
    expect(groups.first).to_contain_text("lantern sends 0.0.0.0/0")
    assert not groups.filter(has_text="No change that is known here").count()
    turned = page.get_by_role("region", name="What turned")
    expect(turned).to_contain_text("Thursday, ready")
    expect(turned).to_contain_text("broke")
    single = groups.filter(has_text="Rehearse").nth(1)
    single.get_by_role("button", name="Rehearse").click()
    page.wait_for_url("**/change/**")
    expect(page.get_by_role("region", name="What the change does")).to_contain_text("pairs heal")


def test_a_healthy_network_is_one_calm_line(page: Page, broken: int) -> None:
    healthy = StoredSurvey.objects.get(title="Before the season").id
    # What is kept apart on purpose has no older survey to show it here, so it is told by its end.
    page.goto(f"/s/{healthy}/desk")
    expect(page.get_by_test_id("desk-says").or_(page.get_by_test_id("calm"))).to_be_visible(
        timeout=2 * PATIENCE
    )
    expect(page.get_by_role("region", name="What turned")).to_contain_text("no older survey")


def test_what_broke_it_is_found_between_two_surveys_and_taken_back(page: Page, broken: int) -> None:
    page.goto(f"/s/{broken}/case?from=planning-desk&to=skerry-kiosk")
    asked = page.get_by_role("region", name="What broke it")
    asked.get_by_label("It worked on").select_option(index=1)
    guilty = asked.get_by_test_id("guilty")
    expect(guilty.first).to_contain_text("mole")
    expect(asked).to_contain_text("innocent")
    asked.get_by_role("button", name="Rehearse taking").click()
    page.wait_for_url("**/change/**")
    expect(page.get_by_role("region", name="What the change does")).to_contain_text("is healed")


def test_of_many_differences_the_two_that_matter_are_told(page: Page, broken: int) -> None:
    eve = StoredSurvey.objects.get(title="Thursday, ready for the harbour works").id
    page.goto(f"/s/{eve}/cases")
    page.get_by_role("link", name="The seamen's school has lost the tide tables").click()
    asked = page.get_by_role("region", name="What broke it")
    asked.get_by_label("It worked on").select_option(index=1)
    guilty = asked.get_by_test_id("guilty")
    expect(guilty).to_have_count(2)
    expect(guilty.first).to_contain_text("router-id")
    expect(guilty.last).to_contain_text("peer-as is 65537, and was 65536")
    expect(asked).to_contain_text("14 other differences are innocent")
    asked.get_by_role("button", name="Rehearse taking them back").click()
    page.wait_for_url("**/change/**")
    expect(page.get_by_role("region", name="What the change does")).to_contain_text("is healed")


def test_an_open_case_is_there_on_the_newer_survey(page: Page, broken: int) -> None:
    page.get_by_label("Filter cases").fill("tide tables")
    row = page.get_by_role("row").filter(has_text="The seamen's school has lost the tide tables")
    expect(row).to_contain_text("since Thursday, ready for the harbour works")
    row.get_by_role("link").first.click()
    expect(page).to_have_url(re.compile(rf"/s/{broken}/cases/"))
    expect(page.get_by_test_id("opened-on")).to_contain_text(
        "asked again on this survey: it still fails"
    )
    page.get_by_test_id("opened-on").get_by_role("link").click()
    expect(page.get_by_test_id("opened-on")).to_have_count(0)
