"""Running the service: a build server's script, backup and restore, logs, and an upgrade."""

from __future__ import annotations

import io
import json
import logging
import logging.config
import os
import re
import subprocess
import sys
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.core.management import call_command
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.test import Client
from surveys import ROOT, free_port

from trochos.core.readers.masking import number_of
from trochos.local import fingerprint_key, read_folder
from trochos.server import backup, logs
from trochos.server.accounts.models import AuditEntry, Token
from trochos.server.gathering import vault
from trochos.server.gathering.models import StoredCredential
from trochos.server.surveys.models import Case, ExpectationList, StoredSurvey
from trochos.server.surveys.store import files_of, store

SCRIPT = ROOT / "docs" / "examples" / "check_branch.py"
MANUAL = ROOT / "docs" / "manual" / "operating.md"
MUST = "- {name: planning reaches the kiosk, from: planning-desk, to: skerry-kiosk}\n"


def check_branch(url: str, token: str, folder: str) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, str(SCRIPT), str(ROOT / "demo" / folder), "--network", "harbours"]
    environment = {**os.environ, "TROCHOS_URL": url, "TROCHOS_TOKEN": token}
    return subprocess.run(command, env=environment, capture_output=True, text=True, timeout=300)


@pytest.mark.django_db(transaction=True)
def test_a_build_server_checks_a_branch(live_server: Any) -> None:
    user = User.objects.create_user("builds")
    _, text = Token.issue(user, "builds", "engineer", 3)
    first = check_branch(live_server.url, text, "healthy")
    assert first.returncode == 0 and "Nothing is expected" in first.stdout, first.stderr
    stored = StoredSurvey.objects.get()
    ExpectationList.objects.create(network=stored.network, text=MUST)
    good = check_branch(live_server.url, text, "healthy")
    assert good.returncode == 0 and "holds  planning reaches the kiosk" in good.stdout
    bad = check_branch(live_server.url, text, "broken")
    assert bad.returncode == 1 and "FAILS  planning reaches the kiosk" in bad.stdout
    assert re.search(r"since .*: \d+ pairs broke", bad.stdout)
    refused = check_branch(live_server.url, "trochos-wrong", "healthy")
    assert refused.returncode == 2 and "Make a new one" in refused.stderr


