"""The API over the inventory and gatherings: thin views over `runs` and the vault."""

from __future__ import annotations

import ipaddress
from datetime import timedelta
from typing import Any

from django.db.models import Count, ProtectedError, Q
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, OpenApiResponse, extend_schema
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from ...core.diagnosis.probed import Echo, Probed
from ...core.forwarding.traffic import read_traffic
from ...core.survey import Computed
from ...gather.credentials import credential_from
from ...gather.inventory import InventoryError, Target, read_inventory, target_from
from ...gather.problems import CredentialMissing, Problem
from ..accounts.audit import note
from ..accounts.roles import ADMINISTRATOR, OPERATOR, at_least, role_in
from ..surveys.models import StoredSurvey
from ..surveys.pasted import probed_json
from ..surveys.store import computed, files_of
from ..surveys.work import complaint_from, complaint_of
from . import allowed, errands, runs, shapes, vault
from .models import (
    OPEN,
    AllowedNetwork,
    Errand,
    Gathering,
    InventoryDevice,
    Plan,
    StoredCredential,
)


def credential_json(held: StoredCredential) -> dict[str, object]:
    return {
        "id": held.pk,
        "name": held.name,
        "username": held.username,
        "parts": held.parts,
        "devices": held.devices.count(),
        "changed_at": held.changed_at,
    }


def device_json(held: InventoryDevice) -> dict[str, object]:
    return {
        "id": held.pk,
        "name": held.name,
        "address": held.address,
        "method": held.method,
        "port": held.port,
        "credential": held.credential.name,
        "group": held.group,
        "key": held.key or None,
        "trusted_by": held.trusted_by.username if held.trusted_by else None,
        "trusted_at": held.trusted_at,
        "shown_key": held.shown_key or None,
        "outcome": held.outcome or None,
        "says": held.says,
        "seen_at": held.seen_at,
    }


def allowed_json(held: AllowedNetwork) -> dict[str, object]:
    return {
        "id": held.pk,
        "network": held.network,
        "note": held.note,
        "entered_by": held.entered_by.username if held.entered_by else None,
    }


def plan_json(plan: Plan) -> dict[str, object]:
    return {
        "every_hours": plan.every_hours,
        "next_at": plan.next_at,
        "keep": plan.keep,
        "has_drawing": bool(plan.drawing),
    }


class InventoryView(APIView):
    """Everything that gathering needs to know, without a secret."""

    needs = {"POST": ADMINISTRATOR}

    @extend_schema(operation_id="inventory", responses=shapes.InventoryShape)
    def get(self, request: Request) -> Response:
        devices = InventoryDevice.objects.select_related("credential", "trusted_by")
        return Response(
            {
                "devices": [device_json(d) for d in devices],
                "credentials": [credential_json(c) for c in StoredCredential.objects.all()],
                "plan": plan_json(Plan.current()),
                "may_change": at_least(role_in(request), ADMINISTRATOR),
                "may_work": at_least(role_in(request), OPERATOR),
                "allowed": [allowed_json(n) for n in AllowedNetwork.objects.all()],
            }
        )

    @extend_schema(
        operation_id="import_inventory",
        request=shapes.InventoryImportRequest,
        responses={200: shapes.InventoryShape, 400: shapes.ErrorShape},
    )
    def post(self, request: Request) -> Response:
        """Takes in an inventory file: devices by name, new ones added, others changed."""
        sent = shapes.InventoryImportRequest(data=request.data)
        sent.is_valid(raise_exception=True)
        try:
            targets = read_inventory(sent.validated_data["yaml"])
        except InventoryError as error:
            raise ValidationError(str(error)) from error
        known = {c.name: c for c in StoredCredential.objects.all()}
        missing = sorted({t.credential for t in targets} - set(known))
        if missing:
            raise ValidationError(
                f"The inventory names the credential {missing[0]}, which is not in the vault. "
                "Enter it first."
            )
        for target in targets:
            _may_be_reached(target)
        for target in targets:
            _save(InventoryDevice.objects.filter(name=target.name).first(), target, known)
        note(request, "inventory imported", f"{len(targets)} devices")
        return self.get(request)


