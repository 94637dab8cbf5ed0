"""Linux filters as `nft -j list ruleset` prints them (libnftables-json(5))."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterator

from ..network.addressing import Prefix, parse_address, parse_prefix
from ..network.facts import ALL, Source, Unmodelled
from ..network.filters import (
    ACCEPT,
    ALL_BITS,
    CONNECTION,
    CONTINUE,
    DROP,
    GOTO,
    JUMP,
    PACKET,
    REJECT,
    RETURN,
    TRANSLATE,
    UNKNOWN,
    Chain,
    Entry,
    Marking,
    Match,
    Range,
)
from ..network.translation import DESTINATION, SOURCE, Rewrite
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
_IDLE = frozenset(("counter", "log", "comment", "quota", "set", "ct helper", "ct timeout", "flow"))
"""Statements that decide nothing about the packet."""
_REWRITES = {
    "snat": SOURCE,
    "masquerade": SOURCE,
    "dnat": DESTINATION,
    "redirect": DESTINATION,
}
_VERDICTS = {"accept": ACCEPT, "drop": DROP, "reject": REJECT, "return": RETURN}
_FIELDS = {
    ("ip", "saddr"): "source",
    ("ip6", "saddr"): "source",
    ("ip", "daddr"): "target",
    ("ip6", "daddr"): "target",
    ("ip", "protocol"): "ipv4 protocol",
    ("ip6", "nexthdr"): "ipv6 protocol",
    ("icmp", "type"): "icmp icmp-type",
    ("icmpv6", "type"): "icmpv6 icmp-type",
}
_META = {"iifname": "in", "oifname": "out", "iif": "in", "oif": "out", "l4proto": "protocol"}
MARKED_TWICE = "marks that a rule asks for, sets and asks for again are not computed"
_MARKS = ("mark", "connection-mark")
"""The keys of conditions about marks: of the packet, and of its connection."""
_NFPROTO = {"ipv4": "4", "ipv6": "6", "ip": "4", "ip6": "6"}
Values = list[Prefix | Range | str]


def looks_like(root: Node) -> bool:
    return isinstance(root.value, dict) and "nftables" in root.members()


_OF_RULES = frozenset(("family", "table", "chain", "handle", "index", "comment", "expr"))
_OF_CHAINS = frozenset(
    (
        *("family", "table", "name", "handle", "type", "hook", "prio", "dev", "policy", "comment"),
        "newname",
    )
)
_WORDS = frozenset(
    (
        "tcp option", "ip option", "sctp chunk", "dccp option", "ct helper", "ct timeout",
        "ct expectation", "ct count",
        "match", "op", "left", "right", "payload", "protocol", "field", "base",
        "offset", "len", "exthdr", "name", "meta", "key", "ct", "family",
        "dir", "rt", "numgen", "mode", "mod", "jhash", "symhash", "seed",
        "sum", "fib", "result", "flags", "accept", "drop", "continue", "return",
        "jump", "goto", "target", "counter", "packets", "bytes", "mangle", "value",
        "quota", "val", "val_unit", "used", "used_unit", "inv", "limit", "rate",
        "rate_unit", "per", "burst", "burst_unit", "fwd", "dev", "addr", "dup",
        "snat", "dnat", "masquerade", "redirect", "port", "type_flags", "reject", "type",
        "expr", "set", "map", "elem", "stmt", "log", "prefix", "group",
        "snaplen", "queue-threshold", "level", "meter", "size", "queue", "num", "vmap",
        "data", "range", "concat", "xt", "notrack", "tproxy", "synproxy", "mss",
        "wscale", "flow", "add", "update", "delete", "timeout", "expires", "comment",
        "osf", "ttl", "ipsec", "spnum", "reqid", "spi", "socket", "last",
        "tunnel", "|", "^", "&", "<<", ">>",
    )
)  # fmt: skip
"""Every member that rules may have (libnftables-json(5))."""


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
        translating: set[tuple[str, str, str]] = set()
        for item in listed:
            for kind in ("set", "map"):
                held = item.get(kind)
                if held is not None:
                    held.use_all()
                    self.sets[self.place(held, "name")] = held.items("elem")
        for position, item in enumerate(listed):
            path = f"/nftables/{position}"
            item.ignore("flowtable")
            table = item.get("table")
            if table is not None:
                table.ignore("family", "name", "handle", "flags", "comment", "use")
            about = item.get("metainfo")
            if about is not None:
                about.ignore("version", "release_name", "json_schema_version")
            chain = item.get("chain")
            if chain is not None:
                chain.use_all()
                where = self.place(chain, "name")
                if chain.text("type") == "nat":
                    translating.add(where)
                chains[where] = self.chain(chain, f"{path}/chain")
            rule = item.get("rule")
            if rule is not None:
                rule.use_all()
                where = self.place(rule, "chain")
                source = self.source(rule.peek("expr") or rule, f"{path}/rule")
                if where[0] in _FAMILIES:
                    entries.setdefault(where, []).extend(self.entries(rule, source, where))
                else:
                    self.report(source, f"filters of the family {where[0]} are not computed")
        for where, chain_ in chains.items():
            if where[0] not in _FAMILIES:
                if chain_.policy == DROP:
                    why = f"filters of the family {where[0]} are not computed"
                    self.report(chain_.source, why)
                continue
            whole = Chain(
                "/".join(where),
                chain_.source,
                tuple(entries.get(where, ())),
                chain_.hook,
                chain_.families,
                chain_.priority,
                chain_.policy,
                reroutes=chain_.reroutes,
            )
            if where not in translating:
                self.draft.filters.append(whole)
            tables = {place[:2] for place in translating}
            if where in translating or (chain_.hook is None and where[:2] in tables):
                self.draft.translations.append(whole)
        return self.draft

    @staticmethod
    def place(node: Node, last: str) -> tuple[str, str, str]:
        return node.text("family") or "", node.text("table") or "", node.text(last) or ""

    def report(self, source: Source, why: str) -> None:
        """Something that decides about packets and is not computed."""
        self.draft.unmodelled.append(Unmodelled(source, why, touches=ALL))

    def chain(self, node: Node, path: str) -> Chain:
        hook = node.text("hook")
        odd = [key for key in node.members() if key not in _OF_CHAINS]
        if odd:
            self.report(self.source(node, path), f"{odd[0]!r} of a chain is not understood")
        return Chain(
            node.text("name") or "",
            self.source(node, path),
            hook=hook if hook in _HOOKS else None,
            families=_FAMILIES.get(node.text("family") or "", ()),
            priority=node.integer("prio") or 0,
            policy=DROP if node.text("policy") == "drop" else ACCEPT,
            reroutes=node.text("type") == "route",
        )

    def entries(self, node: Node, source: Source, where: tuple[str, str, str]) -> list[Entry]:
        """One entry, or one for each value of a verdict map."""
        matches: list[Match] = []
        verdict, target = CONTINUE, ""
        rewrite: Rewrite | None = None
        mapped: list[Entry] = []
        markings: list[Marking] = []
        name = node.text("comment") or ""
        odd = [key for key in node.members() if key not in _OF_RULES]
        for part in node.items("expr"):
            odd += [key for inner in part.walk() for key in inner.members() if key not in _WORDS]
        if odd:
            # It may stand for a condition or for what is done.
            matches.append(Match("unknown", (odd[0],)))
            self.report(source, f"{odd[0]!r} in a rule is not understood")
        for part in node.items("expr"):
            for kind, body in part.members().items():
                if kind == "match":
                    found_here = self.match(body, where)
                    if markings and found_here.key in _MARKS:
                        # It asks for what the rule itself has set just now.
                        mapped.append(self.marking(source, matches, markings, name))
                        if any(match.key in _MARKS for match in matches):
                            self.report(source, MARKED_TWICE)
                        markings = []
                    matches.append(found_here)
                elif kind == "vmap":
                    mapped = self.mapped(body, source, tuple(matches), where)
                elif kind in _VERDICTS or kind in (JUMP, GOTO):
                    verdict, target = self.verdict(kind, body, where)
                elif kind == "limit":
                    matches.append(Match("unknown", ("a limit of packets per time",)))
                elif kind in _REWRITES:
                    found = self.rewrites(kind, body, where)
                    if found is None:
                        self.report(source, f"this form of {kind} is not computed")
                        continue
                    verdict = TRANSLATE
                    *others, (extra, rewrite) = found
                    for theirs, held in others:
                        here = (*matches, *theirs)
                        mapped.append(Entry(source, TRANSLATE, here, "", name, held))
                    matches += extra
                elif kind == "mangle" and (set_here := self.marks(body, where)) is not None:
                    if set_here[0][0] and markings:
                        # What was set before the map is set first.
                        mapped.append(self.marking(source, matches, markings, name))
                        markings = []
                    for theirs, marking in set_here:
                        if theirs:
                            here = (*matches, *theirs)
                            mapped.append(Entry(source, CONTINUE, here, "", name, None, (marking,)))
                        else:
                            markings.append(marking)
                    listed = [match for theirs, _ in set_here for match in theirs]
                    if listed:
                        # What stands in no element goes no further in the rule (nft_lookup).
                        every = tuple(value for match in listed for value in match.values)
                        matches.append(Match(listed[0].key, every))
                elif kind == "mangle" and _harmless(body):
                    continue
                elif kind in ("mangle", "tproxy"):
                    self.report(source, f"{kind} changes packets, which is not computed")
                elif kind == "notrack":
                    self.report(source, "connections that are not tracked are not computed")
                elif kind not in _IDLE:
                    # It may take the packet away: what follows is not certain.
                    matches.append(Match("unknown", (kind,)))
                    verdict = UNKNOWN
        last = Entry(source, verdict, tuple(matches), target, name, rewrite, tuple(markings))
        return [*mapped, last]

    @staticmethod
    def marking(source: Source, matches: list[Match], markings: list[Marking], name: str) -> Entry:
        return Entry(source, CONTINUE, tuple(matches), "", name, None, tuple(markings))

    def marks(
        self, body: Node, where: tuple[str, str, str]
    ) -> list[tuple[list[Match], Marking]] | None:
        """What a statement makes of a mark, and under which further conditions: one for each
        element of a map. None if it sets something else, or in a way that is not computed."""
        key, value = body.peek("key"), body.peek("value")
        of = _carrier(key) if key is not None else None
        if of is None or value is None:
            return None
        held = value.peek("map")
        if held is None:
            found = _expression(value)
            return None if found is None else [([], Marking(of, *found))]
        left, data = held.peek("key"), held.peek("data")
        asked = self.key(left) if left is not None else None
        if asked is None or data is None or asked in _MARKS:
            return None
        if isinstance(data.value, str) and data.value.startswith("@"):
            pairs = self.sets.get((where[0], where[1], data.value[1:]), [])
        else:
            pairs = data.items("set")
        out: list[tuple[list[Match], Marking]] = []
        for pair in pairs:
            both = pair.elements()
            values = _values(asked, both[0]) if len(both) == 2 else None
            found = _expression(both[1]) if len(both) == 2 else None
            if values is None or found is None:
                return None
            out.append(([Match(asked, tuple(values))], Marking(of, *found)))
        return out or None

    def rewrites(
        self, kind: str, body: Node, where: tuple[str, str, str]
    ) -> list[tuple[list[Match], Rewrite]] | None:
        """What a translating statement puts in place, and under which further conditions: one for
        each element of a map. None if it is not understood."""
        what = _REWRITES[kind]
        address, port = body.peek("addr"), body.peek("port")
        ports: tuple[int, int] | None = None
        if port is not None:
            inner = port.peek("range")
            ends = [_port(n) for n in (inner.elements() if inner is not None else [port])]
            if not ends or any(end is None for end in ends):
                return None
            ports = ends[0] or 0, ends[-1] or 0
        if address is None:
            own = kind in ("masquerade", "redirect")
            if not own and ports is None:
                return None
            return [([], Rewrite(what, ports=ports, own=own))]
        held = address.peek("map")
        if held is not None:
            return self.from_map(what, held, where, ports)
        rewrite = _put(what, address, ports)
        return None if rewrite is None else [([], rewrite)]

    def from_map(
        self, what: str, node: Node, where: tuple[str, str, str], ports: tuple[int, int] | None
    ) -> list[tuple[list[Match], Rewrite]] | None:
        left, data = node.peek("key"), node.peek("data")
        if left is None or data is None:
            return None
        parts = left.items("concat") if left.peek("concat") is not None else [left]
        keys = [self.key(part) for part in parts]
        if isinstance(data.value, str) and data.value.startswith("@"):
            pairs = self.sets.get((where[0], where[1], data.value[1:]), [])
        else:
            pairs = data.items("set")
        out: list[tuple[list[Match], Rewrite]] = []
        for pair in pairs:
            both = pair.elements()
            if len(both) != 2:
                return None
            named = both[0].items("concat") if both[0].peek("concat") is not None else [both[0]]
            put = both[1].items("concat") if both[1].peek("concat") is not None else [both[1]]
            matches: list[Match] = []
            for key, value in zip(keys, named, strict=False):
                values = _values(key, value) if key is not None else None
                if key is None or values is None:
                    return None
                matches.append(Match(key, tuple(values)))
            port = _port(put[1]) if len(put) == 2 else None
            rewrite = _put(what, put[0], ports if port is None else (port, port))
            if rewrite is None or len(named) != len(keys) or len(put) > 2:
                return None
            out.append((matches, rewrite))
        return out or None

    @staticmethod
    def verdict(kind: str, body: Node, where: tuple[str, str, str]) -> tuple[str, str]:
        if kind in _VERDICTS:
            return _VERDICTS[kind], ""
        return kind, "/".join((where[0], where[1], body.text("target") or ""))

    def mapped(
        self, node: Node, source: Source, matches: tuple[Match, ...], where: tuple[str, str, str]
    ) -> list[Entry]:
        """The entries that a verdict map stands for."""
        left = node.peek("key")
        key = self.key(left) if left is not None else None
        data = node.peek("data")
        if data is not None and isinstance(data.value, str) and data.value.startswith("@"):
            pairs = self.sets.get((where[0], where[1], data.value[1:]), [])
        else:
            pairs = data.items("set") if data is not None else []
        out: list[Entry] = []
        for pair in pairs:
            both = pair.elements()
            values = _values(key, both[0]) if key is not None and len(both) == 2 else None
            words = list(both[1].members().items()) if len(both) == 2 else []
            known = [(k, b) for k, b in words if k in _VERDICTS or k in (JUMP, GOTO)]
            if values is None or key is None or len(known) != len(words) or not known:
                break
            verdict, target = self.verdict(*known[0], where)
            here = (*matches, Match(key, tuple(values)))
            out.append(Entry(source, verdict, here, target))
        else:
            if pairs:
                return out
        return [Entry(source, UNKNOWN, (*matches, Match("unknown", ("a verdict map",))))]

    def match(self, node: Node, where: tuple[str, str, str]) -> Match:
        negated = node.text("op") == "!="
        if node.text("op") not in ("==", "!=", "in"):
            return Match("unknown", (node.text("op") or "a comparison",))
        left, right = node.peek("left"), node.peek("right")
        mask = ALL_BITS
        masked = left.items("&") if left is not None else []
        if len(masked) == 2 and isinstance(masked[1].value, int) and _carrier(masked[0]):
            left, mask = masked[0], masked[1].value
        key = self.key(left) if left is not None else None
        odd = Match(self.about(left), (self.document.quote(node)[:60],))
        if key is None or right is None:
            return odd
        values: Values = []
        for item in self.listed(right, where):
            found = _values(key, item)
            if found is None:
                return odd
            values += found
        return Match(key, tuple(values), negated, mask)

    @staticmethod
    def about(left: Node | None) -> str:
        """The key of a condition that is not understood: about which protocol it is."""
        for node in left.walk() if left is not None else ():
            protocol = node.text("protocol") if node.peek("field") is not None else None
            if protocol in ("tcp", "udp", "icmp", "icmpv6"):
                return f"{protocol} unknown"
        return "unknown"

    @staticmethod
    def key(left: Node) -> str | None:
        payload = left.peek("payload")
        if payload is not None:
            protocol, field = payload.text("protocol") or "", payload.text("field") or ""
            if field in ("sport", "dport") and protocol in ("tcp", "udp", "th", "sctp"):
                side = "source-port" if field == "sport" else "target-port"
                return side if protocol == "th" else f"{protocol} {side}"
            return _FIELDS.get((protocol, field))
        carrier = _carrier(left)
        if carrier is not None:
            return _MARKS[0] if carrier == PACKET else _MARKS[1]
        meta = left.peek("meta")
        if meta is not None:
            name = meta.text("key") or ""
            return "family" if name in ("nfproto", "protocol") else _META.get(name)
        ct = left.peek("ct")
        if ct is not None and ct.text("key") in ("state", "status"):
            return ct.text("key")
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


def _carrier(node: Node) -> str | None:
    """What carries the mark that a node names; None if it names none."""
    for kind, carrier in (("meta", PACKET), ("ct", CONNECTION)):
        held = node.peek(kind)
        if held is not None and held.text("key") == "mark":
            return carrier
    return None


def _expression(node: Node) -> tuple[str, int, int] | None:
    """(base, keep, flip) of a mark's new value; None if it is not made of marks and numbers."""
    if isinstance(node.value, int) and not isinstance(node.value, bool):
        return PACKET, 0, node.value & ALL_BITS
    carrier = _carrier(node)
    if carrier is not None:
        return carrier, ALL_BITS, 0
    for sign in ("&", "|", "^"):
        parts = node.items(sign)
        if not parts:
            continue
        found = _expression(parts[0])
        for part in parts[1:]:
            number = part.value
            if found is None or not isinstance(number, int) or isinstance(number, bool):
                return None
            base, keep, flip = found
            if sign == "&":
                found = base, keep & number, flip & number
            elif sign == "|":
                found = base, keep & ~number & ALL_BITS, (flip & ~number) | number
            else:
                found = base, keep, flip ^ number
        return found
    return None


