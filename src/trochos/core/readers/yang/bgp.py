"""trochos-bgp: BGP (RFC 4271) as our own module describes it."""

from __future__ import annotations

from ...network.addressing import parse_address, parse_prefix
from ...network.bgp import (
    BgpAggregate,
    BgpFamily,
    BgpNeighbour,
    BgpNeighbourFamily,
    BgpNetwork,
    BgpProcess,
)
from ...network.routing import Flag, Word
from ...network.source import Source
from .leaves import Leaves, redistributions
from .model import Model

_FAMILIES = {"ipv4-unicast": 4, "ipv6-unicast": 6}


def read(held: Leaves, source: Source) -> BgpProcess:
    """The BGP speaker."""
    number = held.number("as")
    best = held.inner("best-path")
    cluster = held.router_id("cluster-id")
    preference = held.number("default-local-preference")
    families = {}
    for name, entry in held.entries("address-family", "name"):
        if name in _FAMILIES:
            families[_FAMILIES[name]] = _family(entry)
    neighbours = []
    for text, entry in held.entries("neighbor", "remote-address"):
        address = parse_address(text)
        if address is not None:
            settings = _neighbour(entry)
            neighbours.append(
                BgpNeighbour(entry.source("remote-address"), address, **settings)  # type: ignore[arg-type]
            )

    def on(name: str) -> bool:
        flag = best.flag(name) if best is not None else None
        return flag is not None and flag.value

    return BgpProcess(
        number.value if number else 0,
        number.source if number else source,
        router_id=held.router_id("router-id"),
        neighbours=tuple(neighbours),
        families=families,
        requires_policy=held.flag("external-requires-policy"),
        ipv4_default=False,
        cluster_id=cluster,
        default_local_preference=preference.value if preference else 100,
        always_compare_med=on("always-compare-med"),
        compare_router_id=on("compare-router-id"),
        multipath_relax=on("multipath-relax"),
        missing_med_worst=on("missing-med-is-worst"),
    )


def _family(entry: Leaves) -> BgpFamily:
    networks = []
    for text, one in entry.entries("network", "prefix"):
        prefix, policy = parse_prefix(text), one.word("policy")
        if prefix is not None:
            networks.append(
                BgpNetwork(prefix, one.source("prefix"), policy.value if policy else None)
            )
    aggregates = []
    for text, one in entry.entries("aggregate", "prefix"):
        prefix, only = parse_prefix(text), one.flag("summary-only")
        as_set = one.flag("as-set")
        if prefix is not None:
            aggregates.append(
                BgpAggregate(
                    prefix,
                    one.source("prefix"),
                    bool(only and only.value),
                    bool(as_set and as_set.value),
                )
            )
    paths, internal = entry.number("maximum-paths"), entry.number("maximum-paths-internal")
    return BgpFamily(
        tuple(networks),
        tuple(aggregates),
        redistributions(entry),
        paths.value if paths else None,
        internal.value if internal else None,
    )


def _neighbour(entry: Leaves) -> dict[str, object]:
    enabled = entry.flag("enabled")
    peer = entry.number("peer-as")
    families = {}
    for name, one in entry.entries("address-family", "name"):
        if name in _FAMILIES:
            families[_FAMILIES[name]] = _neighbour_family(one)
    entry.ignore("description", "timers")
    return {
        "remote_as": Word(str(peer.value), peer.source) if peer else None,
        "local_as": entry.number("local-as"),
        "update_source": entry.word("source"),
        "password": entry.word("password"),
        "shutdown": Flag(not enabled.value, enabled.source) if enabled else None,
        "passive": entry.flag("passive-mode"),
        "multihop": entry.number("multihop"),
        "ttl_security": entry.number("ttl-security"),
        "families": families,
    }


def _neighbour_family(one: Leaves) -> BgpNeighbourFamily:
    allow = one.number("allow-own-as")
    return BgpNeighbourFamily(
        active=one.flag("enabled") or Flag(True, one.source("name")),
        next_hop_self=one.flag("next-hop-self"),
        reflector_client=one.flag("route-reflector-client"),
        route_map_in=one.word("import-policy"),
        route_map_out=one.word("export-policy"),
        prefix_list_in=one.word("import-prefix-list"),
        prefix_list_out=one.word("export-prefix-list"),
        default_originate=Word("", flag.source)
        if (flag := one.flag("default-originate")) is not None and flag.value
        else None,
        maximum=one.number("maximum-prefixes"),
        allow_own_as=allow.value if allow else 0,
        weight=one.number("weight"),
    )


MODELS = {
    "bgp": Model(BgpProcess.protocol, "trochos-bgp", "bgp", lambda held, at, _: read(held, at))
}
