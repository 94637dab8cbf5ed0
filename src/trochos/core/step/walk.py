"""One leg, walked hop by hop over every equal-cost branch."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import partial

from ..network.facts import ALL, Device, End, Unmodelled
from ..network.filters import ACCEPT, REJECT
from ..network.rules import Kind
from ..network.translation import DESTINATION, SOURCE
from .filters import (
    ADVERTISEMENT,
    SOLICITATION,
    UNKNOWN,
    Filters,
    Marks,
    Passage,
    Untranslated,
    reverse_path,
)
from .kernel import Fate, Kernel, Step, not_said
from .legs import Branch, Hop, Leg, Wrap
from .packet import Packet
from .rules import MAIN
from .sizes import largest_inside
from .verdicts import DELIVERED, HOP_LIMIT, LOOP, LOST_BACK

LISTED = 64
_EXPLORED = 4096


_STATUS = {SOURCE: "snat", DESTINATION: "dnat"}


class _Walker:
    def __init__(self, kernel: Kernel, packet: Packet, wanted: frozenset[str]) -> None:
        self.kernel, self.sent, self.wanted = kernel, packet, wanted
        self.caveats: dict[Unmodelled, None] = {}

    def branches(self, start: str) -> Iterator[Branch]:
        """Depth first; the path so far is shared, each branch gets a copy at its end."""
        yield from self._visit(start, None, [], self.sent)

    def _visit(
        self, device: str, arrived: str | None, path: list[Hop], came: Packet
    ) -> Iterator[Branch]:
        kernel = self.kernel
        ends = (came.source, came.target)
        for place, earlier in enumerate(path):
            if earlier.device != device or earlier.ends != ends:
                continue
            # Where rules ask by which interface a packet came, a second visit may go on elsewhere.
            if kernel.rules and earlier.arrived != arrived:
                continue
            members = tuple(dict.fromkeys(hop.device for hop in path[place:]))
            hops = [_copy(hop) for hop in path]
            yield Branch(hops, LOOP, loop_sentence(members), members, came)
            return
        hop = Hop(device, arrived, None, ends=ends)
        packet = came
        translator = kernel.translator(device)
        if translator is not None:
            change = translator.arrives(came, arrived)
            packet, hop.rewritten = change.packet, change.done
            if change.stop is not None:
                yield self._end(path, hop, packet, *change.stop)
                return
        drop = self._martian(packet, device, arrived)
        if drop is None and not kernel.ruled(device, packet.target.family):
            drop = self._unexpected(packet, device, arrived, None)
        if drop is not None:
            yield self._end(path, hop, packet, *drop)
            return
        kind = self._kind(packet, came, device, arrived)
        step = kernel.step(device, packet.target, arrived, packet.source, kind)
        if kernel.ruled(device, packet.target.family):
            hop.asked = partial(
                kernel.rules_asked, device, packet.source, packet.target, arrived, kind
            )
        unclear = self._unclear_check(packet, device, arrived)
        if unclear:
            reason = f"{device} is not certain: {unclear[0].as_seen_from(device)}."
            step = Step(device, step.route, (Fate(None, "unknown", reason),), tuple(unclear))
        for item in step.caveats:
            self.caveats[item] = None
        hop.route = step.route
        if step.rule is not None and step.rule.table not in MAIN:
            hop.rule = step.rule
        if not unclear and step.route is not None and step.route.protocol == "local":
            yield self._arrived(path, hop, packet, came)
            return
        if len(path) >= self.sent.hop_limit:
            reason = f"the hop limit of {self.sent.hop_limit} is spent at {device}."
            yield self._end(path, hop, packet, HOP_LIMIT, reason)
            return
        for fate in step.fates:
            yield from self._follow(path, hop, fate, packet, came)

    def _follow(
        self, path: list[Hop], hop: Hop, fate: Fate, packet: Packet, came: Packet
    ) -> Iterator[Branch]:
        here = _copy(hop)
        if fate.hop is not None and fate.hop.action == "forward":
            here.out, here.next_hop = fate.hop.interface, fate.hop.address
            interface = self.kernel.near.interface(End(hop.device, here.out or ""))
            here.mtu = interface.mtu if interface else None
            here.tag = interface.tag if interface else None
            lent = self.kernel.devices[hop.device].lent.get(here.out or "", fate.hop.into)
            if lent is not None and hop.route is not None and hop.route.because:
                there = self.kernel.devices[lent].instance
                mine = self.kernel.devices[hop.device].instance
                here.crosses = (mine, there, hop.route.because[0])
            if interface is not None and interface.tunnel is not None:
                under = self.kernel.under.get(End(hop.device, interface.name))
                here.wrap = Wrap(interface.tunnel, under if isinstance(under, Leg) else None)
        if here.out is not None and self.kernel.ruled(here.device, packet.target.family):
            drop = self._unexpected(packet, here.device, here.arrived, here.out)
            if drop is not None:
                yield self._end(path, here, packet, *drop)
                return
        if here.out is not None and fate.verdict in (None, "next-hop-silent", "wrong-segment"):
            stopped = self._filter(packet, came, here, here.out)
            if stopped is not None:
                yield self._end(path, here, packet, *stopped)
                return
        if fate.verdict is not None:
            yield self._end(path, here, packet, fate.verdict, fate.reason)
            return
        assert fate.to is not None
        translator = self.kernel.translator(here.device)
        if translator is not None and fate.hop is not None:
            change = translator.leaves(packet, came, here.arrived, fate.hop)
            here.rewritten += change.done
            if change.stop is not None:
                yield self._end(path, here, packet, *change.stop)
                return
            packet = translator.remembers(change.packet, came)
        packet = _marked(packet, here)
        unfound = self._undiscovered(packet, here, fate.to)
        if unfound is not None:
            yield self._end(path, here, packet, *unfound)
            return
        too_big = self._too_big(packet, here, fate.to)
        if too_big is not None:
            yield self._end(path, here, packet, "too-big", too_big)
            return
        yield from self._visit(fate.to.device, fate.to.interface, [*path, here], packet)

    def _end(self, path: list[Hop], hop: Hop, packet: Packet, verdict: str, reason: str) -> Branch:
        hop.reason = reason
        return Branch([*map(_copy, path), hop], verdict, reason, packet=packet)

    def _arrived(self, path: list[Hop], hop: Hop, packet: Packet, came: Packet) -> Branch:
        device, target = hop.device, packet.target
        wanted = self.wanted
        if wanted and not packet.is_reply and target != self.sent.target:
            wanted = frozenset()  # whoever it was led to is meant
        if wanted and device not in wanted:
            names = " or ".join(sorted(wanted))
            if packet.is_reply and packet.tracked:
                reason = (
                    f"{device} takes the reply: {target} is its address, and {device} does not "
                    f"remember that it stands for {names}."
                )
                return self._end(path, hop, packet, LOST_BACK, reason)
            reason = f"{device} takes it: {target} is its address too, not only that of {names}."
            return self._end(path, hop, packet, "wrong-host", reason)
        if self.kernel.ruled(device, target.family):
            drop = self._unexpected(packet, device, hop.arrived, None)
            if drop is not None:
                return self._end(path, hop, packet, *drop)
        stopped = self._filter(packet, came, hop, None) or self._deaf(packet, device)
        if stopped is not None:
            return self._end(path, hop, packet, *stopped)
        foreign = self._foreign(packet, device)
        if foreign is not None:
            return self._end(path, hop, packet, LOST_BACK, foreign)
        translator = self.kernel.translator(device)
        if translator is not None:
            packet = translator.remembers(packet, came)
        packet = _marked(packet, hop)
        interface = hop.route.next_hops[0].interface if hop.route else None
        reason = f"{device} has it: {target} is its own address on {interface}."
        return self._end(path, hop, packet, DELIVERED, reason)

    @staticmethod
    def _foreign(packet: Packet, device: str) -> str | None:
        """Why a reply does not belong to the connection that was asked for: it comes from another
        end. A ping is answered all the same."""
        asked, flow = packet.asked, packet.flow
        if asked is None or flow is None or flow.protocol not in ("tcp", "udp"):
            return None
        if packet.source == asked.target and (asked.port is None or flow.port == asked.port):
            return None
        wanted, got = asked.target, packet.source
        ports = ""
        if wanted == got:
            ports = f", port {flow.port} instead of {asked.port}"
        return (
            f"{device} gets the reply from {got}{ports} and had asked {wanted}: it met no device "
            "that remembers the translation."
        )

    def _martian(self, packet: Packet, device: str, arrived: str | None) -> tuple[str, str] | None:
        """A Linux router drops IPv4 packets that claim one of its own addresses as source."""
        source = packet.source
        if arrived is None or source is None or source.family == 6:
            return None
        if self.kernel.near.owns(device, source):
            why = f"{device} drops it: the source {source} is one of its own addresses."
            return "filtered", why
        return None

    def _unexpected(
        self, packet: Packet, device: str, arrived: str | None, leaving: str | None
    ) -> tuple[str, str] | None:
        """A reverse-path check (RFC 3704): the way back to the source has to leave here, too.

        The kernel asks for the way back with the ends and ports exchanged and without a mark, as
        of a packet that comes in where this one leaves (of what is for itself: as of its own).
        """
        source, facts = packet.source, self.kernel.devices[device]
        if arrived is None or source is None or source.family == 6 or packet.flow is None:
            return None
        check = reverse_path(facts, arrived) if facts.reverse_path else None
        if check is None:
            return None
        if self.kernel.not_computed(device, 4, None):
            return None  # by which table the way back is looked up is not certain: see `_visit`
        kind = packet.flow.kind(4)
        kind = kind._replace(source_ports=kind.target_ports, target_ports=kind.source_ports)
        found = self.kernel.chosen(device, packet.target, source, leaving, kind)
        if found.unsure is not None:
            return "unknown", not_said(device, found.unsure)
        hops = found.route.obeyed_hops if found.route is not None else ()
        exits = {hop.interface for hop in hops if hop.interface is not None}
        if exits and (check[0] == "loose" or arrived in exits):
            return None
        where = ", ".join(sorted(exits))
        way = f"its way back to {source} leaves by {where}" if where else f"no way back to {source}"
        return "filtered", (
            f"{device} drops it silently: it came in by {arrived}, and {device} has {way} "
            f"(reverse-path check, {check[1].text})."
        )

    def _unclear_check(self, packet: Packet, device: str, arrived: str | None) -> list[Unmodelled]:
        """What makes a reverse-path check uncertain; empty where none is made."""
        source, facts = packet.source, self.kernel.devices[device]
        if arrived is None or source is None or source.family == 6 or packet.flow is None:
            return []
        if not facts.reverse_path or reverse_path(facts, arrived) is None:
            return []
        return self.kernel.not_computed(device, 4, None)

    def _kind(self, packet: Packet, came: Packet, device: str, arrived: str | None) -> Kind:
        """The packet as the device's rules see it, with the mark that its chains gave it."""
        flow = packet.flow
        if flow is None or not self.kernel.ruled(device, packet.target.family):
            return Kind()
        mark: int | None = 0
        filters = self.kernel.filters.get(device)
        if filters is not None and filters.marking:
            leaving = self._first_exit(packet, device) if arrived is None else None
            mark = filters.marks(_passage(packet, came, Hop(device, arrived, None), leaving))
        return flow.kind(packet.target.family, mark)

    def _first_exit(self, packet: Packet, device: str) -> str | None:
        """By which interface a device's own packet would leave without a mark."""
        assert packet.flow is not None
        kind = packet.flow.kind(packet.target.family)
        route = self.kernel.chosen(device, packet.source, packet.target, None, kind).route
        hops = route.obeyed_hops if route is not None else ()
        return hops[0].interface if hops else None

    def _filter(
        self, packet: Packet, came: Packet, hop: Hop, leaving: str | None
    ) -> tuple[str, str] | None:
        """(verdict, reason) if a filter of the device ends the packet; notes what it passed."""
        filters = self.kernel.filters.get(hop.device)
        if filters is None or packet.flow is None:
            return None
        passage = _passage(packet, came, hop, leaving)
        found = filters.judge(passage)
        if filters.marking and not packet.is_reply and passage.marks is not None:
            hop.connection_mark = (hop.device, passage.marks.connection)
        hop.filters = tuple(found)
        if not found or found[-1].verdict == ACCEPT:
            return None
        last = found[-1]
        line = f" ({last.entry.file}, line {last.entry.line})" if last.entry else ""
        what = f"{last.chain}{line}"
        if last.verdict == UNKNOWN:
            return "unknown", f"{hop.device} is not certain: in its filter {what}, {last.why}."
        if last.verdict == REJECT:
            return "refused", f"{hop.device} refuses it, by its filter {what}."
        more = f": {last.why}" if last.why else ""
        return "filtered", f"{hop.device} drops it silently, by its filter {what}{more}."

    def _undiscovered(self, packet: Packet, hop: Hop, to: End) -> tuple[str, str] | None:
        """(verdict, reason) if a filter at either end keeps IPv6 from finding the next hop
        (RFC 4861): the solicitation goes one way, the advertisement the other."""
        filters = self.kernel.filters
        if packet.flow is None or packet.target.family == 4 or hop.wrap is not None:
            return None
        asked = hop.next_hop or packet.target
        for sender, taker, flow in (
            (End(hop.device, hop.out or ""), to, SOLICITATION),
            (to, End(hop.device, hop.out or ""), ADVERTISEMENT),
        ):
            for end, arrived, leaving in (
                (sender, None, sender.interface),
                (taker, taker.interface, None),
            ):
                held = filters.get(end.device)
                if held is None:
                    continue
                found = held.judge(Passage(end.device, None, asked, arrived, leaving, flow))
                if found and found[-1].verdict != ACCEPT:
                    what = f"{found[-1].chain} on {end.device}"
                    if found[-1].verdict == UNKNOWN:
                        return "unknown", f"Whether the filter {what} lets {asked} be found: " + (
                            f"{found[-1].why}."
                        )
                    return "next-hop-silent", (
                        f"{hop.device} does not find {asked} on {hop.out}: the filter {what} stops "
                        f"{flow.message}."
                    )
        return None

    def _deaf(self, packet: Packet, device: str) -> tuple[str, str] | None:
        """(verdict, reason) if nobody on the device listens for the request."""
        flow, facts = packet.flow, self.kernel.devices[device]
        sockets = facts.services.sockets
        if flow is None or flow.is_reply or flow.port is None:
            return None
        if flow.protocol not in ("tcp", "udp"):
            return None
        target = packet.target
        if sockets is None:
            if target in self.kernel.near.forwarded.get(device, ()):
                # Who listens there was not gathered; an address that is there for forwards, on
                # a port that none takes, is answered by nobody else.
                return "refused", (
                    f"{device} refuses it: it leads packets for {target} elsewhere, and no entry "
                    f"takes {flow.protocol} port {flow.port}."
                )
            return None
        same = [s for s in sockets if s.protocol == flow.protocol and s.port == flow.port]
        if any(s.address in (None, str(target)) and target.family in s.families for s in same):
            return None
        service = f"{flow.protocol} port {flow.port}"
        if same:
            bound = ", ".join(sorted({s.address or _any(s.families) for s in same}))
            return "refused", f"{device} refuses it: {service} is bound to {bound} only."
        return "refused", f"{device} refuses it: nobody there listens on {service}."

    def _too_big(self, packet: Packet, here: Hop, to: End) -> str | None:
        size = packet.size
        far = self.kernel.near.interface(to)
        if here.wrap is not None and here.wrap.under is not None and packet.must_fit:
            room = largest_inside(self.kernel, here.wrap.under, here.wrap.tunnel.overhead)
            if room is not None and size > room:
                return (
                    f"{here.device} cannot send {size} bytes into {here.out}: its outer way leaves "
                    f"room for {room}."
                )
        if packet.must_fit and here.mtu is not None and size > here.mtu:
            return (
                f"{here.device} cannot send {size} bytes out of {here.out}: its MTU is {here.mtu}."
            )
        # What leaves in one piece, or in pieces of this side's size, must fit the far side.
        piece = min(size, here.mtu) if here.mtu is not None else size
        if size and far is not None and far.mtu is not None and piece > far.mtu:
            return f"{to} takes at most {far.mtu} bytes, and {here.device} sends {piece}."
        return None


