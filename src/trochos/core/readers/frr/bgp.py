"""`router bgp` with its address families, neighbours and groups of neighbours."""

from __future__ import annotations

from typing import Any

from ...network.addressing import Prefix, mask_length, parse_address, parse_prefix, prefix_of
from ...network.bgp import (
    BgpAggregate,
    BgpFamily,
    BgpHabits,
    BgpNeighbour,
    BgpNeighbourFamily,
    BgpNetwork,
    BgpProcess,
    ListenRange,
)
from ...network.routing import Flag, Number, Redistribution, Word
from ...network.source import Source
from .fate import IRRELEVANT, UNDERSTOOD, Fate, Misread, Refused, number, options, router_id
from .ospf import redistributed
from .rip import peer_distance
from .section import SectionReader, TextRow

_SILENT = frozenset(
    [
        "log-neighbor-changes",
        "graceful-restart",
        "keepalive",
        "update-delay",
        "read-quanta",
        "write-quanta",
        "coalesce-time",
        "session-dscp",
        "tcp-keepalive",
        "timers",
        "max-med-period",
        "graceful-shutdown",
        "listen-range",
        "nexthop-prefer-global",
        "minimum-holdtime",
        "rpki",
        "bmp",
        "snmp",
        "route-map",
        "conditional-advertisement",
        "hard-administrative-reset",
        "fast-convergence",
        "graceful-restart-disable",
        "long-lived-graceful-restart",
    ]
)
# Lines that belong to other address families, to measuring, or to how fast things go.
_ASIDE = frozenset(
    [
        "timers",
        "read-quanta",
        "write-quanta",
        "coalesce-time",
        "update-delay",
        "bmp",
        "vnc",
        "vrf-policy",
        "rt6",
        "route-target6",
        "label",
        "sid",
        "segment-routing",
        "nexthop",
    ]
)
_NEIGHBOUR_SILENT = frozenset(
    [
        "description",
        "timers",
        "advertisement-interval",
        "capability",
        "dont-capability-negotiate",
        "override-capability",
        "strict-capability-match",
        "bfd",
        "port",
        "graceful-restart",
        "graceful-restart-helper",
        "graceful-restart-disable",
        "solo",
        "sender-as-path-loop-detection",
        "extended-optional-parameters",
        "tcp-mss",
        "graceful-shutdown",
        "soft-reconfiguration",
        "disable-link-bw-encoding-ieee",
        "route-server-client",
        "addpath-tx-all-paths",
        "addpath-tx-bestpath-per-AS",
        "disable-addpath-rx",
    ]
)
_FAMILY_NAMES = {"ipv4": 4, "ipv6": 6}
_ASIDE_FAMILIES = frozenset(
    [
        *(
            f"{name} {kind}"
            for name in _FAMILY_NAMES
            for kind in ("multicast", "vpn", "labeled-unicast", "flowspec", "encap")
        ),
        "vpnv4", "vpnv4 unicast", "vpnv6", "vpnv6 unicast", "l2vpn evpn", "evpn",
    ]
)  # fmt: skip
"""Address families that a router knows and that no route of a table comes from here."""


