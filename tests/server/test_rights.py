"""Who may do what: every route by role, tokens, guessing, links, sessions, the audit trail, and
where live work may go."""

from __future__ import annotations

import ipaddress
import json
import re
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.db import ProgrammingError, connection, transaction
from django.test import Client, override_settings
from django.utils import timezone
from surveys import ROOT

from trochos.local import read_folder
from trochos.server.accounts import guessing
from trochos.server.accounts.administration import set_role
from trochos.server.accounts.models import AuditEntry, FailedSignIn, OneTimeLink, Token
from trochos.server.accounts.roles import ROLES
from trochos.server.gathering.allowed import network_from, within
from trochos.server.gathering.models import (
    AllowedNetwork,
    Gathering,
    InventoryDevice,
    StoredCredential,
)
from trochos.server.surveys.models import Answer, Case, Network, StoredSurvey
from trochos.server.surveys.store import store
from trochos.server.urls import urlpatterns

pytestmark = pytest.mark.django_db
PASSWORD = "a long enough secret"

READER, ENGINEER, OPERATOR, ADMINISTRATOR = ROLES
CHANGES = {
    "accounts": {"GET": ADMINISTRATOR, "POST": ADMINISTRATOR},
    "accounts/<account>": {"PATCH": ADMINISTRATOR},
    "accounts/<account>/link": {"POST": ADMINISTRATOR},
    "accounts/<account>/sessions": {"DELETE": ADMINISTRATOR},
    "accounts/me/password": {"POST": READER},
    "answers/<answer>/stop": {"POST": ENGINEER},
    "audit": {"GET": ADMINISTRATOR},
    "audit/export": {"GET": ADMINISTRATOR},
    "cases/<case>": {"DELETE": ADMINISTRATOR},
    "cases/<case>/evidence": {"POST": ENGINEER},
    "cases/<case>/evidence/<evidence>": {"DELETE": ENGINEER},
    "cases/<case>/expectation": {"POST": ENGINEER},
    "cases/<case>/steps": {"POST": ENGINEER},
    "gatherings": {"POST": OPERATOR},
    "gatherings/<gathering>/cancel": {"POST": OPERATOR},
    "inventory": {"POST": ADMINISTRATOR},
    "inventory/allowed": {"POST": ADMINISTRATOR},
    "inventory/allowed/<network>": {"DELETE": ADMINISTRATOR},
    "inventory/credentials": {"POST": ADMINISTRATOR},
    "inventory/credentials/<credential>": {"PUT": ADMINISTRATOR, "DELETE": ADMINISTRATOR},
    "inventory/devices": {"POST": ADMINISTRATOR},
    "inventory/devices/<device>": {"PUT": ADMINISTRATOR, "DELETE": ADMINISTRATOR},
    "inventory/devices/<device>/test": {"POST": OPERATOR},
    "inventory/devices/<device>/trust": {"POST": ADMINISTRATOR},
    "inventory/plan": {"PUT": OPERATOR},
    "inventory/tests/<errand>": {"GET": OPERATOR},
    "surveys": {"POST": ENGINEER},
    "surveys/incoming/<incoming>": {"DELETE": ENGINEER},
    "surveys/<survey>": {"PATCH": ENGINEER, "DELETE": ADMINISTRATOR},
    "surveys/<survey>/cases": {"POST": ENGINEER},
    "surveys/<survey>/expectations": {"PUT": ENGINEER},
    "surveys/<survey>/hand-overs": {"POST": ENGINEER},
    "surveys/<survey>/order": {"POST": READER},
    "surveys/<survey>/probes": {"POST": OPERATOR},
    "surveys/<survey>/probes/<errand>": {"GET": OPERATOR},
    "surveys/<survey>/proposals": {"POST": ENGINEER},
    "surveys/<survey>/rehearsals": {"POST": READER},
    "tokens": {"POST": READER},
    "tokens/<token>": {"DELETE": READER},
}
"""Every method that changes something, and every look that is not for all: by hand, so that a new
route without a role of its own fails here."""
ANYBODY = ("session", "session/link")
METHODS = ("GET", "POST", "PUT", "PATCH", "DELETE")


