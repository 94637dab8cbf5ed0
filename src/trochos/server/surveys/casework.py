"""The life of a case: from reported to verified, step by step, each with who and when."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ...core.change.compare import missing_devices
from ...core.forwarding.endpoints import EndpointError
from ...core.survey import Computed
from ..accounts.roles import ENGINEER
from . import jobs, shapes
from .changes import works
from .expected import expect
from .models import Case, CaseStep, Proposal, StoredSurvey
from .report import markdown
from .store import computed
from .views import case_json
from .work import complaint_of
from .written import written

# From which states a step may be taken, and where it leads.
STEPS: dict[str, tuple[frozenset[str], str | None]] = {
    "confirm": (frozenset({"reported", "not-reproduced"}), "confirmed"),
    "not-reproduced": (frozenset({"reported", "confirmed"}), "not-reproduced"),
    "cause": (frozenset({"reported", "confirmed", "cause-found"}), "cause-found"),
    "propose": (
        frozenset({"reported", "confirmed", "cause-found", "remedy-proposed"}),
        "remedy-proposed",
    ),
    "verify": (
        frozenset({"reported", "confirmed", "cause-found", "remedy-proposed"}),
        "verified",
    ),
    "close": (
        frozenset({"reported", "confirmed", "not-reproduced", "cause-found", "remedy-proposed"}),
        "closed-unverified",
    ),
    "reopen": (frozenset({"verified", "closed-unverified", "not-reproduced"}), "reported"),
    "note": (frozenset(shapes.CASE_STATES), None),
}


class StepsView(APIView):
    needs = {"POST": ENGINEER}

    @extend_schema(
        operation_id="take_step",
        request=shapes.StepRequest,
        responses={200: shapes.CaseShape, 400: shapes.ErrorShape},
    )
    def post(self, request: Request, case: int) -> Response:
        found = get_object_or_404(Case.objects.select_related("survey", "opened_by"), pk=case)
        checked = shapes.StepRequest(data=request.data)
        checked.is_valid(raise_exception=True)
        data = checked.validated_data
        step = data["step"]
        before, leads_to = STEPS[step]
        if found.state not in before:
            raise ValidationError(
                f"The case is {found.state.replace('-', ' ')}: this step does not follow."
            )
        said = _TAKE[step](found, data) if step in _TAKE else ""
        text = " ".join(filter(None, (said, written(data.get("text", "").strip()))))
        if step == "note" and not text:
            raise ValidationError("A note needs some words.")
        if step == "close" and not text:
            raise ValidationError("Say why it is closed although no newer survey shows it solved.")
        found.state = leads_to or found.state
        found.save()
        user: Any = request.user
        CaseStep.objects.create(case=found, step=step, text=text, by=user)
        return Response(case_json(found, computed(found.survey)))


class KeepSoView(APIView):
    """A complaint that is settled becomes an expectation of its network."""

    needs = {"POST": ENGINEER}

    @extend_schema(
        operation_id="keep_so",
        request=None,
        responses={200: shapes.KeptSoShape, 400: shapes.ErrorShape},
    )
    def post(self, request: Request, case: int) -> Response:
        found = get_object_or_404(Case.objects.select_related("survey", "verified_on"), pk=case)
        if found.state not in ("verified", "closed-unverified"):
            raise ValidationError("What is not settled yet cannot be kept so. Verify it first.")
        stored = found.verified_on or found.survey
        entry: dict[str, object] = {
            "name": f"{found.complaint} (case {found.pk})"[:200],
            "from": found.sender,
            "to": found.receiver,
            "must": "work",
        }
        if found.traffic.service:
            entry["service"] = found.traffic.service
        user: Any = request.user
        added = expect(stored, entry, user)
        if added:
            text = "From now on it is expected to work."
            CaseStep.objects.create(case=found, step="note", text=text, by=user)
        return Response({"name": entry["name"], "added": added})


def _confirm(case: Case, data: dict[str, Any]) -> str:
    if works(case, computed(case.survey)) == "yes":
        raise ValidationError(
            "On this survey the complaint is not true: both ways work. Mark it as not reproduced, "
            "or look at another survey."
        )
    return ""


def _cause(case: Case, data: dict[str, Any]) -> str:
    wanted = data.get("finding", "")
    question = jobs.complaint(case.survey, complaint_of(case.sender, case.receiver, case.traffic))
    found = jobs.state(jobs.ask("diagnosis", case.survey, question, jobs.SECONDS))["answer"]
    causes: list[dict[str, Any]] = found["causes"] if isinstance(found, dict) else []
    for shown in causes:
        if shown["id"] == wanted:
            case.cause = {
                key: shown[key] for key in ("id", "kind", "device", "summary", "evidence")
            }
            return str(shown["summary"])
    raise ValidationError("That is not among the causes found for this case.")


def _propose(case: Case, data: dict[str, Any]) -> str:
    proposal = Proposal.objects.filter(pk=data.get("proposal") or 0, survey=case.survey).first()
    if proposal is None:
        raise ValidationError("Keep the change as a proposal on this survey first.")
    case.proposal = proposal
    return proposal.title


def _verify(case: Case, data: dict[str, Any]) -> str:
    """A case is verified only on a newer survey that shows it."""
    newer = StoredSurvey.objects.filter(pk=data.get("survey") or 0).first()
    if newer is None:
        raise ValidationError("Name the newer survey that shows it.")
    old, new = case.survey.taken_at, newer.taken_at
    if newer.pk == case.survey_id or (old is not None and new is not None and new <= old):
        raise ValidationError(
            f"{newer.title} is not newer than the case's own survey, so it verifies nothing."
        )
    if newer.network_id != case.survey.network_id:
        raise ValidationError(
            f"{newer.title} is of the network {newer.network.name}, and the case of "
            f"{case.survey.network.name}. If they are one, correct that on the survey first."
        )
    opened, before = computed(newer), computed(case.survey)
    lost = missing_devices(before.network, opened.network)
    part = sorted({d.name for d in lost} & _taking_part(case, before, opened))
    if part:
        raise ValidationError(
            f"On {newer.title} {_listed(part)} missing, and the complaint is between or over "
            "them: it shows nothing. Gather them again."
        )
    state = works(case, opened)
    if state != "yes":
        sentence = opened.path(case.sender, case.receiver, case.traffic).sentence()
        raise ValidationError(f"On {newer.title} the complaint is still true: {sentence}")
    case.verified_on = newer
    found = jobs.ask("comparison", newer, {"before": case.survey_id}, jobs.SECONDS)
    compared = jobs.state(found)["answer"]
    if not isinstance(compared, dict):
        raise ValidationError("Comparing the two surveys takes long. Verify it again in a minute.")
    broken = compared["breaks"]["count"]
    rest = "nothing else broke" if not broken else f"{broken} other pairs do not work any more"
    if compared["unsure"]:
        rest += f"; of {compared['unsure']} pairs that worked, that is not known any more"
    if compared["missing"]:
        pairs = sum(item["pairs"] for item in compared["missing"])
        names = _listed([item["device"] for item in compared["missing"]])
        rest = rest.replace("nothing else broke", "nothing else that it holds broke")
        rest += f"; {names} missing, so of {pairs} pairs that worked nothing is known"
    return f"On {newer.title} both ways work; {rest}."


def _listed(names: list[str]) -> str:
    """Names with their verb: `gull is`, `gull and tern are`, `gull, tern and 4 more are`."""
    shown = names[:3] if len(names) > 4 else names
    more = [f"{len(names) - 3} more"] if len(names) > 4 else []
    *most, last = [*shown, *more]
    return f"{', '.join(most)} and {last} are" if most else f"{last} is"


def _taking_part(case: Case, before: Computed, after: Computed) -> set[str]:
    """The devices between which, or over which, a complaint is, on either survey."""
    out: set[str] = set()
    for survey in (before, after):
        try:
            path = survey.path(case.sender, case.receiver, case.traffic)
        except EndpointError:
            continue
        out |= {path.sender, path.receiver or ""}
        for leg in (path.outbound, path.back):
            out |= {h.device for b in (leg.branches if leg else ()) for h in b.hops}
    return out | {name for name in (case.sender, case.receiver) if before.network.device(name)}


_TAKE = {"confirm": _confirm, "cause": _cause, "propose": _propose, "verify": _verify}


class ReportView(APIView):
    """The case as a document that a person can send."""

    @extend_schema(operation_id="case_report", responses=shapes.ReportShape)
    def get(self, request: Request, case: int) -> Response:
        found = get_object_or_404(
            Case.objects.select_related("survey", "opened_by", "proposal", "verified_on"), pk=case
        )
        title = f"Case {found.id}: {found.complaint}"
        return Response({"title": title, "markdown": markdown(found, computed(found.survey))})
