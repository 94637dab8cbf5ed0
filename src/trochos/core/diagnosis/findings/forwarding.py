"""Findings about devices that should pass packets on and do not."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.facts import Source
from ..finding import BREAKS, Finding
from .context import Context

KINDS = {"forwarding-off": "A router does not forward packets, and others send it some."}


def find(context: Context) -> Iterator[Finding]:
    for device in context.network.devices:
        if device.role != "router":
            continue
        for index, label in ((0, "IPv4"), (1, "IPv6")):
            source = device.forwarding_source
            if device.forwarding[index] or source is None:
                continue
            users = [
                (other.name, route.source)
                for other in context.network.devices
                for route in other.statics
                if other.name != device.name
                and route.gateway is not None
                and (route.gateway.family == 4) == (index == 0)
                and any(interface.has(route.gateway) for interface in device.interfaces)
            ]
            if not users and not device.routing.runs:
                continue
            lines: tuple[Source, ...] = (source, *(line for _, line in users[:4]))
            yield Finding(
                "forwarding-off",
                BREAKS,
                device.name,
                f"{device.name} is a router and does not forward {label}.",
                "It answers for itself and drops what is for others.",
                lines,
                key=label,
                subject=source,
            )
