"""Deleting surveys and cases: what hangs on one is said first, and it goes with it.

It is the only way to take a secret out that got in unmasked, so nothing that was made of the
texts stays: answers, what was computed, what is kept in memory.
"""

from __future__ import annotations

from django.db import transaction
from django.db.models import Q
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ..accounts.audit import note
from . import kept, shapes, store
from .documents import stored_survey
from .models import Answer, Case, ExpectationList, Network, StoredSurvey


def hangs_on(stored: StoredSurvey) -> dict[str, object]:
    """What goes with a survey, and what loses its reference to it."""
    alone = not StoredSurvey.objects.filter(network=stored.network_id).exclude(pk=stored.pk)
    others = Case.objects.exclude(survey=stored)
    listed = ExpectationList.objects.filter(network=stored.network_id).exclude(text="")
    return {
        "cases": stored.cases.count(),
        "evidence": sum(case.evidence.count() for case in stored.cases.all()),
        "changes": stored.proposals.count(),
        "verified_elsewhere": others.filter(verified_on=stored).count(),
        "changes_of_others": others.filter(proposal__survey=stored).count(),
        "network": stored.network.name if alone else None,
        "expectations": bool(alone and listed.exists()),
    }


def remove_survey(stored: StoredSurvey) -> None:
    """Takes a survey away with everything that was made of it; the last one of a network takes
    what was decided about that network along."""
    archive = bytes(stored.archive)
    network = stored.network_id
    with transaction.atomic():
        about = Q(survey=stored) | Q(question__before=stored.pk) | Q(question__worked=stored.pk)
        Answer.objects.filter(about).delete()
        stored.gatherings.all().delete()
        number = stored.pk
        stored.delete()
        Network.objects.filter(pk=network, surveys=None).delete()
    kept.drop(archive)
    store.forget(number)


class SurveyDeletionView(APIView):
    @extend_schema(operation_id="survey_deletion", responses=shapes.SurveyDeletionShape)
    def get(self, request: Request, survey: int) -> Response:
        """What would go with this survey."""
        return Response(hangs_on(stored_survey(survey)))


class CaseDeletionView(APIView):
    @extend_schema(operation_id="case_deletion", responses=shapes.CaseDeletionShape)
    def get(self, request: Request, case: int) -> Response:
        """What would go with this case."""
        found = get_object_or_404(Case, pk=case)
        return Response({"steps": found.steps.count(), "evidence": found.evidence.count()})


def deleted_survey(request: Request, number: int) -> Response:
    """Answers a request to delete a survey."""
    stored = get_object_or_404(StoredSurvey, pk=number)
    title = stored.title
    hung = hangs_on(stored)
    remove_survey(stored)
    note(request, "survey deleted", f"{number}: {title}, {hung['cases']} cases with it")
    return Response(status=204)


def deleted_case(request: Request, number: int) -> Response:
    """Answers a request to delete a case."""
    found = get_object_or_404(Case, pk=number)
    note(request, "case deleted", f"{number}: {found.sender} to {found.receiver}")
    found.delete()
    return Response(status=204)
