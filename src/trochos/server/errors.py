"""Errors of the API as sentences: {"detail": "..."} whatever went wrong."""

from __future__ import annotations

from typing import Any

from django.http import Http404
from rest_framework.exceptions import Throttled, ValidationError
from rest_framework.response import Response
from rest_framework.views import exception_handler

from ..core.forwarding.endpoints import EndpointError
from ..core.network.edits import EditError
from ..core.readers.archives import UploadError


def as_sentence(error: Exception, context: dict[str, Any]) -> Response | None:
    """DRF's exception handler, extended by what the core refuses."""
    if isinstance(error, (EndpointError, UploadError, EditError)):
        return Response({"detail": str(error)}, status=400)
    response = exception_handler(error, context)
    if response is not None and isinstance(error, ValidationError):
        response.data = {"detail": _flatten(error.detail)}
    elif response is not None and isinstance(error, Http404):
        said = str(error)
        if "matches the given query" in said or not said:
            said = "There is no such survey or case here. Look at the list of surveys."
        response.data = {"detail": said}
    elif response is not None and isinstance(error, Throttled):
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
