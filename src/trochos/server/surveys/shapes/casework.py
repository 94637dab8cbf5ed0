"""Cases and their causes."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers as s

from .base import EvidenceShape, JobShape, Shape
from .findings import FindingShape, RemedyShape


class CaseRequest(Shape):
    complaint = s.CharField(max_length=300)
    reporter = s.CharField(max_length=100, required=False, allow_blank=True)
    sender = s.CharField(max_length=200)
    receiver = s.CharField(max_length=200)
    source = s.CharField(  # type: ignore[assignment]
        max_length=100, required=False, allow_blank=True
    )
    protocol = s.ChoiceField(["icmp", "tcp", "udp"], default="icmp")
    port = s.IntegerField(required=False, allow_null=True, min_value=1, max_value=65535)
    size = s.IntegerField(required=False, default=0, min_value=0, max_value=65535)
    dont_fragment = s.BooleanField(required=False, default=False)


class CaseStepShape(Shape):
    step = s.CharField()
    text = s.CharField(allow_blank=True)
    at = s.DateTimeField()
    by = s.CharField(allow_null=True)


class NamedCauseShape(Shape):
    id = s.CharField()
    kind = s.CharField()
    device = s.CharField()
    summary = s.CharField()
    evidence = EvidenceShape(many=True)


CASE_STATES = [
    "reported",
    "confirmed",
    "not-reproduced",
    "cause-found",
    "remedy-proposed",
    "verified",
    "closed-unverified",
]


class OpenedOnShape(Shape):
    """The older survey on which a case was opened."""

    id = s.IntegerField()
    title = s.CharField()
    works = s.ChoiceField(["yes", "no", "partly", "unknown"], allow_null=True)


class CaseShape(CaseRequest):
    id = s.IntegerField()
    opened_on = OpenedOnShape(
        allow_null=True, help_text="null where the case was opened on the survey that is asked"
    )
    state = s.ChoiceField(CASE_STATES)
    cause = NamedCauseShape(allow_null=True)
    same_cause = s.ListField(child=s.IntegerField(), help_text="other cases of this cause")
    proposal = s.IntegerField(allow_null=True)
    verified_on = s.IntegerField(allow_null=True)
    steps = CaseStepShape(many=True)
    survey = s.IntegerField()
    opened_at = s.DateTimeField()
    opened_by = s.CharField(allow_null=True)
    works = s.ChoiceField(["yes", "no", "partly", "unknown"])
    sentence = s.CharField()


class CaseListShape(Shape):
    cases = CaseShape(many=True)


class StepRequest(Shape):
    step = s.ChoiceField(
        ["confirm", "not-reproduced", "cause", "propose", "verify", "close", "reopen", "note"]
    )
    text = s.CharField(required=False, allow_blank=True, max_length=4000)
    finding = s.CharField(required=False, help_text="the cause's id, for cause")
    proposal = s.IntegerField(required=False, help_text="for propose")
    survey = s.IntegerField(required=False, help_text="the newer survey, for verify")


class KeptSoShape(Shape):
    name = s.CharField()
    added = s.BooleanField(help_text="false if the list had it already")


class ProofShape(Shape):
    complaint_works = s.BooleanField()
    heals = s.IntegerField()
    breaks = s.IntegerField()
    moves = s.IntegerField()


class AlternativeShape(RemedyShape):
    proof = ProofShape(allow_null=True, help_text="null if it was not tried")


class CauseShape(FindingShape):
    rank = s.IntegerField()
    before = s.CharField(allow_null=True, help_text="what the survey before says of its remedy")
    certainty = s.ChoiceField(["proven", "likely"])
    proof = ProofShape()
    alternatives = AlternativeShape(many=True)  # type: ignore[assignment]


class DiagnosisAnswerShape(Shape):
    works = s.ChoiceField(["yes", "no", "partly", "unknown"])
    says = s.CharField()
    complete = s.BooleanField()
    tried = s.IntegerField()
    cure = s.ListField(child=s.CharField())
    causes = CauseShape(many=True)


class DiagnosisShape(JobShape):
    answer = DiagnosisAnswerShape(allow_null=True)


class ProbedHopShape(Shape):
    hop = s.IntegerField()
    computed = s.ListField(child=s.CharField())
    answered = s.CharField(allow_null=True)
    device = s.CharField(allow_null=True)
    state = s.ChoiceField(["same", "silent", "stops", "branch", "elsewhere", "stranger", "more"])


class ProbeShape(Shape):
    device = s.CharField()
    target = s.CharField()
    taken = s.CharField(allow_null=True)
    sent = s.IntegerField()
    received = s.IntegerField()
    agrees = s.BooleanField()
    says = s.CharField()
    traced = s.BooleanField()
    hops = ProbedHopShape(many=True)


class SurveyNameShape(Shape):
    id = s.IntegerField()
    title = s.CharField()


class SeenShape(ProbeShape):
    """One output that somebody pasted, beside the computed way."""

    tool = s.ChoiceField(["ping", "traceroute", "tracepath", "mtr"])
    sender = s.CharField(allow_null=True, help_text="the machine that the text names")
    reverse = s.BooleanField(help_text="asked from the other end of the complaint")
    mtu = s.IntegerField(allow_null=True)
    fits = SurveyNameShape(allow_null=True, help_text="another survey whose computed way it is")


class UnreadLineShape(Shape):
    line = s.IntegerField()
    text = s.CharField()


class PastedShape(Shape):
    id = s.IntegerField(allow_null=True)
    name = s.CharField(allow_blank=True)
    at = s.DateTimeField(allow_null=True)
    by = s.CharField(allow_null=True)
    text = s.CharField(help_text="as it was pasted; what looked like a secret is masked")
    outputs = SeenShape(many=True)
    unread = UnreadLineShape(many=True)


class PastedListShape(Shape):
    evidence = PastedShape(many=True)


class PastedRequest(Shape):
    text = s.CharField(max_length=65536, trim_whitespace=False)
    name = s.CharField(max_length=200, required=False, allow_blank=True)


class QuestionShape(Shape):
    to = s.CharField(required=False)
    source = s.CharField(required=False)  # type: ignore[assignment]
    protocol = s.ChoiceField(["icmp", "tcp", "udp"], required=False)
    port = s.IntegerField(required=False)
    size = s.IntegerField(required=False)
    dont_fragment = s.BooleanField(required=False)

    def get_fields(self) -> dict[str, Any]:
        return {**super().get_fields(), "from": s.CharField(required=False)}


class ReportShape(Shape):
    title = s.CharField()
    markdown = s.CharField()
