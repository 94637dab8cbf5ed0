"""The real interface in headless Chromium, on a server with the demo's surveys."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterator
from typing import Any

import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.test import Client
from playwright.sync_api import Browser, Page, expect, sync_playwright
from surveys import ROOT

from trochos.core.survey import Computed
from trochos.server.demo import LIVE, load
from trochos.server.gathering.models import AllowedNetwork
from trochos.server.surveys import work
from trochos.server.surveys.models import StoredSurvey

FLAGS = [
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]

PATIENCE = 60_000
"""Milliseconds for what takes well under a second on an idle machine: a busy one fails nothing.
What must be fast is measured in bench/."""
expect.set_options(timeout=PATIENCE)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    flags = FLAGS + (["--no-sandbox"] if os.geteuid() == 0 else [])
    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=flags)
        yield chromium
        chromium.close()


@pytest.fixture(scope="session", autouse=True)
def computed_once() -> Iterator[None]:
    """Each test has the demo for itself; what its files say is read and computed for the first.

    Nothing of a computed survey changes, and its desk is a function of the files.
    """
    read, desk = Computed.from_files, work.KINDS["desk"]
    surveys: dict[str, Computed] = {}
    desks: dict[tuple[bytes, ...], work.Document] = {}

    def from_files(files: Any, key: bytes, watch: Any = None) -> Computed:
        if watch is not None:
            return read(files, key, watch)
        digest = hashlib.sha256(key)
        for path in sorted(files):
            digest.update(hashlib.sha256(path.encode()).digest())
            digest.update(hashlib.sha256(files[path]).digest())
        found = digest.hexdigest()
        if found not in surveys:
            surveys[found] = read(files, key)
        return surveys[found]

    def known_desk(stored: StoredSurvey, question: work.Question, watch: Any) -> work.Document:
        before = question["before"]
        older = StoredSurvey.objects.get(pk=before) if before is not None else None
        of = tuple(bytes(survey.archive) for survey in (stored, older) if survey is not None)
        key = tuple(hashlib.sha256(archive).digest() for archive in of)
        if key not in desks:
            desks[key] = desk(stored, question, watch)
        return desks[key]

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Computed, "from_files", from_files)
        patch.setitem(work.KINDS, "desk", known_desk)
        yield


@pytest.fixture
def page(browser: Browser, live_server, transactional_db) -> Iterator[Page]:  # type: ignore[no-untyped-def]
    """A signed-in page on the broken survey's case list; errors of the page fail the test."""
    load(ROOT / "demo")
    for network in LIVE:
        AllowedNetwork.objects.create(network=network)
    user = User.objects.create_user("ada", is_staff=True)
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, base_url=live_server.url, accept_downloads=True
    )
    context.set_default_timeout(PATIENCE)
    opened = context.new_page()
    problems: list[str] = []
    opened.on("pageerror", lambda error: problems.append(str(error)))
    # Where a link leads is a test of its own; each of the others would wait for a whole desk.
    session = Client()
    session.force_login(user)
    name = settings.SESSION_COOKIE_NAME
    held = {"name": name, "value": session.cookies[name].value, "url": live_server.url}
    context.add_cookies([held])
    newest = StoredSurvey.objects.get(title="Monday after the harbour works")
    opened.goto(f"/s/{newest.id}/cases")
    opened.get_by_role("navigation", name="Main").wait_for()
    # Keys are heard once the list is there.
    opened.get_by_role("table", name="cases").wait_for()
    yield opened
    context.close()
    assert problems == []


@pytest.fixture
def broken(page: Page) -> int:
    """The id of the broken survey."""
    return StoredSurvey.objects.get(title="Monday after the harbour works").id
