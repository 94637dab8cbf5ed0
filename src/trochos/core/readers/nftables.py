"""Linux filters as `nft -j list ruleset` prints them (libnftables-json(5))."""

from __future__ import annotations

from collections.abc import Iterator

from ..network.addressing import Prefix, parse_address, parse_prefix
from ..network.facts import Source, Unmodelled
from ..network.filters import (
    ACCEPT,
    CONTINUE,
    DROP,
    GOTO,
    JUMP,
    REJECT,
    RETURN,
    Chain,
    Entry,
    Match,
    Range,
)
from .drafts import CaptureDraft
from .located_json import Document, Node

KIND = "filters of a Linux device (nftables)"
_FAMILIES = {"ip": (4,), "ip6": (6,), "inet": (4, 6)}
_HOOKS = ("prerouting", "input", "forward", "output", "postrouting")
_PORTS = {
    "ftp": 21, "ssh": 22, "telnet": 23, "smtp": 25, "domain": 53, "bootps": 67, "bootpc": 68,
    "tftp": 69, "http": 80, "ntp": 123, "snmp": 161, "bgp": 179, "ldap": 389, "https": 443,
    "syslog": 514, "router": 520, "ripng": 521, "postgresql": 5432, "http-alt": 8080,
}  # fmt: skip
"""Names that the program prints in place of numbers (IANA's registry of service names)."""
_IDLE = frozenset(("counter", "log", "comment", "quota", "notrack"))
_VERDICTS = {"accept": ACCEPT, "drop": DROP, "reject": REJECT, "return": RETURN}
_FIELDS = {
    ("ip", "saddr"): "source",
    ("ip6", "saddr"): "source",
    ("ip", "daddr"): "target",
    ("ip6", "daddr"): "target",
    ("ip", "protocol"): "protocol",
    ("ip6", "nexthdr"): "protocol",
    ("icmp", "type"): "icmp-type",
    ("icmpv6", "type"): "icmp-type",
}
_META = {"iifname": "in", "oifname": "out", "iif": "in", "oif": "out", "l4proto": "protocol"}
_NFPROTO = {"ipv4": "4", "ipv6": "6", "ip": "4", "ip6": "6"}
Values = list[Prefix | Range | str]


def looks_like(root: Node) -> bool:
    return isinstance(root.value, dict) and "nftables" in root.members()


