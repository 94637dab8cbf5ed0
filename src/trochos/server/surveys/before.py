"""The API over what is looked at before it breaks: orders of steps, failures, expectations."""

from __future__ import annotations

from typing import Any

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ...core.diagnosis.audit import ExpectationError, parse_expectations
from ..accounts.roles import ENGINEER, READER
from . import jobs, shapes
from .changes import body, edits_of
from .documents import stored_survey
from .expected import expectations_of
from .models import ExpectationList, StoredSurvey
from .store import computed
from .written import written

MARKS = 12
"""Surveys of the network whose results an expectation shows beside this one's."""


class OrderView(APIView):
    """The order of a change's steps: at once if it is quick, else with progress to ask again."""

    needs = {"POST": READER}

    @extend_schema(
        operation_id="order",
        request=shapes.OrderRequest,
        responses={200: shapes.OrderJobShape, 400: shapes.ErrorShape},
    )
    def post(self, request: Request, survey: int) -> Response:
        stored = stored_survey(survey)
        sent = shapes.OrderRequest(data=request.data)
        sent.is_valid(raise_exception=True)
        opened = computed(stored)
        edits = edits_of(opened, body(request))
        host = sent.validated_data.get("host", "").strip()
        if host:
            opened.device_named(host)  # one that is not there is refused before it is asked
        question = {"edits": [edit.as_json() for edit in edits], "host": host}
        return Response(jobs.state(jobs.ask("order", stored, question)))


class SweepView(APIView):
    """Every single failure of a link or a device, as far as it was tried."""

    @extend_schema(
        operation_id="sweep",
        parameters=[OpenApiParameter("what", OpenApiTypes.STR, enum=["links", "devices", "both"])],
        responses={200: shapes.SweepJobShape, 400: shapes.ErrorShape},
    )
    def get(self, request: Request, survey: int) -> Response:
        what = request.query_params.get("what", "both")
        if what not in ("links", "devices", "both"):
            raise ValidationError("What fails is links, devices or both.")
        stored = stored_survey(survey)
        question = {
            "links": what != "devices",
            "devices": what != "links",
            "expectations": expectations_of(stored)[0],
        }
        return Response(jobs.state(jobs.ask("sweep", stored, question)))


class ExpectationsView(APIView):
    """What must hold in a survey's network, and whether it does in this survey."""

    needs = {"PUT": ENGINEER}

    @extend_schema(
        operation_id="expectations",
        responses={200: shapes.ExpectationsShape, 400: shapes.ErrorShape},
    )
    def get(self, request: Request, survey: int) -> Response:
        return Response(_expectations(stored_survey(survey)))

    @extend_schema(
        operation_id="keep_expectations",
        request=shapes.ExpectationsRequest,
        responses={200: shapes.ExpectationsShape, 400: shapes.ErrorShape},
    )
    def put(self, request: Request, survey: int) -> Response:
        stored = stored_survey(survey)
        sent = shapes.ExpectationsRequest(data=request.data)
        sent.is_valid(raise_exception=True)
        text = written(sent.validated_data["text"])
        try:
            parse_expectations(text)
        except ExpectationError as error:
            raise ValidationError(str(error)) from error
        user: Any = request.user
        ExpectationList.objects.update_or_create(
            network=stored.network, defaults={"text": text, "changed_by": user}
        )
        for other in _surveys(stored):
            if text.strip() and other.pk != stored.pk:
                jobs.ahead("audit", other, {"text": text})
        return Response(_expectations(stored))


class SuggestedView(APIView):
    """Expectations made from what works now."""

    @extend_schema(operation_id="suggested", responses={200: shapes.SuggestedJobShape})
    def get(self, request: Request, survey: int) -> Response:
        return Response(jobs.state(jobs.ask("suggested", stored_survey(survey), {})))


def _surveys(stored: StoredSurvey) -> list[StoredSurvey]:
    """The latest surveys of a network, the oldest first, this one among them."""
    listed = StoredSurvey.objects.filter(network=stored.network_id).defer("archive")
    latest = list(listed.order_by("-taken_at", "-id")[:MARKS])
    if stored.pk not in {item.pk for item in latest}:
        latest = [stored, *latest[: MARKS - 1]]
    return latest[::-1]


def _expectations(stored: StoredSurvey) -> dict[str, object]:
    text, owner = expectations_of(stored)
    held = ExpectationList.objects.filter(network=stored.network_id)
    kept = held.select_related("changed_by").first()
    out: dict[str, object] = {
        "text": text,
        "of": owner,
        "network": stored.network.name,
        "changed_at": kept.changed_at if kept else None,
        "changed_by": kept.changed_by.username if kept and kept.changed_by else None,
        "id": None,
        "state": "none",
        "tried": 0,
        "total": 0,
        "what": "",
        "answer": None,
        "history": [],
    }
    if not text.strip():
        return out
    question = {"text": text}
    found = jobs.state(jobs.ask("audit", stored, question))
    out |= {key: found[key] for key in ("id", "state", "tried", "what", "answer")}
    out["total"] = found["of"]
    out["history"] = _history(stored, question)
    return out


def _history(stored: StoredSurvey, question: dict[str, Any]) -> list[dict[str, object]]:
    """Per expectation whether it held in each of the network's latest surveys."""
    marks: dict[str, list[dict[str, object]]] = {}
    names = list(dict.fromkeys(item.name for item in parse_expectations(question["text"])))
    for survey in _surveys(stored):
        found = jobs.known("audit", survey, question)
        results = found.answer["results"] if found is not None and found.answer else []
        holds = {result["name"]: result["holds"] for result in results}
        for name in names:
            marks.setdefault(name, []).append(
                {
                    "survey": survey.pk,
                    "title": survey.title,
                    "taken_at": survey.taken_at,
                    "holds": holds.get(name),
                }
            )
    return [{"name": name, "marks": listed} for name, listed in marks.items()]
