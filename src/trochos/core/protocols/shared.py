"""Who holds the addresses that routers share (VRRP: RFC 3768, RFC 5798).

On a link, routers that hear each other elect the one of highest priority; of equal ones whoever
was first stays, which is not in their texts, and so it is where a better one may not preempt. Those
that do not hear each other (another router id, version, secret, other addresses or another link)
each hold what they share. Measured on keepalived 2.2.7 (tests/core/test_shared.py,
tests/real/test_shared.py): adverts with other addresses are refused, and in version 2 those with
another interval.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from ..network.addressing import Address
from ..network.facts import AddressFact, Device, End, Network
from ..network.mends import Restate
from ..network.shared import NAME, SharedGateway
from ..network.source import incomparable
from ..step.connected import address_is_active
from ..step.links import Links
from ..step.shares import effective_priority
from .gates import NOTHING, Gate, Reading, Relation, Side, judge

Part = tuple[Device, SharedGateway]
HOLDS, WAITS = "holder", "waiting"


def with_holders(network: Network) -> Network:
    """The network in which each shared address stands at whoever holds it."""
    if not any(device.shared for device in network.devices):
        return network
    links = Links(network)
    held: dict[End, list[AddressFact]] = {}
    for device, gateway in holders(network, links):
        end = End(device.name, gateway.place)
        held.setdefault(end, []).extend(
            AddressFact(value, source, captured=True) for value, source in gateway.addresses
        )
    devices = []
    for device in network.devices:
        interfaces = tuple(
            replace(i, addresses=(*i.addresses, *held[End(device.name, i.name)]))
            if End(device.name, i.name) in held
            else i
            for i in device.interfaces
        )
        changed = any(End(device.name, i.name) in held for i in device.interfaces)
        devices.append(replace(device, interfaces=interfaces) if changed else device)
    return replace(network, devices=tuple(devices))


def holders(network: Network, links: Links) -> list[Part]:
    """Every (router, its part) that holds its addresses; parts in doubt never do."""
    taking: list[tuple[Device, SharedGateway, int]] = []
    for device in network.devices:
        for gateway in device.shared:
            priority = effective_priority(device, gateway, links)
            if priority is not None and not in_doubt(device, gateway, network, links):
                taking.append((device, gateway, priority))
    unsure = {
        value.address
        for device in network.devices
        for gateway in device.shared
        if in_doubt(device, gateway, network, links)
        for value, _ in gateway.addresses
    }
    out = []
    for device, gateway, priority in taking:
        if any(value.address in unsure for value, _ in gateway.addresses):
            continue
        mine = (priority, _primary(device, gateway))
        rivals = [
            (other_priority, _primary(other, theirs), theirs)
            for other, theirs, other_priority in taking
            if other is not device and hears((device, gateway), (other, theirs), links)
        ]
        if any(_by_chance(priority, gateway, r[0], r[2]) for r in rivals):
            continue
        if any(
            other is not device and _may_hear((device, gateway), (other, theirs), links)
            for other, theirs, _ in taking
        ):
            continue
        if all(mine > rival[:2] for rival in rivals):
            out.append((device, gateway))
    return out


def _by_chance(mine: int, gateway: SharedGateway, theirs: int, other: SharedGateway) -> bool:
    """True if it is not in the texts which of two holds: whoever was first stays."""
    if mine == theirs:
        return True
    if not (gateway.lax or other.lax):
        return False
    if gateway.version == 2 and gateway.interval != other.interval:
        return True  # of two intervals in version 2 it was not measured who gives in
    better = gateway if mine > theirs else other
    return not better.preempt


def in_doubt(device: Device, gateway: SharedGateway, network: Network, links: Links) -> bool:
    """True if its part is in doubt, or somebody on its link was not read and may take part."""
    if gateway.doubt is not None:
        return True
    segment = links.segment_of.get(End(device.name, gateway.interface))
    if segment is None:
        return False
    strange = {d.name for d in network.devices if d.strange}
    return bool({*segment.unread, *(end.device for end in segment.ends)} & strange)


def hears(one: Part, other: Part, links: Links) -> bool:
    """True if two routers take part in one election."""
    (device, mine), (there, theirs) = one, other
    here = links.segment_of.get(End(device.name, mine.interface))
    if here is None or End(there.name, theirs.interface) not in here.ends:
        return False
    if bool(mine.peers) != bool(theirs.peers):
        return False
    if mine.peers and not (_among(there, mine.peers) and _among(device, theirs.peers)):
        return False
    return (
        mine.router_id == theirs.router_id
        and mine.version == theirs.version
        and (mine.version != 2 or mine.secret == theirs.secret)
        and (_waits(mine, theirs) or mine.interval == theirs.interval)
        and (
            (mine.lax and theirs.lax)
            or {v.address for v, _ in mine.addresses} == {v.address for v, _ in theirs.addresses}
        )
    )


def _may_hear(one: Part, other: Part, links: Links) -> bool:
    """True if it is not known whether two hear each other: their passwords were marked under
    different keys."""
    mine, theirs = one[1].secret or "", other[1].secret or ""
    if mine == theirs or not incomparable(mine, theirs):
        return False
    return hears(one, (other[0], replace(other[1], secret=one[1].secret)), links)


def _waits(mine: SharedGateway, theirs: SharedGateway) -> bool:
    """True if adverts with another interval are taken (of which the lax ones are not known, see
    `_by_chance`)."""
    return mine.version != 2 or mine.lax or theirs.lax


# -- both ends compared ----------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class SharedEnd:
    """One router's part, as the gates of shared addresses see it."""

    device: Device
    part: SharedGateway
    up: bool
    segment: object
    """What it speaks on; None where nothing is known to be there."""

    def reading(self, text: str | None, word: str, value: object = None) -> Reading:
        """What it says of a setting, with the line that says so."""
        line = self.part.line(word)
        default = self.part.source._replace(text=f"{word} {text}", default=True)
        return Reading(text, (line or default,), value)


