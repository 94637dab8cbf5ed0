"""What a speaker gives to a neighbour and takes from it: filters, rules, attributes.

RFC 4271, sections 5 and 9.2; RFC 4456 (reflection); RFC 1997 (communities); RFC 8212
(external sessions need a policy).
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable
from typing import Any, NamedTuple

from ...network import claims
from ...network.addressing import Address, Prefix
from ...network.bgp import BgpNeighbourFamily
from ...network.claims import Claim
from ...network.facts import Interface
from ...network.source import Source
from ...step.routes import OWN_AS, Origin, Refusal
from ..identity import link_local
from ..policy import (
    WELL_KNOWN,
    Attributes,
    apply_route_map,
    filter_permits,
    path_text,
    text_rule,
)
from .ends import BgpEnd, has_policy, requires_policy, role
from .paths import EXTERNAL, INTERNAL, LOCAL, MEMBER, Path


class Update(NamedTuple):
    """What one speaker tells a neighbour of a prefix."""

    attributes: Attributes
    origin: Origin
    originator: int | None = None
    clusters: tuple[int, ...] = ()
    link_next_hop: Address | None = None
    """The sender's link-local address, on a link it shares with the neighbour."""


def _filters(
    end: BgpEnd, held: BgpNeighbourFamily, direction: str, route: Attributes
) -> list[Source] | Refusal:
    """Prefix, distribute and AS-path filters; a list that does not exist denies."""
    policy = end.device.policy
    because: list[Source] = []
    for kind, word in (
        ("access", getattr(held, f"distribute_{direction}")),
        ("prefix", getattr(held, f"prefix_list_{direction}")),
    ):
        if word is not None:
            permit, line = filter_permits(policy, kind, word.value, route.prefix)
            if not permit:
                why = f"{end.name}'s filter {word.value} denies {route.prefix}"
                return Refusal(why, (word.source, *((line,) if line else ())))
            because += [word.source, *((line,) if line else ())]
    word = getattr(held, f"filter_list_{direction}")
    if word is not None:
        rule = text_rule(policy.as_paths.get(word.value), path_text(route))
        if rule is None or not rule.permit:
            why = f"{end.name}'s AS-path filter {word.value} denies the path {path_text(route)}"
            return Refusal(why, (word.source, *((rule.source,) if rule is not None else ())))
        because.append(word.source)
    return because


