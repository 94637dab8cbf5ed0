"""The shapes of the API's answers, as serializers: they describe, the core fills.

The documents themselves come from the core exactly as the command line prints them;
these classes exist so that the OpenAPI document, and the client made from it, know them.
"""

from __future__ import annotations

from typing import Any

from rest_framework import serializers as s

from ...core.forwarding.verdicts import WORST_FIRST

_Shape = s.Serializer[Any]
VERDICTS = sorted(WORST_FIRST)


class EvidenceShape(_Shape):
    device = s.CharField()
    file = s.CharField()
    line = s.IntegerField(allow_null=True)
    text = s.CharField()
    path = s.CharField(required=False)
    default = s.BooleanField(required=False)
    missing = s.BooleanField(required=False)
    after = s.IntegerField(required=False, allow_null=True)


class NextHopShape(_Shape):
    action = s.ChoiceField(["forward", "deliver", "discard", "reject"])
    address = s.CharField(allow_null=True)
    interface = s.CharField(allow_null=True)
    weight = s.IntegerField()


class LesserRouteShape(_Shape):
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


class ActionShape(_Shape):
    do = s.ChoiceField(["wrap", "filter", "tag"])
    vlan = s.IntegerField(required=False, help_text="of a tag")
    entry = EvidenceShape(required=False, allow_null=True, help_text="of a filter")
    result = s.ChoiceField(["permit", "drop", "reject", "unknown"], required=False)
    says = s.CharField(required=False, allow_blank=True, help_text="the entry in words")
    mode = s.CharField(required=False, help_text="of a tunnel")
    local = s.CharField(required=False)
    remote = s.CharField(required=False)
    under = s.DictField(required=False, allow_null=True, help_text="the outer leg")


class HopShape(_Shape):
    device = s.CharField()
    route = RouteShape(allow_null=True)
    out = s.CharField(allow_null=True)
    next_hop = s.CharField(allow_null=True)
    actions = ActionShape(many=True)
    mtu = s.IntegerField(allow_null=True)
    reason = s.CharField(allow_null=True)

    def get_fields(self) -> dict[str, Any]:
        # "in" is a word of Python, so it cannot be an attribute of the class.
        return {**super().get_fields(), "in": s.CharField(allow_null=True)}


class BranchShape(_Shape):
    verdict = s.ChoiceField(VERDICTS)
    reason = s.CharField()
    hops = HopShape(many=True)
    loop = s.ListField(child=s.CharField(), required=False)


class LegShape(_Shape):
    verdict = s.ChoiceField(VERDICTS)
    reason = s.CharField()
    branch_count = s.IntegerField()
    branches = BranchShape(many=True)


class EndpointShape(_Shape):
    device = s.CharField(allow_null=True)
    address = s.CharField(allow_null=True)


class CaveatShape(_Shape):
    device = s.CharField()
    file = s.CharField()
    line = s.IntegerField(allow_null=True)
    text = s.CharField()
    why = s.CharField()


class EndShape(_Shape):
    device = s.CharField()
    interface = s.CharField()


class LargestShape(_Shape):
    bytes = s.IntegerField()
    limited_by = EndShape()


class TunnelRoomShape(_Shape):
    room = s.IntegerField(allow_null=True)
    overhead = s.IntegerField()


class LinkSizeShape(_Shape):
    device = s.CharField()
    interface = s.CharField()
    mtu = s.IntegerField(allow_null=True)
    far = EndShape()
    far_mtu = s.IntegerField(allow_null=True)
    tunnel = TunnelRoomShape(allow_null=True)
    takes = s.IntegerField(allow_null=True)


class ProfileShape(_Shape):
    links = LinkSizeShape(many=True)
    whole = s.IntegerField(allow_null=True)
    split = s.IntegerField(allow_null=True)
    limited_by = EndShape(allow_null=True)
    told = s.BooleanField(allow_null=True)


class SizesShape(_Shape):
    outbound = ProfileShape(allow_null=True)

    def get_fields(self) -> dict[str, Any]:
        return {**super().get_fields(), "return": ProfileShape(allow_null=True)}


class LookedUpShape(_Shape):
    asked = s.CharField()
    addresses = s.ListField(child=s.CharField())
    by = s.CharField(allow_blank=True)
    reason = s.CharField(allow_blank=True)
    evidence = EvidenceShape(many=True)


class OnePathShape(_Shape):
    to = EndpointShape()
    family = s.ChoiceField(["ipv4", "ipv6"])
    works = s.ChoiceField(["yes", "no", "partly", "unknown"])
    sentence = s.CharField()
    outbound = LegShape()
    caveats = CaveatShape(many=True)
    largest = LargestShape(allow_null=True)
    sizes = SizesShape()
    name = LookedUpShape(required=False)

    def get_fields(self) -> dict[str, Any]:
        return {
            **super().get_fields(),
            "from": EndpointShape(),
            "return": LegShape(allow_null=True),
        }


