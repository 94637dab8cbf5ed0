"""The API over surveys and cases: thin views that ask the core and pass its answer on."""

from __future__ import annotations

import re
from dataclasses import replace
from itertools import zip_longest
from typing import Any

from django.db.models import Count, Q, QuerySet
from django.http import Http404
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, OpenApiResponse, extend_schema
from rest_framework.exceptions import PermissionDenied, ValidationError
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ...core.diagnosis.decision import explain_decision
from ...core.diagnosis.ends import compare_ends, far_end_of
from ...core.forwarding.endpoints import EndpointError
from ...core.forwarding.path import source_for
from ...core.forwarding.traffic import Traffic, read_service, read_traffic
from ...core.network.addressing import Address, parse_address
from ...core.network.facts import Device, End
from ...core.readers.archives import UploadError
from ...core.step.sources import usable_addresses
from ...core.survey import Computed
from .. import settings
from ..accounts.audit import note
from ..accounts.roles import ADMINISTRATOR, ENGINEER, at_least, role_of
from . import deletion, documents, present, shapes
from . import incoming as uploads
from .documents import stored_survey
from .models import Case, Incoming, Network, StoredSurvey
from .store import StillComputing, computed, correct, when
from .written import written


def _text(name: str, required: bool = True, description: str = "") -> OpenApiParameter:
    return OpenApiParameter(name, str, required=required, description=description)


def _opened(survey: int) -> Computed:
    return computed(stored_survey(survey))


def _device(survey: Computed, name: str) -> Device:
    device = survey.network.device(name)
    if device is None:
        raise Http404(f"The survey has no device called {name}.")
    return device


def _address(text: str | None, what: str) -> Address:
    address = parse_address(text or "")
    if address is None:
        raise ValidationError(f"The {what} {text!r} is not an address.")
    return address


def survey_json(stored: StoredSurvey) -> dict[str, object]:
    return {
        "id": stored.id,
        "title": stored.title,
        "network": stored.network.name,
        "taken_at": stored.taken_at,
        "stored_at": stored.stored_at,
        "stored_by": stored.stored_by.username if stored.stored_by else None,
        "devices": stored.device_count,
        "unread": stored.unread_count,
        "files": stored.file_count,
        "open_lines": stored.open_lines,
        "findings": stored.findings,
        "counted": stored.counted,
        "cases": stored.cases.count(),
        "pinned": stored.pinned,
        "gathered": stored.gatherings.exists(),
    }


def _uploaded(request: Request) -> dict[str, bytes]:
    """What was sent: plain files with their paths, or archives, as they came.

    Raises:
        UploadError: nothing was sent, or it breaks a bound.
    """
    sent = request.FILES.getlist("files")
    paths = request._request.POST.getlist("paths")
    if not sent:
        raise UploadError("No file was sent. Choose files, a folder, or a .zip.")
    if sum(item.size or 0 for item in sent) > settings.UPLOAD_MAX_BYTES:
        raise UploadError(
            f"The upload is larger than {settings.UPLOAD_MAX_BYTES >> 20} MB. Send a part of it."
        )
    files: dict[str, bytes] = {}
    for number, item in enumerate(sent):
        data = item.read()
        name = paths[number] if number < len(paths) and paths[number] else item.name or "file"
        if name in files:
            raise UploadError(f"The file {name!r} was sent twice.")
        files[name] = data
    return files


def _sent_as(request: Request) -> str | None:
    """The name of the archive or folder that was sent, for a survey without a title."""
    paths = request._request.POST.getlist("paths")
    names = [item.name or "" for item in request.FILES.getlist("files")]
    sent = [path or name for path, name in zip_longest(paths, names, fillvalue="")]
    if len(sent) == 1:
        archive = re.fullmatch(r"(?:.*/)?(.+)\.(?:zip|tgz|tar\.gz|tar)", sent[0])
        return archive.group(1) if archive else None
    folders = {path.partition("/")[0] if "/" in path else "" for path in sent} - {"devices"}
    return (folders.pop() or None) if len(folders) == 1 else None


