"""Whether a session's packets arrive, asked of the kernel that every packet is followed with.

There is no walk of BGP's own: what a path says of the same packet cannot be another answer
(tests/core/test_reaching.py).
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from ...network.addressing import Address
from ...network.facts import Device, End, Network
from ...step.filters import DROP, REJECT, Decision, Flow
from ...step.legs import Branch, Leg, passed_by
from ...step.links import Links
from ...step.near import Neighbourhood
from ...step.packet import Packet
from ...step.routes import Route
from ...step.table import Lookup, Table, TableKey
from ...step.tunnels import Ways
from ...step.unsaid import source_for
from ...step.verdicts import DELIVERED
from ...step.walk import walk

OWN = Flow("tcp", 179)
_FURTHEST = 64


class Talk(NamedTuple):
    """The ends of a session as one of its speakers opens it."""

    speaker: str
    source: Address | None
    target: Address | None
    peer: str


class Sent(NamedTuple):
    """What becomes of one speaker's packets: of those that open a session, and of its answers."""

    hops: int | None
    """How many links they cross; None if none arrive."""
    arrives: tuple[bool, bool]
    """Whether they find the way, whatever filters say."""
    stopped: tuple[Decision | None, Decision | None]
    """What filter stops them."""


class Reaching:
    """Answers "does a packet from here reach that address, and over how many links", for the
    tables of one round."""

    def __init__(
        self,
        network: Network,
        links: Links,
        tables: Mapping[TableKey, Table],
    ) -> None:
        self.links, self._tables = links, tables
        self.kernel = Ways(network, links, tables)
        self._lookups: dict[TableKey, Lookup] = {}
        self._choosy = bool(self.kernel.filters or self.kernel.rules) or any(
            device.translations or device.reverse_path for device in network.devices
        )

    @property
    def near(self) -> Neighbourhood:
        return self.kernel.near

    @property
    def devices(self) -> dict[str, Device]:
        return self.kernel.devices

    def owns(self, device: str, address: Address) -> bool:
        return any(end.device == device for end in self._holders(address))

    def owners_for(self, device: str, address: Address) -> list[End]:
        """Who holds an address, as a device means it: an address of one of its own links is looked
        for there and nowhere else, because it may live on other links too."""
        held = self._holders(address)
        if not held:
            return held
        links = [
            End(device, interface.name)
            for interface in self.devices[device].interfaces
            if any(fact.connected.contains(address) for fact in interface.addresses)
        ]
        if not links:
            return held
        near = {end for link in links for end in self._beside(link)}
        return [end for end in held if end in near or end.device == device]

    def _holders(self, address: Address) -> list[End]:
        if address.is_link_local and address.family == 6:
            return [end for end, held in self.near.link_local if held == address]
        return [owner.end for owner in self.near.owners.get(address, ()) if owner.active]

    def _beside(self, end: End) -> tuple[End, ...]:
        segment = self.links.segment_of.get(end)
        return segment.ends if segment is not None else ()

    def route(self, device: str, target: Address) -> Route | None:
        """The route of a device's table; what its packets obey may be another one."""
        key = (device, target.family)
        lookup = self._lookups.get(key)
        if lookup is None:
            lookup = self._lookups[key] = Lookup(self._tables[key].best)
        return lookup(target)

    def source(self, device: str, target: Address) -> Address | None:
        """The address a device sends from towards a target, left to itself."""
        return source_for(self.kernel, device, target, OWN)

    def session(self, mine: Talk, theirs: Talk) -> Sent:
        """What becomes of one speaker's packets: with `mine` it opens the session, and `theirs`,
        which the other opens it with, it answers."""
        opens = self._sent(mine, OWN)
        answer = Talk(mine.speaker, theirs.target, theirs.source, theirs.speaker)
        flow = OWN
        if self._choosy and theirs.source is not None and theirs.target is not None:
            asked = Packet(theirs.target, theirs.source, flow=OWN)
            flow = OWN.back(passed_by(self._walk(theirs.speaker, asked, mine.speaker)))
        elif answer == mine:
            return Sent(opens[0], (opens[0] is not None,) * 2, (opens[1],) * 2)
        answers = self._sent(answer, flow)
        hops = opens[0] if opens[0] is not None else answers[0]
        return Sent(hops, (opens[0] is not None, answers[0] is not None), (opens[1], answers[1]))

    def _sent(self, talk: Talk, flow: Flow) -> tuple[int | None, Decision | None]:
        """Over how many links packets of one kind arrive, and what filter stops them; the number
        is told although a filter stops them."""
        if talk.target is None:
            return None, None
        plain = Packet(talk.target, talk.source)
        if not self._choosy or talk.source is None:
            return _length(self._arrives(talk, plain)), None
        # A rule may ask for the port, a check for the way back, and a rewritten packet is none of
        # the neighbour that the other side knows.
        packet = Packet(talk.target, talk.source, flow=flow)
        branch = self._arrives(talk, packet)
        if branch is not None:
            return _length(branch), None
        stopped = _stopping(self._walk(talk.speaker, packet, talk.peer))
        return (None if stopped is None else _length(self._arrives(talk, plain))), stopped

    def _walk(self, start: str, packet: Packet, peer: str) -> Leg:
        return walk(self.kernel, start, packet, frozenset((peer,)))

    def _arrives(self, talk: Talk, packet: Packet) -> Branch | None:
        """The first branch that brings a packet to the peer as it was sent."""
        for branch in self._walk(talk.speaker, packet, talk.peer).branches:
            if branch.verdict != DELIVERED or branch.last.device != talk.peer:
                continue
            if branch.packet is None or branch.packet.ends == packet.ends:
                return branch
        return None

    def leaves_by(self, start: str, target: Address) -> End | None:
        """The end by which packets to the target leave what was surveyed, where nobody knows who
        is there; None if they do not."""
        current, arrived = start, None
        for _ in range(_FURTHEST):
            if self.devices[current].role == "unread":
                return arrived
            route = self.kernel.matching(current, target)
            if route is None or not route.next_hops or route.next_hops[0].action != "forward":
                return None
            hop = route.next_hops[0]
            end = End(current, hop.interface or "")
            segment = self.links.segment_of.get(end)
            if segment is None or segment.unread:
                return end if self.links.is_up(end) else None
            fate = next((f for f in self.kernel.along(current, route, hop, target) if f.to), None)
            if fate is None or fate.to is None:
                return end if self._strange(segment.ends, hop.address or target) else None
            arrived, current = end, fate.to.device
        return None

    def _strange(self, ends: tuple[End, ...], address: Address) -> bool:
        """True if an address of a link is that of a device that nobody could read."""
        held = {owner.end.device for owner in self.near.owners.get(address, ())}
        return any(end.device in held and self.devices[end.device].role == "unread" for end in ends)


def _length(branch: Branch | None) -> int | None:
    return None if branch is None else len(branch.hops) - 1


def _stopping(leg: Leg) -> Decision | None:
    """The filter that ends a leg, if one does."""
    for branch in leg.branches:
        held = branch.last.filters
        if branch.verdict != DELIVERED and held and held[-1].verdict in (DROP, REJECT):
            return held[-1]
    return None
