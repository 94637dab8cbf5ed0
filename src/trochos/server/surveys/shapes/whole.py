"""Answers about a whole network."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers as s

from .base import EvidenceShape, Shape
from .casework import CauseShape
from .findings import EditShape


class CountedPairsShape(Shape):
    n = s.IntegerField()
    ok = s.IntegerField()
    partly = s.IntegerField()


class ExampleShape(Shape):
    to = s.CharField()

    def get_fields(self) -> dict[str, Any]:
        return {**super().get_fields(), "from": s.CharField()}


class DeskGroupShape(Shape):
    summary = s.CharField()
    finding = s.CharField(allow_null=True)
    cause = CauseShape(allow_null=True)
    causes = CauseShape(many=True, help_text="all that are needed together")
    pairs = s.IntegerField()
    to = s.ListField(child=s.CharField())
    example = ExampleShape()
    further = s.IntegerField(help_text="pairs that need other faults mended, too")
    folded = s.BooleanField(help_text="true if it fails on purpose, as far as anybody can tell")

    def get_fields(self) -> dict[str, Any]:
        return {**super().get_fields(), "from": s.ListField(child=s.CharField())}


class TurnedShape(Shape):
    broken = s.IntegerField()
    healed = s.IntegerField()
    groups = DeskGroupShape(many=True)


class DeskShape(Shape):
    pairs = CountedPairsShape()
    groups = DeskGroupShape(many=True)
    turned = TurnedShape(allow_null=True)
    unread = s.ListField(child=s.CharField())
    doubtful = s.IntegerField()
    complete = s.BooleanField()


class OlderShape(Shape):
    id = s.IntegerField()
    title = s.CharField()


class DeskJobShape(Shape):
    id = s.IntegerField(help_text="of the answer, to stop it")
    state = s.ChoiceField(["working", "done"])
    tried = s.IntegerField()
    of = s.IntegerField()
    what = s.CharField(allow_blank=True)
    before = OlderShape(allow_null=True, help_text="the survey of the network before this one")
    answer = DeskShape(allow_null=True)


class TakenBackShape(Shape):
    complaint_works = s.BooleanField()
    heals = s.IntegerField()
    breaks = s.IntegerField()


class DifferenceShape(Shape):
    id = s.CharField()
    device = s.CharField()
    file = s.CharField()
    summary = s.CharField()
    old = EvidenceShape(many=True)
    new = EvidenceShape(many=True)
    edits = EditShape(many=True, help_text="they take it back")
    proof = TakenBackShape()


class SinceShape(Shape):
    works_then = s.ChoiceField(["yes", "no", "partly", "unknown"])
    works_now = s.ChoiceField(["yes", "no", "partly", "unknown"])
    differences = s.IntegerField()
    tried = s.IntegerField()
    guilty = DifferenceShape(many=True)
    cure = s.ListField(child=s.CharField())
    innocent = s.IntegerField()
    says = s.CharField()


class SinceJobShape(Shape):
    id = s.IntegerField(help_text="of the answer, to stop it")
    state = s.ChoiceField(["working", "done"])
    tried = s.IntegerField()
    of = s.IntegerField()
    what = s.CharField(allow_blank=True)
    answer = SinceShape(allow_null=True)


class UnreadDeviceShape(Shape):
    device = s.CharField()
    why = s.CharField()
    questions = s.IntegerField()
    decides = s.IntegerField(help_text="of them, those that hang on it alone")
    rank = s.IntegerField()
    examples = ExampleShape(many=True)


class OpenLineShape(Shape):
    device = s.CharField()
    file = s.CharField()
    line = s.IntegerField(allow_null=True)
    text = s.CharField()
    why = s.CharField()
    questions = s.IntegerField()


class UnknownsShape(Shape):
    unread = UnreadDeviceShape(many=True)
    lines = OpenLineShape(many=True)
    questions = s.IntegerField()


class UnknownsJobShape(Shape):
    id = s.IntegerField(help_text="of the answer, to stop it")
    state = s.ChoiceField(["working", "done"])
    tried = s.IntegerField()
    of = s.IntegerField()
    what = s.CharField(allow_blank=True)
    answer = UnknownsShape(allow_null=True)
