"""Devices written out: FRR text, YANG data, and what Linux says of itself."""

from __future__ import annotations

import hashlib
import json

import yang_routing
from company import Company, Host, Port, Router, Static


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
