"""`router isis` and the IS-IS lines of interfaces."""

from __future__ import annotations

from typing import Any

from ...network.addressing import FAMILIES
from ...network.isis import KINDS, LEVELS, NARROWEST, Announced, IsisHabits, IsisInterface
from ...network.isis import IsisProcess as Process
from ...network.routing import DefaultRoute, Flag, Number, Redistribution, Word
from ...network.source import Source
from .fate import IRRELEVANT, UNDERSTOOD, Fate, Misread, number, options
from .ospf import redistributed
from .section import SectionReader, TextRow

_IDLE = (
    "lsp-timers", "lsp-gen-interval", "lsp-refresh-interval", "max-lsp-lifetime", "spf-interval",
    "spf-delay-ietf", "mpls-te", "log-adjacency-changes", "hostname", "purge-originator",
    "lsp-mtu", "bfd", "set-attached-bit", "spf", "log-pdu-drops", "advertise-high-metrics",
)  # fmt: skip
"""Lines that change no way and no neighbour."""
_IDLE_ON_LINKS = (
    "hello-interval", "hello-multiplier", "csnp-interval", "psnp-interval", "bfd",
    "three-way-handshake", "fast-reroute",
)  # fmt: skip


_REFUSED = "a topology of its own needs wide metrics: the daemon refuses the whole process"
"""Measured on FRR 8.4: `router isis` is gone, with all that it says."""


