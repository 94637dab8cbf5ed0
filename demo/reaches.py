"""Two places that are reached by more than a cable: the slipway behind a tunnel, and the office's
meeting rooms and phones, which share one cable as VLANs."""

from __future__ import annotations

import json
from typing import Any

from company import Company, Host, Port, Router, Static

OUTER = {"lantern": "203.0.113.2", "slip": "198.18.9.2"}
"""The ends of the tunnel as the carrier knows them."""


def _tunnel(local: str, remote: str) -> dict[str, str]:
    """The tunnel as `ip -j -d link` shows it."""
    entry = {
        "ifindex": 9,
        "ifname": "gre1",
        "flags": ["POINTOPOINT", "NOARP", "UP", "LOWER_UP"],
        "mtu": 1476,
        "operstate": "UNKNOWN",
        "link_type": "gre",
        "linkinfo": {
            "info_kind": "gre",
            "info_data": {"local": local, "remote": remote, "ttl": 64},
        },
    }
    return {"ip-link.json": json.dumps([entry], indent=1) + "\n"}


def add(company: Company) -> None:
    """As they were built."""
    _slipway(company)
    _rooms(company)


def _slipway(company: Company) -> None:
    routers, hosts = company.routers, company.hosts
    lantern, northlight = routers["lantern"], routers["northlight"]
    lantern.ports.append(Port("gre1", ["10.64.0.40/31"], "through northlight to slip"))
    lantern.statics += [
        Static("10.64.48.0/24", "10.64.0.41"),
        Static("10.64.255.48/32", "10.64.0.41"),
        Static("198.18.9.0/30", "203.0.113.1"),
    ]
    lantern.files |= _tunnel(OUTER["lantern"], OUTER["slip"])
    northlight.ports.append(Port("ge2", ["198.18.9.1/30"], "to the slipway"))
    routers["slip"] = Router(
        "slip",
        "frr",
        [
            Port("lo", ["10.64.255.48/32"]),
            Port("eth0", ["198.18.9.2/30"], "to northlight, carrier"),
            Port("gre1", ["10.64.0.41/31"], "through northlight to lantern"),
            Port("eth1", ["10.64.48.1/24"], "slipway, the outer yard"),
        ],
        [Static("0.0.0.0/0", "10.64.0.40"), Static("203.0.113.2/32", "198.18.9.1")],
        files=_tunnel(OUTER["slip"], OUTER["lantern"]),
    )
    hosts["slip-winch"] = Host("slip-winch", ["10.64.48.20/24"], ["10.64.48.1"])
    company.links += [
        ("northlight", "ge2", "slip", "eth0"),
        ("slip-winch", "eth0", "slip", "eth1"),
    ]


def _rooms(company: Company) -> None:
    routers, hosts = company.routers, company.hosts
    routers["office"].ports += [
        Port("ge4", [], "to office-switch, tagged"),
        Port("vlan66", ["10.64.66.1/24"], "meeting rooms", parent="ge4", tag=66),
        Port("vlan67", ["10.64.67.1/24"], "phones", parent="ge4", tag=67),
    ]
    routers["heron"].statics += [
        Static("10.64.66.0/23", "10.64.0.30"),
        Static("10.64.66.0/23", "10.64.0.26", distance=50),
    ]
    routers["mole"].statics += [
        Static("10.64.66.0/23", "10.64.0.34"),
        Static("10.64.66.0/23", "10.64.0.25", distance=50),
    ]
    routers["yard"].statics.append(Static("10.64.66.0/23", "10.64.0.37"))
    hosts["room-screen"] = Host("room-screen", ["10.64.66.15/24"], ["10.64.66.1"])
    hosts["front-phone"] = Host("front-phone", ["10.64.67.12/24"], ["10.64.67.1"])
    company.lans["office-switch"] = [
        ("office", "ge4"),
        ("room-screen", "eth0"),
        ("front-phone", "eth0"),
    ]
    company.switches["office-switch"] = _switch([66, 67])


def change(company: Company) -> None:
    """What a week of changes made of them."""
    # The slipway's carrier asked for the spare address, and one end was told.
    company.routers["slip"].files |= _tunnel(OUTER["slip"], "203.0.113.6")
    # The office's switch was replaced, and the rooms' VLAN was left off the cable to the router.
    company.switches["office-switch"] = _switch([67])


def _switch(trunk: list[int]) -> dict[str, str]:
    """A Linux bridge: a tagged port to the router, an untagged one per VLAN."""
    up = ["BROADCAST", "MULTICAST", "UP", "LOWER_UP"]
    kind = {"info_kind": "bridge", "info_data": {"vlan_filtering": 1, "stp_state": 1}}
    links: list[dict[str, Any]] = [
        {"ifindex": 1, "ifname": "bridge0", "flags": up, "mtu": 1500, "linkinfo": kind}
    ]
    own = [{"vlan": 66, "flags": ["PVID", "Egress Untagged"]}]
    other = [{"vlan": 67, "flags": ["PVID", "Egress Untagged"]}]
    held = [[{"vlan": vlan, "flags": []} for vlan in trunk], own, other]
    ports = []
    for number, vlans in enumerate(held, 1):
        slave = {"info_slave_kind": "bridge", "info_slave_data": {"state": "forwarding"}}
        more = {"master": "bridge0", "operstate": "UP", "linkinfo": slave}
        name = f"port{number}"
        links.append({"ifindex": number + 1, "ifname": name, "flags": up, "mtu": 1500, **more})
        ports.append({"ifname": name, "vlans": vlans})

    def rows(items: list[dict[str, Any]]) -> str:
        return "[\n" + ",\n".join(" " + json.dumps(item) for item in items) + "\n]\n"

    return {"ip-link.json": rows(links), "bridge-vlan.json": rows(ports)}
