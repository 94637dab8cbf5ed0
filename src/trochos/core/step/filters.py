"""What a device's filters make of one packet, and its reverse-path checks.

Conditions are three-valued: true, false, or not to be said, because the packet is not that
closely described or the condition is not understood. Where that decides, the answer is unknown.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import NamedTuple

from ..network.addressing import Address, Prefix
from ..network.facts import Device, Source
from ..network.filters import (
    ACCEPT,
    CONNECTION,
    CONTINUE,
    DROP,
    EGRESS,
    FORWARD,
    GOTO,
    INGRESS,
    INPUT,
    JUMP,
    OUTPUT,
    PACKET,
    POSTROUTING,
    PREROUTING,
    REJECT,
    RETURN,
    TERMINAL,
    TRANSLATE,
    UNKNOWN,
    Chain,
    Entry,
    Marking,
    Match,
    Range,
)
from ..network.protocols import by_packets
from ..network.rules import Kind, within
from ..network.translation import Rewrite

EPHEMERAL: Range = (32768, 60999)
"""From where Linux takes the port of a client (ip_local_port_range)."""
REWRITTEN_AT = -100
"""The priority at which the kernel rewrites destinations (NF_IP_PRI_NAT_DST)."""
_DEPTH = 16
_PLACES = frozenset(("source", "target", "in", "out"))
_NUMBERS = {
    "1": "icmp",
    "4": "ipip",
    "6": "tcp",
    "17": "udp",
    "47": "gre",
    "58": "icmpv6",
    "ipv6-icmp": "icmpv6",
    "ospfigp": "ospf",
    "ipencap": "ipip",
} | {str(number): name for number, name in by_packets().items()}


_NUMBER_OF = {name: int(text) for text, name in _NUMBERS.items() if text.isdigit()}


class Flow(NamedTuple):
    """The kind of traffic, as filters see it.

    `passed` are the devices that saw the request, and so track its connection; None for
    the request itself. `message` is the type of an ICMP message that is neither a ping nor
    its answer.
    """

    protocol: str = "icmp"
    port: int | None = None
    passed: frozenset[str] | None = None
    message: str | None = None

    @property
    def is_reply(self) -> bool:
        return self.passed is not None

    def back(self, passed: frozenset[str]) -> Flow:
        """The reply to this."""
        return self._replace(passed=passed)

    def ports(self) -> tuple[Range | None, Range | None]:
        """(source, target) ports; None where the protocol has none or nobody said which."""
        if self.protocol not in ("tcp", "udp"):
            return None, None
        service = (self.port, self.port) if self.port is not None else (0, 65535)
        return (service, EPHEMERAL) if self.is_reply else (EPHEMERAL, service)

    def kind(self, family: int, mark: int | None = 0) -> Kind:
        """The packet as rules see it."""
        number = _NUMBER_OF.get(self.word(family))
        source, target = self.ports()
        return Kind(number, source, target, mark)

    def word(self, family: int) -> str:
        return "icmpv6" if self.protocol == "icmp" and family == 6 else self.protocol

    def state(self, device: str) -> str:
        """What a device that tracks connections takes the packet for."""
        if self.message is not None:
            return "untracked"  # neighbour discovery belongs to no connection
        if self.passed is None:
            return "new"
        if device in self.passed:
            return "established"
        # The middle of a conversation of which the beginning was never seen.
        return "new" if self.protocol == "udp" else "invalid"


SOLICITATION = Flow(message="nd-neighbor-solicit")
ADVERTISEMENT = Flow(message="nd-neighbor-advert")
"""How IPv6 finds who has an address (RFC 4861): filters see it, as they never see ARP."""


@dataclass(frozen=True, slots=True)
class Decision:
    """What a device's filters do: `accept`, `drop`, `reject` or `unknown`, and by which entry."""

    verdict: str
    entry: Source | None = None
    chain: str = ""
    why: str = ""
    says: str = ""
    """The entry in words."""
    rewrite: Rewrite | None = None
    """What it puts in place, where it rewrites addresses."""


@dataclass(slots=True)
class Marks:
    """The marks of a packet and of its connection at a device, as far as its chains have gone
    (None: not known)."""

    packet: int | None = 0
    connection: int | None = 0

    def set(self, marking: Marking) -> None:
        base = self.packet if marking.base == PACKET else self.connection
        value: int | None
        if marking.keep == 0:
            value = marking.flip
        else:
            value = None if base is None else (base & marking.keep) ^ marking.flip
        self._put(marking.of, value)

    def lose(self, marking: Marking) -> None:
        """Whether this is set cannot be said."""
        self._put(marking.of, None)

    def _put(self, of: str, value: int | None) -> None:
        if of == CONNECTION:
            self.connection = value
        else:
            self.packet = value


