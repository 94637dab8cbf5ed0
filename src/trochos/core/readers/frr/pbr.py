"""Policy maps of FRR: rules that send what arrives on an interface to a next hop.

Measured on FRR 8.4 with Linux (tests/real/test_policy_maps.py): a sequence is a rule of the kernel
with the priority 299 + its number, for packets that arrive on the interface, and a table with one
default. It is there only if the sequence names a source, a destination or a mark and a next hop
is found; ports are left out of the rule, so that it takes all of the protocol.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from ...network.addressing import Address, Prefix, parse_address, parse_prefix
from ...network.facts import StaticRoute
from ...network.rules import Rule
from ...network.source import Source
from .fate import UNDERSTOOD, Fate, Misread, number

BASE = 299
"""What a sequence's number is added to for the priority of its rule."""
_PROTOCOLS = {"tcp": 6, "udp": 17}
_MAIN_PRIORITY = 32766


@dataclass(slots=True)
class _Hop:
    gateway: Address
    interface: str | None
    source: Source


@dataclass(slots=True)
class _Sequence:
    source: Source
    ends: dict[str, Prefix] = field(default_factory=dict)
    """`src-ip` and `dst-ip`."""
    protocol: int | None = None
    mark: int | None = None
    ports: Source | None = None
    service: str | None = None
    """A type of service that it asks for."""
    hops: list[_Hop] = field(default_factory=list)
    group: tuple[str, Source] | None = None


