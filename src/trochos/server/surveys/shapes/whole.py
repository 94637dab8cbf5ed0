"""Answers about a whole network."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers as s

from .base import EvidenceShape, JobShape, Shape
from .casework import CauseShape
from .changes import PairShape
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
    unsure = s.IntegerField(help_text="pairs that then end at what could not be read")
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


class DeskJobShape(JobShape):
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


class SinceJobShape(JobShape):
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


class OrderRequest(Shape):
    edits = s.ListField(child=s.DictField(), required=False)
    texts = s.ListField(child=s.DictField(), required=False)
    host = s.CharField(required=False, allow_blank=True, max_length=200)


class OrderStepShape(Shape):
    device = s.CharField()
    edits = EditShape(many=True)
    cuts = s.IntegerField()
    unsure = s.IntegerField(help_text="pairs of which it is not known whether they work then")
    examples = PairShape(many=True)
    unreached = s.ListField(child=s.CharField(), help_text="devices out of the host's reach")


class OrderShape(Shape):
    safe = s.BooleanField()
    exact = s.BooleanField(help_text="true if no order cuts less")
    steps = OrderStepShape(many=True)
    tried = s.IntegerField()
    says = s.CharField()


class OrderJobShape(JobShape):
    answer = OrderShape(allow_null=True)


class FailureShape(Shape):
    down = s.DictField(help_text="a device, or a link with its known ends")
    cuts = s.IntegerField()
    moves = s.IntegerField()
    gone = s.IntegerField()
    examples = PairShape(many=True)
    expectations = s.ListField(child=s.CharField())


class BaselineShape(Shape):
    pairs = s.IntegerField()
    ok = s.IntegerField()


class SweepShape(Shape):
    baseline = BaselineShape()
    failures = FailureShape(many=True)
    tried = s.IntegerField()
    of = s.IntegerField()
    threads = s.IntegerField(help_text="how many of them cut something")


class SweepJobShape(JobShape):
    answer = SweepShape(allow_null=True)


class ExpectationResultShape(Shape):
    name = s.CharField()
    holds = s.BooleanField()
    reason = s.CharField()
    to = s.CharField()
    service = s.CharField(allow_blank=True)

    def get_fields(self) -> dict[str, Any]:
        return {**super().get_fields(), "from": s.CharField()}


class AuditAnswerShape(Shape):
    results = ExpectationResultShape(many=True)


class HeldShape(Shape):
    survey = s.IntegerField()
    title = s.CharField()
    taken_at = s.DateTimeField(allow_null=True)
    holds = s.BooleanField(allow_null=True, help_text="null if it was not checked there")


class HistoryShape(Shape):
    name = s.CharField()
    marks = HeldShape(many=True)


class ExpectationsShape(Shape):
    text = s.CharField(allow_blank=True, help_text="the list, in YAML")
    of = s.ChoiceField(["network", "survey"], allow_null=True, help_text="where the list is from")
    network = s.CharField()
    changed_at = s.DateTimeField(allow_null=True)
    changed_by = s.CharField(allow_null=True)
    id = s.IntegerField(allow_null=True, help_text="of the answer, to stop it")
    state = s.ChoiceField(["none", "working", "done"])
    tried = s.IntegerField()
    total = s.IntegerField()
    what = s.CharField(allow_blank=True)
    answer = AuditAnswerShape(allow_null=True)
    history = HistoryShape(many=True)


class ExpectationsRequest(Shape):
    text = s.CharField(allow_blank=True, max_length=200000, trim_whitespace=False)


class SuggestedShape(Shape):
    text = s.CharField(allow_blank=True)


class SuggestedJobShape(JobShape):
    answer = SuggestedShape(allow_null=True)


class UnknownsJobShape(JobShape):
    answer = UnknownsShape(allow_null=True)
