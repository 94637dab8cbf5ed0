"""The south quay: a younger part of the ferry company with a network of its own.

A ring that speaks IS-IS, two routers that share the gateway of the terminal, a border that rewrites
addresses towards two carriers, cameras that a rule sends over the second one, and the tenants'
shops in a routing instance of their own.
"""

from __future__ import annotations

import json
from typing import Any

from company import Company, Host, Port, Router
from written import ip_addr, ip_routes, wiring

TITLES = {
    "quay-healthy": ("The south quay opens", "2026-05-02T06:30:00Z"),
    "quay-broken": ("The south quay after its first week", "2026-05-09T06:30:00Z"),
}
PASSWORD = "tidemark"
_UP = ["BROADCAST", "MULTICAST", "UP", "LOWER_UP"]


class _Text:
    """A router's text, line by line, as FRR prints it."""

    def __init__(self, name: str, number: int | None = None) -> None:
        self.name, self.number = name, number
        self.statics: list[str] = []
        self.ports: dict[str, list[str]] = {}
        self.process: list[str] = []
        self.files: dict[str, str] = {}
        self.off: set[str] = set()
        self.instances: dict[str, str] = {}

    def port(self, name: str, address: str, *lines: str, ring: bool = False) -> None:
        held = [f"ip address {address}"]
        if ring:
            held += ["ip router isis quay", "isis network point-to-point"]
            held += [f"isis password clear {PASSWORD}"]
        self.ports[name] = [*held, *lines]

    def text(self) -> str:
        out = ["!", "frr version 8.4.4", "frr defaults traditional", f"hostname {self.name}", "!"]
        out += self.statics
        for name, lines in self.ports.items():
            instance = self.instances.get(name)
            out.append(f"interface {name}" + (f" vrf {instance}" if instance else ""))
            out += [f" {line}" for line in lines]
            out += [" shutdown"] if name in self.off else []
            out += ["exit", "!"]
        if self.number is not None:
            out += ["router isis quay", f" net 49.0001.0000.0080.{self.number:04}.00"]
            out += [" is-type level-2-only", *(f" {line}" for line in self.process), "exit", "!"]
        return "\n".join([*out, "end", ""])


def _keepalived(name: str, priority: int, address: str) -> str:
    return (
        f"global_defs {{\n  router_id {name}\n}}\nvrrp_instance terminal {{\n  state BACKUP\n"
        f"  interface eth2\n  virtual_router_id 51\n  priority {priority}\n  advert_int 1\n"
        "  track_interface {\n    eth0 weight -60\n  }\n"
        f"  virtual_ipaddress {{\n    {address}/24 dev eth2\n  }}\n}}\n"
    )


def _nft(web: str) -> str:
    """What `nft -j list ruleset` prints at the border: inside addresses are hidden behind its own,
    and the booking page is led inside."""
    place = {"family": "ip", "table": "nat"}

    def chain(name: str, hook: str, priority: int) -> dict[str, Any]:
        about = {"type": "nat", "hook": hook, "prio": priority, "policy": "accept"}
        return {"chain": {**place, "name": name, **about}}

    def match(left: dict[str, Any], right: object) -> dict[str, Any]:
        return {"match": {"op": "==", "left": left, "right": right}}

    inside = {"prefix": {"addr": "10.80.0.0", "len": 16}}
    source = {"payload": {"protocol": "ip", "field": "saddr"}}
    target = {"payload": {"protocol": "ip", "field": "daddr"}}
    port = {"payload": {"protocol": "tcp", "field": "dport"}}
    rows = [
        {"table": {"family": "ip", "name": "nat"}},
        chain("pre", "prerouting", -100),
        chain("post", "postrouting", 100),
        {"rule": {**place, "chain": "pre", "comment": "the booking page", "expr": [
            match(target, "203.0.113.130"), match(port, 443), {"dnat": {"addr": web}}]}},
        {"rule": {**place, "chain": "post", "comment": "nobody outside knows our addresses",
                  "expr": [match(source, inside), match(
                      {"meta": {"key": "oifname"}}, {"set": ["eth0", "eth4"]}),
                      {"masquerade": None}]}},
    ]  # fmt: skip
    listed = ",\n".join(json.dumps(row) for row in rows)
    return '{"nftables": [\n' + listed + "\n]}\n"


