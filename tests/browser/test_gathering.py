"""From live devices to a verified case, all in the browser, with simulated devices behind it."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path

import pytest
from asgiref.sync import sync_to_async
from django.contrib.auth.models import User
from django.db import connections
from gather.live import running
from playwright.sync_api import Page, expect
from procrastinate.contrib.django import app
from surveys import ROOT

from devices.apply import apply
from devices.fleet import PASSWORD, USERNAME, Fleet
from trochos.local import read_folder
from trochos.server.accounts.administration import set_role
from trochos.server.gathering import queueing, vault
from trochos.server.gathering.models import InventoryDevice, Plan, StoredCredential

from .conftest import PATIENCE

DEMO = ROOT / "demo" / "broken"


@pytest.fixture(scope="module")
def fleet() -> Iterator[Fleet]:
    with running(Fleet(read_folder(DEMO), {"tide-tables": "snmp", "ruff": "restconf"})) as live:
        yield live


@contextmanager
def worker() -> Iterator[None]:
    """A worker of the queue beside the test, as `up` has one beside the server."""
    loop = asyncio.new_event_loop()
    ready = threading.Event()
    held: list[asyncio.Task[None]] = []

    async def work() -> None:
        connector = app.connector.get_worker_connector()  # type: ignore[attr-defined]
        with app.replace_connector(connector) as one:
            async with one.open_async():
                ready.set()
                await one.run_worker_async(
                    queues=[queueing.QUEUE],
                    concurrency=16,
                    install_signal_handlers=False,
                    fetch_job_polling_interval=0.3,
                    shutdown_graceful_timeout=1,
                )

    def run() -> None:
        asyncio.set_event_loop(loop)
        held.append(loop.create_task(work()))
        try:
            loop.run_until_complete(held[0])
        except asyncio.CancelledError:
            pass
        finally:
            loop.run_until_complete(sync_to_async(connections.close_all)())
            connections.close_all()

    thread = threading.Thread(target=run, daemon=True)
    thread.start()
    assert ready.wait(20)
    try:
        yield
    finally:
        loop.call_soon_threadsafe(held[0].cancel)
        thread.join(20)


def stock(fleet: Fleet, but: str) -> None:
    """All devices but one, with the keys that their owner knows."""
    for name, parts in (
        ("fleet", {"username": USERNAME, "password": PASSWORD}),
        ("fleet-snmp", {"community": "ebb-and-flow"}),
    ):
        StoredCredential.objects.create(name=name, parts=sorted(parts), sealed=vault.seal(parts))
    known = {c.name: c for c in StoredCredential.objects.all()}
    for entry in fleet.inventory(keys=True):
        if entry["name"] != but:
            InventoryDevice.objects.create(
                **{**entry, "credential": known[str(entry["credential"])]}
            )
    plan = Plan.current()
    plan.drawing = (DEMO / "topology.json").read_text()
    plan.save()


def gather_now(page: Page, count: int) -> None:
    page.keyboard.press("g")
    page.get_by_role("button", name="Gather all now").click()
    running_now = page.get_by_role("region", name="The gathering under way")
    expect(running_now).to_contain_text("Gathering:")
    expect(page.get_by_role("region", name="The gathering", exact=True)).to_contain_text(
        f"{count} of {count} devices gathered", timeout=4 * PATIENCE
    )


def added_and_trusted(page: Page, fleet: Fleet, name: str, method: str) -> None:
    """A device is added, shows its key, and is asked for nothing before somebody trusts it."""
    page.get_by_role("button", name="Add a device").click()
    form = page.get_by_role("dialog", name="Add a device")
    form.get_by_label("Name, as in the survey").fill(name)
    form.get_by_label("Address").fill("127.0.0.1")
    form.get_by_label("Method").select_option(method)
    form.get_by_label("Port").fill(str(fleet.ports[name]))
    form.get_by_role("button", name="Add").click()
    expect(form).to_have_count(0)
    page.get_by_label("Filter devices").fill(name)
    page.get_by_role("button", name=f"Test {name}").click()
    row = page.get_by_role("row").filter(has_text=name)
    expect(row).to_contain_text("key not trusted yet")
    shown = next(entry["key"] for entry in fleet.inventory(keys=True) if entry["name"] == name)
    expect(row).to_contain_text(str(shown))
    page.get_by_role("button", name=f"Trust the key of {name}").click()
    expect(row).to_contain_text("trusted by ada")
    page.get_by_role("button", name=f"Test {name}").click()
    expect(row).to_contain_text("gathered")


def test_from_a_new_device_to_a_verified_case(page: Page, fleet: Fleet, tmp_path: Path) -> None:
    stock(fleet, but="mole")
    with worker():
        page.keyboard.press("g")
        added_and_trusted(page, fleet, "mole", "NETCONF")

        gather_now(page, len(fleet.devices))
        page.get_by_role("link", name="Open the survey").click()
        expect(page.get_by_role("link", name="57 of 59 devices read")).to_be_visible()

        # The complaint, on what the devices say now.
        page.goto(f"{page.url.rsplit('/', 1)[0]}/case?from=planning-desk&to=skerry-kiosk")
        page.get_by_role("button", name="Keep as case").click()
        form = page.get_by_role("dialog", name="Keep as case")
        form.get_by_label("What was said").fill("Planning cannot see the kiosk")
        form.get_by_role("button", name="Keep").click()
        page.get_by_role("button", name="Confirm").click()
        # What is above it comes in bit by bit; a click while it moves would miss.
        expect(page.get_by_role("region", name="Suspects")).to_contain_text("proven")
        probe = page.get_by_role("region", name="Probe")
        probe.get_by_role("button", name="Ask it now").click()
        expect(probe).to_contain_text("planning-desk gets no answer, as computed.")
        first = page.get_by_test_id("suspect").first
        expect(first).to_contain_text("proven")
        expect(first).to_contain_text("mole")
        page.get_by_role("button", name="This is the cause").click()
        first.get_by_role("button", name="Rehearse", exact=True).click()
        page.get_by_role("tab", name="hand over").click()
        part = page.get_by_role("region", name="mole, NETCONF edit")
        with page.expect_download() as got:
            part.get_by_role("button", name="Download").first.click()
        page.get_by_role("button", name="Propose for the case").click()
        expect(page.get_by_test_id("case-state")).to_have_text("remedy proposed")
        case = page.url

        # A colleague makes the change; the next survey shows it.
        with ThreadPoolExecutor(1) as pool:
            text = Path(got.value.path()).read_text()
            pool.submit(asyncio.run, apply(fleet.ports["mole"], text)).result(30)
        page.goto(case)
        probe.get_by_role("button", name="Ask it now").click()
        expect(probe).to_contain_text("although the survey says otherwise")
        gather_now(page, len(fleet.devices))
        page.goto(case)
        newest = page.get_by_label("Verify on a newer survey")
        newest.select_option(index=1)
        expect(page.get_by_test_id("case-state")).to_have_text("verified")


def test_a_device_of_open_models_is_mended_over_gnmi(page: Page, fleet: Fleet) -> None:
    stock(fleet, but="teal")
    with worker():
        page.keyboard.press("g")
        added_and_trusted(page, fleet, "teal", "gNMI")
        page.get_by_label("Filter devices").fill("")
        gather_now(page, len(fleet.devices))
        page.get_by_role("link", name="Open the survey").click()
        expect(page.get_by_role("link", name="57 of 59 devices read")).to_be_visible()
        page.goto(f"{page.url.rsplit('/', 1)[0]}/case?from=school-desk&to=roster")
        page.get_by_role("button", name="Keep as case").click()
        form = page.get_by_role("dialog", name="Keep as case")
        form.get_by_label("What was said").fill("The school is cut off")
        form.get_by_role("button", name="Keep").click()
        first = page.get_by_test_id("suspect").first
        expect(first).to_contain_text("proven")
        expect(first).to_contain_text("teal")
        first.get_by_role("button", name="Rehearse", exact=True).click()
        page.get_by_role("tab", name="hand over").click()
        part = page.get_by_role("region", name="teal, gNMI Set")
        with page.expect_download() as got:
            part.get_by_role("button", name="Download").first.click()
        page.get_by_role("button", name="Propose for the case").click()
        expect(page.get_by_test_id("case-state")).to_have_text("remedy proposed")
        case = page.url
        with ThreadPoolExecutor(1) as pool:
            text = Path(got.value.path()).read_text()
            pool.submit(asyncio.run, apply(fleet.ports["teal"], text, "gnmi")).result(30)
        page.keyboard.press("g")
        gather_now(page, len(fleet.devices))
        page.goto(case)
        page.get_by_label("Verify on a newer survey").select_option(index=1)
        expect(page.get_by_test_id("case-state")).to_have_text("verified")


def test_what_fails_is_said_beside_the_device(page: Page, fleet: Fleet) -> None:
    stock(fleet, but="")
    InventoryDevice.objects.exclude(name__in=["heron", "gull"]).delete()
    InventoryDevice.objects.filter(name="gull").update(key="SHA256:of-the-old-router")
    Plan.objects.update(drawing="")
    with worker():
        page.keyboard.press("g")
        page.get_by_role("button", name="Gather all now").click()
        over = page.get_by_role("region", name="The gathering", exact=True)
        expect(over).to_contain_text("1 of 2 devices gathered")
        expect(over).to_contain_text("of-the-old-router was trusted")
        row = page.get_by_role("row").filter(has_text="gull")
        expect(row).to_contain_text("key changed")
        expect(row).to_contain_text("it shows another one now")
        page.get_by_role("link", name="Open the survey").click()
        expect(page.get_by_role("link", name="1 of 2 devices read")).to_be_visible()


def test_a_secret_is_entered_and_never_shown(page: Page) -> None:
    page.keyboard.press("g")
    page.get_by_role("button", name="Enter a credential").click()
    form = page.get_by_role("dialog", name="Enter a credential")
    form.get_by_label("Name").fill("routers")
    form.get_by_label("User", exact=True).fill("surveyor")
    form.get_by_role("textbox", name="Password").fill("never-to-be-seen")
    form.get_by_role("button", name="Enter").click()
    page.get_by_role("button", name="routers").click()
    form = page.get_by_role("dialog", name="Change routers")
    expect(form.get_by_role("textbox", name="Password")).to_have_value("")
    assert "never-to-be-seen" not in page.content()
    assert User.objects.filter(username="ada").exists()


def test_only_an_administrator_changes_the_inventory(page: Page) -> None:
    set_role(User.objects.get(), "engineer")
    page.reload()
    page.get_by_role("table", name="cases").wait_for()
    page.keyboard.press("g")
    expect(page.get_by_role("heading", name="Live devices")).to_be_visible()
    expect(page.get_by_role("button", name="Gather all now")).to_be_disabled()
    expect(page.get_by_role("button", name="Add a device")).to_have_count(0)
    expect(page.get_by_role("button", name="Enter a credential")).to_have_count(0)
