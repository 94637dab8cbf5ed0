"""What a speaker announces itself: its network statements, and what it redistributes."""

from __future__ import annotations

from ...network import claims
from ...network.addressing import Prefix
from ...network.bgp import BgpProcess
from ...network.claims import Claim
from ...network.facts import Device
from ...network.routing import Redistribution
from ...step.routes import NextHop, Origin, Route
from ...step.table import Table
from ..policy import Attributes, apply_route_map
from .paths import LOCAL, LOCAL_WEIGHT, Path


def local_paths(
    device: Device, process: BgpProcess, table: Table, family: int
) -> dict[Prefix, Path]:
    """What a speaker announces itself: network statements and redistribution."""
    held = process.families.get(family)
    out: dict[Prefix, Path] = {}
    if held is None:
        return out
    for redistribution in held.redistribute:
        for route in (
            () if redistribution.protocol == "bgp" else table.learned(redistribution.protocol)
        ):
            path = _redistributed(device, redistribution, route)
            if path is not None:
                out[route.prefix] = path
    for statement in held.networks:
        if statement.backdoor:
            continue
        found = table.winner(statement.prefix)
        if found is not None and found.protocol == "bgp":
            found = None
        if found is None and process.import_check:
            continue
        hop = found.next_hops[0] if found and found.next_hops else None
        attributes = Attributes(
            statement.prefix,
            found.protocol if found else "",
            found.metric if found and found.protocol not in ("connected", "local") else 0,
            origin="igp",
            weight=LOCAL_WEIGHT,
            interface=hop.interface if hop else None,
            next_hop=hop.address if hop and family == 4 else None,
        )
        because = [statement.source, *(found.because if found else ())]
        if statement.route_map is not None:
            ruling = apply_route_map(device.policy, statement.route_map, attributes)
            if not ruling.permit:
                continue
            attributes = ruling.attributes
            because += ruling.because
        claim = Claim(claims.STATEMENT, device.name, statement.prefix, into="BGP")
        origin = Origin(
            claim,
            tuple(dict.fromkeys(because)),
            found.origin if found else None,
        )
        out[statement.prefix] = Path(attributes, LOCAL, origin)
    return out


def _redistributed(device: Device, statement: Redistribution, route: Route) -> Path | None:
    hop = route.next_hops[0] if route.next_hops else NextHop("forward")
    metric = statement.metric
    if metric is None:
        metric = 0 if route.protocol in ("connected", "static") else route.metric
    same_family = hop.address is not None and hop.address.family == route.prefix.family
    attributes = Attributes(
        route.prefix,
        route.protocol,
        metric,
        None,
        route.tag,
        hop.interface,
        hop.address if same_family else None,
        origin="incomplete",
        weight=LOCAL_WEIGHT,
    )
    because = [statement.source, *route.because]
    if statement.route_map is not None:
        ruling = apply_route_map(device.policy, statement.route_map, attributes)
        if not ruling.permit:
            return None
        attributes = ruling.attributes
        because += ruling.because
    claim = Claim(claims.REDISTRIBUTED, device.name, route.prefix, route.protocol, "BGP")
    origin = Origin(claim, tuple(dict.fromkeys(because)), route.origin)
    return Path(attributes, LOCAL, origin)
