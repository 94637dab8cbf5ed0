"""The API over causes and changes: diagnosis, rehearsal, proposals, two surveys compared."""

from __future__ import annotations

import difflib
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
from ...core.change.rehearse import Effect, neighbours_changed, routes_changed
from ...core.change.unmask import mask_edits
from ...core.forwarding.endpoints import EndpointError
from ...core.forwarding.traffic import Traffic, read_traffic
from ...core.network.edits import Edit, EditError, read_edits
from ...core.readers.masking import mask
from ...core.survey import Computed, Rehearsal
from ...local import fingerprint_key
from ..accounts.audit import note
from ..accounts.roles import ENGINEER, READER, at_least, role_in
from . import jobs, shapes
from .documents import stored_survey
from .models import Answer, Case, Proposal, StoredSurvey
from .modules import problem_with
from .store import computed
from .views import path_parameters, traffic_of
from .work import complaint_of
from .written import written

SHOWN = 300
_CONTEXT = 3


def body(request: Request) -> dict[str, Any]:
    """The request's document, as it was sent: edits keep what is not there apart from null."""
    return request.data if isinstance(request.data, dict) else {}


def pairs_json(effect: Effect, kind: str) -> dict[str, object]:
    """How many pairs of a kind there are, and the first of them."""
    first = effect.first(kind, SHOWN)
    return {"count": effect.count(kind), "pairs": [pair.as_json() for pair in first]}


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
        return Response(jobs.state(jobs.ask("diagnosis", stored, question)))


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


def _diff(before: str, after: str) -> list[dict[str, object]]:
    """Both texts side by side, around what differs."""
    left, right = before.splitlines(), after.splitlines()
    out: list[dict[str, object]] = []
    matcher = difflib.SequenceMatcher(None, left, right, autojunk=False)
    for group in matcher.get_grouped_opcodes(_CONTEXT):
        if out:
            out.append({"left": None, "right": None, "before": None, "after": None, "same": True})
        for _, a, b, c, d in group:
            for offset in range(max(b - a, d - c)):
                one = a + offset if a + offset < b else None
                two = c + offset if c + offset < d else None
                before_line = left[one] if one is not None else None
                after_line = right[two] if two is not None else None
                out.append(
                    {
                        "left": None if one is None else one + 1,
                        "right": None if two is None else two + 1,
                        "before": before_line,
                        "after": after_line,
                        "same": before_line == after_line,
                    }
                )
    return out


def _cells(rehearsal: Rehearsal) -> list[dict[str, object]]:
    """Per two devices the gravest thing that happens between them."""
    out: dict[tuple[str, str], dict[str, object]] = {}
    for state in ("breaks", "heals", "gone", "moves"):
        for (sender, owner), count in rehearsal.effect.between(state).items():
            cell: dict[str, object] = {
                "from": sender,
                "to": owner,
                "state": state,
                "count": count,
            }
            out.setdefault((sender, owner), cell)
    return list(out.values())


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
    """What a change does, before anybody makes it. Nothing is stored."""

    needs = {"POST": READER}

    @extend_schema(
        operation_id="rehearse",
        request=shapes.RehearsalRequest,
        responses={200: shapes.RehearsalShape, 400: shapes.ErrorShape},
    )
    def post(self, request: Request, survey: int) -> Response:
        stored = stored_survey(survey)
        opened = computed(stored)
        checked = shapes.RehearsalRequest(data=request.data)
        checked.is_valid(raise_exception=True)
        edits = edits_of(opened, body(request))
        rehearsal = opened.rehearse(edits)
        effect = rehearsal.effect
        diffs = [
            {
                "device": device,
                "file": file,
                "lines": _diff(opened.survey.text(device, file) or "", text),
            }
            for (device, file), text in rehearsal.changed.texts.items()
        ]
        asked = question_of(body(request).get("question") or {})
        before = after = None
        if asked is not None:
            before = opened.path(*asked).as_nodes()
            try:
                after = rehearsal.anew.path(*asked).as_nodes()
            except EndpointError:
                after = None  # an end is gone
        return Response(
            {
                "edits": [edit.as_json() for edit in edits],
                "heals": pairs_json(effect, "heals"),
                "breaks": pairs_json(effect, "breaks"),
                "moves": pairs_json(effect, "moves"),
                "gone": pairs_json(effect, "gone"),
                "unsure": effect.count("unsure"),
                "cells": _cells(rehearsal),
                "devices": [d.name for d in opened.network.devices if d.role != "unread"],
                "routes_changed": routes_changed(opened.tables, rehearsal.after.tables),
                "neighbours": neighbours_changed(opened.tables, rehearsal.after.tables),
                "diffs": diffs,
                "texts": [
                    {"device": device, "file": file, "text": text}
                    for (device, file), text in rehearsal.changed.texts.items()
                ],
                "handover": _handover(opened, edits, rehearsal, body(request))
                if at_least(role_in(request), ENGINEER)
                else [],
                "not_understood": rehearsal.not_understood,
                "along": [item.as_json() for item in rehearsal.along],
                "before": before,
                "after": after,
                "cases": _cases(stored, opened, rehearsal.after),
            }
        )


def _handover(
    opened: Computed, edits: tuple[Edit, ...], rehearsal: Rehearsal, sent: dict[str, Any]
) -> list[dict[str, object]]:
    """The change for whoever makes it; nothing while it holds lines that nobody understands,
    unless a person takes them on, which it then says."""
    unknown = rehearsal.not_understood
    if sent.get("hand_over") is False or (unknown and not sent.get("accept_unknown_lines")):
        return []
    parts = hand_over(opened.survey, edits, unknown, problem_with)
    return [item.as_json() for item in parts]


def _cases(stored: StoredSurvey, before: Computed, after: Computed) -> list[dict[str, object]]:
    """The survey's complaints that a change would make work, or stop from working."""
    out: list[dict[str, object]] = []
    for case in stored.cases.all():
        was, now = works(case, before), works(case, after)
        if was != now:
            out.append({"id": case.id, "complaint": case.complaint, "before": was, "after": now})
    return out


def works(case: Case, survey: Computed) -> str:
    """Whether a case's complaint is true on a survey: yes means it works."""
    try:
        return survey.path(case.sender, case.receiver, case.traffic).works
    except EndpointError:
        return "unknown"


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
            question=body(request).get("question") or {},
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
    """Two surveys side by side."""

    @extend_schema(
        operation_id="compare",
        parameters=[
            OpenApiParameter("old", OpenApiTypes.INT, required=True),
            OpenApiParameter("new", OpenApiTypes.INT, required=True),
        ],
        responses={200: shapes.ComparisonShape, 400: shapes.ErrorShape},
    )
    def get(self, request: Request) -> Response:
        opened = []
        for name in ("old", "new"):
            text = request.query_params.get(name, "")
            if not (text.isascii() and text.isdigit()):
                raise ValidationError("Name two surveys to compare: old and new.")
            opened.append(computed(stored_survey(int(text))))
        found = opened[0].compare(opened[1])
        return Response(
            {
                "missing": [item.as_json() for item in found.missing],
                "note": found.apart,
                "texts": found.texts,
                "facts": found.facts,
                "routes": [change.as_json() for change in found.routes],
                "neighbours": found.neighbours,
                "heals": pairs_json(found.effect, "heals"),
                "breaks": pairs_json(found.effect, "breaks"),
                "moves": pairs_json(found.effect, "moves"),
                "unsure": found.effect.count("unsure"),
            }
        )
