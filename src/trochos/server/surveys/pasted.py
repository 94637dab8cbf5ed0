"""What somebody saw and pasted into a case: understood, and beside the computed way."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ...core.diagnosis.probed import Echo, Probed, beside
from ...core.forwarding.endpoints import EndpointError
from ...core.forwarding.path import Path
from ...core.forwarding.traffic import Traffic
from ...core.readers.pasted import Seen, outputs, read_pasted
from ...core.survey import Computed
from ..accounts.roles import ENGINEER
from . import kept, shapes
from .models import Case, CaseEvidence, StoredSurvey
from .store import computed
from .written import written

AT_MOST = 40
"""Texts that one case keeps."""
_OTHERS, _SMALL = 4, kept.DEVICES - 1
"""How many other surveys are asked whether an output fits them, of how many devices at most: none
for which a request would wait until a worker has computed it."""


def probed_json(opened: Computed, path: Path, seen: Probed, taken: str | None) -> dict[str, object]:
    """What a device saw, beside the journey."""
    found = beside(opened.forwarding, path, seen)
    return {
        "device": path.sender,
        "target": str(path.target),
        "taken": taken,
        "sent": seen.echo.sent,
        "received": seen.echo.received,
        "agrees": found.agrees,
        "says": found.says,
        "traced": seen.hops is not None,
        "hops": [
            {
                "hop": row.hop,
                "computed": list(row.computed),
                "answered": row.answered,
                "device": row.device,
                "state": row.state,
            }
            for row in (found.hops if seen.hops is not None else ())
        ],
    }


def _ends_of(case: Case, opened: Computed, seen: Seen) -> tuple[str, str, Traffic, bool]:
    """(from, to, traffic, reverse) of what an output asked: the complaint, or its way back."""
    target = str(seen.target) if seen.target is not None else None
    source = str(seen.source) if seen.source is not None else None
    path = opened.path(case.sender, case.receiver, case.traffic)
    turned = target is not None and path.receiver is not None and (
        target == str(path.source)
        or target in {str(a) for a in opened.addresses_named(path.sender)}
    )  # fmt: skip
    sender = path.receiver if turned and path.receiver else path.sender
    if seen.sender is not None and opened.network.device(seen.sender) is not None:
        sender = seen.sender
    default = str(path.source) if turned else case.receiver
    size = seen.size or (0 if turned else case.size)
    return sender, target or default, Traffic(source, size=size), turned


def _seen(case: Case, opened: Computed, seen: Seen) -> dict[str, object]:
    sender, receiver, traffic, turned = _ends_of(case, opened, seen)
    probed = Probed(Echo(seen.sent, seen.received, seen.says), seen.hops)
    path = opened.path(sender, receiver, traffic)
    out = probed_json(opened, path, probed, None)
    fits = None
    if not out["agrees"]:
        fits = _fitting(case, sender, receiver, traffic, probed)
    return {
        **out,
        "tool": seen.tool,
        "sender": seen.sender,
        "reverse": turned,
        "mtu": seen.mtu,
        "fits": fits,
    }


def _fitting(
    case: Case, sender: str, receiver: str, traffic: Traffic, probed: Probed
) -> dict[str, object] | None:
    """Another survey of the network on which an output is what is computed, the nearest first."""
    own = case.survey
    others = StoredSurvey.objects.filter(network=own.network, device_count__lte=_SMALL)
    others = others.exclude(pk=own.pk).defer("archive")
    if own.taken_at is None:
        return None
    taken = own.taken_at
    near = sorted(
        (other for other in others if other.taken_at is not None),
        key=lambda other: abs((other.taken_at or taken) - taken),
    )
    for other in near[:_OTHERS]:
        opened = computed(other)
        try:
            path = opened.path(sender, receiver, traffic)
        except EndpointError:
            continue
        if beside(opened.forwarding, path, probed).agrees and path.works in ("yes", "no"):
            return {"id": other.pk, "title": other.title}
    return None


def pasted_json(case: Case, opened: Computed, held: CaseEvidence) -> dict[str, object]:
    """One text with what it says, on the survey of its case."""
    found = read_pasted(held.text)
    listed = []
    for seen in outputs(found):
        try:
            listed.append(_seen(case, opened, seen))
        except EndpointError as error:
            # It asks for somebody whom this survey does not know: shown without a comparison.
            listed.append(
                {
                    "device": seen.sender or case.sender,
                    "target": str(seen.target or seen.name or ""),
                    "taken": None,
                    "sent": seen.sent,
                    "received": seen.received,
                    "agrees": False,
                    "says": str(error),
                    "traced": False,
                    "hops": [],
                    "tool": seen.tool,
                    "sender": seen.sender,
                    "reverse": False,
                    "mtu": seen.mtu,
                    "fits": None,
                }
            )
    return {
        "id": held.pk,
        "name": held.name,
        "at": held.at,
        "by": held.by.username if held.by else None,
        "text": held.text,
        "outputs": listed,
        "unread": [{"line": number, "text": text} for number, text in found.unread],
    }


def _case(number: int) -> Case:
    found: Case = get_object_or_404(Case.objects.select_related("survey"), pk=number)
    return found


class EvidenceView(APIView):
    """What somebody saw, kept with a case."""

    needs = {"POST": ENGINEER}

    @extend_schema(operation_id="case_evidence", responses={200: shapes.PastedListShape})
    def get(self, request: Request, case: int) -> Response:
        found = _case(case)
        opened = computed(found.survey)
        held = found.evidence.select_related("by")
        return Response({"evidence": [pasted_json(found, opened, item) for item in held]})

    @extend_schema(
        operation_id="keep_evidence",
        request=shapes.PastedRequest,
        responses={201: shapes.PastedShape, 400: shapes.ErrorShape},
    )
    def post(self, request: Request, case: int) -> Response:
        found = _case(case)
        sent = shapes.PastedRequest(data=request.data)
        sent.is_valid(raise_exception=True)
        text = written(sent.validated_data["text"])
        if not list(outputs(read_pasted(text))):
            raise ValidationError(
                "No output of ping, traceroute, tracepath or mtr was found in this text. Paste it "
                "as the tool printed it, its first line included."
            )
        if found.evidence.count() >= AT_MOST:
            raise ValidationError(f"A case keeps {AT_MOST} such texts. Take one out first.")
        user: Any = request.user
        name = written(sent.validated_data.get("name", ""), 200)
        held = CaseEvidence.objects.create(case=found, name=name, text=text, by=user)
        return Response(pasted_json(found, computed(found.survey), held), status=201)


class EvidenceItemView(APIView):
    needs = {"DELETE": ENGINEER}

    @extend_schema(operation_id="drop_evidence", request=None, responses={204: None})
    def delete(self, request: Request, case: int, evidence: int) -> Response:
        get_object_or_404(CaseEvidence, pk=evidence, case=case).delete()
        return Response(status=204)