class BgpReader(SectionReader):
    """Reads one BGP process."""

    def __init__(self) -> None:
        self.source: Source | None = None
        self.word, self.name = "bgp", "BGP"
        self.as_number = 0
        self.process: dict[str, Any] = {}
        self.neighbours: dict[str, dict[str, Any]] = {}
        self.groups: dict[str, dict[str, Any]] = {}
        self.ranges: dict[Prefix, tuple[str, Source]] = {}
        self.families: dict[int, dict[str, Any]] = {}
        self.family: int | None = None
        """The address family that is open: 4 or 6, 0 for one that does not count here."""

    def open(self, words: list[str], source: Source) -> Fate:
        if not words:
            raise Misread("the number of the autonomous system is missing")
        if len(words) > 1:
            return "routing instances are not computed"
        as_number = _as_number(words[0])
        if self.source is not None and as_number != self.as_number:
            return "a second BGP process is not computed"
        self.as_number = as_number
        self.source = self.source or source
        self.family = None
        return UNDERSTOOD

    def line(self, words: list[str], source: Source, negated: bool) -> Fate:
        first, rest = words[0], words[1:]
        if first == "address-family":
            if " ".join(rest) in _ASIDE_FAMILIES:
                self.family = 0
                if rest[-1] == "vpn" or rest[0].startswith("vpnv"):
                    self.process["between_routers"] = source
                return IRRELEVANT
            if rest[0] not in _FAMILY_NAMES or rest[1:] not in ([], ["unicast"]):
                # The router refuses the line, stays where it is and takes what follows as said of
                # IPv4 (measured on FRR 8.4, tests/real/test_keywords.py).
                if rest[0] not in _FAMILY_NAMES:
                    return Refused(
                        f"{rest[0]!r} is no address family, so a router refuses the line and takes "
                        "what follows as said of IPv4"
                    )
                self.family = 0
                return f"`{' '.join(rest)}` is not understood here"
            self.family = _FAMILY_NAMES[rest[0]]
            return UNDERSTOOD
        if first == "exit-address-family":
            self.family = None
            return UNDERSTOOD
        if self.family == 0:
            return IRRELEVANT
        if first == "neighbor":
            return self._neighbour(rest, source, negated)
        if first == "bgp":
            return self._bgp(rest, source, negated)
        family = 4 if self.family is None else self.family
        settings = self.families.setdefault(family, {})
        if first == "network":
            return self._network(settings, rest, source, negated, family)
        if first == "aggregate-address":
            return self._aggregate(settings, rest, source, negated, family)
        if first == "redistribute":
            protocol, tail = redistributed(rest)
            held = settings.setdefault("redistribute", {})
            held.pop(protocol, None)
            if not negated:
                found = options(tail, {"metric": 1, "route-map": 1})
                held[protocol] = Redistribution(
                    protocol,
                    source,
                    number(found["metric"][0]) if "metric" in found else None,
                    None,
                    found["route-map"][0] if "route-map" in found else None,
                )
        elif first == "maximum-paths":
            name = "max_paths_ibgp" if rest[0] == "ibgp" else "max_paths"
            tail = rest[1:] if rest[0] == "ibgp" else rest
            settings[name] = None if negated else number(tail[0], 1)
            settings["equal_clusters"] = not negated and tail[1:] == ["equal-cluster-length"]
        elif first == "distance":
            if rest[0] != "bgp":
                given = peer_distance(rest, family, source)
                held = settings.setdefault("distances", {})
                held.pop(given.prefix, None)
                if not negated:
                    held[given.prefix] = given
                return UNDERSTOOD
            external, internal, local = (number(w, 1, 255) for w in rest[1:4])
            settings["distance"] = None if negated else (external, internal, local)
        elif first == "table-map":
            settings["table_map"] = None if negated else Word(rest[0], source)
        elif first in ("import", "export", "rd", "rt", "route-target", "route-map"):
            return _leak(settings, words, source, negated)
        elif first in _ASIDE:
            return IRRELEVANT
        else:
            return f"`{first}` is not understood here"
        return UNDERSTOOD

    def top_line(self, words: list[str], source: Source, negated: bool) -> Fate | None:
        if words != ["suppress-fib-pending"]:
            return None
        return self._bgp(words, source, negated)

    def _bgp(self, rest: list[str], source: Source, negated: bool) -> Fate:
        first, tail = rest[0], rest[1:]
        on = not negated
        text = " ".join(rest)
        if first == "router-id":
            self.process["router_id"] = None if negated else Number(router_id(tail[0]), source)
        elif first == "ebgp-requires-policy":
            self.process["requires_policy"] = Flag(on, source)
        elif text == "default ipv4-unicast":
            self.process["ipv4_default"] = on
        elif first == "default" and tail[0].startswith("local-preference"):
            self.process["default_local_preference"] = number(tail[1]) if on else 100
        elif first == "suppress-fib-pending":
            self.process["installed_first"] = Flag(on, source)
        elif first == "network" and tail == ["import-check"]:
            self.process["import_check"] = on
        elif first == "cluster-id":
            self.process["cluster_id"] = None if negated else Number(router_id(tail[0]), source)
        elif text == "client-to-client reflection":
            self.process["reflects"] = on
        elif first == "always-compare-med":
            self.process["always_compare_med"] = on
        elif first == "deterministic-med":
            self.process["deterministic_med"] = on
        elif first == "bestpath":
            return self._bestpath(tail, on)
        elif first == "shutdown":
            self.process["shutdown"] = Flag(on, source)
        elif first == "disable-ebgp-connected-route-check":
            self.process["disable_connected_check"] = on
        elif first == "fast-external-failover":
            return IRRELEVANT
        elif first == "confederation":
            if tail[0] == "identifier":
                given = Number(_as_number(tail[1]), source) if on else None
                self.process["confederation"] = given
                return UNDERSTOOD
            if tail[0] != "peers":
                raise Misread("it reads: bgp confederation identifier|peers NUMBER ...")
            numbers = frozenset(_as_number(word) for word in tail[1:])
            held = self.process.get("members", frozenset())
            self.process["members"] = held | numbers if on else held - numbers
            self.process["members_source"] = source
        elif first == "dampening":
            return IRRELEVANT  # it holds back what comes and goes, and nothing does here
        elif first == "max-med":
            if tail[:1] != ["administrative"]:
                return "it depends on when the router started"
            value = number(tail[1]) if len(tail) > 1 else 0xFFFFFFFF
            self.process["max_med"] = Number(value, source) if on else None
        elif first == "reject-as-sets":
            if on:
                return "a set of systems in a path tears its session down, which is not computed"
        elif first == "listen":
            if tail[:1] == ["limit"]:
                self.process["listen_limit"] = number(tail[1], 1) if on else 100
                return UNDERSTOOD
            prefix = parse_prefix(tail[1])
            if tail[0] != "range" or prefix is None or tail[2] != "peer-group":
                raise Misread("it reads: bgp listen range PREFIX peer-group NAME")
            self.ranges.pop(prefix, None)
            if on:
                self.ranges[prefix] = (tail[3], source)
            return UNDERSTOOD
        elif first == "route-reflector" and tail == ["allow-outbound-policy"]:
            return IRRELEVANT  # what maps may change of a reflected route is not limited here
        elif first == "allow-martian-nexthop" or (
            first == "default"
            or first in _SILENT
            or first
            in (
                "suppress-duplicates",
                "ebgp-requires-policy",
                "labeled-unicast",
            )
        ):
            return IRRELEVANT
        else:
            return f"`bgp {first}` is not understood here"
        return UNDERSTOOD

    def _bestpath(self, words: list[str], on: bool) -> Fate:
        text = " ".join(words)
        names = {
            "compare-routerid": "compare_router_id",
            "as-path ignore": "as_path_ignore",
            "as-path multipath-relax": "multipath_relax",
            "as-path confed": "as_path_confed",
            "med missing-as-worst": "missing_med_worst",
            "med confed": "med_confed",
            "peer-type multipath-relax": "peer_type_relax",
        }
        if words[:1] == ["med"] and sorted(words[1:]) == ["confed", "missing-as-worst"]:
            self.process |= {"med_confed": on, "missing_med_worst": on}
            return UNDERSTOOD
        if text in ("as-path multipath-relax as-set", "as-path multipath-relax no-as-set"):
            text = "as-path multipath-relax"
        if text in ("bandwidth ignore", "bandwidth default-weight-for-missing"):
            return IRRELEVANT  # it weighs ways and chooses none
        if text not in names:
            return f"`bestpath {text}` is not computed"
        self.process[names[text]] = on
        return UNDERSTOOD

    def _network(
        self, settings: dict[str, Any], rest: list[str], source: Source, negated: bool, family: int
    ) -> Fate:
        prefix, rest = _prefix(rest, family)
        held = settings.setdefault("networks", {})
        held.pop(prefix, None)
        if not negated:
            found = options(rest[1:], {"route-map": 1, "backdoor": 0, "label-index": 1})
            name = found["route-map"][0] if "route-map" in found else None
            held[prefix] = BgpNetwork(prefix, source, name, "backdoor" in found)
        return UNDERSTOOD

    def _aggregate(
        self, settings: dict[str, Any], rest: list[str], source: Source, negated: bool, family: int
    ) -> Fate:
        prefix, rest = _prefix(rest, family)
        held = settings.setdefault("aggregates", {})
        held.pop(prefix, None)
        if not negated:
            found = options(
                rest[1:],
                {
                    "summary-only": 0,
                    "as-set": 0,
                    "route-map": 1,
                    "suppress-map": 1,
                    "origin": 1,
                    "matching-MED-only": 0,
                },
            )
            held[prefix] = BgpAggregate(
                prefix,
                source,
                "summary-only" in found,
                "as-set" in found,
                found["route-map"][0] if "route-map" in found else None,
                found["suppress-map"][0] if "suppress-map" in found else None,
                found["origin"][0] if "origin" in found else None,
                "matching-MED-only" in found,
            )
        return UNDERSTOOD

    # -- neighbours -------------------------------------------------------------------

    def _neighbour(self, rest: list[str], source: Source, negated: bool) -> Fate:
        name, what, tail = rest[0], rest[1] if len(rest) > 1 else "", rest[2:]
        address = parse_address(name)
        if negated and not what:
            self.neighbours.pop(name, None)
            return UNDERSTOOD
        if what == "interface":
            return self._by_interface(name, tail, source, negated)
        if address is None and name not in self.neighbours:
            settings = self.groups.setdefault(name, {"source": source})
            if what == "peer-group":
                return UNDERSTOOD
        elif address is not None and name not in self.neighbours:
            settings = self.neighbours[name] = {"source": source, "address": address}
        else:
            settings = self.neighbours[name]
        if what == "peer-group" and address is not None:
            settings["group"] = None if negated else tail[0]
            return UNDERSTOOD
        if self.family is not None:
            return self._in_family(settings, self.family, what, tail, source, negated)
        fate = self._of_session(settings, what, tail, source, negated)
        if fate is None:
            return self._in_family(settings, 4, what, tail, source, negated)
        return fate

    def _by_interface(self, name: str, tail: list[str], source: Source, negated: bool) -> Fate:
        """`neighbor PORT interface ...`: whoever is at the other end of that interface."""
        address = parse_address(name)
        if address is not None:
            held = self.neighbours.setdefault(name, {"source": source, "address": address})
            held["interface"] = None if negated else Word(tail[0], source)
            return UNDERSTOOD
        if negated:
            self.neighbours.pop(name, None)
            return UNDERSTOOD
        held = self.neighbours.setdefault(name, {"source": source})
        held["interface"] = Word(name, source)
        found = options(tail, {"v6only": 0, "peer-group": 1, "remote-as": 1})
        held["link_local_only"] = "v6only" in found
        if "peer-group" in found:
            held["group"] = found["peer-group"][0]
        if "remote-as" in found:
            return self._of_session(held, "remote-as", found["remote-as"], source, False) or ""
        return UNDERSTOOD

    def _of_session(
        self, settings: dict[str, Any], what: str, tail: list[str], source: Source, negated: bool
    ) -> Fate | None:
        """A line about the session itself; None if it belongs to an address family."""
        on = not negated
        if what == "remote-as":
            word = tail[0] if tail else ""
            if word not in ("internal", "external"):
                word = str(_as_number(word)) if on or word else ""
            settings["remote_as"] = Word(word, source) if on else None
        elif what == "update-source":
            settings["update_source"] = Word(tail[0], source) if on else None
        elif what == "password":
            settings["password"] = Word(" ".join(tail), source) if on else None
        elif what == "shutdown":
            settings["shutdown"] = Flag(on, source)
        elif what == "passive":
            settings["passive"] = Flag(on, source)
        elif what == "ebgp-multihop":
            hops = number(tail[0], 1, 255) if tail else 255
            settings["multihop"] = Number(hops, source) if on else None
        elif what == "ttl-security":
            settings["ttl_security"] = Number(number(tail[1], 1, 254), source) if on else None
        elif what == "disable-connected-check" or what == "enforce-multihop":
            settings["disable_connected_check"] = Flag(on, source)
        elif what == "enforce-first-as":
            settings["enforce_first_as"] = on
        elif what == "local-as":
            settings["local_as"] = Number(_as_number(tail[0]), source) if on else None
            settings["local_as_options"] = frozenset(tail[1:]) if on else frozenset()
        elif what == "local-role":
            settings["role"] = Word(tail[0], source) if on else None
            settings["role_strict"] = on and tail[1:] == ["strict-mode"]
        elif what in ("aigp", "allowas-in-strict"):
            return f"`{what}` is not computed"
        elif what in _NEIGHBOUR_SILENT:
            return IRRELEVANT
        else:
            return None
        return UNDERSTOOD

    def _in_family(
        self,
        settings: dict[str, Any],
        family: int,
        what: str,
        tail: list[str],
        source: Source,
        negated: bool,
    ) -> Fate:
        held = settings.setdefault("families", {}).setdefault(family, {})
        on = not negated

        def put(name: str, value: object) -> Fate:
            if on:
                held[name] = value
            else:
                held.pop(name, None)
            return UNDERSTOOD

        directed = {
            "route-map": "route_map",
            "prefix-list": "prefix_list",
            "filter-list": "filter_list",
            "distribute-list": "distribute",
        }
        if what == "activate":
            held["active"] = Flag(on, source)
            return UNDERSTOOD
        if what == "next-hop-self":
            held["next_hop_self"] = Flag(on, source)
            held["next_hop_self_force"] = on and tail[:1] in (["force"], ["all"])
            return UNDERSTOOD
        if what in directed:
            if len(tail) != 2 or tail[1] not in ("in", "out"):
                raise Misread(f"it reads: neighbor NAME {what} NAME in|out")
            return put(f"{directed[what]}_{tail[1]}", Word(tail[0], source))
        if what == "route-reflector-client":
            return put("reflector_client", Flag(True, source))
        if what == "default-originate":
            name = tail[1] if tail[:1] == ["route-map"] else ""
            return put("default_originate", Word(name, source))
        if what == "maximum-prefix":
            if on:
                held["maximum"] = Number(number(tail[0], 1), source)
                held["maximum_warns"] = "warning-only" in tail
            else:
                held.pop("maximum", None)
            return UNDERSTOOD
        if what == "allowas-in":
            if tail[:1] == ["origin"]:
                return put("own_as_origin", True)
            return put("allow_own_as", number(tail[0], 1, 10) if tail else 3)
        if what.startswith("remove-private-AS") or what.lower() == "remove-private-as":
            kind = " ".join(tail) or "plain"
            return put("remove_private", {"all replace-AS": "all replace"}.get(kind, kind))
        if what == "as-override":
            return put("as_override", True)
        if what == "attribute-unchanged":
            return put("unchanged", frozenset(tail) or frozenset(("as-path", "next-hop", "med")))
        if what == "weight":
            return put("weight", Number(number(tail[0], 0, 65535), source) if on else None)
        if what == "unsuppress-map":
            return put("unsuppress_map", Word(tail[0], source) if on else None)
        if what == "send-community":
            held["send_community"] = on
            return UNDERSTOOD
        if what == "maximum-prefix-out" or what == "advertise-map":
            return f"`{what}` is not computed"
        if what in _NEIGHBOUR_SILENT:
            return IRRELEVANT
        return f"`neighbor {what}` is not understood here"

    # -- the result ---------------------------------------------------------------------

    @property
    def runs(self) -> bool:
        return self.source is not None

    def finish(self) -> tuple[BgpProcess, ...]:
        if self.source is None:
            return ()

        def listed(settings: dict[str, Any]) -> dict[str, Any]:
            return {k: tuple(v.values()) if isinstance(v, dict) else v for k, v in settings.items()}

        process = BgpProcess(
            self.as_number,
            self.source,
            neighbours=tuple(self._finished(own) for own in self.neighbours.values()),
            listen=tuple(
                ListenRange(prefix, line, self._finished({"group": group, "source": line}))
                for prefix, (group, line) in self.ranges.items()
            ),
            families={
                family: BgpFamily(**listed(settings)) for family, settings in self.families.items()
            },
            **self.process,
        )
        return (process,)

    def _finished(self, own: dict[str, Any]) -> BgpNeighbour:
        """A neighbour with what its group says of it."""
        settings: dict[str, Any] = {}
        families: dict[int, dict[str, Any]] = {}
        for layer in (self.groups.get(own.get("group") or "", {}), own):
            for key, value in layer.items():
                if key == "families":
                    for family, held in value.items():
                        families.setdefault(family, {}).update(held)
                elif value is not None:
                    settings[key] = value
        settings["families"] = {f: BgpNeighbourFamily(**held) for f, held in families.items()}
        return BgpNeighbour(**settings)


