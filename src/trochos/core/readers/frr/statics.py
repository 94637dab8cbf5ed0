"""The `ip route` and `ipv6 route` lines of FRR 8.4, in every form it prints or accepts.

ip route PREFIX [MASK] (GATEWAY [INTERFACE] | INTERFACE | Null0 | blackhole | reject)
         [tag N] [DISTANCE] [vrf NAME] [nexthop-vrf NAME] [table N] [label L]
         [onlink] [color N] [bfd ...]
"""

from __future__ import annotations

from dataclasses import dataclass

from ...network.addressing import Address, mask_length, parse_address, parse_prefix, prefix_of
from ...network.facts import Source, StaticRoute

_WITH_VALUE = ("tag", "vrf", "nexthop-vrf", "table", "label", "color", "segments")
MAIN_TABLES = ("0", "254")


@dataclass(frozen=True, slots=True)
class StaticLine:
    """A parsed line: the route, or why it is not computed, and the routing instance it is for."""

    route: StaticRoute | None
    problem: str | None = None
    matters: bool = True
    instance: str | None = None
    """As the line says it; None where it says nothing."""
    hop_in: str | None = None
    """The routing instance in which the next hop lies, as the line says it."""
    table: str | None = None
    """The table other than the main one that it is for."""


def read_static(words: list[str], family: int, source: Source, default: int) -> StaticLine:
    """Reads the words after `ip route` / `ipv6 route`.

    Args:
        words: what follows the two command words.
        family: 4 or 6.
        source: the line, as evidence.
        default: the distance in force when the line names none.
    """
    words = list(words)
    if not words:
        return StaticLine(None, "a prefix is missing")
    prefix = parse_prefix(words[0])
    if prefix is None and family == 4 and len(words) > 1:
        network, mask = parse_address(words[0]), parse_address(words[1])
        length = mask_length(mask) if mask else None
        if network is not None and network.family == 4 and length is not None:
            prefix = prefix_of(network, length)
            words.pop(1)
    if prefix is None or prefix.family != family:
        return StaticLine(None, f"{words[0]!r} is not an IPv{family} prefix")
    words.pop(0)
    if words[:1] == ["from"]:
        return StaticLine(None, "routes by source address are not computed")

    gateway: Address | None = None
    interface: str | None = None
    special: str | None = None
    distance, tag, onlink, problem = default, 0, False, None
    instance: str | None = None
    hop_in: str | None = None
    table: str | None = None
    position = 0
    while position < len(words):
        word = words[position]
        position += 1
        if word in _WITH_VALUE:
            if position >= len(words):
                return StaticLine(None, f"a value is missing after {word!r}")
            value = words[position]
            position += 1
            if word == "tag":
                if not value.isdigit():
                    return StaticLine(None, f"{value!r} is not a tag")
                tag = int(value)
            elif word == "table" and value not in MAIN_TABLES:
                table = value
            elif word == "vrf":
                instance = value if value != "default" else ""
            elif word == "nexthop-vrf":
                hop_in = value if value != "default" else ""
            elif word in ("label", "segments"):
                problem = "it puts labels on packets, which is not computed"
            continue
        if word == "bfd":
            position = len(words)
        elif word == "onlink":
            onlink = True
        elif word.isdigit() and (gateway or interface or special):
            distance = int(word)
            if not 1 <= distance <= 255:
                return StaticLine(None, f"the distance {word} is not between 1 and 255")
        elif gateway is None and interface is None and special is None:
            address = parse_address(word)
            if address is not None:
                if address.family != family:
                    return StaticLine(None, f"the gateway {word} is not an IPv{family} address")
                gateway = address
            elif word == "reject":
                special = "reject"
            elif word == "blackhole" or (len(word) > 2 and "null0".startswith(word.lower())):
                special = "discard"
            else:
                interface = word
        elif gateway is not None and interface is None and special is None:
            interface = word
        else:
            return StaticLine(None, f"{word!r} is not understood here")
    if gateway is None and interface is None and special is None:
        return StaticLine(None, "it names neither a gateway nor an interface")
    if problem is not None:
        return StaticLine(None, problem, True, instance)
    route = StaticRoute(prefix, source, gateway, interface, special, distance, 1, tag, onlink)
    return StaticLine(route, instance=instance, hop_in=hop_in, table=table)


def path_key(route: StaticRoute) -> tuple[object, ...]:
    """What makes two lines one path to the router: a later line replaces the earlier."""
    return (route.prefix, route.gateway, route.interface, route.special)
