"""Externals: what routers announce from other protocols, and how each router chooses.

RFC 2328, sections 12.4.4 and 16.4; RFC 3101 for areas that are not so stubby.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from ...network import claims
from ...network.addressing import Address, Prefix
from ...network.claims import Claim
from ...network.facts import Device
from ...network.ospf import OspfHabits, OspfProcess
from ...network.routing import DefaultRoute, Redistribution
from ...network.source import Source
from ...step.routes import Origin, Route
from ...step.table import Table
from ..policy import Attributes, apply_route_map, filter_permits
from .interfaces import OspfEnd

_DEFAULTS = {4: Prefix(4, 0, 0), 6: Prefix(6, 0, 0)}


@dataclass(frozen=True, slots=True)
class External:
    """One external that a router announces. `area` None goes everywhere, else it stays there."""

    announcer: str
    prefix: Prefix
    metric: int
    metric_type: int
    forward: Address | None
    origin: Origin
    area: int | None = None
    translate: bool = False
    tag: int = 0


def announced_by(
    device: Device, process: OspfProcess, table: Table, ends: list[OspfEnd]
) -> list[External]:
    """What a router announces from its table, before areas decide how it travels."""
    out: list[External] = []
    own = [p for end in ends if end.active for p, _ in end.prefixes]
    for statement in process.redistribute:
        for route in _routes_of(table, statement.protocol):
            if route.prefix.is_default:
                continue
            if any(p.covers(route.prefix) for p in own):
                continue
            external = _redistributed(device, process, statement, route, ends)
            if external is not None:
                out.append(external)
    if process.default is not None:
        external = _default(device, process, process.default, table, ends)
        if external is not None:
            out.append(external)
    return _summarised(device, process, out)


def _routes_of(table: Table, protocol: str) -> list[Route]:
    return [] if protocol == "ospf" else table.learned(protocol)


def _redistributed(
    device: Device,
    process: OspfProcess,
    statement: Redistribution,
    route: Route,
    ends: list[OspfEnd],
) -> External | None:
    because = [statement.source, *route.because]
    for item in process.filters:
        if item.protocol == statement.protocol:
            permit, line = filter_permits(
                device.policy, item.kind, item.name, route.prefix, missing=False
            )
            if not permit:
                return None
            because += [item.source, *((line,) if line else ())]
    hop = route.next_hops[0] if route.next_hops else None
    attributes = Attributes(
        route.prefix,
        route.protocol,
        default_metric(device, process) if statement.metric is None else statement.metric,
        statement.metric_type or 2,
        statement.tag or route.tag,
        hop.interface if hop else None,
        hop.address if hop else None,
    )
    if statement.route_map is not None:
        ruling = apply_route_map(device.policy, statement.route_map, attributes)
        if not ruling.permit:
            return None
        attributes = ruling.attributes
        because += ruling.because
    origin = Origin(
        Claim(claims.REDISTRIBUTED, device.name, route.prefix, statement.protocol, process.name),
        tuple(dict.fromkeys(because)),
        route.origin,
    )
    return External(
        device.name,
        route.prefix,
        attributes.metric or 0,
        attributes.metric_type or 2,
        _forwarding(attributes.next_hop, ends),
        origin,
        tag=attributes.tag,
    )


def default_metric(device: Device, process: OspfProcess) -> int:
    """The metric of an external that nothing gives one."""
    if process.default_metric is not None:
        return process.default_metric.value
    return device.profile.habit(OspfHabits).redistribute_metric


def _default(
    device: Device,
    process: OspfProcess,
    statement: DefaultRoute,
    table: Table,
    ends: list[OspfEnd],
) -> External | None:
    held = table.winner(_DEFAULTS[process.family])
    if held is not None and held.protocol == "ospf":
        held = None
    if held is None and not statement.always:
        return None
    habits = device.profile.habit(OspfHabits)
    metric = statement.metric
    if metric is None and process.default_metric is not None and not statement.always:
        metric = process.default_metric.value
    if metric is None:
        metric = habits.default_metric_always if statement.always else habits.default_metric_found
    prefix = _DEFAULTS[process.family]
    attributes = Attributes(
        prefix, held.protocol if held else "", metric, statement.metric_type or 2
    )
    because = [statement.source, *(held.because if held else ())]
    if statement.route_map is not None:
        ruling = apply_route_map(device.policy, statement.route_map, attributes)
        if not ruling.permit:
            return None
        attributes = ruling.attributes
        because += ruling.because
    claim = Claim(claims.DEFAULT, device.name, into=process.name)
    hop = held.next_hops[0] if held and held.next_hops else None
    return External(
        device.name,
        prefix,
        attributes.metric or 0,
        attributes.metric_type or 2,
        _forwarding(hop.address if hop and not statement.always else None, ends),
        Origin(claim, tuple(because), held.origin if held else None),
        tag=attributes.tag,
    )


def _forwarding(next_hop: Address | None, ends: list[OspfEnd]) -> Address | None:
    """The forwarding address: the next hop if it lies on a network that runs OSPF itself."""
    if next_hop is None or next_hop.family != 4:
        return None
    for end in ends:
        if end.active and any(prefix.contains(next_hop) for prefix, _ in end.prefixes):
            return next_hop
    return None


def _summarised(device: Device, process: OspfProcess, found: list[External]) -> list[External]:
    """Replaces externals inside a summary of externals by that summary."""
    if not process.summaries:
        return found
    out: list[External] = []
    parts: dict[Prefix, list[External]] = {}
    for item in found:
        inside = [s for s in process.summaries if s.prefix.covers(item.prefix)]
        if not inside or item.prefix.is_default:
            out.append(item)
            continue
        summary = max(inside, key=lambda s: s.prefix.length)
        parts.setdefault(summary.prefix, []).append(item)
    for summary in process.summaries:
        members = parts.get(summary.prefix)
        if not members or not summary.advertise:
            continue
        sources: list[Source] = [summary.source]
        for member in members[:3]:
            sources += member.origin.sources
        claim = Claim(
            claims.EXTERNALS, device.name, summary.prefix, str(len(members)), process.name
        )
        out.append(
            replace(
                members[0],
                prefix=summary.prefix,
                metric=default_metric(device, process),
                metric_type=2,
                forward=None,
                origin=Origin(claim, tuple(dict.fromkeys(sources))),
            )
        )
    return out