class PathShape(OnePathShape):
    touching = s.ListField(child=s.CharField(), help_text="ids of findings that bear on it")
    also = OnePathShape(required=False)


class EditShape(_Shape):
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


class RemedyShape(_Shape):
    title = s.CharField()
    edits = EditShape(many=True)


class FindingShape(_Shape):
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


class FindingsShape(_Shape):
    findings = FindingShape(many=True)


class SideShape(_Shape):
    device = s.CharField()
    interface = s.CharField(allow_null=True)
    address = s.CharField(allow_null=True)
    state = s.CharField()
    expected = s.CharField()


class NeighbourGateShape(_Shape):
    gate = s.CharField()
    left = s.CharField(allow_null=True)
    right = s.CharField(allow_null=True)
    holds = s.BooleanField()
    stops = s.ChoiceField(["neighbour", "routes", "nothing"])
    evidence = EvidenceShape(many=True)


class RelationShape(_Shape):
    protocol = s.ChoiceField(["ospf", "rip", "eigrp", "bgp"])
    family = s.ChoiceField(["ipv4", "ipv6"])
    left = SideShape()
    right = SideShape()
    works = s.BooleanField()
    gates = NeighbourGateShape(many=True)
    first_failing = s.CharField(allow_null=True)


class RelationsShape(_Shape):
    pairs = RelationShape(many=True)


class UnknownLineShape(_Shape):
    line = s.IntegerField()
    text = s.CharField()
    matters = s.BooleanField()
    why = s.CharField(required=False)


class FileReportShape(_Shape):
    device = s.CharField(allow_null=True)
    file = s.CharField()
    kind = s.CharField()
    lines = s.IntegerField()
    understood = s.IntegerField()
    irrelevant = s.IntegerField()
    unknown = UnknownLineShape(many=True)
    note = s.CharField(required=False)


class ReadingShape(_Shape):
    reading = FileReportShape(many=True)


class SeverityCountShape(_Shape):
    breaks = s.IntegerField()
    risks = s.IntegerField()
    notes = s.IntegerField()


class SurveyShape(_Shape):
    id = s.IntegerField()
    title = s.CharField()
    taken_at = s.DateTimeField(allow_null=True)
    stored_at = s.DateTimeField()
    stored_by = s.CharField(allow_null=True)
    devices = s.IntegerField()
    unread = s.IntegerField()
    files = s.IntegerField()
    open_lines = s.IntegerField()
    findings = SeverityCountShape()
    cases = s.IntegerField()


class SurveyListShape(_Shape):
    surveys = SurveyShape(many=True)


class UploadRequest(_Shape):
    files = s.ListField(child=s.FileField(), help_text="files, or one archive")
    paths = s.ListField(
        child=s.CharField(), required=False, help_text="the path of each file, in the same order"
    )
    title = s.CharField(required=False, allow_blank=True, max_length=200)


class NameShape(_Shape):
    device = s.CharField()
    role = s.CharField()
    addresses = s.ListField(child=s.CharField())


class NamesShape(_Shape):
    names = NameShape(many=True)


class AddressShape(_Shape):
    value = s.CharField()
    evidence = EvidenceShape()
    captured = s.BooleanField()


class InterfaceShape(_Shape):
    name = s.CharField()
    description = s.CharField(allow_null=True)
    enabled = s.BooleanField()
    up = s.BooleanField()
    why_down = s.CharField(allow_null=True)
    loopback = s.BooleanField()
    addresses = AddressShape(many=True)
    mtu = s.IntegerField(allow_null=True)
    mac = s.CharField(allow_null=True)
    connects_to = EndShape(many=True)
    lan = s.CharField(allow_null=True)
    evidence = EvidenceShape(allow_null=True)


class DeviceSummaryShape(_Shape):
    name = s.CharField()
    role = s.CharField()
    profile = s.CharField()
    interfaces = s.IntegerField()
    interfaces_down = s.IntegerField()
    routes = s.IntegerField()
    unused_routes = s.IntegerField()
    open_lines = s.IntegerField()
    findings = SeverityCountShape()


class DeviceListShape(_Shape):
    devices = DeviceSummaryShape(many=True)


class GatheredRouteShape(_Shape):
    prefix = s.CharField()
    protocol = s.CharField()
    selected = s.BooleanField()
    next_hops = NextHopShape(many=True)


class ComparedRouteShape(_Shape):
    prefix = s.CharField()
    state = s.ChoiceField(["same", "different", "missing", "extra"])
    computed = RouteShape(allow_null=True)
    gathered = GatheredRouteShape(allow_null=True)


