"""Which pairs of speakers come to talk: every precondition of a session, at both ends.

RFC 4271, section 8 (the session's states) and 6.2 (what an OPEN must say); RFC 5082
(hop limits). One side that can open the connection is enough.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ...network.addressing import Address
from ...network.facts import Device, End, Network
from ...network.routing import BgpNeighbour, BgpNeighbourFamily, BgpProcess, Number
from ...network.source import Source
from ..filters import DROP, REJECT, Decision, Filters, Flow, Passage
from ..gates import ROUTES, Gate, Judged, Reading, Relation, Side, judge
from ..hops import Hops
from ..identity import router_id
from ..links import Links
from .found import local_address, statements, with_neighbours

IDLE, CONNECT, ACTIVE, ESTABLISHED = "idle", "connect", "active", "established"
NO_FAMILY = BgpNeighbourFamily()


@dataclass(frozen=True, slots=True)
class BgpEnd:
    """One speaker's side of a session, as configured and as the tables carry it."""

    device: Device
    process: BgpProcess
    neighbour: BgpNeighbour | None
    peer: Address | None
    """The address this side talks to."""
    source: Address | None
    """The address it talks from."""
    source_line: Source | None
    router_id: Number | None
    hops: int | None
    """How many links its packets cross; None if they do not arrive."""
    can_open: bool
    why_not: str
    local_as: int
    down: bool = False
    """Torn down for too many prefixes."""
    on_the_way: tuple[Decision | None, Decision | None] = (None, None)
    """What stops its packets between the two ends: those that open, and those that answer."""
    near: bool = True
    """False if routes of the peer cannot be used, because it is not on a connected network."""
    link: str | None = None
    """The interface, if the two talk by link-local addresses."""
    member: bool = False
    """True if the peer is in another member system of this one's confederation."""

    @property
    def name(self) -> str:
        return self.device.name

    def ttl(self) -> int:
        n = self.neighbour
        if n is None or n.ttl_security is not None or self.expected_as() == self.local_as:
            return 255
        return n.multihop.value if n.multihop else 1

    def expected_as(self) -> int | None:
        """The AS number that this side expects of the other; -1 for any other than its own."""
        n = self.neighbour
        if n is None or n.remote_as is None:
            return None
        word = n.remote_as.value
        if word == "internal":
            return self.local_as
        return -1 if word == "external" else int(word)

    def family(self, family: int) -> BgpNeighbourFamily:
        return (
            NO_FAMILY
            if self.neighbour is None
            else (self.neighbour.families.get(family) or NO_FAMILY)
        )

    def active_in(self, family: int) -> bool:
        """True if the address family is switched on for this neighbour."""
        setting = self.family(family).active
        if setting is not None:
            return setting.value
        return family == 4 and self.process.ipv4_default


@dataclass(slots=True)
class Session:
    """Two speakers that talk; `left` and `right` in the order of their names."""

    left: BgpEnd
    right: BgpEnd
    families: tuple[int, ...]


# -- gates ---------------------------------------------------------------------------------


def _configured(end: BgpEnd, other: BgpEnd) -> Reading:
    if end.neighbour is None:
        called = str(other.source or other.name)
        if other.link is not None and other.neighbour is not None and other.neighbour.far:
            called = f"{other.neighbour.far[1]} interface"
        missing = end.process.source._replace(
            line=None,
            text=f"neighbor {called} remote-as {other.local_as}",
            missing=True,
            after=end.process.source.line,
        )
        return Reading("no neighbour statement", (missing,), False)
    return Reading(f"neighbour {end.peer}", (end.neighbour.source,), True)


def _switched_on(end: BgpEnd, _: BgpEnd) -> Reading:
    off = end.neighbour.shutdown if end.neighbour else None
    off = off or end.process.shutdown
    if off is not None and off.value:
        return Reading("shut down", (off.source,), False)
    return Reading("on", (), True)


def _address(end: BgpEnd, other: BgpEnd) -> Reading:
    owned = end.peer is not None and any(
        fact.address == end.peer for i in other.device.interfaces for fact in i.addresses
    )
    text = f"talks to {end.peer}" + ("" if owned else f", which {other.name} does not have")
    lines = (end.neighbour.source,) if end.neighbour else ()
    return Reading(text, lines, owned)


