"""`router ospf`, `router ospf6` and the OSPF lines of interfaces."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ...network.addressing import Address, parse_address, parse_prefix
from ...network.ospf import (
    AreaRange,
    ListedNeighbour,
    OspfArea,
    OspfHabits,
    OspfInterface,
    OspfProcess,
    VirtualLink,
)
from ...network.protocols import computed_as, rows
from ...network.routing import (
    DefaultRoute,
    Flag,
    NetworkStatement,
    Number,
    Redistribution,
    RouteFilter,
    Word,
)
from ...network.source import Source
from .fate import IRRELEVANT, UNDERSTOOD, Fate, Misread, number, options, router_id
from .section import SectionReader, TextRow

_SILENT = frozenset(
    [
        "log-adjacency-changes",
        "timers",
        "refresh",
        "capability",
        "opaque",
        "write-multiplier",
        "socket",
        "proactive-arp",
        "mpls",
        "mpls-te",
        "router-info",
        "pce",
        "segment-routing",
        "auto-summary",
        "graceful-restart",
        "fast-reroute",
        "neighbor-timers",
        "gr",
        "detail",
        "ldp-sync",
        "local-as",
        "send-lsa",
        "send-extra-data",
        "opaque-lsa",
    ]
)
_REDISTRIBUTE = {"metric": 1, "metric-type": 1, "route-map": 1, "tag": 1}
_DEFAULT = {"always": 0, "metric": 1, "metric-type": 1, "route-map": 1}
_INTERFACE_SILENT = frozenset(
    [
        "retransmit-interval",
        "transmit-delay",
        "bfd",
        "graceful-restart",
        "capability",
        "ldp-sync",
        "mpls",
        "prefix-suppression",
    ]
)
_BEFORE_ADDRESS = {
    "cost": 2,
    "hello-interval": 2,
    "dead-interval": 2,
    "retransmit-interval": 2,
    "transmit-delay": 2,
    "priority": 2,
    "area": 2,
    "authentication-key": 2,
    "message-digest-key": 4,
    "authentication": 1,
    "mtu-ignore": 1,
    "passive": 1,
    "prefix-suppression": 1,
}
"""How many words a setting has at least if the last of them is an address it is for."""


class OspfReader(SectionReader):
    """Reads the OSPF of one version."""

    says_word = True

    def __init__(self, version: int) -> None:
        self.version = version
        self.word, self.name = ("ospf", "OSPF") if version == 2 else ("ospf6", "OSPFv3")
        self.touches = 4 if version == 2 else 6
        self.family = 4 if version == 2 else 6
        self.source: Source | None = None
        self.process: dict[str, Any] = {}
        self.networks: list[NetworkStatement] = []
        self.areas: dict[int, dict[str, Any]] = {}
        self.interfaces: dict[str, dict[str, Any]] = {}
        self.redistribute: dict[str, Redistribution] = {}
        self.filters: list[RouteFilter] = []
        self.distance: dict[str, int] = {}
        self.summaries: list[AreaRange] = []
        self.by_address: dict[tuple[str, Address], dict[str, Any]] = {}
        self.neighbours: list[ListedNeighbour] = []
        self.virtual_links: dict[int, VirtualLink] = {}

    def open(self, words: list[str], source: Source) -> Fate:
        """The line that opens the section."""
        if words:
            return "several instances or routing instances of OSPF are not computed"
        self.source = self.source or source
        return UNDERSTOOD

    def area(self, word: str) -> dict[str, Any]:
        return self.areas.setdefault(router_id(word), {})

    # -- lines of the process ------------------------------------------------------

    def line(self, words: list[str], source: Source, negated: bool) -> Fate:
        first, rest = words[0], words[1:]
        if first in ("ospf", "ospf6") and rest:
            first, rest = rest[0], rest[1:]
        if first in _SILENT:
            return IRRELEVANT
        method: Callable[[list[str], Source, bool], Fate] | None = getattr(
            self, "_" + first.replace("-", "_"), None
        )
        if method is None:
            return f"`{first}` is not understood here"
        return method(rest, source, negated)

    def _set(self, name: str, value: object, negated: bool) -> Fate:
        if negated:
            self.process.pop(name, None)
        else:
            self.process[name] = value
        return UNDERSTOOD

    def _router_id(self, rest: list[str], source: Source, negated: bool) -> Fate:
        if negated:
            return self._set("router_id", None, True)
        return self._set("router_id", Number(router_id(rest[0]), source), False)

    def _network(self, rest: list[str], source: Source, negated: bool) -> Fate:
        prefix = parse_prefix(rest[0])
        if prefix is None or rest[1] != "area":
            raise Misread("it reads: network PREFIX area AREA")
        area = router_id(rest[2])
        self.networks = [n for n in self.networks if (n.prefix, n.area) != (prefix, area)]
        if not negated:
            self.area(rest[2])
            self.networks.append(NetworkStatement(prefix, source, area))
        return UNDERSTOOD

    def _interface(self, rest: list[str], source: Source, negated: bool) -> Fate:
        if len(rest) < 3 or rest[1] != "area":
            raise Misread("it reads: interface NAME area AREA")
        settings = self.interfaces.setdefault(rest[0], {})
        settings["area"] = None if negated else Number(router_id(rest[2]), source)
        self.area(rest[2])
        return UNDERSTOOD

    def _passive_interface(self, rest: list[str], source: Source, negated: bool) -> Fate:
        if rest[0] == "default":
            return self._set("passive_default", Flag(not negated, source), False)
        self.interfaces.setdefault(rest[0], {})["passive"] = Flag(not negated, source)
        return UNDERSTOOD

    def _redistribute(self, rest: list[str], source: Source, negated: bool) -> Fate:
        protocol, rest = redistributed(rest)
        if negated:
            self.redistribute.pop(protocol, None)
            return UNDERSTOOD
        found = options(rest, _REDISTRIBUTE)
        self.redistribute[protocol] = Redistribution(
            protocol,
            source,
            _maybe(found, "metric"),
            _maybe(found, "metric-type"),
            found["route-map"][0] if "route-map" in found else None,
            _maybe(found, "tag"),
        )
        return UNDERSTOOD

    def _default_information(self, rest: list[str], source: Source, negated: bool) -> Fate:
        if rest[:1] != ["originate"]:
            raise Misread("it reads: default-information originate ...")
        found = options(rest[1:], _DEFAULT)
        value = DefaultRoute(
            source,
            "always" in found,
            _maybe(found, "metric"),
            _maybe(found, "metric-type"),
            found["route-map"][0] if "route-map" in found else None,
        )
        return self._set("default", value, negated)

    def _default_metric(self, rest: list[str], source: Source, negated: bool) -> Fate:
        value = None if negated else Number(number(rest[0]), source)
        return self._set("default_metric", value, negated)

    def _auto_cost(self, rest: list[str], source: Source, negated: bool) -> Fate:
        if rest[:1] != ["reference-bandwidth"]:
            raise Misread("it reads: auto-cost reference-bandwidth NUMBER")
        value = None if negated else Number(number(rest[1], 1), source)
        return self._set("reference_bandwidth", value, negated)

    def _maximum_paths(self, rest: list[str], source: Source, negated: bool) -> Fate:
        value = None if negated else Number(number(rest[0], 1), source)
        return self._set("max_paths", value, negated)

    def _abr_type(self, rest: list[str], source: Source, negated: bool) -> Fate:
        if rest[:1] == ["shortcut"] and not negated:
            return "borders that take short cuts are not computed"
        return self._set("border_type", rest[0] if rest else None, negated)

    def _compatible(self, rest: list[str], source: Source, negated: bool) -> Fate:
        return self._set("rfc1583", True, negated)

    def _rfc1583compatibility(self, rest: list[str], source: Source, negated: bool) -> Fate:
        return self._set("rfc1583", True, negated)

    def _max_metric(self, rest: list[str], source: Source, negated: bool) -> Fate:
        if rest[1:2] == ["administrative"]:
            return self._set("stub_router", Flag(True, source), negated)
        return IRRELEVANT  # on start and on shut down only

    def _stub_router(self, rest: list[str], source: Source, negated: bool) -> Fate:
        return self._set("stub_router", Flag(True, source), negated)

    def _distance(self, rest: list[str], source: Source, negated: bool) -> Fate:
        self.process["distance_source"] = source
        if rest and rest[0] in ("ospf", "ospf6"):
            found = options(rest[1:], {"intra-area": 1, "inter-area": 1, "external": 1})
            for name, value in found.items():
                self.distance[name] = number(value[0], 1, 255)
            if negated:
                self.distance = {k: v for k, v in self.distance.items() if k == "all"}
            return UNDERSTOOD
        if len(rest) != 1:
            return "a distance for chosen neighbours is not computed"
        self.distance["all"] = number(rest[0], 1, 255)
        if negated:
            del self.distance["all"]
        return UNDERSTOOD

    def _distribute_list(self, rest: list[str], source: Source, negated: bool) -> Fate:
        if len(rest) != 3 or rest[1] != "out":
            return "this filter is not computed"
        item = RouteFilter("access", rest[0], "out", source, protocol=rest[2])
        self.filters = [f for f in self.filters if f.protocol != rest[2]]
        if not negated:
            self.filters.append(item)
        return UNDERSTOOD

    def _summary_address(self, rest: list[str], source: Source, negated: bool) -> Fate:
        prefix = parse_prefix(rest[0])
        if prefix is None:
            raise Misread(f"{rest[0]!r} is not a prefix")
        self.summaries = [s for s in self.summaries if s.prefix != prefix]
        if not negated:
            hidden = "no-advertise" in rest[1:]
            self.summaries.append(AreaRange(prefix, source, not hidden))
        return UNDERSTOOD

    def _aggregation(self, rest: list[str], source: Source, negated: bool) -> Fate:
        return IRRELEVANT

    def _neighbor(self, rest: list[str], source: Source, negated: bool) -> Fate:
        address = parse_address(rest[0])
        if address is None or address.family != 4:
            raise Misread("it reads: neighbor ADDRESS [priority NUMBER] [poll-interval SECONDS]")
        found = options(rest[1:], {"priority": 1, "poll-interval": 1})
        priority = _maybe(found, "priority") or 0
        self.neighbours = [n for n in self.neighbours if n.address != address]
        if not negated:
            self.neighbours.append(ListedNeighbour(address, source, priority))
        return UNDERSTOOD

    # -- areas -----------------------------------------------------------------------

    def _area(self, rest: list[str], source: Source, negated: bool) -> Fate:
        area, what, tail = self.area(rest[0]), rest[1], rest[2:]
        if what in ("stub", "nssa"):
            return self._area_kind(area, what, tail, source, negated)
        if what == "authentication":
            kind = "message-digest" if tail == ["message-digest"] else "simple"
            area["authentication"] = None if negated else Word(kind, source)
        elif what == "default-cost":
            area["default_cost"] = None if negated else Number(number(tail[0]), source)
        elif what == "range":
            self._range(area, "ranges", tail, source, negated)
        elif what in ("export-list", "import-list", "filter-list"):
            kind = "prefix" if what == "filter-list" else "access"
            name = tail[1] if what == "filter-list" else tail[0]
            direction = tail[2] if what == "filter-list" else what.split("-")[0]
            direction = {"import": "in", "export": "out"}.get(direction, direction)
            held = [
                f for f in area.get("filters", ()) if (f.kind, f.direction) != (kind, direction)
            ]
            if not negated:
                held.append(RouteFilter(kind, name, direction, source))
            area["filters"] = held
        elif what == "virtual-link":
            return self._virtual_link(router_id(rest[0]), tail, source, negated)
        elif what == "shortcut":
            return IRRELEVANT  # it counts for borders of that type alone
        else:
            return IRRELEVANT if what == "flood-reduction" else f"`{what}` is not understood here"
        return UNDERSTOOD

    def _area_kind(
        self, area: dict[str, Any], kind: str, tail: list[str], source: Source, negated: bool
    ) -> Fate:
        if negated:
            if tail == ["no-summary"]:
                area["summaries"] = True
            elif tail == ["suppress-fa"]:
                area["suppress_forward"] = False
            else:
                area.update(kind="normal", kind_source=None, summaries=True)
            return UNDERSTOOD
        if kind == "nssa" and tail[:1] == ["range"]:
            return "ranges of externals of an NSSA are not computed"
        found = options(
            tail,
            {
                "no-summary": 0,
                "translate-candidate": 0,
                "translate-always": 0,
                "translate-never": 0,
                "default-information-originate": 0,
                "metric": 1,
                "metric-type": 1,
                "suppress-fa": 0,
            },
        )
        if "suppress-fa" in found:
            area["suppress_forward"] = True  # which alone does not make it such an area
            return UNDERSTOOD
        area.update(kind=kind, kind_source=source)
        if "no-summary" in found:
            area["summaries"] = False
        for option in found:
            if option.startswith("translate-"):
                area["translate"] = option.split("-")[1]
        if "default-information-originate" in found:
            area["nssa_default"] = DefaultRoute(
                source, False, _maybe(found, "metric"), _maybe(found, "metric-type")
            )
        return UNDERSTOOD

    def _range(
        self, area: dict[str, Any], field: str, tail: list[str], source: Source, negated: bool
    ) -> None:
        prefix = parse_prefix(tail[0])
        if prefix is None or prefix.family != self.family:
            raise Misread(f"{tail[0]!r} is not an IPv{self.family} prefix")
        known = {"cost": 1, "not-advertise": 0, "advertise": 0, "substitute": 1}
        found = options(tail[1:], known)
        held = next((r for r in area.get(field, ()) if r.prefix == prefix), None)
        others = [r for r in area.get(field, ()) if r.prefix != prefix]
        if not negated:
            substitute = parse_prefix(found["substitute"][0]) if "substitute" in found else None
            cost = _maybe(found, "cost")
            others.append(
                AreaRange(
                    prefix,
                    source,
                    "not-advertise" not in found
                    and (held is None or held.advertise or "advertise" in found),
                    cost if cost is not None or held is None else held.cost,
                    substitute or (held.substitute if held else None),
                )
            )
        area[field] = others

    def _virtual_link(self, area: int, tail: list[str], source: Source, negated: bool) -> Fate:
        neighbour, rest = router_id(tail[0]), tail[1:]
        held = self.virtual_links.pop(neighbour, None)
        if negated and not rest:
            return UNDERSTOOD
        link = held or VirtualLink(area, neighbour, source)
        found = options(
            [w for w in rest if w not in ("message-digest", "null")],
            {
                "authentication": 0,
                "authentication-key": 1,
                "message-digest-key": 3,
                "hello-interval": 1,
                "dead-interval": 1,
                "retransmit-interval": 1,
                "transmit-delay": 1,
            },
        )
        hello, dead = (
            Number(number(found[name][0]), source) if name in found else None
            for name in ("hello-interval", "dead-interval")
        )
        if hello is not None:
            link = link._replace(hello=None if negated else hello)
        if dead is not None:
            link = link._replace(dead=None if negated else dead)
        if "authentication" in found:
            kind = next((w for w in rest if w in ("message-digest", "null")), "simple")
            word = Word("none" if kind == "null" else kind, source)
            link = link._replace(authentication=None if negated else word)
        if "authentication-key" in found:
            key = Word(found["authentication-key"][0], source)
            link = link._replace(key=None if negated else key)
        if "message-digest-key" in found:
            id_, _, key_text = found["message-digest-key"]
            kept = tuple(d for d in link.digests if d[0] != number(id_))
            new = () if negated else ((number(id_), Word(key_text, source)),)
            link = link._replace(digests=(*kept, *new))
        self.virtual_links[neighbour] = link
        return UNDERSTOOD

    # -- interfaces --------------------------------------------------------------------

    def claims(self, words: list[str]) -> list[str] | None:
        if self.version == 2 and len(words) > 1 and words[0] == self.word:
            return words[1:]
        return super().claims(words)

    def interface_line(self, name: str, words: list[str], source: Source, negated: bool) -> Fate:
        """A line under an interface, without its leading `ip ospf` or `ipv6 ospf6`."""
        settings = self.interfaces.setdefault(name, {})
        first, rest = words[0], words[1:]
        least = _BEFORE_ADDRESS.get(first, 99)
        # What is taken back needs no value.
        enough = len(rest) >= (1 if negated and least <= 2 else least)
        address = parse_address(rest[-1]) if enough else None
        if address is not None and address.family == 4:
            settings, rest = self.by_address.setdefault((name, address), {}), rest[:-1]
        if first.isdigit() and rest:
            return "several instances of OSPF are not computed"
        simple = {
            "cost": "cost",
            "hello-interval": "hello",
            "dead-interval": "dead",
            "priority": "priority",
            "instance-id": "instance",
        }
        if first in simple:
            if negated:
                settings.pop(simple[first], None)
                return UNDERSTOOD
            if first == "dead-interval" and rest[0] == "minimal":
                settings["dead"] = Number(1, source)
                return UNDERSTOOD
            if len(rest) != 1:
                raise Misread(f"`{first}` takes one value")
            settings[simple[first]] = Number(number(rest[0]), source)
        elif first == "area":
            if len(rest) > 1:
                raise Misread("it reads: area AREA [ADDRESS]")
            if negated:
                settings.pop("area", None)
            else:
                self.area(rest[0])
                settings["area"] = Number(router_id(rest[0]), source)
        elif first == "network":
            words_ = ["broadcast", "non-broadcast", "point-to-multipoint", "point-to-point"]
            if not negated and rest[:1] and rest[0] not in words_:
                raise Misread(f"{rest[0]!r} is not a network type")
            _put(settings, "network_type", None if negated else Word(rest[0], source))
        elif first == "passive":
            settings["passive"] = Flag(not negated, source)
        elif first == "mtu-ignore":
            settings["ignores_mtu"] = Flag(not negated, source)
        elif first == "authentication":
            return self._interface_authentication(settings, rest, source, negated)
        elif first == "authentication-key":
            _put(settings, "key", None if negated else Word(rest[0], source))
        elif first == "message-digest-key":
            id_ = number(rest[0])
            keys = [k for k in settings.get("digests", ()) if k[0] != id_]
            if not negated:
                keys.append((id_, Word(rest[2], source)))
            settings["digests"] = tuple(keys)
        elif first in _INTERFACE_SILENT:
            return IRRELEVANT
        elif first == "ifmtu":
            _put(settings, "mtu", None if negated else Number(number(rest[0], 1), source))
        elif first in ("advertise", "p2p-p2mp"):
            return f"`{first}` is not computed"
        else:
            return f"`{first}` is not understood here"
        return UNDERSTOOD

    def _interface_authentication(
        self, settings: dict[str, Any], rest: list[str], source: Source, negated: bool
    ) -> Fate:
        if self.version == 3:
            _put(settings, "authentication", None if negated else Word("trailer", source))
            _put(settings, "key", None if negated else Word(" ".join(rest), source))
            return UNDERSTOOD
        kinds = {(): "simple", ("message-digest",): "message-digest", ("null",): "none"}
        kind = kinds.get(tuple(rest))
        if kind is None:
            return "this kind of authentication is not computed"
        _put(settings, "authentication", None if negated else Word(kind, source))
        return UNDERSTOOD

    # -- the result ------------------------------------------------------------------

    @property
    def runs(self) -> bool:
        return self.source is not None

    def finish(self) -> tuple[OspfProcess, ...]:
        if self.source is None:
            return ()

        def frozen(settings: dict[str, Any]) -> dict[str, Any]:
            return {k: tuple(v) if isinstance(v, list) else v for k, v in settings.items()}

        process = OspfProcess(
            self.version,
            self.source,
            networks=tuple(self.networks),
            neighbours=tuple(self.neighbours),
            virtual_links=tuple(self.virtual_links.values()),
            areas={id_: OspfArea(id_, **frozen(area)) for id_, area in sorted(self.areas.items())},
            interfaces={
                name: OspfInterface(name, **settings) for name, settings in self.interfaces.items()
            },
            by_address={
                key: OspfInterface(key[0], **settings) for key, settings in self.by_address.items()
            },
            redistribute=tuple(self.redistribute.values()),
            filters=tuple(self.filters),
            distance=self.distance,
            summaries=tuple(self.summaries),
            **self.process,
        )
        return (process,)


def _put(settings: dict[str, Any], name: str, value: object) -> None:
    if value is None:
        settings.pop(name, None)
    else:
        settings[name] = value


def _maybe(found: dict[str, list[str]], name: str) -> int | None:
    return number(found[name][0]) if name in found else None


ABSENT = frozenset(
    [
        "babel",
        "table",
        "nhrp",
        "openfabric",
        "sharp",
        "vnc",
        "vnc-direct",
        "vnc-direct-bgp-nve",
    ]
)
"""Protocols that are not computed: where one runs, its own lines say so, and what is announced
of it is uncertain with them. Where none does there is nothing to announce."""


def redistributed(words: list[str]) -> tuple[str, list[str]]:
    """The protocol that is redistributed, in the words of the tables."""
    name, rest = words[0], words[1:]
    if rest and rest[0].isdigit():
        rest = rest[1:]
    if name in ABSENT:
        return name, rest
    computed = {word for row in rows() for word in (row.name, *row.words)}
    if name not in computed | {"kernel", "connected", "static"}:
        raise Misread(f"{name!r} is not a protocol that is known here")
    return computed_as(name), rest


HABITS = OspfHabits(
    statement_ignores_mask=True,
    last_statement_wins=True,
    ranges_hide_others=True,
    hears_own_subnet_only=True,
    own_subnet_keeps_name=True,
    translation_resets_metric=True,
    own_stub_blinds_to_transit=True,
    virtual_link_makes_border=True,
    asks_for_external=True,
    translation_takes_over=True,
)

TEXT = TextRow(
    lambda: (OspfReader(2), OspfReader(3)),
    HABITS,
    (
        r"(ip ospf message-digest-key \d+) ",
        r"(ip(?:v6)? (?:ospf6?) (?:authentication-key|\S+))",
    ),
)
