"""What is recognised and not computed: one row per feature, with the words that the screen says.

A row says by which signs a text or a line shows the feature, what it is called, and which packets
it touches. docs/manual/limits.md is written from here (docs/manual/make.py), and
tests/core/test_limits.py puts one of each into a healthy network.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from ..network.facts import ALL, LINKS


@dataclass(frozen=True, slots=True)
class Limit:
    """A feature that is not computed.

    `signs` match at the start of a line (or anywhere in a JSON text); `lines` says that single
    lines of a configuration show it, else a whole file does. `touches` is `ROUTED`, `LINKS` or
    `ALL` (see `Unmodelled`).
    """

    name: str
    why: str
    signs: re.Pattern[str]
    example: str
    touches: str = LINKS
    lines: bool = False


def _row(
    name: str, why: str, signs: str, example: str, touches: str = LINKS, lines: bool = False
) -> Limit:
    return Limit(name, why, re.compile(signs, re.M), example, touches, lines)


ROWS = (
    _row(
        "IPsec",
        "packets that IPsec protects take another way, and that is not computed",
        r"^\s*(?:conn \S+$|connections \{$|ipsec \S|include .*ipsec\.d)"
        r"|^src \S+ dst \S+$(?=\n\s*(?:dir|proto))",
        "conn office\n  left=10.0.0.1\n  right=10.9.0.1\n  auto=start\n",
        ALL,
    ),
    _row(
        "WireGuard",
        "what a WireGuard tunnel carries is not computed",
        r"^\s*\[Interface\]\s*$(?=[\s\S]*^\s*\[Peer\]\s*$)|^interface: wg\S*$",
        "[Interface]\nAddress = 10.9.0.1/24\n[Peer]\nAllowedIPs = 10.9.1.0/24\n",
    ),
    _row(
        "OpenVPN",
        "what an OpenVPN tunnel carries is not computed",
        r"^(?:remote \S+ \d+|dev tun\d*$|dev tap\d*$|proto (?:udp|tcp)(?:-client|-server)?$)",
        "client\ndev tun\nproto udp\nremote 203.0.113.9 1194\n",
    ),
    _row(
        "load balancing",
        "a load balancer hands connections on to others, and that is not computed",
        r"^(?:virtual_server(?:_group)? \S|frontend \S+$|backend \S+$|listen \S+$|-A -[tuf] \S"
        r"|IP Virtual Server version)",
        "frontend web\n  bind 10.0.0.9:80\nbackend pool\n  server a 10.0.0.10:80\n",
        ALL,
    ),
    _row(
        "traffic control",
        "traffic control may redirect or drop packets, and that is not computed",
        r"^(?:filter (?:parent|dev|protocol|ingress|egress) \S|tc (?:qdisc|filter) \S"
        r"|qdisc (?:ingress|clsact) \S)",
        "filter parent ffff: protocol ip pref 10 u32 chain 0\n  action order 1: mirred "
        "(Egress Redirect to device eth2)\n",
        ALL,
    ),
    _row(
        "iptables",
        "filters and translations in this form are not computed",
        r"^(?:\*(?:filter|nat|mangle|raw)$|:(?:INPUT|FORWARD|PREROUTING|POSTROUTING) \S"
        r"|-A (?:INPUT|FORWARD|OUTPUT|PREROUTING|POSTROUTING) \S)",
        "*filter\n:FORWARD DROP [0:0]\n-A FORWARD -s 10.0.0.0/8 -j ACCEPT\nCOMMIT\n",
        ALL,
    ),
    _row(
        "filters as text",
        "filters are computed from `nft -j list ruleset` only, not from this form",
        r"^(?:table (?:inet|ip|ip6|bridge|netdev|arp) \S+ \{|flush ruleset$)",
        "table inet filter {\n  chain forward {\n    type filter hook forward priority 0; "
        "policy drop;\n  }\n}\n",
        ALL,
    ),
    _row(
        "EVPN",
        "networks that are stretched by EVPN are not computed",
        r"^\s*(?:address-family l2vpn evpn|advertise-all-vni|vni \d+|evpn mh \S)",
        "router bgp 65540\n address-family l2vpn evpn\n  advertise-all-vni\n exit-address-family\n",
        LINKS,
        True,
    ),
    _row(
        "MPLS",
        "label switching (MPLS, segment routing) is not computed",
        r"^\s*(?:mpls (?:ldp|lsp|label|enable)\b|segment-routing\b|ip route \S+ \S+ label \S+"
        r"|pseudowire\b|l2vpn \S)",
        "mpls ldp\n address-family ipv4\n  interface eth1\n exit-address-family\n",
        LINKS,
        True,
    ),
    _row(
        "NHRP",
        "ways that NHRP learns are not computed",
        r"^\s*(?:ip|ipv6) nhrp \S|^nhrp \S",
        "interface eth1\n ip nhrp network-id 1\n",
        LINKS,
        True,
    ),
)


SAID_BY_READERS = (
    (
        "routes of routing instances exchanged with other routers (RFC 4364)",
        "what other routers offer its routing instances (RFC 4364) is not computed",
    ),
    (
        "routing instances of devices without a configuration",
        "the routing instance RED of mid is not computed",
    ),
    ("rare parts of policy maps", "this of a policy map is not computed"),
    ("rules by users or tunnels' numbers", "rules that choose a table by this are not computed"),
    ("translations in rare forms", "this form of dnat is not computed"),
    (
        "several IS-IS processes of one device",
        "several IS-IS processes on one device are not computed",
    ),
    (
        "a route map below the line of IS-IS that names it",
        "the route map OUT stands below the line that names it",
    ),
    (
        "a topology of its own for IPv6 without wide metrics",
        "a topology of its own needs wide metrics: the daemon refuses the whole process",
    ),
    (
        "shared gateways that a script decides",
        "which of ant and bee holds 10.64.1.1 is not in their texts",
    ),
    ("bundles of links", "bundles of links are not computed"),
    ("stacked interfaces", "stacked interfaces are not computed"),
    ("tunnels but GRE and IP in IP", "tunnels are not computed"),
    ("unknown lines", "'...' is not understood"),
)
"""(what, how the screen says it) of features that their readers find by structure."""


def of_text(text: str) -> tuple[Limit, int] | None:
    """The feature that a whole file shows, and the line that shows it."""
    for row in ROWS:
        found = None if row.lines else row.signs.search(text)
        if found is not None:
            return row, text.count("\n", 0, found.start() + len(found.group())) + 1
    return None


def of_line(line: str) -> Limit | None:
    """The feature that one line of a configuration shows."""
    return next((row for row in ROWS if row.lines and row.signs.match(line)), None)
