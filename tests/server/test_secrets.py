"""A secret in every place of every format and by every way in: the database, the state folder, the
logs, and every answer of the API are searched, and none is there."""

from __future__ import annotations

import html
import io
import json
import re
import zipfile
from pathlib import Path
from typing import Any

import pytest
from django.db import connection
from django.test import Client
from surveys import ROOT

from trochos.core.network.source import MARK
from trochos.core.readers.secrets import FORMS, KEYED, NAMES
from trochos.local import read_folder
from trochos.server.surveys.models import Case, StoredSurvey
from trochos.server.urls import urlpatterns

pytestmark = pytest.mark.django_db
STEM = "saltMarsh"


class Planted:
    """Makes secrets of which each is another one, and all can be found by their stem."""

    def __init__(self) -> None:
        self.made: dict[str, str] = {}

    def __call__(self, where: str) -> str:
        secret = f"{STEM}{len(self.made):04d}"
        self.made[secret] = where
        return secret


def planted_files(secret: Planted) -> dict[str, bytes]:
    """The demo's broken survey, with secrets in texts, in data and in files nobody reads."""
    files = dict(read_folder(ROOT / "demo" / "broken"))
    lines = [form.example.format(secret(f"text: {form.example}")) for form in FORMS]
    router = "devices/tern/frr.conf"
    files[router] = files[router].rstrip() + b"\n" + "\n".join(lines).encode() + b"\n"
    files["devices/tern/extra.conf"] = "\n".join(
        form.example.format(secret(f"other text: {form.example}")) for form in FORMS
    ).encode()
    members: dict[str, Any] = {name: secret(f"member {name}") for name in sorted(NAMES)}
    members |= {above: {"key": secret(f"key under {above}")} for above in sorted(KEYED)}
    members["list"] = [{"password": secret("in a list")}, {"x": {"secret": secret("deep")}}]
    files["devices/tern/odd.json"] = json.dumps(members).encode()
    data = json.loads(files["devices/mole/running.json"])
    data["trochos-odd:settings"] = members | {"psk": [secret("a list of values")]}
    files["devices/mole/running.json"] = json.dumps(data).encode()
    elements = "".join(f"<{name}>{secret(f'element {name}')}</{name}>" for name in sorted(NAMES))
    files["devices/tern/odd.xml"] = (
        f"<config xmlns='urn:x' password='{secret('an attribute')}'><!-- password "
        f"{secret('a comment')} -->{elements}<key><![CDATA[x]]></key>"
        f"<secret><![CDATA[{secret('CDATA')}]]></secret></config>"
    ).encode()
    files["devices/tern/keepalived.conf"] = (
        "vrrp_instance q {\n interface eth0\n virtual_router_id 5\n authentication {\n"
        f"  auth_type PASS\n  auth_pass {secret('keepalived')}\n }}\n virtual_ipaddress {{\n"
        "  10.99.0.1/24\n }\n}\n"
    ).encode()
    files[f"devices/tern/password {secret('a file name')}.txt"] = b"nothing"
    files["devices/tern/notes.txt"] = f"the password {secret('notes')} is here".encode()
    return files


def search(text: str, where: str, secret: Planted) -> list[str]:
    return [f"{secret.made[key]} in {where}" for key in secret.made if key in text]


def in_database(secret: Planted) -> list[str]:
    """Every row of every table as text, and what archives hold."""
    out: list[str] = []
    with connection.cursor() as cursor:
        for table in connection.introspection.table_names(cursor):
            cursor.execute(f'SELECT row_to_json(t)::text FROM "{table}" t')
            for (row,) in cursor.fetchall():
                out += search(row, table, secret)
    for stored in StoredSurvey.objects.all():
        with zipfile.ZipFile(io.BytesIO(bytes(stored.archive))) as archive:
            for name in archive.namelist():
                text = archive.read(name).decode("utf-8", "replace")
                out += search(text, f"archive, {name}", secret)
    return out


def routes(survey: int, case: int) -> list[str]:
    """Every route that answers a survey's or a case's questions, with what it needs."""
    out = []
    words = "from=tern&to=booking-db&device=tern&file=frr.conf&prefix=10.64.0.0/16&text=tcp/80"
    for pattern in urlpatterns:
        route = str(getattr(pattern, "pattern", ""))
        if not route.startswith("api/"):
            continue
        filled = route.replace("<int:survey>", str(survey)).replace("<int:case>", str(case))
        filled = filled.replace("<path:device>", "tern")
        if "<" not in filled:
            out.append(f"/{filled}?{words}&old={survey}&new={survey}&limit=1000")
    return out


