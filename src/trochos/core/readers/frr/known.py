"""The words of FRR's configuration that are known without being computed, and how its text is told
from others."""

from __future__ import annotations

import re

from .. import protocols
from ..report import split_lines

IRRELEVANT_WORDS = frozenset(
    [
        "frr",
        "log",
        "debug",
        "service",
        "password",
        "enable",
        "banner",
        "line",
        "exec-timeout",
        "domainname",
        "username",
        "agentx",
        "fpm",
        "end",
        "exit",
        "configure",
        "terminal",
        "write",
        "login",
        "nolog",
        "mpls-te",
        "router-id",
        "allow-external-route-update",
        "affinity-map",
        "allow-reserved-ranges",
        "dump",
        "mac",
        "nhrp",
        "pseudowire",
    ]
)
"""First words that never change where a unicast packet goes."""
IRRELEVANT_PAIRS = frozenset(
    """ip router-id|ipv6 router-id|ip multicast|ip multicast-routing|ip mroute|ipv6 mroute
    |ip pim|ip igmp|ip msdp|ip ssmpingd|ipv6 pim|ipv6 mld|zebra nexthop|zebra nexthop-group
    |zebra route-map|zebra work-queue|zebra protodown|ip table|ipv6 nd|zebra dplane
    |interface-type x|frr version|frr defaults|no log|no debug|no zebra|no banner|no service
    |ip ssh|evpn mh|fpm use-next-hop-groups|bgp community|bgp send-extra-data
    |pbr nexthop-resolve|pbr table|ip irdp|ipv6 ssmpingd
    |ipv6 multicast""".replace("\n", "").split("|")
)
IRRELEVANT_PAIRS = frozenset(" ".join(pair.split()) for pair in IRRELEVANT_PAIRS)
INTERFACE_IRRELEVANT = frozenset(
    [
        "description",
        "link-params",
        "multicast",
        "exit",
        "admin-grp",
        "!",
        "mpls",
        "evpn",
        "link-detect",
        "use-bw",
        "metric",
        "max-bw",
        "max-rsv-bw",
        "unrsv-bw",
    ]
)
POLICY_PAIRS = frozenset(
    f"{first} {second}"
    for first in ("ip", "ipv6")
    for second in (
        "prefix-list",
        "access-list",
        "as-path",
        "community-list",
        "large-community-list",
        "extcommunity-list",
    )
)
NOTHING: frozenset[str] = frozenset()
FLUSH_LEFT = {
    "router": frozenset(
        [
            "network",
            "neighbor",
            "redistribute",
            "area",
            "passive-interface",
            "version",
            "timers",
            "distance",
            "default-information",
            "default-metric",
            "distribute-list",
            "offset-list",
            "allow-ecmp",
            "auto-cost",
            "max-metric",
            *(reader.word for row in protocols.FRR for reader in row.readers() if reader.says_word),
            "address-family",
            "exit-address-family",
            "aggregate-address",
            "maximum-paths",
            "summary-address",
            "metric",
            "variance",
            "stub-router",
            "abr-type",
        ]
    ),
    "route-map": frozenset(["match", "set", "call", "on-match", "continue", "description"]),
    "key-chain": frozenset(["key", "key-string", "cryptographic-algorithm"]),
    "pbr-map": frozenset(["match", "set"]),
    "nexthop-group": frozenset(["nexthop"]),
}
"""Words that cannot stand at the top level: written without indentation, they still belong to the
section that is open, as the router itself reads them."""
IN_INSTANCE = "it is not computed in a routing instance"
SHARED_ADDRESSES = "addresses that routers share (VRRP) are not computed"
OTHERS = {
    "babel": "Babel",
    "openfabric": "OpenFabric",
    "pim": "PIM",
    "nhrp": "NHRP",
    "ldp": "LDP",
    "sharp": "SHARP",
}
"""Protocols that are known by name and not computed."""
AROUND = re.compile(
    r"(?:Building configuration\.\.\.|Current configuration:|Hello, this is FRRouting|Copyright "
    r"|[\w.-]+(?:\([\w-]+\))?[#>]\s*(?:(?:sh|wr|term|conf|end|exit|quit)\w*\b.*)?$)"
)
"""What a router says around its configuration when somebody copies it out of a session."""
SIGNS = re.compile(
    r"^(?:frr (?:version|defaults) \S|hostname \S+$|interface \S+|router (?:"
    + "|".join(r.word for row in protocols.FRR for r in row.readers())
    + r")\b|ip(?:v6)? route \S+ \S|ip(?:v6)? forwarding$|service integrated-vtysh-config"
    r"|route-map \S+ (?:permit|deny)|line vty$|log (?:syslog|file|stdout)|no ip(?:v6)? forwarding$)"
)


def looks_like(text: str) -> bool:
    """True if the text reads like FRR configuration: at least one line nobody else writes."""
    lines = [line.strip() for line in split_lines(text)[:400]]
    real = [line for line in lines if line and line[0] not in "!#"]
    if not real:
        return any(line == "!" for line in lines)
    hits = sum(1 for line in real if SIGNS.match(line))
    return hits > 0 and hits * 30 >= len(real)