def _save(
    held: InventoryDevice | None, target: Target, known: dict[str, StoredCredential]
) -> InventoryDevice:
    held = held or InventoryDevice()
    moved = held.pk and (held.address, held.port, held.method) != (
        target.address,
        target.port,
        target.method,
    )
    held.name, held.address, held.method = target.name, target.address, target.method
    held.port, held.group = target.port, target.group
    held.credential = known[target.credential]
    if moved:
        # Another place may be another device: what was trusted there says nothing here.
        held.key, held.trusted_at, held.trusted_by = "", None, None
        held.shown_key, held.outcome, held.says = "", "", ""
    held.save()
    return held


def _may_be_reached(target: Target) -> None:
    try:
        allowed.check_literal(target.address)
    except Problem as problem:
        raise ValidationError(str(problem)) from problem


def _target(request: Request) -> tuple[Target, dict[str, StoredCredential]]:
    sent = shapes.InventoryDeviceRequest(data=request.data)
    sent.is_valid(raise_exception=True)
    try:
        target = target_from(dict(sent.validated_data), "The device")
    except InventoryError as error:
        raise ValidationError(str(error)) from error
    known = {c.name: c for c in StoredCredential.objects.all()}
    if target.credential not in known:
        raise ValidationError(f"There is no credential called {target.credential}.")
    _may_be_reached(target)
    return target, known


class InventoryDevicesView(APIView):
    needs = {"POST": ADMINISTRATOR}

    @extend_schema(
        operation_id="add_inventory_device",
        request=shapes.InventoryDeviceRequest,
        responses={201: shapes.InventoryDeviceShape, 400: shapes.ErrorShape},
    )
    def post(self, request: Request) -> Response:
        target, known = _target(request)
        if InventoryDevice.objects.filter(name=target.name).exists():
            raise ValidationError(f"There is a device called {target.name} already.")
        held = _save(None, target, known)
        note(request, "device added", f"{held.name} at {held.address}")
        return Response(device_json(held), status=201)


class InventoryDeviceView(APIView):
    needs = {"PUT": ADMINISTRATOR, "DELETE": ADMINISTRATOR}

    @extend_schema(
        operation_id="change_inventory_device",
        request=shapes.InventoryDeviceRequest,
        responses={200: shapes.InventoryDeviceShape, 400: shapes.ErrorShape},
    )
    def put(self, request: Request, device: int) -> Response:
        held = get_object_or_404(InventoryDevice, pk=device)
        target, known = _target(request)
        if InventoryDevice.objects.filter(name=target.name).exclude(pk=held.pk).exists():
            raise ValidationError(f"There is a device called {target.name} already.")
        held = _save(held, target, known)
        note(request, "device changed", f"{held.name} at {held.address}")
        return Response(device_json(held))

    @extend_schema(
        operation_id="remove_inventory_device",
        responses={204: OpenApiResponse(description="It is gone.")},
    )
    def delete(self, request: Request, device: int) -> Response:
        held = get_object_or_404(InventoryDevice, pk=device)
        held.delete()
        note(request, "device removed", held.name)
        return Response(status=204)


class TrustView(APIView):
    needs = {"POST": ADMINISTRATOR}

    @extend_schema(
        operation_id="trust_key",
        request=shapes.TrustRequest,
        responses={200: shapes.InventoryDeviceShape, 400: shapes.ErrorShape},
    )
    def post(self, request: Request, device: int) -> Response:
        """A person compared the key that the device shows, and trusts it."""
        held = get_object_or_404(InventoryDevice, pk=device)
        key = str(request.data.get("key", "")) if isinstance(request.data, dict) else ""
        if not key or key != held.shown_key:
            raise ValidationError(
                "That is not the key that the device showed last. Test it again, and compare."
            )
        user: Any = request.user
        held.key, held.shown_key = key, ""
        held.trusted_by, held.trusted_at = user, timezone.now()
        held.outcome, held.says = "", ""
        held.save()
        note(request, "key trusted", f"{held.name}: {key}")
        return Response(device_json(held))


class TestView(APIView):
    needs = {"POST": OPERATOR}

    @extend_schema(operation_id="test_device", request=None, responses=shapes.TestJobShape)
    def post(self, request: Request, device: int) -> Response:
        """Has a worker talk to one device now."""
        held = get_object_or_404(InventoryDevice, pk=device)
        sent = errands.send(errands.TEST, held)
        note(request, "device tested", held.name)
        return Response(_errand(sent, sent.answer))


