"""The API over causes and changes: diagnosis, rehearsal, proposals, two surveys compared."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ...core.change.derive import edits_between
from ...core.change.handover import hand_over
from ...core.change.unmask import mask_edits
from ...core.forwarding.traffic import Traffic, read_traffic
from ...core.network.edits import Edit, EditError, read_edits
from ...core.readers.masking import mask
from ...core.survey import Computed
from ...local import fingerprint_key
from ..accounts.audit import note
from ..accounts.roles import ENGINEER, READER, at_least, role_in
from . import effects, jobs, shapes
from .documents import stored_survey
from .models import Answer, Case, Proposal, StoredSurvey
from .modules import problem_with
from .store import computed
from .views import path_parameters, traffic_of
from .work import complaint_of
from .written import written


def body(request: Request) -> dict[str, Any]:
    """The request's document, as it was sent: edits keep what is not there apart from null."""
    return request.data if isinstance(request.data, dict) else {}


class DiagnosisView(APIView):
    """The causes of a complaint: at once if it is quick, else with progress to ask again."""

    @extend_schema(
        operation_id="diagnosis",
        parameters=path_parameters(),
        responses={200: shapes.DiagnosisShape, 400: shapes.ErrorShape},
    )
    def get(self, request: Request, survey: int) -> Response:
        query = request.query_params
        if not query.get("from") or not query.get("to"):
            raise ValidationError("Name who cannot reach what: from and to.")
        stored = stored_survey(survey)
        question = complaint_of(query["from"], query["to"], traffic_of(request))
        asked = jobs.complaint(stored, question)
        return Response(jobs.state(jobs.ask("diagnosis", stored, asked)))


class DeskView(APIView):
    """What fails in a survey, by cause: at once if it is quick, else with progress."""

    @extend_schema(
        operation_id="desk",
        responses={200: shapes.DeskJobShape, 404: shapes.ErrorShape},
    )
    def get(self, request: Request, survey: int) -> Response:
        stored = stored_survey(survey)
        before = jobs.older(stored)
        question = {"before": before.pk if before is not None else None}
        found = jobs.state(jobs.ask("desk", stored, question))
        older_one = None if before is None else {"id": before.pk, "title": before.title}
        return Response({**found, "before": older_one})


class SinceView(APIView):
    """Which differences to an older survey of the network broke a complaint."""

    @extend_schema(
        operation_id="since",
        parameters=[
            *path_parameters(),
            OpenApiParameter("worked", OpenApiTypes.INT, required=True),
        ],
        responses={200: shapes.SinceJobShape, 400: shapes.ErrorShape},
    )
    def get(self, request: Request, survey: int) -> Response:
        query = request.query_params
        stored = stored_survey(survey)
        text = query.get("worked", "")
        if not query.get("from") or not query.get("to") or not (text.isascii() and text.isdigit()):
            raise ValidationError("Name who cannot reach what, and the survey on which it worked.")
        older = stored_survey(int(text))
        if older.pk == stored.pk:
            raise ValidationError("Name another survey: it differs from itself in nothing.")
        question = complaint_of(query["from"], query["to"], traffic_of(request))
        found = jobs.ask("since", stored, {**question, "worked": older.pk})
        return Response(jobs.state(found))


class UnknownsView(APIView):
    """What was not read or is not computed, by the questions that hang on it."""

    @extend_schema(operation_id="unknowns", responses={200: shapes.UnknownsJobShape})
    def get(self, request: Request, survey: int) -> Response:
        stored = stored_survey(survey)
        return Response(jobs.state(jobs.ask("unknowns", stored, {})))


class StopView(APIView):
    """Has a long answer end with the best so far."""

    needs = {"POST": ENGINEER}

    @extend_schema(operation_id="stop_answer", request=None, responses={204: None})
    def post(self, request: Request, answer: int) -> Response:
        jobs.stop(get_object_or_404(Answer, pk=answer))
        return Response(status=204)


def _written_question(question: dict[str, Any]) -> dict[str, Any]:
    """A question as it is kept: its words pass the masker, like all that people write."""
    return {
        key: written(value, 300) if isinstance(value, str) else value
        for key, value in question.items()
    }


def question_of(question: dict[str, Any]) -> tuple[str, str, Traffic] | None:
    """(from, to, traffic) of a question, if it asks anything."""
    if not question.get("from") or not question.get("to"):
        return None
    return question["from"], question["to"], read_traffic(question)


def edits_of(opened: Computed, data: dict[str, Any]) -> tuple[Edit, ...]:
    """The edits of a request, and those that its edited texts come to."""
    key = fingerprint_key()
    edits = list(mask_edits(read_edits({"edits": data.get("edits") or []}), key))
    for item in data.get("texts") or []:
        old = opened.survey.text(item["device"], item["file"])
        if old is None:
            raise EditError(f"The survey has no file {item['file']!r} of {item['device']!r}.")
        edits += edits_between(item["device"], item["file"], old, mask(item["text"], key))
    if not edits:
        raise EditError("Nothing is changed yet, so there is nothing to rehearse.")
    return tuple(edits)


