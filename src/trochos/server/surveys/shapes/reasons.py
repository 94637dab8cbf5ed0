"""Why: neighbour relations, decisions, ends of links, chains of announcements."""

from __future__ import annotations

from rest_framework import serializers as s

from ....core.network import claims
from .base import EndShape, EvidenceShape, Shape
from .journeys import RouteShape


class SideShape(Shape):
    device = s.CharField()
    interface = s.CharField(allow_null=True)
    address = s.CharField(allow_null=True)
    state = s.CharField()
    expected = s.CharField()


class NeighbourGateShape(Shape):
    gate = s.CharField()
    left = s.CharField(allow_null=True)
    right = s.CharField(allow_null=True)
    holds = s.BooleanField(allow_null=True)
    stops = s.ChoiceField(["neighbour", "routes", "nothing"])
    evidence = EvidenceShape(many=True)


class RelationShape(Shape):
    protocol = s.CharField()  # one of those that the session lists
    family = s.ChoiceField(["ipv4", "ipv6"])
    left = SideShape()
    right = SideShape()
    works = s.BooleanField()
    gates = NeighbourGateShape(many=True)
    first_failing = s.CharField(allow_null=True)


class RelationsShape(Shape):
    pairs = RelationShape(many=True)


class ClaimShape(Shape):
    """What a step claims; the manual's page of claims says what each kind means."""

    kind = s.ChoiceField(list(claims.KINDS))
    device = s.CharField()
    prefix = s.CharField(required=False)
    of = s.CharField(required=False)
    into = s.CharField(required=False)
    by = s.CharField(required=False)


class ChainStepShape(Shape):
    device = s.CharField()
    says = s.CharField()
    evidence = EvidenceShape(many=True)
    claim = ClaimShape()


class WhyOneShape(Shape):
    device = s.CharField()
    prefix = s.CharField()
    present = s.BooleanField()
    chain = ChainStepShape(many=True)


class WhyShape(Shape):
    why = WhyOneShape(many=True)


class CandidateShape(Shape):
    route = RouteShape()
    state = s.ChoiceField(["wins", "shorter", "loses", "unusable"])
    says = s.CharField()


class DecisionShape(Shape):
    device = s.CharField()
    target = s.CharField()
    own = s.BooleanField()
    forwards = s.BooleanField()
    candidates = CandidateShape(many=True)
    uncertain = s.CharField(allow_null=True, help_text="what could overrule all of this")
    ruled = s.BooleanField(help_text="rules choose the table: the journey says which")
    missing = WhyOneShape(allow_null=True)


class GateShape(Shape):
    gate = s.CharField()
    left = s.CharField(allow_null=True)
    right = s.CharField(allow_null=True)
    holds = s.BooleanField(allow_null=True)
    stops = s.CharField()
    evidence = EvidenceShape(many=True)


class EndsShape(Shape):
    left = EndShape()
    right = EndShape(allow_null=True)
    lan = s.CharField(allow_null=True)
    others = EndShape(many=True)
    wired = s.BooleanField()
    reason = s.CharField()
    gates = GateShape(many=True)
    first_failing = s.CharField(allow_null=True)