class Untranslated(NamedTuple):
    """What a packet was before the device rewrote its destination."""

    source: Address | None
    target: Address
    flow: Flow


class Passage(NamedTuple):
    """A packet at one place of a device: where it came in, where it is to leave."""

    device: str
    source: Address | None
    target: Address
    arrived: str | None
    leaving: str | None
    flow: Flow
    status: frozenset[str] = frozenset()
    """What the device has rewritten of its connection: `snat`, `dnat`."""
    came: Untranslated | None = None
    """The packet as it came, where destinations are rewritten: chains before that see it so."""
    marks: Marks | None = None
    """Its marks, which chains ask for and set; None: nobody follows them."""


@dataclass(slots=True)
class Filters:
    """The filters of one device."""

    device: Device
    translating: bool = False
    """True for the chains that rewrite addresses."""
    marking: bool = False
    """True if any entry sets a mark."""
    _named: dict[str, Chain] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self._named = {chain.name: chain for chain in self.chains}
        self.marking = any(entry.markings for chain in self.chains for entry in chain.entries)

    @property
    def chains(self) -> tuple[Chain, ...]:
        return self.device.translations if self.translating else self.device.filters

    def rewrite(self, hook: str, passage: Passage) -> Decision | None:
        """What the translating chains at one hook make of the first packet of a connection: an
        entry that rewrites it, one that ends it, or a doubt; None if nothing changes."""
        family = passage.target.family
        chains = [c for c in self.chains if c.hook == hook and family in c.families]
        for chain in sorted(chains, key=lambda c: c.priority):
            found = self._chain(chain, passage, 0)
            verdict = found.verdict if found is not None else chain.policy
            if verdict != ACCEPT:
                if found is None:
                    found = Decision(verdict, chain.source, says="whatever no entry matches")
                return replace(found, chain=chain.name)
        return None

    def hooks(self, passage: Passage) -> Iterator[Chain]:
        """The chains that a packet meets, in order."""
        if passage.arrived is None:
            order = [OUTPUT, POSTROUTING]
        elif passage.leaving is None:
            order = [PREROUTING, INPUT]
        else:
            order = [PREROUTING, FORWARD, POSTROUTING]
        family = passage.target.family
        chains = [c for c in self.device.filters if family in c.families]
        yield from (c for c in chains if c.hook == INGRESS and c.interface == passage.arrived)
        for hook in order:
            yield from sorted((c for c in chains if c.hook == hook), key=lambda c: c.priority)
        yield from (c for c in chains if c.hook == EGRESS and c.interface == passage.leaving)

    def marks(self, passage: Passage) -> int | None:
        """The mark with which a packet is routed; None if it cannot be said.

        What passes has it from the chains before routing. What the device sends itself is routed
        before its chains, and anew after one of type `route` has changed the mark
        (netfilter's ip_route_me_harder; measured in tests/real/test_rules.py).
        """
        held = passage.marks if passage.marks is not None else Marks()
        hook = OUTPUT if passage.arrived is None else PREROUTING
        # What the device sends itself has an exit by then; what passes has none yet.
        leaving = passage.leaving if hook == OUTPUT else None
        passage = passage._replace(marks=held, leaving=leaving)
        routed: int | None = 0
        family = passage.target.family
        chains = [c for c in self.device.filters if family in c.families and c.hook == hook]
        for chain in sorted(chains, key=lambda c: c.priority):
            before = held.packet
            found = self._chain(chain, _seen_by(chain, passage), 0)
            if hook == OUTPUT and chain.reroutes and held.packet != before:
                routed = held.packet
            if (found.verdict if found is not None else chain.policy) != ACCEPT:
                break
        return routed if hook == OUTPUT else held.packet

    def judge(self, passage: Passage) -> list[Decision]:
        """What each chain on the way does; the last one ends the packet, or all accept."""
        out: list[Decision] = []
        if passage.marks is None:
            passage = passage._replace(marks=Marks())
        for chain in self.hooks(passage):
            decision = self._chain(chain, _seen_by(chain, passage), 0)
            if decision is None:
                why = "no entry matches it"
                if chain.policy == UNKNOWN:
                    why += ", and what becomes of it then is the device's own affair"
                decision = Decision(
                    chain.policy, chain.source, chain.name, why, "whatever no entry matches"
                )
            if decision.entry is not None and (decision.verdict != ACCEPT or chain.entries):
                out.append(replace(decision, chain=chain.name))
            if decision.verdict != ACCEPT:
                break
        return out

    def may_stop_pings(self) -> bool:
        """False if every chain surely accepts every ping and every answer, whoever sends it,
        and what IPv6 needs for them."""
        flows = [Flow(), Flow(passed=frozenset((self.device.name,))), Flow(passed=frozenset())]
        flows += [SOLICITATION, ADVERTISEMENT]
        for chain in self.device.filters:
            if chain.hook is None:
                continue
            for family in chain.families:
                anyone = Address(family, 0)
                for flow in flows if family == 6 else flows[:3]:
                    passage = Passage(self.device.name, None, anyone, None, None, flow)
                    if not self._surely(chain, passage, 0):
                        return True
        return False

    def _surely(self, chain: Chain, passage: Passage, depth: int) -> bool:
        """True if a chain accepts, whatever the addresses and interfaces are."""
        if depth > _DEPTH:
            return False
        for entry in chain.entries:
            open_ended = any(match.key in _PLACES for match in entry.matches)
            rest = entry._replace(
                matches=tuple(match for match in entry.matches if match.key not in _PLACES)
            )
            fits = matches(rest, passage)
            harmless = entry.verdict in (CONTINUE, ACCEPT) and (fits is None or open_ended)
            if fits is False or harmless:
                continue
            if entry.verdict == ACCEPT:
                return True
            called = self._named.get(entry.chain)
            if entry.verdict in (DROP, REJECT, RETURN, GOTO, UNKNOWN) or called is None:
                return False
            if self._surely(called, passage, depth + 1) and fits is True and not open_ended:
                return True
            if self._may_drop(called):
                return False
        return chain.policy == ACCEPT

    def _may_drop(self, chain: Chain) -> bool:
        return any(entry.verdict not in (ACCEPT, CONTINUE, RETURN) for entry in chain.entries)

    def _chain(self, chain: Chain, passage: Passage, depth: int) -> Decision | None:
        """The decision of a chain; None if it leaves the packet to who called it."""
        if depth > _DEPTH:
            return Decision(UNKNOWN, chain.source, why="its chains call each other in a circle")
        for entry in chain.entries:
            if entry.verdict == CONTINUE and not entry.markings:
                continue
            fits = matches(entry, passage)
            if fits is False:
                continue
            for marking in entry.markings if passage.marks is not None else ():
                if fits:
                    passage.marks.set(marking)  # type: ignore[union-attr]
                else:
                    passage.marks.lose(marking)  # type: ignore[union-attr]
            if entry.verdict == CONTINUE:
                continue
            if fits is None or entry.verdict == UNKNOWN:
                why = f"whether it matches, {_unsure(entry)}"
                return Decision(UNKNOWN, entry.source, why=why, says=words(entry))
            if entry.verdict == TRANSLATE:
                said = words(entry)
                return Decision(TRANSLATE, entry.source, says=said, rewrite=entry.rewrite)
            if entry.verdict in TERMINAL:
                return Decision(entry.verdict, entry.source, says=words(entry))
            if entry.verdict == RETURN:
                return None
            called = self._named.get(entry.chain)
            found = self._chain(called, passage, depth + 1) if called is not None else None
            if found is not None or entry.verdict == GOTO:
                return found
        return None


