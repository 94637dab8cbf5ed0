"""Uploads that a worker reads: sealed meanwhile, told of in the end, never lost in silence."""

from __future__ import annotations

import io
import zipfile
from datetime import timedelta
from typing import Any

import pytest
from django.test import Client
from django.utils import timezone
from surveys import ROOT

from trochos.core.readers import survey as survey_reader
from trochos.local import read_folder
from trochos.server.surveys import incoming, jobs
from trochos.server.surveys.models import Answer, Incoming, StoredSurvey

SECRET = "never-to-be-seen-9317"
pytestmark = pytest.mark.django_db


@pytest.fixture(autouse=True)
def apart(settings, monkeypatch) -> list[int]:  # type: ignore[no-untyped-def]
    """Nobody reads here; what is put into the queue is listed."""
    settings.COMPUTE_HERE = False
    monkeypatch.setattr(incoming, "SECONDS", 0.0)
    queued: list[int] = []
    monkeypatch.setattr(
        incoming, "enqueue", lambda task, queue, urgency, incoming: queued.append(incoming)
    )
    monkeypatch.setattr(jobs, "enqueue", lambda *_, **__: None)
    return queued


@pytest.fixture
def engineer(client: Client, django_user_model) -> Client:  # type: ignore[no-untyped-def]
    client.force_login(django_user_model.objects.create_user("ada"))
    return client


def packed(more: bytes = b"") -> io.BytesIO:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for path, data in read_folder(ROOT / "demo" / "healthy").items():
            archive.writestr(path, data + (more if path == "devices/tern/frr.conf" else b""))
    out.seek(0)
    out.name = "harbour.zip"
    return out


def sent(client: Client, what: Any, **said: str) -> Any:
    return client.post("/api/surveys", {"files": [what], **said})


def test_it_is_read_by_a_worker_and_told_of(engineer: Client, apart: list[int]) -> None:
    answer = sent(engineer, packed(), title="Harbour")
    assert answer.status_code == 202
    number = answer.json()["id"]
    url = f"/api/surveys/incoming/{number}"
    shown = {"id": number, "state": "working", "survey": None, "read": 0, "of": 0}
    assert answer.json() == shown
    assert apart == [number]
    assert not StoredSurvey.objects.exists()
    incoming.perform(number)
    told = engineer.get(url).json()
    assert told["state"] == "done" and told["survey"]["title"] == "Harbour"
    assert told["survey"]["stored_by"] == "ada"
    assert StoredSurvey.objects.get().pk == told["survey"]["id"]
    # Taken up again, it does nothing more.
    incoming.perform(number)
    assert StoredSurvey.objects.count() == 1


def test_what_was_sent_waits_sealed_and_is_gone_afterwards(engineer: Client) -> None:
    line = f"enable password {SECRET}\n".encode()
    sent(engineer, packed(line), title=f"password {SECRET}")
    held = Incoming.objects.get()
    assert SECRET.encode() not in bytes(held.sealed or b"") and b"hostname" not in bytes(
        held.sealed or b""
    )
    assert SECRET not in str(held.said)
    incoming.perform(held.pk)
    held.refresh_from_db()
    assert held.sealed is None
    assert SECRET.encode() not in bytes(StoredSurvey.objects.get().archive)


def test_what_is_no_survey_says_so_in_the_end(engineer: Client) -> None:
    empty = io.BytesIO(b"nothing that anybody knows")
    empty.name = "note.txt"
    number = sent(engineer, empty).json()["id"]
    incoming.perform(number)
    told = engineer.get(f"/api/surveys/incoming/{number}")
    assert told.status_code == 400
    assert "No device was recognised" in told.json()["detail"]
    assert Incoming.objects.get().sealed is None


