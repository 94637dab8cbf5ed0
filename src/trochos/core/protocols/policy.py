"""What lists and route maps say of one route.

The rules are those of the routers that write such texts: an entry without conditions
matches everything, the first matching entry decides, nothing matching means no, and a
list or map that does not exist denies.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

from ..network.addressing import Address, Prefix, host_prefix, parse_address
from ..network.patterns import pattern
from ..network.policy import Clause, Policy, PrefixRule, TextRule
from ..network.protocols import computed_as
from ..network.source import Source

_MAX_STEPS = 1000

WELL_KNOWN = {
    "internet": 0,
    "graceful-shutdown": 0xFFFF0000,
    "blackhole": 0xFFFF029A,
    "no-export": 0xFFFFFF01,
    "no-advertise": 0xFFFFFF02,
    "local-AS": 0xFFFFFF03,
    "no-peer": 0xFFFFFF04,
}


class Attributes(NamedTuple):
    """Everything about a route that a policy may look at or change.

    `metric` is the metric of the protocol that announces (MED for BGP); None if not set.
    """

    prefix: Prefix
    protocol: str = ""
    metric: int | None = None
    metric_type: int | None = None
    tag: int = 0
    interface: str | None = None
    next_hop: Address | None = None
    as_path: tuple[int, ...] = ()
    confed: tuple[int, ...] = ()
    """The member systems of the own confederation on the path, before all others (RFC 5065)."""
    as_set: frozenset[int] = frozenset()
    origin: str = "incomplete"
    local_preference: int | None = None
    weight: int = 0
    communities: frozenset[int] = frozenset()
    large_communities: frozenset[str] = frozenset()
    extended: frozenset[str] = frozenset()
    """Extended communities (RFC 4360) as `rt 65000:1`."""
    only_to_customer: int | None = None
    """The system from which on the path leads down to customers alone (RFC 9234, 5)."""
    peer: Address | None = None
    distance: int | None = None
    source: Address | None = None
    """The address that the device's own packets carry along the route."""
    link_next_hop: Address | None = None
    """The link-local next hop that a map puts beside the other one (RFC 2545, 3)."""
    prefer_global: bool = False
    """Whether a map lets routes go by the other one where a link-local one came along."""


@dataclass(frozen=True, slots=True)
class Ruling:
    """What a policy decided, and the lines that made it do so."""

    permit: bool
    attributes: Attributes
    because: tuple[Source, ...] = ()


def rule_matches(rule: PrefixRule, prefix: Prefix) -> bool:
    """True if one entry of a prefix or access list matches."""
    if rule.wildcard is not None:
        return prefix.family == 4 and rule.wildcard.takes(prefix)
    if rule.prefix is None:
        return True
    if rule.prefix.family != prefix.family:
        return False
    if rule.least is not None or rule.most is not None:
        inside = rule.prefix.length <= prefix.length and rule.prefix.contains(
            Address(prefix.family, prefix.network)
        )
        low = rule.least if rule.least is not None else rule.prefix.length
        high = rule.most if rule.most is not None else prefix.length
        return inside and low <= prefix.length <= high
    if rule.exact:
        return rule.prefix == prefix
    return rule.prefix.covers(prefix)


def list_permits(
    rules: Sequence[PrefixRule] | None, prefix: Prefix, empty: bool = False
) -> tuple[bool, Source | None]:
    """(verdict, deciding line) of a list; one that does not exist denies."""
    if rules is None:
        return empty, None
    for rule in rules:
        if rule_matches(rule, prefix):
            return rule.permit, rule.source
    return False, None


def filter_permits(
    policy: Policy, kind: str, name: str, prefix: Prefix, missing: bool = False
) -> tuple[bool, Source | None]:
    """Asks the `access` or `prefix` list of that name; `missing` is the answer without one."""
    lists = policy.prefix_lists if kind == "prefix" else policy.access_lists
    rules = lists.get((prefix.family, name))
    if rules is None:
        return missing, None
    return list_permits(rules, prefix)


def apply_route_map(
    policy: Policy, name: str, attributes: Attributes, seen: Attributes | None = None
) -> Ruling:
    """Runs a route map over a route; what it asks for is asked of `seen`, if that is given, and
    what it sets is set of the route all the same."""
    trail: list[Source] = []
    permit, changed = _run(policy, name, attributes, trail, 0, seen)
    return Ruling(permit, changed, tuple(dict.fromkeys(trail)))