class SurveysView(APIView):
    """All surveys, newest first; and storing a new one."""

    needs = {"POST": ENGINEER}

    parser_classes = (MultiPartParser,)

    @extend_schema(operation_id="surveys", responses=shapes.SurveyListShape)
    def get(self, request: Request) -> Response:
        found = StoredSurvey.objects.defer("archive").select_related("stored_by", "network")
        return Response({"surveys": [survey_json(stored) for stored in found]})

    @extend_schema(
        operation_id="store_survey",
        request={"multipart/form-data": shapes.UploadRequest},
        responses={
            201: shapes.SurveyShape,
            202: shapes.IncomingShape,
            400: shapes.ErrorShape,
        },
    )
    def post(self, request: Request) -> Response:
        """Stores a survey; 202 if it is still being read, to be asked for again."""
        files = _uploaded(request)
        sent = request._request.POST
        title, network = (sent.get(name, "").strip() or None for name in ("title", "network"))
        taken = sent.get("taken_at", "").strip()
        taken_at = when(taken)
        if taken and taken_at is None:
            raise ValidationError(
                f"{taken!r} is no time. Write it like 2026-05-04T06:30:00Z, or leave it out."
            )
        said = {"title": title, "network": network, "taken_at": taken, "sent_as": _sent_as(request)}
        held = uploads.take(files, said, request.user)
        stored = uploads.stored_of(held)
        if stored is None:
            note(request, "survey sent", f"upload {held.pk}: {len(files)} files")
            return Response(_incoming_json(held), status=202)
        note(request, "survey stored", f"{stored.pk}: {stored.title}")
        return Response(survey_json(stored), status=201)


def _incoming_json(held: Incoming) -> dict[str, Any]:
    stored = uploads.stored_of(held)
    return {
        "id": held.pk,
        "state": "done" if stored is not None else "working",
        "survey": survey_json(stored) if stored is not None else None,
        "read": held.files_read,
        "of": held.files,
    }


class IncomingView(APIView):
    """What became of an upload that was still being read when its sender was answered."""

    needs = {"DELETE": ENGINEER}

    @extend_schema(
        operation_id="incoming_survey",
        responses={200: shapes.IncomingShape, 400: shapes.ErrorShape, 404: shapes.ErrorShape},
    )
    def get(self, request: Request, incoming: int) -> Response:
        held = get_object_or_404(Incoming, pk=incoming)
        if not held.over:
            uploads.take_up(held)
        return Response(_incoming_json(held))

    @extend_schema(
        operation_id="stop_incoming_survey",
        responses={
            204: OpenApiResponse(description="It is read no further, and nothing of it is kept."),
            400: shapes.ErrorShape,
            403: shapes.ErrorShape,
            404: shapes.ErrorShape,
        },
    )
    def delete(self, request: Request, incoming: int) -> Response:
        """Ends the reading of an upload: its sender may, and administrators."""
        held = get_object_or_404(Incoming, pk=incoming)
        if held.sent_by_id != request.user.pk and not at_least(
            role_of(request.user), ADMINISTRATOR
        ):
            raise PermissionDenied("Only who sent it, or an administrator, stops an upload.")
        if not uploads.stop(held):
            raise ValidationError("It is over already: there is nothing to stop.")
        note(request, "upload stopped", f"upload {held.pk}")
        return Response(status=204)


class SurveyView(APIView):
    needs = {"PATCH": ENGINEER, "DELETE": ADMINISTRATOR}

    @extend_schema(operation_id="survey", responses=shapes.SurveyShape)
    def get(self, request: Request, survey: int) -> Response:
        return Response(survey_json(stored_survey(survey)))

    @extend_schema(
        operation_id="correct_survey",
        request=shapes.CorrectionRequest,
        responses={200: shapes.SurveyShape, 400: shapes.ErrorShape},
    )
    def patch(self, request: Request, survey: int) -> Response:
        """Corrects what is said of a survey; a pinned one stays, whatever the rule for old ones
        says."""
        stored = stored_survey(survey)
        sent = shapes.CorrectionRequest(data=request.data, partial=True)
        sent.is_valid(raise_exception=True)
        changes = dict(sent.validated_data)
        pinned = changes.pop("pinned", None)
        if pinned is not None:
            stored.pinned = pinned
            stored.save(update_fields=["pinned"])
        if changes:
            correct(stored, changes)
        return Response(survey_json(stored))

    @extend_schema(
        operation_id="delete_survey",
        responses={204: OpenApiResponse(description="It is gone, and what hung on it.")},
    )
    def delete(self, request: Request, survey: int) -> Response:
        """Deletes a survey and what hangs on it (see its deletion)."""
        return deletion.deleted_survey(request, survey)


class ReadingView(APIView):
    @extend_schema(operation_id="reading", responses=shapes.ReadingShape)
    @documents.kept
    def get(self, request: Request, survey: int) -> Response:
        opened = _opened(survey)
        reports = opened.survey.reading
        return Response(
            {
                "reading": [report.as_json() for report in reports],
                "nodes": present.undescribed(opened),
            }
        )


