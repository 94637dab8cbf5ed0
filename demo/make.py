#!/usr/bin/env python3
"""The made-up ferry company: one description, written out as surveys.

Run from the project's root to write demo/healthy and demo/broken again:

    .venv/bin/python demo/make.py

Each router is described once, without a format, and written as FRR text or as YANG data.
The broken survey is the healthy one after a week of changes, each behind a complaint in
demo/story.json.
"""

from __future__ import annotations

import hashlib
import json
import shutil
import sys
from dataclasses import dataclass, field, replace
from pathlib import Path

HERE = Path(__file__).resolve().parent

# The isles are a module of their own, which takes its building blocks from this one.
sys.modules.setdefault("make", sys.modules[__name__])


@dataclass
class Port:
    name: str
    addresses: list[str]
    description: str = ""
    enabled: bool = True
    ospf: int | None = None
    """The OSPF area, for ports that lead to other routers of it."""
    hello: int = 2
    parent: str | None = None
    """The port whose tagged frames a VLAN interface takes."""
    tag: int | None = None


@dataclass
class Protocol:
    """A routing protocol's section, in the words of the router."""

    head: str
    lines: list[str]


@dataclass
class Static:
    prefix: str
    gateway: str | None = None
    interface: str | None = None
    special: str | None = None
    distance: int = 1


@dataclass
class Router:
    name: str
    dialect: str
    ports: list[Port]
    statics: list[Static] = field(default_factory=list)
    protocols: list[Protocol] = field(default_factory=list)
    policy: list[str] = field(default_factory=list)
    files: dict[str, str] = field(default_factory=dict)
    """What else was gathered from it: tunnels."""

    def port(self, name: str) -> Port:
        return next(port for port in self.ports if port.name == name)


@dataclass
class Host:
    name: str
    addresses: list[str]
    gateways: list[str]
    files: dict[str, str] = field(default_factory=dict)
    """What else was gathered from it: filters, sockets, names."""


@dataclass
class Company:
    """Routers, hosts, and the cables between them; LANs are nodes without a folder."""

    routers: dict[str, Router]
    hosts: dict[str, Host]
    links: list[tuple[str, str, str, str]]
    lans: dict[str, list[tuple[str, str]]]
    switches: dict[str, dict[str, str]] = field(default_factory=dict)
    """What was gathered from LANs that are switches one can ask."""


