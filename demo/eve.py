"""What was done before the harbour works began: much that changes nothing, and two slips."""

from __future__ import annotations

from company import Company, Static


def change(company: Company) -> None:
    """The eve of the harbour works."""
    routers, hosts = company.routers, company.hosts

    def edit(name: str, head: str, old: str, new: str) -> None:
        lines = next(p for p in routers[name].protocols if p.head.startswith(head)).lines
        lines[lines.index(old)] = new

    # teal got fulmar's configuration as a template, router id included.
    edit("teal", "router ospf", "ospf router-id 10.64.255.55", "ospf router-id 10.64.255.50")
    # tidewater took us for somebody else.
    edit(
        "tidewater",
        "router bgp",
        "neighbor 203.0.113.9 remote-as 65536",
        "neighbor 203.0.113.9 remote-as 65537",
    )
    # Addresses by which routers are to be watched.
    for name, address in {"heron": "10.64.255.201", "lantern": "10.64.255.202"}.items():
        routers[name].ports[0].addresses.append(f"{address}/32")
    # What only appears in examples is thrown away at the edges.
    for name in ("gull", "skerry", "yard", "office", "lantern", "holm"):
        routers[name].statics.append(Static("192.0.2.0/24", special="discard"))
    # Lists for the second carrier, used by nothing yet.
    for name in ("puffin", "petrel"):
        routers[name].policy.append("ip prefix-list SPARE seq 5 permit 198.51.100.0/24")
    # A last resort for the ships, worse than every other way.
    routers["tern"].statics.append(Static("10.64.40.0/24", "10.64.0.9", distance=250))
    # The scale is to be found by another name, and the database is watched on a port of its own.
    hosts["roster"].files["hosts"] += "10.64.30.20 weights.ferry.example weights\n"
    hosts["booking-db"].files["ss.txt"] += "tcp   LISTEN 0      128    0.0.0.0:9100 0.0.0.0:*\n"
