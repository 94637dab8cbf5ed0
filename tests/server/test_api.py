"""The API: nothing without an account, bounded uploads, answers of the core unchanged."""

from __future__ import annotations

import io
import json
import re
import zipfile
from pathlib import Path

import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from surveys import ROOT

from trochos.local import read_folder
from trochos.server.accounts.models import OneTimeLink
from trochos.server.demo import load
from trochos.server.surveys.models import Case, StoredSurvey
from trochos.server.surveys.store import files_of, store
from trochos.server.urls import urlpatterns

pytestmark = pytest.mark.django_db
SECRET = "saltMarsh9!"


@pytest.fixture
def user() -> User:
    return User.objects.create_user("ada", password="a long enough secret")


@pytest.fixture
def client(user: User) -> Client:
    signed_in = Client()
    signed_in.force_login(user)
    return signed_in


@pytest.fixture
def demo_survey() -> StoredSurvey:
    load(ROOT / "demo")
    return StoredSurvey.objects.get(title="Monday after the harbour works")


def send(client: Client, files: dict[str, bytes], **fields: str):  # type: ignore[no-untyped-def]
    return client.post(
        "/api/surveys",
        {
            "files": [SimpleUploadedFile(Path(p).name, data) for p, data in files.items()],
            "paths": list(files),
            **fields,
        },
    )


def test_nothing_is_answered_without_an_account(demo_survey: StoredSurvey) -> None:
    stranger = Client()
    urls = [
        "/" + re.sub(r"<\w+:\w+>", "1", str(p.pattern).replace("<int:survey>", str(demo_survey.id)))
        for p in urlpatterns
        if str(p.pattern).startswith("api/")
    ]
    assert len(urls) > 15
    for url in urls:
        if url in ("/api/session", "/api/session/link"):
            continue
        assert stranger.get(url).status_code == 403, url
        assert stranger.post(url).status_code == 403, url
    assert stranger.get("/api/session").json()["user"] is None


def test_a_one_time_link_signs_in_once(user: User) -> None:
    token = OneTimeLink.issue(user)
    assert token not in json.dumps(list(OneTimeLink.objects.values()), default=str)
    first, second = Client(), Client()
    body = {"token": token}
    answer = first.post("/api/session/link", body, content_type="application/json")
    user_shown = answer.json()["user"]
    assert (user_shown["name"], user_shown["role"]) == ("ada", "engineer")
    again = second.post("/api/session/link", body, content_type="application/json")
    assert again.status_code == 400 and "used already" in again.json()["detail"]
    assert first.get("/api/surveys").status_code == 200
    assert first.delete("/api/session").json()["user"] is None
    assert first.get("/api/surveys").status_code == 403


def test_signing_in_is_protected_against_other_sites(user: User) -> None:
    strict = Client(enforce_csrf_checks=True)
    body = {"name": "ada", "password": "a long enough secret"}
    refused = strict.post("/api/session", body, content_type="application/json")
    assert refused.status_code == 403
    strict.get("/api/session")
    token = strict.cookies["trochos_csrf"].value
    accepted = strict.post(
        "/api/session", body, content_type="application/json", headers={"x-csrftoken": token}
    )
    assert accepted.status_code == 200


def test_accounts_are_the_owners_business(client: Client, user: User) -> None:
    assert client.get("/api/accounts").status_code == 403
    user.is_staff = True
    user.save()
    made = client.post("/api/accounts", {"name": "grace"}, content_type="application/json")
    assert made.status_code == 201 and "#" in made.json()["link"]
    again = client.post("/api/accounts", {"name": "Grace"}, content_type="application/json")
    assert again.status_code == 400
    weak = client.post(
        "/api/accounts/me/password",
        {"password": "short", "old": "a long enough secret"},
        content_type="application/json",
    )
    assert weak.status_code == 400 and "10" in weak.json()["detail"]


def test_a_folder_is_stored_and_listed(client: Client) -> None:
    files = read_folder(ROOT / "demo/broken")
    answer = send(client, files, title="Mine")
    assert answer.status_code == 201
    made = answer.json()
    assert (made["title"], made["devices"], made["unread"]) == ("Mine", 59, 2)
    assert made["stored_by"] == "ada" and made["findings"]["breaks"] > 3
    assert send(client, files).json()["id"] == made["id"], "the same survey is stored once"
    listed = client.get("/api/surveys").json()["surveys"]
    assert [s["id"] for s in listed] == [made["id"]]
    reading = client.get(f"/api/surveys/{made['id']}/reading").json()["reading"]
    assert sum(report["lines"] for report in reading) > 1000


