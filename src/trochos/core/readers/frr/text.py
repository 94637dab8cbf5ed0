"""FRR configuration text -> facts.

One pass over the lines, dispatched on the first words within the current section. Each
routing protocol has a reader of its own beside this file; what such a reader does not
understand makes the answers it touches uncertain.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import replace
from functools import partial

from ...network.addressing import parse_interface_address, parse_prefix
from ...network.facts import LINKS, AddressFact, Source, StaticRoute, Unmodelled
from ...network.routing import Routing
from .. import protocols
from ..drafts import ConfigDraft, InsideDraft, InterfaceDraft, interface_key
from ..limits import Limit, of_line
from ..report import Ledger, split_lines
from .abbreviations import spell_out
from .fate import Fate, Misread, Refused
from .known import (
    AROUND,
    FLUSH_LEFT,
    IN_INSTANCE,
    INTERFACE_IRRELEVANT,
    IRRELEVANT_PAIRS,
    IRRELEVANT_WORDS,
    NOTHING,
    OTHERS,
    POLICY_PAIRS,
    SHARED_ADDRESSES,
)
from .pbr import PolicyMaps
from .policy import PolicyReader
from .profile import FRR
from .section import SectionReader
from .statics import path_key, read_static
from .vrrp import VrrpLines

KIND = "FRR configuration text"


class _Reader:
    def __init__(
        self, device: str, file: str, text: str, spelled: Mapping[int, str] | None = None
    ) -> None:
        self.lines = split_lines(text)
        self.spelled = spelled or {}
        """Lines whose keywords are abbreviated, as they are read."""
        self.ledger = Ledger(device, file, KIND, self.lines)
        self.ledger.abbreviated = {n: line.strip() for n, line in self.spelled.items()}
        self.device, self.file = device, file
        self.draft = ConfigDraft(FRR, file)
        self.statics: dict[str, dict[tuple[object, ...], StaticRoute]] = {}
        """By routing instance."""
        self.tables: dict[str, dict[tuple[object, ...], StaticRoute]] = {}
        """By table other than the main one."""
        self.scope = ""
        """The routing instance that the open section is about."""
        self.section: tuple[str, str] | None = None
        self.interface: InterfaceDraft | None = None
        self.protocols: dict[str, Source] = {}
        self.policy = PolicyReader()
        self.vrrp = VrrpLines()
        self.maps = PolicyMaps()
        self.sequence: tuple[str, int] | None = None
        """The sequence of a policy map that the open section is about."""
        self.words = {r.word: r.name for row in protocols.FRR for r in row.readers()}
        self.readers: dict[tuple[str, str], SectionReader] = {}
        """By the word that opens the section, and the routing instance."""
        self.reader: SectionReader | None = None
        """Of the open section."""
        self.on_interfaces: list[tuple[str, str, list[str], Source, bool]] = []
        """Lines of protocols on interfaces whose routing instance the text does not say: (word,
        interface, words, source, negated)."""
        self.of_all: list[tuple[str, list[str], Source, bool]] = []
        """Lines outside of all sections: they hold in every routing instance."""
        self.later: list[tuple[int, str, Fate, str]] = []
        """Lines of interfaces and policies, judged once it is known which protocols run."""

    def source(self, number: int) -> Source:
        text, written = self.lines[number - 1].strip(), None
        if number in self.spelled:
            text, written = self.spelled[number].strip(), text
        return Source(self.device, self.file, number, text, written=written)

    # -- the pass -------------------------------------------------------------

    def read(self) -> ConfigDraft:
        for number, line in enumerate(self.lines, 1):
            line = self.spelled.get(number, line)
            stripped = line.strip()
            if not stripped or stripped[0] in "!#" or (stripped == line and AROUND.match(line)):
                self.ledger.irrelevant(number)
                continue
            words = stripped.split()
            if self.section is not None and self.inside(number, line, words):
                continue
            self.top(number, words)
        self.judge_later()
        self.draft.shared = self.vrrp.finish()
        self.draft.policy = self.policy.finish()
        self.policy_maps()
        self.of_other_instances()
        self.draft.statics = list(self.statics.pop("", {}).values())
        self.draft.routing = self.routing("")
        for name in {*self.statics, *(instance for _, instance in self.readers if instance)}:
            inside = self.inside_of(name)
            inside.statics = list(self.statics.get(name, {}).values())
            inside.routing = self.routing(name)
        return self.draft

    def policy_maps(self) -> None:
        """The rules of policy maps; on interfaces of routing instances they are not computed."""
        odd = self.maps.doubts()
        for interface, (_, line) in [*self.maps.used.items()]:
            held = self.draft.interfaces.get(interface)
            if held is not None and held.vrf:
                del self.maps.used[interface]
                self.ledger.unknown(line.line or 0, True, IN_INSTANCE)
                self.doubts(held.vrf).append(Unmodelled(line, IN_INSTANCE, touches=LINKS))
        self.draft.rules, self.draft.tables = self.maps.finish()
        for name, routes in self.tables.items():
            self.draft.tables.setdefault(name, []).extend(routes.values())
        self.draft.unmodelled += [Unmodelled(line, why, touches=LINKS) for line, why in odd]

    def routing(self, instance: str) -> Routing:
        """The processes of a routing instance, in the order in which protocols are listed."""
        running = (self.readers.get((word, instance)) for word in self.words)
        return Routing(
            tuple(process for reader in running if reader for process in reader.finish())
        )

    def inside_of(self, instance: str) -> InsideDraft:
        return self.draft.instances.setdefault(instance, InsideDraft())

    def doubts(self, instance: str) -> list[Unmodelled]:
        """Where lines go that make the answers of a routing instance uncertain."""
        return self.inside_of(instance).unmodelled if instance else self.draft.unmodelled

    def reader_of(self, word: str, instance: str) -> SectionReader:
        held = self.readers.get((word, instance))
        if held is None:
            made = (reader for row in protocols.FRR for reader in row.readers())
            held = next(reader for reader in made if reader.word == word)
            self.readers[word, instance] = held
        return held

    def of_other_instances(self) -> None:
        """What interfaces say holds in whatever routing instance they are: where the text does not
        say, that is for what the device showed of itself. Each instance has a loopback of its own,
        so there a line without an instance is the main one's."""
        for word, words, source, negated in self.of_all:
            for (other, instance), reader in self.readers.items():
                if other == word and instance:
                    reader.top_line(words, source, negated)
        for word, interface, words, source, negated in self.on_interfaces:
            for (other, instance), reader in self.readers.items():
                if other == word and instance and interface != "lo":
                    with suppress(Misread, IndexError):  # it was judged where it stands
                        reader.interface_line(interface, words, source, negated)

    def inside(self, number: int, line: str, words: list[str]) -> bool:
        """Handles a line of the open section; False if it belongs to the top level."""
        assert self.section is not None
        kind = self.section[0]
        first = words[0]
        indented = line[:1] in " \t"
        if not indented and (first == "exit" or first.startswith("exit-")):
            self.ledger.understood(number)
            self.close()
            return True
        if indented and first == "exit":
            # `exit` that closes an inner section, or a hand-indented one.
            self.ledger.understood(number)
            return True
        if kind == "interface":
            if self.interface_line(number, words):
                return True
        elif indented or FLUSH_LEFT.get(kind, NOTHING).intersection(words[:1]):
            self.section_line(number, words)
            return True
        self.close()
        return False

    def close(self) -> None:
        """Whatever section is open ends here."""
        self.section = self.interface = self.reader = None
        self.scope = ""

    def section_line(self, number: int, words: list[str]) -> None:
        assert self.section is not None
        kind, name = self.section
        limit = of_line(" ".join(words)) if kind == "router" else None
        if limit is not None:
            self.limited(number, limit)
        elif kind == "router":
            self.protocol_line(number, name, words)
        elif kind in ("route-map", "key-chain"):
            source = self.source(number)
            self.note_later(
                number,
                "",
                lambda: (
                    self.policy.map_line(words, source)
                    if kind == "route-map"
                    else self.policy.chain_line(words, source)
                ),
            )
        elif kind == "vrf":
            if words[0].startswith("exit"):
                self.ledger.understood(number)
            else:
                self.vrf_line(number, name, words)
        elif kind in ("pbr-map", "nexthop-group"):
            self.sequence_line(number, kind, name, words)
        elif kind == "limited":
            self.ledger.unknown(number, True, name)
        else:
            self.ledger.irrelevant(number)

    def vrf_line(self, number: int, instance: str, words: list[str]) -> None:
        """A line of the section of a routing instance."""
        negated = words[0] == "no"
        rest = words[1:] if negated else words
        if len(rest) > 2 and rest[0] in ("ip", "ipv6") and rest[1] == "route":
            family = 4 if rest[0] == "ip" else 6
            if negated:
                self.remove_static(number, rest[2:], family, instance)
            else:
                self.static(number, rest[2:], family, instance)
        elif rest[0] == "netns" or " ".join(rest[:2]) in IRRELEVANT_PAIRS:
            self.ledger.understood(number)
        else:
            self.not_computed(number, "", IN_INSTANCE)

    # -- top level ------------------------------------------------------------

    def top(self, number: int, words: list[str]) -> None:
        first = words[0]
        pair = " ".join(words[:2])
        negated = first == "no"
        ledger = self.ledger
        if pair in ("ip route", "ipv6 route"):
            self.static(number, words[2:], 4 if first == "ip" else 6)
        elif negated and words[1:3] in (["ip", "route"], ["ipv6", "route"]):
            self.remove_static(number, words[3:], 4 if words[1] == "ip" else 6)
        elif first == "interface" and len(words) >= 2:
            self.open_interface(number, words)
        elif first == "hostname" and len(words) == 2:
            self.draft.hostname = words[1]
            self.draft.hostname_source = self.source(number)
            ledger.understood(number)
        elif words[-1] == "forwarding" and len(words) == 2 + negated:
            family = {"ip": 0, "ipv6": 1}.get(words[negated])
            if family is None:
                ledger.unknown(number, True)
            else:
                self.draft.forwarding[family] = not negated
                self.draft.forwarding_source = self.source(number)
                ledger.understood(number)
        elif words[negated : negated + 3] in (
            ["ip", "nht", "resolve-via-default"],
            ["ipv6", "nht", "resolve-via-default"],
        ):
            self.draft.resolve_via_default[words[negated] == "ipv6"] = not negated
            ledger.understood(number)
        elif pair in ("frr version", "frr defaults"):
            ledger.understood(number)
        elif first == "router" and len(words) >= 2 and self.knows(words[1]):
            self.open_router(number, words)
        elif first == "vrf" and len(words) == 2:
            self.section = ("vrf", words[1])
            self.scope = words[1]
            self.inside_of(words[1])
            ledger.understood(number)
        elif not negated and (limit := of_line(" ".join(words))) is not None:
            self.section = ("limited", limit.why)
            self.limited(number, limit)
        elif pair == "key chain" and len(words) > 2:
            self.section = ("key-chain", words[2])
            self.policy.open_chain(words[2], self.source(number))
            ledger.understood(number)
        elif first == "nexthop-group" and len(words) == 2:
            self.section = (first, words[1])
            self.maps.groups.setdefault(words[1], [])
            ledger.understood(number)
        elif words[negated : negated + 1] == ["pbr-map"]:
            self.policy_map(number, words[negated:], negated)
        elif words[negated : negated + 1] == ["route-map"] and words[-1] == "optimization":
            ledger.irrelevant(number)
        elif words[negated : negated + 1] == ["vrrp"]:
            ledger.unknown(number, True, SHARED_ADDRESSES)
        elif self.of_a_protocol(number, words, negated):
            pass
        elif first in ("route-map", "access-list", "bgp") or pair in POLICY_PAIRS:
            if first == "route-map":
                self.section = ("route-map", " ".join(words[1:2]))
            source = self.source(number)
            self.note_later(number, "", lambda: self.policy.top(words, source) or "")
        elif words[negated : negated + 2] in (["ip", "protocol"], ["ipv6", "protocol"]):
            source = self.source(number)
            self.note_later(number, "", lambda: self.policy.top(words, source) or "")
        elif pair in ("ip import-table", "ip nht", "ipv6 nht"):
            why = "routes of other tables, and filters of what next hops rest on, are not computed"
            ledger.unknown(number, True, why)
            family = 4 if first == "ip" else 6
            self.draft.unmodelled.append(Unmodelled(self.source(number), why, family, told=True))
        elif first in ("line", "segment-routing", "l2vpn", "mpls", "rpki", "bfd", "nht"):
            self.section = ("irrelevant", first)
            ledger.irrelevant(number)
        elif (
            first in IRRELEVANT_WORDS
            or pair in IRRELEVANT_PAIRS
            or (negated and not IRRELEVANT_WORDS.isdisjoint(words[1:2]))
            or (negated and " ".join(words[1:3]) in IRRELEVANT_PAIRS)
        ):
            ledger.irrelevant(number)
        else:
            self.misread(number)
            self.section = ("unknown", first) if not negated else None

    def of_a_protocol(self, number: int, words: list[str], negated: bool) -> bool:
        """Handles a line that a protocol has outside of its section; False if none does."""
        word = words[negated] if len(words) > negated else ""
        if word not in self.words:
            return False
        rest, source = words[1 + negated :], self.source(number)
        reader = self.reader_of(word, "")
        fate = reader.top_line(rest, source, negated)
        if fate is not None:
            self.later.append((number, reader.name, fate, ""))
            self.of_all.append((word, rest, source, negated))
        return fate is not None

    def policy_map(self, number: int, words: list[str], negated: bool) -> None:
        """The line that opens a sequence of a policy map, or takes it back."""
        self.section, self.sequence = ("pbr-map", words[1] if len(words) > 1 else ""), None
        source = self.source(number)
        try:
            if negated:
                self.maps.remove(words)
                self.section = None
            else:
                self.sequence = self.maps.open_map(words, source)
        except Misread as problem:
            self.odd_map(number, str(problem))
        else:
            self.ledger.understood(number)

    def odd_map(self, number: int, why: str) -> None:
        """A line of a policy map or a group that is not computed: it counts where that is used."""
        assert self.section is not None
        kind, name = self.section
        self.ledger.unknown(number, True, why)
        place = name if kind == "pbr-map" else f"group {name}"
        self.maps.odd.setdefault(place, []).append((self.source(number), why))

    def sequence_line(self, number: int, kind: str, name: str, words: list[str]) -> None:
        """A line of a policy map's sequence, or of a group of next hops."""
        negated = words[0] == "no"
        rest = words[1:] if negated else words
        source = self.source(number)
        try:
            if kind == "nexthop-group":
                self.maps.group_line(name, rest, source, negated)
            elif self.sequence is None:
                raise Misread("the line that opens its section is not understood")
            else:
                self.maps.map_line(self.sequence, rest, source, negated)
        except (Misread, IndexError) as problem:
            self.odd_map(number, str(problem) or "the line ends too early")
        else:
            self.ledger.understood(number)

    def static(self, number: int, words: list[str], family: int, instance: str = "") -> None:
        source = self.source(number)
        parsed = read_static(words, family, source, self.draft.profile.static_distance)
        said = instance if parsed.instance is None else parsed.instance
        if parsed.route is not None and parsed.hop_in not in (None, said):
            parsed = replace(parsed, route=replace(parsed.route, hop_in=parsed.hop_in))
        if parsed.table is not None and said:
            parsed = replace(parsed, route=None, problem="it is for a further table", matters=False)
        if parsed.route is None:
            self.ledger.unknown(number, parsed.matters, parsed.problem)
            prefix = parse_prefix(words[0]) if words else None
            if parsed.matters and prefix is not None:
                self.doubts(said).append(Unmodelled(source, parsed.problem or "", family))
            return
        # A later line for the same path replaces the earlier one and moves to the end.
        held = self.held(said, parsed.table)
        held.pop(path_key(parsed.route), None)
        held[path_key(parsed.route)] = parsed.route
        self.ledger.understood(number)

    def remove_static(self, number: int, words: list[str], family: int, instance: str = "") -> None:
        parsed = read_static(words, family, self.source(number), 1)
        route = parsed.route
        if route is None:
            self.ledger.unknown(number, parsed.matters, parsed.problem)
            return
        said = instance if parsed.instance is None else parsed.instance
        self.held(said, parsed.table).pop(path_key(route), None)
        self.ledger.understood(number)

    def held(self, instance: str, table: str | None) -> dict[tuple[object, ...], StaticRoute]:
        """The static routes of a routing instance, or of a further table of the main one."""
        if table is None:
            return self.statics.setdefault(instance, {})
        return self.tables.setdefault(table, {})

    def open_router(self, number: int, words: list[str]) -> None:
        name = self.words.get(words[1]) or OTHERS[words[1]]
        words, self.scope = _without_instance(words)
        self.section = ("router", name)
        self.reader = self.reader_of(words[1], self.scope) if words[1] in self.words else None
        source = self.source(number)
        self.protocols.setdefault(name, source)
        if self.scope:
            self.inside_of(self.scope)
        if self.reader is None:
            self.not_computed(number, name, "it is not computed")
            return
        try:
            fate = self.reader.open(words[2:], source)
        except Misread as problem:
            fate = str(problem)
        if isinstance(fate, str):
            # The lines inside belong to something else than what is computed here.
            self.section = ("router", f"{name} {words[-1]}")
            self.reader = None
        self.settle(number, name, fate)

    def protocol_line(self, number: int, name: str, words: list[str]) -> None:
        """A line inside the section of a routing protocol."""
        reader = self.reader
        if reader is None or not reader.runs:
            self.ledger.unknown(number, True, f"{name} is not computed")
            return
        negated = words[0] == "no"
        source = self.source(number)
        try:
            fate = reader.line(words[1:] if negated else words, source, negated)
        except Misread as problem:
            fate = str(problem)
        except IndexError:
            fate = "the line ends too early"
        self.settle(number, name, fate)

    def settle(self, number: int, name: str, fate: Fate, scope: str | None = None) -> None:
        """Enters what became of a line; a problem makes the protocol's answers uncertain."""
        if fate is True:
            self.ledger.understood(number)
        elif fate is False:
            self.ledger.irrelevant(number)
        elif isinstance(fate, Refused):
            self.ledger.unknown(number, False, str(fate))
        else:
            self.not_computed(number, name, str(fate), scope)

    def not_computed(self, number: int, name: str, why: str, scope: str | None = None) -> None:
        self.ledger.unknown(number, True, why)
        if name in ("PIM", "LDP", "NHRP", "SHARP"):
            return
        family = next((r.touches for r in self.readers.values() if r.name == name), None)
        doubts = self.doubts(self.scope if scope is None else scope)
        label = f"{name}, line {number}: " if name else f"line {number}: "
        doubts.append(Unmodelled(self.source(number), f"{label}{why}", family, told=True))

    def note_later(self, number: int, name: str, read: Callable[[], Fate], scope: str = "") -> None:
        try:
            fate = read()
        except Misread as problem:
            fate = str(problem)
        except IndexError:
            fate = "the line ends too early"
        self.later.append((number, name, fate, scope))

    # -- interfaces -----------------------------------------------------------

    def open_interface(self, number: int, words: list[str]) -> None:
        name = words[1]
        instance = words[3] if len(words) == 4 and words[2] == "vrf" else None
        key = interface_key(name, instance if instance != "default" else None)
        draft = self.draft.interfaces.get(key)
        if draft is None:
            draft = InterfaceDraft(name, self.source(number), order=len(self.draft.interfaces))
            draft.enabled = True
            draft.enabled_source = replace_default(self.source(number), "no shutdown")
            draft.loopback = name == "lo"
            self.draft.interfaces[key] = draft
        if len(words) == 4 and words[2] == "vrf" and words[3] != "default":
            draft.vrf = words[3]
            draft.vrf_source = self.source(number)
        self.ledger.understood(number)
        self.interface = draft
        self.section = ("interface", name)

    def interface_line(self, number: int, words: list[str]) -> bool:
        """Handles a line under an interface; False if it cannot belong there."""
        interface = self.interface
        assert interface is not None
        first = words[0]
        negated = first == "no"
        rest = words[1:] if negated else words
        pair = " ".join(rest[:2])
        ledger = self.ledger
        if not rest:
            ledger.unknown(number, False)
        elif pair in ("ip address", "ipv6 address"):
            self.address(number, rest[2:], 4 if rest[0] == "ip" else 6, negated)
        elif rest[0] == "vrrp":
            self.shared_line(number, interface.name, rest[1:], negated)
        elif rest == ["shutdown"]:
            interface.enabled = negated
            interface.enabled_source = self.source(number)
            ledger.understood(number)
        elif rest[0] == "link-detect":
            interface.ignores_carrier = negated
            ledger.understood(number)
        elif rest[0] == "description":
            interface.description = " ".join(rest[1:])
            ledger.understood(number)
        elif rest[0] == "pbr-policy":
            try:
                fate = self.maps.interface_line(interface.name, rest, self.source(number), negated)
            except Misread as problem:
                fate = str(problem)
            self.settle(number, "", fate)
        elif rest[0] == "vrf" and len(rest) == 2:
            interface.vrf = None if negated or rest[1] == "default" else rest[1]
            interface.vrf_source = self.source(number)
            ledger.understood(number)
        elif (limit := of_line(" ".join(rest))) is not None and not negated:
            self.limited(number, limit)
        elif rest[0] == "bandwidth" and len(rest) > 1 and rest[1].isdigit():
            interface.bandwidth = None if negated else int(rest[1])
            interface.bandwidth_source = self.source(number)
            ledger.understood(number)
        elif self.of_protocol(number, rest, negated):
            pass
        elif rest[0] == "vrrp":
            ledger.unknown(number, True, SHARED_ADDRESSES)
        elif rest[0] in INTERFACE_IRRELEVANT or pair in IRRELEVANT_PAIRS:
            ledger.irrelevant(number)
        elif pair in ("ip route", "ipv6 route", "ip prefix-list", "ipv6 prefix-list") or rest[
            0
        ] in ("interface", "router", "hostname", "route-map", "line", "end", "frr"):
            return False
        elif self.lines[number - 1][:1] in " \t":
            self.misread(number, interface.name)
        else:
            return False
        return True

    def misread(self, number: int, interface: str | None = None) -> None:
        """A line that nobody here understands: what it was to do is not done."""
        text, why = self.lines[number - 1].strip(), "is not understood"
        self.ledger.unknown(number, True)
        self.draft.unmodelled.append(
            Unmodelled(self.source(number), f"{text!r} {why}", None, interface, True, LINKS)
        )

    def limited(self, number: int, limit: Limit) -> None:
        """A line of a feature that is recognised and not computed."""
        self.ledger.unknown(number, True, limit.why)
        self.draft.unmodelled.append(
            Unmodelled(self.source(number), limit.why, told=True, touches=limit.touches)
        )

    def address(self, number: int, words: list[str], family: int, negated: bool) -> None:
        interface = self.interface
        assert interface is not None
        value = parse_interface_address(words[0]) if words else None
        peer = None
        if value is None and len(words) > 2 and words[1] == "peer":
            head = parse_interface_address(f"{words[0]}/32")
            peer = parse_prefix(words[2])
            value = head if peer is not None else None
            words = words[2:]
        if value is None or value.address.family != family:
            if negated and not words:
                interface.addresses = [a for a in interface.addresses if a.address.family != family]
                self.ledger.understood(number)
                return
            self.ledger.unknown(number, True, f"this is not an IPv{family} address with a length")
            return
        if words[1:] and words[1] != "label":
            self.ledger.unknown(number, True, f"{words[1]!r} is not understood here")
            return
        interface.addresses = [a for a in interface.addresses if a.value != value]
        if not negated:
            fact = AddressFact(value, self.source(number), peer=peer)
            interface.addresses.append(fact)
        self.ledger.understood(number)

    def shared_line(self, number: int, interface: str, words: list[str], negated: bool) -> None:
        """A line of `vrrp` under an interface."""
        try:
            fate = self.vrrp.line(interface, words, self.source(number), negated)
        except (Misread, IndexError) as problem:
            fate = str(problem)
        self.settle(number, "VRRP", fate)

    # -- what is left to others -----------------------------------------------

    def knows(self, word: str) -> bool:
        """True for the name of a protocol, whether it is computed or not."""
        return word in self.words or word in OTHERS

    def of_protocol(self, number: int, words: list[str], negated: bool) -> bool:
        """Handles a line of an interface that belongs to a routing protocol; False if none does."""
        assert self.interface is not None
        interface, source = self.interface.name, self.source(number)
        instance = self.interface.vrf or ""
        for word in self.words:
            reader = self.reader_of(word, instance)
            mine = reader.claims(words)
            if mine is not None:
                read = partial(reader.interface_line, interface, mine, source, negated)
                self.note_later(number, reader.name, read, instance)
                if not instance:
                    self.on_interfaces.append((word, interface, mine, source, negated))
                return True
        other = words[0] if words[0] in ("babel", "openfabric") else None
        if len(words) > 2 and words[0] in ("ip", "ipv6") and words[1] in OTHERS:
            other = words[1]
        if other is None:
            return False
        name = OTHERS[other]
        if name in ("PIM", "LDP", "NHRP"):
            self.ledger.irrelevant(number)
        else:
            self.later.append((number, name, "it is not computed", self.interface.vrf or ""))
        return True

    def judge_later(self) -> None:
        """Lines of protocols outside their sections count exactly if that protocol runs."""
        running = set(self.protocols)
        if self.policy.into_table:
            running.add("table")
        for number, name, fate, scope in self.later:
            if name in running or (not name and running):
                self.settle(number, name, fate, scope)
            elif fate is True and name:
                self.ledger.understood(number)
            else:
                self.ledger.irrelevant(number)


def _without_instance(words: list[str]) -> tuple[list[str], str]:
    """An opening line without the routing instance that it names, and that instance."""
    if "vrf" not in words[2:-1]:
        return words, ""
    at = words.index("vrf", 2)
    name = words[at + 1]
    return [*words[:at], *words[at + 2 :]], "" if name == "default" else name


def replace_default(source: Source, text: str) -> Source:
    """The same place, for a value in force that nobody wrote."""
    return source._replace(text=text, default=True)


def read(device: str, file: str, text: str) -> tuple[ConfigDraft, Ledger]:
    """Reads one FRR configuration file.

    Args:
        device: the device's name, for evidence.
        file: the file's name, for evidence.
        text: its text, secrets already masked.
    """
    reader = _Reader(device, file, text)
    draft = reader.read()
    if reader.ledger.has_unknown:
        spelled = spell_out(reader.lines)
        if spelled:
            reader = _Reader(device, file, text, spelled)
            draft = reader.read()
    via = (draft.resolve_via_default[0], draft.resolve_via_default[1])
    if any(via):
        draft.profile = replace(draft.profile, resolve_via_default=via)
    return draft, reader.ledger
