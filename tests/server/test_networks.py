"""Surveys belong to networks: recognised, corrected, compared, and none of them in silence."""

from __future__ import annotations

import json
from datetime import UTC, datetime

import pytest
from django.contrib.auth.models import User
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.test import Client
from surveys import ROOT, frr, wired, without

from trochos.local import read_folder
from trochos.server.surveys.models import Case, Network, StoredSurvey
from trochos.server.surveys.store import files_of

from .test_api import send

JSON = {"content_type": "application/json"}


@pytest.fixture
def client(db: None) -> Client:
    signed_in = Client()
    signed_in.force_login(User.objects.create_user("ada", password="a long enough secret"))
    return signed_in


def row(number: int, last: str = "10.64.9.1/24") -> dict[str, bytes]:
    """ant - bee - cat in a row, with a loopback each."""
    texts = {
        "topology.json": wired(("ant", "eth1", "bee", "eth1"), ("bee", "eth2", "cat", "eth1")),
        "devices/ant/frr.conf": frr(
            "ant", {"eth1": "10.64.0.1/30"}, "ip route 10.64.0.0/16 10.64.0.2", f"! {number}"
        ),
        "devices/bee/frr.conf": frr(
            "bee",
            {"eth1": "10.64.0.2/30", "eth2": "10.64.0.5/30"},
            "ip route 10.64.9.0/24 10.64.0.6",
        ),
        "devices/cat/frr.conf": frr(
            "cat", {"eth1": "10.64.0.6/30", "eth2": last}, "ip route 10.64.0.0/16 10.64.0.5"
        ),
    }
    return {path: text.encode() for path, text in texts.items()}


def test_the_next_survey_of_a_network_is_recognised_and_misses_what_is_missing(
    client: Client,
) -> None:
    first = send(client, row(1), title="Monday").json()
    assert first["network"] == "Monday" and first["unread"] == 0
    second = send(client, without(row(2), "cat"), title="Tuesday").json()
    assert second["network"] == "Monday" and second["unread"] == 1
    nodes = client.get(f"/api/surveys/{second['id']}/reading").json()["nodes"]
    assert [(n["name"], n["role"], n["expected"]) for n in nodes] == [("cat", "unread", True)]
    said = json.loads(files_of(StoredSurvey.objects.get(pk=second["id"]))["survey.json"])
    assert said["network"] == "Monday" and "cat" in said["expected"]
    other = {"devices/yew/frr.conf": frr("yew", {"eth1": "10.9.0.1/30"}).encode()}
    assert send(client, other, title="Elsewhere").json()["network"] == "Elsewhere"
    listed = client.get("/api/networks").json()["networks"]
    assert {n["name"]: n["surveys"] for n in listed} == {"Monday": 2, "Elsewhere": 1}


def test_network_and_time_can_be_said_when_it_comes_in(client: Client) -> None:
    made = send(client, row(1), network="Ferries", taken_at="2026-05-04T06:30:00Z").json()
    assert (made["network"], made["taken_at"]) == ("Ferries", "2026-05-04T06:30:00Z")
    refused = send(client, row(2), taken_at="yesterday")
    assert refused.status_code == 400 and "is no time" in refused.json()["detail"]


def test_what_is_said_of_a_survey_can_be_corrected(client: Client) -> None:
    made = send(client, row(1), title="Monday").json()
    url = f"/api/surveys/{made['id']}"
    changes = {"title": "Tuesday", "network": "Ferries", "taken_at": "2026-05-05T06:00:00Z"}
    assert {**client.patch(url, changes, **JSON).json(), **changes} == client.get(url).json()
    assert client.get(f"{url}/path?from=ant&to=10.64.9.1").json()["works"] == "yes"
    wrong = client.patch(url, {"roles": {"bee": "cloud"}}, **JSON)
    assert wrong.status_code == 400


def test_a_node_is_what_a_person_says_and_stays_it(client: Client) -> None:
    files = row(1)
    files["topology.json"] = wired(
        ("ant", "eth1", "hub", "p1"), ("bee", "eth1", "hub", "p2"), ("bee", "eth2", "cat", "eth1")
    ).encode()
    made = send(client, files, title="Monday").json()
    url = f"/api/surveys/{made['id']}"
    ask = f"{url}/path?from=ant&to=10.64.9.1"
    assert client.get(ask).json()["works"] == "yes"
    assert client.get(f"{url}/reading").json()["nodes"][0]["role"] == "lan"
    client.patch(url, {"roles": {"hub": "switch"}}, **JSON)
    assert client.get(ask).json()["works"] == "unknown"
    files["devices/ant/frr.conf"] += b"! later\n"
    later = send(client, files, title="Tuesday").json()
    ask = f"/api/surveys/{later['id']}/path?from=ant&to=10.64.9.1"
    assert client.get(ask).json()["works"] == "unknown", "it is kept with the network"
    client.patch(f"/api/surveys/{later['id']}", {"roles": {"hub": ""}}, **JSON)
    assert client.get(ask).json()["works"] == "yes"