class NetworksView(APIView):
    @extend_schema(operation_id="networks", responses=shapes.NetworksShape)
    def get(self, request: Request) -> Response:
        """The networks that surveys belong to."""
        rows = Network.objects.annotate(count=Count("surveys"))
        listed = [{"name": n.name, "surveys": n.count, "expected": n.expected} for n in rows]
        return Response({"networks": listed})


class FindingsView(APIView):
    @extend_schema(operation_id="findings", responses=shapes.FindingsShape)
    @documents.kept
    def get(self, request: Request, survey: int) -> Response:
        return Response({"findings": [f.as_nodes() for f in _opened(survey).findings]})


class NeighboursView(APIView):
    @extend_schema(operation_id="neighbours", responses=shapes.RelationsShape)
    @documents.kept
    def get(self, request: Request, survey: int) -> Response:
        return Response(_opened(survey).neighbours_json())


class NamesView(APIView):
    @extend_schema(operation_id="names", responses=shapes.NamesShape)
    @documents.kept
    def get(self, request: Request, survey: int) -> Response:
        return Response({"names": present.names(_opened(survey))})


class DevicesView(APIView):
    @extend_schema(operation_id="devices", responses=shapes.DeviceListShape)
    @documents.kept
    def get(self, request: Request, survey: int) -> Response:
        return Response({"devices": present.device_list(_opened(survey))})


class DeviceView(APIView):
    @extend_schema(operation_id="device", responses=shapes.DeviceShape)
    @documents.kept
    def get(self, request: Request, survey: int, device: str) -> Response:
        opened = _opened(survey)
        return Response(present.device_page(opened, _device(opened, device)))


class SourceView(APIView):
    @extend_schema(
        operation_id="source",
        parameters=[_text("device", False), _text("file")],
        responses=shapes.SourceShape,
    )
    @documents.kept
    def get(self, request: Request, survey: int) -> Response:
        opened = _opened(survey)
        device = request.query_params.get("device", "")
        file = request.query_params.get("file", "")
        node = opened.network.device(device)
        device = node.chassis if node is not None else device
        text = opened.survey.text(device, file)
        if text is None:
            raise Http404("The survey holds no such file.")
        report = next(
            (r for r in opened.survey.reading if (r.device or "") == device and r.file == file),
            None,
        )
        lines = text.split("\n")
        if lines and lines[-1] == "":
            lines.pop()
        return Response(
            {
                "device": device,
                "file": file,
                "kind": report.kind if report else "not recognised",
                "lines": lines,
                "unknown": [line.as_json() for line in report.unknown] if report else [],
            }
        )


_PATH_PARAMETERS = [
    _text("from", description="device, device/instance, address, prefix or device:interface"),
    _text("to", description="device, device/instance, address, prefix or device:interface"),
    _text("source", False),
    OpenApiParameter("protocol", str, enum=["icmp", "tcp", "udp"]),
    _text("service", False, "instead of protocol and port: tcp/443, udp 53, 8080, https"),
    OpenApiParameter("port", OpenApiTypes.INT),
    OpenApiParameter("size", OpenApiTypes.INT),
    OpenApiParameter("dont_fragment", OpenApiTypes.BOOL),
    _text("instance", False, "the routing instance of the sender, if it lives in several"),
]


def path_parameters() -> list[OpenApiParameter]:
    """What a complaint can say."""
    return list(_PATH_PARAMETERS)


def traffic_of(request: Request) -> Traffic:
    """The kind of packet that a request asks about."""
    return read_traffic(request.query_params.dict())


class PathView(APIView):
    @extend_schema(
        operation_id="path",
        parameters=_PATH_PARAMETERS,
        responses={200: shapes.PathShape, 400: shapes.ErrorShape},
    )
    @documents.kept
    def get(self, request: Request, survey: int) -> Response:
        query = request.query_params
        if not query.get("from") or not query.get("to"):
            raise ValidationError("Name who cannot reach what: from and to.")
        opened = _opened(survey)
        path = opened.path(query["from"], query["to"], traffic_of(request))
        return Response({**path.as_nodes(), "touching": opened.touching(path)})


