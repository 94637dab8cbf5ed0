"""Before it breaks: single failures, a device taken down, expectations, orders of steps; and what
somebody mailed, pasted into a case."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from trochos.server.surveys.models import Case, ExpectationList, StoredSurvey

from .conftest import PATIENCE


def healthy() -> int:
    return StoredSurvey.objects.get(title="Before the season").id


def test_what_most_hangs_on_is_found_and_looked_at(page: Page, broken: int) -> None:
    page.goto(f"/s/{healthy()}/failures?what=devices")
    expect(page.get_by_test_id("sweep-says")).to_contain_text("cut something", timeout=2 * PATIENCE)
    first = page.get_by_test_id("failure").first
    expect(first).to_contain_text("heron")
    first.get_by_role("link", name="Before and after").click()
    page.wait_for_url("**/change?**down=heron**")
    expect(page.get_by_role("heading", name="If heron fails")).to_be_visible()
    expect(page.get_by_role("region", name="Now")).to_contain_text("It works")
    expect(page.get_by_role("region", name="With the change")).to_be_visible()
    page.reload()
    expect(page.get_by_role("heading", name="If heron fails")).to_be_visible()


def test_a_hop_is_taken_down_and_put_back(page: Page, broken: int) -> None:
    page.goto(f"/s/{healthy()}/case?from=planning-desk&to=skerry-kiosk")
    page.get_by_role("link", name="Take office down").click()
    page.wait_for_url("**/change?**down=office**")
    expect(page.get_by_role("region", name="What the change does")).to_contain_text("break")
    page.get_by_role("link", name="Put it back").click()
    page.wait_for_url(f"**/s/{healthy()}/case?**")
    expect(page.get_by_test_id("answer")).to_contain_text("It works")


def test_expectations_are_held_against_the_survey_and_lead_to_the_cause(
    page: Page, broken: int
) -> None:
    page.keyboard.press("e")
    page.wait_for_url("**/expectations")
    expect(page.get_by_test_id("expectations-say")).to_contain_text(
        "3 of 7 do not hold", timeout=2 * PATIENCE
    )
    red = page.get_by_test_id("expectation").first
    red.get_by_role("link", name="Look for the cause").click()
    page.wait_for_url("**/case?**")
    expect(page.get_by_role("region", name="Suspects")).to_contain_text("proven", timeout=PATIENCE)


def test_a_list_begins_with_what_works_and_keeps_what_was_written(page: Page, broken: int) -> None:
    ExpectationList.objects.all().delete()
    page.goto(f"/s/{healthy()}/expectations")
    page.get_by_role("button", name="Begin with what works now").click()
    field = page.get_by_label("The list of expectations")
    expect(field).to_have_value(re.compile("must: work"))
    field.fill("- from: [planning-desk\n")
    page.get_by_role("button", name="Keep for the network").click()
    expect(page.get_by_role("alert")).to_contain_text("is not YAML")
    expect(field).to_have_value("- from: [planning-desk\n")
    field.fill("- name: Planning sees the kiosk\n  from: planning-desk\n  to: skerry-kiosk\n")
    page.get_by_role("button", name="Keep for the network").click()
    expect(page.get_by_test_id("expectations-say")).to_contain_text("All 1 hold", timeout=PATIENCE)
    page.goto(f"/s/{broken}/expectations")
    expect(page.get_by_test_id("expectations-say")).to_contain_text("1 of 1 do not hold")
    marks = page.get_by_role("list", name="In the surveys of this network").get_by_role("link")
    expect(marks.first).to_have_attribute("aria-label", "Before the season: held")


def test_the_steps_of_a_change_are_put_in_order(page: Page, broken: int) -> None:
    change = StoredSurvey.objects.get(pk=healthy()).proposals.get()
    page.goto(f"/s/{healthy()}/change/{change.id}?show=order")
    expect(page.get_by_test_id("order-says")).to_contain_text(
        "nothing is cut", timeout=2 * PATIENCE
    )
    steps = page.get_by_test_id("step")
    expect(steps).to_have_count(4)
    expect(steps.first).to_contain_text("address 10.64.0.250")
    page.get_by_label("I make it from").select_option("planning-desk")
    expect(page.get_by_test_id("order-says")).to_be_visible(timeout=2 * PATIENCE)


def test_a_mailed_trace_is_laid_beside_the_journey(page: Page, broken: int) -> None:
    case = Case.objects.get(sender="planning-desk", receiver="skerry-kiosk")
    page.goto(f"/s/{broken}/cases/{case.id}")
    seen = page.get_by_role("region", name="What somebody saw")
    expect(page.get_by_role("region", name="Suspects")).to_contain_text("proven", timeout=PATIENCE)
    seen.get_by_role("button", name="Paste an output").click()
    seen.get_by_label("The output, as it was printed").fill("it does not work")
    seen.get_by_role("button", name="Lay beside the journey").click()
    expect(seen.get_by_role("alert")).to_contain_text("No output of ping")
    seen.get_by_label("The output, as it was printed").fill(
        "> ann@planning-desk:~$ traceroute -n 10.64.22.41\n"
        "> traceroute to 10.64.22.41 (10.64.22.41), 30 hops max, 60 byte packets\n"
        ">  1  10.64.64.1  0.5 ms  0.4 ms  0.4 ms\n"
        ">  2  10.64.0.33  0.8 ms  0.7 ms  0.7 ms\n"
        ">  3  10.64.0.14  1.0 ms  1.1 ms  1.0 ms\n"
        ">  4  10.64.22.41  1.4 ms  1.3 ms  1.4 ms\n"
    )
    seen.get_by_role("button", name="Lay beside the journey").click()
    kept = seen.get_by_test_id("pasted")
    expect(kept).to_contain_text("skerry, not yard")
    expect(kept).to_contain_text("It fits Thursday, ready for the harbour works")
    page.reload()
    expect(kept).to_contain_text("skerry, not yard")
    kept.get_by_role("button", name="Take out").click()
    expect(kept).to_have_count(0)


def test_what_was_pressed_counts_although_the_page_grew_meanwhile(page: Page, broken: int) -> None:
    case = Case.objects.get(sender="planning-desk", receiver="skerry-kiosk")
    page.goto(f"/s/{broken}/cases/{case.id}")
    expect(page.get_by_role("region", name="Suspects")).to_contain_text("proven", timeout=PATIENCE)
    paste = page.get_by_role("button", name="Paste an output")
    field = page.get_by_label("The output, as it was printed")
    paste.scroll_into_view_if_needed()

    def press(moved: int) -> None:
        """Pressed, let go a moment later; an answer above takes room in between."""
        box = paste.bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        paste.evaluate(
            "button => { const answer = document.createElement('div');"
            " answer.style.height = '60px'; button.closest('section').before(answer); }"
        )
        page.mouse.move(x + moved, y)
        page.mouse.up()

    press(moved=80)
    expect(field).to_have_count(0)
    press(moved=0)
    expect(field).to_be_focused()