def _prefix(words: list[str], family: int) -> tuple[Prefix, list[str]]:
    """A prefix in any of its forms, with its first word in front of what follows it.

    `10.1.0.0/16`, `10.1.0.0 mask 255.255.0.0`, `10.1.0.0 255.255.0.0`, or an address alone,
    which stands for the network of its class (RFC 791, 3.2).
    """
    prefix, rest = parse_prefix(words[0]), words
    address = parse_address(words[0])
    if prefix is None and address is not None and address.family == 4:
        tail = words[2:] if words[1:2] == ["mask"] else words[1:]
        mask = parse_address(tail[0]) if tail else None
        length = mask_length(mask) if mask is not None else None
        if length is not None:
            prefix, rest = prefix_of(address, length), [words[0], *tail[1:]]
        else:
            head = address.value >> 24
            prefix = prefix_of(address, 8 if head < 128 else 16 if head < 192 else 24)
    if prefix is None or prefix.family != family:
        raise Misread(f"{words[0]!r} is not an IPv{family} prefix")
    return prefix, rest


def _leak(settings: dict[str, Any], words: list[str], source: Source, negated: bool) -> Fate:
    """A line by which routes pass between the routing instances of a device."""
    first, rest = words[0], words[1:]
    if first == "import" and rest[0] == "vrf":
        if rest[1] == "route-map":
            settings["import_map"] = None if negated else Word(rest[2], source)
            return UNDERSTOOD
        held = settings.setdefault("imports", {})
        held.pop(rest[1], None)
        if not negated:
            held[rest[1]] = Word(rest[1], source)
        return UNDERSTOOD
    if first in ("import", "export") and rest == ["vpn"]:
        settings["taken" if first == "import" else "exported"] = Flag(not negated, source)
        return UNDERSTOOD
    if rest[:1] == ["redirect"]:
        return IRRELEVANT  # of another address family, which filters
    if rest[:1] != ["vpn"]:
        return f"`{' '.join(words[:2])}` is not understood here"
    if first == "rd":
        settings["rd"] = None if negated else Word(rest[2], source)
    elif first in ("rt", "route-target"):
        for side in ("import", "export") if rest[1] == "both" else (rest[1],):
            told = () if negated else rest[2:]
            settings[f"rt_{side}"] = {word: Word(word, source) for word in told}
    elif first == "route-map":
        name = "export_map" if rest[1] == "export" else "import_map"
        settings[name] = None if negated else Word(rest[2], source)
    return UNDERSTOOD


def _as_number(word: str) -> int:
    """An AS number, plain or in the dotted form of RFC 5396.

    Raises:
        Misread: it is neither.
    """
    if word.count(".") == 1:
        high, low = word.split(".")
        return number(high, 0, 65535) << 16 | number(low, 0, 65535)
    return number(word, 1)


TEXT = TextRow(lambda: (BgpReader(),), BgpHabits(max_paths=64))
