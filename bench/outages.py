#!/usr/bin/env python3
"""How long the screens take from an upload to a rehearsed remedy that is handed over.

    ./trochos up                                     (in another terminal; it prints a sign-in link)
    .venv/bin/python bench/outages.py LINK CASE...   (folders like tests/cases/dale-01)

Each case is uploaded as its folder, in a browser, as a network of its own. On the desk the first
group is rehearsed; where nothing between hosts fails, the pair of the complaint is asked about,
and its first suspect rehearsed. The clock stops when the change to hand over is on the screen.
What a person reads and thinks in between is not in it. Each line tells the seconds, the clicks,
and whether the change is at a device at which the fault was made (or at its other end).
"""

from __future__ import annotations

import argparse
import json
import os
import re
import statistics
import time
from pathlib import Path

from playwright.sync_api import Error, Page, sync_playwright

PATIENCE_MS = 120_000


def complaint(truth: dict) -> tuple[str, str] | None:
    """Whom somebody would miss first."""
    faults = truth.get("faults") or [truth.get("fault", {})]
    pairs = [tuple(pair) for fault in faults for pair in fault.get("broken_pairs", [])]
    pairs += [tuple(pair) for pair in truth.get("partial_pairs", [])]
    pairs += [tuple(pair[:2]) for pair in truth.get("lost", [])]
    return pairs[0] if pairs else None


def solve(page: Page, base: str, case: Path, stamp: str) -> tuple[float, int, set[str]]:
    """Seconds and clicks to the change that is handed over, and the devices that it is for."""
    truth = json.loads((case / "truth" / "answer.json").read_text())
    page.goto(f"{base}/surveys")
    page.get_by_label("Network", exact=True).fill(f"{case.name} {stamp}")
    page.get_by_label("Title", exact=True).fill(case.name)
    began, clicks = time.monotonic(), 1
    page.get_by_label("Folder of the survey").set_input_files(case / "survey")
    page.wait_for_url(re.compile(r"/s/\d+/"), timeout=PATIENCE_MS)
    survey = re.search(r"/s/(\d+)/", page.url)
    assert survey is not None
    page.goto(f"{base}/s/{survey[1]}/desk")
    clicks += 1
    said = page.get_by_test_id("desk-says").or_(page.get_by_test_id("calm"))
    said.first.wait_for(timeout=PATIENCE_MS)
    first = page.get_by_test_id("desk-group").first.get_by_role("button", name="Rehearse")
    if first.count():
        first.click()
        clicks += 1
    else:
        pair = complaint(truth)
        assert pair is not None, "nothing is lost in this case"
        page.goto(f"{base}/s/{survey[1]}/case?from={pair[0]}&to={pair[1]}")
        rehearse = page.get_by_role("region", name="Suspects").get_by_role(
            "button", name="Rehearse"
        )
        rehearse.first.wait_for(timeout=PATIENCE_MS)
        rehearse.first.click()
        clicks += 4
    page.get_by_role("region", name="What the change does").wait_for(timeout=PATIENCE_MS)
    page.get_by_role("tab", name="hand over").click()
    clicks += 1
    page.get_by_role("button", name="Download all").wait_for(timeout=PATIENCE_MS)
    took = time.monotonic() - began
    heads = page.get_by_role("tabpanel").or_(page.locator("main")).last.locator("h3 b")
    return took, clicks, {text.split(". ", 1)[-1] for text in heads.all_inner_texts()}


def faulty(truth: dict) -> set[str]:
    """The devices at which the faults were made, and those at their other ends."""
    faults = truth.get("faults") or [truth.get("fault", {})]
    return {fault[key] for fault in faults for key in ("device", "peer") if fault.get(key)}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("link", help="a sign-in link")
    parser.add_argument("cases", nargs="+", type=Path)
    options = parser.parse_args()
    base = options.link.partition("/sign-in")[0]
    flags = ["--no-sandbox"] if os.geteuid() == 0 else []
    stamp, times, right = time.strftime("%H%M%S"), [], 0
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=flags)
        page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
        page.goto(options.link)
        page.wait_for_url(re.compile(r"/(s/\d+|surveys)"), timeout=PATIENCE_MS)
        for case in options.cases:
            truth = json.loads((case / "truth" / "answer.json").read_text())
            try:
                took, clicks, devices = solve(page, base, case, stamp)
            except (Error, AssertionError) as error:
                print(f"{case.name:10} not solved: {str(error).splitlines()[0][:100]}", flush=True)
                continue
            times.append(took)
            there = bool(devices & faulty(truth))
            right += there
            where = "at the fault" if there else f"at {', '.join(sorted(devices))}"
            print(f"{case.name:10} {took:5.1f} s, {clicks} clicks, {where}", flush=True)
        browser.close()
    if times:
        print(f"{len(times)} of {len(options.cases)} solved, {right} at the fault")
        print(f"median {statistics.median(times):.1f} s, longest {max(times):.1f} s")


if __name__ == "__main__":
    main()
