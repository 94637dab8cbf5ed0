"""Requests with a token: `Authorization: Bearer trochos-...`."""

from __future__ import annotations

from typing import Any

from drf_spectacular.extensions import OpenApiAuthenticationExtension
from rest_framework.authentication import BaseAuthentication
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.request import Request

from .models import Token


class Bearer(BaseAuthentication):
    """Takes a token in the place of a session. A browser never sends one by itself, so no other
    site can make it ask: such a request needs no further proof."""

    def authenticate(self, request: Request) -> tuple[Any, Token] | None:
        header = request.headers.get("Authorization", "")
        if not header.lower().startswith("bearer "):
            return None
        held = Token.shown(header)
        if held is None:
            raise AuthenticationFailed(
                "This token is not known, has ended or is too old. Make a new one under Account."
            )
        return held.user, held

    def authenticate_header(self, request: Request) -> str:
        return "Bearer"


class BearerScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    """Says in the API's description how a token is sent (RFC 6750)."""

    target_class = "trochos.server.accounts.authentication.Bearer"
    name = "token"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "http", "scheme": "bearer"}
