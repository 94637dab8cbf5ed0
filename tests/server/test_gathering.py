"""Gathering on the server: the vault, trusted keys, the queue, and what a death costs."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from asgiref.sync import sync_to_async
from django.contrib.auth.models import User
from django.db import connection, connections
from django.test import Client
from django.utils import timezone
from gather.live import running
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from devices.fleet import COMMUNITY, PASSWORD, USERNAME, Fleet
from devices.restconf import certificate
from trochos.local import read_folder
from trochos.server.gathering import errands, queueing, runs, tasks, vault
from trochos.server.gathering.models import (
    AllowedNetwork,
    Errand,
    Gathering,
    InventoryDevice,
    Part,
    Plan,
    StoredCredential,
)
from trochos.server.surveys.models import Case, StoredSurvey
from trochos.server.surveys.store import files_of

DEMO = Path(__file__).resolve().parents[2] / "demo" / "broken"
NAMES = ["heron", "gull", "tern", "office", "tide-tables"]
pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture(scope="module")
def fleet() -> Iterator[Fleet]:
    files = {
        path: data
        for path, data in read_folder(DEMO).items()
        if path.startswith("devices/") and path.split("/")[1] in NAMES
    }
    with running(Fleet(files, {"office": "restconf", "tide-tables": "snmp"})) as live:
        yield live


@pytest.fixture
def client(db: None) -> Client:
    AllowedNetwork.objects.create(network="127.0.0.0/8")
    signed_in = Client()
    signed_in.force_login(User.objects.create_user("ada", is_staff=True))
    return signed_in


def send(client: Client, method: str, path: str, data: object = None) -> Any:
    answer = getattr(client, method)(f"/api/{path}", data=data, content_type="application/json")
    return answer.status_code, (answer.json() if answer.content else None)


def work() -> None:
    """Everything that is in the queue, as workers do it."""
    while ProcrastinateJob.objects.filter(status="todo").exists():
        asyncio.run(one_round())


async def one_round() -> None:
    connector = app.connector.get_worker_connector()  # type: ignore[attr-defined]
    with app.replace_connector(connector) as held:
        async with held.open_async():
            await held.run_worker_async(
                queues=[queueing.QUEUE],
                concurrency=8,
                wait=False,
                install_signal_handlers=False,
            )
    await sync_to_async(connections.close_all)()


def talked_to(client: Client, device: dict[str, Any]) -> dict[str, Any]:
    """What a test of a device says, asked for again as a person's page does."""
    status, sent = send(client, "post", f"inventory/devices/{device['id']}/test")
    assert status == 200
    status, back = send(client, "get", f"inventory/tests/{sent['id']}")
    assert status == 200 and back["state"] == "done"
    return back["answer"]  # type: ignore[no-any-return]


def test_whoever_waits_for_a_device_is_told_why_nothing_came(client: Client, settings: Any) -> None:
    """A worker does the talking: until one does, it is on its way; lost with one, it says so."""
    settings.COMPUTE_HERE = False
    send(client, "post", "inventory/credentials", {"name": "c", "username": "u", "password": "p"})
    entry = {"name": "ant", "address": "127.0.0.1", "method": "ssh", "port": 1, "credential": "c"}
    _, device = send(client, "post", "inventory/devices", entry)
    _, sent = send(client, "post", f"inventory/devices/{device['id']}/test")
    assert sent["state"] == "working" and sent["answer"] is None
    where = f"inventory/tests/{sent['id']}"
    assert send(client, "get", where)[1]["state"] == "working"
    errands.take_up()
    assert send(client, "get", where)[1]["state"] == "working", "it is not late yet"
    Errand.objects.update(sent_at=timezone.now() - timedelta(minutes=3))
    errands.take_up()
    status, said = send(client, "get", where)
    assert status == 400 and said["detail"] == (
        "ant cannot be asked: The worker that talked to the device ended. Ask again."
    )
    _, sent = send(client, "post", f"inventory/devices/{device['id']}/test")
    errands.perform(sent["id"])
    status, back = send(client, "get", f"inventory/tests/{sent['id']}")
    assert status == 200 and back["answer"]["outcome"] != "done"
    assert Errand.objects.count() == 2
    Errand.objects.update(sent_at=timezone.now() - timedelta(days=1))
    errands.send(errands.TEST, InventoryDevice.objects.get())
    assert Errand.objects.count() == 1, "what nobody came for is dropped"


