"""The API over what is looked at before it breaks, and what somebody pasted into a case."""

from __future__ import annotations

import json

import pytest
import yaml
from django.contrib.auth.models import User
from django.test import Client
from surveys import ROOT

from trochos.core.diagnosis.audit import parse_expectations
from trochos.local import read_folder
from trochos.server.demo import load
from trochos.server.surveys.expected import expectations_of
from trochos.server.surveys.models import Answer, Case, CaseEvidence, StoredSurvey
from trochos.server.surveys.store import store

pytestmark = pytest.mark.django_db


@pytest.fixture
def client() -> Client:
    signed_in = Client()
    signed_in.force_login(User.objects.create_user("ada", password="a long enough secret"))
    return signed_in


@pytest.fixture
def survey() -> StoredSurvey:
    return store(read_folder(ROOT / "demo" / "healthy"), None, None)


def send(client: Client, method: str, url: str, body: object):  # type: ignore[no-untyped-def]
    return getattr(client, method)(url, json.dumps(body), content_type="application/json")


def done(ask):  # type: ignore[no-untyped-def]
    """The answer, once it is there."""
    for _ in range(100):
        found = ask().json()
        if found["state"] == "done":
            return found["answer"]
    raise AssertionError("no answer")


EXPECTED = """
- name: planning reaches the kiosk
  from: planning-desk
  to: skerry-kiosk
- name: nobody reaches the moon
  from: planning-desk
  to: 192.0.2.77
"""


def test_expectations_belong_to_the_network_and_are_checked_on_every_survey(
    client: Client, survey: StoredSurvey
) -> None:
    url = f"/api/surveys/{survey.id}/expectations"
    assert client.get(url).json()["of"] in (None, "survey")
    kept = send(client, "put", url, {"text": EXPECTED})
    assert kept.status_code == 200, kept.content
    answer = done(lambda: client.get(url))
    assert [(r["name"], r["holds"]) for r in answer["results"]] == [
        ("planning reaches the kiosk", True),
        ("nobody reaches the moon", False),
    ]
    broken = store(read_folder(ROOT / "demo" / "broken"), None, None)
    assert broken.network_id == survey.network_id
    assert Answer.objects.filter(kind="audit", survey=broken).exists(), "nobody asked for it"
    told = client.get(f"/api/surveys/{broken.id}/expectations").json()
    assert told["of"] == "network" and told["changed_by"] == "ada"
    marks = {h["name"]: [m["holds"] for m in h["marks"]] for h in told["history"]}
    assert marks["planning reaches the kiosk"] == [True, False]


def test_a_survey_brings_its_expectations_whatever_they_are_called() -> None:
    """A list is told by what it holds; one that is named as such is told even if it is none, so
    that whoever wrote it hears what is wrong."""
    files = {"devices/heron/a.conf": b"hostname heron\nrouter ospf\n"}
    wanted = "# for Monday\n- from: heron\n  to: 10.0.0.1\n"
    brought = store({**files, "wanted.yml": wanted.encode()}, "wanted", None)
    assert expectations_of(brought) == (wanted, "survey")
    other = store({**files, "notes.yaml": b"- closed on Monday\n"}, "noted", None)
    assert expectations_of(other) == ("", None)
    broken = store({**files, "expectations.yaml": b"kiosk: booking\n"}, "broken", None)
    assert expectations_of(broken) == ("kiosk: booking\n", "survey")


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("- from: [a\n", "is not YAML"),
        ("from: a", "Expectations are a list"),
        ("- {from: a, to: b, until: noon}", "says 'until'"),
    ],
)
def test_expectations_that_cannot_be_read_are_refused(
    client: Client, survey: StoredSurvey, text: str, says: str
) -> None:
    refused = send(client, "put", f"/api/surveys/{survey.id}/expectations", {"text": text})
    assert refused.status_code == 400 and says in refused.content.decode()


def test_what_works_now_becomes_a_few_lines_that_hold(client: Client, survey: StoredSurvey) -> None:
    answer = done(lambda: client.get(f"/api/surveys/{survey.id}/expectations/suggested"))
    items = parse_expectations(answer["text"])
    hosts = {name for item in items for name in (*item.senders, *item.receivers)}
    assert 0 < len(items) < len(hosts)
    url = f"/api/surveys/{survey.id}/expectations"
    assert send(client, "put", url, {"text": answer["text"]}).status_code == 200
    results = done(lambda: client.get(url))["results"]
    assert all(result["holds"] for result in results), results
    assert yaml.safe_load(answer["text"])


def test_the_sweep_is_asked_and_says_what_a_rehearsal_says(
    client: Client, survey: StoredSurvey
) -> None:
    answer = done(lambda: client.get(f"/api/surveys/{survey.id}/sweep", {"what": "devices"}))
    assert answer["tried"] == answer["of"] > 5
    worst = max(answer["failures"], key=lambda failure: failure["cuts"])
    edit = {"down": {"device": worst["down"]["device"], "interface": None}}
    url = f"/api/surveys/{survey.id}/rehearsals"
    shown = send(client, "post", url, {"edits": [edit]}).json()["answer"]
    assert (shown["breaks"]["count"], shown["gone"]["count"]) == (worst["cuts"], worst["gone"])
    assert client.get(f"/api/surveys/{survey.id}/sweep", {"what": "ducks"}).status_code == 400


def test_the_order_of_steps_is_asked(client: Client, survey: StoredSurvey) -> None:
    edits = [
        {"down": {"device": "heron", "interface": None}},
        {"down": {"device": "gull", "interface": None}},
    ]
    url = f"/api/surveys/{survey.id}/order"
    answer = done(lambda: send(client, "post", url, {"edits": edits}))
    assert {step["device"] for step in answer["steps"]} == {"heron", "gull"} and answer["exact"]
    refused = send(client, "post", url, {"edits": edits, "host": "nowhere"})
    assert refused.status_code == 400 and "nowhere" in refused.content.decode()
    assert send(client, "post", url, {"edits": []}).status_code == 400


TRACE = """ann@planning-desk:~$ traceroute -n skerry-kiosk
traceroute to {target} ({target}), 30 hops max, 60 byte packets
 1  192.0.2.7  0.512 ms  0.433 ms  0.401 ms
 2  * * *
password {secret}
"""


def test_what_somebody_pasted_is_kept_with_the_case(client: Client) -> None:
    load(ROOT / "demo")
    case = Case.objects.filter(sender="planning-desk").first() or Case.objects.all()[0]
    target = client.get(
        f"/api/surveys/{case.survey_id}/path", {"from": case.sender, "to": case.receiver}
    ).json()["to"]["address"]
    url = f"/api/cases/{case.id}/evidence"
    text = TRACE.format(target=target, secret="narrow-channel")
    made = send(client, "post", url, {"text": text, "name": "mail.txt"})
    assert made.status_code == 201, made.content
    shown = made.json()
    (seen,) = shown["outputs"]
    assert seen["tool"] == "traceroute" and not seen["agrees"]
    assert seen["hops"][0]["state"] == "stranger"
    assert "narrow-channel" not in made.content.decode()
    assert "narrow-channel" not in CaseEvidence.objects.latest("pk").text
    assert [line["line"] for line in shown["unread"]] == [5]
    assert len(client.get(url).json()["evidence"]) == 1
    refused = send(client, "post", url, {"text": "it does not work"})
    assert refused.status_code == 400 and "traceroute" in refused.content.decode()
    assert client.delete(f"{url}/{shown['id']}").status_code == 204
    assert client.get(url).json()["evidence"] == []
