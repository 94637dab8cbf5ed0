"""Views of a computed survey as documents for the screens: devices, map, names."""

from __future__ import annotations

from ...core.diagnosis.finding import Finding
from ...core.diagnosis.reality import compare_table
from ...core.network.facts import Device, End, GatheredRoute, Interface, Segment
from ...core.step.sources import usable_addresses
from ...core.survey import Computed
from ...core.whole.groups import WORDS, groupings


def severity_counts(findings: list[Finding]) -> dict[str, int]:
    counts = {"breaks": 0, "risks": 0, "notes": 0}
    for finding in findings:
        counts[finding.severity] += 1
    return counts


def names(survey: Computed) -> list[dict[str, object]]:
    """What can be named in a complaint: devices and their addresses."""
    return [
        {
            "device": device.name,
            "role": device.role,
            "addresses": [
                str(fact.address)
                for family in (4, 6)
                for _, fact in usable_addresses(device, family)
                if not fact.address.is_link_local
            ],
        }
        for device in survey.network.devices
        if not device.instance
    ]


def undescribed(survey: Computed) -> list[dict[str, object]]:
    """The nodes of the wiring that no folder describes: LANs, and devices that were not read."""
    drawing, about = survey.survey.drawing, survey.survey.about
    devices = {d.name: d for d in survey.network.devices}
    names = {n for n in drawing.nodes if n not in devices or devices[n].role == "unread"}
    names |= {d.name for d in devices.values() if d.role == "unread" and not d.instance}
    out: list[dict[str, object]] = []
    for name in sorted(names):
        ends = [
            other
            for left, right in drawing.links
            for mine, other in ((left, right), (right, left))
            if mine.device == name
        ]
        said = about.roles.get(name)
        unread = name in devices
        if said is not None:
            why = "Somebody said so."
        elif name in about.expected:
            why = "It is expected in this network, and nothing of it was sent."
        elif not ends:
            why = "Something names it as a device, and no wiring places it."
        elif unread:
            why = "No two of the ends that meet there share a subnet, or the drawing numbers it."
        else:
            why = "Two or more of the ends that meet there share a subnet."
        out.append(
            {
                "name": name,
                "role": "unread" if unread else "lan",
                "said": said,
                "why": why,
                "ends": [{"device": e.device, "interface": e.interface} for e in ends],
                "expected": name in about.expected,
            }
        )
    return out


def device_list(survey: Computed) -> list[dict[str, object]]:
    out = []
    for device in survey.network.devices:
        tables = [survey.tables.of(device.name, family) for family in (4, 6)]
        links = survey.tables.links
        out.append(
            {
                "name": device.name,
                "role": device.role,
                "profile": device.profile.name if device.role != "unread" else "not read",
                "interfaces": len(device.interfaces),
                "interfaces_down": sum(
                    not links.is_up(End(device.name, i.name)) for i in device.interfaces
                ),
                "routes": sum(table.counts()[0] for table in tables),
                "unused_routes": sum(table.counts()[1] for table in tables),
                "open_lines": sum(
                    line.matters
                    for report in survey.survey.reading
                    if report.device == device.chassis
                    for line in report.unknown
                ),
                "findings": severity_counts(
                    [f for f in survey.findings if f.device == device.name]
                ),
            }
        )
    return out


def _interface(survey: Computed, device: Device, interface: Interface) -> dict[str, object]:
    end = End(device.name, interface.name)
    links = survey.tables.links
    segment = links.segment_of.get(end)
    return {
        "name": interface.name,
        "description": interface.description,
        "enabled": interface.enabled,
        "up": links.is_up(end),
        "why_down": links.why_down(end),
        "loopback": interface.loopback,
        "addresses": [
            {
                "value": str(fact.value),
                "evidence": fact.source.as_json(),
                "captured": fact.captured,
            }
            for fact in interface.addresses
        ],
        "mtu": interface.mtu,
        "mac": interface.mac,
        "connects_to": [
            {"device": other.device, "interface": other.interface}
            for other in (segment.ends if segment else ())
            if other != end
        ],
        "lan": segment.lan if segment else None,
        "evidence": interface.source.as_json() if interface.source else None,
    }