def stock(client: Client, fleet: Fleet) -> None:
    """The fleet in the inventory, its keys trusted."""
    for name, parts in (
        ("fleet", {"username": USERNAME, "password": PASSWORD}),
        ("fleet-snmp", {"community": COMMUNITY}),
    ):
        status, _ = send(client, "post", "inventory/credentials", {"name": name, **parts})
        assert status == 201
    for entry in fleet.inventory():
        status, device = send(client, "post", "inventory/devices", entry)
        assert status == 201, device
        tested = talked_to(client, device)
        if entry["method"] != "snmp":
            assert tested["outcome"] == "key-unknown"
            status, _ = send(
                client, "post", f"inventory/devices/{device['id']}/trust", {"key": tested["key"]}
            )
            assert status == 200
            tested = talked_to(client, device)
        assert tested["outcome"] == "done", tested
        assert tested["got"]


def test_from_inventory_to_survey(client: Client, fleet: Fleet) -> None:
    stock(client, fleet)
    status, run = send(client, "post", "gatherings", {})
    assert status == 201 and run["state"] == "running"
    assert {part["state"] for part in run["parts"]} == {"waiting"}
    work()
    _, run = send(client, "get", f"gatherings/{run['id']}")
    assert run["state"] == "done" and run["over"] == len(NAMES) and run["failed"] == 0
    survey = StoredSurvey.objects.get(pk=run["survey"])
    assert survey.device_count == len(NAMES)
    held = b"".join(files_of(survey).values()).decode()
    assert PASSWORD not in held and COMMUNITY not in held
    assert not Part.objects.filter(files__isnull=False).exists()


def test_secrets_go_in_and_never_come_out(client: Client) -> None:
    secret = "barnacle-and-brine"
    entered = {"name": "yard", "username": "u", "password": secret}
    status, shown = send(client, "post", "inventory/credentials", entered)
    assert status == 201 and secret not in json.dumps(shown)
    assert shown["parts"] == ["password", "username"]
    _, inventory = send(client, "get", "inventory")
    assert secret not in json.dumps(inventory)
    held = StoredCredential.objects.get()
    assert secret.encode() not in bytes(held.sealed)
    assert vault.unseal("yard", bytes(held.sealed)).password == secret
    # A part that is not entered again stays; an empty credential is refused.
    status, _ = send(
        client, "put", f"inventory/credentials/{held.pk}", {"name": "yard", "username": "v"}
    )
    assert status == 200
    kept = vault.unseal("yard", bytes(StoredCredential.objects.get().sealed))
    assert (kept.username, kept.password) == ("v", secret)
    status, said = send(client, "post", "inventory/credentials", {"name": "empty"})
    assert status == 400 and "empty" in said["detail"]