def person(name: str, role: str) -> tuple[User, Client]:
    user = User.objects.create_user(name, password=PASSWORD)
    set_role(user, role)
    client = Client(raise_request_exception=False)
    client.force_login(User.objects.get(pk=user.pk))
    return user, client


def send(client: Client, method: str, path: str, data: object = None, **more: Any) -> Any:
    call = getattr(client, method.lower())
    return call(f"/api/{path}", data, content_type="application/json", **more)


def routes() -> list[tuple[str, Any]]:
    found = []
    for pattern in urlpatterns:
        text = str(pattern.pattern)
        if text.startswith("api/"):
            view = getattr(pattern.callback, "cls", None)
            found.append((re.sub(r"<\w+:(\w+)>", r"<\1>", text[4:]), view))
    return found


def test_every_route_by_role() -> None:
    people = {role: person(role, role)[1] for role in ROLES}
    tried = 0
    for route, view in routes():
        if route in ANYBODY:
            continue
        declared = CHANGES.get(route, {})
        path = re.sub(r"<\w+>", "9999", route)
        for method in METHODS:
            if method != "GET" and not hasattr(view, method.lower()):
                assert method not in declared, f"{route} has no {method}"
                continue
            if method == "GET" and not hasattr(view, "get"):
                continue
            assert method == "GET" or method in declared, f"{route} {method} has no role here"
            needed = declared.get(method, READER)
            for role in ROLES:
                answer = send(people[role], method, path, {} if method != "GET" else None)
                refused = answer.status_code == 403
                assert refused == (ROLES.index(role) < ROLES.index(needed)), (
                    f"{method} {route} as {role}: {answer.status_code} {answer.content[:200]!r}"
                )
                if refused:
                    assert needed in answer.json()["detail"]
                assert answer.status_code < 500
                tried += 1
    assert tried > 300
    assert {route for route, _ in routes()} >= set(CHANGES)


# -- signing in


@pytest.fixture(autouse=True)
def quick_passwords(settings: Any) -> None:
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]


def sign_in(client: Client, name: str, password: str, **headers: str) -> Any:
    body = {"name": name, "password": password}
    return client.post("/api/session", body, content_type="application/json", headers=headers)


def test_guessing_is_slow_whatever_one_claims_to_be() -> None:
    User.objects.create_user("ada", password=PASSWORD)
    for number in range(guessing.PER_ACCOUNT):
        forged = {"x-forwarded-for": f"198.51.100.{number}"}
        assert sign_in(Client(), "ada", f"wrong {number}", **forged).status_code == 400
    refused = sign_in(Client(), "Ada", PASSWORD, **{"x-forwarded-for": "198.51.100.77"})
    assert refused.status_code == 429 and "seconds" in refused.json()["detail"]
    # People type passwords where the name belongs: what was typed is not stored.
    assert not FailedSignIn.objects.filter(name__icontains="ada").exists()
    assert set(FailedSignIn.objects.values_list("peer", flat=True)) == {"127.0.0.1"}
    # Another account is not locked by that, and after a while this one is not either.
    person("grace", READER)
    assert sign_in(Client(), "grace", PASSWORD).status_code == 200
    FailedSignIn.objects.update(at=timezone.now() - guessing.WINDOW - timedelta(seconds=1))
    assert sign_in(Client(), "ada", PASSWORD).status_code == 200


def test_guessing_from_one_place_and_when_signed_in() -> None:
    _, client = person("ada", ENGINEER)
    for number in range(guessing.PER_PEER):
        sign_in(client, f"nobody-{number}", "wrong")
    assert sign_in(client, "ada", PASSWORD).status_code == 429
    link = client.post("/api/session/link", {"token": "x"}, content_type="application/json")
    assert link.status_code == 429
    FailedSignIn.objects.all().delete()
    new = {"password": "quite another secret", "old": "wrong"}
    for _ in range(guessing.PER_ACCOUNT):
        assert send(client, "post", "accounts/me/password", new).status_code == 400
    assert send(client, "post", "accounts/me/password", new).status_code == 429


