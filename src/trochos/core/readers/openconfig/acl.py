"""openconfig-acl: access lists and the interfaces they are attached to."""

from __future__ import annotations

from ...network.addressing import parse_prefix
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
from .held import Held, bare, place

_ACTIONS = {"ACCEPT": ACCEPT, "DROP": DROP, "REJECT": REJECT}
_PROTOCOLS = {
    "IP_ICMP": "icmp", "IP_TCP": "tcp", "IP_UDP": "udp", "IP_GRE": "gre",
    "1": "icmp", "6": "tcp", "17": "udp", "47": "gre", "58": "icmpv6",
}  # fmt: skip


def read(held: Held, names: dict[tuple[str, int], str]) -> list[Chain]:
    """The lists of a device, and one chain for each interface and side they are attached to."""
    lists: dict[tuple[str, str], Chain] = {}
    sets = held.inner("acl-sets")
    for (name, kind), entry in sets.entries("acl-set", "name", "type") if sets is not None else []:
        entry.ignore("description")
        family = {"ACL_IPV4": "4", "ACL_IPV6": "6"}.get(bare(kind))
        entries = entry.inner("acl-entries")
        found = [
            _entry(one, number, family)
            for (number,), one in (
                entries.entries("acl-entry", "sequence-id") if entries is not None else []
            )
        ]
        found.sort(key=lambda e: int(e.name or 0) if (e.name or "").isdigit() else 0)
        where = entry.source("name")._replace(path=entry.path)
        lists[name, bare(kind)] = Chain(
            f"{name} ({bare(kind)})", where, tuple(found), policy=RETURN
        )
    out = list(lists.values())
    ports = held.inner("interfaces")
    for (key,), entry in ports.entries("interface", "id") if ports is not None else []:
        port = place(entry, names, key)
        for side, hook in (("ingress", INGRESS), ("egress", EGRESS)):
            attached = entry.inner(f"{side}-acl-sets")
            jumps = []
            for (name, kind), one in (
                attached.entries(f"{side}-acl-set", "set-name", "type") if attached else []
            ):
                one.ignore("acl-entries")
                where = one.source("set-name")._replace(path=one.path)
                chain = lists.get((name, bare(kind)))
                if chain is not None:
                    jumps.append(Entry(where, JUMP, (), chain.name))
                else:
                    missing = Match("unknown", (f"the access list {name} is not defined",))
                    jumps.append(Entry(where, DROP, (missing,)))
            if jumps:
                # What becomes of packets that no entry matches, devices settle for themselves.
                out.append(
                    Chain(
                        f"{port} {side}",
                        jumps[0].source,
                        tuple(jumps),
                        hook,
                        policy=UNKNOWN,
                        interface=port,
                    )
                )
    return out


def _entry(held: Held, number: str, family: str | None) -> Entry:
    held.ignore("description")
    matches: list[Match] = [Match("family", (family,))] if family is not None else []
    protocol = None
    for name in ("ipv4", "ipv6"):
        inner = held.inner(name)
        if inner is None:
            continue
        for side, key in (("source", "source"), ("destination", "target")):
            word = inner.word(f"{side}-address")
            if word is not None:
                prefix = parse_prefix(word.value)
                matches.append(Match(key, (prefix,)) if prefix else Match("unknown", (word.value,)))
        word = inner.identity("protocol")
        if word is not None:
            protocol = _PROTOCOLS.get(word.value) or (
                by_packets().get(int(word.value)) if word.value.isdigit() else None
            )
            matches.append(Match("protocol", (protocol or word.value,)))
        matches += _rest(inner, ("source-address", "destination-address", "protocol"))
    transport = held.inner("transport")
    if transport is not None:
        for side, key in (("source-port", "source-port"), ("destination-port", "target-port")):
            word = transport.word(side)
            if word is not None and bare(word.value) != "ANY":
                span = _ports(word.value)
                kind = f"{protocol or 'tcp'} {key}"
                matches.append(Match(kind, (span,)) if span else Match("unknown", (word.value,)))
        matches += _rest(transport, ("source-port", "destination-port"))
    port = held.inner("input-interface", "interface-ref")
    named = port.word("interface") if port is not None else None
    if named is not None:
        matches.append(Match("in", (named.value,)))
    layer = held.inner("l2")
    if layer is not None:
        matches.append(Match("unknown", ("addresses of the link",)))
    for name in ("mpls", "icmpv4", "icmpv6"):
        inner = held.inner(name)
        if inner is not None and inner.config is not None and inner.config.node.members():
            matches.append(Match("unknown", (name,)))
    actions = held.inner("actions")
    verdict = actions.identity("forwarding-action") if actions is not None else None
    if actions is not None:
        actions.ignore("log-action")
    return Entry(
        held.source("sequence-id")._replace(path=held.path),
        _ACTIONS.get(verdict.value, UNKNOWN) if verdict is not None else UNKNOWN,
        tuple(matches),
        name=number,
    )


def _ports(text: str) -> tuple[int, int] | None:
    low, dots, high = text.partition("..")
    if not low.isdigit() or (dots and not high.isdigit()):
        return None
    return int(low), int(high) if dots else int(low)


def _rest(held: Held, known: tuple[str, ...]) -> list[Match]:
    inner = held.config.node if held.config is not None else held.node
    return [
        Match("unknown", (key,))
        for key, node in inner.members().items()
        if bare(key) not in known and node.value not in ([], {})
    ]