class _Reader:
    def __init__(self, document: Document, device: str, file: str) -> None:
        self.document, self.device, self.file = document, device, file
        self.draft = CaptureDraft(file)
        self.sets: dict[tuple[str, str, str], list[Node]] = {}

    def source(self, node: Node, path: str) -> Source:
        return Source(self.device, self.file, node.key_line, self.document.quote(node), path)

    def read(self) -> CaptureDraft:
        root = self.document.root
        listed = root.items("nftables")
        chains: dict[tuple[str, str, str], Chain] = {}
        entries: dict[tuple[str, str, str], list[Entry]] = {}
        for item in listed:
            for kind in ("set", "map"):
                held = item.get(kind)
                if held is not None:
                    held.use_all()
                    self.sets[self.place(held, "name")] = held.items("elem")
        for position, item in enumerate(listed):
            path = f"/nftables/{position}"
            item.ignore("metainfo", "table", "flowtable")
            chain = item.get("chain")
            if chain is not None:
                chain.use_all()
                made = self.chain(chain, f"{path}/chain")
                if made is not None:
                    chains[self.place(chain, "name")] = made
            rule = item.get("rule")
            if rule is not None:
                rule.use_all()
                where = self.place(rule, "chain")
                family = _FAMILIES.get(where[0])
                if family is not None:
                    entries.setdefault(where, []).append(self.entry(rule, f"{path}/rule", where))
        for where, chain_ in chains.items():
            whole = Chain(
                "/".join(where),
                chain_.source,
                tuple(entries.get(where, ())),
                chain_.hook,
                chain_.families,
                chain_.priority,
                chain_.policy,
            )
            self.draft.filters.append(whole)
        return self.draft

    @staticmethod
    def place(node: Node, last: str) -> tuple[str, str, str]:
        return node.text("family") or "", node.text("table") or "", node.text(last) or ""

    def chain(self, node: Node, path: str) -> Chain | None:
        family = _FAMILIES.get(node.text("family") or "")
        if family is None:
            return None  # of bridges and network cards, where no packet of ours is routed
        hook, kind = node.text("hook"), node.text("type")
        source = self.source(node, path)
        if kind == "nat":
            why = "address translation is not computed"
            self.draft.unmodelled.append(Unmodelled(source, why))
            return None
        return Chain(
            node.text("name") or "",
            source,
            hook=hook if hook in _HOOKS else None,
            families=family,
            priority=node.integer("prio") or 0,
            policy=DROP if node.text("policy") == "drop" else ACCEPT,
        )

    def entry(self, node: Node, path: str, where: tuple[str, str, str]) -> Entry:
        source = self.source(node.peek("expr") or node, path)
        matches: list[Match] = []
        verdict, target = CONTINUE, ""
        for part in node.items("expr"):
            for kind, body in part.members().items():
                if kind == "match":
                    matches.append(self.match(body, where))
                elif kind in _VERDICTS:
                    verdict = _VERDICTS[kind]
                elif kind in (JUMP, GOTO):
                    verdict = kind
                    target = "/".join((where[0], where[1], body.text("target") or ""))
                elif kind in ("snat", "dnat", "masquerade", "redirect", "mangle", "tproxy"):
                    why = f"{kind} changes packets, which is not computed"
                    self.draft.unmodelled.append(Unmodelled(source, why))
                elif kind not in _IDLE:
                    matches.append(Match("unknown", (kind,)))
        return Entry(source, verdict, tuple(matches), target, node.text("comment") or "")

    def match(self, node: Node, where: tuple[str, str, str]) -> Match:
        negated = node.text("op") == "!="
        if node.text("op") not in ("==", "!=", "in"):
            return Match("unknown", (node.text("op") or "a comparison",))
        left, right = node.peek("left"), node.peek("right")
        key = self.key(left) if left is not None else None
        if key is None or right is None:
            return Match("unknown", (self.document.quote(node)[:60],))
        values: Values = []
        for item in self.listed(right, where):
            found = _value(key, item)
            if found is None:
                return Match("unknown", (self.document.quote(node)[:60],))
            values.append(found)
        return Match(key, tuple(values), negated)

    @staticmethod
    def key(left: Node) -> str | None:
        payload = left.peek("payload")
        if payload is not None:
            protocol, field = payload.text("protocol") or "", payload.text("field") or ""
            if field in ("sport", "dport") and protocol in ("tcp", "udp", "th", "sctp"):
                side = "source-port" if field == "sport" else "target-port"
                return side if protocol == "th" else f"{protocol} {side}"
            return _FIELDS.get((protocol, field))
        meta = left.peek("meta")
        if meta is not None:
            name = meta.text("key") or ""
            return "family" if name in ("nfproto", "protocol") else _META.get(name)
        ct = left.peek("ct")
        if ct is not None and ct.text("key") == "state":
            return "state"
        return None

    def listed(self, node: Node, where: tuple[str, str, str]) -> Iterator[Node]:
        """The single values behind sets, named sets and elements with data beside them."""
        if isinstance(node.value, str) and node.value.startswith("@"):
            for item in self.sets.get((where[0], where[1], node.value[1:]), [node]):
                yield from self.listed(item, where) if item is not node else iter((node,))
            return
        if isinstance(node.value, list):
            for item in node.value:
                yield from self.listed(item, where)
            return
        inner = node.peek("set")
        if inner is not None:
            yield from self.listed(inner, where)
            return
        element = node.peek("elem")
        if element is not None:
            held = element.peek("val")
            yield from self.listed(held if held is not None else element, where)
            return
        yield node


def _value(key: str, node: Node) -> Prefix | Range | str | None:
    plain = node.value
    if key in ("source", "target"):
        inner = node.peek("prefix")
        if inner is not None:
            return parse_prefix(f"{inner.text('addr')}/{inner.integer('len')}")
        if isinstance(plain, str):
            address = parse_address(plain)
            if address is not None:
                return Prefix(address.family, address.value, 32 if address.family == 4 else 128)
            return parse_prefix(plain) if "/" in plain else None
        return None  # ranges of addresses are rare, and are then not certain
    if key.endswith("-port"):
        inner = node.peek("range")
        if inner is not None:
            ends = [_port(item) for item in inner.elements()]
            if len(ends) == 2 and ends[0] is not None and ends[1] is not None:
                return ends[0], ends[1]
            return None
        port = _port(node)
        return None if port is None else (port, port)
    if key == "family":
        return _NFPROTO.get(str(plain))
    if isinstance(plain, str | int) and not isinstance(plain, bool):
        return str(plain)
    return None


def _port(node: Node) -> int | None:
    if isinstance(node.value, int) and not isinstance(node.value, bool):
        return node.value
    return _PORTS.get(str(node.value))


def read(document: Document, device: str, file: str) -> CaptureDraft:
    """Reads the whole ruleset of a device."""
    return _Reader(document, device, file).read()
