"""Cases through the API: from reported to verified on a newer survey, and what is refused."""

from __future__ import annotations

import json

import pytest
from django.contrib.auth.models import User
from django.db.models import QuerySet
from django.test import Client
from surveys import ROOT

from trochos.core.network.edits import read_edits
from trochos.core.survey import Computed
from trochos.local import fingerprint_key, read_folder
from trochos.server.demo import load
from trochos.server.surveys.models import Case, Proposal, StoredSurvey
from trochos.server.surveys.store import computed, store

pytestmark = pytest.mark.django_db


@pytest.fixture
def client() -> Client:
    signed_in = Client()
    signed_in.force_login(User.objects.create_user("ada", password="a long enough secret"))
    return signed_in


@pytest.fixture
def case() -> Case:
    load(ROOT / "demo")
    return Case.objects.get(complaint__startswith="The gate printer")


def of_its_network(case: Case) -> QuerySet[StoredSurvey]:
    return StoredSurvey.objects.filter(network=case.survey.network_id)


def post(client: Client, url: str, body: object):  # type: ignore[no-untyped-def]
    return client.post(url, json.dumps(body), content_type="application/json")


def step(client: Client, case: Case, **body: object):  # type: ignore[no-untyped-def]
    return post(client, f"/api/cases/{case.id}/steps", body)


def diagnosed(client: Client, case: Case) -> dict:  # type: ignore[type-arg]
    url = f"/api/surveys/{case.survey_id}/diagnosis"
    query = {"from": case.sender, "to": case.receiver}
    for _ in range(60):
        found = client.get(url, query).json()
        if found["state"] == "done":
            return found["answer"]
    raise AssertionError("the diagnosis did not end")


def repaired(survey: StoredSurvey, edits: list) -> StoredSurvey:  # type: ignore[type-arg]
    """A newer survey on which the edits were made."""
    opened = computed(survey)
    changed = opened.rehearse(read_edits({"edits": edits})).changed
    files = read_folder(ROOT / "demo" / "broken")
    for (device, file), text in changed.texts.items():
        files[f"devices/{device}/{file}"] = text.encode()
    about = {"title": "After the change", "taken_at": "2026-05-12T06:30:00Z"}
    files["survey.json"] = json.dumps(about).encode()
    assert Computed.from_files(files, fingerprint_key())
    return store(files, None, None)


def test_a_case_lives_from_reported_to_verified(client: Client, case: Case) -> None:
    case = Case.objects.get(complaint__startswith="The kiosk at Shag Rock")
    assert step(client, case, step="confirm").json()["state"] == "confirmed"
    answer = diagnosed(client, case)
    top = answer["causes"][0]
    assert top["certainty"] == "proven" and top["proof"]["complaint_works"]
    named = step(client, case, step="cause", finding=top["id"]).json()
    assert named["state"] == "cause-found" and named["cause"]["device"] == "shag"
    kept = post(
        client,
        f"/api/surveys/{case.survey_id}/proposals",
        {"title": top["remedy"]["title"], "edits": top["remedy"]["edits"]},
    ).json()
    assert kept["edits"] == top["remedy"]["edits"]
    assert step(client, case, step="propose", proposal=kept["id"]).json()["proposal"] == kept["id"]
    newer = repaired(case.survey, kept["edits"])
    closed = step(client, case, step="verify", survey=newer.id, text="done by night shift").json()
    assert closed["state"] == "verified" and closed["verified_on"] == newer.id
    assert [s["by"] for s in closed["steps"]] == ["ada"] * 4
    assert "both ways work; nothing else broke" in closed["steps"][-1]["text"]
    report = client.get(f"/api/cases/{case.id}/report").json()["markdown"]
    # On the newer survey it is there, as solved; where it was opened it stands as it was.
    there = client.get(f"/api/surveys/{newer.id}/cases").json()["cases"]
    mine = next(item for item in there if item["id"] == case.id)
    assert mine["works"] == "yes" and mine["verified_on"] == newer.id
    for part in ("## The journey", "## The cause", "## The change", "After the change", "night"):
        assert part in report
    assert "ip ospf hello-interval 2" in report and "The way back" in report


def test_a_case_is_not_verified_where_the_complaint_is_still_true(
    client: Client, case: Case
) -> None:
    own = step(client, case, step="verify", survey=case.survey_id)
    assert own.status_code == 400 and "is not newer" in own.json()["detail"]
    older = of_its_network(case).get(title="Before the season")
    assert step(client, case, step="verify", survey=older.id).status_code == 400
    newer = repaired(case.survey, [{"down": {"device": "skerry"}}])
    still = step(client, case, step="verify", survey=newer.id)
    assert still.status_code == 400 and "still true" in still.json()["detail"]
    case.refresh_from_db()
    assert case.state == "reported" and not case.steps.exists()