def give(end: BgpEnd, other: BgpEnd, family: int, path: Path, suppressed: bool) -> Update | Refusal:
    """What `end` tells `other` of its best path, or why it tells nothing."""
    held = end.family(family)
    external, member = _outside(end, other), end.member and other.member
    process = end.process
    route = path.attributes
    if suppressed and held.unsuppress_map is None:
        return Refusal(f"{end.name} announces only the aggregate that {route.prefix} is part of")
    if path.peer is not None and (path.peer, path.over) == (end.peer, end.link):
        return Refusal(f"{end.name} has it from {other.name} itself")
    communities = route.communities
    if WELL_KNOWN["no-advertise"] in communities:
        return Refusal("it carries the community no-advertise")
    if external and (communities & {WELL_KNOWN["no-export"], WELL_KNOWN["local-AS"]}):
        return Refusal("it carries a community that keeps it inside the system")
    if member and WELL_KNOWN["local-AS"] in communities:
        return Refusal("it carries a community that keeps it inside the member system")
    reflect = path.kind == INTERNAL and not external and not member
    originator, clusters = path.originator, path.clusters
    if reflect:
        from_client = bool(path.clusters is not None and _is_client(end, path, family))
        to_client = held.reflector_client is not None and held.reflector_client.value
        if not from_client and not to_client:
            why = (
                f"{end.name} has it from {path.speaker}, a neighbour inside the system, and "
                f"{end.name} reflects for neither {path.speaker} nor {other.name}"
            )
            return Refusal(why, (end.neighbour.source,) if end.neighbour else ())
        if from_client and to_client and not process.reflects:
            return Refusal(f"{end.name} does not reflect between its clients")
        if other.router_id is not None and originator == other.router_id.value:
            return Refusal(f"{other.name} announced it itself")
        if originator is None:
            originator = path.router_id
        own = process.cluster_id or end.router_id
        clusters = ((own.value if own else 0), *clusters)
    else:
        originator, clusters = None, ()
    if external and requires_policy(end) and not has_policy(held, "out"):
        lines = (process.requires_policy.source,) if process.requires_policy else ()
        return Refusal(f"{end.name} has no policy for what it announces to {other.name}", lines)
    because = _filters(end, held, "out", route)
    if isinstance(because, Refusal):
        return because
    new = route._replace(weight=0, peer=end.peer)
    if external:
        keep_med = path.kind == LOCAL or "med" in held.unchanged
        new = new._replace(local_preference=None, metric=route.metric if keep_med else None)
    elif new.local_preference is None:
        new = new._replace(local_preference=process.default_local_preference)
    before = new.next_hop
    if suppressed and held.unsuppress_map is not None:
        ruling = apply_route_map(end.device.policy, held.unsuppress_map.value, new)
        if not ruling.permit:
            return Refusal(f"{end.name} suppresses it", (held.unsuppress_map.source,))
        new, because = ruling.attributes, [*because, *ruling.because]
    if held.route_map_out is not None:
        ruling = apply_route_map(end.device.policy, held.route_map_out.value, new)
        if not ruling.permit:
            why = f"{end.name}'s route map {held.route_map_out.value} denies {route.prefix}"
            return Refusal(why, (held.route_map_out.source, *ruling.because))
        new = ruling.attributes
        because += [held.route_map_out.source, *ruling.because]
    set_by_map = new.next_hop != before
    if not set_by_map:
        # A member that is called `external` gets next hops as one outside does (measured).
        away = external or (member and end.by_word)
        new = new._replace(next_hop=_next_hop(end, other, held, path, reflect, away, family))
    elif new.next_hop == end.peer:
        new = new._replace(next_hop=_self(end, family))  # "peer-address" going out is our own
    if external:
        new = _path_outside(end, other, held, new)
    elif member:
        new = new._replace(confed=(end.process.number, *new.confed))
    if held.send_community is False:
        none: frozenset[Any] = frozenset()
        new = new._replace(communities=none, large_communities=none, extended=none)
    if external and role(end) is not None:
        if new.only_to_customer is not None and role(end) in ("customer", "peer", "rs-client"):
            why = f"{other.name} is no customer of {end.name}, and the path leads down to customers"
            return Refusal(why, (end.neighbour.role.source,))  # type: ignore[union-attr]
        if new.only_to_customer is None and role(end) in ("provider", "peer", "rs-server"):
            new = new._replace(only_to_customer=end.local_as)
    if process.max_med is not None:
        new = new._replace(metric=process.max_med.value)
        because.append(process.max_med.source)
    claim = Claim(claims.TELLS, end.name, route.prefix, other.name)
    origin = Origin(claim, tuple(dict.fromkeys(because)), path.origin)
    link = None
    # Inside the system the link-local address comes along with own announcements only.
    says_link = external or path.kind == LOCAL or (end.link and new.next_hop == end.source)
    if new.next_hop == _self(end, family) and says_link:
        link = end.source if end.link else _link_local_towards(end) if family == 6 else None
    if new.link_next_hop is not None or new.prefer_global:
        link = new.link_next_hop or link
        new = new._replace(link_next_hop=None, prefer_global=False)
    return Update(new, origin, originator, clusters, link)


def _outside(end: BgpEnd, other: BgpEnd) -> bool:
    """True if the other is in another system, and not in a member of the own confederation."""
    return end.local_as != other.local_as and not (end.member and other.member)


def _is_client(end: BgpEnd, path: Path, family: int) -> bool:
    """True if the path came from a neighbour that this speaker reflects for."""
    for neighbour in end.process.neighbours:
        over = neighbour.interface.value if neighbour.far and neighbour.interface else None
        if (neighbour.address, over) == (path.peer, path.over):
            setting = neighbour.families.get(family)
            return bool(setting and setting.reflector_client and setting.reflector_client.value)
    return False


