"""The gates between two OSPF ends, in the order in which hellos and databases meet them.

RFC 2328: 8.2 (receiving packets), 10.5 (hellos), 10.6 (database description), 9.4
(designated routers). RFC 5340: 4.2. What the routers do with ends that differ in their
network type (both become full, and no route crosses) is theirs, not the standard's.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, field
from functools import partial

from ...network.addressing import dotted
from ...network.facts import End
from ...network.routing import Word
from ...network.source import Source
from ...step.filters import Flow
from ...step.links import Links
from ..gates import FILTERED, ROUTES, Gate, Judged, Later, Outcome, Reading, Relation, Side, judge
from ..passing import any_filters, lets_pass
from ..vectors import NO_LINE
from . import mends
from .interfaces import LOOPBACK, NON_BROADCAST, POINT_TO_POINT, SHARED, OspfEnd, authentication

OWN = Flow("ospf")
DOWN, INIT, TWO_WAY = "down", "init", "two-way"
EXSTART, EXCHANGE, FULL = "exstart", "exchange", "full"


def _sources(*items: Source | None) -> tuple[Source, ...]:
    return tuple(item for item in items if item is not None)


def _line(end: OspfEnd, _: OspfEnd) -> Reading:
    return Reading(
        end.why_deaf or "up",
        _sources(None if end.up else end.interface.enabled_source),
        end.why_deaf is None,
    )


def _enabled(end: OspfEnd, _: OspfEnd) -> Reading:
    if end.area is None:
        missing = end.process.source._replace(
            line=None,
            text=_missing_statement(end),
            missing=True,
            after=_last_line(end),
        )
        return Reading("no statement covers it", (missing,), False)
    return Reading(end.area.source.text, (end.area.source,), True)


def _missing_statement(end: OspfEnd) -> str:
    if end.process.version == 3 or end.fact is None:
        return f"{end.process.name} on {end.interface.name}"
    return f"network {end.fact.connected} area ..."


def _last_line(end: OspfEnd) -> int | None:
    if end.process.networks:
        return end.process.networks[-1].source.line
    return end.process.source.line


def _speaks(end: OspfEnd, _: OspfEnd) -> Reading:
    return Reading(
        "passive" if end.passive else "not passive",
        _sources(end.passive_source if end.passive else None),
        not end.passive,
    )


def _area(end: OspfEnd, _: OspfEnd) -> Reading:
    if end.area is None:
        return Reading(None)
    return Reading(dotted(end.area.value), (end.area.source,))


def _subnet(end: OspfEnd, other: OspfEnd) -> Reading:
    fact = end.fact
    if fact is None:
        return Reading("no address", (), None)
    return Reading(str(fact.value), (fact.source,), fact)


def _same_subnet(left: Reading, right: Reading) -> bool:
    mine, theirs = left.value, right.value
    if mine == "no address" or theirs == "no address":
        return False
    return bool(mine.connected.contains(theirs.address) and theirs.connected.contains(mine.address))


def _takes(end: OspfEnd, other: OspfEnd) -> Reading:
    """Point to point: whether an end takes packets that come from the other's address."""
    found = _subnet(end, other)
    takes = (
        not end.hears_own_subnet_only
        or end.unnumbered
        or end.fact is None
        or (other.fact is not None and end.fact.connected.contains(other.fact.address))
    )
    return Reading(found.text, found.evidence, takes)


def _one_way(left: OspfEnd, right: OspfEnd) -> tuple[str, str]:
    """The end that takes the other's hellos does not find itself in them."""
    return (
        INIT if _takes(left, right).value else DOWN,
        INIT if _takes(right, left).value else DOWN,
    )


def _mask(end: OspfEnd, _: OspfEnd) -> Reading:
    if end.fact is None:
        return Reading(None)
    return Reading(f"/{end.fact.value.length}", (end.fact.source,))


