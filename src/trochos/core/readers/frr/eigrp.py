"""`router eigrp` and the EIGRP lines of interfaces."""

from __future__ import annotations

from typing import Any

from ...network.addressing import parse_prefix
from ...network.eigrp import EigrpHabits, EigrpInterface, EigrpProcess
from ...network.routing import Flag, NetworkStatement, Number, Redistribution, RouteFilter, Word
from ...network.source import Source
from .fate import IRRELEVANT, UNDERSTOOD, Fate, Misread, number, router_id
from .ospf import redistributed
from .section import SectionReader, TextRow

_PAIRS = ("ip hello-interval", "ip hold-time", "ip authentication", "ip summary-address")


class EigrpReader(SectionReader):
    """Reads the EIGRP processes of one text, by their numbers."""

    says_word = True

    def __init__(self) -> None:
        self.sources: dict[int, Source] = {}
        self.word, self.name = "eigrp", "EIGRP"
        self.process: dict[int, dict[str, Any]] = {}
        self.interfaces: dict[str, dict[str, Any]] = {}
        self.current = 0

    def open(self, words: list[str], source: Source) -> Fate:
        if not words:
            raise Misread("the number of the autonomous system is missing")
        self.current = number(words[0], 1, 65535)
        if len(words) > 1:
            return "routing instances are not computed"
        self.sources.setdefault(self.current, source)
        self.process.setdefault(self.current, {})
        return UNDERSTOOD

    def line(self, words: list[str], source: Source, negated: bool) -> Fate:
        settings = self.process[self.current]
        first, rest = words[0], words[1:]
        if first == "eigrp" and rest:
            first, rest = rest[0], rest[1:]
        if first == "router-id":
            settings["router_id"] = None if negated else Number(router_id(rest[0]), source)
        elif first == "network":
            prefix = parse_prefix(rest[0])
            if prefix is None:
                raise Misread(f"{rest[0]!r} is not a prefix")
            held = [n for n in settings.get("networks", ()) if n.prefix != prefix]
            if not negated:
                held.append(NetworkStatement(prefix, source))
            settings["networks"] = held
        elif first == "passive-interface":
            if rest[0] == "default":
                settings["passive_default"] = Flag(not negated, source)
            else:
                settings.setdefault("passive", {})[rest[0]] = Flag(not negated, source)
        elif first == "metric" and rest[:1] == ["weights"]:
            settings["weights"] = None if negated else tuple(number(w, 0, 255) for w in rest[1:])
            settings["weights_source"] = source
        elif first == "variance":
            settings["variance"] = None if negated else Number(number(rest[0], 1, 128), source)
        elif first == "maximum-paths":
            settings["max_paths"] = None if negated else Number(number(rest[0], 1, 32), source)
        elif first == "redistribute":
            protocol, _ = redistributed(rest)
            held = [r for r in settings.get("redistribute", ()) if r.protocol != protocol]
            if not negated:
                held.append(Redistribution(protocol, source))
            settings["redistribute"] = held
        elif first == "distribute-list":
            kind = "prefix" if rest[0] == "prefix" else "access"
            rest = rest[1:] if kind == "prefix" else rest
            if len(rest) < 2 or rest[1] not in ("in", "out"):
                raise Misread("it reads: distribute-list [prefix] NAME in|out [INTERFACE]")
            interface = rest[2] if len(rest) > 2 else None
            key = (kind, rest[1], interface)
            filters = [
                f for f in settings.get("filters", ()) if (f.kind, f.direction, f.interface) != key
            ]
            if not negated:
                filters.append(RouteFilter(kind, rest[0], rest[1], source, interface))
            settings["filters"] = filters
        elif first in ("timers", "log-neighbor-changes", "bfd"):
            return IRRELEVANT
        elif first == "neighbor":
            return IRRELEVANT  # it is shown, and nothing follows from it (seen on real routers)
        else:
            return f"`{first}` is not understood here"
        return UNDERSTOOD

    def claims(self, words: list[str]) -> list[str] | None:
        named = self.word in words and " ".join(words[:2]) in _PAIRS
        return words if named or words[0] in ("delay", self.word) else super().claims(words)

    def interface_line(self, name: str, words: list[str], source: Source, negated: bool) -> Fate:
        """An EIGRP line under an interface, as it stands in the text."""
        settings = self.interfaces.setdefault(name, {})
        text = " ".join(words)
        if words[0] == "delay":
            settings["delay"] = None if negated else Number(number(words[1]), source)
        elif text.startswith("eigrp bandwidth"):
            settings["bandwidth"] = None if negated else Number(number(words[2]), source)
        elif text.startswith("ip hello-interval eigrp") and len(words) == 5:
            settings["hello"] = None if negated else Number(number(words[4]), source)
        elif text.startswith("ip hold-time eigrp") and len(words) == 5:
            settings["hold"] = None if negated else Number(number(words[4]), source)
        elif text.startswith("ip authentication mode eigrp") and len(words) >= 6:
            settings["authentication"] = None if negated else Word(words[5], source)
        elif text.startswith("ip authentication key-chain eigrp") and len(words) >= 6:
            settings["key_chain"] = None if negated else Word(words[5], source)
        elif text.startswith("ip summary-address eigrp") and len(words) == 5:
            prefix = parse_prefix(words[4])
            if prefix is None:
                raise Misread(f"{words[4]!r} is not a prefix")
            held = [s for s in settings.get("summaries", ()) if s[0] != prefix]
            settings["summaries"] = held if negated else [*held, (prefix, source)]
        else:
            return "it is not understood here"
        return UNDERSTOOD

    @property
    def runs(self) -> bool:
        return bool(self.sources)

    def finish(self) -> tuple[EigrpProcess, ...]:
        def frozen(settings: dict[str, Any]) -> dict[str, Any]:
            return {k: tuple(v) if isinstance(v, list) else v for k, v in settings.items()}

        interfaces = {
            name: EigrpInterface(name, **frozen(s)) for name, s in self.interfaces.items()
        }
        return tuple(
            EigrpProcess(
                as_number, source, interfaces=interfaces, **frozen(self.process[as_number])
            )
            for as_number, source in self.sources.items()
        )


HABITS = EigrpHabits(
    statement_ignores_mask=True,
    fixed_metrics=True,
    ignores_passive=True,
    ignores_redistribution=True,
    ignores_summaries=True,
)

TEXT = TextRow(
    lambda: (EigrpReader(),),
    HABITS,
    (
        r"(ip authentication (?:mode|key-chain) eigrp \d+)",
        r"(ip (?:hello-interval|hold-time) eigrp \d+)",
        r"(delay|eigrp bandwidth) ",
    ),
)
