"""ietf-rip (RFC 8695): RIP version 2 and RIPng."""

from __future__ import annotations

from ...network.addressing import parse_address
from ...network.rip import RipInterface, RipProcess
from ...network.routing import (
    DefaultRoute,
    NetworkStatement,
    Number,
    Redistribution,
    RouteFilter,
    Word,
)
from ...network.source import Source
from .leaves import Leaves
from .model import Model

_HORIZON = {"disabled": "off", "simple": "on", "poison-reverse": "poisoned"}


def read(held: Leaves, family: int, source: Source) -> RipProcess:
    """One instance of RIP."""
    networks, passive, neighbours = [], {}, []
    interfaces: dict[str, RipInterface] = {}
    offsets = []
    container = held.inner("interfaces")
    for name, entry in container.entries("interface", "interface") if container else []:
        networks.append(NetworkStatement(None, entry.source("interface"), interface=name))
        flag = entry.present("passive")
        if flag is not None:
            passive[name] = flag
        horizon = entry.word("split-horizon")
        authentication = entry.inner("authentication")
        mode = key = None
        if authentication is not None:
            key = authentication.word("key") or authentication.word("key-chain")
            mode = authentication.identity("crypto-algorithm") or key
        interfaces[name] = RipInterface(
            name,
            authentication=Word("md5" if mode is not key else "text", mode.source)
            if mode
            else None,
            key=key,
            split_horizon=Word(_HORIZON.get(horizon.value, "on"), horizon.source)
            if horizon
            else None,
        )
        cost = entry.number("cost")
        if cost is not None and cost.value != 1:
            offsets.append(RouteFilter("any", "", "in", cost.source, name, offset=cost.value))
        listed = entry.inner("neighbors")
        for text, other in listed.entries("neighbor", "address") if listed else []:
            address = parse_address(text)
            if address is not None:
                neighbours.append((address, other.source("address")))
        entry.ignore("bfd", "timers")
    filters = []
    for name, entry in held.entries("distribute-list", "prefix-set-name"):
        direction, where = entry.word("direction"), entry.word("if-name")
        filters.append(
            RouteFilter(
                "prefix",
                name,
                direction.value if direction else "in",
                entry.source("prefix-set-name"),
                where.value if where else None,
            )
        )
    default = held.inner("originate-default-route")
    wanted = default.flag("enabled") if default is not None else None
    held.ignore("timers", "output-delay", "triggered-update-threshold")
    return RipProcess(
        family,
        source,
        networks=tuple(networks),
        interfaces=interfaces,
        neighbours=tuple(neighbours),
        passive=passive,
        version=None if family == 6 else Number(2, source),
        default_metric=held.number("default-metric"),
        redistribute=_redistribute(held.inner("redistribute")),
        default=DefaultRoute(wanted.source, True) if wanted and wanted.value else None,
        filters=tuple(filters),
        offsets=tuple(offsets),
        distance=held.number("distance"),
        max_paths=paths.value if (paths := held.number("maximum-paths")) else 16,
    )


def _redistribute(held: Leaves | None) -> tuple[Redistribution, ...]:
    if held is None:
        return ()
    out = []
    for name, node in held.node.members().items():
        protocol = {"ospfv2": "ospf", "ospfv3": "ospf"}.get(name, name)
        protocol = RipProcess.protocol if name in MODELS else protocol
        if isinstance(node.value, list):
            by_number = any(e.peek("asn") is not None for e in node.value)
            key = "asn" if by_number else "instance"
            for _, entry in held.entries(name, key):
                out.append(_one(protocol, entry, entry.source(key)))
        else:
            inner = held.inner(name)
            if inner is not None:
                out.append(_one(protocol, inner, held.source(name)))
    return tuple(out)


def _one(protocol: str, entry: Leaves, source: Source) -> Redistribution:
    metric, policy = entry.number("metric"), entry.word("route-policy")
    return Redistribution(
        protocol,
        source,
        metric.value if metric else None,
        None,
        policy.value if policy else None,
    )


MODELS = {
    "ripv2": Model(RipProcess.protocol, "ietf-rip", "rip", lambda held, at, _: read(held, 4, at)),
    "ripng": Model(RipProcess.protocol, "ietf-rip", "rip", lambda held, at, _: read(held, 6, at)),
}