def test_a_zip_is_unpacked(client: Client) -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for path, data in read_folder(ROOT / "demo/healthy").items():
            archive.writestr(path, data)
    answer = send(client, {"survey.zip": out.getvalue()})
    assert answer.status_code == 201 and answer.json()["devices"] == 59


@pytest.mark.parametrize(
    ("files", "says"),
    [
        ({"../../etc/frr.conf": b"hostname a\n"}, "leads out of the survey"),
        ({"holiday.jpg": b"\x89PNG\x00\x00"}, "No device was recognised"),
        ({"survey.zip": b"PK\x03\x04 broken"}, "could not be opened"),
        ({"a.zip": b"PK\x03\x04", "b.conf": b"x"}, "could not be opened"),
        ({}, "No file was sent"),
    ],
)
def test_uploads_are_refused_with_a_sentence(
    client: Client, files: dict[str, bytes], says: str
) -> None:
    answer = send(client, files)
    assert answer.status_code == 400
    assert says in answer.json()["detail"] and answer.json()["detail"].endswith((".", "."))
    assert StoredSurvey.objects.count() == 0


def test_secrets_are_never_stored_or_shown(client: Client) -> None:
    text = (
        f"frr version 8.4.4\nhostname a\ninterface eth0\n ip address 10.64.0.1/24\nexit\n"
        f"router bgp 65540\n neighbor 10.64.0.2 password {SECRET}\nodd secret {SECRET}\n"
    )
    made = send(client, {"devices/a/frr.conf": text.encode()}).json()
    stored = StoredSurvey.objects.get(pk=made["id"])
    assert all(SECRET.encode() not in data for data in files_of(stored).values())
    for url in ("reading", "findings", "devices/a", "source?device=a&file=frr.conf"):
        body = client.get(f"/api/surveys/{made['id']}/{url}").content.decode()
        assert SECRET not in body
    assert (
        "<secret:"
        in client.get(f"/api/surveys/{made['id']}/source?device=a&file=frr.conf").content.decode()
    )


def test_answers_of_the_core_come_through(client: Client, demo_survey: StoredSurvey) -> None:
    base = f"/api/surveys/{demo_survey.id}"
    path = client.get(f"{base}/path", {"from": "bridge-tablet", "to": "yard-scale"}).json()
    assert path["return"]["verdict"] == "no-route"
    assert isinstance(path["touching"], list)
    decision = client.get(f"{base}/decision", {"device": "yard", "target": "10.64.40.33"}).json()
    assert decision["candidates"] == [] and decision["missing"]["prefix"] == "10.64.40.0/24"
    ends = client.get(f"{base}/ends", {"device": "tern", "interface": "eth1"}).json()
    assert ends["right"] == {"device": "mole", "interface": "ge1"}
    assert ends["first_failing"] == "switched on"
    sources = client.get(f"{base}/sources", {"device": "tern", "target": "10.64.65.10"}).json()
    assert sources["sources"][0]["chosen"] is True
    drawn = client.get(f"{base}/map").json()
    (unread,) = (node for node in drawn["nodes"] if node["name"] == "farway")
    assert (unread["role"], unread["breaks"], unread["chassis"]) == ("unread", 0, None)
    assert {grouping["by"] for grouping in drawn["groupings"]} == unread["groups"].keys()
    why = client.get(f"{base}/why", {"prefix": "10.64.40.0/24"}).json()["why"]
    assert all(step["claim"]["kind"] for one in why for step in one["chain"])
    assert client.get(f"{base}/reach").json()["pairs"] > 1000
    assert client.get(f"{base}/why", {"prefix": "10.64.40.0/24"}).json()["why"]


