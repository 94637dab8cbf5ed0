"""Which pairs of speakers come to talk: their ends found, put together and judged.

RFC 4271, section 8 (the session's states).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ...network.addressing import Address
from ...network.bgp import BgpNeighbour, BgpProcess
from ...network.facts import Device, End, Network
from ...step.links import Links
from ..gates import Relation, Side, judge
from ..identity import router_id
from .ends import BgpEnd
from .found import local_address, statements, with_neighbours
from .gates import ESTABLISHED, GATES, family_gate, near_gate, policy_gate
from .reaching import Reaching, Talk


@dataclass(slots=True)
class Session:
    """Two speakers that talk; `left` and `right` in the order of their names."""

    left: BgpEnd
    right: BgpEnd
    families: tuple[int, ...]


def callers(network: Network) -> dict[str, tuple[tuple[Device, BgpNeighbour], ...]]:
    """Routers without BGP, each with the speakers that name it as neighbour and their words.

    An address may live on several links that never meet: an address of a speaker's own link is
    looked for there and nowhere else.
    """
    owners: dict[Address, list[Device]] = {}
    for device in network.devices:
        for interface in device.interfaces:
            for fact in interface.addresses:
                owners.setdefault(fact.address, []).append(device)
    beside: dict[End, set[str]] = {}
    for segment in network.segments:
        for end in segment.ends:
            beside.setdefault(end, set()).update(other.device for other in segment.ends)
    out: dict[str, tuple[tuple[Device, BgpNeighbour], ...]] = {}
    for device in network.devices:
        for neighbour in statements(device):
            address = neighbour.address
            if address is None or (neighbour.shutdown and neighbour.shutdown.value):
                continue
            links = [
                End(device.name, interface.name)
                for interface in device.interfaces
                if any(fact.connected.contains(address) for fact in interface.addresses)
            ]
            near = {name for link in links for name in beside.get(link, ())}
            found = [d for d in owners.get(address, ()) if not links or d.name in near]
            if len(found) == 1 and found[0].routing.one(BgpProcess) is None:
                name = found[0].name
                out[name] = (*out.get(name, ()), (device, neighbour))
    return out


def find(
    network: Network, links: Links, reaching: Reaching, torn: set[tuple[str, str]]
) -> tuple[list[Session], list[Relation]]:
    """All sessions that come up, and the relation of every pair that is configured.

    Args:
        network: the devices.
        links: the state of their links.
        reaching: what is asked of the tables of this round.
        torn: (device, peer address) of sessions that a prefix limit tears down.
    """
    speakers = with_neighbours(network, links, reaching)
    sessions: list[Session] = []
    relations: list[Relation] = []
    for left, right in _pairs(speakers, reaching):
        ends = tuple(
            _end(device, neighbour, peer, other, reaching, links, torn)
            for device, neighbour, peer, other in (
                (left[0], left[1], right[0], right[1]),
                (right[0], right[1], left[0], left[1]),
            )
        )
        outcome = judge(GATES, ends[0], ends[1])
        gates = list(outcome.gates)
        families = tuple(f for f in (4, 6) if all(e.active_in(f) for e in ends))
        wanted = [f for f in (4, 6) if any(e.active_in(f) for e in ends)]
        for family in wanted:
            gates.append(family_gate(ends[0], ends[1], family))
        if ends[0].local_as != ends[1].local_as and not (ends[0].member and ends[1].member):
            for family in families:
                judged = policy_gate(ends[0], ends[1], family)
                gates.append(judged)
            gates.append(near_gate(ends[0], ends[1]))
        peer_family = ends[0].peer.family if ends[0].peer else 4
        if any(end.link is not None for end in ends) and wanted:
            peer_family = wanted[0]  # link-local addresses carry either family's routes
        state = outcome.stuck or (ESTABLISHED, ESTABLISHED)
        relation = Relation(
            "bgp",
            peer_family,
            _side(ends[0], state[0]),
            _side(ends[1], state[1]),
            gates,
            outcome.up,
            carries_both=True,
            ends=(ends[0], ends[1]),
        )
        relations.append(relation)
        if outcome.up and families:
            sessions.append(Session(ends[0], ends[1], families))
    return sessions, relations


_Half = tuple[Device, BgpNeighbour | None]


def _pairs(speakers: dict[str, Device], reaching: Reaching) -> Iterable[tuple[_Half, _Half]]:
    """Neighbour statements that belong together; one without a counterpart stands alone."""
    out: list[tuple[_Half, _Half]] = []
    used: set[tuple[str, int]] = set()
    strays: list[tuple[Device, BgpNeighbour]] = []
    for name, device in sorted(speakers.items()):
        for neighbour in statements(device):
            if (name, id(neighbour)) in used or neighbour.address is None:
                continue
            if neighbour.far is not None:
                owners = {neighbour.far[0]}
            else:
                owners = {end.device for end in reaching.owners_for(device.name, neighbour.address)}
            owner = next((o for o in sorted(owners) if o in speakers and o != name), None)
            if owner is None:
                strays.append((device, neighbour))
                continue
            back = [
                n
                for n in statements(speakers[owner])
                if n.address is not None
                and (owner, id(n)) not in used
                and (reaching.owns(name, n.address) if n.far is None else n.far[0] == name)
            ]
            source = local_address(device, neighbour, reaching)
            wire = (name, neighbour.interface.value) if neighbour.interface else None
            back.sort(key=lambda n: (n.far != wire, n.address != source))
            found = back[0] if back else None
            used.add((name, id(neighbour)))
            if found is not None:
                used.add((owner, id(found)))
            out.append(((device, neighbour), (speakers[owner], found)))
    # A statement whose address nobody has belongs to the one that waits for us, if any.
    for device, neighbour in strays:
        match = next(
            (pair for pair in out if pair[1][1] is None and pair[1][0].name == device.name),
            None,
        )
        if match is not None:
            out[out.index(match)] = (match[0], (device, neighbour))
    return out


def _end(
    device: Device,
    neighbour: BgpNeighbour | None,
    peer: Device,
    theirs: BgpNeighbour | None,
    reaching: Reaching,
    links: Links,
    torn: set[tuple[str, str]],
) -> BgpEnd:
    process = device.routing.one(BgpProcess)
    assert process is not None
    address = neighbour.address if neighbour else None
    if address is None and theirs is not None:
        address = local_address(peer, theirs, reaching)
    source = local_address(device, neighbour, reaching) if neighbour else None
    if neighbour is None and theirs is not None:
        source = theirs.address
    local_as, member = _known_as(process, neighbour, peer.routing.one(BgpProcess))
    their_address = theirs.address if theirs else source
    their_source = local_address(peer, theirs, reaching) if theirs else address
    sent = reaching.session(
        Talk(device.name, source, address, peer.name),
        Talk(peer.name, their_source, their_address, device.name),
    )
    why = _why_not_open(device, process, neighbour, address, local_as, reaching)
    link = None
    if neighbour is not None and neighbour.far is not None and neighbour.interface is not None:
        link = neighbour.interface.value
        heard = links.hears(End(device.name, link)) and links.hears(End(*neighbour.far))
        sent = sent._replace(hops=1 if heard else None, arrives=(heard, heard))
        why = None if heard else f"{link} is down"
        if neighbour.passive is not None and neighbour.passive.value:
            why = "passive"
    line = None
    if neighbour is not None:
        line = neighbour.update_source.source if neighbour.update_source else neighbour.source
    return BgpEnd(
        device,
        process,
        neighbour,
        address,
        source,
        line,
        router_id(device, process.router_id, links),
        sent.hops,
        why is None,
        why or "",
        local_as,
        neighbour is not None and (device.name, str(neighbour.address)) in torn,
        sent.stopped,
        neighbour is None
        or link is not None
        or not _bound_to_link(process, neighbour, local_as)
        or _connected(device, address, reaching),
        link,
        member,
        sent.arrives,
    )


def _known_as(
    process: BgpProcess, neighbour: BgpNeighbour | None, peer: BgpProcess | None = None
) -> tuple[int, bool]:
    """The number by which a neighbour knows this system, and whether both are members of one
    confederation (RFC 5065, 3: outside, the confederation has one number).

    An `external` neighbour is a member if the number that it says itself is one (measured on FRR
    8.4, tests/real/test_attributes.py); without `peer` it is taken to be outside.
    """
    if neighbour is None:
        return process.number, False
    if neighbour.local_as is not None:
        return neighbour.local_as.value, False
    if process.confederation is None or neighbour.remote_as is None:
        return process.number, False
    word = neighbour.remote_as.value
    if word in ("internal", str(process.number)):
        return process.number, False
    number = int(word) if word.isdigit() else None
    if word == "external" and peer is not None:
        number = peer.number
    if number in process.members:
        return process.number, True
    return process.confederation.value, False


def _why_not_open(
    device: Device,
    process: BgpProcess,
    neighbour: BgpNeighbour | None,
    address: Address | None,
    local_as: int,
    reaching: Reaching,
) -> str | None:
    """Why a side does not open the connection itself; None if it does."""
    if neighbour is None or address is None:
        return "not configured"
    if neighbour.passive is not None and neighbour.passive.value:
        return "passive"
    route = reaching.route(device.name, address)
    if route is None:
        return f"no route to {address}"
    through_default = device.profile.resolve_via_default[address.family == 6]
    if route.prefix.is_default and not through_default:
        return f"only the default route leads to {address}"
    if _bound_to_link(process, neighbour, local_as) and not _connected(device, address, reaching):
        return f"{address} is not on a connected network"
    return None


def _connected(device: Device, address: Address | None, reaching: Reaching) -> bool:
    route = reaching.route(device.name, address) if address is not None else None
    return route is None or route.protocol in ("connected", "local")


def _bound_to_link(process: BgpProcess, neighbour: BgpNeighbour, local_as: int) -> bool:
    """True if the peer has to be on a connected network: external, and nothing says otherwise."""
    internal = neighbour.remote_as is not None and neighbour.remote_as.value in (
        "internal",
        str(local_as),
    )
    member = _known_as(process, neighbour)[1]
    return not (
        internal
        or member
        or neighbour.multihop is not None
        or neighbour.ttl_security is not None
        or process.disable_connected_check
        or (neighbour.disable_connected_check and neighbour.disable_connected_check.value)
    )


def _side(end: BgpEnd, state: str) -> Side:
    return Side(end.name, None, str(end.source) if end.source else None, state, ESTABLISHED)