def test_a_proxy_is_believed_only_where_it_was_named(settings: Any) -> None:
    from trochos.server.peers import SECURE, RealPeer

    seen: dict[str, Any] = {}

    def view(request: Any) -> Any:
        seen.update(request.META)
        return None

    def asked(peer: str, forwarded: str, proxies: str) -> tuple[str, bool]:
        from trochos.server.peers import read_networks

        settings.PROXIES = read_networks(proxies)
        request = type("Request", (), {})()
        request.META = {
            "REMOTE_ADDR": peer,
            "HTTP_X_FORWARDED_FOR": forwarded,
            "HTTP_X_FORWARDED_PROTO": "https",
            SECURE: "yes",
        }
        seen.clear()
        RealPeer(view)(request)
        assert "HTTP_X_FORWARDED_FOR" not in seen
        return seen["REMOTE_ADDR"], SECURE in seen

    assert asked("192.0.2.9", "198.51.100.1", "") == ("192.0.2.9", False)
    assert asked("192.0.2.9", "198.51.100.1", "192.0.2.0/24") == ("198.51.100.1", True)
    # What the client itself wrote stands to the left, and is not believed.
    assert asked("192.0.2.9", "10.0.0.1, 198.51.100.1", "192.0.2.9")[0] == "198.51.100.1"
    assert asked("192.0.2.9", "198.51.100.1, 192.0.2.8", "192.0.2.0/24")[0] == "198.51.100.1"
    assert asked("192.0.2.9", "no address", "192.0.2.9")[0] == "192.0.2.9"


def test_a_password_takes_the_old_one_and_signs_others_out() -> None:
    user, here = person("ada", READER)
    elsewhere = Client()
    elsewhere.force_login(user)
    new = "quite another secret"
    assert send(here, "post", "accounts/me/password", {"password": new}).status_code == 400
    changed = send(here, "post", "accounts/me/password", {"password": new, "old": PASSWORD})
    assert changed.status_code == 200
    assert here.get("/api/surveys").status_code == 200
    assert elsewhere.get("/api/surveys").status_code == 403


def test_links_last_an_hour_and_a_new_one_ends_the_old() -> None:
    _, admin = person("root", ADMINISTRATOR)
    made = send(admin, "post", "accounts", {"name": "grace", "role": "reader"}).json()
    assert made["role"] == "reader" and made["minutes"] == 60
    first = made["link"].partition("#")[2]
    again = send(admin, "post", f"accounts/{made['id']}/link").json()["link"].partition("#")[2]

    def redeem(token: str) -> int:
        answer = Client().post("/api/session/link", {"token": token}, "application/json")
        return int(answer.status_code)

    assert redeem(first) == 400 and redeem(again) == 200 and redeem(again) == 400
    late = OneTimeLink.issue(User.objects.get(username="grace"))
    OneTimeLink.objects.update(expires_at=timezone.now() - timedelta(seconds=1))
    assert redeem(late) == 400


def test_disabling_ends_sessions_links_and_tokens_at_once() -> None:
    _, admin = person("root", ADMINISTRATOR)
    user, client = person("grace", OPERATOR)
    _, text = Token.issue(user, "builds", "reader", 3)
    bearer = {"authorization": f"Bearer {text}"}
    assert Client().get("/api/surveys", headers=bearer).status_code == 200
    said = send(admin, "patch", f"accounts/{user.pk}", {"active": False}).json()
    assert said["active"] is False and said["sessions"] == 0
    assert client.get("/api/surveys").status_code == 403
    assert Client().get("/api/surveys", headers=bearer).status_code == 403
    assert sign_in(Client(), "grace", PASSWORD).status_code == 400
    assert send(admin, "post", f"accounts/{user.pk}/link").status_code == 400
    send(admin, "patch", f"accounts/{user.pk}", {"active": True})
    assert sign_in(Client(), "grace", PASSWORD).status_code == 200