_WORDS = {
    "source": "from",
    "target": "to",
    "source-port": "from port",
    "target-port": "port",
    "protocol": "protocol",
    "family": "IPv",
    "in": "in by",
    "out": "out by",
    "icmp-type": "ICMP",
    "state": "state",
    "status": "rewritten by",
    "mark": "mark",
    "connection-mark": "mark of its connection",
}


def words(entry: Entry) -> str:
    """An entry's conditions in words."""
    return ", ".join(map(_condition, entry.matches)) or "everything"


def _condition(match: Match) -> str:
    shown = [
        (str(v[0]) if v[0] == v[1] else f"{v[0]}-{v[1]}")
        if isinstance(v, tuple) and not isinstance(v, Prefix)
        else str(v)
        for v in match.values
    ]
    if len(shown) > 4:
        shown = [*shown[:3], f"{len(shown) - 3} more"]
    text = " or ".join(shown)
    if match.key.endswith("unknown"):
        return text
    head, _, tail = match.key.partition(" ")
    what = f"{head} {_WORDS[tail]}" if tail else _WORDS[match.key]
    glue = "" if match.key == "family" else " "
    return f"{'not ' if match.negated else ''}{what}{glue}{text}"


def _unsure(entry: Entry) -> str:
    odd = [str(m.values[0]) for m in entry.matches if m.key.endswith("unknown") and m.values]
    return f"depends on {odd[0]}, which is not computed" if odd else "cannot be said"


def matches(entry: Entry, passage: Passage) -> bool | None:
    """Whether an entry's conditions hold: all of them."""
    out: bool | None = True
    for match in entry.matches:
        held = _holds(match, passage)
        if held is False:
            return False
        out = None if held is None else out
    return out


