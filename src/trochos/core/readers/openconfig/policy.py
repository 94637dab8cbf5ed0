"""openconfig-routing-policy and openconfig-bgp-policy as lists and route maps.

A chain of policy definitions becomes one route map: the statements of all of them in their
order. A statement with a result ends the chain; one without changes the route and goes on; what
no statement ends meets the chain's default, an entry of its own at the end.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from itertools import product

from ...network.addressing import BITS, parse_prefix
from ...network.facts import Unmodelled
from ...network.policy import Clause, Policy, PrefixRule, RouteMapEntry, TextRule
from ...network.routing import Word
from ...network.source import Source
from ..drafts import ConfigDraft
from ..located_json import UNSEEN
from .held import Held, bare

ACCEPT, REJECT = "ACCEPT_ROUTE", "REJECT_ROUTE"
_WELL_KNOWN = {
    "NO_EXPORT": "no-export",
    "NO_ADVERTISE": "no-advertise",
    "NO_EXPORT_SUBCONFED": "local-AS",
    "NOPEER": "no-peer",
    "BLACKHOLE": "blackhole",
    "GRACEFUL_SHUTDOWN": "graceful-shutdown",
}
_ORIGINS = {"IGP": "igp", "EGP": "egp", "INCOMPLETE": "incomplete"}
_SOURCES = {"DIRECTLY_CONNECTED": "connected", "STATIC": "static"}


def default_of(held: Held, name: str, otherwise: str = REJECT) -> str:
    """The default of a chain: the model's own where nothing is said."""
    word = held.identity(name)
    return word.value if word is not None else otherwise


