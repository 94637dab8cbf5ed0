"""Answers about a whole network."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers as s

from .base import Shape
from .casework import CauseShape


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
    state = s.ChoiceField(["working", "done"])
    tried = s.IntegerField()
    of = s.IntegerField()
    what = s.CharField(allow_blank=True)
    before = OlderShape(allow_null=True, help_text="the survey of the network before this one")
    answer = DeskShape(allow_null=True)