def test_a_worker_with_another_key_does_not_read_it(
    engineer: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    number = sent(engineer, packed()).json()["id"]
    monkeypatch.setattr(incoming, "fingerprint_key", lambda: b"another installation's")
    incoming.perform(number)
    told = engineer.get(f"/api/surveys/incoming/{number}")
    assert told.status_code == 400 and "fingerprint.key" in told.json()["detail"]


def test_one_that_ends_its_workers_is_given_up(engineer: Client) -> None:
    number = sent(engineer, packed()).json()["id"]
    Incoming.objects.update(begun=jobs.TIMES)
    incoming.perform(number)
    told = engineer.get(f"/api/surveys/incoming/{number}")
    assert told.status_code == 400 and "given up" in told.json()["detail"]


def test_a_very_large_one_is_read_where_it_came_in(
    engineer: Client, apart: list[int], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(incoming, "LARGEST", 1000)
    answer = sent(engineer, packed())
    assert answer.status_code == 201 and answer.json()["devices"] > 10
    assert apart == [] and Incoming.objects.get().sealed is None


def test_nobody_without_an_account_hears_of_it(engineer: Client) -> None:
    number = sent(engineer, packed()).json()["id"]
    assert Client().get(f"/api/surveys/incoming/{number}").status_code == 403
    assert engineer.get("/api/surveys/incoming/999999").status_code == 404


def test_a_time_that_is_none_is_refused_before_anything_is_taken(engineer: Client) -> None:
    assert sent(engineer, packed(), taken_at="yesterday").status_code == 400
    assert not Incoming.objects.exists()


def test_one_whose_worker_died_is_read_by_the_next(engineer: Client) -> None:
    number = sent(engineer, packed()).json()["id"]
    long_ago = timezone.now() - 2 * incoming.SILENT
    Incoming.objects.update(state=Incoming.WORKING, begun=1, told_at=long_ago)
    incoming.perform(number)
    held = Incoming.objects.get()
    assert held.state == Incoming.DONE and held.begun == 2 and held.survey is not None


def test_one_that_fell_out_of_the_queue_is_put_in_again(engineer: Client, apart: list[int]) -> None:
    number = sent(engineer, packed()).json()["id"]
    url = f"/api/surveys/incoming/{number}"
    engineer.get(url)
    assert apart == [number], "it was sent just now"
    Incoming.objects.update(
        state=Incoming.WORKING, told_at=timezone.now() - 2 * incoming.LOST, begun=1
    )
    assert engineer.get(url).json()["state"] == "working"
    engineer.get(url)
    assert apart == [number, number], "once more, and not at every question"
    incoming.perform(number)
    assert engineer.get(url).json()["state"] == "done"


def test_what_breaks_while_it_is_read_is_told(
    engineer: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(*_: object) -> None:
        raise KeyError("unforeseen")

    number = sent(engineer, packed()).json()["id"]
    monkeypatch.setattr(incoming.store, "store", broken)
    incoming.perform(number)
    told = engineer.get(f"/api/surveys/incoming/{number}")
    assert told.status_code == 400 and "broke something here (KeyError)" in told.json()["detail"]


def test_an_upload_that_nobody_read_yet_is_never_thrown_away(engineer: Client) -> None:
    first = sent(engineer, packed()).json()["id"]
    Incoming.objects.update(sent_at=timezone.now() - 3 * incoming.KEPT)
    sent(engineer, packed(b"! another\n"))
    assert Incoming.objects.filter(pk=first).exists()
    incoming.perform(first)
    Incoming.objects.filter(pk=first).update(sent_at=timezone.now() - 3 * incoming.KEPT)
    sent(engineer, packed(b"! a third\n"))
    assert not Incoming.objects.filter(pk=first).exists()


def test_an_answer_that_fell_out_of_the_queue_is_put_in_again(
    engineer: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    incoming.perform(sent(engineer, packed()).json()["id"])
    queued: list[int] = []
    monkeypatch.setattr(jobs, "enqueue", lambda *_, answer: queued.append(answer))
    survey = StoredSurvey.objects.get()
    asked = jobs.ask("unknowns", survey, {}, 0)
    assert queued == [asked.pk]
    jobs.ask("unknowns", survey, {}, 0)
    assert queued == [asked.pk]
    long_ago = timezone.now() - timedelta(seconds=2 * jobs.LOST)
    Answer.objects.filter(pk=asked.pk).update(state=Answer.WORKING, told_at=long_ago, begun=1)
    jobs.ask("unknowns", survey, {}, 0)
    jobs.ask("unknowns", survey, {}, 0)
    assert queued == [asked.pk, asked.pk]
    jobs.perform(asked.pk)
    assert jobs.ask("unknowns", survey, {}, 0).state == Answer.DONE


def test_it_is_told_how_far_it_is_and_can_be_stopped(
    engineer: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    number = sent(engineer, packed()).json()["id"]
    url = f"/api/surveys/incoming/{number}"
    seen: list[tuple[int, int]] = []
    read_file = survey_reader._Survey.read_file

    def reading(self: Any, *file: Any) -> None:
        """After some files somebody looks, and after some more stops it."""
        told = engineer.get(url).json() if Incoming.objects.get().state != "failed" else {}
        seen.append((told.get("read", -1), told.get("of", -1)))
        if len(seen) == 20:
            assert engineer.delete(url).status_code == 204
        read_file(self, *file)

    monkeypatch.setattr(incoming, "_SHOW", 0.0)
    monkeypatch.setattr(survey_reader._Survey, "read_file", reading)
    incoming.perform(number)
    assert seen[9] == (9, seen[9][1]) and seen[9][1] > 100
    assert len(seen) == 20, "no file after the stop was read"
    assert not StoredSurvey.objects.exists()
    held = Incoming.objects.get()
    assert held.sealed is None and held.over
    told = engineer.get(url)
    assert told.status_code == 400 and "was stopped" in told.json()["detail"]
    assert engineer.delete(url).status_code == 400, "it is over already"


def test_only_who_sent_it_or_an_administrator_stops_it(
    engineer: Client, django_user_model: Any
) -> None:
    number = sent(engineer, packed()).json()["id"]
    url = f"/api/surveys/incoming/{number}"
    other = Client()
    other.force_login(django_user_model.objects.create_user("bo"))
    assert other.delete(url).status_code == 403
    assert not Incoming.objects.get().over
    chief = Client()
    chief.force_login(django_user_model.objects.create_user("cy", is_staff=True))
    assert chief.delete(url).status_code == 204
    # A worker that takes it up now finds that it is over.
    incoming.perform(number)
    assert not StoredSurvey.objects.exists()


def test_what_takes_too_long_to_read_is_given_up_in_a_sentence(
    engineer: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(incoming, "LONGEST_S", -1.0)
    number = sent(engineer, packed()).json()["id"]
    incoming.perform(number)
    told = engineer.get(f"/api/surveys/incoming/{number}")
    assert told.status_code == 400 and "Send a part of it." in told.json()["detail"]
    assert not StoredSurvey.objects.exists()