def test_steps_follow_each_other(client: Client, case: Case) -> None:
    true_one = Case.objects.get(complaint__startswith="The Tern kiosk cannot reach the booking")
    assert "not true" in step(client, true_one, step="confirm").json()["detail"]
    assert step(client, true_one, step="not-reproduced").json()["state"] == "not-reproduced"
    assert step(client, case, step="reopen").status_code == 400
    assert "Say why" in step(client, case, step="close").json()["detail"]
    closed = step(client, case, step="close", text="the kiosk is gone").json()
    assert closed["state"] == "closed-unverified"
    assert closed["steps"][-1]["text"] == "the kiosk is gone"
    assert step(client, case, step="cause", finding="x").status_code == 400
    assert step(client, case, step="note", text="  ").status_code == 400
    assert step(client, case, step="note", text="asked again").json()["state"] == (
        "closed-unverified"
    )
    assert step(client, case, step="dance").status_code == 400


def test_cases_of_one_cause_know_each_other(client: Client, case: Case) -> None:
    other = Case.objects.create(
        survey=case.survey, complaint="The kiosk too", sender="gate-kiosk", receiver="booking-db"
    )
    for item in (case, other):
        finding = diagnosed(client, item)["causes"][0]["id"]
        assert step(client, item, step="cause", finding=finding).status_code == 200
    listed = client.get(f"/api/surveys/{case.survey_id}/cases").json()["cases"]
    same = {item["id"]: item["same_cause"] for item in listed}
    assert same[case.id] == [other.id] and same[other.id] == [case.id]


def test_a_rehearsal_says_what_happens_to_everyone(client: Client, case: Case) -> None:
    top = diagnosed(client, case)["causes"][0]
    url = f"/api/surveys/{case.survey_id}/rehearsals"
    question = {"from": case.sender, "to": case.receiver}
    found = post(client, url, {"edits": top["remedy"]["edits"], "question": question}).json()[
        "answer"
    ]
    assert found["heals"]["count"] == top["proof"]["heals"] > 100
    assert found["before"]["works"] == "no" and found["after"]["works"] == "yes"
    assert case.id in {item["id"] for item in found["cases"]}
    assert found["diffs"][0]["device"] == "heron" and found["handover"][0]["device"] == "heron"
    edited = {"device": "tern", "file": "frr.conf"}
    text = computed(case.survey).survey.text("tern", "frr.conf")
    assert text is not None
    changed = post(
        client, url, {"texts": [{**edited, "text": text + "ip route 9.0.0.0/8 Null0\n"}]}
    )
    assert changed.json()["answer"]["edits"][0]["add"] == ["ip route 9.0.0.0/8 Null0"]


@pytest.mark.parametrize(
    ("body", "says"),
    [
        ({}, "Nothing is changed"),
        ({"edits": [{"device": "heron", "file": "x", "add": ["a"]}]}, "no file 'x'"),
        ({"edits": [{"down": {"device": "atlantis"}}]}, "no device called 'atlantis'"),
        ({"edits": [{"device": "tern", "file": "frr.conf", "remove": ["x"]}]}, "does not stand"),
    ],
)
def test_a_change_that_cannot_be_made_is_refused(
    client: Client, case: Case, body: dict[str, object], says: str
) -> None:
    answer = post(client, f"/api/surveys/{case.survey_id}/rehearsals", body)
    assert answer.status_code == 400 and says in answer.json()["detail"]


def test_two_surveys_side_by_side(client: Client, case: Case) -> None:
    older = of_its_network(case).get(title="Before the season")
    found = client.get("/api/compare", {"old": older.id, "new": case.survey_id}).json()["answer"]
    assert found["breaks"]["count"] > 100
    assert {item["device"] for item in found["texts"]} >= {"heron", "mole"}
    assert client.get("/api/compare", {"old": "x", "new": 1}).status_code == 400