class ServiceView(APIView):
    """What a service is that somebody wrote, or why it is none."""

    @extend_schema(
        operation_id="service",
        parameters=[_text("text")],
        responses={200: shapes.ServiceShape, 400: shapes.ErrorShape},
    )
    def get(self, request: Request) -> Response:
        protocol, port = read_service(request.query_params.get("text", ""))
        service = Traffic(protocol=protocol, port=port).service
        return Response({"protocol": protocol, "port": port, "text": service})


class LadderView(APIView):
    @extend_schema(
        operation_id="ladder",
        parameters=_PATH_PARAMETERS,
        responses={200: shapes.LadderShape, 400: shapes.ErrorShape},
    )
    @documents.kept
    def get(self, request: Request, survey: int) -> Response:
        query = request.query_params
        if not query.get("from") or not query.get("to"):
            raise ValidationError("Name who cannot reach what: from and to.")
        ladder = _opened(survey).ladder(query["from"], query["to"], traffic_of(request))
        return Response(ladder.as_nodes())


class DecisionView(APIView):
    @extend_schema(
        operation_id="decision",
        parameters=[_text("device"), _text("target")],
        responses=shapes.DecisionShape,
    )
    @documents.kept
    def get(self, request: Request, survey: int) -> Response:
        opened = _opened(survey)
        device = _device(opened, request.query_params.get("device", ""))
        target = _address(request.query_params.get("target"), "target")
        return Response(explain_decision(opened.tables, opened.forwarding, device.name, target))


class EndsView(APIView):
    @extend_schema(
        operation_id="ends",
        parameters=[
            _text("device"),
            _text("interface"),
            _text("next_hop", False),
            _text("toward", False),
        ],
        responses=shapes.EndsShape,
    )
    @documents.kept
    def get(self, request: Request, survey: int) -> Response:
        opened = _opened(survey)
        query = request.query_params
        device = _device(opened, query.get("device", ""))
        if device.interface(query.get("interface", "")) is None:
            raise Http404(f"{device.name} has no such interface.")
        end = End(device.name, query["interface"])
        near = _address(query["next_hop"], "next hop") if query.get("next_hop") else None
        far = far_end_of(opened.tables, opened.forwarding, end, near, query.get("toward"))
        return Response(compare_ends(opened.tables, opened.forwarding, end, far, near))


class SourceAddressesView(APIView):
    """The verdict for every source address of a device against one target, side by side."""

    @extend_schema(
        operation_id="source_addresses",
        parameters=[_text("device"), _text("target"), *_PATH_PARAMETERS[3:]],
        responses=shapes.SourceAddressesShape,
    )
    @documents.kept
    def get(self, request: Request, survey: int) -> Response:
        opened = _opened(survey)
        device = _device(opened, request.query_params.get("device", ""))
        target = _address(request.query_params.get("target"), "target")
        chosen = source_for(opened.forwarding, device.name, target)
        asked = traffic_of(request)
        rows = []
        for interface, fact in usable_addresses(device, target.family):
            if fact.address.is_link_local:
                continue
            traffic = replace(asked, source=str(fact.address))
            path = opened.path(device.name, str(target), traffic)
            rows.append(
                {
                    "address": str(fact.address),
                    "interface": interface.name,
                    "chosen": fact.address == chosen,
                    "works": path.works,
                    "sentence": path.sentence(),
                }
            )
        rows.sort(key=lambda row: not row["chosen"])
        return Response({"sources": rows})


class MapView(APIView):
    @extend_schema(operation_id="map", responses=shapes.MapShape)
    @documents.kept
    def get(self, request: Request, survey: int) -> Response:
        return Response(present.map_document(_opened(survey)))


class ReachView(APIView):
    @extend_schema(operation_id="reach_summary", responses=shapes.ReachSummaryShape)
    @documents.kept
    def get(self, request: Request, survey: int) -> Response:
        return Response(_opened(survey).reach.summary())


class WhyView(APIView):
    @extend_schema(
        operation_id="why",
        parameters=[_text("prefix"), _text("device", False)],
        responses=shapes.WhyShape,
    )
    @documents.kept
    def get(self, request: Request, survey: int) -> Response:
        query = request.query_params
        return Response(_opened(survey).why(query.get("prefix", ""), query.get("device")))


def _case_now(case: Case, survey: Computed) -> tuple[str, str]:
    try:
        path = survey.path(case.sender, case.receiver, case.traffic)
    except EndpointError as error:
        return "unknown", str(error)
    return path.works, path.sentence()


