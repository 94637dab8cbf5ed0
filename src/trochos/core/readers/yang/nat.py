"""ietf-nat (RFC 8512): rewritten addresses of an instance, as the chains that packets meet.

Mappings that somebody wrote come first, then what passes untouched, then the policies in their
order (RFC 8512, section 2.4). A policy rewrites the sources of its subscribers where they leave by
its external interface: to its pool, or to the address of that interface where it has none.
"""

from __future__ import annotations

from ...network.addressing import Address, Prefix, parse_prefix
from ...network.filters import (
    ACCEPT,
    POSTROUTING,
    PREROUTING,
    TRANSLATE,
    UNKNOWN,
    Chain,
    Entry,
    Match,
    Range,
)
from ...network.source import Source
from ...network.translation import DESTINATION, SOURCE, Rewrite
from .leaves import Leaves

TOP = "ietf-nat:nat"
_COMPUTED = ("basic-nat44", "napt44", "dst-nat")
_TRANSPORTS = {1: "icmp", 6: "tcp", 17: "udp"}
# How long things are remembered, how many there may be, how ports are chosen.
_ASIDE = (
    "name", "capabilities", "mapping-limits", "connection-limits", "notification-limits",
    "statistics", "logging-enable",
)  # fmt: skip
_POLICY_ASIDE = (
    "port-set-restrict", "address-allocation-type", "port-allocation-type", "mapping-type",
    "filtering-type", "port-quota", "port-set", "timers", "fragments-limit", "algs",
    "all-algs-enable", "notify-pool-usage", "subscriber-mask-v6", "fragment-behavior",
)  # fmt: skip
_OTHERS = ("clat-ipv6-prefixes", "ipv4-prefixes", "nptv6-prefixes", "eam", "nat64-prefixes")