def _family(survey: Computed, device: Device, family: int) -> dict[str, object]:
    """A computed table, and beside it the one that the device gave, if it gave one."""
    routes = sorted(
        survey.tables.of(device.name, family).everything(),
        key=lambda r: (r.prefix.network, r.prefix.length, not r.selected, r.distance),
    )
    compared = [
        {
            "prefix": str(row.prefix),
            "state": row.state,
            "computed": row.computed.as_json() if row.computed else None,
            "gathered": None if row.gathered is None else _gathered(row.gathered),
            "reason": row.reason,
        }
        for row in compare_table(survey.tables, device, family)
    ]
    return {
        "routes": [route.as_json() for route in routes],
        "gathered": bool(device.gathered.get(family)),
        "compared": compared,
    }


def _gathered(route: GatheredRoute) -> dict[str, object]:
    return {
        "prefix": str(route.prefix),
        "protocol": route.protocol,
        "selected": route.selected,
        "next_hops": [
            {"action": a, "address": b, "interface": c, "weight": 1} for a, b, c in route.next_hops
        ],
    }


def device_page(survey: Computed, device: Device) -> dict[str, object]:
    return {
        "name": device.name,
        "role": device.role,
        "profile": device.profile.name if device.role != "unread" else "not read",
        "hostname": device.hostname,
        "interfaces": [_interface(survey, device, i) for i in device.interfaces],
        "ipv4": _family(survey, device, 4),
        "ipv6": _family(survey, device, 6),
        "files": [r.as_json() for r in survey.survey.reading if r.device == device.chassis],
        "main_file": device.main_file,
        "uncertain": [
            {"evidence": u.source.as_json(), "why": u.why, "interface": u.interface}
            for u in device.unmodelled
        ],
        "findings": [f.as_nodes() for f in survey.findings if f.device == device.name],
    }


def _drawn(survey: Computed) -> list[Segment]:
    """What a map shows as lines: cables, where switches make segments of many; and tunnels."""
    network = survey.network
    if not network.cables:
        return list(network.segments)
    links = survey.tables.links
    tunnels = [
        segment
        for segment in network.segments
        if any((i := links.interface(end)) and i.tunnel is not None for end in segment.ends)
    ]
    return [*network.cables, *tunnels]


def map_document(survey: Computed) -> dict[str, object]:
    links = survey.tables.links
    breaks: dict[str, int] = {}
    for finding in survey.findings:
        if finding.severity == "breaks":
            breaks[finding.device] = breaks.get(finding.device, 0) + 1
    out = []
    for segment in _drawn(survey):
        ends = []
        for end in segment.ends:
            interface = links.interface(end)
            ends.append(
                {
                    "device": end.device,
                    "interface": end.interface,
                    "up": links.is_up(end) or interface is None,
                    "addresses": [
                        str(fact.value)
                        for fact in (interface.addresses if interface else ())
                        if not fact.address.is_link_local
                    ],
                }
            )
        down = [
            links.why_down(e)
            for e in segment.ends
            if links.interface(e) is not None and not links.is_up(e)
        ]
        out.append(
            {
                "lan": segment.lan,
                "up": not down,
                "why_down": next(
                    (why for why in down if why and "far end" not in why), down[0] if down else None
                ),
                "inferred": segment.inferred,
                "reason": segment.reason,
                "ends": ends,
            }
        )
    linked = {end.device for segment in survey.network.segments for end in segment.ends}
    found = groupings(survey.tables)
    divided = {d.chassis for d in survey.network.devices if d.instance}
    return {
        "nodes": [
            {
                "name": d.name,
                "role": d.role,
                "breaks": breaks.get(d.name, 0),
                "chassis": d.chassis if d.instance else None,
                "groups": {by: of[d.name] for by, of in found.items()},
            }
            for d in survey.network.devices
            # All links of a device may be in its routing instances: then these stand for it.
            if d.name in linked or d.name not in divided
        ],
        "links": out,
        "groupings": [
            {"by": by, "called": WORDS[by], "count": len(set(of.values()))}
            for by, of in found.items()
        ],
    }
