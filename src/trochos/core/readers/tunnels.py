"""Tunnels: what wraps packets, from Linux and from YANG (RFC 2784, RFC 2003, RFC 2473)."""

from __future__ import annotations

from ..network.addressing import parse_address
from ..network.facts import Tunnel
from ..network.source import Source
from .located_json import Node

MODES = {
    "gre": "gre",
    "ip6gre": "gre",
    "gre6": "gre",
    "ipip": "ipip",
    "ip6tnl": "ipip",
    "ip6ip6": "ipip",
    "ipip6": "ipip",
    "ip/ip": "ipip",
    "any": "ipip",
    "sit": "ipip",
    "ipv6/ipv6": "ipip",
    "ip/ipv6": "ipip",
}
"""Names that systems give, and the two ways of wrapping that are computed."""


def read(entry: Node, mode: str | None, source: Source) -> Tunnel | None:
    """One tunnel from an object with `local`, `remote` and perhaps `ttl` and a key.

    None if the mode is not computed or an end is not an address.
    """
    known = MODES.get((mode or "").lower())
    local = parse_address(entry.text("local") or "")
    remote = parse_address(entry.text("remote") or "")
    ttl = entry.integer("ttl")
    key = None
    for name in ("key", "okey", "ikey"):
        node = entry.peek(name)
        if node is not None and node.value not in (None, "", 0):
            entry.get(name)
            key = str(node.value)
    for name in ("pmtudisc", "tos", "encaplimit", "flowlabel", "proto"):
        entry.get(name)
    if known is None or local is None or remote is None or local.family != remote.family:
        return None
    return Tunnel(known, local, remote, source, ttl, key)