def _link(end: SharedEnd, other: SharedEnd) -> Reading:
    text = f"{end.part.interface}"
    return end.reading(text, "interface", (id(end.segment),))


def _addresses(end: SharedEnd, other: SharedEnd) -> Reading:
    held = sorted(value.address for value, _ in end.part.addresses)
    return Reading(
        ", ".join(map(str, held)), tuple(source for _, source in end.part.addresses), tuple(held)
    )


def _peers(end: SharedEnd, other: SharedEnd) -> Reading:
    """Whether it speaks with the other one: to all on its link, or to named ones."""
    peers = end.part.peers
    if not peers and not other.part.peers:
        return end.reading("all", "unicast_peer", True)
    fits = bool(peers) and _among(other.device, peers)
    return end.reading(", ".join(map(str, peers)) or "all", "unicast_peer", fits)


def _tracks(end: SharedEnd, other: SharedEnd) -> Reading:
    text = ", ".join(f"{t.interface} {t.weight:+}" for t in end.part.tracked)
    lines = tuple(t.source for t in end.part.tracked) or (end.part.source,)
    return Reading(text or "nothing", lines, bool(end.part.tracked))


GATES: tuple[Gate[SharedEnd], ...] = (
    Gate(
        "line",
        lambda end, other: Reading("up" if end.up else "down", (end.part.source,), end.up),
        lambda left, right: left.value and right.value,
        no_mend="a line that is down has a finding of its own",
    ),
    Gate(
        "link",
        _link,
        # The end that speaks elsewhere than where its address is.
        mend=lambda end, other: Restate("interface", end.part.place) if end.part.on else None,
    ),
    Gate(
        "router id",
        lambda end, other: end.reading(str(end.part.router_id), "virtual_router_id"),
        mend=lambda end, other: Restate("virtual_router_id", str(other.part.router_id)),
    ),
    Gate(
        "version",
        lambda end, other: end.reading(str(end.part.version), "version"),
        mend=lambda end, other: Restate("version", str(other.part.version)),
    ),
    Gate(
        "authentication",
        lambda end, other: end.reading(end.part.secret or "none", "auth_pass"),
        applies=lambda a, b: a.part.version == 2 and b.part.version == 2,
        mend=lambda end, other: Restate("auth_pass", other.part.secret or ""),
    ),
    Gate(
        "interval",
        lambda end, other: end.reading(f"{end.part.interval:g} s", "advert_int"),
        applies=lambda a, b: not _waits(a.part, b.part),
        mend=lambda end, other: Restate("advert_int", f"{other.part.interval:g}"),
    ),
    Gate(
        "unicast peers",
        _peers,
        lambda left, right: left.value and right.value,
        no_mend="whom a router should speak with, and over which way, is a matter of design",
    ),
    Gate(
        "addresses",
        _addresses,
        applies=lambda a, b: not (a.part.lax and b.part.lax),
        mend=lambda end, other: Restate(
            "virtual_ipaddress", " ".join(str(value) for value, _ in other.part.addresses)
        ),
    ),
    Gate(
        "tracked",
        _tracks,
        stops=NOTHING,
        no_mend="what tells that a router has no way out is a matter of design",
    ),
)
"""What routers that share an address have to agree on, in the order in which they meet it."""