def _holds(match: Match, passage: Passage) -> bool | None:
    if not _concerns(match, passage):
        return False
    found = _fits(match, passage)
    return found if found is None or not match.negated else not found


def _concerns(match: Match, passage: Passage) -> bool:
    """True if a condition is about packets like this one: one about ports of TCP, or about
    addresses of the other family, never holds, whether it is negated or not."""
    family = passage.target.family
    head, _, tail = match.key.partition(" ")
    if tail:
        return head in (passage.flow.word(family), f"ipv{family}")
    if match.key in ("source", "target"):
        return any(isinstance(v, Prefix) and v.family == family for v in match.values)
    return True


def _fits(match: Match, passage: Passage) -> bool | None:
    flow, family = passage.flow, passage.target.family
    match match.key.rpartition(" ")[2]:
        case "source" | "target":
            address = passage.source if match.key == "source" else passage.target
            if address is None:
                return None
            return any(
                isinstance(v, Prefix) and v.family == family and v.contains(address)
                for v in match.values
            )
        case "source-port" | "target-port":
            ports = flow.ports()[match.key.endswith("target-port")]
            ranges = [v for v in match.values if not isinstance(v, str | Prefix)]
            return within(ports, ranges)
        case "protocol":
            words = {_NUMBERS.get(str(v), str(v)) for v in match.values}
            return flow.word(family) in words
        case "family":
            return str(family) in match.values
        case "in":
            return _named(passage.arrived, match)
        case "out":
            return _named(passage.leaving, match)
        case "icmp-type":
            if flow.protocol != "icmp":
                return False
            said = flow.message or ("echo-reply" if flow.is_reply else "echo-request")
            return said in match.values
        case "state":
            return flow.state(passage.device) in match.values
        case "status":
            known = {"snat", "dnat"}
            asked = {str(value) for value in match.values}
            return None if asked - known else bool(asked & passage.status)
        case "mark" | "connection-mark":
            marks = passage.marks
            held = None
            if marks is not None:
                held = marks.packet if match.key == "mark" else marks.connection
            if held is None:
                return None
            left = held & match.mask
            return any(
                v[0] <= left <= v[1] for v in match.values if not isinstance(v, str | Prefix)
            )
        case _:
            return None


def _seen_by(chain: Chain, passage: Passage) -> Passage:
    """The packet as a chain sees it: those before the rewriting of destinations as it came."""
    came = passage.came
    if came is None or chain.hook != PREROUTING or chain.priority >= REWRITTEN_AT:
        return passage
    return passage._replace(source=came.source, target=came.target, flow=came.flow)


def _named(interface: str | None, match: Match) -> bool:
    if interface is None:
        return False
    return any(
        str(v) == interface or (str(v).endswith("*") and interface.startswith(str(v)[:-1]))
        for v in match.values
    )


def reverse_path(device: Device, arrived: str) -> tuple[str, Source] | None:
    """The reverse-path check that holds on an interface, and its line; None if there is none.

    Linux takes the stricter of the setting for all interfaces and of the interface's own
    (ip-sysctl, rp_filter); the default applies where the interface says nothing.
    """
    rank = {"off": 0, "strict": 1, "loose": 2}
    held = {item.interface: item for item in device.reverse_path}
    own = held.get(arrived) or held.get("default")
    found = [item for item in (held.get("all"), own) if item is not None]
    if not found:
        return None
    # The kernel takes the larger number, and loose is the larger one.
    top = max(found, key=lambda item: rank[item.mode])
    return None if top.mode == "off" else (top.mode, top.source)


def covers(wide: Entry, narrow: Entry) -> bool:
    """True if every packet that fits `narrow` fits `wide`, as far as conditions tell."""
    return all(any(_implied(theirs, mine) for mine in narrow.matches) for theirs in wide.matches)


def _implied(wide: Match, narrow: Match) -> bool:
    if wide.key.endswith("mark") or narrow.key.endswith("mark"):
        return False  # marks may change between them
    if wide == narrow:
        return not wide.key.endswith("unknown")
    if wide.key == "protocol" and " " in narrow.key and not wide.negated:
        return narrow.key.split(" ")[0] in wide.values
    if wide.key != narrow.key or wide.negated or narrow.negated or wide.key.endswith("unknown"):
        return False
    return all(any(_inside(small, big) for big in wide.values) for small in narrow.values)


def _inside(small: Prefix | Range | str, big: Prefix | Range | str) -> bool:
    if isinstance(small, Prefix) and isinstance(big, Prefix):
        return big.covers(small)
    if isinstance(small, str) or isinstance(big, str):
        return small == big
    return big[0] <= small[0] and small[1] <= big[1]


__all__ = ["ACCEPT", "DROP", "JUMP", "REJECT", "UNKNOWN", "Decision", "Filters", "Flow", "Passage"]
