"""Errors of the API as sentences: {"detail": "..."} whatever went wrong."""

from __future__ import annotations

import logging
import re
from collections.abc import Callable
from typing import Any

from django.db import OperationalError
from django.http import Http404, HttpRequest, JsonResponse
from rest_framework.exceptions import Throttled, ValidationError
from rest_framework.response import Response
from rest_framework.views import exception_handler

from ..core.forwarding.endpoints import EndpointError
from ..core.network.edits import EditError
from ..core.readers.archives import UploadError
from ..core.readers.masking import mask
from ..local import fingerprint_key
from .surveys.store import StillComputing
from .surveys.work import NotAnswered

log = logging.getLogger(__name__)
_QUOTED = re.compile(r"(?<!\w)'[^']*'(?!\w)|\"[^\"]*\"")
"""What a sentence quotes; an apostrophe within a word quotes nothing."""
COMPUTING = "This survey is being computed just now. Ask again in a moment."
AWAY = "The database cannot be reached just now. Nothing is lost; try again in a moment."
UNEXPECTED = (
    "Something went wrong here that nobody expected. Nothing was changed; the trace is in the "
    "server's log."
)


def before_a_view(status: int, says: str) -> Callable[..., JsonResponse]:
    """A handler for what fails before or outside a view: the same shape as any other error."""

    def handler(request: HttpRequest, exception: Exception | None = None) -> JsonResponse:
        return JsonResponse({"detail": says}, status=status)

    return handler


def as_sentence(error: Exception, context: dict[str, Any]) -> Response | None:
    """DRF's exception handler, extended by what the core refuses. What it quotes of the request
    may be a secret, typed into the wrong field, and answers are kept in many places."""
    response = _as_sentence(error, context)
    if response is not None and isinstance(response.data, dict) and "detail" in response.data:
        response.data["detail"] = _QUOTED.sub(_hidden, str(response.data["detail"]))
    return response


def _hidden(quoted: re.Match[str]) -> str:
    text = quoted.group()
    return text[0] + mask(text[1:-1], fingerprint_key()) + text[-1]


def _as_sentence(error: Exception, context: dict[str, Any]) -> Response | None:
    if isinstance(error, (EndpointError, UploadError, EditError, NotAnswered)):
        return Response({"detail": str(error)}, status=400)
    if isinstance(error, StillComputing):
        return Response({"detail": COMPUTING}, status=503, headers={"Retry-After": "1"})
    if isinstance(error, OperationalError):
        log.warning("the database cannot be reached: %s", type(error).__name__)
        return Response({"detail": AWAY}, status=503)
    response = exception_handler(error, context)
    if response is None:
        # What nobody expected costs this answer only; its trace is for whoever runs the service.
        log.exception("an answer failed", exc_info=error)
        return Response({"detail": UNEXPECTED}, status=500)
    if isinstance(error, ValidationError):
        response.data = {"detail": _flatten(error.detail)}
    elif isinstance(error, Http404):
        said = str(error)
        if "matches the given query" in said or not said:
            said = "There is no such survey or case here. Look at the list of surveys."
        response.data = {"detail": said}
    elif isinstance(error, Throttled):
        seconds = max(1, round(getattr(error, "wait", None) or 1))
        response.data = {"detail": f"Too many attempts. Try again in {seconds} seconds."}
    return response


def _flatten(detail: Any) -> str:
    if isinstance(detail, dict):
        return " ".join(
            f"{_flatten(value)}"
            if key in ("detail", "non_field_errors")
            else f"{key}: {_flatten(value)}"
            for key, value in detail.items()
        )
    if isinstance(detail, (list, tuple)):
        return " ".join(_flatten(item) for item in detail)
    return str(detail)