class Policies:
    """The sets and definitions of a device, and the chains that were made of them."""

    def __init__(self, held: Held | None, draft: ConfigDraft) -> None:
        self.draft = draft
        self.policy = Policy()
        self.families: dict[str, list[int]] = {}
        self.tags: dict[str, list[str]] = {}
        self.peers: dict[str, list[str]] = {}
        self.own_as = ""
        self.definitions: dict[str, list[tuple[str, Held]]] = {}
        self.self_hops: dict[str, bool | None] = {}
        self.levels_of: dict[str, set[int]] = {}
        sets = held.inner("defined-sets") if held is not None else None
        if sets is not None:
            self.sets(sets)
        listed = held.inner("policy-definitions") if held is not None else None
        for (name,), entry in listed.entries("policy-definition", "name") if listed else []:
            statements = entry.inner("statements")
            self.definitions[name] = [
                (key[0], one)
                for key, one in (statements.entries("statement", "name") if statements else [])
            ]
        self.made: dict[str, list[RouteMapEntry]] = {
            name: [e for key, one in statements for e in self.entries(name, key, one)]
            for name, statements in self.definitions.items()
        }

    def finished(self) -> Policy:
        return self.policy

    # -- sets ------------------------------------------------------------------------------

    def sets(self, held: Held) -> None:
        listed = held.inner("prefix-sets")
        for (name,), entry in listed.entries("prefix-set", "name") if listed else []:
            entry.ignore("mode")
            rules: dict[int, list[PrefixRule]] = {4: [], 6: []}
            prefixes = entry.inner("prefixes")
            keys = ("ip-prefix", "masklength-range")
            for (text, span), one in prefixes.entries("prefix", *keys) if prefixes else []:
                prefix, wanted = parse_prefix(text), _span(span)
                if prefix is None or wanted is None:
                    self.open(one.source(), f"the prefixes {text} {span} are not understood")
                    continue
                low, high = (wanted[0], wanted[1]) if wanted else (prefix.length, prefix.length)
                where = one.source("ip-prefix")
                number = 10 * (len(rules[prefix.family]) + 1)
                rules[prefix.family].append(
                    PrefixRule(True, prefix, where, number, low, min(high, BITS[prefix.family]))
                )
            self.families[name] = [f for f in (4, 6) if rules[f]] or [4, 6]
            for family in self.families[name]:
                found = tuple(rules[family])
                self.policy.prefix_lists[family, name] = found
                others = tuple(replace_permit(rule) for rule in found)
                rest = PrefixRule(True, None, entry.source("name"), 10 * (len(found) + 1))
                self.policy.prefix_lists[family, f"not {name}"] = (*others, rest)
        listed = held.inner("tag-sets")
        for (name,), entry in listed.entries("tag-set", "name") if listed else []:
            self.tags[name] = [word.value for word in entry.words("tag-value")]
        listed = held.inner("neighbor-sets")
        for (name,), entry in listed.entries("neighbor-set", "name") if listed else []:
            self.peers[name] = [word.value for word in entry.words("address")]
        bgp = held.inner("bgp-defined-sets")
        if bgp is None:
            return
        listed = bgp.inner("as-path-sets")
        for (name,), entry in listed.entries("as-path-set", "as-path-set-name") if listed else []:
            words = entry.words("as-path-set-member")
            self.texts(self.policy.as_paths, name, [(w.value, w.source) for w in words], True)
        listed = bgp.inner("community-sets")
        key = "community-set-name"
        for (name,), entry in listed.entries("community-set", key) if listed else []:
            entry.ignore("match-set-options")
            words = entry.words("community-member")
            members = [(_community(w.value), w.source) for w in words]
            self.texts(self.policy.communities, name, members, False)
            joined = " ".join(text for text, _ in members)
            if members and not any(_is_pattern(text) for text, _ in members):
                all_ = TextRule(True, joined, members[0][1], 10, False)
                self.policy.communities[f"all of {name}"] = (all_,)

    @staticmethod
    def texts(
        into: dict[str, tuple[TextRule, ...]],
        name: str,
        members: list[tuple[str, Source]],
        expanded: bool,
    ) -> None:
        into[name] = tuple(
            TextRule(True, text, where, 10 * number, expanded or _is_pattern(text))
            for number, (text, where) in enumerate(members, 1)
        )
        if expanded and members:
            denied = tuple(rule._replace(permit=False) for rule in into[name])
            rest = TextRule(True, ".*", members[0][1], 10 * (len(members) + 1), True)
            into[f"not {name}"] = (*denied, rest)

    def open(self, where: Source, why: str) -> None:
        self.draft.unmodelled.append(Unmodelled(where, why, told=True))

    # -- statements ----------------------------------------------------------------------------

    def entries(self, policy: str, name: str, held: Held) -> list[RouteMapEntry]:
        """One statement as entries: several where its conditions are alternatives."""
        where = held.source("name")._replace(path=held.path)
        alternatives = self.conditions(held)
        result, sets = self.actions(policy, held)
        permit = result != REJECT
        onward = None if result in (ACCEPT, REJECT) else 0
        self.leftovers(policy, name, held)
        return [
            RouteMapEntry(0, permit, where, tuple(c for part in combo for c in part), sets, onward)
            for combo in product(*alternatives)
        ]

    def leftovers(self, policy: str, name: str, held: Held) -> None:
        for path, node in held.node.leaves():
            if node.seen == UNSEEN and node.value not in ({}, []):
                where = held.source_of(node, f"{held.path}{path}")
                what = f"{bare(path.rpartition('/')[2])} in statement {name} of policy {policy}"
                self.open(where, f"{what} is not computed")

    def conditions(self, held: Held) -> list[list[list[Clause]]]:
        """For each condition its alternatives, each a list of clauses that must all hold."""
        out: list[list[list[Clause]]] = []
        found = held.inner("conditions")
        if found is None:
            return out
        protocol = found.identity("install-protocol-eq")
        if protocol is not None:
            out.append([[Clause("source-protocol", (_source(protocol.value),), protocol.source)]])
        port = found.inner("match-interface") or found.inner("interface-ref")
        if port is not None and port.word("interface") is not None:
            word, below = port.word("interface"), port.number("subinterface")
            assert word is not None
            name = word.value if not below or not below.value else f"{word.value}.{below.value}"
            out.append([[Clause("interface", (name,), word.source)]])
        out += self.set_conditions(found)
        bgp = found.inner("bgp-conditions")
        if bgp is not None:
            out += self.bgp_conditions(bgp)
        return out

    def set_conditions(self, found: Held) -> list[list[list[Clause]]]:
        out: list[list[list[Clause]]] = []
        held = found.inner("match-prefix-set")
        word = held.word("prefix-set") if held is not None else None
        if held is not None and word is not None:
            option = held.identity("match-set-options")
            name = word.value
            if option is not None and option.value == "INVERT":
                name = f"not {name}"
            families = self.families.get(word.value, [4])
            if name != word.value:
                families = [4, 6]
                for family in families:
                    if (family, name) not in self.policy.prefix_lists:
                        rest = PrefixRule(True, None, word.source, 10)
                        self.policy.prefix_lists[family, name] = (rest,)
            kinds = {4: "prefix-list", 6: "prefix-list-6"}
            out.append([[Clause(kinds[f], (name,), word.source)] for f in families])
        held = found.inner("match-tag-set")
        word = held.word("tag-set") if held is not None else None
        if held is not None and word is not None and _plain(held):
            values = self.tags.get(word.value, ["?"])
            out.append([[Clause("tag", (value,), word.source)] for value in values])
        held = found.inner("match-neighbor-set")
        word = held.word("neighbor-set") if held is not None else None
        if held is not None and word is not None and _plain(held):
            peers = self.peers.get(word.value, ["?"])
            out.append([[Clause("peer", (value,), word.source)] for value in peers])
        return out

    def bgp_conditions(self, held: Held) -> list[list[list[Clause]]]:
        out: list[list[list[Clause]]] = []
        for leaf, what in (("med-eq", "metric"), ("local-pref-eq", "local-preference")):
            number = held.number(leaf)
            if number is not None:
                out.append([[Clause(what, (str(number.value),), number.source)]])
        origin = held.identity("origin-eq")
        if origin is not None:
            word = _ORIGINS.get(origin.value, origin.value)
            out.append([[Clause("origin", (word,), origin.source)]])
        hops = held.words("next-hop-in")
        if hops:
            out.append([[Clause("next-hop-address", (w.value,), w.source)] for w in hops])
        for container, leaf, what in (
            ("match-as-path-set", "as-path-set", "as-path"),
            ("match-community-set", "community-set", "community"),
        ):
            found = held.inner(container)
            named = found.word(leaf) if found is not None else None
            if named is None and what == "community":
                named = held.word(leaf)
            if named is None:
                continue
            option = found.identity("match-set-options") if found is not None else None
            mode = option.value if option is not None else "ANY"
            name = {"ALL": f"all of {named.value}", "INVERT": f"not {named.value}"}.get(
                mode, named.value
            )
            lists = self.policy.as_paths if what == "as-path" else self.policy.communities
            if mode == "ALL" and what == "as-path":
                rules = lists.get(named.value, ())
                clauses = []
                for position, rule in enumerate(rules, 1):
                    lists[f"{named.value} {position}"] = (rule,)
                    clauses.append(Clause(what, (f"{named.value} {position}",), named.source))
                out.append([clauses])
                continue
            if mode != "ANY" and name not in lists and named.value in lists:
                self.open(named.source, f"{mode} of the set {named.value} is not computed")
            out.append([[Clause(what, (name,), named.source)]])
        return out

    def actions(self, policy: str, held: Held) -> tuple[str | None, tuple[Clause, ...]]:
        """(result, what is changed) of a statement."""
        found = held.inner("actions")
        if found is None:
            return None, ()
        result = found.identity("policy-result")
        sets: list[Clause] = []
        tag = found.inner("set-tag")
        if tag is not None:
            tag.ignore("mode")
            inline = tag.inner("inline")
            for word in inline.words("tag") if inline is not None else []:
                sets.append(Clause("tag", (word.value,), word.source))
        ospf = found.inner("ospf-actions", "set-metric")
        if ospf is not None:
            number, kind = ospf.number("metric"), ospf.identity("metric-type")
            if number is not None:
                sets.append(Clause("metric", (str(number.value),), number.source))
            if kind is not None:
                which = "type-1" if "1" in kind.value else "type-2"
                sets.append(Clause("metric-type", (which,), kind.source))
        isis = found.inner("isis-actions")
        if isis is not None:
            number, level = isis.number("set-metric"), isis.number("set-level")
            if number is not None:
                sets.append(Clause("metric", (str(number.value),), number.source))
            if level is not None:
                self.levels_of.setdefault(policy, set()).add(level.value)
        bgp = found.inner("bgp-actions")
        if bgp is not None:
            sets += self.bgp_actions(policy, bgp)
        accepts = result is not None and result.value == ACCEPT
        if accepts and not any(c.what == "next-hop" and c.args == ("self",) for c in sets):
            known = self.self_hops.get(policy)
            self.self_hops[policy] = None if known else False
        return (result.value if result is not None else None), tuple(
            clause for clause in sets if clause.args != ("self",)
        )

    def bgp_actions(self, policy: str, held: Held) -> list[Clause]:
        out: list[Clause] = []
        origin = held.identity("set-route-origin")
        if origin is not None:
            word = _ORIGINS.get(origin.value, "incomplete")
            out.append(Clause("origin", (word,), origin.source))
        preference = held.number("set-local-pref")
        if preference is not None:
            out.append(Clause("local-preference", (str(preference.value),), preference.source))
        hop = held.word("set-next-hop")
        if hop is not None and hop.value == "SELF":
            known = self.self_hops.get(policy)
            self.self_hops[policy] = None if known is False else True
            out.append(Clause("next-hop", ("self",), hop.source))
        elif hop is not None:
            out.append(Clause("next-hop", (hop.value,), hop.source))
        med = held.word("set-med")
        held.ignore("set-med-action")
        if med is not None and med.value.lstrip("+-").isdigit():
            out.append(Clause("metric", (med.value,), med.source))
        elif med is not None:
            self.open(med.source, f"set-med {med.value} is not computed")
        prepend = held.inner("set-as-path-prepend")
        if prepend is not None:
            times, number = prepend.number("repeat-n"), prepend.word("asn")
            value = number.value if number is not None else OWN
            args = (value,) * (times.value if times is not None else 1)
            out.append(Clause("prepend", args, prepend.source("repeat-n")))
        community = held.inner("set-community")
        if community is not None:
            out += self.communities(community)
        return out

    def communities(self, held: Held) -> list[Clause]:
        option = held.identity("options")
        mode = option.value if option is not None else "ADD"
        held.ignore("method")
        inline, reference = held.inner("inline"), held.inner("reference")
        words: list[tuple[str, Source]] = []
        if inline is not None:
            words += [(_community(w.value), w.source) for w in inline.words("communities")]
        named = reference.word("community-set-ref") if reference is not None else None
        if named is not None:
            rules = self.policy.communities.get(named.value, ())
            words += [(rule.pattern, named.source) for rule in rules]
        if not words:
            return [Clause("community", ("none",), held.source())] if mode == "REPLACE" else []
        if mode == "REMOVE":
            name = f"removed at {held.path}"
            self.texts(self.policy.communities, name, words, False)
            return [Clause("delete-communities", (name,), words[0][1])]
        values = tuple(text for text, _ in words)
        more = ("additive",) if mode == "ADD" else ()
        return [Clause("community", (*values, *more), words[0][1])]

    # -- chains ----------------------------------------------------------------------------------

    def chain(self, names: Iterable[Word], default: str, where: Source, own: int = 0) -> str:
        """The route map of a chain of policies, by its name.

        Args:
            names: the policies, in their order.
            default: what becomes of a route that no statement ends.
            where: what says so.
            own: the number of the own system, which a policy may prepend.
        """
        listed = list(names)
        label = ", then ".join(word.value for word in listed) or default
        if listed and default == ACCEPT:
            label += ", else accept"
        entries: list[RouteMapEntry] = []
        for word in listed:
            if word.value not in self.made:
                self.open(word.source, f"the policy {word.value} is not defined here")
            entries += self.made.get(word.value, [])
        if any(c.what == "prepend" and OWN in c.args for e in entries for c in e.sets):
            label += f" in {own}"
        if label not in self.policy.route_maps:
            last = RouteMapEntry(0, default == ACCEPT, where)
            self.policy.route_maps[label] = tuple(
                replace(entry, sequence=10 * number, sets=_with_own(entry.sets, own))
                for number, entry in enumerate([*entries, last], 1)
            )
        return label

    def levels(self, names: Iterable[str]) -> tuple[int, ...]:
        """The IS-IS levels that policies put routes into."""
        return tuple(sorted({level for name in names for level in self.levels_of.get(name, ())}))

    def sets_self(self, names: Iterable[Word]) -> bool | None:
        """Whether a chain makes the device itself the next hop of all that it lets through; None
        if of some only."""
        found = [self.self_hops.get(word.value, False) for word in names]
        if not found or not any(f is not False for f in found):
            return False
        return True if all(f is True for f in found) else None