def test_all_sessions_of_one_account_can_be_ended() -> None:
    _, admin = person("root", ADMINISTRATOR)
    user, first = person("grace", READER)
    second = Client()
    second.force_login(user)
    assert send(admin, "delete", f"accounts/{user.pk}/sessions").json()["sessions"] == 0
    assert {c.get("/api/surveys").status_code for c in (first, second)} == {403}
    assert admin.get("/api/surveys").status_code == 200


def test_there_is_always_an_administrator() -> None:
    user, admin = person("root", ADMINISTRATOR)
    for change in ({"active": False}, {"role": "engineer"}):
        refused = send(admin, "patch", f"accounts/{user.pk}", change)
        assert refused.status_code == 400 and "only administrator" in refused.json()["detail"]
    other, _ = person("grace", READER)
    send(admin, "patch", f"accounts/{other.pk}", {"role": "administrator"})
    assert send(admin, "patch", f"accounts/{user.pk}", {"role": "reader"}).status_code == 200
    assert send(admin, "get", "accounts").status_code == 403


# -- tokens


def test_a_token_is_shown_once_of_ones_own_role_and_ends() -> None:
    user, client = person("ada", ENGINEER)
    more = send(client, "post", "tokens", {"name": "x", "role": "operator", "days": 3})
    assert more.status_code == 400 and "engineer" in more.json()["detail"]
    made = send(client, "post", "tokens", {"name": "builds", "role": "engineer", "days": 3}).json()
    text = made["token"]
    listed = send(client, "get", "tokens").json()["tokens"]
    assert [t["name"] for t in listed] == ["builds"] and listed[0]["token"] is None
    assert text not in json.dumps(list(Token.objects.values()), default=str)
    bearer = {"authorization": f"Bearer {text}"}
    program = Client(enforce_csrf_checks=True)
    assert program.get("/api/surveys", headers=bearer).status_code == 200
    # A program does not manage accounts, nor makes itself another token.
    for path in ("tokens", "accounts/me/password"):
        refused = send(program, "post", path, {}, headers=bearer)
        assert refused.status_code == 403 and "token may not" in refused.json()["detail"]
    # A token is never more than its owner is.
    set_role(user, READER)
    assert send(program, "patch", "surveys/1", {"title": "x"}, headers=bearer).status_code == 403
    assert send(client, "delete", f"tokens/{made['id']}").json()["ended_at"]
    gone = program.get("/api/surveys", headers=bearer)
    assert gone.status_code == 403 and "Make a new one" in gone.json()["detail"]


def test_a_token_ends_by_itself_and_is_nobody_elses() -> None:
    user, _ = person("ada", READER)
    held, text = Token.issue(user, "builds", "reader", 1)
    _, other = person("ben", ENGINEER)
    assert send(other, "delete", f"tokens/{held.pk}").status_code == 404
    Token.objects.update(expires_at=timezone.now())
    assert Token.of(text) is None and Token.of("trochos-none") is None


# -- the audit trail