def _auth_type(end: OspfEnd, _: OspfEnd) -> Reading:
    word = authentication(end)
    return Reading(word.value, (word.source,))


def _auth_key(end: OspfEnd, _: OspfEnd) -> Reading:
    return digest_reading(authentication(end).value, end.settings.digests, end.settings.key)


def digest_reading(kind: str, digests: tuple[tuple[int, Word], ...], key: Word | None) -> Reading:
    """The keys in force for a kind of authentication, by their fingerprints."""
    if kind == "message-digest":
        if not digests:
            return Reading("no key", (), ((0, ""),))
        text = ", ".join(f"key {id_} {word.value}" for id_, word in digests)
        return Reading(
            text,
            tuple(word.source for _, word in digests),
            tuple((id_, word.value) for id_, word in digests),
        )
    return Reading(key.value if key else "no key", _sources(key.source if key else None))


def same_key(left: Reading, right: Reading) -> bool:
    """Whether two ends' keys fit."""
    if isinstance(left.value, tuple) and isinstance(right.value, tuple):
        # Each end sends with its youngest key, and the other must hold the same one.
        return bool(left.value[-1] in right.value and right.value[-1] in left.value)
    return bool(left.value == right.value)


def _timer(name: str) -> Gate[OspfEnd]:
    def read(end: OspfEnd, _: OspfEnd) -> Reading:
        given = getattr(end.settings, name)
        value = getattr(end, name)
        source = given.source if given else end.default(f"{name} interval {value} s")
        if given is None and name == "dead" and end.settings.hello is not None:
            source = end.settings.hello.source
        return Reading(f"{value} s", (source,), value)

    return Gate(f"{name} interval", read, stuck=_unheard, mend=mends.same_timer(name))


def _area_kind(end: OspfEnd, _: OspfEnd) -> Reading:
    area = end.area_facts
    source = area.kind_source or (end.area.source if end.area else None)
    return Reading(area.kind, _sources(source))


def _finds(end: OspfEnd, other: OspfEnd) -> Reading:
    """Without multicast, one of two ends has to list the other and to call first, which one
    that may not become the designated router does not (RFC 2328, 9.5.1)."""
    found = next((n for n in end.process.neighbours if n.address == other.address), None)
    if found is None:
        missing = end.process.source._replace(
            line=None, text=f"neighbor {other.address}", missing=True, after=_last_line(end)
        )
        return Reading(f"does not list {other.address}", (missing,), False)
    if not end.priority:
        lines = _sources(end.settings.priority.source if end.settings.priority else None)
        return Reading("lists it, and waits to be called", (found.source, *lines), False)
    return Reading(f"lists {found.address}", (found.source,), True)


def _identity(end: OspfEnd, _: OspfEnd) -> Reading:
    if end.router_id is None:
        return Reading("none", (end.process.source,), -1)
    return Reading(dotted(end.router_id.value), (end.router_id.source,), end.router_id.value)


def _instance(end: OspfEnd, _: OspfEnd) -> Reading:
    instance = end.settings.instance
    if instance is None:
        return Reading("0", (end.default("instance 0"),))
    return Reading(str(instance.value), (instance.source,))


def _link_local(end: OspfEnd, _: OspfEnd) -> Reading:
    lines = _sources(end.interface.source) if end.address is None else ()
    return Reading(str(end.address) if end.address else "none", lines, end.address is not None)


def _mtu(end: OspfEnd, _: OspfEnd) -> Reading:
    given = end.settings.mtu
    mtu = given.value if given else end.interface.mtu
    source = given.source if given else end.interface.mtu_source or end.interface.source
    ignores = end.settings.ignores_mtu
    text = "not known" if mtu is None else str(mtu)
    if ignores and ignores.value:
        return Reading(f"{text}, ignored", _sources(source, ignores.source), (mtu, True))
    return Reading(text, _sources(source), (mtu, False))