def test_no_way_in_lets_a_secret_out(
    admin_client: Client,
    settings: Any,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    caplog: pytest.LogCaptureFixture,
) -> None:
    monkeypatch.setenv("TROCHOS_STATE", str(tmp_path))
    # Every form of the desk's answer is there after a few copies; its thirty faults need 300.
    monkeypatch.setattr("trochos.core.whole.desk.WORK", 0)
    monkeypatch.setattr("trochos.core.whole.desk.FINDINGS", 8)
    secret, client = Planted(), admin_client
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        for path, data in planted_files(secret).items():
            archive.writestr(path, data)
    packed.seek(0)
    packed.name = "survey.zip"
    sent = client.post("/api/surveys", {"files": [packed]})
    assert sent.status_code == 201, sent.content
    survey = sent.json()["id"]
    told: list[str] = [sent.content.decode()]

    def post(url: str, body: dict[str, Any], method: str = "post") -> Any:
        answer = getattr(client, method)(url, json.dumps(body), content_type="application/json")
        told.append(answer.content.decode())
        assert answer.status_code < 500
        return answer.json()

    base = f"/api/surveys/{survey}"
    made = post(
        f"{base}/cases",
        {
            "complaint": f"no feed with password {secret('complaint')}",
            "reporter": f"ada, psk {secret('reporter')}",
            "sender": "planning-desk",
            "receiver": "booking-db",
        },
    )
    case = Case.objects.get(pk=made["id"])
    post(f"/api/cases/{case.pk}/steps", {"step": "note", "text": f"token {secret('a note')}"})
    ping = f"$ ping 10.64.0.1 # password {secret('pasted')}\n64 bytes from 10.64.0.1: ttl=64"
    post(f"/api/cases/{case.pk}/evidence", {"text": ping, "kind": "ping"})
    typed = f" neighbor 10.0.0.9 password {secret('an edit')}"
    edit = {
        "device": "tern",
        "file": "frr.conf",
        "context": ["interface eth0"],
        "remove": [],
        "add": [f"ip ospf authentication-key {secret('another edit')}"],
    }
    post(f"{base}/proposals", {"title": f"key-string {secret('title')}", "edits": [edit]})
    asked = {"from": f"password {secret('who')}", "to": f"token {secret('what')}"}
    post(f"{base}/proposals", {"title": "keys", "edits": [edit], "question": asked})
    refused = {"complaint": "x", "sender": f"psk {secret('sender')}", "receiver": "booking-db"}
    post(f"{base}/cases", refused)
    post(f"/api/cases/{case.pk}/evidence", {"text": ping, "name": f"psk {secret('dropped')}"})
    post(f"{base}/rehearsals", {"edits": [{**edit, "add": [typed]}]})
    post(f"{base}/hand-overs", {"edits": [edit]})
    expected = f"- name: with password {secret('expectation')}\n  from: tern\n  to: booking-db\n"
    post(f"{base}/expectations", {"text": f"{expected}  must: work\n"}, "put")
    post(base, {"title": f"psk {secret('survey title')}"}, "patch")
    credential = {"name": "lab", "username": "u", "password": secret("a credential")}
    post("/api/inventory/credentials", credential)
    post("/api/session", {"name": "x", "password": secret("a sign-in")})
    post("/api/session", {"name": secret("typed as a name"), "password": "y"})

    for url in routes(survey, case.pk):
        answer = client.get(url)
        assert answer.status_code < 500, url
        parts = answer.streaming_content if answer.streaming else [answer.content]
        told.append(b"".join(parts).decode())
    found = in_database(secret)
    for text in told:
        found += search(text, "an answer", secret)
    for path in tmp_path.rglob("*"):
        if path.is_file():
            found += search(path.read_bytes().decode("utf-8", "replace"), str(path.name), secret)
    found += search(caplog.text, "the log", secret)
    assert found == [], "\n".join(found)
    # They were not lost on the way either: what is kept has their marks.
    held = StoredSurvey.objects.get(pk=survey)
    with zipfile.ZipFile(io.BytesIO(bytes(held.archive))) as kept:
        texts = [kept.read(name).decode("utf-8", "replace") for name in kept.namelist()]
    marks = {mark for text in texts for mark in re.findall(MARK, html.unescape(text))}
    assert len(secret.made) > 150 and len(marks) > 130, (len(secret.made), len(marks))