def _self(end: BgpEnd, family: int) -> Address | None:
    """The speaker's own address as a next hop for a neighbour."""
    if end.link is not None:
        exit_ = end.device.interface(end.link)
        own = [f.address for f in exit_.addresses if f.address.family == 6] if exit_ else []
        wide = [a for a in own if not a.is_link_local]
        # IPv4 goes by the link-local address as well (RFC 8950).
        return wide[0] if family == 6 and wide else end.source
    if end.source is not None and end.source.family == family:
        return end.source
    if end.source is None:
        return None
    for interface in end.device.interfaces:
        if interface.has(end.source):
            for fact in interface.addresses:
                if fact.address.family == family and not fact.address.is_link_local:
                    return fact.address
    return None


def _shared_interface(end: BgpEnd, address: Address | None) -> Interface | None:
    """The interface on whose subnet an address lies."""
    if address is None:
        return None
    for interface in end.device.interfaces:
        for fact in interface.addresses:
            if (
                fact.address.family == address.family
                and not fact.address.is_link_local
                and fact.connected.contains(address)
                and interface.enabled
            ):
                return interface
    return None


def _link_local_towards(end: BgpEnd) -> Address | None:
    interface = _shared_interface(end, end.peer)
    return link_local(interface) if interface is not None and not interface.loopback else None


def _next_hop(
    end: BgpEnd,
    other: BgpEnd,
    held: BgpNeighbourFamily,
    path: Path,
    reflect: bool,
    external: bool,
    family: int,
) -> Address | None:
    own = _self(end, family)
    told = path.told_next_hop or path.next_hop
    if told is None or told.family != family or told.is_link_local:
        return own
    if "next-hop" in held.unchanged:
        return told
    forced = held.next_hop_self_force
    if held.next_hop_self is not None and held.next_hop_self.value and (not reflect or forced):
        return own
    if external:
        # A next hop on the link shared with the neighbour is passed on as it is (5.1.3).
        here = _shared_interface(end, told)
        if here is not None and here is _shared_interface(end, end.peer) and family == 4:
            return told
        return own
    return told


def _private(number: int) -> bool:
    """RFC 6996."""
    return 64512 <= number <= 65534 or 4200000000 <= number <= 4294967294


def _path_outside(
    end: BgpEnd, other: BgpEnd, held: BgpNeighbourFamily, route: Attributes
) -> Attributes:
    """The AS path as it leaves the system."""
    path = route.as_path
    kind = held.remove_private
    if kind == "plain" and path and all(_private(number) for number in path):
        path = ()
    elif kind == "all":
        path = tuple(number for number in path if not _private(number))
    elif kind is not None and "replace" in kind:
        path = tuple(end.local_as if _private(number) else number for number in path)
    if held.as_override:
        path = tuple(end.local_as if n == other.local_as else n for n in path)
    if "as-path" not in held.unchanged:
        neighbour = end.neighbour
        own: tuple[int, ...] = (end.local_as,)
        if neighbour is not None and neighbour.local_as is not None:
            if "replace-as" not in neighbour.local_as_options:
                own = (end.local_as, end.process.number)
        path = own + path
    return route._replace(as_path=path, confed=())


