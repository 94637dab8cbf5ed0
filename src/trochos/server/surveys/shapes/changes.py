"""Changes: rehearsed, proposed, handed over, and two surveys compared."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers as s

from .base import JobShape, Shape
from .casework import QuestionShape
from .findings import EditShape
from .journeys import OnePathShape, RouteShape


class PairShape(Shape):
    source = s.CharField()  # type: ignore[assignment]
    to = s.CharField()
    device = s.CharField()

    def get_fields(self) -> dict[str, Any]:
        return {**super().get_fields(), "from": s.CharField()}


class PairsShape(Shape):
    count = s.IntegerField()
    pairs = PairShape(many=True, help_text="the first of them")


class EditedTextShape(Shape):
    device = s.CharField()
    file = s.CharField()
    text = s.CharField(trim_whitespace=False)


class RehearsalRequest(Shape):
    edits = EditShape(many=True, required=False)
    texts = EditedTextShape(many=True, required=False)
    question = QuestionShape(required=False)
    accept_unknown_lines = s.BooleanField(required=False, default=False)
    hand_over = s.BooleanField(
        required=False, default=True, help_text="false where nobody looks at the documents yet"
    )


class DiffLineShape(Shape):
    left = s.IntegerField(allow_null=True)
    right = s.IntegerField(allow_null=True)
    before = s.CharField(allow_null=True, allow_blank=True)
    after = s.CharField(allow_null=True, allow_blank=True)
    same = s.BooleanField()


class DiffShape(Shape):
    device = s.CharField()
    file = s.CharField()
    lines = DiffLineShape(many=True)


class CellShape(Shape):
    to = s.CharField()
    state = s.ChoiceField(["breaks", "heals", "moves", "gone"])
    count = s.IntegerField()

    def get_fields(self) -> dict[str, Any]:
        return {**super().get_fields(), "from": s.CharField()}


class RelationRefShape(Shape):
    protocol = s.CharField()
    family = s.CharField()
    left = s.DictField()
    right = s.DictField()


class RelationsChangedShape(Shape):
    gained = RelationRefShape(many=True)
    lost = RelationRefShape(many=True)


class HandOverShape(Shape):
    device = s.CharField()
    language = s.CharField()
    apply = s.CharField()
    back = s.CharField()
    files = s.ListField(child=s.CharField())
    unknown = s.ListField(child=s.CharField(), help_text="lines that are not understood")
    problem = s.CharField(allow_null=True, help_text="why it is not offered")


class CaseEffectShape(Shape):
    id = s.IntegerField()
    complaint = s.CharField()
    before = s.CharField()
    after = s.CharField()


class ChangedLineShape(Shape):
    device = s.CharField()
    file = s.CharField()
    line = s.IntegerField()
    text = s.CharField()


class AlongShape(Shape):
    what = s.ChoiceField(["address", "static route", "route", "neighbour"])
    device = s.CharField()
    text = s.CharField()


class RehearsalShape(Shape):
    edits = EditShape(many=True)
    heals = PairsShape()
    breaks = PairsShape()
    moves = PairsShape()
    gone = PairsShape()
    unsure = s.IntegerField(help_text="pairs that worked, of which that is not known any more")
    cells = CellShape(many=True)
    devices = s.ListField(child=s.CharField())
    routes_changed = s.IntegerField()
    neighbours = RelationsChangedShape()
    diffs = DiffShape(many=True)
    texts = EditedTextShape(many=True)
    handover = HandOverShape(many=True)
    before = OnePathShape(allow_null=True)
    after = OnePathShape(allow_null=True)
    cases = CaseEffectShape(many=True)
    not_understood = ChangedLineShape(many=True, help_text="lines of the change itself")
    along = AlongShape(many=True, help_text="what goes with it")


class RehearsalJobShape(JobShape):
    answer = RehearsalShape(allow_null=True)


class ProposalRequest(Shape):
    title = s.CharField(max_length=300)
    edits = EditShape(many=True)
    question = QuestionShape(required=False)


class ProposalShape(ProposalRequest):
    id = s.IntegerField()
    survey = s.IntegerField()
    made_at = s.DateTimeField()
    made_by = s.CharField(allow_null=True)


class RouteChangeShape(Shape):
    device = s.CharField()
    prefix = s.CharField()
    old = RouteShape(allow_null=True)
    new = RouteShape(allow_null=True)


class TextChangeShape(Shape):
    device = s.CharField(allow_null=True)
    file = s.CharField()
    diff = s.CharField()


class FactChangeShape(Shape):
    device = s.CharField()
    what = s.CharField()
    old = s.CharField(allow_null=True)
    new = s.CharField(allow_null=True)


class MissingDeviceShape(Shape):
    device = s.CharField()
    role = s.CharField()
    pairs = s.IntegerField(help_text="pairs that worked with it, of which nothing is known now")


class ComparisonShape(Shape):
    missing = MissingDeviceShape(many=True)
    note = s.CharField(allow_null=True, help_text="set if these are not surveys of one network")
    texts = TextChangeShape(many=True)
    facts = FactChangeShape(many=True)
    routes = RouteChangeShape(many=True)
    neighbours = RelationsChangedShape()
    heals = PairsShape()
    breaks = PairsShape()
    moves = PairsShape()
    unsure = s.IntegerField(help_text="pairs that worked, of which that is not known any more")


class HandedOverRequest(Shape):
    devices = s.ListField(child=s.CharField(max_length=100), min_length=1, max_length=200)
    how = s.ChoiceField(choices=("copied", "downloaded"))


class ComparisonJobShape(JobShape):
    answer = ComparisonShape(allow_null=True)