def _run(
    policy: Policy,
    name: str,
    attributes: Attributes,
    trail: list[Source],
    depth: int,
    seen: Attributes | None = None,
) -> tuple[bool, Attributes]:
    entries = policy.route_maps.get(name)
    if not entries or depth > 8:
        return False, attributes
    at, steps = 0, 0
    verdict = False
    while at < len(entries) and steps < _MAX_STEPS:
        steps += 1
        entry = entries[at]
        if not all(_matches(policy, clause, seen or attributes) for clause in entry.matches):
            at += 1
            continue
        trail.append(entry.source)
        trail += [clause.source for clause in entry.matches]
        if not entry.permit:
            return False, attributes
        for clause in entry.sets:
            attributes = _changed(policy, clause, attributes)
            trail.append(clause.source)
        verdict = True
        if entry.call is not None:
            verdict, attributes = _run(policy, entry.call, attributes, trail, depth + 1, seen)
            if not verdict:
                return False, attributes
        if entry.onward is None:
            return verdict, attributes
        target = entry.onward or entry.sequence + 1
        at = next(
            (i for i, later in enumerate(entries) if i > at and later.sequence >= target),
            len(entries),
        )
        if at == len(entries) and entry.onward:
            return verdict, attributes
    return verdict, attributes


def _matches(policy: Policy, clause: Clause, route: Attributes) -> bool:
    what, args = clause.what, clause.args
    first = args[0] if args else ""
    family = route.prefix.family
    if what in ("prefix-list", "prefix-list-6"):
        if family != (4 if what == "prefix-list" else 6):
            return False
        return list_permits(policy.prefix_lists.get((family, first)), route.prefix)[0]
    if what in ("access-list", "access-list-6"):
        if family != (4 if what == "access-list" else 6):
            return False
        return list_permits(policy.access_lists.get((family, first)), route.prefix)[0]
    if what in ("prefix-length", "prefix-length-6"):
        return first == str(route.prefix.length)
    if what == "next-hop-address":
        return route.next_hop is not None and route.next_hop == parse_address(first)
    if what in ("next-hop-prefix-list", "next-hop-access-list"):
        if route.next_hop is None:
            return False
        host = host_prefix(route.next_hop)
        lists = policy.prefix_lists if "prefix" in what else policy.access_lists
        return list_permits(lists.get((route.next_hop.family, first)), host)[0]
    if what == "as-path":
        return text_permits(policy.as_paths.get(first), path_text(route))
    if what == "community":
        return _community_matches(policy.communities.get(first), args, route.communities)
    if what == "large-community":
        return _large_matches(policy.large_communities.get(first), route.large_communities)
    if what == "extended-community":
        return _extended_matches(policy.extended.get(first), route.extended)
    if what in ("route-source-prefix-list", "route-source-access-list"):
        if route.peer is None:
            return False
        lists = policy.prefix_lists if "prefix" in what else policy.access_lists
        return list_permits(lists.get((route.peer.family, first)), host_prefix(route.peer))[0]
    if what == "interface":
        return route.interface == first
    if what == "metric":
        return first.isdigit() and (route.metric or 0) == int(first)
    if what == "tag":
        return first.isdigit() and route.tag == int(first)
    if what == "origin":
        return route.origin == first
    if what == "local-preference":
        held = 100 if route.local_preference is None else route.local_preference
        return first.isdigit() and held == int(first)
    if what == "peer":
        return route.peer is not None and route.peer == parse_address(first)
    if what == "source-protocol":
        return route.protocol == computed_as(first)
    return False