def take(
    end: BgpEnd, other: BgpEnd, family: int, update: Update, round_number: int
) -> Path | Refusal:
    """The path that `end` makes of what `other` tells it, or why it refuses it."""
    held = end.family(family)
    external, member = _outside(end, other), end.member and other.member
    route = update.attributes
    own = {end.process.number, end.local_as}
    if end.process.confederation is not None:
        own.add(end.process.confederation.value)
    path = (*route.confed, *route.as_path)
    count = sum(1 for number in path if number in own) + len(own & route.as_set)
    allowed = held.allow_own_as
    if held.own_as_origin and route.as_path and route.as_path[-1] in own and count == 1:
        allowed = max(allowed, 1)
    if count > allowed:
        why = f"{end.name} finds its own AS in the path {path_text(route)}"
        return Refusal(why, kind=OWN_AS)
    if external and role(end) is not None:
        told = route.only_to_customer
        leaks = told is not None and role(end) in ("provider", "rs-server")
        if leaks or (told not in (None, other.local_as) and role(end) == "peer"):
            why = f"{other.name} hands on to {end.name} what was for its customers alone"
            return Refusal(why, (end.neighbour.role.source,))  # type: ignore[union-attr]
        if told is None and role(end) in ("customer", "peer", "rs-client"):
            route = route._replace(only_to_customer=other.local_as)
    identity = end.router_id.value if end.router_id else 0
    if update.originator is not None and update.originator == identity:
        return Refusal(f"{end.name} announced it itself")
    cluster = end.process.cluster_id.value if end.process.cluster_id else identity
    if cluster in update.clusters:
        return Refusal(f"{end.name} finds its own cluster in the path")
    if external and requires_policy(end) and not has_policy(held, "in"):
        given = end.process.requires_policy
        return Refusal(
            f"{end.name} has no policy for what it takes from {other.name}",
            (given.source,) if given else (),
        )
    if external and end.neighbour is not None and end.neighbour.enforce_first_as:
        if route.as_path[:1] != (other.local_as,):
            return Refusal(f"{end.name} wants the neighbour's own AS first in the path")
    if external and end.neighbour is not None and end.neighbour.local_as is not None:
        if "no-prepend" not in end.neighbour.local_as_options:
            route = route._replace(as_path=(end.local_as, *route.as_path))
    because = _filters(end, held, "in", route)
    if isinstance(because, Refusal):
        return because
    weight = held.weight.value if held.weight else 0
    route = route._replace(peer=end.peer, weight=weight)
    before = route.next_hop
    if held.route_map_in is not None:
        ruling = apply_route_map(end.device.policy, held.route_map_in.value, route)
        if not ruling.permit:
            why = f"{end.name}'s route map {held.route_map_in.value} denies {route.prefix}"
            return Refusal(why, (held.route_map_in.source, *ruling.because))
        route = ruling.attributes
        because += [held.route_map_in.source, *ruling.because]
    if external and WELL_KNOWN["blackhole"] in route.communities:
        # RFC 7999, 3.2: it goes no further than this system (measured on FRR 8.4).
        kept = route.communities | {WELL_KNOWN["no-export"]}
        route = route._replace(communities=kept)
    link: str | None = None
    as_told = route.next_hop
    beside = route.link_next_hop or update.link_next_hop
    if beside is not None and route.next_hop == before and not route.prefer_global:
        link = end.link
        if link is None:
            interface = _shared_interface(end, end.peer)
            if interface is not None and not interface.loopback:
                link = interface.name
        if link is not None:
            route = route._replace(next_hop=beside)
    if route.link_next_hop is not None or route.prefer_global:
        route = route._replace(link_next_hop=None, prefer_global=False)
    if route.next_hop is None or any(i.has(route.next_hop) for i in end.device.interfaces):
        return Refusal(f"its next hop {route.next_hop} is {end.name} itself")
    claim = Claim(claims.TAKES, end.name, route.prefix, other.name)
    origin = (
        Origin(claim, tuple(dict.fromkeys(because)), update.origin) if because else update.origin
    )
    return Path(
        route,
        EXTERNAL if external else MEMBER if member else INTERNAL,
        origin,
        end.peer,
        other.name,
        other.router_id.value if other.router_id else 0,
        update.originator,
        update.clusters,
        recursive=_recursive(end, external),
        first=round_number,
        link=link,
        told_next_hop=as_told,
        over=end.link,
    )