class RehearsalView(APIView):
    """What a change does, before anybody makes it: at once if it is quick, else with progress to
    ask again."""

    needs = {"POST": READER}

    @extend_schema(
        operation_id="rehearse",
        request=shapes.RehearsalRequest,
        responses={200: shapes.RehearsalJobShape, 400: shapes.ErrorShape},
    )
    def post(self, request: Request, survey: int) -> Response:
        stored = stored_survey(survey)
        opened = computed(stored)
        checked = shapes.RehearsalRequest(data=request.data)
        checked.is_valid(raise_exception=True)
        edits = edits_of(opened, body(request))
        asked = question_of(body(request).get("question") or {})
        found = jobs.state(jobs.ask("rehearsal", stored, _rehearsed(stored, edits, asked)))
        answer = found["answer"]
        if isinstance(answer, dict):
            may = at_least(role_in(request), ENGINEER)
            unknown = answer["not_understood"]
            answer["handover"] = _handover(opened, edits, unknown, body(request)) if may else []
        return Response(found)


def _rehearsed(
    stored: StoredSurvey, edits: tuple[Edit, ...], asked: effects.Complaint | None
) -> dict[str, Any]:
    """The question that workers get. The cases that a change may turn are part of it: another list
    of them is another question."""
    return {
        "edits": [edit.as_json() for edit in edits],
        "complaint": None if asked is None else complaint_of(*asked),
        "cases": [
            {
                "says": {"id": case.id, "complaint": case.complaint},
                "asks": complaint_of(case.sender, case.receiver, case.traffic),
            }
            for case in stored.cases.all()
        ],
    }


def _handover(
    opened: Computed, edits: tuple[Edit, ...], unknown: list[dict[str, Any]], sent: dict[str, Any]
) -> list[dict[str, object]]:
    """The change for whoever makes it; nothing while it holds lines that nobody understands,
    unless a person takes them on, which it then says."""
    if sent.get("hand_over") is False or (unknown and not sent.get("accept_unknown_lines")):
        return []
    parts = hand_over(opened.survey, edits, unknown, problem_with)
    return [item.as_json() for item in parts]


def works(case: Case, survey: Computed) -> str:
    """Whether a case's complaint is true on a survey: yes means it works."""
    return effects.works((case.sender, case.receiver, case.traffic), survey)


def proposal_json(proposal: Proposal) -> dict[str, object]:
    return {
        "id": proposal.id,
        "survey": proposal.survey_id,
        "title": proposal.title,
        "edits": proposal.edits,
        "question": proposal.question,
        "made_at": proposal.made_at,
        "made_by": proposal.made_by.username if proposal.made_by else None,
    }


class ProposalsView(APIView):
    """Changes that are kept, to be looked at, handed over, and attached to a case."""

    needs = {"POST": ENGINEER}

    @extend_schema(
        operation_id="keep_proposal",
        request=shapes.ProposalRequest,
        responses={201: shapes.ProposalShape, 400: shapes.ErrorShape},
    )
    def post(self, request: Request, survey: int) -> Response:
        stored = stored_survey(survey)
        data = shapes.ProposalRequest(data=request.data)
        data.is_valid(raise_exception=True)
        # A secret that somebody typed is not kept, only its fingerprint.
        edits = mask_edits(
            read_edits({"edits": body(request).get("edits") or []}), fingerprint_key()
        )
        computed(stored).rehearse(edits)  # what cannot be made is not kept
        user: Any = request.user
        proposal = Proposal.objects.create(
            survey=stored,
            title=written(data.validated_data["title"], 200),
            edits=[edit.as_json() for edit in edits],
            question=_written_question(body(request).get("question") or {}),
            made_by=user,
        )
        note(request, "change kept", f"{proposal.pk}: {proposal.title}")
        return Response(proposal_json(proposal), status=201)


class ProposalView(APIView):
    @extend_schema(operation_id="proposal", responses=shapes.ProposalShape)
    def get(self, request: Request, proposal: int) -> Response:
        found = get_object_or_404(Proposal.objects.select_related("made_by"), pk=proposal)
        return Response(proposal_json(found))


class HandOversView(APIView):
    """That somebody took a change out to a device, for the audit trail."""

    needs = {"POST": ENGINEER}

    @extend_schema(
        operation_id="handed_over",
        request=shapes.HandedOverRequest,
        responses={201: shapes.HandedOverRequest, 400: shapes.ErrorShape},
    )
    def post(self, request: Request, survey: int) -> Response:
        stored = stored_survey(survey)
        data = shapes.HandedOverRequest(data=request.data)
        data.is_valid(raise_exception=True)
        held = data.validated_data
        devices = ", ".join(held["devices"])
        note(request, "hand-over", f"{devices} ({held['how']}), survey {stored.pk}: {stored.title}")
        return Response(held, status=201)


class CompareView(APIView):
    """Two surveys side by side: at once if it is quick, else with progress to ask again."""

    @extend_schema(
        operation_id="compare",
        parameters=[
            OpenApiParameter("old", OpenApiTypes.INT, required=True),
            OpenApiParameter("new", OpenApiTypes.INT, required=True),
        ],
        responses={200: shapes.ComparisonJobShape, 400: shapes.ErrorShape},
    )
    def get(self, request: Request) -> Response:
        both = []
        for name in ("old", "new"):
            text = request.query_params.get(name, "")
            if not (text.isascii() and text.isdigit()):
                raise ValidationError("Name two surveys to compare: old and new.")
            both.append(stored_survey(int(text)))
        older, newer = both
        return Response(jobs.state(jobs.ask("comparison", newer, {"before": older.pk})))
