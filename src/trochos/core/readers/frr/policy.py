"""Prefix lists, access lists, AS-path and community lists, route maps and key chains."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from typing import Any

from ...network.addressing import BITS, Address, Prefix, parse_address, parse_prefix, prefix_of
from ...network.patterns import PatternError, pattern
from ...network.policy import (
    Clause,
    KeyChain,
    Policy,
    PrefixRule,
    RouteMapEntry,
    TextRule,
    Wildcard,
)
from ...network.protocols import computed_as
from ...network.source import Source
from .fate import IRRELEVANT, UNDERSTOOD, Fate, Misread, number

# What `match` and `set` may name here, with the number of words that name it.
_MATCHES = {
    ("ip", "address", "prefix-list"): "prefix-list",
    ("ip", "address", "prefix-len"): "prefix-length",
    ("ip", "address"): "access-list",
    ("ipv6", "address", "prefix-list"): "prefix-list-6",
    ("ipv6", "address", "prefix-len"): "prefix-length-6",
    ("ipv6", "address"): "access-list-6",
    ("ip", "next-hop", "prefix-list"): "next-hop-prefix-list",
    ("ip", "next-hop", "address"): "next-hop-address",
    ("ip", "next-hop"): "next-hop-access-list",
    ("ipv6", "next-hop"): "next-hop-access-list",
    ("ip", "route-source"): "route-source-access-list",
    ("ipv6", "next-hop", "address"): "next-hop-address",
    ("ipv6", "next-hop", "prefix-list"): "next-hop-prefix-list",
    ("ip", "route-source", "prefix-list"): "route-source-prefix-list",
    ("as-path",): "as-path",
    ("community",): "community",
    ("large-community",): "large-community",
    ("extcommunity",): "extended-community",
    ("evpn",): "other-family",
    ("mac",): "other-family",
    ("interface",): "interface",
    ("metric",): "metric",
    ("tag",): "tag",
    ("origin",): "origin",
    ("local-preference",): "local-preference",
    ("peer",): "peer",
    ("source-protocol",): "source-protocol",
    ("probability",): "probability",
}
_SETS = {
    ("as-path", "prepend"): "prepend",
    ("as-path", "exclude"): "exclude",
    ("community",): "community",
    ("comm-list",): "delete-communities",
    ("large-comm-list",): "delete-large-communities",
    ("extcommunity", "bandwidth"): "bandwidth",
    ("extcommunity",): "extended-community",
    ("large-community",): "large-community",
    ("local-preference",): "local-preference",
    ("metric",): "metric",
    ("metric-type",): "metric-type",
    ("origin",): "origin",
    ("tag",): "tag",
    ("weight",): "weight",
    ("ip", "next-hop"): "next-hop",
    ("ipv6", "next-hop"): "next-hop-6",
    ("distance",): "distance",
    ("src",): "source",
    ("aggregator",): "aggregator",
    ("atomic-aggregate",): "atomic-aggregate",
    ("originator-id",): "originator-id",
    ("ipv4", "vpn"): "other-family",
    ("ipv6", "vpn"): "other-family",
    ("evpn",): "other-family",
    ("l3vpn",): "other-family",
    ("label-index",): "other-family",
    ("sr-te",): "other-family",
}
_COMPUTED_MATCHES = frozenset(_MATCHES.values()) - {"probability"}
_COMPUTED_SETS = frozenset(_SETS.values()) - {"originator-id"}


@dataclass(slots=True)
class _Entry:
    sequence: int
    permit: bool
    source: Source
    matches: dict[str, Clause] = field(default_factory=dict)
    sets: dict[str, Clause] = field(default_factory=dict)
    onward: int | None = None
    call: str | None = None


class PolicyReader:
    """Collects all policies of one text; `finish` gives the facts."""

    def __init__(self) -> None:
        self.prefix_lists: dict[tuple[int, str], dict[int, PrefixRule]] = {}
        self.access_lists: dict[tuple[int, str], dict[int, PrefixRule]] = {}
        self.as_paths: dict[str, list[TextRule]] = {}
        self.communities: dict[str, list[TextRule]] = {}
        self.large_communities: dict[str, list[TextRule]] = {}
        self.extended: dict[str, list[TextRule]] = {}
        self.route_maps: dict[str, dict[int, _Entry]] = {}
        self.chains: dict[str, tuple[list[str], Source]] = {}
        self.into_table: dict[tuple[int, str], tuple[str, Source]] = {}
        self.entry: _Entry | None = None
        self.chain: str | None = None
        self.strings: dict[str, list[Source]] = {}
        """By chain the lines of its keys' secrets."""

    # -- top-level lines -----------------------------------------------------------

    def top(self, words: list[str], source: Source) -> Fate | None:
        """Reads a line of the top level; None if it is none of these."""
        negated = words[0] == "no"
        words = words[1:] if negated else words
        first = words[0]
        self.entry = None
        if negated and words[1:2] != ["protocol"]:
            return "what is taken back of a list is not followed"
        if first == "route-map":
            return self._open_map(words[1:], source)
        if first in ("ip", "ipv6") and len(words) > 1:
            family = 4 if first == "ip" else 6
            if words[1] == "prefix-list":
                return self._prefix_list(words[2:], family, source)
            if words[1] == "access-list":
                return self._access_list(words[2:], family, source)
            if words[1] == "protocol":
                return self._into_table(words[2:], family, source, negated)
        if first == "access-list":
            return self._access_list(words[1:], 4, source)
        if first == "bgp" and len(words) > 2:
            words, first = words[1:], "bgp"
        elif first == "ip" and len(words) > 2:
            words = words[1:]
        else:
            return None
        if words[0] == "as-path" and words[1] == "access-list":
            return self._text_list(self.as_paths, words[2:], source, True)
        if words[0] == "community-list":
            return self._community_list(self.communities, words[1:], source)
        if words[0] == "large-community-list":
            return self._community_list(self.large_communities, words[1:], source)
        if words[0] == "extcommunity-list":
            return self._community_list(self.extended, words[1:], source)
        return None

    def _into_table(self, words: list[str], family: int, source: Source, negated: bool) -> Fate:
        """`ip protocol NAME route-map MAP`: what of a protocol gets into the table."""
        name = computed_as(words[0])
        self.into_table.pop((family, name), None)
        if negated:
            return UNDERSTOOD
        if words[1:2] != ["route-map"] or len(words) != 3:
            raise Misread("it reads: ip protocol NAME route-map NAME")
        self.into_table[family, name] = (words[2], source)
        return UNDERSTOOD

    def _prefix_list(self, words: list[str], family: int, source: Source) -> Fate:
        name, rest = words[0], words[1:]
        if rest[:1] == ["description"] or name == "sequence-number":
            return IRRELEVANT
        rules = self.prefix_lists.setdefault((family, name), {})
        sequence, rest = _sequence(rest, rules)
        if len(rest) < 2 or rest[0] not in ("permit", "deny"):
            raise Misread("it says neither permit nor deny")
        prefix = None if rest[1] == "any" else parse_prefix(rest[1])
        if (prefix is None and rest[1] != "any") or (prefix and prefix.family != family):
            raise Misread(f"{rest[1]!r} is not an IPv{family} prefix")
        bits = BITS[family]
        least = most = None if prefix is None else prefix.length
        if prefix is None:
            prefix, least, most = Prefix(family, 0, 0), 0, bits
        tail = rest[2:]
        bounds = {"ge": None, "le": None}
        while tail:
            if tail[0] not in bounds or len(tail) < 2:
                raise Misread(f"{tail[0]!r} is not understood here")
            bounds[tail[0]] = number(tail[1], 0, bits)  # type: ignore[assignment]
            tail = tail[2:]
        if bounds["ge"] is not None:
            least, most = bounds["ge"], bits
        if bounds["le"] is not None:
            most = bounds["le"]
            least = bounds["ge"] if bounds["ge"] is not None else prefix.length
        rules[sequence] = PrefixRule(rest[0] == "permit", prefix, source, sequence, least, most)
        return UNDERSTOOD

    def _access_list(self, words: list[str], family: int, source: Source) -> Fate:
        name, rest = words[0], words[1:]
        if rest[:1] in (["remark"], ["description"]):
            return IRRELEVANT
        rules = self.access_lists.setdefault((family, name), {})
        sequence, rest = _sequence(rest, rules)
        if len(rest) < 2 or rest[0] not in ("permit", "deny"):
            raise Misread("it says neither permit nor deny")
        permit, rest = rest[0] == "permit", rest[1:]
        exact = rest[-1] == "exact-match"
        if exact:
            rest = rest[:-1]
        with_mask = rest[0] == "ip" and len(rest) > 2
        if with_mask or (rest != ["any"] and "/" not in rest[0] and family == 4):
            # Without a length bits are compared, and a route of any length has such bits.
            address, tail = _wild(rest[with_mask:])
            mask, tail = _wild(tail) if with_mask else ((0, 0xFFFFFFFF), tail)
            if tail:
                raise Misread(f"{' '.join(tail)!r} is not understood here")
            bits = Wildcard(*address, *mask)
            rules[sequence] = PrefixRule(permit, _nearest(bits), source, sequence, wildcard=bits)
            return UNDERSTOOD
        prefix = None if rest == ["any"] else parse_prefix(rest[0]) if len(rest) == 1 else None
        if (prefix is None and rest != ["any"]) or (prefix and prefix.family != family):
            raise Misread(f"{' '.join(rest)!r} is not an IPv{family} prefix")
        rules[sequence] = PrefixRule(permit, prefix, source, sequence, exact=exact)
        return UNDERSTOOD

    def _text_list(
        self, into: dict[str, list[TextRule]], words: list[str], source: Source, expanded: bool
    ) -> Fate:
        name, rest = words[0], words[1:]
        sequence = 5 * (len(into.get(name, ())) + 1)
        if rest[:1] == ["seq"]:
            sequence, rest = number(rest[1]), rest[2:]
        if not rest or rest[0] not in ("permit", "deny"):
            raise Misread("it says neither permit nor deny")
        text = " ".join(rest[1:]).strip('"')
        if expanded:
            try:
                pattern(text)
            except PatternError as problem:
                raise Misread(f"the pattern is not understood: {problem}") from None
        rule = TextRule(rest[0] == "permit", text, source, sequence, expanded)
        into.setdefault(name, []).append(rule)
        return UNDERSTOOD

    def _community_list(
        self, into: dict[str, list[TextRule]], words: list[str], source: Source
    ) -> Fate:
        expanded = False
        if words[0] in ("standard", "expanded"):
            expanded, words = words[0] == "expanded", words[1:]
        elif words[0].isdigit():
            expanded = int(words[0]) >= 100
        return self._text_list(into, words, source, expanded)

    # -- route maps ----------------------------------------------------------------

    def _open_map(self, words: list[str], source: Source) -> Fate:
        if len(words) == 1:
            words = [words[0], "permit", "10"]
        if len(words) < 3 or words[1] not in ("permit", "deny"):
            if words[1:2] == ["optimization"]:
                return IRRELEVANT
            raise Misread("a route map entry reads: route-map NAME permit|deny NUMBER")
        sequence = number(words[2], 1, 65535)
        entries = self.route_maps.setdefault(words[0], {})
        self.entry = entries.get(sequence)
        if self.entry is None:
            self.entry = entries[sequence] = _Entry(sequence, words[1] == "permit", source)
        self.entry.permit = words[1] == "permit"
        return UNDERSTOOD

    def map_line(self, words: list[str], source: Source) -> Fate:
        """Reads a line inside a route map entry."""
        entry = self.entry
        if entry is None:
            return "it belongs to an entry that is not understood"
        negated = words[0] == "no"
        if negated:
            words = words[1:]
        first, rest = words[0], words[1:]
        if first == "description":
            return IRRELEVANT
        if first == "call" and rest:
            entry.call = None if negated else rest[0]
            return UNDERSTOOD
        if first in ("on-match", "continue"):
            if negated:
                entry.onward = None
            elif first == "continue":
                entry.onward = number(rest[0]) if rest else 0
            elif rest[:1] == ["next"]:
                entry.onward = 0
            elif rest[:1] == ["goto"] and len(rest) == 2:
                entry.onward = number(rest[1])
            else:
                raise Misread("on-match takes `next` or `goto NUMBER`")
            return UNDERSTOOD
        table, into, computed = (
            (_MATCHES, entry.matches, _COMPUTED_MATCHES)
            if first == "match"
            else (_SETS, entry.sets, _COMPUTED_SETS)
        )
        if first not in ("match", "set"):
            return "it is not understood inside a route map"
        for length in (3, 2, 1):
            what = table.get(tuple(rest[:length]))
            if what is not None:
                into.pop(what, None)
                if not negated:
                    into[what] = Clause(what, tuple(rest[length:]), source)
                if what not in computed:
                    return f"`{first} {' '.join(rest[:length])}` is not computed"
                return UNDERSTOOD
        if not negated:
            into[" ".join(rest)] = Clause("unknown", tuple(rest), source)
        return f"`{first} {' '.join(rest)}` is not computed"

    # -- key chains -----------------------------------------------------------------

    def open_chain(self, name: str, source: Source) -> None:
        self.chain = name
        self.chains.setdefault(name, ([], source))

    def chain_line(self, words: list[str], source: Source) -> Fate:
        assert self.chain is not None
        if words[0] == "key-string" and len(words) > 1:
            self.strings.setdefault(self.chain, []).append(source)
            self.chains[self.chain][0].append(" ".join(words[1:]))
            return UNDERSTOOD
        if words[0] in ("key", "cryptographic-algorithm"):
            self.chains[self.chain][0].append(" ".join(words))
            return UNDERSTOOD
        if words[0] in ("accept-lifetime", "send-lifetime"):
            return "lifetimes of keys are not computed"
        return IRRELEVANT if words[0] == "exit" else "it is not understood inside a key chain"

    def finish(self) -> Policy:
        def ordered(rules: dict[int, Any]) -> tuple[Any, ...]:
            return tuple(rules[sequence] for sequence in sorted(rules))

        def by_sequence(lists: dict[str, list[TextRule]]) -> dict[str, tuple[TextRule, ...]]:
            return {
                name: tuple(sorted(rules, key=lambda rule: rule.sequence))
                for name, rules in lists.items()
            }

        chains = {}
        for name, (keys, source) in self.chains.items():
            mark = hashlib.sha256("\n".join(keys).encode()).hexdigest()[:12]
            chains[name] = KeyChain(mark, source, tuple(self.strings.get(name, ())))
        return Policy(
            {key: ordered(rules) for key, rules in self.prefix_lists.items()},
            {key: ordered(rules) for key, rules in self.access_lists.items()},
            by_sequence(self.as_paths),
            by_sequence(self.communities),
            by_sequence(self.large_communities),
            {
                name: tuple(
                    RouteMapEntry(
                        e.sequence,
                        e.permit,
                        e.source,
                        tuple(e.matches.values()),
                        tuple(e.sets.values()),
                        e.onward,
                        e.call,
                    )
                    for _, e in sorted(entries.items())
                )
                for name, entries in self.route_maps.items()
            },
            chains,
            self.into_table,
            by_sequence(self.extended),
        )


