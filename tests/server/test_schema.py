"""Whatever is asked of the API within its schema, and a little outside of it: no failure of the
server, and every answer is one that the OpenAPI document names, in its shape."""

from __future__ import annotations

from typing import Any

import pytest
import requests
import schemathesis
from django.contrib.auth.models import User
from django.test import Client
from hypothesis import HealthCheck, Phase, given, seed, settings
from schemathesis import GenerationMode
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)
from surveys import ROOT

from trochos.local import read_folder
from trochos.server.accounts.administration import set_role
from trochos.server.accounts.roles import ADMINISTRATOR
from trochos.server.surveys.store import store

SCHEMA = schemathesis.openapi.from_path(str(ROOT / "docs" / "openapi.yaml"))
APART = {
    ("DELETE", "/api/session"): "it signs the test out",
    ("POST", "/api/accounts/me/password"): "it ends the test's session",
    ("DELETE", "/api/accounts/{account}/sessions"): "it may end the test's session",
    ("PATCH", "/api/accounts/{account}"): "it may disable the test's account",
}
EXAMPLES = 3
"""A fixed budget: so many of what the schema allows, and so many of what it does not, per route."""
MODES = (GenerationMode.POSITIVE,)
OPERATIONS = [
    result.ok()
    for result in SCHEMA.get_all_operations()
    if (result.ok().method.upper(), result.ok().path) not in APART
]


@pytest.fixture
def signed_in(db: None, client: Client) -> Client:
    owner = User.objects.create_superuser("owner")
    set_role(owner, ADMINISTRATOR)
    client.force_login(owner)
    for folder in ("healthy", "broken"):
        store(read_folder(ROOT / "demo" / folder), None, None)
    return client


def ask(client: Client, case: Any) -> schemathesis.Response:
    """One generated request, put to the application in this process."""
    prepared = case.as_transport_kwargs(base_url="http://testserver")
    request = requests.Request(**{k: v for k, v in prepared.items() if k != "timeout"}).prepare()
    headers = {
        f"HTTP_{key.upper().replace('-', '_')}": str(value)
        for key, value in request.headers.items()
        if key.lower() not in ("content-type", "content-length", "cookie")
    }
    body = request.body or b""
    answer = client.generic(
        request.method or "GET",
        request.path_url,
        body.encode() if isinstance(body, str) else body,
        content_type=request.headers.get("Content-Type", "application/json"),
        **headers,
    )
    content = b"".join(answer.streaming_content) if answer.streaming else answer.content
    return schemathesis.Response(
        status_code=answer.status_code,
        headers={key.lower(): [value] for key, value in answer.headers.items()},
        content=content,
        request=request,
        elapsed=0.0,
        verify=False,
        message=answer.reason_phrase,
        http_version="1.1",
    )


@pytest.mark.parametrize("operation", OPERATIONS, ids=lambda o: f"{o.method.upper()} {o.path}")
def test_every_route_answers_as_its_schema_says(operation: Any, signed_in: Client) -> None:
    signed_in.raise_request_exception = False
    takes = operation.definition.raw.get("parameters") or "requestBody" in operation.definition.raw
    for mode in (GenerationMode.POSITIVE, GenerationMode.NEGATIVE) if takes else MODES:
        put(operation, mode, signed_in)


def put(operation: Any, mode: GenerationMode, client: Client) -> None:
    """Some requests of one kind: such as the schema allows, or such as it does not."""

    @seed(7)
    @settings(
        max_examples=EXAMPLES,
        deadline=None,
        database=None,
        phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )
    @given(case=operation.as_strategy(generation_mode=mode))
    def holds(case: Any) -> None:
        case.validate_response(
            ask(client, case),
            checks=[
                not_a_server_error,
                status_code_conformance,
                content_type_conformance,
                response_schema_conformance,
            ],
        )

    holds()