class FamilyTableShape(_Shape):
    routes = RouteShape(many=True)
    gathered = s.BooleanField(help_text="true if the device gave its own table of this family")
    compared = ComparedRouteShape(many=True)


class UncertainShape(_Shape):
    evidence = EvidenceShape()
    why = s.CharField()
    interface = s.CharField(allow_null=True)


class DeviceShape(_Shape):
    name = s.CharField()
    role = s.CharField()
    profile = s.CharField()
    hostname = s.CharField(allow_null=True)
    interfaces = InterfaceShape(many=True)
    ipv4 = FamilyTableShape()
    ipv6 = FamilyTableShape()
    files = FileReportShape(many=True)
    main_file = s.CharField(allow_null=True)
    uncertain = UncertainShape(many=True)
    findings = FindingShape(many=True)


class SourceShape(_Shape):
    device = s.CharField()
    file = s.CharField()
    kind = s.CharField()
    lines = s.ListField(child=s.CharField(allow_blank=True))
    unknown = UnknownLineShape(many=True)


class ChainStepShape(_Shape):
    device = s.CharField()
    says = s.CharField()
    evidence = EvidenceShape(many=True)


class WhyOneShape(_Shape):
    device = s.CharField()
    prefix = s.CharField()
    present = s.BooleanField()
    chain = ChainStepShape(many=True)


class WhyShape(_Shape):
    why = WhyOneShape(many=True)


class CandidateShape(_Shape):
    route = RouteShape()
    state = s.ChoiceField(["wins", "shorter", "loses", "unusable"])
    says = s.CharField()


class DecisionShape(_Shape):
    device = s.CharField()
    target = s.CharField()
    own = s.BooleanField()
    forwards = s.BooleanField()
    candidates = CandidateShape(many=True)
    uncertain = s.CharField(allow_null=True, help_text="what could overrule all of this")
    missing = WhyOneShape(allow_null=True)


class GateShape(_Shape):
    gate = s.CharField()
    left = s.CharField(allow_null=True)
    right = s.CharField(allow_null=True)
    holds = s.BooleanField(allow_null=True)
    stops = s.CharField()
    evidence = EvidenceShape(many=True)


class EndsShape(_Shape):
    left = EndShape()
    right = EndShape(allow_null=True)
    lan = s.CharField(allow_null=True)
    others = EndShape(many=True)
    wired = s.BooleanField()
    reason = s.CharField()
    gates = GateShape(many=True)
    first_failing = s.CharField(allow_null=True)


class SourceAddressShape(_Shape):
    address = s.CharField()
    interface = s.CharField()
    chosen = s.BooleanField()
    works = s.ChoiceField(["yes", "no", "partly", "unknown"])
    sentence = s.CharField()


class SourceAddressesShape(_Shape):
    sources = SourceAddressShape(many=True)


class RungShape(_Shape):
    what = s.CharField()
    target = s.CharField()
    verdict = s.ChoiceField(VERDICTS)
    reason = s.CharField()


class LadderShape(_Shape):
    rungs = RungShape(many=True)
    first_failing = s.IntegerField(allow_null=True)


class MapNodeShape(_Shape):
    name = s.CharField()
    role = s.CharField()
    breaks = s.IntegerField()


class MapEndShape(EndShape):
    up = s.BooleanField()
    addresses = s.ListField(child=s.CharField())


class MapLinkShape(_Shape):
    lan = s.CharField(allow_null=True)
    up = s.BooleanField()
    why_down = s.CharField(allow_null=True)
    inferred = s.BooleanField()
    reason = s.CharField()
    ends = MapEndShape(many=True)


class MapShape(_Shape):
    nodes = MapNodeShape(many=True)
    links = MapLinkShape(many=True)


class ReachSummaryShape(_Shape):
    pairs = s.IntegerField()
    ok = s.IntegerField()
    partly = s.IntegerField()
    outbound = s.DictField(child=s.IntegerField())


class CaseRequest(_Shape):
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


class CaseStepShape(_Shape):
    step = s.CharField()
    text = s.CharField(allow_blank=True)
    at = s.DateTimeField()
    by = s.CharField(allow_null=True)


class NamedCauseShape(_Shape):
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


class CaseShape(CaseRequest):
    id = s.IntegerField()
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


class CaseListShape(_Shape):
    cases = CaseShape(many=True)


class ErrorShape(_Shape):
    detail = s.CharField()


class StepRequest(_Shape):
    step = s.ChoiceField(
        ["confirm", "not-reproduced", "cause", "propose", "verify", "close", "reopen", "note"]
    )
    text = s.CharField(required=False, allow_blank=True, max_length=4000)
    finding = s.CharField(required=False, help_text="the cause's id, for cause")
    proposal = s.IntegerField(required=False, help_text="for propose")
    survey = s.IntegerField(required=False, help_text="the newer survey, for verify")