class TestedView(APIView):
    needs = {"GET": OPERATOR}

    @extend_schema(
        operation_id="tested_device",
        responses={200: shapes.TestJobShape, 400: shapes.ErrorShape},
    )
    def get(self, request: Request, errand: int) -> Response:
        """What works of a device, once it is known."""
        sent = get_object_or_404(Errand, pk=errand, kind=errands.TEST)
        return Response(_errand(sent, sent.answer))


def _errand(sent: Errand, answer: object) -> dict[str, object]:
    """How far a talk with a device is.

    Raises:
        ValidationError: nothing came of it, and why.
    """
    if sent.state == Errand.FAILED:
        raise ValidationError(f"{sent.target['name']} cannot be asked: {sent.says}")
    state = "done" if sent.state == Errand.DONE else "working"
    return {"id": sent.pk, "state": state, "answer": answer}


class ProbeView(APIView):
    """A complaint asked of the device itself, beside what is computed."""

    needs = {"POST": OPERATOR}

    @extend_schema(
        operation_id="probes",
        parameters=[
            OpenApiParameter("from", str, required=True),
            OpenApiParameter("to", str, required=True),
            OpenApiParameter("source", str),
        ],
        responses={200: shapes.ProbesShape},
    )
    def get(self, request: Request, survey: int) -> Response:
        """The probes of this complaint that the survey holds."""
        opened = computed(get_object_or_404(StoredSurvey, pk=survey))
        asked = request.query_params
        path = opened.path(asked.get("from", ""), asked.get("to", ""), read_traffic(asked.dict()))
        device = opened.network.device(path.sender)
        out = []
        for fact in device.probes if device is not None else ():
            if fact.target == path.target and fact.source in (None, path.source):
                seen = Probed(Echo(fact.sent, fact.received, fact.says), fact.hops)
                out.append(probed_json(opened, path, seen, fact.taken))
        return Response({"probes": out})

    @extend_schema(
        operation_id="probe",
        request=shapes.ProbeRequest,
        responses={200: shapes.ProbeJobShape, 400: shapes.ErrorShape},
    )
    def post(self, request: Request, survey: int) -> Response:
        sent = shapes.ProbeRequest(data=request.data)
        sent.is_valid(raise_exception=True)
        asked = sent.validated_data
        stored = get_object_or_404(StoredSurvey, pk=survey)
        opened = computed(stored)
        traffic = read_traffic(asked)
        path = opened.path(asked["from"], asked["to"], traffic)
        held = InventoryDevice.objects.filter(name=path.sender).first()
        if held is None:
            raise ValidationError(
                f"{path.sender} is not in the inventory, so nobody can ask it. Add it under Gather."
            )
        _may_be_probed(opened, stored, str(path.target))
        note(request, "probed", f"{path.sender} asked for {path.target}")
        question = {
            "complaint": complaint_of(asked["from"], asked["to"], traffic),
            "asked": {
                "target": str(path.target),
                "source": str(path.source) if asked.get("source") and path.source else None,
                "size": asked["size"],
                "dont_fragment": asked["dont_fragment"],
            },
        }
        sent_out = errands.send(errands.PROBE, held, question)
        return Response(_errand(sent_out, _probed(opened, sent_out)))


class ProbedView(APIView):
    needs = {"GET": OPERATOR}

    @extend_schema(
        operation_id="probed",
        responses={200: shapes.ProbeJobShape, 400: shapes.ErrorShape},
    )
    def get(self, request: Request, survey: int, errand: int) -> Response:
        """What a device saw that was asked for a target, once it is known."""
        opened = computed(get_object_or_404(StoredSurvey, pk=survey))
        sent = get_object_or_404(Errand, pk=errand, kind=errands.PROBE)
        return Response(_errand(sent, _probed(opened, sent)))


def _probed(opened: Computed, sent: Errand) -> dict[str, object] | None:
    if sent.answer is None:
        return None
    path = opened.path(*complaint_from(sent.question["complaint"]))
    return probed_json(opened, path, errands.seen_of(sent.answer), None)


