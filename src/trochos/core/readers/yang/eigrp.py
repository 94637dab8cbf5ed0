"""trochos-eigrp: EIGRP (RFC 7868) as our own module describes it."""

from __future__ import annotations

from ...network.addressing import parse_prefix
from ...network.eigrp import EigrpInterface, EigrpProcess
from ...network.routing import NetworkStatement, RouteFilter, Word
from ...network.source import Source
from .leaves import Leaves, redistributions
from .model import Model


def read(held: Leaves, source: Source) -> EigrpProcess:
    """One EIGRP process of one address family."""
    number = held.number("autonomous-system")
    family = held.word("address-family")
    networks, interfaces, passive = [], {}, {}
    container = held.inner("interfaces")
    for name, entry in container.entries("interface", "name") if container else []:
        networks.append(NetworkStatement(None, entry.source("name"), interface=name))
        flag = entry.flag("passive")
        if flag is not None:
            passive[name] = flag
        authentication = entry.word("authentication")
        summaries = []
        for text, one in entry.entries("summary-address", "prefix"):
            prefix = parse_prefix(text)
            if prefix is not None:
                summaries.append((prefix, one.source("prefix")))
        interfaces[name] = EigrpInterface(
            name,
            delay=entry.number("delay"),
            bandwidth=entry.number("bandwidth"),
            hello=entry.number("hello-interval"),
            hold=entry.number("hold-time"),
            authentication=authentication,
            key_chain=entry.word("key-chain"),
            summaries=tuple(summaries),
            split_horizon=entry.flag("split-horizon"),
        )
    weights = held.inner("k-values")
    values = None
    if weights is not None:
        given = [weights.number(f"k{n}") for n in range(1, 7)]
        values = tuple(
            k.value if k is not None else default
            for k, default in zip(given, (1, 0, 1, 0, 0, 0), strict=True)
        )[:5]
    filters = []
    for name, entry in held.entries("distribute-list", "prefix-list"):
        direction, where = entry.word("direction"), entry.word("interface")
        filters.append(
            RouteFilter(
                "prefix",
                name,
                direction.value if direction else "in",
                entry.source("prefix-list"),
                where.value if where else None,
            )
        )
    stub = held.inner("stub")
    announces = None
    if stub is not None:
        words = [
            w
            for w in ("connected", "static", "summary", "redistributed")
            if (flag := stub.flag(w)) is not None and flag.value
        ]
        announces = Word(" ".join(words) or "receive-only", stub.source())
    return EigrpProcess(
        number.value if number else 0,
        number.source if number else source,
        family=6 if family is not None and family.value == "ipv6" else 4,
        router_id=held.router_id("router-id"),
        networks=tuple(networks),
        interfaces=interfaces,
        passive=passive,
        weights=values,
        weights_source=weights.source() if weights is not None else None,
        variance=held.number("variance"),
        max_paths=held.number("maximum-paths"),
        redistribute=redistributions(held),
        filters=tuple(filters),
        auto_summary=held.flag("auto-summary"),
        stub=announces,
    )


MODELS = {
    "eigrp": Model(
        EigrpProcess.protocol, "trochos-eigrp", "eigrp", lambda held, at, _: read(held, at)
    )
}
