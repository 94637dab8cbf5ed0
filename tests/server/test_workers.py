"""Long answers by real workers: computed elsewhere, kept, stopped, and taken up after a kill."""

from __future__ import annotations

import asyncio
import contextlib
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from asgiref.sync import sync_to_async
from django.db import connection, connections
from django.test import Client
from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued
from surveys import ROOT

from trochos.local import read_folder
from trochos.server.gathering import tasks
from trochos.server.queueing import QUEUE
from trochos.server.surveys import jobs, kept, store
from trochos.server.surveys.models import Answer, StoredSurvey

PATIENCE = 400.0
"""Seconds for what takes a few on an idle machine."""


def until(true: Callable[[], object], what: str) -> None:
    end = time.monotonic() + PATIENCE
    while not true():
        assert time.monotonic() < end, what
        time.sleep(0.05)


@pytest.fixture
def apart(settings, tmp_path, monkeypatch) -> Iterator[None]:  # type: ignore[no-untyped-def]
    """Answers by workers, and a place of their own for what is kept."""
    settings.COMPUTE_HERE = False
    monkeypatch.setattr(kept, "_folder", lambda: tmp_path / "computed")
    store._computed.clear()
    yield
    store._computed.clear()


class Workers:
    """Processes that compute, on the tests' database."""

    def __init__(self) -> None:
        self.running: list[subprocess.Popen[bytes]] = []

    def start(self) -> subprocess.Popen[bytes]:
        held = connection.settings_dict
        database = {
            "DATABASE_HOST": str(held["HOST"]),
            "DATABASE_PORT": str(held["PORT"]),
            "DATABASE_NAME": str(held["NAME"]),
            "DATABASE_USER": str(held["USER"]),
            "DATABASE_PASSWORD": str(held["PASSWORD"]),
            "PYTHONPATH": str(ROOT / "src"),
        }
        command = [sys.executable, "-m", "trochos.server.worker", "--computing"]
        process = subprocess.Popen(command, env={**os.environ, **database})
        self.running.append(process)
        return process

    def stop(self) -> None:
        for process in self.running:
            process.kill()
            process.wait()


@pytest.fixture
def workers() -> Iterator[Workers]:
    held = Workers()
    yield held
    held.stop()


@pytest.fixture
def stored(transactional_db) -> StoredSurvey:  # type: ignore[no-untyped-def]
    """The demo's broken survey."""
    return store.store(read_folder(ROOT / "demo" / "broken"), "broken", None)


@pytest.fixture
def reader(client: Client, django_user_model) -> Client:  # type: ignore[no-untyped-def]
    client.force_login(django_user_model.objects.create_user("ada"))
    return client


COMPLAINT = {"from": "shag-kiosk", "to": "booking-db"}


def test_a_worker_computes_what_is_asked_here(
    apart: None, stored: StoredSurvey, reader: Client, workers: Workers
) -> None:
    url = f"/api/surveys/{stored.pk}/diagnosis"
    first = reader.get(url, COMPLAINT).json()
    assert first["state"] == "working", "nobody computes here"
    workers.start()
    until(lambda: reader.get(url, COMPLAINT).json()["state"] == "done", "no worker answered")
    answer = reader.get(url, COMPLAINT).json()
    assert answer["answer"]["causes"][0]["certainty"] == "proven"
    # Whoever asks next gets the same answer at once, without a worker.
    workers.stop()
    began = time.monotonic()
    again = reader.get(url, COMPLAINT).json()
    assert again == answer and time.monotonic() - began < 5
    assert Answer.objects.filter(kind="diagnosis").count() == 1


def gather() -> None:
    """A gathering worker, for as long as there is work for it."""

    async def run() -> None:
        connector = app.connector.get_worker_connector()  # type: ignore[attr-defined]
        with app.replace_connector(connector) as held:
            async with held.open_async():
                await held.run_worker_async(queues=[QUEUE], wait=False)
        await sync_to_async(connections.close_all)()

    asyncio.run(run())


def test_a_killed_worker_loses_no_answer(
    apart: None, stored: StoredSurvey, workers: Workers
) -> None:
    """It is killed while it diagnoses; another one takes the answer up and ends it."""
    found = jobs.ask("desk", stored, {"before": None}, 0)
    worker = workers.start()

    def working() -> bool:
        found.refresh_from_db()
        return found.state == Answer.WORKING and found.tried > 0

    until(working, "no worker took it up")
    worker.send_signal(signal.SIGKILL)
    worker.wait()
    found.refresh_from_db()
    assert found.state == Answer.WORKING and found.answer is None

    Answer.objects.update(told_at=timezone.now() - timedelta(minutes=5))
    # Its heart is still: what rescues gathering gives this back too.
    with connection.cursor() as cursor:
        cursor.execute(
            "UPDATE procrastinate_workers SET last_heartbeat = now() - interval '5 minutes'"
        )
    with contextlib.suppress(AlreadyEnqueued):  # any worker has it done now and then
        tasks.rescue.defer(timestamp=0)
    gather()
    workers.start()
    until(lambda: jobs.ask("desk", stored, {"before": None}, 0).over, "nobody took it up again")
    found.refresh_from_db()
    assert found.state == Answer.DONE and found.begun == 2
    assert found.answer["groups"], "the broken survey has what fails"


