"""What a team needs of the service, done in the browser: accounts, tokens, the trail, deletion, and
what a reader sees."""

from __future__ import annotations

import json
import re
import urllib.request
from pathlib import Path

from django.contrib.auth.models import User
from playwright.sync_api import Page, Route, expect

from trochos.server.accounts.administration import set_role
from trochos.server.surveys.models import Case, StoredSurvey


def test_a_colleague_comes_in_does_little_and_goes(page: Page) -> None:
    page.goto("/administration")
    page.get_by_label("Name of a colleague").fill("grace")
    page.get_by_label("Role of the new account").select_option("reader")
    page.get_by_role("button", name="Add account").click()
    link = page.get_by_text(re.compile(r"/sign-in#\S+")).inner_text()
    link = link[link.index("http") :]
    other = page.context.browser.new_context()  # type: ignore[union-attr]
    hers = other.new_page()
    hers.goto(link)
    hers.get_by_role("navigation", name="Main").wait_for()
    hers.goto(f"{page.url.split('/administration')[0]}/surveys")
    expect(hers.get_by_role("heading", name="Surveys")).to_be_visible()
    # A reader is not offered what the server would refuse.
    expect(hers.get_by_role("region", name="A new survey")).to_have_count(0)
    expect(hers.get_by_role("button", name=re.compile("^Delete"))).to_have_count(0)
    hers.goto(f"{page.url.split('/administration')[0]}/administration")
    expect(hers.get_by_text("This is for administrators")).to_be_visible()

    page.reload()
    row = page.get_by_role("row").filter(has_text="grace")
    expect(row).to_contain_text("1 session")
    row.get_by_role("button", name="Disable grace").click()
    expect(row).to_contain_text("disabled")
    hers.reload()
    expect(hers.get_by_label("Password")).to_be_visible()
    other.close()

    page.get_by_role("tab", name="Audit trail").click()
    trail = page.get_by_role("table", name="audit trail")
    for done in ("account made", "account disabled", "signed in"):
        expect(trail).to_contain_text(done)
    page.get_by_label("What was done").select_option("account disabled")
    expect(trail).not_to_contain_text("account made")
    with page.expect_download() as got:
        page.get_by_role("link", name="The whole trail").click()
    lines = Path(got.value.path()).read_text().splitlines()
    assert {"account made", "account disabled"} <= {json.loads(line)["what"] for line in lines}


def test_a_token_is_made_used_and_ended(page: Page, live_server) -> None:  # type: ignore[no-untyped-def]
    page.goto("/account")
    page.get_by_label("What it is for").fill("build server")
    page.get_by_role("button", name="Make a token").click()
    token = page.get_by_text(re.compile(r"^trochos-")).inner_text()
    request = urllib.request.Request(
        f"{live_server.url}/api/surveys", headers={"Authorization": f"Bearer {token}"}
    )
    with urllib.request.urlopen(request, timeout=300) as answer:
        assert len(json.load(answer)["surveys"]) == StoredSurvey.objects.count()
    page.reload()
    expect(page.get_by_text(token)).to_have_count(0)
    page.get_by_role("button", name="End build server").click()
    expect(page.get_by_role("row").filter(has_text="build server")).to_contain_text("ended")


def test_deleting_says_first_what_goes(page: Page, broken: int) -> None:
    cases = Case.objects.filter(survey=broken).count()
    page.keyboard.press("s")
    page.get_by_role("button", name="Delete Monday after the harbour works").click()
    asked = page.get_by_role("dialog", name="Delete Monday after the harbour works")
    expect(asked).to_contain_text(f"{cases} cases about it go with it, with 1 pasted text.")
    asked.get_by_role("button", name="Cancel").click()
    assert StoredSurvey.objects.filter(pk=broken).exists()
    page.get_by_role("button", name="Delete Monday after the harbour works").click()
    asked.get_by_role("button", name="Delete it").click()
    expect(page.get_by_role("table", name="surveys")).not_to_contain_text("Monday")
    assert not StoredSurvey.objects.filter(pk=broken).exists()