class PolicyMaps:
    """Collects the sections and the lines of interfaces of one text."""

    def __init__(self) -> None:
        self.maps: dict[str, dict[int, _Sequence]] = {}
        self.groups: dict[str, list[_Hop]] = {}
        self.used: dict[str, tuple[str, Source]] = {}
        """By interface: the map that it names."""
        self.odd: dict[str, list[tuple[Source, str]]] = {}
        """By the name of a map, or of a group behind `group `: lines that are not computed."""

    def open_map(self, words: list[str], source: Source) -> tuple[str, int]:
        """`pbr-map NAME seq N`: what the following lines are about.

        Raises:
            Misread: it is not of this form.
        """
        if len(words) != 4 or words[2] != "seq":
            raise Misread("a policy map has a name and a sequence number")
        at = words[1], number(words[3], 1, 700)
        self.maps.setdefault(at[0], {}).setdefault(at[1], _Sequence(source))
        return at

    def remove(self, words: list[str]) -> Fate:
        """`no pbr-map NAME seq N`."""
        name, sequence = self.open_map(words, Source("", "", None, ""))
        del self.maps[name][sequence]
        return UNDERSTOOD

    def map_line(self, at: tuple[str, int], words: list[str], source: Source, off: bool) -> Fate:
        """A line of a sequence.

        Raises:
            Misread: a value is not what it should be.
        """
        held = self.maps[at[0]][at[1]]
        what = words[1] if len(words) > 1 else ""
        if words[0] == "match":
            return self._match(held, what, words[2:], source, off)
        if words[0] == "set" and what == "nexthop":
            held.hops = [] if off else [_hop(words[2:], source)]
            held.group = None
        elif words[0] == "set" and what == "nexthop-group":
            held.hops, held.group = [], None if off else (words[2], source)
        else:
            raise Misread("this of a policy map is not computed")
        return UNDERSTOOD

    @staticmethod
    def _match(held: _Sequence, what: str, rest: list[str], source: Source, off: bool) -> Fate:
        value = rest[0] if rest else ""
        if what in ("src-ip", "dst-ip"):
            prefix = parse_prefix(value)
            if prefix is None and not off:
                raise Misread(f"{value!r} is no prefix")
            held.ends.pop(what, None)
            if prefix is not None and not off:
                held.ends[what] = prefix
        elif what == "ip-protocol":
            if value not in _PROTOCOLS and not off:
                raise Misread(f"the protocol {value!r} is not understood here")
            held.protocol = None if off else _PROTOCOLS[value]
        elif what in ("src-port", "dst-port"):
            number(value, 1, 65535)
            held.ports = None if off else source
        elif what == "mark":
            held.mark = None if off else number(value, 1)
        elif what in ("dscp", "ecn"):
            if value in ("0", "cs0", "default"):
                raise Misread("the usual type of service as a condition is not computed")
            held.service = None if off else f"the type of service {value}"
        else:
            raise Misread("this of a policy map is not computed")
        return UNDERSTOOD

    def group_line(self, name: str, words: list[str], source: Source, off: bool) -> Fate:
        """A line of a group of next hops.

        Raises:
            Misread: a value is not what it should be.
        """
        if words[0] != "nexthop":
            raise Misread("this of a group of next hops is not computed")
        hop = _hop(words[1:], source)
        held = self.groups.setdefault(name, [])
        held[:] = [h for h in held if (h.gateway, h.interface) != (hop.gateway, hop.interface)]
        if not off:
            held.append(hop)
        return UNDERSTOOD

    def interface_line(self, interface: str, words: list[str], source: Source, off: bool) -> Fate:
        """`pbr-policy NAME` of an interface."""
        self.used.pop(interface, None)
        if not off:
            if len(words) != 2:
                raise Misread("an interface names one policy map")
            self.used[interface] = words[1], source
        return UNDERSTOOD

    def doubts(self) -> list[tuple[Source, str]]:
        """The lines that are not computed of what interfaces use."""
        maps = dict.fromkeys(name for name, _ in self.used.values())
        groups = {
            f"group {held.group[0]}"
            for name in maps
            for held in self.maps.get(name, {}).values()
            if held.group is not None
        }
        return [item for name in (*maps, *sorted(groups)) for item in self.odd.get(name, ())]

    def finish(self) -> tuple[list[Rule], dict[str, list[StaticRoute]]]:
        """The rules, and the tables that they lead to."""
        rules: list[Rule] = []
        tables: dict[str, list[StaticRoute]] = {}
        for interface, (name, line) in self.used.items():
            if name not in self.maps:
                missing = f"no policy map is called {name}"
                rules.append(Rule(BASE, 4, line, arrived=interface, idle=missing, name=name))
            for sequence, held in sorted(self.maps.get(name, {}).items()):
                rules.append(self._rule(interface, name, sequence, held, tables))
        if rules:
            # What no rule takes goes by the main table, as everywhere.
            line = rules[0].line._replace(default=True)
            rules += [Rule(_MAIN_PRIORITY, family, line, "main") for family in (4, 6)]
        return rules, tables

    def _rule(
        self,
        interface: str,
        name: str,
        sequence: int,
        held: _Sequence,
        tables: dict[str, list[StaticRoute]],
    ) -> Rule:
        table = f"{name} {sequence}"
        hops = held.hops if held.group is None else self.groups.get(held.group[0], [])
        family = next((prefix.family for prefix in held.ends.values()), 4)
        idle = None
        if not held.ends and held.mark is None and held.service is None:
            idle = "it names neither a source nor a destination nor a mark"
        elif held.group is not None and held.group[0] not in self.groups:
            idle = f"no group of next hops is called {held.group[0]}"
        elif not hops:
            idle = "it names no next hop"
        for hop in hops:
            route = StaticRoute(
                Prefix(hop.gateway.family, 0, 0), hop.source, hop.gateway, hop.interface
            )
            if route not in tables.setdefault(table, []):
                tables[table].append(route)
        return Rule(
            BASE + sequence,
            family,
            held.source,
            table,
            source=held.ends.get("src-ip"),
            target=held.ends.get("dst-ip"),
            arrived=interface,
            protocol=held.protocol,
            mark=None if held.mark is None else (held.mark, 0xFFFFFFFF),
            never=held.service,
            idle=idle,
            left_out=held.ports,
            name=f"{name} {sequence}",
        )


def _hop(words: list[str], source: Source) -> _Hop:
    gateway = parse_address(words[0]) if words else None
    if gateway is None or len(words) > 2:
        raise Misread("a next hop is an address and perhaps an interface")
    return _Hop(gateway, words[1] if len(words) == 2 else None, source)