@pytest.fixture
def elsewhere(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """The tests' database as one that the environment names, and an empty second one."""
    held = connection.settings_dict
    for name, value in (
        ("DATABASE_HOST", held["HOST"]),
        ("DATABASE_PORT", held["PORT"]),
        ("DATABASE_USER", held["USER"]),
        ("DATABASE_PASSWORD", held["PASSWORD"]),
        ("DATABASE_NAME", held["NAME"]),
    ):
        monkeypatch.setenv(name, str(value))
    with connection.cursor() as cursor:
        cursor.execute("drop database if exists restored")
        cursor.execute("create database restored")
    yield
    with connection.cursor() as cursor:
        cursor.execute("drop database restored with (force)")


@pytest.mark.django_db(transaction=True)
def test_what_was_backed_up_comes_back_with_its_keys(
    elsewhere: None, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: Any
) -> None:
    import psycopg

    here, there = tmp_path / "here", tmp_path / "there"
    monkeypatch.setenv("TROCHOS_STATE", str(here))
    monkeypatch.delenv("TROCHOS_VAULT_KEY", raising=False)
    survey = store(read_folder(ROOT / "demo" / "healthy"), None, None)
    sealed = vault.seal({"username": "u", "password": "barnacle"})
    StoredCredential.objects.create(name="c", username="u", sealed=sealed)
    file = tmp_path / "kept.tar"
    assert backup.main(["backup", str(file)]) == 0
    assert file.stat().st_mode & 0o077 == 0 and b"barnacle" not in file.read_bytes()

    monkeypatch.setenv("TROCHOS_STATE", str(there))
    monkeypatch.setenv("DATABASE_NAME", "restored")
    assert backup.main(["restore", str(file)]) == 0
    assert "Restored as of" in capsys.readouterr().out
    parameters = {k[2:].lower(): v for k, v in backup._database().items()}
    parameters["dbname"] = parameters.pop("database")
    with psycopg.connect(**parameters) as restored:  # type: ignore[arg-type]
        titles = restored.execute("select title from surveys_storedsurvey").fetchall()
        held = restored.execute("select sealed from gathering_storedcredential").fetchone()
    assert titles == [(survey.title,)] and held is not None
    assert vault.parts_of("c", bytes(held[0]))["password"] == "barnacle"
    for key in ("fingerprint.key", "vault.key"):
        assert (there / key).read_bytes() == (here / key).read_bytes()
        assert (there / key).stat().st_mode & 0o077 == 0
    # What is there is not lost unless somebody says so.
    assert backup.main(["restore", str(file)]) == 1
    assert "--replace" in capsys.readouterr().err
    assert backup.main(["restore", str(file), "--replace"]) == 0
    for text, says in ((b"no tar", "no backup"), (file.read_bytes()[:4000], "only a part")):
        (tmp_path / "bad.tar").write_bytes(text)
        assert backup.main(["restore", str(tmp_path / "bad.tar"), "--replace"]) == 1
        assert says in capsys.readouterr().err


def test_a_database_that_is_away_is_a_sentence(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, capsys: Any
) -> None:
    monkeypatch.setenv("DATABASE_HOST", "127.0.0.1")
    monkeypatch.setenv("DATABASE_PORT", "1")
    assert backup.main(["backup", str(tmp_path / "x.tar")]) == 1
    assert not (tmp_path / "x.tar").exists()
    environment = {**os.environ, "TROCHOS_STATE": str(tmp_path), "PYTHONPATH": str(ROOT / "src")}
    for module in ("up", "worker"):
        command = [sys.executable, "-m", f"trochos.server.{module}"]
        if module == "up":
            command += ["--no-demo", "--port", str(free_port())]
        done = subprocess.run(command, env=environment, capture_output=True, text=True, timeout=120)
        assert done.returncode == 1
        assert "The database at 127.0.0.1 port 1 does not answer" in done.stderr
        assert "Traceback" not in done.stderr


@pytest.fixture
def log_file(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Iterator[Path]:
    monkeypatch.setenv("TROCHOS_STATE", str(tmp_path))
    monkeypatch.setenv(logs.PROCESS, "server")
    logging.config.dictConfig(logs.configuration())
    yield tmp_path / "log" / "server.jsonl"
    monkeypatch.delenv(logs.PROCESS)
    logging.config.dictConfig(logs.configuration())


@pytest.mark.django_db
def test_logs_are_objects_without_what_somebody_typed(log_file: Path) -> None:
    client = Client(raise_request_exception=False)
    client.force_login(User.objects.create_user("ada"))
    survey = store(read_folder(ROOT / "demo" / "healthy"), None, None)
    client.get(f"/api/surveys/{survey.pk}/path?from=planning-desk&to=the-secret-kiosk")
    client.post("/api/session", {"name": "ada", "password": "barnacle"}, "application/json")
    lines = [json.loads(line) for line in log_file.read_text().splitlines()]
    asked = [line for line in lines if line["event"] == "request"]
    assert [(line["route"], line["status"]) for line in asked] == [
        ("api/surveys/<int:survey>/path", 200),
        ("api/session", 400),
    ]
    assert asked[0]["of"] == survey.pk and asked[0]["ms"] >= 0 and asked[0]["timestamp"]
    text = log_file.read_text()
    assert "barnacle" not in text and "secret-kiosk" not in text


@pytest.mark.django_db(transaction=True)
def test_accounts_and_devices_of_before_have_a_role_and_a_place() -> None:
    executor = MigrationExecutor(connection)
    before = [("accounts", "0001_initial"), ("gathering", "0001_initial")]
    try:
        executor.migrate(before)
        old = executor.loader.project_state(before).apps
        user = old.get_model("auth", "User")
        user.objects.create(username="owner", is_staff=True)
        user.objects.create(username="ben")
        credential = old.get_model("gathering", "StoredCredential").objects.create(
            name="c", sealed=b"x"
        )
        for name, address in (("a", "192.0.2.7"), ("b", "b.example"), ("d", "192.0.2.7")):
            old.get_model("gathering", "InventoryDevice").objects.create(
                name=name, address=address, method="ssh", port=22, credential=credential
            )
    finally:
        call_command("migrate", verbosity=0)
    from trochos.server.accounts.roles import role_of
    from trochos.server.gathering.models import AllowedNetwork

    assert {u.username: role_of(u) for u in User.objects.all()} == {
        "owner": "administrator",
        "ben": "engineer",
    }
    assert list(AllowedNetwork.objects.values_list("network", flat=True)) == ["192.0.2.7/32"]


def plain_archive(files: dict[str, str]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, text in files.items():
            archive.writestr(name, text)
    return out.getvalue()


@pytest.mark.django_db(transaction=True)
def test_secrets_of_before_are_masked_where_they_are_stored() -> None:
    executor = MigrationExecutor(connection)
    before = [
        ("surveys", "0006_expectations_and_evidence"),
        ("accounts", "0002_roles_tokens_audit"),
    ]
    texts = {
        "devices/a/frr.conf": "frr version 8.4\nhostname a\n!\nrouter bgp 64512\n"
        " neighbor 10.0.0.2 password barnacle-and-brine\n!\nend\n",
        "devices/b/frr.conf": "frr version 8.4\nhostname b\n!\ninterface e0\n"
        " ip ospf message-digest-key 1 md5 <secret:0123456789ab>\n!\nend\n",
        "survey.json": '{"title": "x"}\n',
    }
    try:
        executor.migrate(before)
        old = executor.loader.project_state(before).apps
        network = old.get_model("surveys", "Network").objects.create(name="n")
        stored = old.get_model("surveys", "StoredSurvey").objects.create(
            title="x", network=network, digest="d", archive=plain_archive(texts), device_count=2,
            unread_count=0, file_count=2, open_lines=0, findings={},
        )  # fmt: skip
        case = old.get_model("surveys", "Case").objects.create(
            survey=stored, complaint="it says password barnacle", sender="a", receiver="b"
        )
    finally:
        call_command("migrate", verbosity=0)
    files = files_of(StoredSurvey.objects.get())
    number = number_of(fingerprint_key())
    assert re.search(
        rf"password <secret:{number}[0-9a-f]{{12}}>", files["devices/a/frr.conf"].decode()
    )
    assert f"md5 <secret:{number}0123456789ab>" in files["devices/b/frr.conf"].decode()
    assert "barnacle" not in Case.objects.get(pk=case.pk).complaint
    said = {entry.what: entry.about for entry in AuditEntry.objects.all()}
    assert "1 files: devices/a/frr.conf" in said["secrets masked in a stored survey"]
    assert said["secrets masked in what was written"] == f"Case {case.pk}"


@pytest.mark.django_db
def test_a_survey_is_the_same_whatever_the_number_of_its_marks() -> None:
    files = {
        "devices/a/frr.conf": b"frr version 8.4\nhostname a\n!\nrouter bgp 64512\n"
        b" neighbor 10.0.0.2 password barnacle\n!\nend\n"
    }
    stored = store(files, None, None)
    unnumbered = {
        path: re.sub(rb"<secret:[0-9a-f]{4}([0-9a-f]{12})>", rb"<secret:\1>", data)
        for path, data in files_of(stored).items()
    }
    unnumbered.pop("survey.json")
    assert store(unnumbered, None, None).pk == stored.pk


@pytest.mark.django_db
def test_another_machines_key_is_refused_and_a_key_can_be_rotated(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from trochos.server import keys

    monkeypatch.delenv("TROCHOS_VAULT_KEY", raising=False)
    here, there = tmp_path / "here", tmp_path / "there"
    monkeypatch.setenv("TROCHOS_STATE", str(here))
    keys.require(keys.FINGERPRINTS, keys.VAULT, found=True)
    keys.require(keys.FINGERPRINTS, keys.VAULT)
    monkeypatch.setenv("TROCHOS_STATE", str(there))
    with pytest.raises(keys.WrongKey, match="Copy it from the machine"):
        keys.require(keys.FINGERPRINTS)
    fingerprint_key()  # a key of its own, as a second host made before
    with pytest.raises(keys.WrongKey, match="not the one of this installation"):
        keys.require(keys.FINGERPRINTS, found=True)
    monkeypatch.setenv("TROCHOS_STATE", str(here))
    old, new = keys.rotate()
    assert old != new and number_of(fingerprint_key()) == new
    keys.require(keys.FINGERPRINTS)
    assert (here / f"fingerprint-{old}.key").exists()
