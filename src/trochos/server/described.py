"""The OpenAPI document, completed: the errors that any route of a kind may answer with."""

from __future__ import annotations

from typing import Any

SENTENCE = "ErrorShape"
_BODY = {"application/json": {"schema": {"$ref": f"#/components/schemas/{SENTENCE}"}}}
_SAYS = {
    "400": "What was asked cannot be answered; the sentence says why and what to do.",
    "401": "The token is not known, or not valid any more.",
    "403": "Nobody is signed in, or this role may not.",
    "404": "There is no such thing here.",
    "409": "It contradicts what is there now.",
    "413": "What was sent is too large.",
    "415": "What was sent is of a kind that is not read.",
    "429": "Too many attempts; the sentence says when to try again.",
    "503": "It is being computed, or the database is away: ask again in a moment.",
}
_COUNTED = ("/api/session", "/api/session/link", "/api/accounts/me/password")
"""Where wrong attempts are counted."""


def with_errors(result: dict[str, Any], **_: Any) -> dict[str, Any]:
    """Every operation with the errors that it may answer with, all in one shape."""
    assert SENTENCE in result["components"]["schemas"]
    for path, operations in result["paths"].items():
        for operation in operations.values():
            held = operation.setdefault("responses", {})
            statuses = ["400", "401", "403", "503"]
            if operation.get("parameters") or "requestBody" in operation:
                statuses.append("404")
            if "requestBody" in operation:
                statuses += ["409", "413", "415"]
            if path in _COUNTED:
                statuses.append("429")
            for status in statuses:
                held.setdefault(status, {"description": _SAYS[status], "content": _BODY})
            operation["responses"] = dict(sorted(held.items()))
    return result