def healthy() -> Company:
    """The network as it was built."""

    def s(*entries: tuple[str, str], distance: int = 1) -> list[Static]:
        return [Static(prefix, gateway, distance=distance) for prefix, gateway in entries]

    gull = Router(
        "gull",
        "frr",
        [
            Port("lo", ["10.64.255.20/32"]),
            Port("eth0", ["10.64.0.2/30"], "to heron"),
            Port("eth1", ["10.64.20.1/24"], "Gull Point, gate and kiosks"),
        ],
        s(("0.0.0.0/0", "10.64.0.1")),
    )
    tern = Router(
        "tern",
        "frr",
        [
            Port("lo", ["10.64.255.21/32"]),
            Port("eth0", ["10.64.0.6/30", "fd00:64:0:6::2/64"], "to heron"),
            Port("eth1", ["10.64.0.10/30", "fd00:64:0:a::2/64"], "to mole"),
            Port("eth2", ["10.64.21.1/24", "fd00:64:21::1/64"], "Tern Sound, kiosks and cameras"),
        ],
        [
            *s(
                ("10.64.64.0/23", "10.64.0.5"),
                ("10.64.64.0/23", "10.64.0.9"),
                ("10.64.40.0/24", "10.64.0.5"),
                ("0.0.0.0/0", "10.64.0.5"),
            ),
            *s(("fd00:64:65::/64", "fd00:64:0:a::1")),
        ],
    )
    skerry = Router(
        "skerry",
        "frr",
        [
            Port("lo", ["10.64.255.22/32"]),
            Port("eth0", ["10.64.0.14/30"], "to mole"),
            Port("eth1", ["10.64.22.1/24"], "Skerry, kiosks"),
        ],
        s(("0.0.0.0/0", "10.64.0.13")),
    )
    berth = Router(
        "berth",
        "frr",
        [
            Port("lo", ["10.64.255.40/32"]),
            Port("eth0", ["10.64.0.18/30"], "to heron"),
            Port("eth1", ["10.64.40.1/24"], "ships at berth"),
        ],
        s(("0.0.0.0/0", "10.64.0.17")),
    )
    lantern = Router(
        "lantern",
        "frr",
        [
            Port("lo", ["10.64.255.5/32"]),
            Port("eth0", ["10.64.0.22/30"], "to heron"),
            Port("eth1", ["203.0.113.2/30"], "to northlight, carrier"),
            Port("eth2", ["203.0.113.6/30"], "to farway, carrier, spare"),
        ],
        [
            *s(("10.64.0.0/16", "10.64.0.21"), ("0.0.0.0/0", "203.0.113.1")),
            *s(("0.0.0.0/0", "203.0.113.5"), distance=200),
        ],
    )
    heron = Router(
        "heron",
        "yang",
        [
            Port("lo0", ["10.64.255.1/32"]),
            Port("ge0", ["10.64.0.25/30"], "to mole"),
            Port("ge1", ["10.64.0.1/30"], "to gull"),
            Port("ge2", ["10.64.0.5/30", "fd00:64:0:6::1/64"], "to tern"),
            Port("ge3", ["10.64.0.17/30"], "to berth"),
            Port("ge4", ["10.64.0.21/30"], "to lantern"),
            Port("ge5", ["10.64.0.29/30"], "to office"),
        ],
        [
            *s(
                ("10.64.20.0/24", "10.64.0.2"),
                ("10.64.21.0/24", "10.64.0.6"),
                ("10.64.40.0/24", "10.64.0.18"),
                ("10.64.22.0/24", "10.64.0.26"),
                ("10.64.30.0/24", "10.64.0.26"),
                ("10.64.64.0/23", "10.64.0.30"),
                ("10.64.0.8/29", "10.64.0.26"),
                ("10.64.0.32/29", "10.64.0.26"),
                ("10.64.255.20/32", "10.64.0.2"),
                ("10.64.255.21/32", "10.64.0.6"),
                ("10.64.255.40/32", "10.64.0.18"),
                ("10.64.255.64/32", "10.64.0.30"),
                ("10.64.255.2/32", "10.64.0.26"),
                ("10.64.255.22/32", "10.64.0.26"),
                ("10.64.255.30/32", "10.64.0.26"),
                ("0.0.0.0/0", "10.64.0.22"),
            ),
            *s(("10.64.64.0/23", "10.64.0.26"), distance=50),
        ],
    )
    mole = Router(
        "mole",
        "yang",
        [
            Port("lo0", ["10.64.255.2/32"]),
            Port("ge0", ["10.64.0.26/30"], "to heron"),
            Port("ge1", ["10.64.0.9/30", "fd00:64:0:a::1/64"], "to tern"),
            Port("ge2", ["10.64.0.13/30"], "to skerry"),
            Port("ge3", ["10.64.0.37/30"], "to yard"),
            Port("ge4", ["10.64.0.33/30", "fd00:64:0:22::1/64"], "to office"),
        ],
        [
            *s(
                ("10.64.22.0/24", "10.64.0.14"),
                ("10.64.30.0/24", "10.64.0.38"),
                ("10.64.64.0/23", "10.64.0.34"),
                ("10.64.21.0/24", "10.64.0.10"),
                ("10.64.255.22/32", "10.64.0.14"),
                ("10.64.255.30/32", "10.64.0.38"),
                ("10.64.255.64/32", "10.64.0.34"),
                ("0.0.0.0/0", "10.64.0.25"),
            ),
            *s(("10.64.64.0/23", "10.64.0.25"), distance=50),
            *s(("fd00:64:21::/64", "fd00:64:0:a::2"), ("fd00:64:65::/64", "fd00:64:0:22::2")),
        ],
    )
    yard = Router(
        "yard",
        "yang",
        [
            Port("lo0", ["10.64.255.30/32"]),
            Port("ge0", ["10.64.0.38/30"], "to mole"),
            Port("ge1", ["10.64.30.1/24"], "yard, cranes and scales"),
        ],
        s(
            ("10.64.64.0/23", "10.64.0.37"),
            ("10.64.20.0/23", "10.64.0.37"),
            ("10.64.40.0/24", "10.64.0.37"),
            ("10.64.0.0/24", "10.64.0.37"),
            ("10.64.255.0/24", "10.64.0.37"),
        ),
    )
    # On purpose there is no route to Skerry: its kiosks have no business with cranes.
    office = Router(
        "office",
        "yang",
        [
            Port("lo0", ["10.64.255.64/32"]),
            Port("ge0", ["10.64.0.34/30", "fd00:64:0:22::2/64"], "to mole"),
            Port("ge1", ["10.64.0.30/30"], "to heron"),
            Port("ge2", ["10.64.64.1/24"], "staff"),
            Port("ge3", ["10.64.65.1/24", "fd00:64:65::1/64"], "servers"),
        ],
        [
            *s(("0.0.0.0/0", "10.64.0.33")),
            *s(("0.0.0.0/0", "10.64.0.29"), distance=50),
            *s(("fd00:64:21::/64", "fd00:64:0:22::1")),
        ],
    )
    northlight = Router(
        "northlight",
        "yang",
        [
            Port("lo0", ["198.18.255.1/32"]),
            Port("ge0", ["203.0.113.1/30"], "to the ferry company"),
            Port("ge1", ["198.18.7.1/24"], "card clearing"),
        ],
        s(("10.64.0.0/16", "203.0.113.2")),
    )
    routers = [gull, tern, skerry, berth, lantern, heron, mole, yard, office, northlight]
    hosts = [
        Host("gate-printer", ["10.64.20.31/24"], ["10.64.20.1"]),
        Host("gate-kiosk", ["10.64.20.41/24"], ["10.64.20.1"]),
        Host("tern-kiosk", ["10.64.21.41/24"], ["10.64.21.1"]),
        Host(
            "tern-camera", ["10.64.21.70/24", "fd00:64:21::70/64"], ["10.64.21.1", "fd00:64:21::1"]
        ),
        Host("skerry-kiosk", ["10.64.22.41/24"], ["10.64.22.1"]),
        Host("crane-panel", ["10.64.30.12/24"], ["10.64.30.1"]),
        Host("yard-scale", ["10.64.30.20/24"], ["10.64.30.1"]),
        Host("bridge-tablet", ["10.64.40.33/24"], ["10.64.40.1"]),
        Host("bridge-log", ["10.64.40.70/24"], ["10.64.40.1"]),
        Host("planning-desk", ["10.64.64.23/24"], ["10.64.64.1"]),
        Host(
            "booking-db", ["10.64.65.10/24", "fd00:64:65::10/64"], ["10.64.65.1", "fd00:64:65::1"]
        ),
        Host("roster", ["10.64.65.20/24"], ["10.64.65.1"]),
        Host("card-clearing", ["198.18.7.10/24"], ["198.18.7.1"]),
    ]
    links = [
        ("gull", "eth0", "heron", "ge1"),
        ("tern", "eth0", "heron", "ge2"),
        ("tern", "eth1", "mole", "ge1"),
        ("skerry", "eth0", "mole", "ge2"),
        ("berth", "eth0", "heron", "ge3"),
        ("lantern", "eth0", "heron", "ge4"),
        ("lantern", "eth1", "northlight", "ge0"),
        ("lantern", "eth2", "farway", "port7"),
        ("heron", "ge0", "mole", "ge0"),
        ("heron", "ge5", "office", "ge1"),
        ("mole", "ge3", "yard", "ge0"),
        ("mole", "ge4", "office", "ge0"),
        ("planning-desk", "eth0", "office", "ge2"),
        ("skerry-kiosk", "eth0", "skerry", "eth1"),
        ("card-clearing", "eth0", "northlight", "ge1"),
    ]
    lans = {
        "gull-lan": [("gull", "eth1"), ("gate-printer", "eth0"), ("gate-kiosk", "eth0")],
        "tern-lan": [("tern", "eth2"), ("tern-kiosk", "eth0"), ("tern-camera", "eth0")],
        "yard-lan": [("yard", "ge1"), ("crane-panel", "eth0"), ("yard-scale", "eth0")],
        "berth-lan": [("berth", "eth1"), ("bridge-tablet", "eth0"), ("bridge-log", "eth0")],
        "server-lan": [("office", "ge3"), ("booking-db", "eth0"), ("roster", "eth0")],
    }
    company = Company({r.name: r for r in routers}, {h.name: h for h in hosts}, links, lans)
    services.add(company)
    isles.add(company)
    reaches.add(company)
    return company


