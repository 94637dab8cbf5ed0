"""The manual in the application, the walk of a first visit, and tabs by keyboard."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect


def test_a_word_on_the_screen_leads_to_what_it_means(page: Page, broken: int) -> None:
    page.goto(f"/s/{broken}/findings")
    table = page.get_by_role("table", name="findings")
    row = table.get_by_role("row").filter(has_text="heron ge1 is shut down")
    row.get_by_role("link", name="In the manual").click()
    expect(page).to_have_url(re.compile("/manual/findings#interface-shut$"))
    expect(page.locator("#interface-shut")).to_be_in_viewport()
    expect(page.locator("#interface-shut")).to_have_class("here")

    page.get_by_label("Look for").fill("hello interval")
    found = page.get_by_role("region", name="What was found")
    found.get_by_role("link", name="hello interval", exact=True).first.click()
    expect(page).to_have_url(re.compile("/manual/gates#hello-interval$"))
    expect(page.locator("#hello-interval")).to_contain_text("Both ends say hello equally often")
    page.get_by_label("Look for").fill("submarine")
    expect(page.get_by_text("Nothing in the manual speaks of")).to_be_visible()

    # From a gate, and from where a packet ends.
    page.goto(f"/s/{broken}/case?from=planning-desk&to=skerry-kiosk")
    page.get_by_text("It ends here").get_by_role("link").click()
    expect(page).to_have_url(re.compile("/manual/verdicts#"))
    expect(page.locator(".manual .here")).to_be_in_viewport()


def test_a_first_visit_is_offered_a_walk_that_does_not_come_back(page: Page, broken: int) -> None:
    walk = page.get_by_role("region", name="A first walk")
    walk.get_by_role("button", name="Show me").click()
    expect(walk).to_contain_text("1 of 3: The journey")
    walk.get_by_role("button", name="Next").click()
    expect(walk).to_contain_text("2 of 3: The suspects")
    page.get_by_role("button", name="Rehearse", exact=True).first.click()
    expect(walk).to_contain_text("3 of 3: The change")
    walk.get_by_role("button", name="Done").click()
    expect(walk).to_have_count(0)
    for place in ("desk", "cases"):
        page.goto(f"/s/{broken}/{place}")
        page.get_by_role("navigation", name="Main").wait_for()
        expect(walk).to_have_count(0)


def test_who_wants_no_walk_is_left_alone(page: Page, broken: int) -> None:
    walk = page.get_by_role("region", name="A first walk")
    walk.get_by_role("button", name="No, thanks").click()
    expect(walk).to_have_count(0)
    page.reload()
    page.get_by_role("table", name="cases").wait_for()
    expect(walk).to_have_count(0)


def test_tabs_go_by_arrow_keys(page: Page, broken: int) -> None:
    page.goto(f"/s/{broken}/change?down=heron+ge0")
    tabs = page.get_by_role("tablist", name="Parts of the change")
    tabs.get_by_role("tab", name="effect").press("ArrowRight")
    second = tabs.get_by_role("tab", name="difference")
    expect(second).to_be_focused()
    expect(second).to_have_attribute("aria-selected", "true")
    second.press("End")
    expect(tabs.get_by_role("tab", name="edit")).to_be_focused()
    expect(tabs.get_by_role("tab", name="effect")).to_have_attribute("tabindex", "-1")