def _rules(cameras: str) -> dict[str, str]:
    """What `ip -j rule` and the tables beside the main one show: the cameras' own way."""
    network, _, length = cameras.partition("/")
    rules = [
        {"priority": 0, "src": "all", "table": "local"},
        {"priority": 100, "src": network, "srclen": int(length), "dst": "192.0.2.0", "dstlen": 24,
         "table": "100"},
        {"priority": 32766, "src": "all", "table": "main"},
        {"priority": 32767, "src": "all", "table": "default"},
    ]  # fmt: skip
    way = [{"dst": "default", "gateway": "203.0.113.133", "dev": "eth4", "table": "100"}]
    return {
        "ip-rule.json": "[\n" + ",\n".join(map(json.dumps, rules)) + "\n]\n",
        "tables.json": json.dumps(way, indent=1) + "\n",
    }


LINKS = [
    ("pier", "eth0", "breakwater", "eth0"), ("pier", "eth4", "farshore", "eth0"),
    ("pier", "eth1", "avocet", "eth0"), ("pier", "eth2", "plover", "eth0"),
    ("avocet", "eth1", "curlew", "eth0"), ("plover", "eth1", "curlew", "eth1"),
    ("plover", "eth3", "dotterel", "eth0"), ("avocet", "eth3", "quay-desk", "eth0"),
    ("curlew", "eth2", "booking-page", "eth0"), ("curlew", "eth3", "quay-camera", "eth0"),
    ("curlew", "eth4", "shop-till", "eth0"), ("curlew", "eth5", "shop-stock", "eth0"),
    ("curlew", "eth6", "stores-desk", "eth0"), ("dotterel", "eth1", "ticket-desk", "eth0"),
    ("breakwater", "eth1", "traveller", "eth0"), ("farshore", "eth1", "camera-store", "eth0"),
]  # fmt: skip
LANS = {
    "quay-lan": [("avocet", "eth2"), ("plover", "eth2"), ("till", "eth0"), ("info-screen", "eth0")]
}
HOSTS = {
    "till": ("10.80.10.31/24", "10.80.10.1"),
    "info-screen": ("10.80.10.41/24", "10.80.10.1"),
    "quay-desk": ("10.80.90.23/24", "10.80.90.1"),
    "booking-page": ("10.80.40.10/24", "10.80.40.1"),
    "quay-camera": ("10.80.30.20/24", "10.80.30.1"),
    "stores-desk": ("10.80.80.23/24", "10.80.80.1"),
    "ticket-desk": ("10.80.70.23/24", "10.80.70.1"),
    "shop-till": ("10.90.50.31/24", "10.90.50.1"),
    "shop-stock": ("10.90.60.10/24", "10.90.60.1"),
    "traveller": ("198.51.100.50/24", "198.51.100.1"),
    "camera-store": ("192.0.2.10/24", "192.0.2.1"),
}