def broken() -> Company:
    """The same network after a week of changes."""
    company = healthy()
    routers, hosts = company.routers, company.hosts

    def without(name: str, prefix: str) -> None:
        router = routers[name]
        router.statics = [static for static in router.statics if static.prefix != prefix]

    def swap(name: str, prefix: str, gateway: str) -> None:
        router = routers[name]
        router.statics = [
            replace(static, gateway=gateway)
            if static.prefix == prefix and static.distance == 1
            else static
            for static in router.statics
        ]

    # The yard was tidied up, and the way back to the ships went with it.
    without("yard", "10.64.40.0/24")
    # Skerry's traffic was handed to the yard instead of to skerry.
    swap("mole", "10.64.22.0/24", "10.64.0.38")
    # Somebody tried an exit without a next hop and left it beside the right line.
    routers["tern"].statics.append(Static("10.64.40.0/24", interface="eth2"))
    # heron's port to gull was shut for a cable test.
    routers["heron"].port("ge1").enabled = False
    # lantern's default was turned round.
    swap("lantern", "0.0.0.0/0", "10.64.0.21")
    # The crane panel was set up with the gateway of its old place.
    hosts["crane-panel"].gateways = ["10.64.30.254"]
    # mole's port to tern is off; only IPv6 had no second way.
    routers["mole"].port("ge1").enabled = False
    # A test of the office left a discard route for part of the berth.
    routers["office"].statics.append(Static("10.64.40.64/26", special="discard"))
    services.change(company)
    isles.change(company)
    reaches.change(company)
    return company


