"""What is wrong, and the edits that undo it."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers as s

from .base import EndShape, EvidenceShape, Shape


class EditShape(Shape):
    device = s.CharField(required=False)
    file = s.CharField(required=False)
    remove = s.ListField(child=s.CharField(), required=False)
    add = s.ListField(child=s.CharField(), required=False)
    path = s.CharField(required=False)
    old = s.JSONField(required=False, allow_null=True)
    new = s.JSONField(required=False, allow_null=True)
    down = s.JSONField(required=False)

    def get_fields(self) -> dict[str, Any]:
        # "context" is an attribute of every serializer.
        lines = s.ListField(child=s.CharField(), required=False)
        return {**super().get_fields(), "context": lines}


class RemedyShape(Shape):
    title = s.CharField()
    edits = EditShape(many=True)
    basis = s.CharField(allow_null=True)


class FindingShape(Shape):
    id = s.CharField()
    kind = s.CharField()
    severity = s.ChoiceField(["breaks", "risks", "notes"])
    device = s.CharField()
    interface = s.CharField(allow_null=True)
    peer = EndShape(allow_null=True)
    summary = s.CharField()
    detail = s.CharField()
    evidence = EvidenceShape(many=True)
    remedy = RemedyShape(allow_null=True)
    alternatives = RemedyShape(many=True)


class FindingsShape(Shape):
    findings = FindingShape(many=True)