def _reachable(end: BgpEnd, other: BgpEnd) -> Reading:
    if end.hops is None:
        return Reading(f"cannot reach {end.peer}", (), -1)
    return Reading(f"reaches {end.peer}", (), end.hops)


def _source(end: BgpEnd, other: BgpEnd) -> Reading:
    expected = other.peer
    text = f"talks from {end.source}"
    if end.source != expected:
        text += f", {other.name} expects {expected}"
    return Reading(
        text,
        (end.source_line,) if end.source_line else (),
        (end.source == expected, end.can_open),
    )


def _one_side_opens(left: Reading, right: Reading) -> bool:
    # One side whose source the other expects, and that may open the connection, is enough.
    return any(all(reading.value) for reading in (left, right))


def _opens(end: BgpEnd, _: BgpEnd) -> Reading:
    n = end.neighbour
    lines = (n.passive.source,) if n and n.passive and n.passive.value else ()
    return Reading("may open" if end.can_open else end.why_not, lines, end.can_open)


OWN = Flow("tcp", 179)


def stopping(end: BgpEnd, other: BgpEnd, flow: Flow) -> Decision | None:
    """What stops the other side's packets where they come in at this one."""
    if end.source is None or other.source is None:
        return None
    arrived = next(
        (
            i.name
            for i in end.device.interfaces
            if any(f.connected.contains(other.source) for f in i.addresses)
        ),
        "",
    )
    passage = Passage(end.name, other.source, end.source, arrived, None, flow)
    found = Filters(end.device).judge(passage)
    return found[-1] if found and found[-1].verdict in (DROP, REJECT) else None


def _filter(end: BgpEnd, other: BgpEnd) -> Reading:
    """Whether the other may open the session, and whether its answers come in (port 179)."""
    opens, answers = other.on_the_way
    if end.device.filters:
        opens = opens or stopping(end, other, OWN)
        answers = answers or stopping(end, other, OWN.back(frozenset((end.name,))))
    elif opens is None and answers is None:
        return Reading("no filter", (), (True, True))
    lines = tuple(d.entry for d in (opens, answers) if d is not None and d.entry is not None)
    stop = opens or answers
    text = "lets it pass"
    if stop is not None:
        where = stop.entry.device if stop.entry is not None else end.name
        on = "" if where == end.name else f" on {where}"
        text = f"stops it in {stop.chain}{on}"
    return Reading(text, tuple(dict.fromkeys(lines)), (opens is None, answers is None))


def _hop_limit(end: BgpEnd, other: BgpEnd) -> Reading:
    n = end.neighbour
    lines = tuple(s.source for s in ((n.multihop, n.ttl_security) if n else ()) if s is not None)
    far = end.hops if end.hops is not None else 0
    security = n.ttl_security if n else None
    fits = end.ttl() >= far
    if security is not None and other.hops is not None:
        fits = fits and other.ttl() - max(0, other.hops - 1) >= 256 - security.value
    return Reading(f"hop limit {end.ttl()}, distance {far}", lines, fits)


def _password(end: BgpEnd, _: BgpEnd) -> Reading:
    word = end.neighbour.password if end.neighbour else None
    return Reading(word.value if word else "none", (word.source,) if word else ())


def _as_number(end: BgpEnd, other: BgpEnd) -> Reading:
    expected = end.expected_as()
    line = end.neighbour.remote_as if end.neighbour else None
    lines = (line.source,) if line else ()
    shown = "any other AS" if expected == -1 else f"AS {expected}"
    text = f"is AS {end.local_as}, expects {shown}"
    holds = other.local_as == expected or (expected == -1 and other.local_as != end.local_as)
    return Reading(text, (*lines, end.process.source), holds)


COUNTERPARTS = {
    "provider": "customer",
    "customer": "provider",
    "peer": "peer",
    "rs-server": "rs-client",
    "rs-client": "rs-server",
}
"""What a neighbour has to be for each role (RFC 9234, 4.2)."""


def role(end: BgpEnd) -> str | None:
    """What an end is to the other, if that is said."""
    word = end.neighbour.role if end.neighbour is not None else None
    return word.value if word is not None else None


