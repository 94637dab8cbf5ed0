"""What a writer says is read back as it was meant, in text and in data alike."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache

import pytest
from surveys import company

from trochos.core.change.apply import apply
from trochos.core.change.writers import Writer, writer_for
from trochos.core.change.writers.bgp import BgpPart, Peer
from trochos.core.change.writers.ospf import OspfPart
from trochos.core.network.addressing import (
    Address,
    InterfaceAddress,
    Prefix,
    parse_address,
    parse_prefix,
)
from trochos.core.network.bgp import BgpNeighbour, BgpNeighbourFamily, BgpProcess
from trochos.core.network.edits import Edit
from trochos.core.network.eigrp import EigrpProcess
from trochos.core.network.facts import AddressFact, Device, Interface
from trochos.core.network.ospf import OspfInterface, OspfProcess
from trochos.core.network.rip import RipProcess
from trochos.core.network.routing import Redistribution
from trochos.core.survey import Computed

Say = Callable[[Writer, Device], tuple[Edit, ...] | None]
Ask = Callable[[Device], object]


@cache
def survey(dialect: str) -> Computed:
    return company(dialect=dialect)


def device(computed: Computed, name: str) -> Device:
    return next(d for d in computed.network.devices if d.name == name)


def port(held: Device, name: str) -> Interface:
    return next(i for i in held.interfaces if i.name == name)


def address(text: str) -> Address:
    found = parse_address(text)
    assert found is not None
    return found


def prefix(text: str) -> Prefix:
    found = parse_prefix(text)
    assert found is not None
    return found


def on(text: str) -> InterfaceAddress:
    bare, length = text.split("/")
    return InterfaceAddress(address(bare), int(length))


def first(interface: Interface) -> AddressFact:
    return interface.addresses[0]


def ospf(held: Device) -> OspfProcess:
    return held.routing.of(OspfProcess)[0]


def ospf_port(held: Device, name: str) -> OspfInterface:
    return ospf(held).interfaces[name]


def peer(held: Device, text: str) -> BgpNeighbour:
    assert held.routing.one(BgpProcess) is not None
    found = [n for n in held.routing.one(BgpProcess).neighbours if str(n.address) == text]
    assert len(found) == 1, found
    return found[0]


def peer_family(held: Device, text: str) -> BgpNeighbourFamily:
    return peer(held, text).families[4]


def set_ospf(what: str, value: str | None) -> Say:
    return lambda w, d: w.of("ospf").interface_setting(4, "eth0", what, value)


def set_peer(what: str, value: str | None, family: int | None = None) -> Say:
    return lambda w, d: w.speaks(BgpPart).neighbour_setting(
        address("203.0.113.10"), what, value, family
    )


def covered(protocol: str, held: Device) -> set[str]:
    """The interfaces a protocol runs on, however that is said."""
    process = held.routing.called(protocol)[0]
    out = set()
    for interface in held.interfaces:
        for said in process.networks:
            inside = said.prefix is not None and any(
                said.prefix.contains(fact.address) for fact in interface.addresses
            )
            if said.interface == interface.name or inside:
                out.add(interface.name)
    if protocol == "ospf":
        out |= {name for name, item in process.interfaces.items() if item.area}
    return out


def statics(held: Device, text: str) -> set[tuple[str, int]]:
    return {
        (str(s.gateway), s.distance)
        for s in held.statics
        if s.prefix == prefix(text) and s.gateway is not None
    }


def rules(held: Device) -> list[tuple[str, str, bool]]:
    return [
        (str(rule.sequence), str(rule.prefix), rule.permit)
        for rule in held.policy.prefix_lists[(4, "FLEET")]
    ]


LIKE = Redistribution("x", None, 7, None, "FLEET")  # type: ignore[arg-type]

SAYINGS: dict[str, tuple[str, Say, Ask, object]] = {
    "another address": (
        "petrel",
        lambda w, d: w.address(port(d, "eth0"), first(port(d, "eth0")), on("10.64.128.30/30")),
        lambda d: [str(fact.value) for fact in port(d, "eth0").addresses],
        ["10.64.128.30/30"],
    ),
    "another length": (
        "petrel",
        lambda w, d: w.address(port(d, "eth0"), first(port(d, "eth0")), on("10.64.128.22/29")),
        lambda d: [str(fact.value) for fact in port(d, "eth0").addresses],
        ["10.64.128.22/29"],
    ),
    "one address more": (
        "petrel",
        lambda w, d: w.address(port(d, "eth0"), None, on("10.9.0.1/24")),
        lambda d: {str(fact.value) for fact in port(d, "eth0").addresses},
        {"10.64.128.22/30", "10.9.0.1/24"},
    ),
    "a first IPv6 address": (
        "petrel",
        lambda w, d: w.address(port(d, "eth0"), None, on("2001:db8::1/64")),
        lambda d: {str(fact.value) for fact in port(d, "eth0").addresses},
        {"10.64.128.22/30", "2001:db8::1/64"},
    ),
    "a static route": (
        "lantern",
        lambda w, d: w.static(prefix("10.99.0.0/16"), address("10.64.0.21")),
        lambda d: (statics(d, "10.99.0.0/16"), len(d.statics)),
        ({("10.64.0.21", 1)}, 7),
    ),
    "a static route with a distance": (
        "lantern",
        lambda w, d: w.static(prefix("10.99.0.0/16"), address("10.64.0.21"), 150),
        lambda d: statics(d, "10.99.0.0/16"),
        {("10.64.0.21", 150)},
    ),
    "a static route where there was none": (
        "petrel",
        lambda w, d: w.static(prefix("2001:db8:9::/48"), address("2001:db8::2")),
        lambda d: statics(d, "2001:db8:9::/48"),
        {("2001:db8::2", 1)},
    ),
    "a second gateway beside one": (
        "lantern",
        lambda w, d: w.static(prefix("10.64.0.0/16"), address("10.64.128.2"), 30),
        lambda d: statics(d, "10.64.0.0/16"),
        {("10.64.0.21", 1), ("10.64.128.2", 30)},
    ),
    "a third gateway beside two": (
        "lantern",
        lambda w, d: w.static(prefix("0.0.0.0/0"), address("10.64.128.2"), 220),
        lambda d: statics(d, "0.0.0.0/0"),
        {("203.0.113.1", 1), ("203.0.113.5", 200), ("10.64.128.2", 220)},
    ),
    "one of two gateways gone": (
        "lantern",
        lambda w, d: w.drop_static(next(s for s in d.statics if s.distance == 200)),
        lambda d: statics(d, "0.0.0.0/0"),
        {("203.0.113.1", 1)},
    ),
    "one of two gateways moved": (
        "lantern",
        lambda w, d: w.move_static(
            next(s for s in d.statics if s.distance == 200), address("10.64.128.2")
        ),
        lambda d: statics(d, "0.0.0.0/0"),
        {("203.0.113.1", 1), ("10.64.128.2", 200)},
    ),
    "a gateway moved": (
        "lantern",
        lambda w, d: w.move_static(
            next(s for s in d.statics if s.prefix.length == 16), address("10.64.128.2")
        ),
        lambda d: statics(d, "10.64.0.0/16"),
        {("10.64.128.2", 1)},
    ),
    "hello": ("petrel", set_ospf("hello", "5"), lambda d: ospf_port(d, "eth0").hello.value, 5),
    "dead": ("petrel", set_ospf("dead", "20"), lambda d: ospf_port(d, "eth0").dead.value, 20),
    "hello unset": ("petrel", set_ospf("hello", None), lambda d: ospf_port(d, "eth0").hello, None),
    "cost": ("petrel", set_ospf("cost", "77"), lambda d: ospf_port(d, "eth0").cost.value, 77),
    "priority": (
        "petrel",
        set_ospf("priority", "3"),
        lambda d: ospf_port(d, "eth0").priority.value,
        3,
    ),
    "ignore MTU": (
        "petrel",
        set_ospf("ignore MTU", ""),
        lambda d: ospf_port(d, "eth0").ignores_mtu.value,
        True,
    ),
    "network type": (
        "petrel",
        set_ospf("network type", "broadcast"),
        lambda d: ospf_port(d, "eth0").network_type.value,
        "broadcast",
    ),
    "network type unset": (
        "petrel",
        set_ospf("network type", None),
        lambda d: ospf_port(d, "eth0").network_type,
        None,
    ),
    "OSPF on one interface more": (
        "petrel",
        lambda w, d: w.of("ospf").cover(4, port(d, "eth2"), prefix("10.64.176.4/30"), 0),
        lambda d: covered("ospf", d),
        {"eth0", "lo", "eth2"},
    ),
    "RIP on one interface more": (
        "petrel",
        lambda w, d: w.of("rip").cover(4, port(d, "eth0"), prefix("10.64.128.20/30"), 0),
        lambda d: covered("rip", d),
        {"eth0", "eth1", "eth2"},
    ),
    "EIGRP on one interface more": (
        "dunlin",
        lambda w, d: w.of("eigrp").cover(4, port(d, "lo"), prefix("10.64.255.57/32"), 0),
        lambda d: "lo" in covered("eigrp", d),
        True,
    ),
    "OSPF router ID": (
        "petrel",
        lambda w, d: w.of("ospf").router_id(4, address("10.0.0.9")),
        lambda d: ospf(d).router_id.value,
        0x0A000009,
    ),
    "EIGRP router ID": (
        "knot",
        lambda w, d: w.of("eigrp").router_id(4, address("10.0.0.9")),
        lambda d: d.routing.of(EigrpProcess)[0].router_id.value,
        0x0A000009,
    ),
    "BGP router ID": (
        "puffin",
        lambda w, d: w.of("bgp").router_id(4, address("10.0.0.9")),
        lambda d: d.routing.one(BgpProcess).router_id.value,
        0x0A000009,
    ),
    "a stub area": (
        "puffin",
        lambda w, d: w.speaks(OspfPart).area_kind(4, 2, "stub", True),
        lambda d: (ospf(d).areas[2].kind, ospf(d).areas[2].summaries),
        ("stub", True),
    ),
    "a stub area without summaries": (
        "puffin",
        lambda w, d: w.speaks(OspfPart).area_kind(4, 2, "stub", False),
        lambda d: (ospf(d).areas[2].kind, ospf(d).areas[2].summaries),
        ("stub", False),
    ),
    "an area that takes part in no stub": (
        "puffin",
        lambda w, d: w.speaks(OspfPart).area_kind(4, 2, "nssa", True),
        lambda d: (ospf(d).areas[2].kind, len(ospf(d).areas[2].ranges)),
        ("nssa", 1),
    ),
    "OSPF redistributes": (
        "petrel",
        lambda w, d: w.of("ospf").redistribute(4, "static", LIKE),
        lambda d: [(r.metric, r.route_map) for r in ospf(d).redistribute if r.protocol == "static"],
        [(7, "FLEET")],
    ),
    "RIP redistributes what is connected": (
        "petrel",
        lambda w, d: w.of("rip").redistribute(4, "connected", LIKE),
        lambda d: [
            (r.protocol, r.metric, r.route_map) for r in d.routing.of(RipProcess)[0].redistribute
        ],
        [("connected", 7, "FLEET")],
    ),
    "RIP redistributes OSPF": (
        "petrel",
        lambda w, d: w.of("rip").redistribute(4, "ospf", None),
        lambda d: [
            (r.protocol, r.metric, r.route_map) for r in d.routing.of(RipProcess)[0].redistribute
        ],
        [("ospf", None, None)],
    ),
    "EIGRP redistributes": (
        "knot",
        lambda w, d: w.of("eigrp").redistribute(4, "static", None),
        lambda d: [r.protocol for r in d.routing.of(EigrpProcess)[0].redistribute],
        ["static"],
    ),
    "BGP redistributes": (
        "puffin",
        lambda w, d: w.of("bgp").redistribute(4, "ospf", None),
        lambda d: [r.protocol for r in d.routing.one(BgpProcess).families[4].redistribute],
        ["ospf"],
    ),
    "OSPF announces a default": (
        "petrel",
        lambda w, d: w.of("ospf").default_route(4),
        lambda d: ospf(d).default.always,
        False,
    ),
    "RIP announces a default": (
        "booby",
        lambda w, d: w.of("rip").default_route(4),
        lambda d: d.routing.of(RipProcess)[0].default is not None,
        True,
    ),
    "another system number": (
        "knot",
        lambda w, d: w.of("eigrp").whole_setting(4, "autonomous system", "65"),
        lambda d: ([p.number for p in d.routing.of(EigrpProcess)], covered("eigrp", d)),
        ([65], {"eth0", "eth1"}),
    ),
    "weights": (
        "knot",
        lambda w, d: w.of("eigrp").whole_setting(4, "K values", "1 1 1 0 0"),
        lambda d: d.routing.of(EigrpProcess)[0].weights,
        (1, 1, 1, 0, 0),
    ),
    "a neighbour's system": (
        "puffin",
        set_peer("remote AS", "65550"),
        lambda d: peer(d, "203.0.113.10").remote_as.value,
        "65550",
    ),
    "a neighbour shut": (
        "puffin",
        set_peer("shutdown", ""),
        lambda d: peer(d, "203.0.113.10").shutdown.value,
        True,
    ),
    "a neighbour's source": (
        "puffin",
        set_peer("source", "10.64.255.51"),
        lambda d: peer(d, "203.0.113.10").update_source.value,
        "10.64.255.51",
    ),
    "a neighbour far away": (
        "puffin",
        set_peer("multihop", "3"),
        lambda d: peer(d, "203.0.113.10").multihop.value,
        3,
    ),
    "a neighbour that may call": (
        "puffin",
        lambda w, d: w.speaks(BgpPart).neighbour_setting(address("198.18.255.50"), "passive", None),
        lambda d: peer(d, "198.18.255.50").passive,
        None,
    ),
    "a neighbour's next hop": (
        "puffin",
        set_peer("next hop self", "", 4),
        lambda d: peer_family(d, "203.0.113.10").next_hop_self.value,
        True,
    ),
    "a neighbour's limit": (
        "puffin",
        set_peer("maximum", "500", 4),
        lambda d: peer_family(d, "203.0.113.10").maximum.value,
        500,
    ),
    "a neighbour's policy": (
        "puffin",
        set_peer("policy in", "ISLES", 4),
        lambda d: (
            peer_family(d, "203.0.113.10").route_map_in.value,
            peer_family(d, "203.0.113.10").route_map_out.value,
        ),
        ("ISLES", "ISLES"),
    ),
    "a neighbour without a policy": (
        "puffin",
        set_peer("policy in", None, 4),
        lambda d: (
            peer_family(d, "203.0.113.10").route_map_in,
            peer_family(d, "203.0.113.10").route_map_out.value,
        ),
        (None, "ISLES"),
    ),
    "a neighbour at another address": (
        "puffin",
        lambda w, d: w.speaks(BgpPart).rename_neighbour(
            address("203.0.113.10"), address("203.0.113.99")
        ),
        lambda d: (
            sorted(str(n.address) for n in d.routing.one(BgpProcess).neighbours),
            peer(d, "203.0.113.99").remote_as.value,
            peer_family(d, "203.0.113.99").route_map_in.value,
        ),
        (["198.18.255.50", "203.0.113.18", "203.0.113.99"], "65540", "OUTSIDE"),
    ),
    "a neighbour like another": (
        "puffin",
        lambda w, d: w.speaks(BgpPart).add_neighbour(
            address("203.0.113.99"), 65599, peer(d, "203.0.113.10")
        ),
        lambda d: (
            len(d.routing.one(BgpProcess).neighbours),
            peer(d, "203.0.113.99").remote_as.value,
            peer_family(d, "203.0.113.99").route_map_out.value,
        ),
        (4, "65599", "ISLES"),
    ),
    "a network of BGP": (
        "puffin",
        lambda w, d: w.of("bgp").announce(prefix("10.64.224.0/20")),
        lambda d: [str(n.prefix) for n in d.routing.one(BgpProcess).families[4].networks],
        ["10.64.128.0/18", "10.64.192.0/20", "10.64.224.0/20"],
    ),
    "BGP on a router without it": (
        "petrel",
        lambda w, d: w.speaks(BgpPart).start(
            65536,
            (
                Peer(address("10.64.128.21"), 65536, None, None, None, True),
                Peer(address("203.0.113.1"), 65540, port(d, "lo"), "<secret:0123456789ab>", 2),
            ),
            (prefix("10.64.176.0/30"),),
            True,
        ),
        lambda d: (
            d.routing.one(BgpProcess).number,
            d.routing.one(BgpProcess).requires_policy.value,
            peer(d, "10.64.128.21").families[4].next_hop_self.value,
            peer(d, "203.0.113.1").remote_as.value,
            peer(d, "203.0.113.1").update_source.value in ("lo", "10.64.255.56"),
            peer(d, "203.0.113.1").password.value,
            peer(d, "203.0.113.1").multihop.value,
            [str(n.prefix) for n in d.routing.one(BgpProcess).families[4].networks],
        ),
        (65536, False, True, "65540", True, "<secret:0123456789ab>", 2, ["10.64.176.0/30"]),
    ),
    "no policy needed": (
        "puffin",
        lambda w, d: w.speaks(BgpPart).no_external_policy(),
        lambda d: d.routing.one(BgpProcess).requires_policy.value,
        False,
    ),
    "an entry in front of a list": (
        "petrel",
        lambda w, d: w.list_entry("prefix", "FLEET", None, prefix("10.64.128.0/24"), True),
        lambda d: rules(d)[0],
        ("4", "10.64.128.0/24", True),
    ),
    "an entry in the place of another": (
        "petrel",
        lambda w, d: w.list_entry(
            "prefix",
            "FLEET",
            d.policy.prefix_lists[(4, "FLEET")][1],
            prefix("10.64.199.0/24"),
            True,
        ),
        lambda d: [row[:2] for row in rules(d)],
        [("5", "10.64.176.0/24"), ("10", "10.64.199.0/24"), ("15", "10.64.178.0/24")],
    ),
    "an entry gone": (
        "petrel",
        lambda w, d: w.drop(d.policy.prefix_lists[(4, "FLEET")][1].source),
        lambda d: [row[:2] for row in rules(d)],
        [("5", "10.64.176.0/24"), ("15", "10.64.178.0/24")],
    ),
}
"""What is meant: (device, what is said, what is asked of the device afterwards, the answer)."""


@pytest.mark.parametrize("dialect", ["frr", "yang"])
@pytest.mark.parametrize("name", SAYINGS)
def test_what_is_written_is_read_as_it_was_meant(name: str, dialect: str) -> None:
    router, say, ask, wanted = SAYINGS[name]
    before = survey(dialect)
    held = device(before, router)
    edits = say(writer_for(before.survey, held), held)
    assert edits, f"{dialect} does not say {name!r}"
    assert ask_safely(ask, held) != wanted, "nothing would be changed"
    changed = apply(before.survey, edits)
    assert changed.devices == {router}
    after = Computed(changed.survey)
    assert ask(device(after, router)) == wanted
    [report] = [r for r in after.survey.reading if r.device == router and r.file in FILES]
    assert not report.unknown


def ask_safely(ask: Ask, held: Device) -> object:
    """What stands before the change may be nothing at all."""
    try:
        return ask(held)
    except (AttributeError, KeyError, AssertionError):
        return "nothing"


FILES = ("frr.conf", "running.json")