def test_a_secret_that_somebody_types_is_never_kept(client: Client, case: Case) -> None:
    secret = "saltMarsh9"
    edit = {
        "device": "tern",
        "file": "frr.conf",
        "context": ["interface eth0"],
        "add": [f"ip ospf message-digest-key 1 md5 {secret}"],
    }
    leaf = {
        "device": "heron",
        "file": "running.json",
        "path": "/ietf-system:system/password",
        "new": secret,
    }
    base = f"/api/surveys/{case.survey_id}"
    kept = post(client, f"{base}/proposals", {"title": "keys", "edits": [edit, leaf]})
    assert kept.status_code == 201
    text = computed(case.survey).survey.text("tern", "frr.conf")
    assert text is not None
    typed = text.replace(
        "interface eth0\n", f"interface eth0\n ip ospf authentication-key {secret}\n"
    )
    body = {"texts": [{"device": "tern", "file": "frr.conf", "text": typed}]}
    shown = post(client, f"{base}/rehearsals", body)
    assert shown.status_code == 200
    stored = json.dumps(list(Proposal.objects.values("edits")))
    for answer in (kept.content.decode(), shown.content.decode(), stored):
        assert secret not in answer and "<secret:" in answer


def test_what_people_write_is_kept_without_the_secrets_in_it(client: Client, case: Case) -> None:
    secret = "saltMarsh9!"
    noted = step(client, case, step="note", text=f"set with neighbor 10.0.0.1 password {secret}")
    kept = noted.json()["steps"][-1]["text"]
    assert secret not in kept and "<secret:" in kept and kept.startswith("set with neighbor")
    assert noted.headers["Trochos-Hidden"] == "1", "it is said that something is not kept"
    plain = step(client, case, step="note", text="set by the night shift")
    assert "Trochos-Hidden" not in plain.headers
    made = post(
        client,
        f"/api/surveys/{case.survey_id}/cases",
        {
            "complaint": f"the feed with token {secret} stands still",
            "sender": case.sender,
            "receiver": case.receiver,
        },
    )
    assert made.status_code == 201 and secret not in made.content.decode()
    url = f"/api/surveys/{case.survey_id}"
    client.patch(url, json.dumps({"title": f"psk {secret}"}), content_type="application/json")
    assert secret not in client.get(url).content.decode()
    assert secret not in json.dumps([str(c.complaint) for c in Case.objects.all()])


def test_a_settled_complaint_is_expected_from_then_on(client: Client, case: Case) -> None:
    url = f"/api/cases/{case.pk}/expectation"
    assert "not settled" in client.post(url).json()["detail"]
    assert step(client, case, step="close", text="told by phone").status_code == 200
    kept = client.post(url).json()
    assert kept["added"] and case.complaint[:20] in kept["name"]
    listed = client.get(f"/api/surveys/{case.survey_id}/expectations").json()
    assert listed["of"] == "network" and kept["name"][:40] in listed["text"]
    before = listed["text"]
    assert client.post(url).json()["added"] is False
    assert client.get(f"/api/surveys/{case.survey_id}/expectations").json()["text"] == before
    case.refresh_from_db()
    assert [s.step for s in case.steps.all()] == ["close", "note"]


def test_open_cases_travel_with_their_network(client: Client, case: Case) -> None:
    """On a newer survey they are asked again, with what turned; settled ones stay."""
    eve = Case.objects.get(complaint__startswith="The seamen's school has lost the tide")
    told = client.get(f"/api/surveys/{case.survey_id}/cases").json()["cases"]
    found = next(item for item in told if item["id"] == eve.id)
    thursday = {"id": eve.survey_id, "title": eve.survey.title, "works": "no"}
    assert found["opened_on"] == thursday and found["works"] == "no"
    assert all(item["opened_on"] is None for item in told if item["survey"] == case.survey_id)

    other = Case.objects.get(complaint__startswith="Planning cannot see the kiosk")
    assert step(client, other, step="close", text="told by phone").status_code == 200
    top = diagnosed(client, case)["causes"][0]
    newer = repaired(case.survey, top["remedy"]["edits"])
    told = client.get(f"/api/surveys/{newer.id}/cases").json()["cases"]
    turned = next(item for item in told if item["id"] == case.id)
    ping = client.get(
        f"/api/surveys/{newer.id}/path", {"from": case.sender, "to": case.receiver}
    ).json()
    assert turned["opened_on"]["works"] == "no" and turned["works"] == ping["works"]
    numbers = [item["id"] for item in told]
    assert eve.id in numbers and other.id not in numbers
    # An older survey does not show what was told later, nor does another network.
    for stored in StoredSurvey.objects.exclude(pk__in=(newer.id, case.survey_id)):
        listed = client.get(f"/api/surveys/{stored.id}/cases").json()["cases"]
        assert case.id not in [item["id"] for item in listed]
