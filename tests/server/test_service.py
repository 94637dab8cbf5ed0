"""The service under many hands, and when something fails: bounded, and always a sentence."""

from __future__ import annotations

import asyncio
import json
import urllib.request
from concurrent.futures import ThreadPoolExecutor

import pytest
from django.contrib.auth.models import User
from django.db import OperationalError, connection
from django.test import Client

from trochos.server import settings
from trochos.server.accounts.models import Token
from trochos.server.errors import AWAY, UNEXPECTED


@pytest.fixture
def client(db: None) -> Client:
    signed_in = Client(raise_request_exception=False)
    signed_in.force_login(User.objects.create_user("ada", password="a long enough secret"))
    return signed_in


@pytest.mark.django_db(transaction=True)
def test_four_hundred_questions_hold_no_more_connections_than_the_pool(live_server) -> None:  # type: ignore[no-untyped-def]
    def ask(number: int) -> int:
        with urllib.request.urlopen(f"{live_server.url}/api/session", timeout=300) as answer:
            return int(answer.status)

    with ThreadPoolExecutor(20) as pool:
        assert set(pool.map(ask, range(400))) == {200}
    with connection.cursor() as cursor:
        cursor.execute("select count(*) from pg_stat_activity where datname = current_database()")
        held = cursor.fetchone()
    assert held is not None and 0 < held[0] <= settings.POOL["max_size"]


@pytest.mark.parametrize(
    ("error", "status", "says"),
    [(OperationalError("gone"), 503, AWAY), (KeyError("x"), 500, UNEXPECTED)],
)
def test_what_fails_inside_is_a_sentence(
    client: Client, monkeypatch: pytest.MonkeyPatch, error: Exception, status: int, says: str
) -> None:
    def fails(*_: object) -> None:
        raise error

    monkeypatch.setattr("trochos.server.surveys.views.survey_json", fails)
    monkeypatch.setattr("trochos.server.surveys.views.StoredSurvey.objects.defer", fails)
    answer = client.get("/api/surveys")
    assert (answer.status_code, answer.json()) == (status, {"detail": says})


def test_what_fails_before_a_view_is_a_sentence(client: Client) -> None:
    missing = client.get("/api/nowhere")
    assert missing.status_code == 404 and missing.json()["detail"].endswith(".")
    strict = Client(enforce_csrf_checks=True, raise_request_exception=False)
    refused = strict.post("/api/surveys")
    assert refused.status_code == 403 and refused.json()["detail"].endswith(".")


def test_scripts_are_sent_small(client: Client) -> None:
    scripts = sorted((settings.WEB / "assets").glob("index-*.js"))
    assert scripts, "the front end is built"
    for script in scripts:
        packed = script.with_name(script.name + ".gz")
        assert packed.exists() and packed.stat().st_size * 2 < script.stat().st_size
        answer = client.get(f"/static/assets/{script.name}", headers={"accept-encoding": "gzip"})
        assert answer.headers["content-encoding"] == "gzip"


@pytest.mark.django_db(transaction=True)
def test_nobody_without_an_account_fills_the_disk(monkeypatch: pytest.MonkeyPatch) -> None:
    from trochos.server import asgi

    user = User.objects.create_user("ada")
    session = Client()
    session.force_login(user)
    cookie = f"{settings.SESSION_COOKIE_NAME}={session.session.session_key}"
    _, token = Token.issue(user, "builds", "engineer", 1)

    def sent(size: int, **headers: str) -> tuple[int, str, int]:
        """What is answered to a POST of so many bytes, and how many of them were taken."""
        left, taken, said = size, 0, []
        listed = [(name.encode(), value.encode()) for name, value in headers.items()]

        async def receive() -> dict[str, object]:
            nonlocal left, taken
            part = min(left, 1 << 18)
            left, taken = left - part, taken + part
            return {"type": "http.request", "body": b"x" * part, "more_body": left > 0}

        async def send(message: dict[str, object]) -> None:
            said.append(message)

        scope = {
            "type": "http", "method": "POST", "path": "/api/surveys", "raw_path": b"/api/surveys",
            "query_string": b"", "headers": [(b"host", b"127.0.0.1"), *listed],
            "http_version": "1.1", "scheme": "http", "client": ("127.0.0.1", 1),
            "server": ("127.0.0.1", 80), "root_path": "",
        }  # fmt: skip
        asyncio.run(asgi.application(scope, receive, send))
        body = b"".join(bytes(m.get("body", b"")) for m in said)  # type: ignore[call-overload]
        return int(said[0]["status"]), json.loads(body)["detail"], taken  # type: ignore[call-overload]

    large = 20 << 20
    for headers in ({}, {"cookie": f"{settings.SESSION_COOKIE_NAME}=forged"},
                    {"authorization": "Bearer trochos-forged"}):  # fmt: skip
        status, says, taken = sent(large, **headers)
        assert status == 413 and "signed in" in says
        assert taken <= 2 << 20
    for headers in ({"cookie": cookie}, {"authorization": f"Bearer {token}"}):
        status, _, taken = sent(large, **headers)
        assert status in (400, 403, 415) and taken == large