def test_a_sweep_is_shown_as_it_goes_and_taken_up_where_it_was(
    apart: None, stored: StoredSurvey, reader: Client, workers: Workers
) -> None:
    url = f"/api/surveys/{stored.pk}/sweep"
    question = {"links": True, "devices": True, "expectations": ""}
    worker = workers.start()
    asked = jobs.ask("sweep", stored, question, 0)

    def shown() -> dict[str, Any] | None:
        asked.refresh_from_db()
        return asked.answer  # type: ignore[no-any-return]

    until(shown, "nothing was kept while it goes on")
    state = reader.get(url, {"what": "both"}).json()
    assert state["state"] == "working" and 0 < state["answer"]["tried"] < state["answer"]["of"]
    worker.send_signal(signal.SIGKILL)
    worker.wait()
    before = shown()
    assert before is not None and not asked.over
    Answer.objects.update(told_at=timezone.now() - timedelta(minutes=5))
    with connection.cursor() as cursor:
        cursor.execute(
            "UPDATE procrastinate_workers SET last_heartbeat = now() - interval '5 minutes'"
        )
    with contextlib.suppress(AlreadyEnqueued):
        tasks.rescue.defer(timestamp=0)
    gather()
    Answer.objects.filter(pk=asked.pk).update(tried=0)
    workers.start()

    def first_tried() -> int:
        asked.refresh_from_db()
        return asked.tried

    until(first_tried, "nobody took it up again")
    assert first_tried() >= len(before["failures"]), "it began anew"
    until(lambda: jobs.ask("sweep", stored, question, 0).over, "it did not end")
    asked.refresh_from_db()
    after = asked.answer
    assert after["failures"][: len(before["failures"])] == before["failures"]
    assert len(after["failures"]) == after["of"] == after["tried"]
    whole = store.computed(stored).sweep(True, True, []).as_nodes()
    assert after["failures"] == whole["failures"]
    assert after["threads"] == len(whole["threads"])