def test_what_was_done_is_in_the_trail_and_stays_there() -> None:
    _, admin = person("root", ADMINISTRATOR)
    sign_in(Client(), "root", PASSWORD)
    sign_in(Client(), "root", "wrong")
    sign_in(Client(), "my secret typed here", "wrong")
    send(admin, "post", "accounts", {"name": "grace", "role": "reader"})
    secret = "barnacle-and-brine"
    send(admin, "post", "inventory/credentials", {"name": "c", "username": "u", "password": secret})
    send(admin, "post", "inventory/allowed", {"network": "192.0.2.0/24"})
    shown = send(admin, "get", "audit").json()
    whats = [entry["what"] for entry in shown["entries"]]
    assert whats == [
        "network allowed",
        "credential added",
        "account made",
        "sign-in refused",
        "sign-in refused",
        "signed in",
    ]
    assert [e["who"] for e in shown["entries"]] == ["root", "root", "root", "", "root", "root"]
    exported = b"".join(send(admin, "get", "audit/export").streaming_content).decode()
    assert [json.loads(line)["what"] for line in exported.splitlines()][:6] == whats[::-1]
    assert secret not in exported and "typed here" not in exported
    entry = AuditEntry.objects.first()
    assert entry is not None
    for attempt in (entry.save, entry.delete, AuditEntry.objects.all().delete):
        with pytest.raises(TypeError):
            attempt()
    for statement in (
        "update accounts_auditentry set who = 'x'",
        "delete from accounts_auditentry",
    ):
        with pytest.raises(ProgrammingError, match="only added to"), transaction.atomic():
            connection.cursor().execute(statement)
    only = send(admin, "get", "audit?what=signed in&who=root").json()["entries"]
    assert [e["what"] for e in only] == ["signed in"]
    assert send(admin, "get", "audit?before=²").status_code == 400


# -- where live work may go


@pytest.mark.parametrize(
    ("address", "entered", "may"),
    [
        ("192.0.2.7", ["192.0.2.0/24"], True),
        ("192.0.3.7", ["192.0.2.0/24"], False),
        ("192.0.2.7", [], False),
        ("127.0.0.1", ["0.0.0.0/0"], False),
        ("127.0.0.1", ["127.0.0.0/8"], True),
        ("127.0.0.1", ["127.0.0.1/32"], True),
        ("::1", ["::/0"], False),
        ("169.254.169.254", ["0.0.0.0/0"], False),
        ("169.254.169.254", ["169.254.0.0/16"], True),
        ("fe80::1", ["::/0", "fe80::/10"], True),
        ("fd00:ec2::254", ["fd00::/8"], False),
        ("100.100.100.200", ["100.64.0.0/10"], False),
        ("0.0.0.0", ["0.0.0.0/0"], False),
        ("::ffff:127.0.0.1", ["::/0", "0.0.0.0/0"], False),
        ("::ffff:192.0.2.7", ["192.0.2.0/24"], True),
    ],
)
def test_the_list_of_networks(address: str, entered: list[str], may: bool) -> None:
    networks = [ipaddress.ip_network(text) for text in entered]
    assert within(ipaddress.ip_address(address), networks) is may


@pytest.mark.parametrize("text", ["banana", "10.0.0.1/8", "", "10.0.0.0/33"])
def test_a_network_that_is_none_is_refused_with_the_way_to_write_it(text: str) -> None:
    with pytest.raises(ValueError, match="Write"):
        network_from(text)


def demo(folder: str, user: User | None = None) -> StoredSurvey:
    return store(read_folder(ROOT / "demo" / folder), None, user)


def test_a_forged_survey_probes_nobody() -> None:
    _, client = person("ada", OPERATOR)
    held = StoredCredential.objects.create(name="c", sealed=b"")
    InventoryDevice.objects.create(
        name="bridge-tablet", address="127.0.0.1", method="ssh", port=1, credential=held
    )
    survey = demo("broken")
    question = {"from": "bridge-tablet", "to": "10.64.30.20", "size": 0, "dont_fragment": False}

    def asked(**changes: object) -> str:
        answer = send(client, "post", f"surveys/{survey.pk}/probes", {**question, **changes})
        assert answer.status_code == 400
        return str(answer.json()["detail"])

    assert "no network that live work may go to" in asked()
    AllowedNetwork.objects.create(network="10.0.0.0/8")
    assert "Gather first" in asked()
    Gathering.objects.create(title="x", state="done", survey=survey)
    assert "No device of" in asked(to="10.9.9.9")
    # Now it is asked; the device itself listens at an address that nobody named.
    assert "127.0.0.1 is in no network" in asked()


# -- deleting


