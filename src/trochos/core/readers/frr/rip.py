"""`router rip`, `router ripng` and the RIP lines of interfaces."""

from __future__ import annotations

from typing import Any

from ...network.addressing import Address, Prefix, parse_address, parse_prefix
from ...network.rip import RipHabits, RipInterface, RipProcess
from ...network.routing import (
    DefaultRoute,
    Flag,
    NetworkStatement,
    Number,
    PeerDistance,
    Redistribution,
    RouteFilter,
    Word,
)
from ...network.source import Source
from .fate import IRRELEVANT, UNDERSTOOD, Fate, Misread, number, options
from .ospf import redistributed
from .section import SectionReader, TextRow


class RipReader(SectionReader):
    """Reads RIP of one family."""

    def __init__(self, family: int) -> None:
        self.family = family
        self.word, self.name = ("rip", "RIP") if family == 4 else ("ripng", "RIPng")
        self.touches = family
        self.source: Source | None = None
        self.process: dict[str, Any] = {}
        self.networks: list[NetworkStatement] = []
        self.neighbours: list[tuple[Address, Source]] = []
        self.passive: dict[str, Flag] = {}
        self.interfaces: dict[str, dict[str, Any]] = {}
        self.redistribute: dict[str, Redistribution] = {}
        self.filters: list[RouteFilter] = []
        self.offsets: list[RouteFilter] = []
        self.statics: list[tuple[Prefix, Source]] = []
        self.aggregates: list[tuple[Prefix, Source]] = []
        self.distances: dict[Prefix, PeerDistance] = {}

    def open(self, words: list[str], source: Source) -> Fate:
        if words:
            return "routing instances are not computed"
        self.source = self.source or source
        return UNDERSTOOD

    def line(self, words: list[str], source: Source, negated: bool) -> Fate:
        first, rest = words[0], words[1:]
        if first in ("ip", "ipv6") and rest[:1] == ["distribute-list"]:
            first, rest = rest[0], rest[1:]  # so RIPng writes it
        if first == "network" or first == "neighbor":
            return self._network(first, rest, source, negated)
        if first == "passive-interface":
            if rest[0] == "default":
                self.process["passive_default"] = Flag(not negated, source)
            else:
                self.passive[rest[0]] = Flag(not negated, source)
        elif first == "version":
            self.process["version"] = None if negated else Number(number(rest[0], 1, 2), source)
        elif first == "default-metric":
            self.process["default_metric"] = (
                None if negated else Number(number(rest[0], 1, 16), source)
            )
        elif first == "redistribute":
            protocol, tail = redistributed(rest)
            self.redistribute.pop(protocol, None)
            if not negated:
                found = options(tail, {"metric": 1, "route-map": 1})
                self.redistribute[protocol] = Redistribution(
                    protocol,
                    source,
                    number(found["metric"][0], 0, 16) if "metric" in found else None,
                    None,
                    found["route-map"][0] if "route-map" in found else None,
                )
        elif first == "default-information" and rest == ["originate"]:
            self.process["default"] = None if negated else DefaultRoute(source, True)
        elif first == "distribute-list":
            return self._distribute(rest, source, negated)
        elif first == "offset-list":
            self._offset(rest, source, negated)
        elif first == "distance":
            if len(rest) > 1:
                distance = peer_distance(rest, self.family, source)
                self.distances.pop(distance.prefix, None)
                if not negated:
                    self.distances[distance.prefix] = distance
                return UNDERSTOOD
            self.process["distance"] = None if negated else Number(number(rest[0], 1, 255), source)
        elif first == "route":
            prefix = _prefix(rest[0], self.family)
            self.statics = [item for item in self.statics if item[0] != prefix]
            if not negated:
                self.statics.append((prefix, source))
        elif first == "aggregate-address":
            prefix = _prefix(rest[0], self.family)
            self.aggregates = [item for item in self.aggregates if item[0] != prefix]
            if not negated:
                self.aggregates.append((prefix, source))
        elif first == "allow-ecmp":
            self.process["max_paths"] = 1 if negated else number(rest[0], 1) if rest else 256
        elif first in ("timers", "bfd", "log-adjacency-changes"):
            return IRRELEVANT
        elif first == "route-map":
            return IRRELEVANT  # it is shown, and nothing follows from it (seen on real routers)
        else:
            return f"`{first}` is not understood here"
        return UNDERSTOOD

    def _network(self, first: str, rest: list[str], source: Source, negated: bool) -> Fate:
        if first == "neighbor":
            address = parse_address(rest[0])
            if address is None:
                raise Misread(f"{rest[0]!r} is not an address")
            self.neighbours = [n for n in self.neighbours if n[0] != address]
            if not negated:
                self.neighbours.append((address, source))
            return UNDERSTOOD
        prefix = parse_prefix(rest[0])
        if prefix is None and "/" not in rest[0] and parse_address(rest[0]) is not None:
            prefix = _classful(rest[0])
        item = NetworkStatement(prefix, source, interface=None if prefix else rest[0])
        self.networks = [
            n for n in self.networks if (n.prefix, n.interface) != (item.prefix, item.interface)
        ]
        if not negated:
            self.networks.append(item)
        return UNDERSTOOD

    def _distribute(self, rest: list[str], source: Source, negated: bool) -> Fate:
        kind = "access"
        if rest[0] == "prefix":
            kind, rest = "prefix", rest[1:]
        if len(rest) < 2 or rest[1] not in ("in", "out"):
            raise Misread("it reads: distribute-list [prefix] NAME in|out [INTERFACE]")
        interface = rest[2] if len(rest) > 2 else None
        key = (kind, rest[1], interface)
        self.filters = [f for f in self.filters if (f.kind, f.direction, f.interface) != key]
        if not negated:
            self.filters.append(RouteFilter(kind, rest[0], rest[1], source, interface))
        return UNDERSTOOD

    def _offset(self, rest: list[str], source: Source, negated: bool) -> None:
        if len(rest) < 3 or rest[1] not in ("in", "out"):
            raise Misread("it reads: offset-list NAME in|out METRIC [INTERFACE]")
        interface = rest[3] if len(rest) > 3 else None
        key = (rest[1], interface)
        self.offsets = [o for o in self.offsets if (o.direction, o.interface) != key]
        if not negated:
            metric = number(rest[2], 0, 16)
            self.offsets.append(
                RouteFilter("access", rest[0], rest[1], source, interface, offset=metric)
            )

    def interface_line(self, name: str, words: list[str], source: Source, negated: bool) -> Fate:
        """A line under an interface, without its leading `ip rip` or `ipv6 ripng`."""
        settings = self.interfaces.setdefault(name, {})
        first, rest = words[0], words[1:]
        if first in ("send", "receive") and rest[:1] == ["version"]:
            value = " ".join(sorted(rest[1:]))
            settings[first] = None if negated else Word(value, source)
        elif first == "authentication" and rest:
            what = {"mode": "authentication", "string": "key", "key-chain": "key_chain"}
            if rest[0] not in what:
                return "this kind of authentication is not computed"
            settings[what[rest[0]]] = None if negated else Word(rest[1], source)
        elif first == "split-horizon":
            poisoned = rest == ["poisoned-reverse"]
            value = "poisoned" if poisoned and not negated else "off" if negated else "on"
            if poisoned and negated:
                value = "on"
            settings["split_horizon"] = Word(value, source)
        elif first in ("v2-broadcast", "bfd"):
            return IRRELEVANT
        else:
            return f"`{first}` is not understood here"
        return UNDERSTOOD

    @property
    def runs(self) -> bool:
        return self.source is not None

    def finish(self) -> tuple[RipProcess, ...]:
        if self.source is None:
            return ()
        process = RipProcess(
            self.family,
            self.source,
            networks=tuple(self.networks),
            interfaces={name: RipInterface(name, **s) for name, s in self.interfaces.items()},
            neighbours=tuple(self.neighbours),
            passive=self.passive,
            redistribute=tuple(self.redistribute.values()),
            filters=tuple(self.filters),
            offsets=tuple(self.offsets),
            statics=tuple(self.statics),
            aggregates=tuple(self.aggregates),
            distances=tuple(self.distances.values()),
            **self.process,
        )
        return (process,)


def peer_distance(words: list[str], family: int, source: Source) -> PeerDistance:
    """`distance NUMBER PREFIX [LIST]`, without its first word."""
    name = words[2] if len(words) > 2 else None
    return PeerDistance(_prefix(words[1], family), number(words[0], 1, 255), source, name)


def _prefix(text: str, family: int) -> Prefix:
    prefix = parse_prefix(text)
    if prefix is None or prefix.family != family:
        raise Misread(f"{text!r} is not an IPv{family} prefix")
    return prefix


def _classful(text: str) -> Prefix | None:
    """A bare network number stands for its class (RFC 791, section 2.3)."""
    first = text.split(".", 1)[0]
    if not first.isascii() or not first.isdigit():
        return None
    head = int(first)
    return parse_prefix(f"{text}/{8 if head < 128 else 16 if head < 192 else 24}")


TEXT = TextRow(lambda: (RipReader(4), RipReader(6)), RipHabits(version=2, shares_equal_cost=False))