import isles  # noqa: E402
import reaches  # noqa: E402
import services  # noqa: E402
import yang_routing  # noqa: E402

# -- writing it out -------------------------------------------------------------------


def frr_text(router: Router) -> str:
    """The router's configuration as FRR prints it."""
    out = [
        "!",
        "frr version 8.4.4",
        "frr defaults traditional",
        f"hostname {router.name}",
        "service integrated-vtysh-config",
        "!",
    ]
    for static in router.statics:
        word = "ipv6" if ":" in static.prefix else "ip"
        parts = [word, "route", static.prefix]
        if static.special:
            parts.append("blackhole" if static.special == "discard" else "reject")
        else:
            parts += [part for part in (static.gateway, static.interface) if part]
        if static.distance != 1:
            parts.append(str(static.distance))
        out.append(" ".join(parts))
    out.append("!")
    for port in router.ports:
        out.append(f"interface {port.name}")
        if port.description:
            out.append(f" description {port.description}")
        for address in port.addresses:
            out.append(f" {'ipv6' if ':' in address else 'ip'} address {address}")
        if port.ospf is not None:
            out += [f" ip ospf dead-interval {4 * port.hello}"]
            out += [f" ip ospf hello-interval {port.hello}", " ip ospf network point-to-point"]
        if not port.enabled:
            out.append(" shutdown")
        out += ["exit", "!"]
    for protocol in router.protocols:
        out += [protocol.head, *(f" {line}" for line in protocol.lines), "exit", "!"]
    if router.policy:
        out += [*router.policy, "!"]
    return "\n".join([*out, "end", ""])


