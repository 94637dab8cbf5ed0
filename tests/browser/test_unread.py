"""What is missing, cut or not understood, as a person sees it."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest
from django.contrib.auth.models import User
from playwright.sync_api import Page, expect
from surveys import frr, wired, without

from trochos.server.surveys.store import store

from .doing import type_over


def row(last: str = "10.64.9.1/24", note: str = "") -> dict[str, bytes]:
    """ant - hub - bee - cat: the hub is drawn, and nothing of it was sent."""
    texts = {
        "topology.json": wired(
            ("ant", "eth1", "hub", "p1"),
            ("bee", "eth1", "hub", "p2"),
            ("bee", "eth2", "cat", "eth1"),
        ),
        "devices/ant/frr.conf": frr(
            "ant", {"eth1": "10.64.0.1/29"}, "ip route 10.64.0.0/16 10.64.0.2", f"! {note}"
        ),
        "devices/bee/frr.conf": frr(
            "bee",
            {"eth1": "10.64.0.2/29", "eth2": "10.64.0.9/30"},
            "ip route 10.64.9.0/24 10.64.0.10",
        ),
        "devices/cat/frr.conf": frr(
            "cat", {"eth1": "10.64.0.10/30", "eth2": last}, "ip route 10.64.0.0/16 10.64.0.9"
        ),
    }
    return {path: text.encode() for path, text in texts.items()}


def kept(files: dict[str, bytes], title: str, day: int = 4) -> int:
    about = {"title": title, "taken_at": f"2026-06-{day:02}T06:30:00Z"}
    user = User.objects.get(username="ada")
    return store({**files, "survey.json": json.dumps(about).encode()}, None, user).id


def test_device_or_lan_is_asked_and_the_answer_kept(page: Page) -> None:
    survey = kept(row(), "The row")
    page.goto(f"/s/{survey}/case?from=ant&to=10.64.9.1")
    expect(page.get_by_test_id("answer")).to_contain_text("It works")
    page.goto(f"/s/{survey}/reading")
    asked = page.get_by_role("region", name="Device or LAN")
    expect(asked).to_contain_text("hub")
    expect(asked).to_contain_text("share a subnet")
    asked.get_by_label("What hub is").select_option("switch")
    expect(asked).to_contain_text("1 device could not be read")
    page.goto(f"/s/{survey}/case?from=ant&to=10.64.9.1")
    expect(page.get_by_test_id("answer")).to_contain_text("hub could not be read")
    later = kept(row(note="later"), "The row, later", 5)
    page.goto(f"/s/{later}/reading")
    expect(page.get_by_label("What hub is")).to_have_value("switch")


def test_a_missing_device_is_neither_a_lan_nor_a_fault(page: Page) -> None:
    kept(row(), "Monday")
    survey = kept(without(row(note="x"), "bee"), "Tuesday", 5)
    page.goto(f"/s/{survey}/reading")
    expect(page.get_by_role("region", name="Device or LAN")).to_contain_text("bee")
    expect(page.get_by_text("2 not read").or_(page.get_by_text("1 not read")).first).to_be_visible()
    page.goto(f"/s/{survey}/case?from=ant&to=10.64.9.1")
    expect(page.get_by_test_id("answer")).to_contain_text("cannot be said")
    expect(page.get_by_text("proven", exact=True)).to_have_count(0)
    page.goto(f"/s/{survey}/findings")
    expect(page.get_by_text("breaks", exact=True)).to_have_count(0)


def test_a_file_that_ends_early_is_one_sentence(page: Page) -> None:
    files = row()
    text = files["devices/bee/frr.conf"]
    files["devices/bee/frr.conf"] = text.replace(b"frr version", b"!\nfrr version", 1)[:90]
    survey = kept(files, "Cut")
    page.goto(f"/s/{survey}/reading")
    expect(page.get_by_role("table", name="files")).to_contain_text("The file ends early, at line")
    page.goto(f"/s/{survey}/case?from=ant&to=10.64.9.1")
    expect(page.get_by_test_id("answer")).to_contain_text("cannot be said")


def test_title_network_and_time_are_corrected(page: Page) -> None:
    survey = kept(row(), "The rwo")
    page.goto(f"/s/{survey}/reading")
    page.get_by_role("button", name="Correct").click()
    form = page.get_by_role("form", name="Correct the survey")
    form.get_by_label("title").fill("The row")
    form.get_by_label("network").fill("Ferries of the sound")
    form.get_by_role("button", name="Save").click()
    expect(page.get_by_text("The row, of Ferries of the sound")).to_be_visible()


def test_what_is_missing_is_counted_apart(page: Page) -> None:
    older = kept(row("10.64.8.1/24"), "Before")
    newer = kept(without(row(note="x"), "cat"), "After", 5)
    page.goto(f"/surveys/compare?old={older}&new={newer}")
    expect(page.get_by_test_id("missing")).to_contain_text("cat")
    expect(page.get_by_test_id("missing")).to_contain_text("nothing is known now")
    expect(page.get_by_test_id("compared")).not_to_contain_text("Nothing that worked fails now.")


def test_lines_of_a_change_that_nobody_understands_are_shown_first(page: Page) -> None:
    survey = kept(row(), "The row")
    page.goto(f"/s/{survey}/change")
    type_over(page, "ant", "interface eth1", "interface eth1\n ip adress 1.2.3.4/33")
    page.get_by_role("button", name=re.compile("Rehearse|Take")).first.click()
    shown = page.get_by_role("region", name="Lines that are not understood")
    expect(shown).to_contain_text("ip adress 1.2.3.4/33")
    page.get_by_role("tab", name="hand over").click()
    expect(page.get_by_text("Nothing is handed over while lines")).to_be_visible()
    page.reload()
    expect(shown).to_contain_text("ip adress 1.2.3.4/33"), "an unsaved edit survives"
    shown.get_by_role("checkbox").check()
    page.get_by_role("tab", name="hand over").click()
    expect(page.get_by_text("Not understood here, and taken on by a person")).to_be_visible()


def test_one_device_alone_proves_nothing(page: Page) -> None:
    files = {"devices/ant/frr.conf": frr("ant", {"eth1": "10.64.0.1/29"}).encode()}
    page.goto(f"/s/{kept(files, 'Alone')}/findings")
    expect(page.get_by_text("on the one device that was read")).to_be_visible()


@pytest.mark.parametrize("name", ["network", "taken"])
def test_an_upload_says_of_which_network_and_when(page: Page, tmp_path: Path, name: str) -> None:
    for path, data in row().items():
        place = tmp_path / "row" / path
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(data)
    page.goto("/surveys")
    if name == "network":
        page.get_by_label("Network").fill("Ferries of the sound")
    page.get_by_label("Folder of the survey").set_input_files(str(tmp_path / "row"))
    page.wait_for_url("**/desk")
    page.goto(page.url.replace("desk", "reading"))
    if name == "network":
        expect(page.get_by_text("of Ferries of the sound")).to_be_visible()
    expect(page.get_by_text("time not given")).to_have_count(0)