def test_a_survey_goes_with_everything_that_was_made_of_it(tmp_path: Path) -> None:
    _, admin = person("root", ADMINISTRATOR)
    survey = demo("broken")
    case = Case.objects.create(
        survey=survey, complaint="x", sender="bridge-tablet", receiver="yard-scale"
    )
    case.evidence.create(text="pasted")
    assert send(admin, "get", f"surveys/{survey.pk}/unknowns").status_code == 200
    assert Answer.objects.filter(survey=survey).exists()
    said = send(admin, "get", f"surveys/{survey.pk}/deletion").json()
    assert (said["cases"], said["evidence"]) == (1, 1)
    assert said["network"] == survey.network.name
    assert send(admin, "delete", f"surveys/{survey.pk}").status_code == 204
    for model in (StoredSurvey, Case, Answer, Network):
        assert not model.objects.exists()
    for path in ("", "/names", "/findings", "/reading"):
        assert send(admin, "get", f"surveys/{survey.pk}{path}").status_code == 404
    assert AuditEntry.objects.first().what == "survey deleted"  # type: ignore[union-attr]


def test_a_case_goes_alone() -> None:
    _, admin = person("root", ADMINISTRATOR)
    survey = demo("broken")
    made = {"complaint": "x", "sender": "bridge-tablet", "receiver": "yard-scale"}
    keep, drop = (Case.objects.create(survey=survey, **made) for _ in range(2))
    drop.steps.create(step="note", text="n")
    assert send(admin, "get", f"cases/{drop.pk}/deletion").json() == {"steps": 1, "evidence": 0}
    assert send(admin, "delete", f"cases/{drop.pk}").status_code == 204
    assert list(Case.objects.values_list("pk", flat=True)) == [keep.pk]


def test_what_is_handed_over_is_only_for_those_who_may_change() -> None:
    _, reader = person("ben", READER)
    _, engineer = person("ada", ENGINEER)
    survey = demo("broken")
    sent = {"edits": [{"down": {"device": "yard"}}], "question": {}}
    edit = {"device": "yard", "file": "frr.conf", "after": 1, "insert": ["! a remark"]}
    for client, some in ((reader, False), (engineer, True)):
        answer = send(client, "post", f"surveys/{survey.pk}/rehearsals", {**sent, "edits": [edit]})
        if answer.status_code == 200:
            assert bool(answer.json()["answer"]["handover"]) is some
    told = {"devices": ["yard"], "how": "copied"}
    assert send(engineer, "post", f"surveys/{survey.pk}/hand-overs", told).status_code == 201
    assert AuditEntry.objects.first().about.startswith("yard (copied)")  # type: ignore[union-attr]


# -- watching it


def test_health_and_numbers() -> None:
    user, client = person("ada", READER)
    assert Client().get("/health").json()["ok"] is True
    assert Client().get("/metrics").status_code == 401
    client.get("/api/surveys")
    _, text = Token.issue(user, "watch", "reader", 3)
    answer = Client().get("/metrics", headers={"authorization": f"Bearer {text}"})
    assert answer.status_code == 200
    said = answer.content.decode()
    assert 'trochos_requests_total{method="GET",route="api/surveys",status="200"}' in said
    assert "trochos_surveys 0.0" in said


@override_settings(SECURE_SSL_REDIRECT=True, SECURE_HSTS_SECONDS=60, SESSION_COOKIE_SECURE=True)
def test_behind_tls_nothing_is_said_in_the_clear(settings: Any) -> None:
    from trochos.server.peers import SECURE

    plain = Client().get("/api/session")
    assert plain.status_code == 301 and plain["Location"].startswith("https://")
    assert Client().get("/health").status_code == 200
    # A client that claims TLS itself is not believed; RealPeer alone sets the mark.
    forged = Client().get("/api/session", headers={"x-forwarded-proto": "https"})
    assert forged.status_code == 301
    assert Client(**{SECURE: "yes"}).get("/api/session").status_code == 301
    settings.PROXIES = [ipaddress.ip_network("127.0.0.1")]
    behind = Client().get("/api/session", headers={"x-forwarded-proto": "https"})
    assert behind.status_code == 200
    assert behind["Strict-Transport-Security"].startswith("max-age=60")
