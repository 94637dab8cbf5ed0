"""What asks nobody whether it may go on is ended by a timer, in a sentence."""

from __future__ import annotations

import threading
import time
from typing import Any

import pytest
from django.db import connection
from surveys import ROOT

from trochos.local import read_folder
from trochos.server.surveys import jobs, store, work
from trochos.server.surveys.bounded import Bounded, Stopped, TookTooLong
from trochos.server.surveys.models import Answer, StoredSurvey


def long(seconds: float) -> int:
    """Computes for a while, past guards that go on after whatever raises."""
    end, steps = time.monotonic() + seconds, 0
    while time.monotonic() < end:
        try:
            steps += sum(range(1000))
        except Exception:  # noqa: BLE001 (what a guard would do)
            pass
    return steps


def test_it_ends_what_takes_too_long() -> None:
    started = time.monotonic()
    with pytest.raises(TookTooLong), Bounded(0.2):
        long(30)
    assert time.monotonic() - started < 10


def test_what_was_in_time_is_never_ended_afterwards() -> None:
    for _ in range(3):
        with Bounded(1.0):
            done = True
        long(1.2)
    assert done


def test_what_somebody_stops_ends_soon() -> None:
    asked: list[float] = []

    def wanted() -> bool:
        asked.append(time.monotonic())
        return len(asked) < 2

    started = time.monotonic()
    with pytest.raises(Stopped), Bounded(60, wanted):
        long(30)
    assert len(asked) == 2 and time.monotonic() - started < 20


@pytest.fixture
def stored(db) -> StoredSurvey:  # type: ignore[no-untyped-def]
    return store.store(read_folder(ROOT / "demo" / "healthy"), "healthy", None)


def test_a_rehearsal_that_takes_too_long_is_a_sentence(
    stored: StoredSurvey, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(jobs, "SECONDS", 0.3)
    monkeypatch.setitem(work.KINDS, "rehearsal", lambda *_: {"steps": long(60)})
    question = {"edits": [], "complaint": None, "cases": []}
    with pytest.raises(work.NotAnswered, match=r"longer than 0 s, so it was stopped"):
        jobs.state(jobs.ask("rehearsal", stored, question))
    assert Answer.objects.get().state == Answer.FAILED


def test_a_rehearsal_that_is_stopped_says_so(
    transactional_db: None, monkeypatch: pytest.MonkeyPatch, settings: Any
) -> None:
    survey = store.store(read_folder(ROOT / "demo" / "healthy"), "healthy", None)
    settings.COMPUTE_HERE = False
    monkeypatch.setattr(jobs, "enqueue", lambda *_, **__: None)
    monkeypatch.setitem(work.KINDS, "rehearsal", lambda *_: {"steps": long(120)})
    question = {"edits": [], "complaint": None, "cases": []}
    asked = jobs.ask("rehearsal", survey, question, 0)
    computing = threading.Thread(target=_performed, args=(asked.pk,))
    computing.start()
    time.sleep(0.5)
    jobs.stop(asked)
    computing.join(60)
    asked.refresh_from_db()
    assert asked.state == Answer.FAILED and "stopped" in asked.says


def _performed(number: int) -> None:
    try:
        jobs.perform(number)
    finally:
        connection.close()