def _routers() -> dict[str, _Text]:
    pier = _Text("pier", 1)
    pier.statics = ["ip route 0.0.0.0/0 203.0.113.129", "!"]
    pier.port("lo", "10.80.255.1/32", "ip router isis quay")
    pier.port("eth0", "203.0.113.130/30")
    pier.port("eth1", "10.80.0.1/30", ring=True)
    pier.port("eth2", "10.80.0.5/30", ring=True)
    pier.port("eth4", "203.0.113.134/30")
    pier.process = ["default-information originate ipv4 level-2"]
    pier.files = {"nft.json": _nft("10.80.40.10"), **_rules("10.80.30.0/24")}
    avocet = _Text("avocet", 2)
    avocet.port("eth0", "10.80.0.2/30", ring=True)
    avocet.port("eth1", "10.80.0.9/30", ring=True)
    avocet.port("eth2", "10.80.10.2/24", "ip router isis quay", "isis passive")
    avocet.port("eth3", "10.80.90.1/24", "ip router isis quay", "isis passive")
    avocet.files = {"keepalived.conf": _keepalived("avocet", 150, "10.80.10.1")}
    plover = _Text("plover", 3)
    plover.port("eth0", "10.80.0.6/30", ring=True)
    plover.port("eth1", "10.80.0.14/30", ring=True)
    plover.port("eth2", "10.80.10.3/24", "ip router isis quay", "isis passive")
    plover.port("eth3", "10.80.0.17/30", ring=True)
    plover.files = {"keepalived.conf": _keepalived("plover", 120, "10.80.10.1")}
    curlew = _Text("curlew", 4)
    curlew.port("eth0", "10.80.0.10/30", ring=True)
    curlew.port("eth1", "10.80.0.13/30", ring=True)
    for port, network in (("eth2", 40), ("eth3", 30), ("eth6", 80)):
        curlew.port(port, f"10.80.{network}.1/24", "ip router isis quay", "isis passive")
    curlew.port("eth4", "10.90.50.1/24")
    curlew.port("eth5", "10.90.60.1/24")
    curlew.instances = {"eth4": "shops", "eth5": "shops"}
    # The tills of the shops may sell tickets, and nothing else of the company's.
    curlew.statics = ["ip route 10.90.50.0/24 eth4 nexthop-vrf shops", "!", "vrf shops"]
    curlew.statics += [" ip route 10.80.40.0/24 eth2 nexthop-vrf default", "exit-vrf", "!"]
    dotterel = _Text("dotterel", 5)
    dotterel.port("eth0", "10.80.0.18/30", ring=True)
    dotterel.port("eth1", "10.80.70.1/24", "ip router isis quay", "isis passive")
    breakwater, farshore = _Text("breakwater"), _Text("farshore")
    breakwater.port("eth0", "203.0.113.129/30")
    breakwater.port("eth1", "198.51.100.1/24")
    farshore.port("eth0", "203.0.113.133/30")
    farshore.port("eth1", "192.0.2.1/24")
    return {r.name: r for r in (pier, avocet, plover, curlew, dotterel, breakwater, farshore)}


def _change(routers: dict[str, _Text]) -> None:
    """What the first week made of it."""
    # The booking page moved on paper, and the border leads to where it never went.
    routers["pier"].files |= {"nft.json": _nft("10.80.40.11")}
    # The cameras' rule was written again, with a digit too many.
    routers["pier"].files |= _rules("10.80.33.0/24")
    # avocet's port to the terminal is off for works; plover was to take over, and holds another
    # address.
    routers["avocet"].off.add("eth2")
    routers["plover"].files = {"keepalived.conf": _keepalived("plover", 120, "10.80.10.11")}
    # The stores' port was set up again and left out of IS-IS.
    routers["curlew"].ports["eth6"] = ["ip address 10.80.80.1/24"]
    # dotterel got a new password for its neighbour.
    lines = routers["dotterel"].ports["eth0"]
    routers["dotterel"].ports["eth0"] = [line.replace(PASSWORD, "flotsam") for line in lines]
    # The shops' stock room came back in the company's instance.
    del routers["curlew"].instances["eth5"]


def render(folder: str) -> dict[str, str]:
    """All files of one of the two surveys."""
    title, taken_at = TITLES[folder]
    routers = _routers()
    if folder == "quay-broken":
        _change(routers)
    shapes = {
        name: Router(name, "frr", [Port(port, []) for port in held.ports])
        for name, held in routers.items()
    }
    hosts = {name: Host(name, [address], [way]) for name, (address, way) in HOSTS.items()}
    company = Company(shapes, hosts, LINKS, LANS)
    about = {"title": title, "taken_at": taken_at, "network": "The south quay"}
    files = {"survey.json": json.dumps(about, indent=1) + "\n", "topology.json": wiring(company)}
    for name, held in routers.items():
        files[f"devices/{name}/frr.conf"] = held.text()
        files |= {f"devices/{name}/{file}": text for file, text in held.files.items()}
    for name, host in hosts.items():
        files[f"devices/{name}/ip-addr.json"] = ip_addr(name, [Port("eth0", host.addresses)], {})
        files[f"devices/{name}/ip-route.json"] = ip_routes(host, 4)
    return files