def test_verifying_says_what_is_missing_and_refuses_where_it_shows_nothing(client: Client) -> None:
    broken = row(1, "10.64.8.1/24")
    monday = {"taken_at": "2026-05-04T06:30:00Z", "title": "Monday"}
    tuesday = {"taken_at": "2026-05-05T06:30:00Z"}
    extra = {"devices/dog/frr.conf": frr("dog", {"eth1": "10.64.77.1/30"}).encode()}
    first = send(client, {**broken, **extra}, **monday).json()
    opened = client.post(
        f"/api/surveys/{first['id']}/cases",
        {"complaint": "nothing comes back", "sender": "ant", "receiver": "10.64.9.1"},
        **JSON,
    ).json()
    url = f"/api/cases/{opened['id']}/steps"
    half = send(client, without(row(2), "bee"), title="half", **tuesday).json()
    refused = client.post(url, {"step": "verify", "survey": half["id"]}, **JSON)
    assert refused.status_code == 400 and "bee is missing" in refused.json()["detail"]
    most = send(client, row(3), title="most", **tuesday).json()
    done = client.post(url, {"step": "verify", "survey": most["id"]}, **JSON).json()
    assert done["state"] == "verified"
    assert "dog is missing" in done["steps"][-1]["text"]
    compared = client.get(f"/api/compare?old={first['id']}&new={most['id']}").json()["answer"]
    assert [item["device"] for item in compared["missing"]] == ["dog"]
    assert compared["note"] is None


def test_a_case_is_not_verified_on_another_network(client: Client) -> None:
    first = send(client, row(1), network="One", taken_at="2026-05-04T06:30:00Z").json()
    second = send(client, row(2), network="Two", taken_at="2026-05-05T06:30:00Z").json()
    case = Case.objects.create(
        survey_id=first["id"], complaint="x", sender="ant", receiver="10.64.9.1"
    )
    url = f"/api/cases/{case.id}/steps"
    refused = client.post(url, {"step": "verify", "survey": second["id"]}, **JSON)
    assert refused.status_code == 400 and "of the network Two" in refused.json()["detail"]
    found = client.get(f"/api/compare?old={first['id']}&new={second['id']}").json()["answer"]
    assert found["note"] == "The surveys are of two networks, One and Two."


def test_lines_of_a_change_that_nobody_understands_block_the_hand_over(client: Client) -> None:
    made = send(client, row(1)).json()
    edit = {
        "device": "ant", "file": "frr.conf", "context": ["interface eth1"],
        "remove": [], "add": ["ip adress 1.2.3.4/33"],
    }  # fmt: skip
    url = f"/api/surveys/{made['id']}/rehearsals"
    seen = client.post(url, {"edits": [edit]}, **JSON).json()["answer"]
    assert [line["text"] for line in seen["not_understood"]] == ["ip adress 1.2.3.4/33"]
    assert seen["handover"] == []
    taken = client.post(url, {"edits": [edit], "accept_unknown_lines": True}, **JSON).json()[
        "answer"
    ]
    assert taken["handover"][0]["unknown"] == ["ip adress 1.2.3.4/33"]


def test_the_field_of_services_refuses_what_is_none(client: Client) -> None:
    assert client.get("/api/service?text=https").json() == {
        "protocol": "tcp", "port": 443, "text": "tcp/443",
    }  # fmt: skip
    for text in ("banana", "tcp 99999", "udp"):
        refused = client.get("/api/service", {"text": text})
        assert refused.status_code == 400 and refused.json()["detail"].endswith(".")
    made = send(client, row(1)).json()
    path = f"/api/surveys/{made['id']}/path?from=ant&to=10.64.9.1"
    assert client.get(f"{path}&service=banana").status_code == 400
    assert client.get(f"{path}&protocol=tcp&port=99999").status_code == 400
    assert client.get(f"{path}&service=https").status_code == 200


@pytest.mark.django_db(transaction=True)
def test_surveys_of_before_are_put_into_networks() -> None:
    executor = MigrationExecutor(connection)
    executor.migrate([("surveys", "0003_storedsurvey_pinned")])
    try:
        surveys = executor.loader.project_state(
            [("surveys", "0003_storedsurvey_pinned")]
        ).apps.get_model("surveys", "StoredSurvey")
        import io
        import zipfile

        for title, names in (("Monday", "abcd"), ("Tuesday", "abce"), ("Elsewhere", "xyz")):
            held = io.BytesIO()
            with zipfile.ZipFile(held, "w") as archive:
                for name in names:
                    archive.writestr(f"devices/{name}/frr.conf", f"hostname {name}\n")
            surveys.objects.create(
                title=title,
                taken_at=datetime(2026, 5, 4, tzinfo=UTC),
                digest=title,
                archive=held.getvalue(),
                device_count=len(names),
                unread_count=0,
                file_count=len(names),
                open_lines=0,
                findings={"breaks": 0, "risks": 0, "notes": 0},
            )
    finally:
        executor = MigrationExecutor(connection)
        executor.migrate(executor.loader.graph.leaf_nodes())
    found = {s.title: s.network.name for s in StoredSurvey.objects.all()}
    assert found == {"Monday": "Monday", "Tuesday": "Monday", "Elsewhere": "Elsewhere"}
    assert Network.objects.get(name="Monday").expected == ["a", "b", "c", "d", "e"]
    assert all(
        files_of(s)[f"devices/{name}/frr.conf"] == f"hostname {name}\n".encode()
        for s in StoredSurvey.objects.filter(title="Monday")
        for name in "abcd"
    ), "what was stored is as it was"


def test_the_demo_is_two_networks(db: None) -> None:
    from trochos.server.demo import load

    load(ROOT / "demo")
    assert Network.objects.count() == 2
    assert StoredSurvey.objects.count() == 5
    assert len(read_folder(ROOT / "demo/broken")) > 50