class ProofShape(_Shape):
    complaint_works = s.BooleanField()
    heals = s.IntegerField()
    breaks = s.IntegerField()
    moves = s.IntegerField()


class AlternativeShape(RemedyShape):
    proof = ProofShape(allow_null=True, help_text="null if it was not tried")


class CauseShape(FindingShape):
    rank = s.IntegerField()
    certainty = s.ChoiceField(["proven", "likely"])
    proof = ProofShape()
    alternatives = AlternativeShape(many=True)  # type: ignore[assignment]


class DiagnosisAnswerShape(_Shape):
    works = s.ChoiceField(["yes", "no", "partly", "unknown"])
    says = s.CharField()
    complete = s.BooleanField()
    tried = s.IntegerField()
    cure = s.ListField(child=s.CharField())
    causes = CauseShape(many=True)


class DiagnosisShape(_Shape):
    state = s.ChoiceField(["working", "done"])
    tried = s.IntegerField()
    of = s.IntegerField()
    what = s.CharField(allow_blank=True)
    answer = DiagnosisAnswerShape(allow_null=True)


class PairShape(_Shape):
    source = s.CharField()  # type: ignore[assignment]
    to = s.CharField()
    device = s.CharField()

    def get_fields(self) -> dict[str, Any]:
        return {**super().get_fields(), "from": s.CharField()}


class PairsShape(_Shape):
    count = s.IntegerField()
    pairs = PairShape(many=True, help_text="the first of them")


class EditedTextShape(_Shape):
    device = s.CharField()
    file = s.CharField()
    text = s.CharField(trim_whitespace=False)


class QuestionShape(_Shape):
    to = s.CharField(required=False)
    source = s.CharField(required=False)  # type: ignore[assignment]
    protocol = s.CharField(required=False)
    port = s.IntegerField(required=False)

    def get_fields(self) -> dict[str, Any]:
        return {**super().get_fields(), "from": s.CharField(required=False)}


class RehearsalRequest(_Shape):
    edits = EditShape(many=True, required=False)
    texts = EditedTextShape(many=True, required=False)
    question = QuestionShape(required=False)


class DiffLineShape(_Shape):
    left = s.IntegerField(allow_null=True)
    right = s.IntegerField(allow_null=True)
    before = s.CharField(allow_null=True, allow_blank=True)
    after = s.CharField(allow_null=True, allow_blank=True)
    same = s.BooleanField()


class DiffShape(_Shape):
    device = s.CharField()
    file = s.CharField()
    lines = DiffLineShape(many=True)


class CellShape(_Shape):
    to = s.CharField()
    state = s.ChoiceField(["breaks", "heals", "moves", "gone"])
    count = s.IntegerField()

    def get_fields(self) -> dict[str, Any]:
        return {**super().get_fields(), "from": s.CharField()}


class RelationRefShape(_Shape):
    protocol = s.CharField()
    family = s.CharField()
    left = s.DictField()
    right = s.DictField()


class RelationsChangedShape(_Shape):
    gained = RelationRefShape(many=True)
    lost = RelationRefShape(many=True)


class HandOverShape(_Shape):
    device = s.CharField()
    language = s.CharField()
    apply = s.CharField()
    back = s.CharField()
    files = s.ListField(child=s.CharField())


class CaseEffectShape(_Shape):
    id = s.IntegerField()
    complaint = s.CharField()
    before = s.CharField()
    after = s.CharField()


class RehearsalShape(_Shape):
    edits = EditShape(many=True)
    heals = PairsShape()
    breaks = PairsShape()
    moves = PairsShape()
    gone = PairsShape()
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


class ProposalRequest(_Shape):
    title = s.CharField(max_length=300)
    edits = EditShape(many=True)
    question = QuestionShape(required=False)


class ProposalShape(ProposalRequest):
    id = s.IntegerField()
    survey = s.IntegerField()
    made_at = s.DateTimeField()
    made_by = s.CharField(allow_null=True)


class ReportShape(_Shape):
    title = s.CharField()
    markdown = s.CharField()


class RouteChangeShape(_Shape):
    device = s.CharField()
    prefix = s.CharField()
    old = RouteShape(allow_null=True)
    new = RouteShape(allow_null=True)


class TextChangeShape(_Shape):
    device = s.CharField(allow_null=True)
    file = s.CharField()
    diff = s.CharField()


class ComparisonShape(_Shape):
    texts = TextChangeShape(many=True)
    routes = RouteChangeShape(many=True)
    neighbours = RelationsChangedShape()
    heals = PairsShape()
    breaks = PairsShape()
    moves = PairsShape()