def _mtu_fits(left: Reading, right: Reading) -> bool:
    (mine, ignored_here), (theirs, ignored_there) = left.value, right.value
    if mine is None or theirs is None or mine == theirs:
        return True
    # The end with the smaller MTU refuses what the larger one announces.
    return bool(ignored_here if mine < theirs else ignored_there)


def _mtu_stuck(left: OspfEnd, right: OspfEnd) -> tuple[str, str]:
    if left.process.version == 3:
        return EXSTART, EXSTART
    if (left.interface.mtu or 0) < (right.interface.mtu or 0):
        return EXSTART, EXCHANGE
    return EXCHANGE, EXSTART


def _kind(end: OspfEnd, _: OspfEnd) -> Reading:
    given = end.settings.network_type
    source = given.source if given else end.default(f"network type {end.network_type}")
    return Reading(end.network_type, (source,))


def _unheard(left: OspfEnd, right: OspfEnd) -> tuple[str, str]:
    return DOWN, DOWN


def _shared(left: OspfEnd, right: OspfEnd) -> bool:
    """True if at least one end treats the link as one with many, and compares subnets."""
    return left.network_type in SHARED or right.network_type in SHARED


def _v2(left: OspfEnd, right: OspfEnd) -> bool:
    return left.process.version == 2


def _v3(left: OspfEnd, right: OspfEnd) -> bool:
    return left.process.version == 3


def _true(left: Reading, right: Reading) -> bool:
    return bool(left.value) and bool(right.value)


GATES: tuple[Gate[OspfEnd], ...] = (
    Gate("line", _line, _true, stuck=_unheard, no_mend=NO_LINE),
    Gate("enabled", _enabled, _true, stuck=_unheard, mend=mends.run),
    Gate("not passive", _speaks, _true, stuck=_unheard, mend=mends.speak),
    Gate("filter", lets_pass(OWN), _true, stuck=_unheard, applies=any_filters, no_mend=FILTERED),
    Gate(
        "link-local address",
        _link_local,
        _true,
        stuck=_unheard,
        applies=_v3,
        no_mend="a device makes that address itself; its text does not say why it has none",
    ),
    Gate("instance", _instance, stuck=_unheard, applies=_v3, mend=mends.same_instance),
    Gate(
        "neighbour listed",
        _finds,
        lambda left, right: left.value or right.value,
        stuck=_unheard,
        applies=lambda a, b: a.network_type == b.network_type == NON_BROADCAST,
        mend=mends.listed,
    ),
    Gate("area", _area, stuck=_unheard, mend=mends.into_area),
    Gate(
        "subnet",
        _subnet,
        _same_subnet,
        stuck=_unheard,
        applies=lambda a, b: _v2(a, b) and _shared(a, b),
        mend=mends.into_subnet,
    ),
    Gate(
        "subnet",
        _takes,
        _true,
        stuck=_one_way,
        applies=lambda a, b: (
            _v2(a, b) and not _shared(a, b) and (a.hears_own_subnet_only or b.hears_own_subnet_only)
        ),
        mend=mends.into_subnet,
    ),
    Gate("authentication type", _auth_type, stuck=_unheard, mend=mends.same_keys),
    Gate(
        "authentication key",
        _auth_key,
        same_key,
        stuck=_unheard,
        applies=lambda a, b: authentication(a).value == authentication(b).value != "none",
        mend=mends.same_keys,
    ),
    Gate(
        "mask",
        _mask,
        stuck=_unheard,
        applies=lambda a, b: _v2(a, b) and _shared(a, b),
        mend=mends.into_subnet,
    ),
    _timer("hello"),
    _timer("dead"),
    Gate("area type", _area_kind, stuck=_unheard, mend=mends.same_kind_of_area),
    Gate(
        "router ids differ",
        _identity,
        lambda left, right: left.value != right.value and -1 not in (left.value, right.value),
        stuck=_unheard,
        mend=mends.own_router_id,
    ),
    Gate("MTU", _mtu, _mtu_fits, stuck=_mtu_stuck, mend=mends.same_mtu),
    Gate(
        "network type",
        _kind,
        lambda left, right: (left.value in SHARED) == (right.value in SHARED),
        stops=ROUTES,
        mend=mends.same_network_type,
    ),
)
LATER: tuple[Later[OspfEnd], ...] = (
    Later("designated router", mend=mends.eligible),
    Later("one neighbour", mend=mends.shared_again),
)
"""What is judged when it is known who else is on the link."""