def _role(end: BgpEnd, other: BgpEnd) -> Reading:
    word = end.neighbour.role if end.neighbour is not None else None
    mine, theirs = role(end), role(other)
    strict = end.neighbour is not None and end.neighbour.role_strict
    fits = not strict if theirs is None else mine is None or COUNTERPARTS.get(mine) == theirs
    return Reading(mine or "not said", (word.source,) if word else (), fits)


def _identity(end: BgpEnd, _: BgpEnd) -> Reading:
    found = end.router_id
    if found is None:
        return Reading("none", (), -1)
    return Reading(str(Address(4, found.value)), (found.source,), found.value)


def _prefix_limit(end: BgpEnd, _: BgpEnd) -> Reading:
    lines = tuple(
        f.maximum.source
        for f in (end.neighbour.families.values() if end.neighbour else ())
        if f.maximum is not None
    )
    return Reading("exceeded" if end.down else "not exceeded", lines, not end.down)


def _true(left: Reading, right: Reading) -> bool:
    return bool(left.value) and bool(right.value)


def _waits(end: BgpEnd) -> str:
    """The state of a side that gets no answer."""
    return CONNECT if end.can_open and end.hops is not None else ACTIVE


def _unanswered(left: BgpEnd, right: BgpEnd) -> tuple[str, str]:
    return _waits(left), _waits(right)


def _refused_by_stranger(left: BgpEnd, right: BgpEnd) -> tuple[str, str]:
    """One side is not configured: it turns the other away, which tries again and again."""
    return (ACTIVE if left.neighbour else IDLE), (ACTIVE if right.neighbour else IDLE)


def _switched_off(left: BgpEnd, right: BgpEnd) -> tuple[str, str]:
    on = [_switched_on(end, end).value for end in (left, right)]
    return (ACTIVE if on[0] else IDLE), (ACTIVE if on[1] else IDLE)


def _refused(left: BgpEnd, right: BgpEnd) -> tuple[str, str]:
    def state(end: BgpEnd) -> str:
        dynamic = end.neighbour is not None and end.neighbour.dynamic
        return IDLE if end.can_open or dynamic else ACTIVE

    return state(left), state(right)


def _limited(left: BgpEnd, right: BgpEnd) -> tuple[str, str]:
    return (IDLE if left.down else ACTIVE), (IDLE if right.down else ACTIVE)


def _ids_differ(left: Reading, right: Reading) -> bool:
    return left.value != right.value and -1 not in (left.value, right.value)


GATES: tuple[Gate[BgpEnd], ...] = (
    Gate("configured", _configured, _true, stuck=_refused_by_stranger),
    Gate("switched on", _switched_on, _true, stuck=_switched_off),
    Gate("peer address", _address, _true, stuck=_unanswered),
    Gate(
        "reachable",
        _reachable,
        lambda a, b: a.value >= 0 and b.value >= 0,
        stuck=_unanswered,
    ),
    Gate("opens the session", _opens, lambda a, b: a.value or b.value, stuck=_unanswered),
    Gate("source address", _source, _one_side_opens, stuck=_unanswered),
    Gate(
        "filter",
        _filter,
        lambda a, b: (a.value[0] and b.value[1]) or (b.value[0] and a.value[1]),
        stuck=_unanswered,
        applies=lambda a, b: bool(
            a.device.filters or b.device.filters or any(a.on_the_way) or any(b.on_the_way)
        ),
    ),
    Gate("hop limit", _hop_limit, _true, stuck=_unanswered),
    Gate("password", _password, stuck=_unanswered),
    Gate("AS number", _as_number, _true, stuck=_refused),
    Gate(
        "role",
        _role,
        _true,
        stuck=_refused,
        applies=lambda a, b: role(a) is not None or role(b) is not None,
    ),
    Gate(
        "router ids differ",
        _identity,
        _ids_differ,
        stuck=_refused,
        applies=lambda a, b: a.local_as == b.local_as,
    ),
    Gate("prefix limit", _prefix_limit, _true, stuck=_limited),
)