def test_another_key_than_the_vaults_opens_nothing(
    client: Client, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    send(client, "post", "inventory/credentials", {"name": "c", "username": "u", "password": "p"})
    monkeypatch.setenv("TROCHOS_VAULT_KEY", str(tmp_path / "other.key"))
    with pytest.raises(Exception, match="stored under another key"):
        errands.stored_credential("c")


def test_only_the_key_that_was_shown_can_be_trusted(client: Client, fleet: Fleet) -> None:
    stock(client, fleet)
    heron = InventoryDevice.objects.get(name="heron")
    status, said = send(
        client, "post", f"inventory/devices/{heron.pk}/trust", {"key": "SHA256:mine"}
    )
    assert status == 400 and "not the key" in said["detail"]
    InventoryDevice.objects.filter(pk=heron.pk).update(key="SHA256:another")
    send(client, "post", "gatherings", {"devices": [heron.pk]})
    work()
    heron.refresh_from_db()
    assert heron.outcome == "key-changed" and heron.key == "SHA256:another"
    assert heron.shown_key and "SHA256:another was trusted" in heron.says
    # Another address may be another device: its key has to be trusted again.
    status, moved = send(
        client,
        "put",
        f"inventory/devices/{heron.pk}",
        {"name": "heron", "address": "127.0.0.2", "method": "netconf", "credential": "fleet"},
    )
    assert status == 200 and moved["key"] is None and moved["port"] == 830


def test_who_may_do_what(client: Client) -> None:
    plain = Client()
    plain.force_login(User.objects.create_user("ben"))
    for method, path, data in (
        ("post", "inventory/credentials", {"name": "x", "password": "y"}),
        ("post", "inventory/devices", {}),
        ("post", "inventory", {"yaml": "[]"}),
        ("put", "inventory/plan", {"every_hours": 1, "keep": 3}),
    ):
        assert send(plain, method, path, data)[0] == 403
    assert send(plain, "get", "inventory")[1]["may_change"] is False
    assert send(Client(), "get", "inventory")[0] == 403


def test_a_file_of_devices_is_taken_in(client: Client) -> None:
    text = "- {name: a, address: 10.64.0.1, method: ssh, credential: c}\n"
    status, said = send(client, "post", "inventory", {"yaml": text})
    assert status == 400 and "credential c" in said["detail"]
    send(client, "post", "inventory/credentials", {"name": "c", "username": "u", "password": "p"})
    status, said = send(client, "post", "inventory", {"yaml": text})
    assert status == 400 and "no network that live work may go to" in said["detail"]
    send(client, "post", "inventory/allowed", {"network": "10.64.0.0/16"})
    status, held = send(client, "post", "inventory", {"yaml": text})
    assert status == 200 and [d["name"] for d in held["devices"]] == ["a"]
    status, said = send(
        client, "post", "inventory", {"yaml": text.replace("credential: c", "password: p")}
    )
    assert status == 400 and "secret" in said["detail"]


def test_a_worker_that_dies_loses_nothing(client: Client, fleet: Fleet) -> None:
    stock(client, fleet)
    _, run = send(client, "post", "gatherings", {})

    # One worker takes two jobs up and is gone before it has done anything.
    async def die() -> None:
        connector = app.connector.get_worker_connector()  # type: ignore[attr-defined]
        with app.replace_connector(connector) as held:
            async with held.open_async():
                worker = await held.job_manager.register_worker()
                for _ in range(2):
                    job = await held.job_manager.fetch_job([queueing.QUEUE], worker)
                    assert job is not None
                    await sync_to_async(runs.claim)(job.task_kwargs["part"])
        await sync_to_async(connections.close_all)()

    asyncio.run(die())
    work()
    _, half = send(client, "get", f"gatherings/{run['id']}")
    assert half["state"] == "running" and half["survey"] is None
    assert sum(part["state"] == "running" for part in half["parts"]) == 2
    assert StoredSurvey.objects.count() == 0
    # Its heart is still: the jobs are given back, and the next worker finishes.
    with connection.cursor() as cursor:
        cursor.execute(
            "UPDATE procrastinate_workers SET last_heartbeat = now() - interval '5 minutes'"
        )
    tasks.rescue.defer(timestamp=0)
    work()
    work()
    _, whole = send(client, "get", f"gatherings/{run['id']}")
    assert whole["state"] == "done" and whole["failed"] == 0
    assert StoredSurvey.objects.count() == 1


def test_jobs_that_the_queue_lost_are_put_in_again(client: Client, fleet: Fleet) -> None:
    """The database went away under a worker: its jobs are over for the queue."""
    stock(client, fleet)
    _, run = send(client, "post", "gatherings", {})
    Part.objects.filter(device="heron").update(state="running")
    with connection.cursor() as cursor:
        cursor.execute("UPDATE procrastinate_jobs SET status = 'failed'")
    assert runs.take_up() == len(NAMES)
    assert runs.take_up() == 0
    work()
    assert send(client, "get", f"gatherings/{run['id']}")[1]["state"] == "done"
    Gathering.objects.update(state="storing")
    assert runs.take_up() == 1


def test_storing_twice_stores_once(client: Client, fleet: Fleet) -> None:
    stock(client, fleet)
    _, run = send(client, "post", "gatherings", {})
    work()
    runs.finish(run["id"])
    for part in Part.objects.all():
        assert runs.claim(part.pk) is None
    assert StoredSurvey.objects.count() == 1
    assert Gathering.objects.get().state == "done"


def test_a_gathering_can_be_given_up(client: Client, fleet: Fleet) -> None:
    stock(client, fleet)
    _, run = send(client, "post", "gatherings", {})
    status, stopped = send(client, "post", f"gatherings/{run['id']}/cancel")
    assert status == 200 and stopped["state"] == "cancelled"
    work()
    _, after = send(client, "get", f"gatherings/{run['id']}")
    assert after["state"] == "cancelled" and after["survey"] is None
    assert {part["state"] for part in after["parts"]} == {"cancelled"}


def test_no_device_gives_anything(client: Client) -> None:
    send(client, "post", "inventory/credentials", {"name": "c", "username": "u", "password": "p"})
    status, said = send(client, "post", "gatherings", {})
    assert status == 400 and "Add devices" in said["detail"]
    entry = {
        "name": "a", "address": "127.0.0.1", "method": "netconf", "port": 9, "credential": "c",
    }  # fmt: skip
    send(client, "post", "inventory/devices", entry)
    _, run = send(client, "post", "gatherings", {})
    Part.objects.update(state="unreachable", says="Nobody answers.", files={})
    Gathering.objects.update(state="storing")
    runs.finish(run["id"])
    _, after = send(client, "get", f"gatherings/{run['id']}")
    assert after["state"] == "failed" and "no survey" in after["says"]


def test_old_surveys_go_and_what_matters_stays(client: Client, fleet: Fleet) -> None:
    stock(client, fleet)
    user = User.objects.get(username="ada")
    for number in range(4):
        run = runs.begin(InventoryDevice.objects.filter(name="heron"), user, f"Run {number}")
        work()
        run.refresh_from_db()
        assert run.state == "done"
    surveys = list(StoredSurvey.objects.order_by("stored_at"))
    assert len(surveys) == 4
    send(client, "patch", f"surveys/{surveys[0].pk}", {"pinned": True})
    Case.objects.create(survey=surveys[1], complaint="x", sender="a", receiver="b")
    assert runs.expire(1) == 1
    left = set(StoredSurvey.objects.values_list("pk", flat=True))
    assert left == {surveys[0].pk, surveys[1].pk, surveys[3].pk}


def test_the_plan_begins_when_its_time_has_come(client: Client, fleet: Fleet) -> None:
    stock(client, fleet)
    status, plan = send(client, "put", "inventory/plan", {"every_hours": 6, "keep": 3})
    assert status == 200 and plan["next_at"] is not None
    assert runs.due() is None
    Plan.objects.update(next_at=timezone.now() - timedelta(hours=13))
    run = runs.due()
    assert run is not None and run.parts.count() == len(NAMES)
    # What was missed is not made up for, and a run is not overtaken.
    assert Plan.current().next_at > timezone.now()  # type: ignore[operator]
    Plan.objects.update(next_at=timezone.now())
    assert runs.due() is None
    assert ProcrastinateJob.objects.filter(status="todo").count() == len(NAMES)


def test_a_client_certificate_is_kept_sealed_with_its_key(client: Client) -> None:
    made, private = (part.decode() for part in certificate("surveyor"))
    entered = {"name": "ours", "certificate": made, "private_key": private}
    status, shown = send(client, "post", "inventory/credentials", entered)
    assert status == 201, shown
    held = StoredCredential.objects.get(name="ours")
    assert held.parts == ["certificate", "private_key"]
    assert "PRIVATE KEY" not in json.dumps(shown) and b"PRIVATE" not in bytes(held.sealed)
    assert vault.unseal("ours", bytes(held.sealed)).certificate == made
    status, said = send(
        client, "post", "inventory/credentials", {"name": "half", "certificate": made}
    )
    assert status == 400 and "private key" in said["detail"]
