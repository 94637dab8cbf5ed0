"""ietf-ospf (RFC 9129), with redistribution from trochos-policy."""

from __future__ import annotations

from dataclasses import replace

from ...network.addressing import parse_address, parse_prefix
from ...network.ospf import (
    AreaRange,
    ListedNeighbour,
    OspfArea,
    OspfInterface,
    OspfProcess,
    VirtualLink,
)
from ...network.routing import Number, Word
from ...network.source import Source
from .leaves import Leaves, default_route, redistributions
from .model import Model

_TYPES = {"stub-area": "stub", "nssa-area": "nssa", "normal-area": "normal"}
_DIGEST = ("md5", "hmac-sha-1", "hmac-sha-256", "hmac-sha-384", "hmac-sha-512")
_KINDS = {
    "hybrid": "broadcast",
    "point-to-multipoint": "point-to-multipoint",
    "non-broadcast": "non-broadcast",
}


def read(held: Leaves, version: int, source: Source) -> OspfProcess:
    """One instance of OSPF."""
    areas: dict[int, OspfArea] = {}
    interfaces: dict[str, OspfInterface] = {}
    neighbours: list[ListedNeighbour] = []
    virtual_links: list[VirtualLink] = []
    container = held.inner("areas")
    for text, area in container.entries("area", "area-id") if container else []:
        number = _area_number(text)
        areas[number] = _area(area, number)
        virtual_links += _virtual_links(area)
        listed = area.inner("interfaces")
        for name, entry in listed.entries("interface", "name") if listed else []:
            interfaces[name] = _interface(entry, name, number)
            neighbours += _neighbours(entry)
    distance: dict[str, int] = {}
    preference = held.inner("preference")
    distance_source = None
    if preference is not None:
        distance_source = preference.source()
        for leaf, names in (
            ("all", ("all",)),
            ("internal", ("intra-area", "inter-area")),
            ("intra-area", ("intra-area",)),
            ("inter-area", ("inter-area",)),
            ("external", ("external",)),
        ):
            value = preference.number(leaf)
            if value is not None:
                distance |= dict.fromkeys(names, value.value)
    auto = held.inner("auto-cost")
    paths = held.inner("spf-control")
    stub = held.inner("stub-router")
    held.ignore("address-family", "graceful-restart", "ldp", "timers", "database-control")
    return OspfProcess(
        version,
        source,
        router_id=held.router_id("explicit-router-id"),
        neighbours=tuple(neighbours),
        virtual_links=tuple(virtual_links),
        areas=areas,
        interfaces=interfaces,
        redistribute=redistributions(held),
        default=default_route(held),
        default_metric=held.number("trochos-policy:default-metric"),
        distance=distance,
        distance_source=distance_source,
        reference_bandwidth=auto.number("reference-bandwidth") if auto else None,
        max_paths=paths.number("paths") if paths else None,
        stub_router=stub.present("always") if stub else None,
    )


def _area(area: Leaves, number: int) -> OspfArea:
    kind = area.identity("area-type")
    summary = area.flag("summary")
    ranges = area.inner("ranges")
    found = []
    for text, entry in ranges.entries("range", "prefix") if ranges else []:
        prefix = parse_prefix(text)
        advertise, cost = entry.flag("advertise"), entry.number("cost")
        if prefix is not None:
            found.append(
                AreaRange(
                    prefix,
                    entry.source("prefix"),
                    advertise is None or advertise.value,
                    cost.value if cost else None,
                )
            )
    return OspfArea(
        number,
        _TYPES.get(kind.value, "normal") if kind else "normal",
        kind.source if kind else None,
        summary is None or summary.value,
        area.number("default-cost"),
        tuple(found),
    )