def _sequence(rest: list[str], rules: dict[int, PrefixRule]) -> tuple[int, list[str]]:
    if rest[:1] == ["seq"] and len(rest) > 1:
        return number(rest[1], 1), rest[2:]
    return (max(rules, default=0) // 5 + 1) * 5, rest


def _wild(words: list[str]) -> tuple[tuple[int, int], list[str]]:
    """(value, bits left open) of `any`, `host A`, `A WILDCARD` or `A`; and the words after it.

    Raises:
        Misread: it is none of these.
    """
    if words[:1] == ["any"]:
        return (0, 0xFFFFFFFF), words[1:]
    if words[:1] == ["host"]:
        words = [*words[1:2], "0.0.0.0", *words[2:]]
    value = parse_address(words[0]) if words else None
    if value is None or value.family != 4:
        raise Misread(f"{' '.join(words[:1])!r} is not an IPv4 address")
    wildcard = parse_address(words[1]) if len(words) > 1 else None
    left_open = wildcard.value if wildcard is not None and wildcard.family == 4 else 0
    return (value.value & ~left_open, left_open), words[1 if wildcard is None else 2 :]


def _nearest(wildcard: Wildcard) -> Prefix | None:
    """The prefix that people would say instead; None if everything matches."""
    if wildcard.open_address == 0xFFFFFFFF and wildcard.open_mask == 0xFFFFFFFF:
        return None
    length = 32 - wildcard.open_address.bit_length()
    return prefix_of(Address(4, wildcard.address), length)