def relations(network: Network, links: Links) -> list[Relation]:
    """Every pair of routers that are to share an address."""
    parts = [
        SharedEnd(
            device,
            part,
            links.is_up(End(device.name, part.interface)),
            links.segment_of.get(End(device.name, part.interface)),
        )
        for device in network.devices
        for part in device.shared
        if part.idle is None
    ]
    held = {(device.name, id(part)) for device, part in holders(network, links)}
    out = []
    for number, left in enumerate(parts):
        for right in parts[number + 1 :]:
            if left.device is right.device or not _meant(left, right, network, links):
                continue
            outcome = judge(GATES, left, right)
            holds = [(end.device.name, id(end.part)) in held for end in (left, right)]
            ranks = [
                (effective_priority(e.device, e.part, links) or 0, _primary(e.device, e.part))
                for e in (left, right)
            ]
            # Where both hold it or none does, the one that would win an election should.
            should = [ranks[0] > ranks[1], ranks[1] > ranks[0]]
            if holds[0] != holds[1]:
                should = holds
            one, two = (_side(*item) for item in zip((left, right), holds, should, strict=True))
            family = left.part.addresses[0][0].address.family
            both = (left, right)
            out.append(Relation(NAME, family, one, two, outcome.gates, outcome.up, ends=both))
    return out


def _meant(left: SharedEnd, right: SharedEnd, network: Network, links: Links) -> bool:
    """True if two parts are about one address of one link, or one virtual router there."""
    ends = [links.segment_of.get(End(e.device.name, e.part.place)) for e in (left, right)]
    if ends[0] is None or ends[0] is not ends[1]:
        return False
    theirs = {value.address for value, _ in right.part.addresses}
    if any(value.address in theirs for value, _ in left.part.addresses):
        return True
    return left.segment is right.segment and left.part.router_id == right.part.router_id


def _side(end: SharedEnd, holds: bool, should: bool) -> Side:
    address = str(end.part.addresses[0][0].address)
    states = [HOLDS if held else WAITS for held in (holds, should)]
    return Side(end.device.name, end.part.interface, address, *states)


def _primary(device: Device, gateway: SharedGateway) -> int:
    """The number of the address from which a router speaks on its interface."""
    interface = device.interface(gateway.interface)
    family = gateway.addresses[0][0].address.family
    found = [
        fact.address.value
        for fact in (interface.addresses if interface is not None else ())
        if fact.address.family == family
        and (family == 4 or fact.address.is_link_local)
        and address_is_active(device, interface, fact)  # type: ignore[arg-type]
    ]
    return found[0] if found else 0


def _among(device: Device, peers: tuple[Address, ...]) -> bool:
    return any(i.has(peer) for i in device.interfaces for peer in peers)
