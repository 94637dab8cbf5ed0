"""Routing protocols in the browser: complaints of the isles, and the neighbours behind them."""

from __future__ import annotations

import re

import pytest
from browser.test_jobs import open_case
from playwright.sync_api import Page, expect


@pytest.mark.parametrize(
    ("complaint", "device", "says"),
    [
        (
            "The kiosk at Shag Rock sells no tickets",
            "shag",
            "auk and shag are not OSPF neighbours: hello interval: auk 2 s, shag 5 s.",
        ),
        (
            "Planning lost the kiosk at Rail Head",
            "lantern",
            "puffin's range 10.64.160.0/20 hides it",
        ),
        (
            "The Booby is not seen from ashore",
            "lantern",
            "petrel announces its rip routes into OSPF, but not 10.64.178.0/24",
        ),
        (
            "Planning cannot load jobs onto the lathe",
            "lantern",
            "dunlin and knot are not EIGRP neighbours: autonomous system: dunlin 64, knot 46.",
        ),
        (
            "The press has vanished from the job list",
            "lantern",
            "ruff is connected to 10.64.194.0/24, and no EIGRP statement takes it in.",
        ),
        (
            "No tide tables at Rail Head",
            "puffin",
            "tidewater is AS 65540, expects AS 65537",
        ),
    ],
)
def test_the_decision_says_where_the_route_is_lost(
    page: Page, complaint: str, device: str, says: str
) -> None:
    open_case(page, complaint)
    journey = page.get_by_test_id("journey")
    journey.get_by_role("button", name=re.compile(rf"\b{device}\b(?!-)")).first.click()
    expect(page.get_by_label("The decision")).to_contain_text(says)


def test_a_failing_pair_opens_to_its_gates_and_to_the_line(page: Page) -> None:
    page.get_by_role("link", name="Neighbours", exact=True).click()
    relations = page.get_by_label("Relations")
    expect(relations).to_contain_text("7 not working")
    relations.get_by_role("button", name="auk").and_(
        relations.get_by_role("button", name="shag")
    ).click()
    gates = page.get_by_label("Gates")
    expect(gates).to_contain_text("the first gate that does not hold is hello interval")
    row = gates.get_by_role("row", name="hello interval")
    expect(row).to_contain_text("2 s")
    expect(row).to_contain_text("5 s")
    row.get_by_role("link", name="shag line").click()
    expect(page.get_by_text("ip ospf hello-interval 5")).to_be_visible()


def test_neighbours_are_found_by_name_and_protocol(page: Page) -> None:
    page.get_by_role("link", name="Neighbours", exact=True).wait_for()
    page.keyboard.press("n")
    relations = page.get_by_label("Relations")
    page.get_by_label("Find a device or interface").fill("tidewater")
    expect(relations).to_contain_text("1 relation, 1 not working")
    page.get_by_label("Find a device or interface").fill("")
    page.get_by_label("Protocol").select_option("RIP")
    expect(relations).to_contain_text("2 relations, 1 not working")
    assert "protocol=RIP" in page.url


def test_the_map_shows_the_neighbours_of_a_protocol(page: Page) -> None:
    page.get_by_role("link", name="Map", exact=True).click()
    page.get_by_label("Show neighbours of").select_option("OSPF")
    chart = page.get_by_role("group", name="Map of the network")
    expect(chart).to_contain_text("✕ hello interval")
    expect(chart).to_contain_text("area 2")


def test_a_device_shows_its_relations(page: Page, broken: int) -> None:
    page.goto(f"/s/{broken}/devices/puffin?part=neighbours")
    expect(page.get_by_label("BGP between puffin and tidewater")).to_contain_text("AS number")
    page.goto(f"/s/{broken}/devices/puffin?part=routes")
    expect(page.get_by_role("row", name="10.64.144.0/30").first).to_contain_text("OSPF")