def _changed(policy: Policy, clause: Clause, route: Attributes) -> Attributes:
    what, args = clause.what, clause.args
    first = args[0] if args else ""
    if what == "metric":
        return route._replace(metric=_adjusted(route.metric, first))
    if what == "metric-type":
        return route._replace(metric_type=1 if first == "type-1" else 2)
    if what == "tag" and first.isdigit():
        return route._replace(tag=int(first))
    if what == "local-preference":
        return route._replace(local_preference=_adjusted(route.local_preference, first, 100))
    if what == "weight" and first.isdigit():
        return route._replace(weight=int(first))
    if what == "origin":
        return route._replace(origin=first)
    if what in ("next-hop", "next-hop-6"):
        word = args[-1] if args else ""
        address = parse_address(word)
        if address is not None and address.family == 6 and address.is_link_local:
            return route._replace(link_next_hop=address)
        if address is not None:
            return route._replace(next_hop=address)
        if word == "prefer-global":
            return route._replace(prefer_global=True)
        if word == "peer-address" and route.peer is not None:
            return route._replace(next_hop=route.peer)
        return route
    if what == "prepend":
        if first == "last-as" and len(args) > 1 and route.as_path:
            return route._replace(as_path=(route.as_path[0],) * int(args[1]) + route.as_path)
        numbers = tuple(int(word) for word in args if word.isdigit())
        return route._replace(as_path=numbers + route.as_path)
    if what == "exclude":
        gone = {int(word) for word in args if word.isdigit()}
        return route._replace(as_path=tuple(n for n in route.as_path if n not in gone))
    if what == "community":
        if first == "none":
            return route._replace(communities=frozenset())
        values = frozenset(
            value for value in (parse_community(word) for word in args) if value is not None
        )
        held = route.communities if "additive" in args else frozenset()
        return route._replace(communities=held | values)
    if what == "delete-communities":
        rules = policy.communities.get(first)
        kept = frozenset(
            value for value in route.communities if not text_permits(rules, community_text(value))
        )
        return route._replace(communities=kept)
    if what == "large-community":
        if first == "none":
            return route._replace(large_communities=frozenset())
        held_large = route.large_communities if "additive" in args else frozenset()
        return route._replace(large_communities=held_large | {w for w in args if w.count(":") == 2})
    if what == "source":
        return route._replace(source=parse_address(first))
    if what == "delete-large-communities":
        rules = policy.large_communities.get(first)
        left = frozenset(v for v in route.large_communities if not text_permits(rules, v))
        return route._replace(large_communities=left)
    if what == "extended-community":
        if first == "none":
            return route._replace(extended=frozenset())
        kind = f"{first} "
        others = frozenset(v for v in route.extended if not v.startswith(kind))
        return route._replace(extended=others | {kind + word for word in args[1:]})
    if what == "distance" and first.isdigit():
        return route._replace(distance=int(first))
    return route


def _adjusted(held: int | None, word: str, base: int = 0) -> int | None:
    current = base if held is None else held
    if word[:1] in "+-" and word[1:].isdigit():
        change = int(word[1:])
        return current + change if word[0] == "+" else max(0, current - change)
    return int(word) if word.isdigit() else held


# -- AS paths and communities --------------------------------------------------------


def path_text(route: Attributes) -> str:
    """The AS path as patterns see it: numbers between spaces."""
    text = " ".join(str(number) for number in route.as_path)
    if route.confed:
        text = f"({' '.join(str(number) for number in route.confed)}) {text}"
    if route.as_set:
        text += " {" + ",".join(str(number) for number in sorted(route.as_set)) + "}"
    return text.strip()


def text_permits(rules: Sequence[TextRule] | None, text: str) -> bool:
    """True if a list of patterns permits a text; a list that does not exist denies."""
    rule = text_rule(rules, text)
    return rule is not None and rule.permit


def text_rule(rules: Sequence[TextRule] | None, text: str) -> TextRule | None:
    """The entry of a list of patterns that decides about a text; None if none matches."""
    return next((rule for rule in rules or () if pattern(rule.pattern).found_in(text)), None)


def parse_community(word: str) -> int | None:
    """A community (RFC 1997) from `65000:10`, a number or a well-known name."""
    if word in WELL_KNOWN:
        return WELL_KNOWN[word]
    head, colon, tail = word.partition(":")
    if colon and head.isdigit() and tail.isdigit():
        return int(head) << 16 | int(tail)
    return int(word) if word.isdigit() else None


def community_text(value: int) -> str:
    for name, known in WELL_KNOWN.items():
        if value == known:
            return name
    return f"{value >> 16}:{value & 0xFFFF}"


def _community_matches(
    rules: Sequence[TextRule] | None, args: tuple[str, ...], held: frozenset[int]
) -> bool:
    exact = "exact-match" in args
    for rule in rules or ():
        if rule.expanded:
            text = " ".join(community_text(value) for value in sorted(held))
            hit = pattern(rule.pattern).found_in(text)
        else:
            wanted = frozenset(
                value
                for value in (parse_community(word) for word in rule.pattern.split())
                if value is not None
            )
            any_ = WELL_KNOWN["internet"] in wanted
            hit = any_ or (wanted == held if exact else wanted <= held)
        if hit:
            return rule.permit
    return False


def _large_matches(rules: Sequence[TextRule] | None, held: frozenset[str]) -> bool:
    for rule in rules or ():
        if rule.expanded:
            hit = pattern(rule.pattern).found_in(" ".join(sorted(held)))
        else:
            hit = set(rule.pattern.split()) <= held
        if hit:
            return rule.permit
    return False


def _extended_matches(rules: Sequence[TextRule] | None, held: frozenset[str]) -> bool:
    for rule in rules or ():
        if rule.expanded:
            shown = " ".join(value.upper().replace(" ", ":", 1) for value in sorted(held))
            hit = pattern(rule.pattern).found_in(shown)
        else:
            words = rule.pattern.split()
            wanted = {" ".join(words[at : at + 2]) for at in range(0, len(words), 2)}
            hit = wanted <= held
        if hit:
            return rule.permit
    return False