def _passage(packet: Packet, came: Packet, hop: Hop, leaving: str | None) -> Passage:
    """A packet as the chains of a device meet it, with what the device remembers of its
    connection; `came` is the packet as it arrived."""
    assert packet.flow is not None
    status = {item.what for item in hop.rewritten}
    marks = Marks()
    if packet.is_reply:
        for known in packet.tracked:
            if known.device == hop.device:
                status |= {SOURCE} if known.came.source != known.went.source else set()
                status |= {DESTINATION} if known.came.target != known.went.target else set()
        marks.connection = dict(packet.marked).get(hop.device, 0)
    untranslated = None
    if came.flow is not None and came.ends != packet.ends:
        untranslated = Untranslated(came.source, came.target, came.flow)
    return Passage(
        hop.device,
        packet.source,
        packet.target,
        hop.arrived,
        leaving,
        packet.flow,
        frozenset(_STATUS[what] for what in status),
        untranslated,
        marks,
    )


def _marked(packet: Packet, hop: Hop) -> Packet:
    """The packet with the mark that a device keeps for its connection."""
    if hop.connection_mark is None:
        return packet
    return replace(packet, marked=(*packet.marked, hop.connection_mark))


def _any(families: tuple[int, ...]) -> str:
    return "IPv4" if families == (4,) else "IPv6"