def _harmless(body: Node) -> bool:
    """True if what is set changes neither the packet's way nor what anybody here asks for."""
    key = body.peek("key")
    meta = key.peek("meta") if key is not None else None
    return meta is not None and meta.text("key") == "priority"


def _put(what: str, node: Node, ports: tuple[int, int] | None) -> Rewrite | None:
    """The address, the range or the prefix that is put in place."""
    inner, ends = node.peek("prefix"), node.peek("range")
    if inner is not None:
        whole = parse_prefix(f"{inner.text('addr')}/{inner.integer('len')}")
        return None if whole is None else Rewrite(what, ports=ports, whole=whole)
    texts = [str(n.value) for n in (ends.elements() if ends is not None else [node])]
    addresses = [parse_address(text) for text in texts]
    if not addresses:
        return None
    first, last = addresses[0], addresses[-1]
    if first is None or last is None:
        whole = parse_prefix(texts[0]) if "/" in texts[0] else None
        return None if whole is None else Rewrite(what, ports=ports, whole=whole)
    return Rewrite(what, first, last, ports)


def _values(key: str, node: Node) -> Values | None:
    """What one value of a condition stands for; None if that is not understood."""
    if key in ("source", "target"):
        return _addresses(node)
    if key in _MARKS:
        inner = node.peek("range")
        numbers = [n.value for n in (inner.elements() if inner is not None else [node])]
        whole = [n for n in numbers if isinstance(n, int) and not isinstance(n, bool)]
        return [(whole[0], whole[-1])] if whole and len(whole) == len(numbers) else None
    if key.endswith("-port"):
        inner = node.peek("range")
        ends = [_port(item) for item in inner.elements()] if inner is not None else [_port(node)]
        known = [end for end in ends if end is not None]
        return [(known[0], known[-1])] if known and len(known) == len(ends) else None
    if key == "family":
        family = _NFPROTO.get(str(node.value))
        return None if family is None else [family]
    if isinstance(node.value, str | int) and not isinstance(node.value, bool):
        return [str(node.value)]
    return None


def _addresses(node: Node) -> Values | None:
    inner, ends = node.peek("prefix"), node.peek("range")
    if inner is not None:
        prefix = parse_prefix(f"{inner.text('addr')}/{inner.integer('len')}")
        return None if prefix is None else [prefix]
    if ends is not None:
        first, last = (ipaddress.ip_address(str(item.value)) for item in ends.elements())
        whole = ipaddress.summarize_address_range(first, last)  # type: ignore[type-var]
        found = [parse_prefix(str(network)) for network in whole]
        return [prefix for prefix in found if prefix is not None]
    plain = node.value
    if not isinstance(plain, str):
        return None
    address = parse_address(plain)
    if address is not None:
        return [Prefix(address.family, address.value, 32 if address.family == 4 else 128)]
    prefix = parse_prefix(plain) if "/" in plain else None
    return None if prefix is None else [prefix]


def _port(node: Node) -> int | None:
    if isinstance(node.value, int) and not isinstance(node.value, bool):
        return node.value
    return _PORTS.get(str(node.value))


def read(device: str, file: str, document: Document) -> CaptureDraft:
    """Reads the whole ruleset of a device."""
    return _Reader(document, device, file).read()
