"""trochos-policy: prefix, AS-path and community lists, and route maps."""

from __future__ import annotations

from ...network.addressing import BITS, parse_prefix
from ...network.patterns import PatternError, pattern
from ...network.policy import Clause, Policy, PrefixRule, RouteMapEntry, TextRule
from ..located_json import UNSEEN
from .leaves import Leaves

_MATCHES = {
    "as-path-list": "as-path",
    "community-list": "community",
    "tag": "tag",
    "metric": "metric",
    "interface": "interface",
    "source-protocol": "source-protocol",
}
_SETS = {
    "metric": "metric",
    "local-preference": "local-preference",
    "weight": "weight",
    "tag": "tag",
    "origin": "origin",
    "next-hop": "next-hop",
}


def read(held: Leaves) -> Policy:
    """All lists and route maps of a device."""
    prefix_lists: dict[tuple[int, str], tuple[PrefixRule, ...]] = {}
    for name, entry in held.entries("prefix-list", "name"):
        rules: dict[int, list[PrefixRule]] = {4: [], 6: []}
        for text, one in entry.entries("entry", "sequence"):
            rule = _prefix_rule(one, int(text) if text.isdigit() else 0)
            if rule is not None and rule.prefix is not None:
                rules[rule.prefix.family].append(rule)
        for family, found in rules.items():
            if found:
                ordered = sorted(found, key=lambda rule: rule.sequence)
                prefix_lists[family, name] = tuple(ordered)
    return Policy(
        prefix_lists=prefix_lists,
        as_paths=_texts(held, "as-path-list", True),
        communities=_texts(held, "community-list", False),
        route_maps={
            name: tuple(
                sorted(
                    (_map_entry(one, text) for text, one in entry.entries("entry", "sequence")),
                    key=lambda e: e.sequence,
                )
            )
            for name, entry in held.entries("route-map", "name")
        },
    )


def _permits(one: Leaves) -> bool:
    word = one.word("action")
    return word is None or word.value == "permit"


def _prefix_rule(one: Leaves, sequence: int) -> PrefixRule | None:
    text = one.word("prefix")
    prefix = parse_prefix(text.value) if text is not None else None
    least, most = one.number("least-length"), one.number("greatest-length")
    permit = _permits(one)
    if prefix is None or text is None:
        return None
    low = least.value if least else prefix.length
    high = most.value if most else (BITS[prefix.family] if least else prefix.length)
    return PrefixRule(permit, prefix, text.source, sequence, low, high)


def _texts(held: Leaves, name: str, expanded: bool) -> dict[str, tuple[TextRule, ...]]:
    out = {}
    for key, entry in held.entries(name, "name"):
        rules = []
        for text, one in entry.entries("entry", "sequence"):
            permit, word = _permits(one), one.word("pattern")
            if word is not None:
                if expanded and not _is_pattern(word.value):
                    one.node.get("pattern").seen = UNSEEN  # type: ignore[union-attr]
                    continue
                sequence = int(text) if text.isdigit() else 0
                rules.append(TextRule(permit, word.value, word.source, sequence, expanded))
        out[key] = tuple(sorted(rules, key=lambda rule: rule.sequence))
    return out


def _is_pattern(text: str) -> bool:
    try:
        pattern(text)
    except PatternError:
        return False
    return True


def _map_entry(one: Leaves, text: str) -> RouteMapEntry:
    permit = _permits(one)
    matches: list[Clause] = []
    container = one.inner("match")
    if container is not None:
        word = container.word("prefix-list")
        if word is not None:
            matches.append(Clause("prefix-list", (word.value,), word.source))
        word = container.word("ipv6-prefix-list")
        if word is not None:
            matches.append(Clause("prefix-list-6", (word.value,), word.source))
        matches += _clauses(container, _MATCHES)
    sets: list[Clause] = []
    container = one.inner("set")
    if container is not None:
        sets += _clauses(container, _SETS)
        kind = container.number("metric-type")
        if kind is not None:
            sets.append(Clause("metric-type", (f"type-{kind.value}",), kind.source))
        for name, what in (("as-path-prepend", "prepend"), ("community", "community")):
            values = [str(item.value) for item in container.node.items(name)]
            if values:
                container.node.get(name).use_all()  # type: ignore[union-attr]
                sets.append(Clause(what, tuple(values), container.source(name)))
    return RouteMapEntry(
        int(text) if text.isdigit() else 0,
        permit,
        one.source("sequence"),
        tuple(matches),
        tuple(sets),
    )


def _clauses(container: Leaves, names: dict[str, str]) -> list[Clause]:
    out = []
    for name, what in names.items():
        node = container.node.get(name)
        if node is not None:
            out.append(Clause(what, (str(node.value),), container.source(name)))
    return out