OWN = "own"
"""Stands for the own system's number until a chain is made for a speaker."""


def replace_permit(rule: PrefixRule) -> PrefixRule:
    return rule._replace(permit=False)


def _with_own(sets: tuple[Clause, ...], own: int) -> tuple[Clause, ...]:
    return tuple(
        clause._replace(args=tuple(str(own) if word == OWN else word for word in clause.args))
        if clause.what == "prepend"
        else clause
        for clause in sets
    )


def _plain(held: Held) -> bool:
    """True if a set is to match by any of its members; other options stay unread."""
    option = held.config.node.peek("match-set-options") if held.config is not None else None
    if option is None or bare(str(option.value)) == "ANY":
        held.ignore("match-set-options")
        return True
    return False


def _span(text: str) -> tuple[int, ...] | None:
    """The lengths of a range such as `24..32`; nothing for `exact`; None if it is neither."""
    if text in ("exact", ""):
        return ()
    low, dots, high = text.partition("..")
    if dots and low.isdigit() and high.isdigit():
        return int(low), int(high)
    return None


def _community(text: str) -> str:
    word = bare(text)
    return _WELL_KNOWN.get(word, text)


def _is_pattern(text: str) -> bool:
    return any(mark in text for mark in "^$.*[]()|?\\")


def _source(word: str) -> str:
    return _SOURCES.get(word) or word.lower()
