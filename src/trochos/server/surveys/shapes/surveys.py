"""What was stored and read: surveys, devices, sources, the map."""

from __future__ import annotations

from rest_framework import serializers as s

from .base import EndShape, EvidenceShape, Shape
from .findings import FindingShape
from .journeys import NextHopShape, RouteShape


class UnknownLineShape(Shape):
    line = s.IntegerField()
    text = s.CharField()
    matters = s.BooleanField()
    why = s.CharField(required=False)


class AbbreviatedShape(Shape):
    line = s.IntegerField()
    text = s.CharField()
    read_as = s.CharField()


class FileReportShape(Shape):
    device = s.CharField(allow_null=True)
    file = s.CharField()
    kind = s.CharField()
    lines = s.IntegerField()
    understood = s.IntegerField()
    irrelevant = s.IntegerField()
    unknown = UnknownLineShape(many=True)
    abbreviated = AbbreviatedShape(many=True, required=False)
    note = s.CharField(required=False)


class UndescribedShape(Shape):
    name = s.CharField()
    role = s.ChoiceField(["lan", "unread"], help_text="what it is taken for")
    said = s.CharField(allow_null=True, help_text="what a person said that it is")
    why = s.CharField()
    ends = EndShape(many=True)
    expected = s.BooleanField()


class ReadingShape(Shape):
    reading = FileReportShape(many=True)
    nodes = UndescribedShape(many=True, help_text="nodes of the wiring that no folder describes")


class NetworkShape(Shape):
    name = s.CharField()
    surveys = s.IntegerField()
    expected = s.ListField(child=s.CharField())


class NetworksShape(Shape):
    networks = NetworkShape(many=True)


class SeverityCountShape(Shape):
    breaks = s.IntegerField()
    risks = s.IntegerField()
    notes = s.IntegerField()


class SurveyShape(Shape):
    id = s.IntegerField()
    title = s.CharField()
    network = s.CharField()
    taken_at = s.DateTimeField(allow_null=True)
    stored_at = s.DateTimeField()
    stored_by = s.CharField(allow_null=True)
    devices = s.IntegerField()
    unread = s.IntegerField()
    files = s.IntegerField()
    open_lines = s.IntegerField()
    findings = SeverityCountShape()
    counted = s.BooleanField(help_text="false until a worker has found what is wrong in it")
    cases = s.IntegerField()
    pinned = s.BooleanField()
    gathered = s.BooleanField(help_text="true if it was gathered from live devices")


class IncomingShape(Shape):
    """An upload that is being read, or was."""

    id = s.IntegerField(help_text="under which to ask what became of it")
    state = s.ChoiceField(["working", "done"])
    survey = SurveyShape(allow_null=True)
    read = s.IntegerField(help_text="how many files were read so far")
    of = s.IntegerField(help_text="how many there are, archives opened; 0 until that is known")


class CorrectionRequest(Shape):
    pinned = s.BooleanField(required=False)
    title = s.CharField(required=False, max_length=200)
    network = s.CharField(required=False, max_length=200)
    taken_at = s.DateTimeField(required=False, allow_null=True)
    roles = s.DictField(
        child=s.ChoiceField(["lan", "router", "host", "switch"], allow_blank=True),
        required=False,
        help_text="node -> what it is; empty takes back what was said",
    )
    expected = s.ListField(child=s.CharField(max_length=200), required=False)


class SurveyListShape(Shape):
    surveys = SurveyShape(many=True)


class UploadRequest(Shape):
    files = s.ListField(child=s.FileField(), help_text="files, or one archive")
    paths = s.ListField(
        child=s.CharField(), required=False, help_text="the path of each file, in the same order"
    )
    title = s.CharField(required=False, allow_blank=True, max_length=200)
    network = s.CharField(required=False, allow_blank=True, max_length=200)
    taken_at = s.CharField(required=False, allow_blank=True)


class NameShape(Shape):
    device = s.CharField()
    role = s.CharField()
    addresses = s.ListField(child=s.CharField())


class NamesShape(Shape):
    names = NameShape(many=True)


class AddressShape(Shape):
    value = s.CharField()
    evidence = EvidenceShape()
    captured = s.BooleanField()


class InterfaceShape(Shape):
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


class DeviceSummaryShape(Shape):
    name = s.CharField()
    role = s.CharField()
    profile = s.CharField()
    interfaces = s.IntegerField()
    interfaces_down = s.IntegerField()
    routes = s.IntegerField()
    unused_routes = s.IntegerField()
    open_lines = s.IntegerField()
    findings = SeverityCountShape()


class DeviceListShape(Shape):
    devices = DeviceSummaryShape(many=True)


class GatheredRouteShape(Shape):
    prefix = s.CharField()
    protocol = s.CharField()
    selected = s.BooleanField()
    next_hops = NextHopShape(many=True)


class ComparedRouteShape(Shape):
    prefix = s.CharField()
    state = s.ChoiceField(["same", "different", "missing", "extra"])
    computed = RouteShape(allow_null=True)
    gathered = GatheredRouteShape(allow_null=True)
    reason = s.CharField(allow_null=True, help_text="why they may differ")


class FamilyTableShape(Shape):
    routes = RouteShape(many=True)
    gathered = s.BooleanField(help_text="true if the device gave its own table of this family")
    compared = ComparedRouteShape(many=True)


class UncertainShape(Shape):
    evidence = EvidenceShape()
    why = s.CharField()
    interface = s.CharField(allow_null=True)


class DeviceShape(Shape):
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


class SourceShape(Shape):
    device = s.CharField()
    file = s.CharField()
    kind = s.CharField()
    lines = s.ListField(child=s.CharField(allow_blank=True))
    unknown = UnknownLineShape(many=True)


class MapNodeShape(Shape):
    name = s.CharField()
    role = s.CharField()
    breaks = s.IntegerField()
    chassis = s.CharField(allow_null=True, help_text="of a routing instance: its device")
    groups = s.DictField(child=s.CharField(), help_text="its group in each of the groupings")


class MapEndShape(EndShape):
    up = s.BooleanField()
    addresses = s.ListField(child=s.CharField())


class MapLinkShape(Shape):
    lan = s.CharField(allow_null=True)
    up = s.BooleanField()
    why_down = s.CharField(allow_null=True)
    inferred = s.BooleanField()
    reason = s.CharField()
    ends = MapEndShape(many=True)


class MapGroupingShape(Shape):
    by = s.CharField()
    called = s.CharField(help_text="what such a group is called")
    count = s.IntegerField(help_text="how many groups there are")


class MapShape(Shape):
    nodes = MapNodeShape(many=True)
    links = MapLinkShape(many=True)
    groupings = MapGroupingShape(many=True)


class SurveyDeletionShape(Shape):
    cases = s.IntegerField()
    evidence = s.IntegerField(help_text="what was pasted into these cases")
    changes = s.IntegerField()
    verified_elsewhere = s.IntegerField(
        help_text="cases of other surveys that were verified on this one"
    )
    changes_of_others = s.IntegerField(
        help_text="cases of other surveys whose change is one of this"
    )
    network = s.CharField(allow_null=True, help_text="the network of which it is the last survey")
    expectations = s.BooleanField(help_text="whether that network's expectations go, too")


class CaseDeletionShape(Shape):
    steps = s.IntegerField()
    evidence = s.IntegerField()