def _family_gate(left: BgpEnd, right: BgpEnd, family: int) -> Judged:
    def text(end: BgpEnd) -> str:
        return "on" if end.active_in(family) else "off"

    lines = tuple(
        setting.source
        for end in (left, right)
        if (setting := end.family(family).active) is not None
    )
    both = left.active_in(family) and right.active_in(family)
    return Judged(f"IPv{family} family", text(left), text(right), both, ROUTES, lines)


def _policy_gate(left: BgpEnd, right: BgpEnd, family: int) -> Judged:
    """RFC 8212: without a policy, nothing crosses between different systems."""

    def lacks(end: BgpEnd) -> list[str]:
        if not requires_policy(end):
            return []
        held = end.family(family)
        return [direction for direction in ("in", "out") if not has_policy(held, direction)]

    def text(end: BgpEnd) -> str:
        missing = lacks(end)
        if not missing:
            return "present" if requires_policy(end) else "not required"
        return "missing for " + " and ".join(missing)

    lines = tuple(
        end.process.requires_policy.source
        if end.process.requires_policy
        else end.process.source._replace(default=True, text="bgp ebgp-requires-policy")
        for end in (left, right)
        if lacks(end)
    )
    holds = not lacks(left) and not lacks(right)
    return Judged("external policy", text(left), text(right), holds, ROUTES, lines)


def _near_gate(left: BgpEnd, right: BgpEnd) -> Judged:
    """Routes of an external peer that is to be one hop away need it on a connected network:
    the session may stand all the same, opened by the other side, and its routes stay unused."""

    def text(end: BgpEnd) -> str:
        return "fine" if end.near else f"{end.peer} is on no connected network"

    lines = tuple(
        end.neighbour.source for end in (left, right) if not end.near and end.neighbour is not None
    )
    return Judged("peer near", text(left), text(right), left.near and right.near, ROUTES, lines)


def requires_policy(end: BgpEnd) -> bool:
    given = end.process.requires_policy
    return given.value if given is not None else end.device.profile.bgp.requires_policy


def has_policy(held: BgpNeighbourFamily, direction: str) -> bool:
    if direction == "in":
        kinds = (held.route_map_in, held.prefix_list_in, held.filter_list_in, held.distribute_in)
    else:
        kinds = (
            held.route_map_out,
            held.prefix_list_out,
            held.filter_list_out,
            held.distribute_out,
        )
    return any(kind is not None for kind in kinds)


def callers(network: Network) -> dict[str, tuple[tuple[Device, BgpNeighbour], ...]]:
    """Routers without BGP, each with the speakers that name it as neighbour and their words."""
    owners: dict[Address, str] = {}
    for device in network.devices:
        if device.routing.bgp is None:
            for interface in device.interfaces:
                owners |= {fact.address: device.name for fact in interface.addresses}
    out: dict[str, tuple[tuple[Device, BgpNeighbour], ...]] = {}
    for device in network.devices:
        for neighbour in statements(device):
            name = owners.get(neighbour.address) if neighbour.address is not None else None
            if name is not None and (neighbour.shutdown is None or not neighbour.shutdown.value):
                out[name] = (*out.get(name, ()), (device, neighbour))
    return out


# -- pairing -------------------------------------------------------------------------------


def find(
    network: Network, links: Links, hops: Hops, torn: set[tuple[str, str]]
) -> tuple[list[Session], list[Relation]]:
    """All sessions that come up, and the relation of every pair that is configured.

    Args:
        network: the devices.
        links: the state of their links.
        hops: the tables of this round.
        torn: (device, peer address) of sessions that a prefix limit tears down.
    """
    speakers = with_neighbours(network, links, hops)
    sessions: list[Session] = []
    relations: list[Relation] = []
    for left, right in _pairs(speakers, hops):
        ends = tuple(
            _end(device, neighbour, peer, other, hops, links, torn)
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
            gates.append(_family_gate(ends[0], ends[1], family))
        if ends[0].local_as != ends[1].local_as and not (ends[0].member and ends[1].member):
            for family in families:
                judged = _policy_gate(ends[0], ends[1], family)
                gates.append(judged)
            gates.append(_near_gate(ends[0], ends[1]))
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
            (ends[0], ends[1]),
        )
        relations.append(relation)
        if outcome.up and families:
            sessions.append(Session(ends[0], ends[1], families))
    return sessions, relations


