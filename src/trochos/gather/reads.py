"""What is read from Linux and open-source routers: commands that only read.

One list, for whoever runs them over SSH and for the script that somebody runs by hand (`kit`).
"""

from __future__ import annotations

from typing import NamedTuple


class Item(NamedTuple):
    """One command, the file that its answer becomes, and what it is in words."""

    file: str
    command: str
    what: str


READS = (
    Item("frr.conf", "vtysh -c 'show running-config'", "the running configuration"),
    Item("frr-stored.conf", "cat /etc/frr/frr.conf", "the stored configuration"),
    Item("frr-route.json", "vtysh -c 'show ip route json'", "the IPv4 routing table"),
    Item("frr-route6.json", "vtysh -c 'show ipv6 route json'", "the IPv6 routing table"),
    Item("ip-addr.json", "ip -j addr", "interfaces and addresses"),
    Item("ip-link.json", "ip -j -d link", "links, bridges and tunnels"),
    Item("ip-route.json", "ip -j route", "the kernel's IPv4 routes"),
    Item("ip-route6.json", "ip -j -6 route", "the kernel's IPv6 routes"),
    Item("ip-rule.json", "ip -j rule", "the IPv4 rules that choose a table"),
    Item("ip-rule6.json", "ip -j -6 rule", "the IPv6 rules that choose a table"),
    Item("tables.json", "ip -j route show table all", "the other IPv4 tables"),
    Item("tables6.json", "ip -j -6 route show table all", "the other IPv6 tables"),
    Item("ip-neigh.json", "ip -j neigh", "the neighbour table"),
    Item("bridge-vlan.json", "bridge -j vlan show", "VLANs of ports"),
    Item("nft.json", "nft -j list ruleset", "filters and translations"),
    Item("keepalived.conf", "cat /etc/keepalived/keepalived.conf", "shared gateway addresses"),
    Item("sysctl.txt", "sysctl -a", "kernel settings"),
    Item("resolv.conf", "cat /etc/resolv.conf", "resolvers"),
    Item("hosts", "cat /etc/hosts", "the hosts file"),
    Item("sockets.txt", "ss -tuln", "listening sockets"),
)
"""All that is ever run on a device. There is no way to run anything else."""

MAY_LACK = (
    "frr-stored.conf",
    "bridge-vlan.json",
    "nft.json",
    "resolv.conf",
    "hosts",
    "frr-route6.json",
    "ip-rule.json",
    "ip-rule6.json",
    "tables.json",
    "tables6.json",
    "keepalived.conf",
)
"""What a healthy device may answer with an error: no such file, or no such feature."""
