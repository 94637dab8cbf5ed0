"""Access lists (RFC 8519): ietf-access-control-list and where its lists are attached."""

from __future__ import annotations

from ...network.addressing import Prefix, parse_prefix
from ...network.facts import Source
from ...network.filters import (
    ACCEPT,
    DROP,
    EGRESS,
    INGRESS,
    JUMP,
    REJECT,
    RETURN,
    UNKNOWN,
    Chain,
    Entry,
    Match,
)
from ...network.protocols import by_packets
from ..located_json import Document, Node

TOP = "ietf-access-control-list:acls"
_ACTIONS = {"accept": ACCEPT, "drop": DROP, "reject": REJECT}
_PROTOCOLS = {1: "icmp", 6: "tcp", 17: "udp", 47: "gre", 58: "icmpv6"} | by_packets()
_ICMP = {0: "echo-reply", 3: "destination-unreachable", 8: "echo-request", 11: "time-exceeded"}
_ICMPV6 = {
    1: "destination-unreachable",
    2: "packet-too-big",
    128: "echo-request",
    129: "echo-reply",
    135: "nd-neighbor-solicit",
    136: "nd-neighbor-advert",
}


class _Reader:
    def __init__(self, document: Document, device: str, file: str) -> None:
        self.document, self.device, self.file = document, device, file

    def source(self, node: Node, path: str) -> Source:
        return Source(self.device, self.file, node.key_line, self.document.quote(node), path)

    def read(self, top: Node) -> list[Chain]:
        lists: dict[str, Chain] = {}
        for node in top.items("acl"):
            name = node.text("name") or ""
            path = f"/{TOP}/acl[name='{name}']"
            node.ignore("type")
            aces = node.get("aces")
            entries = tuple(self.ace(ace, path) for ace in (aces.items("ace") if aces else ()))
            # Who matches nothing goes on to the next list of the set.
            lists[name] = Chain(name, self.source(node, path), entries, policy=RETURN)
        out = list(lists.values())
        points = top.get("attachment-points")
        for interface in points.items("interface") if points else ():
            port = interface.text("interface-id") or ""
            for side, hook in (("ingress", INGRESS), ("egress", EGRESS)):
                held = interface.get(side)
                sets = held.get("acl-sets") if held is not None else None
                jumps = []
                for item in sets.items("acl-set") if sets is not None else ():
                    name = item.text("name") or ""
                    source = self.source(item, f"/{TOP}/attachment-points")
                    item.ignore("ace-statistics")
                    if name in lists:
                        jumps.append(Entry(source, JUMP, (), name))
                    else:
                        missing = Match("unknown", (f"the access list {name} is not defined",))
                        jumps.append(Entry(source, DROP, (missing,)))
                if jumps:
                    name = f"{port} {side}"
                    # What becomes of packets that no entry matches, devices settle for themselves.
                    made = Chain(
                        name, jumps[0].source, tuple(jumps), hook, policy=UNKNOWN, interface=port
                    )
                    out.append(made)
        return out

    def ace(self, node: Node, path: str) -> Entry:
        name = node.text("name") or ""
        matches: list[Match] = []
        held = node.get("matches")
        for kind, inner in (held.members() if held is not None else {}).items():
            inner.seen = 1
            matches += self.matches(kind, inner)
        actions = node.get("actions")
        word = (actions.text("forwarding") or "") if actions is not None else ""
        if actions is not None:
            actions.ignore("logging")
        node.ignore("statistics")
        verdict = _ACTIONS.get(word.rpartition(":")[2], UNKNOWN)
        where = f"{path}/aces/ace[name='{name}']"
        return Entry(self.source(node, where), verdict, tuple(matches), name=name)

    def matches(self, kind: str, node: Node) -> list[Match]:
        if kind in ("ingress-interface", "egress-interface"):
            return [Match("in" if kind.startswith("ingress") else "out", (str(node.value),))]
        if kind in ("ipv4", "ipv6"):
            return [Match("family", (kind[-1],)), *self.addresses(kind, node)]
        if kind in ("tcp", "udp"):
            out = [Match("protocol", (kind,))]
            for side, key in (("source-port", "source-port"), ("destination-port", "target-port")):
                port = node.get(side)
                if port is not None:
                    out.append(self.port(f"{kind} {key}", port))
            return [*out, *self.rest(node, ("source-port", "destination-port"))]
        if kind == "icmp":
            out = [Match("protocol", ("icmp", "icmpv6"))]
            number = node.integer("type")
            if number is not None:
                words = {_ICMP.get(number), _ICMPV6.get(number)} - {None}
                out.append(Match("icmp-type", tuple(sorted(w for w in words if w))))
            return [*out, *self.rest(node, ("type",))]
        return [Match("unknown", (kind,))]

    def addresses(self, kind: str, node: Node) -> list[Match]:
        out: list[Match] = []
        for side, key in (("source", "source"), ("destination", "target")):
            text = node.text(f"{side}-{kind}-network")
            if text is not None:
                prefix: Prefix | None = parse_prefix(text)
                out.append(Match(key, (prefix,)) if prefix else Match("unknown", (text,)))
        number = node.integer("protocol")
        if number is not None:
            out.append(Match("protocol", (_PROTOCOLS.get(number, str(number)),)))
        known = (f"source-{kind}-network", f"destination-{kind}-network", "protocol")
        return [*out, *self.rest(node, known)]

    @staticmethod
    def rest(node: Node, known: tuple[str, ...]) -> list[Match]:
        return [Match("unknown", (key,)) for key in node.members() if key not in known]

    @staticmethod
    def port(key: str, node: Node) -> Match:
        low, high = node.integer("lower-port"), node.integer("upper-port")
        if low is not None and high is not None:
            return Match(key, ((low, high),))
        port, operator = node.integer("port"), node.text("operator") or "eq"
        if port is None:
            return Match("unknown", (operator,))
        return {
            "eq": Match(key, ((port, port),)),
            "neq": Match(key, ((port, port),), True),
            "lte": Match(key, ((0, port),)),
            "gte": Match(key, ((port, 65535),)),
        }.get(operator, Match("unknown", (operator,)))


def read(document: Document, device: str, file: str, top: Node) -> list[Chain]:
    """The lists of a device, and one chain for each interface and side they are attached to."""
    return _Reader(document, device, file).read(top)