def yang_data(router: Router) -> str:
    """The router's configuration as a YANG instance data file (RFC 9195)."""
    interfaces = []
    for port in router.ports:
        entry: dict[str, object] = {
            "name": port.name,
            "type": "iana-if-type:" + _type_of(port),
        }
        if port.description:
            entry["description"] = port.description
        entry["enabled"] = port.enabled
        if port.tag is not None:
            entry["trochos-vlan:vlan"] = {"parent": port.parent, "tag": port.tag}
        for family, version in (("ipv4", 4), ("ipv6", 6)):
            mine = [a for a in port.addresses if (":" in a) == (version == 6)]
            if mine:
                entry[f"ietf-ip:{family}"] = {
                    "forwarding": True,
                    "address": [
                        {"ip": a.split("/")[0], "prefix-length": int(a.split("/")[1])} for a in mine
                    ],
                }
        interfaces.append(entry)
    statics: dict[str, object] = {}
    for version in (4, 6):
        module = f"ietf-ipv{version}-unicast-routing"
        grouped: dict[str, list[Static]] = {}
        for static in router.statics:
            if (":" in static.prefix) == (version == 6):
                grouped.setdefault(static.prefix, []).append(static)
        if grouped:
            statics[f"{module}:ipv{version}"] = {
                "route": [
                    {"destination-prefix": prefix, "next-hop": _next_hop(group)}
                    for prefix, group in grouped.items()
                ]
            }
    running: list[dict[str, object]] = []
    if statics or not router.protocols:
        running.append({"type": "ietf-routing:static", "name": "static", "static-routes": statics})
    running += yang_routing.protocols(router)
    routing: dict[str, object] = {"control-plane-protocols": {"control-plane-protocol": running}}
    policy = yang_routing.policy(router)
    if policy is not None:
        routing["trochos-policy:policy"] = policy
    document = {
        "ietf-yang-instance-data:instance-data-set": {
            "name": f"{router.name}-configuration",
            "description": ["running configuration"],
            "content-data": {
                "ietf-system:system": {"hostname": router.name},
                "ietf-interfaces:interfaces": {"interface": interfaces},
                "ietf-routing:routing": routing,
            },
        }
    }
    return json.dumps(document, indent=2) + "\n"


def _type_of(port: Port) -> str:
    if port.name.startswith("lo"):
        return "softwareLoopback"
    if port.name.startswith("gre"):
        return "tunnel"
    return "ethernetCsmacd" if port.tag is None else "l2vlan"


def _next_hop(group: list[Static]) -> dict[str, object]:
    def one(static: Static) -> dict[str, object]:
        out: dict[str, object] = {}
        if static.special:
            out["special-next-hop"] = "blackhole" if static.special == "discard" else "unreachable"
        if static.interface:
            out["outgoing-interface"] = static.interface
        if static.gateway:
            out["next-hop-address"] = static.gateway
        if static.distance != 1:
            out["trochos-routing:preference"] = static.distance
        return out

    if len(group) == 1:
        return one(group[0])
    return {
        "next-hop-list": {
            "next-hop": [
                {"index": str(number), **one(static)} for number, static in enumerate(group, 1)
            ]
        }
    }


def _mac(name: str, port: str) -> str:
    digest = hashlib.sha256(f"{name} {port}".encode()).digest()
    return ":".join(f"{octet:02x}" for octet in (0x02, *digest[:5]))


def _link_local(mac: str) -> str:
    octets = [int(part, 16) for part in mac.split(":")]
    octets = [octets[0] ^ 2, *octets[1:3], 0xFF, 0xFE, *octets[3:]]
    groups = [octets[i] << 8 | octets[i + 1] for i in range(0, 8, 2)]
    return "fe80::" + ":".join(f"{group:x}" for group in groups)


