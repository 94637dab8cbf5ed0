"""Structured logs: one JSON object per line, rotated, one file per process.

What is written is what was asked for by name and how it ended; never a query, a body, a text of a
device or anything that somebody typed.
"""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import structlog
from django.http import HttpRequest, HttpResponse

from ..local import state_directory
from . import metrics

PROCESS = "TROCHOS_PROCESS"
"""The variable that names this process: server, gathering, computing-1 ..."""
_BYTES, _FILES = 10 << 20, 5
_shared: list[Any] = [
    structlog.contextvars.merge_contextvars,
    structlog.stdlib.add_log_level,
    structlog.stdlib.add_logger_name,
    structlog.processors.TimeStamper(fmt="iso", utc=True),
]


def folder() -> Path:
    """Where the logs lie."""
    return state_directory() / "log"


def configuration() -> dict[str, Any]:
    """Django's LOGGING: warnings on stderr for people; everything in the process's file, if the
    process has a name (`./trochos up` and the workers give it one)."""
    name = os.environ.get(PROCESS)
    structlog.configure(
        processors=[*_shared, structlog.stdlib.ProcessorFormatter.wrap_for_formatter],
        logger_factory=structlog.stdlib.LoggerFactory(),
        wrapper_class=structlog.stdlib.BoundLogger,
        cache_logger_on_first_use=False,
    )
    handlers: dict[str, Any] = {"stderr": {"class": "logging.StreamHandler", "level": "WARNING"}}
    if name:
        folder().mkdir(mode=0o700, parents=True, exist_ok=True)
        handlers["file"] = {
            "class": "logging.handlers.RotatingFileHandler",
            "filename": str(folder() / f"{name}.jsonl"),
            "maxBytes": _BYTES,
            "backupCount": _FILES - 1,
            "delay": True,
            "formatter": "json",
        }
    return {
        "version": 1,
        "disable_existing_loggers": False,
        "formatters": {
            "json": {
                "()": structlog.stdlib.ProcessorFormatter,
                "processors": [
                    structlog.stdlib.ProcessorFormatter.remove_processors_meta,
                    structlog.processors.format_exc_info,
                    structlog.processors.JSONRenderer(),
                ],
                "foreign_pre_chain": _shared,
            }
        },
        "handlers": handlers,
        "loggers": {"trochos": {"level": "INFO"}},
        "root": {"handlers": list(handlers), "level": "WARNING"},
    }


log = structlog.get_logger("trochos.requests")


class RequestLog:
    """Says of each question to the API who asked what, how it ended and how long it took."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        started = time.perf_counter()
        response = self.get_response(request)
        took = time.perf_counter() - started
        if request.path.startswith("/api/"):
            match = request.resolver_match
            route = match.route if match is not None else "none"
            metrics.asked(request.method or "", route, response.status_code, took)
            log.info(
                "request",
                method=request.method,
                route=route,
                of=(match.kwargs.get("survey") or match.kwargs.get("case")) if match else None,
                status=response.status_code,
                ms=round(took * 1000, 1),
                peer=request.META.get("REMOTE_ADDR"),
                user=getattr(getattr(request, "user", None), "username", "") or None,
            )
        return response