def case_json(case: Case, survey: Computed, asked: StoredSurvey | None = None) -> dict[str, object]:
    """A case with what is true of it now: on its own survey, or on a newer one of its network.

    Args:
        survey: the survey that is asked, computed.
        asked: the same as it is stored, if it is not the case's own.
    """
    number = asked.pk if asked is not None else case.survey_id
    works, sentence = documents.remembered(
        ("case", number, case.sender, case.receiver, case.traffic),
        lambda: _case_now(case, survey),
    )
    return {
        "opened_on": None
        if asked is None
        else {"id": case.survey_id, "title": case.survey.title, "works": _works_there(case)},
        "id": case.id,
        "survey": case.survey_id,
        "complaint": case.complaint,
        "reporter": case.reporter,
        "sender": case.sender,
        "receiver": case.receiver,
        "source": case.source,
        "protocol": case.protocol,
        "port": case.port,
        "size": case.size,
        "dont_fragment": case.dont_fragment,
        "opened_at": case.opened_at,
        "opened_by": case.opened_by.username if case.opened_by else None,
        "works": works,
        "sentence": sentence,
        "state": case.state,
        "cause": case.cause,
        "same_cause": _same_cause(case),
        "proposal": case.proposal_id,
        "verified_on": case.verified_on_id,
        "steps": [
            {
                "step": step.step,
                "text": step.text,
                "at": step.at,
                "by": step.by.username if step.by else None,
            }
            for step in case.steps.all()
        ],
    }


def _works_there(case: Case) -> str | None:
    """What is true of a case on its own survey; None while that has to be computed first."""
    try:
        return documents.remembered(
            ("case", case.survey_id, case.sender, case.receiver, case.traffic),
            lambda: _case_now(case, computed(case.survey)),
        )[0]
    except StillComputing:
        return None


def _travelled(stored: StoredSurvey) -> QuerySet[Case]:
    """The cases of older surveys of the network that are open, or are settled by this one."""
    older = Q(survey__taken_at__lt=stored.taken_at) if stored.taken_at else Q(survey__lt=stored.pk)
    open_ = ~Q(state__in=("verified", "closed-unverified")) | Q(verified_on=stored)
    return Case.objects.filter(older, open_, survey__network=stored.network)


def _same_cause(case: Case) -> list[int]:
    """Other cases of the survey for which the same cause was named."""
    if not case.cause:
        return []
    others = Case.objects.filter(survey_id=case.survey_id, cause__id=case.cause["id"])
    return [number for number in others.values_list("id", flat=True) if number != case.id]


class CasesView(APIView):
    """The complaints of a survey, and new ones."""

    needs = {"POST": ENGINEER}

    @extend_schema(operation_id="cases", responses=shapes.CaseListShape)
    def get(self, request: Request, survey: int) -> Response:
        stored = stored_survey(survey)
        opened = computed(stored)
        cases = stored.cases.select_related("opened_by").prefetch_related("steps__by")
        before = _travelled(stored).select_related("opened_by", "survey")
        found = [case_json(case, opened) for case in cases]
        found += [case_json(c, opened, stored) for c in before.prefetch_related("steps__by")]
        return Response({"cases": found})

    @extend_schema(
        operation_id="open_case",
        request=shapes.CaseRequest,
        responses={201: shapes.CaseShape, 400: shapes.ErrorShape},
    )
    def post(self, request: Request, survey: int) -> Response:
        stored = stored_survey(survey)
        data = shapes.CaseRequest(data=request.data)
        data.is_valid(raise_exception=True)
        opened = computed(stored)
        fields = data.validated_data
        # A complaint that cannot be asked is refused before it is kept.
        opened.path(fields["sender"], fields["receiver"], read_traffic(fields))
        user: Any = request.user
        for name, longest in (("complaint", 300), ("reporter", 100)):
            if fields.get(name):
                fields[name] = written(fields[name], longest)
        case = Case.objects.create(survey=stored, opened_by=user, **fields)
        return Response(case_json(case, opened), status=201)


class CaseView(APIView):
    needs = {"DELETE": ADMINISTRATOR}

    @extend_schema(operation_id="case", responses=shapes.CaseShape)
    def get(self, request: Request, case: int) -> Response:
        found = get_object_or_404(Case.objects.select_related("survey", "opened_by"), pk=case)
        return Response(case_json(found, computed(found.survey)))

    @extend_schema(
        operation_id="delete_case",
        responses={204: OpenApiResponse(description="It is gone, and what was kept with it.")},
    )
    def delete(self, request: Request, case: int) -> Response:
        """Deletes a case, its notes and what was pasted into it."""
        return deletion.deleted_case(request, case)