def ip_addr(name: str, ports: list[Port], carrier: dict[str, bool]) -> str:
    """What `ip -j addr` shows."""
    out = [
        {
            "ifindex": 1,
            "ifname": "lo",
            "flags": ["LOOPBACK", "UP", "LOWER_UP"],
            "mtu": 65536,
            "operstate": "UNKNOWN",
            "link_type": "loopback",
            "address": "00:00:00:00:00:00",
            "addr_info": [
                {"family": "inet", "local": "127.0.0.1", "prefixlen": 8, "scope": "host"},
                {"family": "inet6", "local": "::1", "prefixlen": 128, "scope": "host"},
                *[_info(a) for port in ports if port.name == "lo" for a in port.addresses],
            ],
        }
    ]
    for index, port in enumerate((p for p in ports if p.name != "lo"), 2):
        mac = _mac(name, port.name)
        flags = ["BROADCAST", "MULTICAST"]
        if port.enabled:
            up = carrier.get(port.name, True)
            flags = [*([] if up else ["NO-CARRIER"]), *flags, "UP", *(["LOWER_UP"] if up else [])]
        info = [_info(address) for address in port.addresses]
        if port.name.startswith("gre"):
            out.append(
                {
                    "ifindex": index,
                    "ifname": port.name,
                    "flags": ["POINTOPOINT", "NOARP", "UP", "LOWER_UP"],
                    "mtu": 1476,
                    "operstate": "UNKNOWN",
                    "link_type": "gre",
                    "addr_info": info,
                }
            )
            continue
        if port.enabled:
            info.append(
                {"family": "inet6", "local": _link_local(mac), "prefixlen": 64, "scope": "link"}
            )
        out.append(
            {
                "ifindex": index,
                "ifname": port.name,
                "flags": flags,
                "mtu": 1500,
                "operstate": "UP" if "LOWER_UP" in flags else "DOWN",
                "link_type": "ether",
                "address": mac,
                "addr_info": info,
            }
        )
    return json.dumps(out, indent=1) + "\n"


def ip_link(router: Router) -> str:
    """What `ip -j -d link` shows of VLAN interfaces and the ports below them."""
    out: list[dict[str, object]] = []
    for index, port in enumerate(router.ports, 1):
        flags = ["BROADCAST", "MULTICAST", *(["UP", "LOWER_UP"] if port.enabled else [])]
        entry: dict[str, object] = {"ifindex": index, "ifname": port.name, "flags": flags}
        if port.tag is not None:
            entry["link"] = port.parent
            entry["linkinfo"] = {"info_kind": "vlan", "info_data": {"id": port.tag}}
        out.append(entry)
    return "[\n" + ",\n".join(" " + json.dumps(entry) for entry in out) + "\n]\n"


def _info(address: str) -> dict[str, object]:
    value, length = address.split("/")
    return {
        "family": "inet6" if ":" in value else "inet",
        "local": value,
        "prefixlen": int(length),
        "scope": "global",
    }


def ip_routes(host: Host, version: int) -> str:
    """What `ip -j route` or `ip -j -6 route` shows on a host; one entry a line."""
    import ipaddress

    entries: list[dict[str, object]] = []
    for gateway in host.gateways:
        if (":" in gateway) == (version == 6):
            entry: dict[str, object] = {"dst": "default", "gateway": gateway, "dev": "eth0"}
            if version == 6:
                entry["metric"] = 1024
            entries.append({**entry, "flags": []})
    for address in host.addresses:
        if (":" in address) == (version == 6):
            network = str(ipaddress.ip_interface(address).network)
            entries.append({"dst": network, "dev": "eth0", "protocol": "kernel", "flags": []})
    if not entries:
        return "[]\n"
    return "[\n" + ",\n".join(" " + json.dumps(entry) for entry in entries) + "\n]\n"