def _virtual_links(area: Leaves) -> list[VirtualLink]:
    """What the backbone area holds (RFC 9129 lists virtual links there, with their area)."""
    links = []
    container = area.inner("virtual-links")
    for text, entry in container.entries("virtual-link", "router-id") if container else []:
        entry.ignore("ttl-security", "retransmit-interval", "transmit-delay", "lls", "enabled")
        address, through = parse_address(text), entry.word("transit-area-id")
        authentication = entry.inner("authentication")
        mode, key, digests = _authentication(authentication) if authentication else (None, None, ())
        if address is not None and through is not None:
            links.append(
                VirtualLink(
                    _area_number(through.value),
                    address.value,
                    entry.source("router-id"),
                    entry.number("hello-interval"),
                    entry.number("dead-interval"),
                    mode,
                    key,
                    digests,
                )
            )
    return links


def _area_number(text: str) -> int:
    address = parse_address(text)
    return address.value if address else int(text) if text.isdigit() else 0


def _interface(entry: Leaves, name: str, area: int) -> OspfInterface:
    kind = entry.identity("interface-type")
    enabled = entry.flag("enabled")
    entry.ignore(
        "retransmit-interval",
        "transmit-delay",
        "lls",
        "bfd",
        "fast-reroute",
        "ttl-security",
        "multi-areas",
        "node-flag",
        "demand-circuit",
        "prefix-suppression",
    )
    authentication = entry.inner("authentication")
    mode: Word | None = None
    key: Word | None = None
    digests: tuple[tuple[int, Word], ...] = ()
    if authentication is not None:
        mode, key, digests = _authentication(authentication)
    return OspfInterface(
        name,
        area=None
        if enabled is not None and not enabled.value
        else Number(area, entry.source("name")),
        cost=entry.number("cost"),
        hello=entry.number("hello-interval"),
        dead=entry.number("dead-interval"),
        priority=entry.number("priority"),
        network_type=Word(_KINDS.get(kind.value, kind.value), kind.source) if kind else None,
        passive=entry.flag("passive"),
        authentication=mode,
        key=key,
        digests=digests,
        ignores_mtu=entry.flag("mtu-ignore"),
        instance=entry.number("instance-id"),
    )


def _neighbours(interface: Leaves) -> list[ListedNeighbour]:
    container = interface.inner("static-neighbors")
    out = []
    for text, entry in container.entries("neighbor", "identifier") if container else []:
        entry.ignore("cost", "poll-interval")
        address, priority = parse_address(text), entry.number("priority")
        if address is not None:
            eligible = priority.value if priority else 1
            out.append(ListedNeighbour(address, entry.source("identifier"), eligible))
    return out


def _authentication(
    held: Leaves,
) -> tuple[Word | None, Word | None, tuple[tuple[int, Word], ...]]:
    """(type, simple password, keyed digests)."""
    for version in ("ospfv2", "ospfv3"):
        held.ignore(f"{version}-auth-trailer-rfc")
        key = held.word(f"{version}-key")
        chain = held.word(f"{version}-key-chain")
        number = held.number(f"{version}-key-id") or held.number(f"{version}-sa-id")
        algorithm = held.identity(f"{version}-crypto-algorithm")
        word = key or chain
        if word is None:
            continue
        if algorithm is not None or chain is not None or number is not None:
            mode = Word("message-digest", (algorithm or word).source)
            return mode, None, ((number.value if number else 0, word),)
        return Word("simple", word.source), word, ()
    return None, None, ()


def _version_2(held: Leaves, source: Source, identity: Number | None) -> OspfProcess:
    found = read(held, 2, source)
    return replace(found, router_id=found.router_id or identity)


def _version_3(held: Leaves, source: Source, identity: Number | None) -> OspfProcess:
    found = read(held, 3, source)
    return replace(found, router_id=found.router_id or identity)


MODELS = {
    "ospfv2": Model(OspfProcess.protocol, "ietf-ospf", "ospf", _version_2),
    "ospfv3": Model(OspfProcess.protocol, "ietf-ospf", "ospf", _version_3),
}