def registered() -> set[int]:
    """The workers that told the queue that they are there; who was killed stays for a while."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT id FROM procrastinate_workers")
        return {number for (number,) in cursor.fetchall()}


def test_workers_share_a_sweep(apart: None, stored: StoredSurvey, workers: Workers) -> None:
    """One that has nothing else to do takes parts of it, and the answer is that of one alone."""
    before = registered()
    for _ in range(2):
        workers.start()
    until(lambda: len(registered() - before) == 2, "no two workers came")
    question = {"links": True, "devices": False, "expectations": ""}
    asked = jobs.ask("sweep", stored, question, 0)
    by_others = set()

    def ended() -> bool:
        parts = Answer.objects.filter(kind="sweep-part", state=Answer.DONE)
        by_others.update(parts.values_list("key", flat=True))
        asked.refresh_from_db()
        return asked.over

    until(ended, "the sweep did not end")
    assert by_others, "the second worker took nothing"
    assert not Answer.objects.filter(kind="sweep-part").exists()
    whole = store.computed(stored).sweep(True, False, []).as_nodes()
    assert asked.answer["failures"] == whole["failures"]
    assert asked.answer["baseline"] == whole["baseline"]
    assert asked.answer["threads"] == len(whole["threads"])


def test_a_part_that_its_worker_gave_up_is_computed_by_whoever_has_the_whole(
    apart: None, stored: StoredSurvey
) -> None:
    question = {"links": True, "devices": False, "expectations": "", "part": [4, 8]}
    key = jobs._key("sweep-part", stored, question)
    silent = timezone.now() - timedelta(minutes=5)
    for state in (
        {"state": Answer.WORKING, "told_at": silent},
        {"state": Answer.FAILED, "ended_at": silent},
        {"state": Answer.DONE, "ended_at": silent, "answer": {"failures": [], "whole": False}},
    ):
        Answer.objects.create(key=key, kind="sweep-part", survey=stored, question=question, **state)
        sweep = jobs.ask("sweep", stored, {**question, "part": None}, 0)
        jobs.perform(sweep.pk)
        sweep.refresh_from_db()
        assert sweep.state == Answer.DONE and sweep.answer["tried"] == sweep.answer["of"]
        assert not Answer.objects.filter(kind="sweep-part").exists()
        sweep.delete()


def test_what_nobody_waits_for_comes_last_until_somebody_does(
    apart: None, stored: StoredSurvey
) -> None:
    def queued() -> list[tuple[int, int]]:
        """(answer, priority) of what workers would take, the next one first, without what is left
        in the queue of answers that nobody asks for any more."""
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT (args->>'answer')::int, priority FROM procrastinate_jobs "
                "WHERE queue_name = 'computing' AND status = 'todo' ORDER BY priority DESC, id"
            )
            there = {*Answer.objects.values_list("pk", flat=True)}
            return [row for row in cursor.fetchall() if row[0] in there]

    jobs.ahead("desk", stored, {"before": None})
    question = {"links": True, "devices": False, "expectations": ""}
    sweep = jobs.ask("sweep", stored, question, 0)
    desk = Answer.objects.get(kind="desk")
    assert [number for number, _ in queued()] == [sweep.pk, desk.pk]
    jobs.ask("desk", stored, {"before": None}, 0)
    jobs.ask("desk", stored, {"before": None}, 0)
    assert [number for number, _ in queued()] == [desk.pk, sweep.pk, desk.pk]


def test_answers_of_another_version_are_not_computed(apart: None, stored: StoredSurvey) -> None:
    found = jobs.ask("unknowns", stored, {}, 0)
    Answer.objects.filter(pk=found.pk).update(key="that of another version")
    jobs.perform(found.pk)
    assert not Answer.objects.filter(pk=found.pk).exists()


def test_what_somebody_waits_for_goes_before_what_takes_long(
    apart: None, stored: StoredSurvey, reader: Client, workers: Workers
) -> None:
    """With one worker, a diagnosis does not wait for the desk to end."""
    desk = jobs.ask("desk", stored, {"before": None}, 0)
    workers.start()

    def at_it() -> bool:
        desk.refresh_from_db()
        return desk.tried > 0

    until(at_it, "no worker took the desk up")
    url = f"/api/surveys/{stored.pk}/diagnosis"
    until(lambda: reader.get(url, COMPLAINT).json()["state"] == "done", "no diagnosis")
    desk.refresh_from_db()
    assert not desk.over, "the desk of the broken survey takes much longer than one diagnosis"
    until(lambda: jobs.ask("desk", stored, {"before": None}, 0).over, "the desk never ended")


def test_an_answer_that_is_stopped_ends_with_the_best_so_far(
    apart: None, stored: StoredSurvey, reader: Client, workers: Workers
) -> None:
    found = jobs.ask("desk", stored, {"before": None}, 0)
    assert reader.post(f"/api/answers/{found.pk}/stop").status_code == 204
    workers.start()

    def over() -> bool:
        found.refresh_from_db()
        return found.over

    until(over, "it was not stopped")
    assert found.state == Answer.DONE and found.answer["complete"] is False


def test_what_ends_its_worker_again_and_again_is_given_up(
    apart: None, stored: StoredSurvey
) -> None:
    found = jobs.ask("desk", stored, {"before": None}, 0)
    Answer.objects.filter(pk=found.pk).update(begun=jobs.TIMES)
    jobs.perform(found.pk)
    found.refresh_from_db()
    assert found.state == Answer.FAILED and "ended its worker" in found.says


def test_a_large_survey_is_computed_by_a_worker_and_read_from_its_file(
    apart: None, stored: StoredSurvey, reader: Client, workers: Workers, monkeypatch, tmp_path: Path
) -> None:  # type: ignore[no-untyped-def]
    monkeypatch.setattr(kept, "DEVICES", 5)
    monkeypatch.setattr(store, "_WAITS", 0.1)
    store._computed.clear()
    # Nobody computes it yet: whoever asks is told to ask again, in a sentence.
    url = f"/api/surveys/{stored.pk}/map"
    early = reader.get(url)
    assert early.status_code == 503 and early["Retry-After"] == "1"
    assert "being computed" in early.json()["detail"]
    workers.start()
    until(lambda: Answer.objects.get(kind="tables").over, "no worker computed it")
    assert reader.get(url).status_code in (200, 503)
    workers.stop()
    store._computed.clear()
    Answer.objects.filter(kind="tables").delete()
    # Where no worker takes it up for long, it is computed here.
    jobs.ask("tables", stored, {}, 0)
    Answer.objects.update(asked_at=timezone.now() - timedelta(hours=1))
    survey = store.computed(stored)
    assert store.keep(stored, survey)
    store._computed.clear()
    monkeypatch.setattr("trochos.server.surveys.store.Computed.from_files", None)
    brought = store.computed(stored)
    assert brought is not survey
    assert brought.path("shag-kiosk", "booking-db").as_json() == (
        survey.path("shag-kiosk", "booking-db").as_json()
    )
    assert [f.id for f in brought.findings] == [f.id for f in survey.findings]
    # A file that is broken is not read, and not kept.
    (file,) = (tmp_path / "computed").glob("*.pickle")
    file.write_bytes(file.read_bytes()[:-500])
    assert kept.load(bytes(stored.archive)) is None and not file.exists()


def test_files_of_computed_surveys_are_bounded(monkeypatch, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    monkeypatch.setattr(kept, "_folder", lambda: tmp_path)
    monkeypatch.setattr(kept, "BYTES", 10_000)
    (tmp_path / "0123456789abcdef-other.pickle").write_bytes(b"of another engine")
    for number in range(5):
        assert kept.save(f"archive {number}".encode(), b"x" * 4_000)  # type: ignore[arg-type]
        time.sleep(0.02)
    names = list(tmp_path.iterdir())
    assert len(names) == 2 and all(path.name.startswith(kept.engine()) for path in names)
    assert kept.load(b"archive 4") is None, "what is no survey is not given out as one"