def wiring(company: Company) -> str:
    """The cables as ietf-network-topology (RFC 8345)."""
    points: dict[str, list[str]] = {}
    pairs = list(company.links)
    for lan, members in company.lans.items():
        for number, (device, port) in enumerate(members, 1):
            pairs.append((device, port, lan, f"port{number}"))
    for left, left_port, right, right_port in pairs:
        points.setdefault(left, []).append(left_port)
        points.setdefault(right, []).append(right_port)
    nodes = []
    for name, ports in points.items():
        node: dict[str, object] = {"node-id": name}
        if name == "farway":
            node["ietf-l3-unicast-topology:l3-node-attributes"] = {"router-id": ["203.0.113.5"]}
        node["ietf-network-topology:termination-point"] = [{"tp-id": port} for port in ports]
        nodes.append(node)
    links = []
    for left, left_port, right, right_port in pairs:
        for a, ap, b, bp in (
            (left, left_port, right, right_port),
            (right, right_port, left, left_port),
        ):
            links.append(
                {
                    "link-id": f"{a}:{ap}>{b}:{bp}",
                    "source": {"source-node": a, "source-tp": ap},
                    "destination": {"dest-node": b, "dest-tp": bp},
                }
            )
    return (
        json.dumps(
            {
                "ietf-network:networks": {
                    "network": [
                        {
                            "network-id": "ferries",
                            "node": nodes,
                            "ietf-network-topology:link": links,
                        }
                    ]
                }
            },
            indent=1,
        )
        + "\n"
    )


def render(
    company: Company, title: str, taken_at: str, dialect: str | None = None
) -> dict[str, str]:
    """All files of a survey; `dialect` writes every router in that format."""
    files = {
        "survey.json": json.dumps({"title": title, "taken_at": taken_at}, indent=1) + "\n",
        "topology.json": wiring(company),
    }
    enabled = {
        (router.name, port.name): port.enabled
        for router in company.routers.values()
        for port in router.ports
    }
    for router in company.routers.values():
        folder = f"devices/{router.name}"
        if (dialect or router.dialect) == "frr":
            files[f"{folder}/frr.conf"] = frr_text(router)
        else:
            files[f"{folder}/running.json"] = yang_data(router)
        files |= {f"{folder}/{name}": text for name, text in router.files.items()}
        if (dialect or router.dialect) == "frr" and any(p.tag for p in router.ports):
            files[f"{folder}/ip-link.json"] = ip_link(router)
        if router.dialect == "frr" and dialect is None:
            carrier = {}
            for left, lp, right, rp in company.links:
                for a, ap, b, bp in ((left, lp, right, rp), (right, rp, left, lp)):
                    if a == router.name:
                        carrier[ap] = enabled.get((b, bp), True)
            files[f"{folder}/ip-addr.json"] = ip_addr(router.name, router.ports, carrier)
    for host in company.hosts.values():
        folder = f"devices/{host.name}"
        port = Port("eth0", host.addresses)
        files[f"{folder}/ip-addr.json"] = ip_addr(host.name, [port], {})
        files[f"{folder}/ip-route.json"] = ip_routes(host, 4)
        if any(":" in address for address in host.addresses):
            files[f"{folder}/ip-route6.json"] = ip_routes(host, 6)
        files |= {f"{folder}/{name}": text for name, text in host.files.items()}
    for switch, held in company.switches.items():
        files |= {f"devices/{switch}/{name}": text for name, text in held.items()}
    return files


SURVEYS = {
    "healthy": (healthy, "Before the season", "2026-05-04T06:30:00Z"),
    "broken": (broken, "Monday after the harbour works", "2026-05-11T06:30:00Z"),
}


def main() -> None:
    """Writes both surveys anew."""
    for name, (build, title, taken_at) in SURVEYS.items():
        folder = HERE / name
        shutil.rmtree(folder, ignore_errors=True)
        for path, text in render(build(), title, taken_at).items():
            target = folder / path
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_text(text)


if __name__ == "__main__":
    main()