def guards(device: Device) -> bool:
    """True if the device may stop pings for what they are, and not for where they go."""
    return (
        bool(device.rules)
        or bool(device.translations)
        or (bool(device.filters) and Filters(device).may_stop_pings())
        or any(item.mode != "off" for item in device.reverse_path)
        # The reply to what was changed on the way goes to somebody else.
        or any(item.touches == ALL for item in device.unmodelled)
    )


def _copy(hop: Hop) -> Hop:
    return hop.copy()


def loop_sentence(members: tuple[str, ...]) -> str:
    """Says who goes round."""
    if len(members) == 1:
        return f"{members[0]} sends it to itself for ever."
    if len(members) == 2:
        return f"{members[0]} and {members[1]} send it to each other for ever."
    return f"it goes round for ever: {', '.join(members)}, and again {members[0]}."


def walk(kernel: Kernel, start: str, packet: Packet, wanted: frozenset[str] = frozenset()) -> Leg:
    """Walks one leg from a device.

    Args:
        kernel: what each device does.
        start: the device that sends the packet.
        packet: what it sends.
        wanted: the devices meant by the target; another that takes it is the wrong host.

    Returns:
        The leg. At most LISTED branches are kept, among them one for each way to end.
    """
    walker = _Walker(kernel, packet, wanted)
    kept: list[Branch] = []
    spare: list[Branch] = []
    seen: set[str] = set()
    count = 0
    for branch in walker.branches(start):
        count += 1
        if branch.verdict not in seen:
            seen.add(branch.verdict)
            kept.append(branch)
        elif len(spare) < LISTED:
            spare.append(branch)
        if count >= _EXPLORED:
            break
    kept += spare[: max(0, LISTED - len(kept))]
    return Leg(kept, count, list(walker.caveats), start)