_Half = tuple[Device, BgpNeighbour | None]


def _pairs(speakers: dict[str, Device], hops: Hops) -> Iterable[tuple[_Half, _Half]]:
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
                owners = {end.device for end in hops.owners.get(neighbour.address, ())}
            owner = next((o for o in sorted(owners) if o in speakers and o != name), None)
            if owner is None:
                strays.append((device, neighbour))
                continue
            back = [
                n
                for n in statements(speakers[owner])
                if n.address is not None
                and (owner, id(n)) not in used
                and (hops.owns(name, n.address) if n.far is None else n.far[0] == name)
            ]
            source = local_address(device, neighbour, hops)
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
    hops: Hops,
    links: Links,
    torn: set[tuple[str, str]],
) -> BgpEnd:
    process = device.routing.bgp
    assert process is not None
    address = neighbour.address if neighbour else None
    if address is None and theirs is not None:
        address = local_address(peer, theirs, hops)
    source = local_address(device, neighbour, hops) if neighbour else None
    if neighbour is None and theirs is not None:
        source = theirs.address
    local_as, member = _known_as(process, neighbour)
    far = hops.count(device.name, address) if address is not None else None
    why = _why_not_open(device, process, neighbour, address, local_as, hops)
    link = None
    if neighbour is not None and neighbour.far is not None and neighbour.interface is not None:
        link = neighbour.interface.value
        heard = links.hears(End(device.name, link)) and links.hears(End(*neighbour.far))
        far = 1 if heard else None
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
        far,
        why is None,
        why or "",
        local_as,
        neighbour is not None and (device.name, str(neighbour.address)) in torn,
        _stopped_between(device.name, source, address, hops),
        neighbour is None
        or link is not None
        or not _bound_to_link(process, neighbour, local_as)
        or _connected(device, address, hops),
        link,
        member,
    )


def _known_as(process: BgpProcess, neighbour: BgpNeighbour | None) -> tuple[int, bool]:
    """The number by which a neighbour knows this system, and whether both are members of one
    confederation (RFC 5065, 3: outside, the confederation has one number)."""
    if neighbour is None:
        return process.number, False
    if neighbour.local_as is not None:
        return neighbour.local_as.value, False
    if process.confederation is None or neighbour.remote_as is None:
        return process.number, False
    word = neighbour.remote_as.value
    if word in ("internal", str(process.number)):
        return process.number, False
    if word.isdigit() and int(word) in process.members:
        return process.number, True
    return process.confederation.value, False


def _why_not_open(
    device: Device,
    process: BgpProcess,
    neighbour: BgpNeighbour | None,
    address: Address | None,
    local_as: int,
    hops: Hops,
) -> str | None:
    """Why a side does not open the connection itself; None if it does."""
    if neighbour is None or address is None:
        return "not configured"
    if neighbour.passive is not None and neighbour.passive.value:
        return "passive"
    route = hops.route(device.name, address)
    if route is None:
        return f"no route to {address}"
    through_default = device.profile.resolve_via_default[address.family == 6]
    if route.prefix.is_default and not through_default:
        return f"only the default route leads to {address}"
    if _bound_to_link(process, neighbour, local_as) and not _connected(device, address, hops):
        return f"{address} is not on a connected network"
    return None


def _stopped_between(
    start: str, source: Address | None, target: Address | None, hops: Hops
) -> tuple[Decision | None, Decision | None]:
    """What filters of the routers between two speakers do to the packets of one of them."""
    way = hops.way(start, target) if source is not None and target is not None else None
    out: list[Decision | None] = [None, None]
    passed: set[str] = set()
    for here in way[1:-1] if way is not None else ():
        device = hops.devices[here.device]
        passed.add(here.device)
        if not device.filters or target is None:
            continue
        for number, flow in enumerate((OWN, OWN.back(frozenset(passed)))):
            packet = Passage(here.device, source, target, here.arrived, here.leaving, flow)
            found = Filters(device).judge(packet)
            if out[number] is None and found and found[-1].verdict in (DROP, REJECT):
                out[number] = found[-1]
    return out[0], out[1]


def _connected(device: Device, address: Address | None, hops: Hops) -> bool:
    route = hops.route(device.name, address) if address is not None else None
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
