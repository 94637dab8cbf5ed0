"""`vrrp` lines of interfaces: addresses that routers share (VRRP, RFC 5798).

Measured on FRR 8.4 in namespaces: the addresses have to stand on an interface of their own with
the virtual router's MAC, else the router takes no part; adverts with other addresses are heard;
of equal priorities whoever was first stays.
"""

from __future__ import annotations

from typing import Any

from ...network.addressing import InterfaceAddress, parse_address
from ...network.shared import SharedGateway
from ...network.source import Source
from .fate import IRRELEVANT, UNDERSTOOD, Fate, Misread, number

_WORDS = ("priority", "advertisement-interval", "version")


class VrrpLines:
    """Collects the lines of a text, per interface and virtual router."""

    def __init__(self) -> None:
        self.held: dict[tuple[str, int], dict[str, Any]] = {}

    def line(self, interface: str, words: list[str], source: Source, negated: bool) -> Fate:
        """One line under an interface, after its `vrrp`.

        Raises:
            Misread: a value is not what it should be.
        """
        if not words:
            raise Misread("the virtual router's number is missing")
        key = (interface, number(words[0], 1, 255))
        rest = words[1:]
        if negated and not rest:
            self.held.pop(key, None)
            return UNDERSTOOD
        held = self.held.setdefault(key, {"source": source, "ip": {}, "ipv6": {}, "said": {}})
        if not rest:
            return UNDERSTOOD
        first = rest[0]
        if first in ("ip", "ipv6") and len(rest) == 2:
            address = parse_address(rest[1])
            if address is None or (address.family == 4) != (first == "ip"):
                raise Misread(f"{rest[1]!r} is no {'IPv4' if first == 'ip' else 'IPv6'} address")
            held[first].pop(address, None)
            if not negated:
                held[first][address] = source
        elif first in _WORDS:
            held.pop(first, None)
            if not negated:
                held[first] = number(rest[1] if len(rest) > 1 else "", 1, 40950)
                held["said"][first] = source
        elif first == "shutdown":
            held["shutdown"] = not negated
        elif first == "preempt":
            held["preempt"] = not negated
        elif first == "checksum-with-ipv4-pseudoheader":
            return IRRELEVANT
        else:
            return f"`vrrp {first}` is not understood here"
        return UNDERSTOOD

    def finish(self) -> list[SharedGateway]:
        """One part per virtual router and family that has addresses."""
        out: list[SharedGateway] = []
        for (interface, router_id), held in self.held.items():
            for word, family in (("ip", 4), ("ipv6", 6)):
                addresses = tuple(
                    (InterfaceAddress(address, 32 if family == 4 else 128), source)
                    for address, source in held[word].items()
                )
                if not addresses:
                    continue
                kind = "01" if family == 4 else "02"
                out.append(
                    SharedGateway(
                        f"vrrp {router_id}",
                        interface,
                        router_id,
                        held["source"],
                        addresses,
                        held.get("priority", 100),
                        held.get("version", 3),
                        held.get("advertisement-interval", 1000) / 1000,
                        idle="it is shut down" if held.get("shutdown") else None,
                        mac=f"00:00:5e:00:{kind}:{router_id:02x}",
                        lax=True,
                        preempt=held.get("preempt", True),
                        said=tuple(held["said"].items()),
                    )
                )
        return out
