"""What several documents are made of."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers as s

from ....core.step.verdicts import WORST_FIRST

Shape = s.Serializer[Any]
VERDICTS = sorted(WORST_FIRST)


class EvidenceShape(Shape):
    device = s.CharField()
    file = s.CharField()
    line = s.IntegerField(allow_null=True)
    text = s.CharField()
    path = s.CharField(required=False)
    default = s.BooleanField(required=False)
    missing = s.BooleanField(required=False)
    after = s.IntegerField(required=False, allow_null=True)


class EndpointShape(Shape):
    device = s.CharField(allow_null=True)
    address = s.CharField(allow_null=True)


class EndShape(Shape):
    device = s.CharField()
    interface = s.CharField()


class ErrorShape(Shape):
    detail = s.CharField()


class JobShape(Shape):
    """How far a long answer is, and the answer once it is there."""

    id = s.IntegerField(help_text="of the answer, to stop it")
    state = s.ChoiceField(["working", "done"])
    tried = s.IntegerField()
    of = s.IntegerField()
    what = s.CharField(allow_blank=True)