class IsisReader(SectionReader):
    """Reads the one IS-IS router of a text."""

    word, name = "isis", "IS-IS"

    def __init__(self) -> None:
        self.source: Source | None = None
        self.tag = ""
        self.process: dict[str, Any] = {}
        self.interfaces: dict[str, dict[str, Any]] = {}
        self.announced: dict[tuple[int, int, str], tuple[int, Announced]] = {}

    def open(self, words: list[str], source: Source) -> Fate:
        tag = words[0] if words else ""
        if self.source is not None and tag != self.tag:
            return "several IS-IS processes on one device are not computed"
        self.source, self.tag = self.source or source, tag
        return UNDERSTOOD

    def line(self, words: list[str], source: Source, negated: bool) -> Fate:
        first, rest = words[0], words[1:]
        process = self.process
        if first == "net":
            if "net" in process and not negated and process["net"].value != rest[0]:
                return "several area addresses are not computed"
            process["net"] = Word(rest[0], source)
            if negated:
                del process["net"]
        elif first == "is-type":
            process["kind"] = None if negated else _kind(rest[0], source)
        elif first == "metric-style":
            if not negated and rest[0] not in ("narrow", "wide", "transition"):
                raise Misread(f"{rest[0]!r} is no style of metrics")
            process["style"] = None if negated else Word(rest[0], source)
            return UNDERSTOOD if self._agree() else _REFUSED
        elif first == "set-overload-bit":
            if rest:
                return IRRELEVANT  # only while it starts
            process["overload"] = Flag(not negated, source)
        elif first == "attached-bit" and rest:
            name = "attached_send" if rest[0] == "send" else "attached_receive"
            ignored = rest[:2] == ["receive", "ignore"]
            process[name] = Flag(negated if ignored else not negated, source)
        elif first in ("area-password", "domain-password"):
            name = "area_key" if first.startswith("area") else "domain_key"
            process[name] = None if negated else Word(" ".join(rest[:2]), source)
        elif first == "redistribute":
            self._redistribute(rest, source, negated)
        elif first == "default-information" and rest[:1] == ["originate"]:
            self._default(rest[1:], source, negated)
        elif first == "topology" and rest[:1] in (["ipv6-unicast"], ["ipv4-unicast"]):
            if rest[0] == "ipv4-unicast":
                return UNDERSTOOD if not negated else "IS-IS without IPv4 is not computed"
            process["own_topology"] = Flag(not negated, source)
            return UNDERSTOOD if self._agree() else _REFUSED
        elif first in _IDLE or (first == "dynamic" and rest == ["hostname"]):
            return IRRELEVANT
        else:
            return f"`{first}` is not understood here"
        return UNDERSTOOD

    def _agree(self) -> bool:
        """True unless a topology of its own meets metrics that are not wide."""
        own, style = self.process.get("own_topology"), self.process.get("style")
        return not (own and own.value and style and style.value != "wide")

    def _redistribute(self, rest: list[str], source: Source, negated: bool) -> None:
        family, level = _family(rest[0]), _level(rest[2] if len(rest) > 2 else "")
        protocol, tail = redistributed(rest[1:2])
        key = (family, level, protocol)
        self.announced.pop(key, None)
        if negated:
            return
        found = options([*tail, *rest[3:]], {"metric": 1, "route-map": 1})
        what = Redistribution(
            protocol,
            source,
            number(found["metric"][0]) if "metric" in found else None,
            None,
            found["route-map"][0] if "route-map" in found else None,
        )
        self.announced[key] = (family, Announced(level, what))

    def _default(self, rest: list[str], source: Source, negated: bool) -> None:
        family, level = _family(rest[0]), _level(rest[1] if len(rest) > 1 else "")
        key = (family, level, "default")
        self.announced.pop(key, None)
        if negated:
            return
        found = options(rest[2:], {"always": 0, "metric": 1, "route-map": 1})
        what = DefaultRoute(
            source,
            "always" in found,
            number(found["metric"][0]) if "metric" in found else None,
            None,
            found["route-map"][0] if "route-map" in found else None,
        )
        self.announced[key] = (family, Announced(level, what))

    def claims(self, words: list[str]) -> list[str] | None:
        if len(words) > 2 and words[0] in ("ip", "ipv6") and words[1:3] == ["router", "isis"]:
            return [words[0], *words[3:]]
        return words[1:] if words[0] == "isis" and len(words) > 1 else None

    def interface_line(self, name: str, words: list[str], source: Source, negated: bool) -> Fate:
        held = self.interfaces.setdefault(name, {})
        first, rest = words[0], words[1:]
        if first in ("ip", "ipv6"):
            taken = held.setdefault("taken_in", {})
            taken.pop(_family(first), None)
            if not negated:
                taken[_family(first)] = (source, rest[0] if rest else "")
        elif first == "circuit-type":
            held["circuit"] = None if negated else _kind(rest[0], source)
        elif first == "metric":
            self._metric(held, rest, source, negated)
        elif first == "passive":
            held["passive"] = Flag(not negated, source)
        elif first == "network" and rest == ["point-to-point"]:
            held["network"] = None if negated else Word(rest[0], source)
        elif first == "password":
            held["authentication"] = None if negated else Word(rest[0], source)
            held["key"] = None if negated else Word(" ".join(rest[1:2]), source)
        elif first == "priority":
            levels = [_level(rest[1])] if len(rest) > 1 else LEVELS
            for level in levels:
                held.setdefault("priorities", {}).pop(level, None)
                if not negated:
                    held["priorities"][level] = Number(number(rest[0], 0, 127), source)
        elif first == "hello" and rest[:1] == ["padding"]:
            held["padding"] = Flag(not negated and rest[1:] == [], source)
        elif first == "topology" and rest == ["ipv6-unicast"]:
            held["left_out"] = Flag(negated, source)
        elif first in _IDLE_ON_LINKS:
            return IRRELEVANT
        else:
            return f"`{first}` is not understood here"
        return UNDERSTOOD

    def _metric(self, held: dict[str, Any], rest: list[str], source: Source, negated: bool) -> None:
        levels = [_level(rest[0])] if rest and rest[0].startswith("level") else list(LEVELS)
        value = number(rest[-1], 0, 16777215) if rest and not negated else 0
        if value > NARROWEST and self.source is None:
            held["refused"] = source
        for level in levels:
            held.setdefault("metrics", {}).pop(level, None)
            if not negated:
                held["metrics"][level] = Number(value, source)

    @property
    def runs(self) -> bool:
        return self.source is not None

    def finish(self) -> tuple[Process, ...]:
        if self.source is None:
            return ()
        interfaces: dict[str, IsisInterface] = {}
        for name, held in self.interfaces.items():
            mine = {
                family: source
                for family, (source, tag) in held.get("taken_in", {}).items()
                if tag == self.tag
            }
            interfaces[name] = IsisInterface(name, **{**held, "taken_in": mine})
        return tuple(
            Process(
                family,
                self.source,
                self.tag,
                interfaces=interfaces,
                announced=tuple(a for f, a in self.announced.values() if f == family),
                **self.process,
            )
            for family in FAMILIES
        )


def _family(word: str) -> int:
    families = {"ip": 4, "ipv4": 4, "ipv6": 6}
    if word not in families:
        raise Misread(f"{word!r} is no address family")
    return families[word]


def _level(word: str) -> int:
    if word not in ("level-1", "level-2"):
        raise Misread(f"{word!r} is no level")
    return 1 if word == "level-1" else 2


def _kind(word: str, source: Source) -> Word:
    if word not in KINDS:
        raise Misread(f"{word!r} is no kind of router or circuit")
    return Word(word, source)


TEXT = TextRow(
    lambda: (IsisReader(),),
    IsisHabits(
        late_style_refuses=True,
        one_level_overrules_circuits=True,
        announced_default_overrules=True,
        narrow_uses_no_ipv6=True,
        own_topology_passes_overloaded=True,
        maps_are_found_once=True,
    ),
    (
        r"(ip(?:v6)? router isis) ",
        r"(isis (?:circuit-type|network|password|passive))",
        r"(isis metric(?: level-\d)?) ",
    ),
)
