"""The company's servers and switches: who may talk to them, who listens, how names are found."""

from __future__ import annotations

import json
from typing import Any

from company import Company

SEARCH = "ferry.example"
RESOLVER = "10.64.65.20"
NAMES = {
    "booking": "10.64.65.10",
    "roster": "10.64.65.20",
    "scale": "10.64.30.20",
    "bridge-log": "10.64.40.70",
}


def add(company: Company) -> None:
    """Filters, sockets and names as they are before the season."""
    hosts = company.hosts
    hosts["booking-db"].files = {
        "nft.json": _guard([("10.64.0.0", 16)]),
        "ss.txt": _sockets(("tcp", "0.0.0.0", 5432), ("tcp", "[::]", 5432), ("tcp", "0.0.0.0", 22)),
    }
    hosts["roster"].files = {
        "hosts": "127.0.0.1 localhost\n"
        + "".join(f"{address} {name}.{SEARCH} {name}\n" for name, address in NAMES.items()),
        "ss.txt": _sockets(
            ("udp", "0.0.0.0", 53),
            ("tcp", "0.0.0.0", 53),
            ("tcp", "0.0.0.0", 80),
            ("tcp", "0.0.0.0", 443),
        ),
    }
    company.switches["gull-lan"] = _switch(20, 20, 20)
    for name in ("planning-desk", "tern-kiosk", "gate-kiosk"):
        hosts[name].files = {"resolv.conf": f"search {SEARCH}\nnameserver {RESOLVER}\n"}


def change(company: Company) -> None:
    """What a week of changes made of them."""
    hosts = company.hosts
    # The database was locked down to the terminals and the isles; planning was forgotten.
    hosts["booking-db"].files["nft.json"] = _guard([("10.64.16.0", 20), ("10.64.128.0", 17)])
    # The roster's certificate ran out, and its port was switched off.
    hosts["roster"].files["ss.txt"] = _sockets(
        ("udp", "0.0.0.0", 53), ("tcp", "0.0.0.0", 53), ("tcp", "0.0.0.0", 80)
    )
    # The kiosk was set up again, with a digit missing.
    hosts["tern-kiosk"].files["resolv.conf"] = f"search {SEARCH}\nnameserver 10.64.65.2\n"

    # The kiosk was plugged in again, into a port that the harbour office uses.
    company.switches["gull-lan"] = _switch(20, 20, 30)


def _switch(*vlans: int) -> dict[str, str]:
    """A Linux bridge with one untagged port per VLAN given: `ip -j -d link`, `bridge -j vlan`."""
    up = ["BROADCAST", "MULTICAST", "UP", "LOWER_UP"]
    kind = {"info_kind": "bridge", "info_data": {"vlan_filtering": 1, "stp_state": 1}}
    links: list[dict[str, Any]] = [
        {"ifindex": 1, "ifname": "bridge0", "flags": up, "mtu": 1500, "linkinfo": kind}
    ]
    ports: list[dict[str, Any]] = []
    for number, vlan in enumerate(vlans, 1):
        slave = {"info_slave_kind": "bridge", "info_slave_data": {"state": "forwarding"}}
        name = f"port{number}"
        more = {"master": "bridge0", "operstate": "UP", "linkinfo": slave}
        links.append({"ifindex": number + 1, "ifname": name, "flags": up, "mtu": 1500, **more})
        held = {"vlan": vlan, "flags": ["PVID", "Egress Untagged"]}
        ports.append({"ifname": name, "vlans": [held]})
    return {"ip-link.json": _rows(links), "bridge-vlan.json": _rows(ports)}


def _rows(items: list[dict[str, Any]]) -> str:
    return "[\n" + ",\n".join(" " + json.dumps(item) for item in items) + "\n]\n"


def _sockets(*listening: tuple[str, str, int]) -> str:
    """What `ss -tuln` prints."""
    rows = ["Netid State  Recv-Q Send-Q Local Address:Port Peer Address:Port"]
    for protocol, address, port in listening:
        state = "LISTEN" if protocol == "tcp" else "UNCONN"
        rows.append(f"{protocol}   {state} 0      128    {address}:{port} 0.0.0.0:*")
    return "\n".join(rows) + "\n"


def _guard(clients: list[tuple[str, int]]) -> str:
    """What `nft -j list ruleset` prints; one element a line."""
    where = {"family": "inet", "table": "guard", "chain": "incoming"}
    chain = {"family": "inet", "table": "guard", "name": "incoming", "handle": 1}

    def rule(handle: int, *expr: dict[str, Any]) -> dict[str, Any]:
        return {"rule": {**where, "handle": handle, "expr": [*expr, {"accept": None}]}}

    def match(left: dict[str, Any], right: object, op: str = "==") -> dict[str, Any]:
        return {"match": {"op": op, "left": left, "right": right}}

    def payload(protocol: str, name: str) -> dict[str, Any]:
        return {"payload": {"protocol": protocol, "field": name}}

    items: list[dict[str, Any]] = [
        {"metainfo": {"version": "1.0.6", "json_schema_version": 1}},
        {"table": {"family": "inet", "name": "guard", "handle": 1}},
        {"chain": {**chain, "type": "filter", "hook": "input", "prio": 0, "policy": "drop"}},
        rule(2, match({"ct": {"key": "state"}}, ["established", "related"], "in")),
        rule(3, match({"meta": {"key": "iifname"}}, "lo")),
        rule(4, match({"meta": {"key": "l4proto"}}, {"set": ["icmp", "ipv6-icmp"]})),
        rule(5, match(payload("tcp", "dport"), 22), match(payload("ip", "saddr"), RESOLVER)),
    ]
    for handle, (address, length) in enumerate(clients, 6):
        prefix = {"prefix": {"addr": address, "len": length}}
        source = match(payload("ip", "saddr"), prefix)
        items.append(rule(handle, source, match(payload("tcp", "dport"), 5432)))
    ours = {"prefix": {"addr": "fd00:64::", "len": 32}}
    source = match(payload("ip6", "saddr"), ours)
    items.append(rule(20, source, match(payload("tcp", "dport"), 5432)))
    rows = ",\n".join(" " + json.dumps(item) for item in items)
    return '{"nftables": [\n' + rows + "\n]}\n"
