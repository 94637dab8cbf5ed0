"""A small network, worked out by hand: desk - front - back - db, one line.

A second link joins front and back, by which replies may come another way.
"""

from __future__ import annotations

import json

from surveys import KEY

from trochos.core.survey import Computed

FRONT = """frr version 8.4.4
hostname front
ip route 10.64.2.0/24 10.64.9.2
interface eth0
 ip address 10.64.1.1/24
exit
interface eth1
 ip address 10.64.9.1/30
exit
interface eth2
 ip address 10.64.9.5/30
exit
"""
BACK = """frr version 8.4.4
hostname back
ip route 10.64.1.0/24 10.64.9.1
interface eth0
 ip address 10.64.2.1/24
exit
interface eth1
 ip address 10.64.9.2/30
exit
interface eth2
 ip address 10.64.9.6/30
exit
"""
LINKS = [
    ("desk", "eth0", "front", "eth0"),
    ("front", "eth1", "back", "eth1"),
    ("front", "eth2", "back", "eth2"),
    ("back", "eth0", "db", "eth0"),
]


def host(address: str, gateway: str) -> dict[str, str]:
    entry = {"local": address, "prefixlen": 24, "family": "inet", "scope": "global"}
    link = {"ifname": "eth0", "flags": ["UP", "LOWER_UP"], "addr_info": [entry]}
    return {
        "addr.json": json.dumps([link]),
        "route.json": json.dumps([{"dst": "default", "gateway": gateway, "dev": "eth0"}]),
    }


def survey(**extra: dict[str, str]) -> Computed:
    """The network with further files per device."""
    devices: dict[str, dict[str, str]] = {
        "front": {"frr.conf": FRONT},
        "back": {"frr.conf": BACK},
        "desk": host("10.64.1.10", "10.64.1.1"),
        "db": host("10.64.2.10", "10.64.2.1"),
    }
    for name, files in extra.items():
        devices[name] = {**devices[name], **files}
    nodes = [{"node-id": name} for name in devices]
    links = [
        {
            "link-id": f"l{n}",
            "source": {"source-node": a, "source-tp": ap},
            "destination": {"dest-node": b, "dest-tp": bp},
        }
        for n, (a, ap, b, bp) in enumerate(LINKS)
    ]
    drawing = {"network-id": "n", "node": nodes, "ietf-network-topology:link": links}
    files = {"topology.json": json.dumps({"ietf-network:networks": {"network": [drawing]}})}
    for name, held in devices.items():
        files |= {f"devices/{name}/{file}": text for file, text in held.items()}
    return Computed.from_files({path: text.encode() for path, text in files.items()}, KEY)
