"""A complaint on its way: routes, hops, legs, sizes, names, the ladder."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers as s

from ....core.step.rules import STATES as RULE_STATES
from .base import VERDICTS, EndpointShape, EndShape, EvidenceShape, Shape


class NextHopShape(Shape):
    action = s.ChoiceField(["forward", "deliver", "discard", "reject"])
    address = s.CharField(allow_null=True)
    interface = s.CharField(allow_null=True)
    weight = s.IntegerField()


class LesserRouteShape(Shape):
    prefix = s.CharField()
    protocol = s.CharField()
    type = s.CharField(allow_null=True)
    distance = s.IntegerField()
    metric = s.IntegerField()
    selected = s.BooleanField()
    next_hops = NextHopShape(many=True)
    via = s.ListField(child=s.CharField())
    because = EvidenceShape(many=True)
    why = s.CharField(allow_null=True)


class RouteShape(LesserRouteShape):
    lost_to = LesserRouteShape(allow_null=True)


class ActionShape(Shape):
    do = s.ChoiceField(["wrap", "filter", "tag", "rule", "translate", "instance"])
    table = s.CharField(required=False, allow_null=True, help_text="to which a rule led")
    what = s.ChoiceField(
        ["source", "destination"], required=False, help_text="the end that is rewritten"
    )
    port = s.ListField(
        child=s.IntegerField(), required=False, allow_null=True, help_text="before and after"
    )
    to = s.CharField(required=False, help_text="the address that is put in place")
    by = EvidenceShape(required=False, help_text="the route that leads to another instance")
    vlan = s.IntegerField(required=False, help_text="of a tag")
    entry = EvidenceShape(required=False, allow_null=True, help_text="of a filter")
    result = s.ChoiceField(["permit", "drop", "reject", "unknown"], required=False)
    says = s.CharField(required=False, allow_blank=True, help_text="the entry in words")
    mode = s.CharField(required=False, help_text="of a tunnel")
    local = s.CharField(required=False)
    remote = s.CharField(required=False)
    under = s.DictField(required=False, allow_null=True, help_text="the outer leg")

    def get_fields(self) -> dict[str, Any]:
        # "from" is a word of Python, so it cannot be an attribute of the class.
        return {**super().get_fields(), "from": s.CharField(required=False)}


class AskedRuleShape(Shape):
    priority = s.IntegerField()
    called = s.CharField()
    about = s.CharField()
    table = s.CharField(allow_null=True)
    special = s.CharField(allow_null=True)
    state = s.ChoiceField(RULE_STATES)
    prefix = s.CharField(allow_null=True, help_text="of the route that it found")
    entry = EvidenceShape()


class HopShape(Shape):
    device = s.CharField()
    rules = AskedRuleShape(
        many=True, required=False, help_text="what each rule of the device did, where it has some"
    )
    route = RouteShape(allow_null=True)
    out = s.CharField(allow_null=True)
    next_hop = s.CharField(allow_null=True)
    actions = ActionShape(many=True)
    mtu = s.IntegerField(allow_null=True)
    reason = s.CharField(allow_null=True)

    def get_fields(self) -> dict[str, Any]:
        # "in" is a word of Python, so it cannot be an attribute of the class.
        return {**super().get_fields(), "in": s.CharField(allow_null=True)}


class BranchShape(Shape):
    verdict = s.ChoiceField(VERDICTS)
    reason = s.CharField()
    hops = HopShape(many=True)
    loop = s.ListField(child=s.CharField(), required=False)


class LegShape(Shape):
    verdict = s.ChoiceField(VERDICTS)
    reason = s.CharField()
    branch_count = s.IntegerField()
    branches = BranchShape(many=True)


class CaveatShape(Shape):
    device = s.CharField()
    file = s.CharField()
    line = s.IntegerField(allow_null=True)
    text = s.CharField()
    why = s.CharField()


class LargestShape(Shape):
    bytes = s.IntegerField()
    limited_by = EndShape()


class TunnelRoomShape(Shape):
    room = s.IntegerField(allow_null=True)
    overhead = s.IntegerField()


class LinkSizeShape(Shape):
    device = s.CharField()
    interface = s.CharField()
    mtu = s.IntegerField(allow_null=True)
    far = EndShape()
    far_mtu = s.IntegerField(allow_null=True)
    tunnel = TunnelRoomShape(allow_null=True)
    takes = s.IntegerField(allow_null=True)


class ProfileShape(Shape):
    links = LinkSizeShape(many=True)
    whole = s.IntegerField(allow_null=True)
    split = s.IntegerField(allow_null=True)
    limited_by = EndShape(allow_null=True)
    told = s.BooleanField(allow_null=True)


class SizesShape(Shape):
    outbound = ProfileShape(allow_null=True)

    def get_fields(self) -> dict[str, Any]:
        return {**super().get_fields(), "return": ProfileShape(allow_null=True)}


class LookedUpShape(Shape):
    asked = s.CharField()
    addresses = s.ListField(child=s.CharField())
    by = s.CharField(allow_blank=True)
    reason = s.CharField(allow_blank=True)
    evidence = EvidenceShape(many=True)


class OnePathShape(Shape):
    to = EndpointShape()
    family = s.ChoiceField(["ipv4", "ipv6"])
    works = s.ChoiceField(["yes", "no", "partly", "unknown"])
    sentence = s.CharField()
    outbound = LegShape()
    caveats = CaveatShape(many=True)
    largest = LargestShape(allow_null=True)
    sizes = SizesShape()
    name = LookedUpShape(required=False)
    failing_sources = s.ListField(
        child=s.CharField(), help_text="where it works: the sender's other addresses that fail"
    )

    def get_fields(self) -> dict[str, Any]:
        return {
            **super().get_fields(),
            "from": EndpointShape(),
            "return": LegShape(allow_null=True),
        }


class ServiceShape(Shape):
    protocol = s.CharField()
    port = s.IntegerField(allow_null=True)
    text = s.CharField(allow_blank=True, help_text="as it is written here; empty for a ping")


class PathShape(OnePathShape):
    touching = s.ListField(child=s.CharField(), help_text="ids of findings that bear on it")
    also = OnePathShape(required=False)


class SourceAddressShape(Shape):
    address = s.CharField()
    interface = s.CharField()
    chosen = s.BooleanField()
    works = s.ChoiceField(["yes", "no", "partly", "unknown"])
    sentence = s.CharField()


class SourceAddressesShape(Shape):
    sources = SourceAddressShape(many=True)


class RungShape(Shape):
    what = s.CharField()
    target = s.CharField()
    verdict = s.ChoiceField(VERDICTS)
    reason = s.CharField()


class LadderShape(Shape):
    rungs = RungShape(many=True)
    first_failing = s.IntegerField(allow_null=True)


class ReachSummaryShape(Shape):
    pairs = s.IntegerField()
    ok = s.IntegerField()
    partly = s.IntegerField()
    outbound = s.DictField(child=s.IntegerField())
