"""What the service counts, in the open text format that monitoring systems read, and its health."""

from __future__ import annotations

import contextlib
import time

from django.db import DatabaseError, connection
from django.http import HttpRequest, HttpResponse, JsonResponse
from prometheus_client import CollectorRegistry, Counter, Gauge, Histogram
from prometheus_client.exposition import CONTENT_TYPE_LATEST, generate_latest

registry = CollectorRegistry()
_requests = Counter(
    "trochos_requests", "Requests to the API", ["method", "route", "status"], registry=registry
)
_seconds = Histogram(
    "trochos_request_seconds",
    "Seconds that a request to the API took",
    ["route"],
    buckets=(0.01, 0.03, 0.1, 0.3, 1, 3, 10, 30),
    registry=registry,
)
_answers = Gauge("trochos_answers", "Long answers by state", ["state"], registry=registry)
_jobs = Gauge("trochos_jobs", "Work in the queue by state", ["queue", "state"], registry=registry)
_surveys = Gauge("trochos_surveys", "Surveys that are stored", registry=registry)
_oldest = Gauge(
    "trochos_oldest_waiting_seconds",
    "How long the long answer that waits longest has waited",
    registry=registry,
)


def asked(method: str, route: str, status: int, seconds: float) -> None:
    """Counts a request by its route, never by what it is about."""
    _requests.labels(method, route, str(status)).inc()
    _seconds.labels(route).observe(seconds)


def health(request: HttpRequest) -> JsonResponse:
    """Whether this server and its database answer; for whoever watches, without signing in."""
    started = time.perf_counter()
    try:
        with connection.cursor() as cursor:
            cursor.execute("select 1")
    except DatabaseError:
        says = "The database cannot be reached just now."
        return JsonResponse({"ok": False, "detail": says}, status=503)
    took = round((time.perf_counter() - started) * 1000, 1)
    return JsonResponse({"ok": True, "database_ms": took})


def _count() -> None:
    from django.db.models import Count, Min
    from django.utils import timezone
    from procrastinate.contrib.django.models import ProcrastinateJob

    from .surveys.models import Answer, StoredSurvey
    from .surveys.work import OF_OTHERS

    _surveys.set(StoredSurvey.objects.count())
    # Parts of others lie ready for workers that have nothing to do, and keep nobody waiting.
    asked = Answer.objects.exclude(kind__in=OF_OTHERS)
    held = dict(asked.values_list("state").annotate(n=Count("id")))
    for state in (Answer.WAITING, Answer.WORKING, Answer.DONE, Answer.FAILED):
        _answers.labels(state).set(held.get(state, 0))
    first = asked.filter(state=Answer.WAITING).aggregate(at=Min("asked_at"))["at"]
    _oldest.set((timezone.now() - first).total_seconds() if first else 0)
    _jobs.clear()
    for queue, state, number in ProcrastinateJob.objects.values_list(
        "queue_name", "status"
    ).annotate(n=Count("id")):
        _jobs.labels(queue, state).set(number)


def exposed(request: HttpRequest) -> HttpResponse:
    """The numbers, for whoever shows a token of an account (`Authorization: Bearer ...`)."""
    from .accounts.models import Token

    if Token.shown(request.headers.get("Authorization", "")) is None:
        says = "This takes a token: Authorization: Bearer. Make one under Account."
        return JsonResponse({"detail": says}, status=401)
    with contextlib.suppress(DatabaseError):
        _count()
    return HttpResponse(generate_latest(registry), content_type=CONTENT_TYPE_LATEST)
