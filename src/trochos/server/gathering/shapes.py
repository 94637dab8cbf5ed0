"""The documents of the gathering API. Secrets go in and never come out."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers as s

from ...gather.credentials import AUTH_PROTOCOLS, PRIV_PROTOCOLS
from ...gather.inventory import METHODS
from ..surveys.shapes import ErrorShape, ProbeShape, Shape

__all__ = ["ErrorShape", "ProbeShape"]


class CredentialRequest(Shape):
    """A credential as it is entered; parts that are left out stay as they were."""

    name = s.CharField(max_length=100)
    username = s.CharField(required=False, allow_blank=True, max_length=200)
    password = s.CharField(required=False, allow_blank=True, write_only=True, trim_whitespace=False)
    private_key = s.CharField(
        required=False, allow_blank=True, write_only=True, trim_whitespace=False
    )
    certificate = s.CharField(
        required=False, allow_blank=True, write_only=True, trim_whitespace=False
    )
    community = s.CharField(
        required=False, allow_blank=True, write_only=True, trim_whitespace=False
    )
    auth_protocol = s.ChoiceField(AUTH_PROTOCOLS, required=False)
    auth_key = s.CharField(required=False, allow_blank=True, write_only=True, trim_whitespace=False)
    priv_protocol = s.ChoiceField(PRIV_PROTOCOLS, required=False)
    priv_key = s.CharField(required=False, allow_blank=True, write_only=True, trim_whitespace=False)


class CredentialShape(Shape):
    id = s.IntegerField()
    name = s.CharField()
    username = s.CharField(allow_blank=True)
    parts = s.ListField(child=s.CharField(), help_text="which parts are stored, not what they are")
    devices = s.IntegerField(help_text="how many devices use it")
    changed_at = s.DateTimeField()


class InventoryDeviceRequest(Shape):
    name = s.CharField(max_length=100)
    address = s.CharField(max_length=253)
    method = s.ChoiceField(list(METHODS))
    port = s.IntegerField(required=False, allow_null=True, min_value=1, max_value=65535)
    credential = s.CharField(max_length=100)
    group = s.CharField(required=False, allow_blank=True, max_length=100)


class InventoryDeviceShape(InventoryDeviceRequest):
    id = s.IntegerField()
    port = s.IntegerField()
    key = s.CharField(allow_null=True)
    trusted_by = s.CharField(allow_null=True)
    trusted_at = s.DateTimeField(allow_null=True)
    shown_key = s.CharField(allow_null=True, help_text="shown last, where it is not the trusted")
    outcome = s.CharField(allow_null=True)
    says = s.CharField(allow_blank=True)
    seen_at = s.DateTimeField(allow_null=True)


class PlanShape(Shape):
    every_hours = s.IntegerField(allow_null=True, min_value=1, max_value=24 * 31)
    next_at = s.DateTimeField(allow_null=True, read_only=True)
    keep = s.IntegerField(min_value=1, max_value=10000)
    drawing_of = s.IntegerField(
        required=False, allow_null=True, help_text="take the wiring of this survey"
    )
    has_drawing = s.BooleanField(read_only=True)


class AllowedNetworkRequest(s.Serializer[Any]):
    network = s.CharField(max_length=60)
    note = s.CharField(max_length=200, default="", allow_blank=True)


class AllowedNetworkShape(s.Serializer[Any]):
    id = s.IntegerField()
    network = s.CharField()
    note = s.CharField()
    entered_by = s.CharField(allow_null=True)


class InventoryShape(Shape):
    devices = InventoryDeviceShape(many=True)
    credentials = CredentialShape(many=True)
    plan = PlanShape()
    may_change = s.BooleanField()
    may_work = s.BooleanField(help_text="whether one may gather, test and probe")
    allowed = AllowedNetworkShape(many=True, help_text="where live work may go")


class InventoryImportRequest(Shape):
    yaml = s.CharField(trim_whitespace=False, max_length=1 << 20)


class TrustRequest(Shape):
    key = s.CharField(max_length=100)


class TestShape(Shape):
    outcome = s.CharField()
    says = s.CharField(allow_blank=True)
    key = s.CharField(allow_null=True)
    got = s.ListField(child=s.CharField())
    absent = s.ListField(child=s.CharField())
    seconds = s.FloatField()


class ErrandShape(Shape):
    id = s.IntegerField(help_text="under which to ask for the answer")
    state = s.ChoiceField(["working", "done"])


class TestJobShape(ErrandShape):
    answer = TestShape(allow_null=True)


class ProbeJobShape(ErrandShape):
    answer = ProbeShape(allow_null=True)


class ProbeRequest(Shape):
    to = s.CharField(max_length=200)
    source = s.CharField(  # type: ignore[assignment]
        max_length=100, required=False, allow_blank=True
    )
    size = s.IntegerField(required=False, default=0, min_value=0, max_value=65535)
    dont_fragment = s.BooleanField(required=False, default=False)

    def get_fields(self) -> dict[str, Any]:
        return {**super().get_fields(), "from": s.CharField(max_length=200)}


class ProbesShape(Shape):
    probes = ProbeShape(many=True)


class GatheringRequest(Shape):
    title = s.CharField(required=False, allow_blank=True, max_length=200)
    group = s.CharField(required=False, allow_blank=True, max_length=100)
    devices = s.ListField(child=s.IntegerField(), required=False)


class PartShape(Shape):
    device = s.CharField()
    method = s.CharField()
    state = s.CharField()
    step = s.CharField(allow_blank=True)
    done = s.IntegerField()
    of = s.IntegerField()
    says = s.CharField(allow_blank=True)
    files = s.IntegerField()
    seconds = s.FloatField(allow_null=True)


class GatheringSummaryShape(Shape):
    id = s.IntegerField()
    title = s.CharField()
    state = s.ChoiceField(["running", "storing", "done", "failed", "cancelled"])
    says = s.CharField(allow_blank=True)
    started_at = s.DateTimeField()
    started_by = s.CharField(allow_null=True)
    ended_at = s.DateTimeField(allow_null=True)
    survey = s.IntegerField(allow_null=True)
    devices = s.IntegerField()
    over = s.IntegerField()
    failed = s.IntegerField()


class GatheringShape(GatheringSummaryShape):
    parts = PartShape(many=True)


class GatheringListShape(Shape):
    gatherings = GatheringSummaryShape(many=True)