def test_a_case_is_deleted_by_an_administrator(page: Page, broken: int) -> None:
    case = Case.objects.filter(survey=broken).first()
    assert case is not None
    page.goto(f"/s/{broken}/cases/{case.pk}")
    region = page.get_by_role("region", name="The case")
    region.get_by_role("button", name=re.compile("Notes|step")).click()
    region.get_by_role("button", name="Delete case").click()
    page.get_by_role("button", name="Delete it").click()
    page.get_by_role("table", name="cases").wait_for()
    assert not Case.objects.filter(pk=case.pk).exists()


def test_what_a_reader_sees_of_a_change(page: Page, broken: int) -> None:
    set_role(User.objects.get(), "reader")
    page.goto(f"/s/{broken}/case?from=planning-desk&to=skerry-kiosk")
    expect(page.get_by_test_id("suspect").first).to_contain_text("proven")
    expect(page.get_by_role("button", name="Keep as case")).to_have_count(0)
    page.get_by_test_id("suspect").first.get_by_role("button", name="Rehearse", exact=True).click()
    page.get_by_role("tab", name="hand over").click()
    expect(page.get_by_text("takes the role engineer")).to_be_visible()


def test_where_live_work_may_go(page: Page) -> None:
    page.keyboard.press("g")
    page.get_by_role("button", name="Change the networks").click()
    form = page.get_by_role("dialog", name="Where Trochos may go")
    form.get_by_label("Network").fill("10.0.0.1/8")
    form.get_by_role("button", name="Allow it").click()
    expect(form.get_by_role("alert")).to_contain_text("Write 10.0.0.0/8")
    form.get_by_label("Network").fill("192.0.2.0/24")
    form.get_by_role("button", name="Allow it").click()
    expect(form.get_by_text("192.0.2.0/24")).to_be_visible()
    form.get_by_role("button", name="Take 192.0.2.0/24 out").click()
    expect(form.get_by_text("192.0.2.0/24")).to_have_count(0)


def test_a_long_upload_says_how_far_it_is_and_is_stopped(page: Page, tmp_path: Path) -> None:
    """Reading takes a moment at most here, so the server's words of a long one are put in."""
    stopped: list[str] = []

    def told(route: Route) -> None:
        if route.request.method == "DELETE":
            stopped.append(route.request.url)
            route.fulfill(status=204)
        elif stopped:
            says = "This upload was stopped. Nothing of it is kept."
            route.fulfill(status=400, json={"detail": says})
        else:
            held = {"id": 7, "state": "working", "survey": None, "read": 57, "of": 200}
            route.fulfill(status=200, json=held)

    sent = {"id": 7, "state": "working", "survey": None, "read": 0, "of": 0}
    page.goto("/surveys")
    page.route("**/api/surveys/incoming/7", told)
    page.route(
        "**/api/surveys",
        lambda route: (
            route.fulfill(status=202, json=sent)
            if route.request.method == "POST"
            else route.continue_()
        ),
    )
    survey = tmp_path / "tern.txt"
    survey.write_text("frr version 8.4.4\nhostname tern\n")
    page.get_by_label("Files of the survey").set_input_files(survey)
    new = page.get_by_role("region", name="A new survey")
    expect(new.get_by_role("status")).to_contain_text("Reading: 57 of 200 files")
    new.get_by_role("button", name="Stop reading").click()
    expect(new.get_by_role("alert")).to_contain_text("was stopped. Nothing of it is kept.")
    assert len(stopped) == 1
    expect(new.get_by_role("button", name="Choose files")).to_be_enabled()


def test_whoever_writes_a_secret_is_told_that_it_is_not_kept(page: Page, broken: int) -> None:
    case = Case.objects.filter(survey=broken).first()
    assert case is not None
    page.goto(f"/s/{broken}/cases/{case.pk}")
    region = page.get_by_role("region", name="The case")
    region.get_by_role("button", name=re.compile("Notes|step")).click()
    region.get_by_label("A note").fill("the old one was password saltMarsh9")
    region.get_by_role("button", name="Note", exact=True).click()
    expect(page.get_by_text("stood what looks like a secret. It is not kept")).to_be_visible()
    expect(region).to_contain_text("<secret")
    page.get_by_role("button", name="Close", exact=True).click()
    expect(page.get_by_text("stood what looks like a secret")).to_have_count(0)