@pytest.mark.parametrize(
    "url",
    [
        "path?from=nobody&to=gull",
        "path?from=gull",
        "path?from=gull&to=mole&port=x",
        "path?from=gull&to=mole&protocol=smoke",
        "decision?device=gull&target=x",
        "decision?device=nobody&target=10.0.0.1",
        "ends?device=gull&interface=eth9",
        "source?device=gull&file=../../secret",
        "why?prefix=x",
        "devices/nobody",
    ],
)
def test_bad_questions_get_a_sentence(client: Client, demo_survey: StoredSurvey, url: str) -> None:
    answer = client.get(f"/api/surveys/{demo_survey.id}/{url}")
    assert answer.status_code in (400, 404)
    assert isinstance(answer.json()["detail"], str) and answer.json()["detail"].endswith(".")


def test_what_is_not_there_is_said_plainly(client: Client) -> None:
    for url in ("/api/surveys/9999/cases", "/api/cases/9999"):
        assert client.get(url).json() == {
            "detail": "There is no such survey or case here. Look at the list of surveys."
        }


def test_cases_say_what_is_true(client: Client, demo_survey: StoredSurvey) -> None:
    cases = client.get(f"/api/surveys/{demo_survey.id}/cases").json()["cases"]
    assert len(cases) == 28, "one travelled here from the survey before"
    assert [c["works"] for c in cases].count("yes") == 1
    made = client.post(
        f"/api/surveys/{demo_survey.id}/cases",
        {"complaint": "no tickets", "sender": "gate-kiosk", "receiver": "booking-db"},
        content_type="application/json",
    )
    assert made.status_code == 201 and made.json()["opened_by"] == "ada"
    assert client.get(f"/api/cases/{made.json()['id']}").json()["complaint"] == "no tickets"
    bad = client.post(
        f"/api/surveys/{demo_survey.id}/cases",
        {"complaint": "?", "sender": "nobody", "receiver": "booking-db"},
        content_type="application/json",
    )
    assert bad.status_code == 400 and Case.objects.count() == 35


def test_loading_the_demo_twice_changes_nothing(demo_survey: StoredSurvey) -> None:
    load(ROOT / "demo")
    assert (StoredSurvey.objects.count(), Case.objects.count()) == (5, 34)


def test_pages_are_locked_down() -> None:
    answer = Client().get("/s/1/cases")
    assert "default-src 'self'" in answer["Content-Security-Policy"]
    assert answer["X-Frame-Options"] == "DENY"


@pytest.mark.parametrize(
    ("prefix", "title"), [("", "Survey"), ("north-site/", "north-site"), ("devices/", "Survey")]
)
def test_a_survey_without_a_title_is_called_by_its_folder(
    client: Client, prefix: str, title: str
) -> None:
    text = b"frr version 8.4.4\nhostname a\ninterface eth0\n ip address 10.64.0.1/24\nexit\n"
    made = send(client, {f"{prefix}{name}/frr.conf": text for name in "ab"}).json()
    assert made["title"] == title


def test_an_archive_without_a_title_is_called_by_its_name(client: Client) -> None:
    text = "frr version 8.4.4\nhostname a\ninterface eth0\n ip address 10.64.0.1/24\nexit\n"
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("devices/a/frr.conf", text)
    assert send(client, {"monday.zip": out.getvalue()}).json()["title"] == "monday"


def test_routing_instances_are_asked_by_their_own_names(client: Client) -> None:
    """A device that is divided: its instances in the list, on the map, and each with its tables."""
    stored = store(read_folder(ROOT / "tests" / "cases" / "delve-00" / "survey"), "delve", None)
    at = f"/api/surveys/{stored.id}"
    names = [row["name"] for row in client.get(f"{at}/devices").json()["devices"]]
    assert {"adit", "adit/blue", "adit/red"} <= set(names)
    red = client.get(f"{at}/devices/adit%2Fred").json()
    assert red["name"] == "adit/red"
    assert "frr.conf" in {file["file"] for file in red["files"]}
    assert client.get(f"{at}/source", {"device": "adit/red", "file": "frr.conf"}).status_code == 200
    nodes = {node["name"] for node in client.get(f"{at}/map").json()["nodes"]}
    assert "adit/red" in nodes and "adit" not in nodes
    question = {"from": "adit", "to": "10.80.20.10"}
    refused = client.get(f"{at}/path", question)
    assert refused.status_code == 400
    assert "Name one: adit/blue, adit/red." in refused.json()["detail"]
    assert client.get(f"{at}/path", {**question, "instance": "red"}).json()["works"] == "yes"