def _may_be_probed(opened: Computed, stored: StoredSurvey, address: str) -> None:
    """Refuses a target that nobody is known to have. Anybody may have written the survey that is
    asked about; what devices themselves said they have stands in a gathered one."""
    target = ipaddress.ip_address(address)
    if not allowed.within(target, allowed.networks()):
        raise ValidationError(str(allowed.refuse(address)))
    gathered = StoredSurvey.objects.filter(gatherings__isnull=False, network=stored.network_id)
    latest = gathered.order_by("-stored_at").first()
    if latest is None:
        raise ValidationError(
            f"Nothing of {stored.network.name} was gathered yet, so nobody here knows who has "
            f"{address}. Gather first; then devices can be asked."
        )
    if latest.pk != stored.pk:
        opened = computed(latest)
    if not any(
        str(own.address) == address
        for device in opened.network.devices
        for interface in device.interfaces
        for own in interface.addresses
    ):
        raise ValidationError(
            f"No device of {latest.title} has {address}, and others are not probed from here."
        )


class CredentialsView(APIView):
    needs = {"POST": ADMINISTRATOR}

    @extend_schema(
        operation_id="add_credential",
        request=shapes.CredentialRequest,
        responses={201: shapes.CredentialShape, 400: shapes.ErrorShape},
    )
    def post(self, request: Request) -> Response:
        held = _sealed(request, None)
        note(request, "credential added", held.name)
        return Response(credential_json(held), status=201)


class CredentialView(APIView):
    needs = {"PUT": ADMINISTRATOR, "DELETE": ADMINISTRATOR}

    @extend_schema(
        operation_id="change_credential",
        request=shapes.CredentialRequest,
        responses={200: shapes.CredentialShape, 400: shapes.ErrorShape},
    )
    def put(self, request: Request, credential: int) -> Response:
        held = get_object_or_404(StoredCredential, pk=credential)
        held = _sealed(request, held)
        note(request, "credential changed", held.name)
        return Response(credential_json(held))

    @extend_schema(
        operation_id="remove_credential",
        responses={204: OpenApiResponse(description="It is gone."), 400: shapes.ErrorShape},
    )
    def delete(self, request: Request, credential: int) -> Response:
        held = get_object_or_404(StoredCredential, pk=credential)
        try:
            held.delete()
        except ProtectedError as error:
            raise ValidationError(
                f"{held.devices.count()} devices use {held.name}. Give them another credential "
                "first."
            ) from error
        note(request, "credential removed", held.name)
        return Response(status=204)


def _sealed(request: Request, held: StoredCredential | None) -> StoredCredential:
    sent = shapes.CredentialRequest(data=request.data)
    sent.is_valid(raise_exception=True)
    parts = {k: str(v) for k, v in sent.validated_data.items() if k != "name" and v}
    name = sent.validated_data["name"]
    taken = StoredCredential.objects.filter(name=name)
    if (taken.exclude(pk=held.pk) if held else taken).exists():
        raise ValidationError(f"There is a credential called {name} already.")
    try:
        if held is not None:
            # What is not entered again stays as it was; nobody could show it to be kept.
            parts = {**vault.parts_of(name, bytes(held.sealed)), **parts}
        credential_from(name, parts)
    except CredentialMissing as error:
        raise ValidationError(str(error)) from error
    held = held or StoredCredential()
    held.name, held.username = name, parts.get("username", "")
    held.parts = sorted(parts)
    held.sealed = vault.seal(parts)
    held.save()
    return held


class PlanView(APIView):
    needs = {"PUT": OPERATOR}

    @extend_schema(
        operation_id="change_plan",
        request=shapes.PlanShape,
        responses={200: shapes.PlanShape, 400: shapes.ErrorShape},
    )
    def put(self, request: Request) -> Response:
        sent = shapes.PlanShape(data=request.data)
        sent.is_valid(raise_exception=True)
        plan = Plan.current()
        hours = sent.validated_data["every_hours"]
        if hours != plan.every_hours:
            plan.next_at = timezone.now() + timedelta(hours=hours) if hours else None
        plan.every_hours, plan.keep = hours, sent.validated_data["keep"]
        if "drawing_of" in sent.validated_data:
            number = sent.validated_data["drawing_of"]
            plan.drawing = ""
            if number is not None:
                files = files_of(get_object_or_404(StoredSurvey, pk=number))
                if "topology.json" not in files:
                    raise ValidationError("That survey holds no wiring (topology.json).")
                plan.drawing = files["topology.json"].decode("utf-8", "replace")
        plan.save()
        note(request, "plan changed", f"every {hours} hours" if hours else "nothing by itself")
        return Response(plan_json(plan))