class Exchange:
    """What passes over sessions in one family: asked once of each for all prefixes with the same
    attributes, where no filter or map of it looks at the prefix."""

    def __init__(self, family: int) -> None:
        self.family = family
        self._shapes: dict[Hashable, int] = {}
        self._passed: dict[tuple[int, int], _Passed | None] = {}
        self._plain: dict[int, bool] = {}

    def shape(self, path: Path) -> int:
        """A number that all paths share which differ in their prefix alone."""
        held = (path.attributes[1:], path.kind, path[3:])
        return self._shapes.setdefault(held, len(self._shapes))

    def pass_on(
        self, end: BgpEnd, other: BgpEnd, path: Path, shape: int, hidden: bool, number: int
    ) -> Path | None:
        """What `other` holds of what `end` tells it of its best path; None if nothing.

        Args:
            end, other: the sides of the session.
            path: the best path.
            shape: its shape.
            hidden: whether it is part of an aggregate that stands for it.
            number: of the round.
        """
        key = (id(end), shape)
        if not hidden and key in self._passed:
            known = self._passed[key]
            return None if known is None else known.of(path, end, other, number)
        given = give(end, other, self.family, path, hidden)
        taken = take(other, end, self.family, given, number) if isinstance(given, Update) else None
        found = taken if isinstance(taken, Path) else None
        if not hidden and self._is_plain(end, other):
            self._passed[key] = None
            if found is not None and isinstance(given, Update):
                adds = found.origin is not given.origin
                self._passed[key] = _Passed(found, given.origin.sources, adds)
        return found

    def _is_plain(self, end: BgpEnd, other: BgpEnd) -> bool:
        """True if nothing that becomes of a route on its way depends on its prefix."""
        found = self._plain.get(id(end))
        if found is None:
            ends = ((end, "out"), (other, "in"))
            found = self._plain[id(end)] = all(
                getattr(side.family(self.family), f"{word}_{direction}") is None
                for side, direction in ends
                for word in ("distribute", "prefix_list", "route_map")
            )
        return found


class _Passed(NamedTuple):
    """What passed a session, to be said again of other prefixes."""

    path: Path
    sources: tuple[Source, ...]
    """The lines that made one side tell it."""
    adds: bool
    """Whether the other side had lines of its own to take it by."""

    def of(self, path: Path, end: BgpEnd, other: BgpEnd, number: int) -> Path:
        held, prefix = self.path, path.attributes.prefix
        claim = Claim(claims.TELLS, end.name, prefix, other.name)
        origin = Origin(claim, self.sources, path.origin)
        if self.adds:
            claim = Claim(claims.TAKES, other.name, prefix, end.name)
            origin = Origin(claim, held.origin.sources, origin)
        attributes = Attributes._make((prefix, *held.attributes[1:]))
        return held._replace(attributes=attributes, origin=origin, first=number)


def _recursive(end: BgpEnd, external: bool) -> bool:
    """Whether next hops of this neighbour may be resolved through other routes."""
    neighbour = end.neighbour
    if not external or neighbour is None:
        return True
    return bool(
        neighbour.multihop is not None
        or neighbour.ttl_security is not None
        or end.process.disable_connected_check
        or (neighbour.disable_connected_check and neighbour.disable_connected_check.value)
    )


def default_route(
    end: BgpEnd, other: BgpEnd, family: int, table: Iterable[Attributes]
) -> Update | None:
    """The default route that a neighbour is told of although the table may have none.

    A route map is tried on every path of the BGP table, in the order of their prefixes, until it
    lets one pass: what it sets is then set of the default route (measured on FRR 8.4,
    tests/real/test_attributes.py).
    """
    held = end.family(family)
    statement = held.default_originate
    if statement is None:
        return None
    external = _outside(end, other)
    route = Attributes(Prefix(family, 0, 0), origin="igp", next_hop=_self(end, family), metric=0)
    because = [statement.source]
    if statement.value:
        policy, name = end.device.policy, statement.value
        ruled = (apply_route_map(policy, name, route, seen) for seen in table)
        found = next((ruling for ruling in ruled if ruling.permit), None)
        if found is None:
            return None
        route = found.attributes
        because += found.because
    if external:
        route = _path_outside(end, other, held, route)
    else:
        route = route._replace(local_preference=end.process.default_local_preference)
    claim = Claim(claims.TELLS_DEFAULT, end.name, of=other.name)
    link = _link_local_towards(end) if family == 6 else None
    return Update(route, Origin(claim, tuple(dict.fromkeys(because))), None, (), link)