@dataclass(slots=True)
class Group:
    """Ends on one shared medium that hear each other, with the designated router among them."""

    members: list[OspfEnd] = field(default_factory=list)
    designated: OspfEnd | None = None
    backup: OspfEnd | None = None


@dataclass(slots=True)
class Adjacencies:
    """All relations of one version, and which pairs exchange databases."""

    relations: list[Relation] = field(default_factory=list)
    full: list[tuple[OspfEnd, OspfEnd]] = field(default_factory=list)
    groups: list[Group] = field(default_factory=list)


def find(ends: list[OspfEnd], links: Links) -> Adjacencies:
    """Judges every pair of ends on one segment where at least one end takes part."""
    out = Adjacencies()
    by_segment: dict[int, list[OspfEnd]] = defaultdict(list)
    for end in ends:
        segment = links.segment_of.get(end.end)
        if segment is not None and end.network_type != LOOPBACK:
            by_segment[id(segment)].append(end)
    for members in by_segment.values():
        found = links.of_parts(tuple(members), partial(_segment, members))
        out.relations += found.relations
        out.full += found.full
        out.groups += found.groups
    return out


def _candidates(members: list[OspfEnd]) -> list[tuple[OspfEnd, OspfEnd]]:
    """The pairs to compare: per pair of interfaces all addresses that share a subnet, or the two
    that fit best if none do."""
    sharing: dict[tuple[End, End], list[tuple[OspfEnd, OspfEnd]]] = defaultdict(list)
    best: dict[tuple[End, End], tuple[int, OspfEnd, OspfEnd]] = {}
    for index, left in enumerate(members):
        for right in members[index + 1 :]:
            if left.device == right.device:
                continue
            if left.area is None and right.area is None:
                continue
            if left.passive and right.passive:
                continue
            if (left.passive and right.area is None) or (right.passive and left.area is None):
                continue
            key = (left.end, right.end)
            if left.fact and right.fact and left.fact.connected.overlaps(right.fact.connected):
                sharing[key].append((left, right))
            fit = left.area is not None and right.area is not None
            if key not in best or fit > best[key][0]:
                best[key] = (fit, left, right)
    return [
        pair
        for key, (_, left, right) in best.items()
        for pair in sharing.get(key) or [(left, right)]
    ]


def _segment(members: list[OspfEnd]) -> Adjacencies:
    """The relations of one segment, and who is designated there."""
    out = Adjacencies()
    judged = [(left, right, judge(GATES, left, right)) for left, right in _candidates(members)]
    crowded = _crowded(judged)
    judged = [
        (left, right, _too_many(left, right, result))
        if _hears(result) and (id(left) in crowded or id(right) in crowded)
        else (left, right, result)
        for left, right, result in judged
    ]
    # Ends that hear each other on a shared medium elect a designated router together.
    heard = [(a, b) for a, b, result in judged if _hears(result)]
    shared = [(a, b) for a, b in heard if _shared(a, b) and a.speaks and b.speaks]
    groups = _grouped([e for e in members if e.speaks], shared)
    group_of = {id(end): group for group in groups for end in group.members}
    out.groups += groups
    hears = {frozenset((id(a), id(b))) for a, b in heard}
    for left, right, result in judged:
        if _meet_at_designated(left, right, result, group_of.get(id(left)), hears):
            continue
        relation = Relation(
            "ospf",
            left.process.family,
            _side(left, FULL, FULL),
            _side(right, FULL, FULL),
            list(result.gates),
            result.up,
            ends=(left, right),
        )
        if _hears(result) and _shared(left, right):
            group = group_of.get(id(left))
            designated = group.designated if group else None
            relation.gates.append(_designated_gate(left, right, designated))
            if designated is None:
                relation.up = False
                result = Outcome(result.gates, (TWO_WAY, TWO_WAY), False)
            elif not any(
                end is chosen
                for end in (left, right)
                for chosen in (group.designated, group.backup)  # type: ignore[union-attr]
            ):
                for side in (relation.left, relation.right):
                    side.state = side.expected = TWO_WAY
                out.relations.append(relation)
                continue
        if result.up:
            out.full.append((left, right))
        else:
            relation.left.state, relation.right.state = result.stuck or (DOWN, DOWN)
        out.relations.append(relation)
    return out