class _Instance:
    def __init__(self, held: Leaves, number: str) -> None:
        self.held, self.number = held, number
        self.before: list[Entry] = []
        """What destinations become, before a packet is routed."""
        self.after: list[Entry] = []
        """What sources become, after it was."""

    def read(self) -> list[Chain]:
        held = self.held
        held.ignore(*_ASIDE)
        enabled, kind = held.flag("enable"), held.identity("type")
        bound = held.word("per-interface-binding")
        if enabled is not None and not enabled.value:
            held.node.ignore_rest()
            return []
        if kind is not None and kind.value not in _COMPUTED:
            self.doubt(kind.source, f"translation of the kind {kind.value} is not computed")
            held.node.ignore_rest()
        elif bound is not None and bound.value != "disabled":
            self.doubt(bound.source, f"translation bound to {bound.value} is not computed")
            held.node.ignore_rest()
        else:
            policies = held.entries("policy", "id")
            out = self.exits(policies)
            table = held.inner("mapping-table")
            for _, entry in table.entries("mapping-entry", "index") if table is not None else ():
                self.mapping(entry, out)
            for _, entry in held.entries("nat-pass-through", "id"):
                self.passing(entry)
            for _, entry in policies:
                self.policy(entry)
        source = held.source("id")._replace(path=held.path)
        return [
            Chain(f"translation {self.number}", source, tuple(entries), hook, policy=ACCEPT)
            for hook, entries in ((PREROUTING, self.before), (POSTROUTING, self.after))
        ]

    def doubt(self, source: Source, why: str) -> None:
        entry = Entry(source, UNKNOWN, (Match("unknown", (why,)),))
        self.before.append(entry)
        self.after.append(entry)

    @staticmethod
    def exits(policies: list[tuple[str, Leaves]]) -> tuple[str, ...]:
        """The external interfaces of an instance."""
        realms = (entry.inner("external-realm") for _, entry in policies)
        words = (realm.word("external-interface") for realm in realms if realm is not None)
        return tuple(dict.fromkeys(word.value for word in words if word is not None))

    # -- mappings that somebody wrote ------------------------------------------------

    def mapping(self, entry: Leaves, out: tuple[str, ...]) -> None:
        kind = entry.word("type")
        entry.ignore("lifetime")
        if kind is not None and kind.value != "static":
            entry.node.use_all()  # what the device made itself, from what passed just then
            return
        source = entry.source("index")._replace(path=entry.path)
        protocol = entry.number("transport-protocol")
        ends = ("internal-src", "external-src", "internal-dst", "external-dst")
        inside, outside, asked, led = (self.prefix(entry, f"{end}-address") for end in ends)
        ports = {end: self.ports(entry.inner(f"{end}-port")) for end in ends}
        transport = _TRANSPORTS.get(protocol.value) if protocol is not None else None
        numbered = any(ports.values())
        if (protocol is not None and transport is None) or (numbered and transport is None):
            why = "a mapping of ports needs a transport protocol that is computed"
            self.doubt(source, f"{why}: tcp, udp or icmp")
            return
        for one, two in ((inside, outside), (asked, led)):
            if (one is None) != (two is None):
                self.doubt(source, "a mapping with one end only is not computed")
                return
            if one is not None and two is not None and one.length != two.length:
                self.doubt(source, "a mapping between prefixes of two lengths is not computed")
                return
        common: tuple[Match, ...] = (Match("protocol", (transport,)),) if transport else ()
        if inside is not None and outside is not None:
            leaving = (Match("out", out),) if out else ()
            mine, theirs = ports["internal-src"], ports["external-src"]
            said = (*common, Match("target", (outside,)), *_port(transport, "target", theirs))
            self.put(self.before, source, said, DESTINATION, inside, mine)
            if not numbered:
                # Of ports it is about answers alone: nobody asks from a service's own port.
                said = (*common, Match("source", (inside,)), *leaving)
                self.put(self.after, source, said, SOURCE, outside, None)
        if asked is not None and led is not None:
            said = (*common, Match("target", (asked,)))
            said = (*said, *_port(transport, "target", ports["internal-dst"]))
            self.put(self.before, source, said, DESTINATION, led, ports["external-dst"])

    def put(
        self,
        entries: list[Entry],
        source: Source,
        matches: tuple[Match, ...],
        what: str,
        there: Prefix,
        ports: Range | None,
    ) -> None:
        if there.is_host:
            rewrite = Rewrite(what, Address(there.family, there.network), ports=ports)
        else:
            rewrite = Rewrite(what, whole=there, ports=ports)
        entries.append(Entry(source, TRANSLATE, matches, rewrite=rewrite))

    @staticmethod
    def prefix(entry: Leaves, name: str) -> Prefix | None:
        word = entry.word(name)
        return parse_prefix(word.value) if word is not None else None

    @staticmethod
    def ports(held: Leaves | None) -> Range | None:
        first = held.number("start-port-number") if held is not None else None
        if held is None or first is None:
            return None
        last = held.number("end-port-number")
        return first.value, last.value if last is not None else first.value

    def passing(self, entry: Leaves) -> None:
        """What stays as it is, whoever would rewrite it."""
        prefix, port = self.prefix(entry, "prefix"), entry.number("port")
        source = entry.source("id")._replace(path=entry.path)
        if prefix is None:
            return
        for side, entries in (("target", self.before), ("source", self.after)):
            conditions = [Match(side, (prefix,))]
            if port is not None:
                conditions.append(Match(f"{side}-port", ((port.value, port.value),)))
            entries.append(Entry(source, ACCEPT, tuple(conditions)))

    # -- policies ---------------------------------------------------------------------

    def policy(self, entry: Leaves) -> None:
        entry.ignore(*_POLICY_ASIDE)
        source = entry.source("id")._replace(path=entry.path)
        for name in _OTHERS:
            node = entry.node.peek(name)
            if node is not None:
                self.doubt(entry.source(name), f"{name} of a translation is not computed")
                node.use_all()
        subscribers = self.listed(entry, "subscriber-match", "match-id", "subnet")
        pool = self.listed(entry, "external-ip-address-pool", "pool-id", "external-ip-pool")
        transports = []
        for number, held in entry.entries("transport-protocols", "protocol-id"):
            held.ignore("protocol-name")
            transports.append(_TRANSPORTS.get(int(number), number) if number.isdigit() else number)
        about: tuple[Match, ...] = (Match("protocol", tuple(transports)),) if transports else ()
        if subscribers:
            about = (*about, Match("source", tuple(subscribers)))
        switched = entry.flag("dst-nat-enable")
        forwards = self.forwards(entry)
        if switched is None or switched.value:
            for asked, there, line in forwards:
                said = (*about, *((Match("target", (asked,)),) if asked is not None else ()))
                self.put(self.before, line, said, DESTINATION, there, None)
        realm = entry.inner("external-realm")
        exit_ = realm.word("external-interface") if realm is not None else None
        if forwards and not pool:
            return  # a policy for destinations alone
        if exit_ is None:
            why = "which interface is the external one, the translation does not say"
            self.after.append(Entry(source, UNKNOWN, (*about, Match("unknown", (why,)))))
            return
        rewrite = Rewrite(SOURCE, own=True)
        if pool:
            first, last = pool[0], pool[-1]
            many = last.last != first.network
            rewrite = Rewrite(
                SOURCE,
                Address(first.family, first.network),
                Address(last.family, last.last) if many else None,
            )
        said = (*about, Match("out", (exit_.value,)))
        self.after.append(Entry(source, TRANSLATE, said, rewrite=rewrite))

    def listed(self, entry: Leaves, name: str, key: str, leaf: str) -> list[Prefix]:
        found = (self.prefix(held, leaf) for _, held in entry.entries(name, key))
        return [prefix for prefix in found if prefix is not None]

    def forwards(self, entry: Leaves) -> list[tuple[Prefix | None, Prefix, Source]]:
        """(what is asked for, what it becomes, the entry) of a pool of destinations."""
        out = []
        for _, held in entry.entries("dst-ip-address-pool", "pool-id"):
            there = self.prefix(held, "dst-out-ip-pool")
            if there is not None:
                source = held.source("pool-id")._replace(path=held.path)
                out.append((self.prefix(held, "dst-in-ip-pool"), there, source))
        return out


def _port(transport: str | None, side: str, ports: Range | None) -> tuple[Match, ...]:
    return (Match(f"{transport} {side}-port", (ports,)),) if ports is not None else ()


def read(held: Leaves) -> list[Chain]:
    """The translating chains of a device, instance by instance."""
    instances = held.inner("instances")
    out: list[Chain] = []
    for number, entry in instances.entries("instance", "id") if instances is not None else ():
        out += _Instance(entry, number).read()
    return out
