"""Route maps that routes pass on their way from a protocol into the table.

What a map denies stays out, next hop by next hop; what it permits may get a source for the
device's own packets. Connected routes pass no map (seen on real routers).
"""

from __future__ import annotations

from dataclasses import replace

from ..network.facts import Device
from ..network.source import Source
from ..step.routes import NextHop, Route
from .policy import Attributes, apply_route_map

KEPT_OUT = "no-route"
"""The problem of a route that a map keeps out: to packets it is as if there were none."""


class TableMaps:
    """The maps of one device and family."""

    def __init__(self, device: Device, family: int) -> None:
        self.device = device
        self.names = {
            protocol: held
            for (its, protocol), held in device.policy.into_table.items()
            if its == family
        }

    def pass_on(self, routes: list[Route]) -> list[Route]:
        """The routes as the table gets them."""
        return [self._passed(route) for route in routes]

    def _passed(self, route: Route) -> Route:
        found = self.names.get(route.protocol) or self.names.get("any")
        if found is None or not route.usable:
            return route
        name, line = found
        hops: list[NextHop] = []
        lines: list[Source] = [line]
        for hop in route.next_hops:
            asked = Attributes(
                route.prefix,
                route.protocol,
                route.metric,
                tag=route.tag,
                interface=hop.interface,
                next_hop=hop.address,
            )
            ruling = apply_route_map(self.device.policy, name, asked)
            lines += ruling.because
            if ruling.permit:
                source = ruling.attributes.source
                hops.append(hop if source is None else hop._replace(source=source))
        because = tuple(dict.fromkeys((*route.because, *lines)))
        if not hops:
            return replace(
                route,
                next_hops=(),
                because=because,
                problem=KEPT_OUT,
                wanted=route.next_hops,
                why=f"the route map {name} keeps it out of the table of {self.device.name}.",
            )
        return replace(route, next_hops=tuple(hops), because=because)