def _meet_at_designated(
    left: OspfEnd,
    right: OspfEnd,
    result: Outcome,
    group: Group | None,
    hears: set[frozenset[int]],
) -> bool:
    """True for two ends of a link without multicast that do not list each other and need not:
    both hear the designated router, which is between them."""
    if [g.gate for g in result.gates if not g.holds] != ["neighbour listed"]:
        return False
    if group is None or group.designated is None:
        return False
    ends = (id(left), id(right))
    return all(frozenset((end, id(group.designated))) in hears for end in ends)


def _crowded(judged: list[tuple[OspfEnd, OspfEnd, Outcome]]) -> set[int]:
    """Point-to-point ends that hear more than one neighbour: they settle with none."""
    count: dict[int, int] = defaultdict(int)
    for left, right, result in judged:
        if _hears(result):
            for end in (left, right):
                if end.network_type == POINT_TO_POINT:
                    count[id(end)] += 1
    return {key for key, number in count.items() if number > 1}


def _too_many(left: OspfEnd, right: OspfEnd, result: Outcome) -> Outcome:
    kinds = [_kind(end, end) for end in (left, right)]
    gate = Judged(
        "one neighbour",
        kinds[0].text,
        kinds[1].text,
        False,
        "neighbour",
        (*kinds[0].evidence, *kinds[1].evidence),
    )
    return Outcome([*result.gates, gate], (EXSTART, EXSTART), False)


def _hears(result: Outcome) -> bool:
    """True if hellos pass both ways, whatever happens to the databases."""
    return all(g.holds or g.gate in ("MTU", "network type") for g in result.gates)


def _side(end: OspfEnd, state: str, expected: str) -> Side:
    address = str(end.address) if end.address is not None else None
    return Side(end.device, end.interface.name, address, state, expected)


def _designated_gate(left: OspfEnd, right: OspfEnd, designated: OspfEnd | None) -> Judged:
    evidence = tuple(end.settings.priority.source for end in (left, right) if end.settings.priority)
    return Judged(
        "designated router",
        f"priority {left.priority}",
        f"priority {right.priority}",
        designated is not None,
        "neighbour",
        evidence,
    )


def _grouped(members: list[OspfEnd], pairs: list[tuple[OspfEnd, OspfEnd]]) -> list[Group]:
    parent = {id(end): id(end) for end in members}
    by_id = {id(end): end for end in members}

    def root(key: int) -> int:
        while parent[key] != key:
            key = parent[key]
        return key

    for left, right in pairs:
        parent[root(id(left))] = root(id(right))
    groups: dict[int, Group] = {}
    for key, end in by_id.items():
        groups.setdefault(root(key), Group()).members.append(end)
    for group in groups.values():
        # A point-to-point end takes no part, but the others elect it all the same.
        eligible = [end for end in group.members if end.priority > 0]
        eligible.sort(
            key=lambda end: (-end.priority, -(end.router_id.value if end.router_id else 0))
        )
        group.designated = eligible[0] if eligible else None
        group.backup = eligible[1] if len(eligible) > 1 else None
    return list(groups.values())