class AllowedNetworksView(APIView):
    """Where live work may go."""

    needs = {"POST": ADMINISTRATOR}

    @extend_schema(
        operation_id="allow_network",
        request=shapes.AllowedNetworkRequest,
        responses={201: shapes.AllowedNetworkShape, 400: shapes.ErrorShape},
    )
    def post(self, request: Request) -> Response:
        sent = shapes.AllowedNetworkRequest(data=request.data)
        sent.is_valid(raise_exception=True)
        try:
            network = str(allowed.network_from(sent.validated_data["network"]))
        except ValueError as error:
            raise ValidationError(str(error)) from error
        user: Any = request.user
        held, made = AllowedNetwork.objects.get_or_create(
            network=network, defaults={"note": sent.validated_data["note"], "entered_by": user}
        )
        if not made:
            raise ValidationError(f"{network} is in the list already.")
        note(request, "network allowed", network)
        return Response(allowed_json(held), status=201)


class AllowedNetworkView(APIView):
    needs = {"DELETE": ADMINISTRATOR}

    @extend_schema(
        operation_id="disallow_network",
        responses={204: OpenApiResponse(description="Live work goes there no more.")},
    )
    def delete(self, request: Request, network: int) -> Response:
        held = get_object_or_404(AllowedNetwork, pk=network)
        held.delete()
        note(request, "network no longer allowed", held.network)
        return Response(status=204)


def _summary(run: Gathering) -> dict[str, object]:
    counts = run.parts.aggregate(
        devices=Count("id"),
        over=Count("id", filter=~Q(state__in=OPEN)),
        failed=Count("id", filter=~Q(state__in=(*OPEN, "done", "partly"))),
    )
    return {
        "id": run.pk,
        "title": run.title,
        "state": run.state,
        "says": run.says,
        "started_at": run.started_at,
        "started_by": run.started_by.username if run.started_by else None,
        "ended_at": run.ended_at,
        "survey": run.survey_id,
        **counts,
    }


def _whole(run: Gathering) -> dict[str, object]:
    now = timezone.now()
    parts = []
    for part in run.parts.defer("files"):
        spent = None
        if part.started_at is not None:
            spent = round(((part.ended_at or now) - part.started_at).total_seconds(), 1)
        parts.append(
            {
                "device": part.device,
                "method": part.target.get("method", ""),
                "state": part.state,
                "step": part.step,
                "done": part.done,
                "of": part.of,
                "says": part.says,
                "files": part.file_count,
                "seconds": spent,
            }
        )
    return {**_summary(run), "parts": parts}


class GatheringsView(APIView):
    needs = {"POST": OPERATOR}

    @extend_schema(operation_id="gatherings", responses=shapes.GatheringListShape)
    def get(self, request: Request) -> Response:
        found = Gathering.objects.select_related("started_by")[:20]
        return Response({"gatherings": [_summary(run) for run in found]})

    @extend_schema(
        operation_id="gather",
        request=shapes.GatheringRequest,
        responses={201: shapes.GatheringShape, 400: shapes.ErrorShape},
    )
    def post(self, request: Request) -> Response:
        """Gathers now: all devices, those of a group, or those named."""
        sent = shapes.GatheringRequest(data=request.data)
        sent.is_valid(raise_exception=True)
        devices = InventoryDevice.objects.select_related("credential")
        if sent.validated_data.get("group"):
            devices = devices.filter(group=sent.validated_data["group"])
        if sent.validated_data.get("devices"):
            devices = devices.filter(pk__in=sent.validated_data["devices"])
        user: Any = request.user
        try:
            run = runs.begin(devices, user, sent.validated_data.get("title"))
        except runs.NothingToGather as error:
            raise ValidationError(str(error)) from error
        note(request, "gathering begun", f"{run.title}: {run.parts.count()} devices")
        return Response(_whole(run), status=201)


class GatheringView(APIView):
    @extend_schema(operation_id="gathering", responses=shapes.GatheringShape)
    def get(self, request: Request, gathering: int) -> Response:
        return Response(_whole(get_object_or_404(Gathering, pk=gathering)))


class CancelView(APIView):
    needs = {"POST": OPERATOR}

    @extend_schema(operation_id="cancel_gathering", request=None, responses=shapes.GatheringShape)
    def post(self, request: Request, gathering: int) -> Response:
        run = get_object_or_404(Gathering, pk=gathering)
        runs.cancel(run)
        note(request, "gathering stopped", run.title)
        run.refresh_from_db()
        return Response(_whole(run))
