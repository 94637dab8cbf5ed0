"""openconfig-ospfv2: OSPF for IPv4."""

from __future__ import annotations

from ...network.addressing import parse_address
from ...network.ospf import OspfArea, OspfInterface, OspfProcess, VirtualLink
from ...network.routing import Number, Word
from .held import Held, place
from .model import Around, Model

_IDLE = ("lsdb", "mpls", "graceful-restart", "enable-bfd", "segment-routing", "neighbors")
_KINDS = {
    "POINT_TO_POINT_NETWORK": "point-to-point",
    "BROADCAST_NETWORK": "broadcast",
    "NON_BROADCAST_NETWORK": "non-broadcast",
    "POINT_TO_MULTIPOINT_NETWORK": "point-to-multipoint",
}
_AUTHENTICATION = {"none": "none", "simple": "simple", "text": "simple", "plain": "simple"}


def read(held: Held, around: Around) -> tuple[OspfProcess, ...]:
    """One instance of OSPF version 2."""
    whole = held.inner("global")
    identity = whole.router_id("router-id") if whole is not None else None
    areas: dict[int, OspfArea] = {}
    interfaces: dict[str, OspfInterface] = {}
    links: list[VirtualLink] = []
    listed = held.inner("areas")
    for (text,), area in listed.entries("area", "identifier") if listed is not None else []:
        number = _number(text)
        areas[number] = OspfArea(number)
        area.ignore(*_IDLE)
        ports = area.inner("interfaces")
        for (key,), entry in ports.entries("interface", "id") if ports is not None else []:
            name = place(entry, around.names, key)
            interfaces[name] = _interface(entry, name, number)
        links += _links(area, number)
    stub = rfc1583 = None
    if whole is not None:
        whole.ignore(*_IDLE, "log-adjacency-changes", "igp-shortcuts")
        timers = whole.inner("timers")
        if timers is not None:
            timers.ignore("spf", "lsa-generation")
            most = timers.inner("max-metric")
            stub = most.flag("set") if most is not None else None
            if most is not None:
                most.ignore("timeout", "include", "trigger")
        mode = whole.identity("summary-route-cost-mode")
        rfc1583 = mode is not None and mode.value == "RFC1583_COMPATIBLE"
        hide = whole.flag("hide-transit-only-networks")
        if hide is not None and hide.value and whole.config is not None:
            whole.config.node.peek("hide-transit-only-networks").seen = 0  # type: ignore[union-attr]
    return (
        OspfProcess(
            2,
            held.source(),
            router_id=identity or around.identity,
            areas=areas,
            interfaces=interfaces,
            virtual_links=tuple(links),
            redistribute=tuple(c.what for c in around.told if c.family == 4),
            rfc1583=bool(rfc1583),
            stub_router=stub,
        ),
    )


def _number(text: str) -> int:
    address = parse_address(text)
    return address.value if address else int(text) if text.isdigit() else 0


def _interface(entry: Held, name: str, area: int) -> OspfInterface:
    entry.ignore(*_IDLE, "multi-area-adjacency-primary")
    kind = entry.identity("network-type")
    timers = entry.inner("timers")
    if timers is not None:
        timers.ignore("retransmission-interval")
    word = entry.word("authentication-type")
    mode = None
    if word is not None and word.value:
        mode = Word(_AUTHENTICATION.get(word.value.lower(), "message-digest"), word.source)
    hidden = entry.flag("hide-network")
    if hidden is not None and hidden.value and entry.config is not None:
        entry.config.node.peek("hide-network").seen = 0  # type: ignore[union-attr]
    return OspfInterface(
        name,
        area=Number(area, entry.source("id")._replace(path=entry.path)),
        cost=entry.number("metric"),
        hello=timers.number("hello-interval") if timers is not None else None,
        dead=timers.number("dead-interval") if timers is not None else None,
        priority=entry.number("priority"),
        network_type=Word(_KINDS.get(kind.value, kind.value), kind.source) if kind else None,
        passive=entry.flag("passive"),
        authentication=mode,
    )


def _links(area: Held, number: int) -> list[VirtualLink]:
    """Virtual links across an area."""
    out = []
    listed = area.inner("virtual-links")
    for (text,), entry in (
        listed.entries("virtual-link", "remote-router-id") if listed is not None else []
    ):
        address = parse_address(text)
        if address is not None and number:
            out.append(VirtualLink(number, address.value, entry.source("remote-router-id")))
    return out


MODELS = {"OSPF": Model(OspfProcess.protocol, "ospfv2", read)}
