"""What devices that nobody could read may do to the tables of others.

An unread device is taken not to announce prefixes inside those that read devices own; it may
offer any other way and drop whatever passes through it. The wiring is complete, so it is on
somebody's way only where it lies on a simple path between two devices: a device with one link
never does. What it teaches spreads to all that speak any protocol with whom it teaches, directly
or over others. A route stands whatever it teaches if it is no shorter than the prefix that the
target's owner is connected to, and of a distance that no protocol there beats.

BGP neighbours outside the survey are strangers of the same kind.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..network.addressing import Address, Prefix, parse_address, prefix_of
from ..network.facts import End, Source, Unmodelled
from ..protocols.tables import Tables, reached
from ..step.near import Neighbourhood
from ..step.routes import Route

OUTSIDE = "(outside)"
"""The node that stands for whatever no wiring places."""
Branches = Mapping[str, str]
"""Per node the last one, seen from a stranger, that every way from the stranger passes first.

Two nodes have the stranger on a simple path between them exactly if their branches differ."""


@dataclass(frozen=True, slots=True)
class _Lesson:
    """What a stranger may teach a device; without branches it counts whatever the way."""

    item: Unmodelled
    branches: Branches | None


class _Homes:
    """For many targets: how long the prefix is that each lives in, and who has it."""

    def __init__(
        self, addresses: list[Address], lengths: NDArray[np.int16], owners: list[set[str]]
    ) -> None:
        self.addresses, self.lengths, self.owners = addresses, lengths, owners
        self._numbers: dict[int, tuple[dict[str, int], NDArray[np.int32], list[int]]] = {}

    def __getstate__(self) -> dict[str, object]:
        """What is stored: not what goes by the numbers of objects, which others have there."""
        return {**self.__dict__, "_numbers": {}}

    def between(self, branches: Branches, device: str) -> NDArray[np.bool_]:
        """True where the stranger of these branches lies on a way from a device to an owner."""
        known = self._numbers.get(id(branches))
        if known is None:
            number: dict[str, int] = {}
            column = np.full(len(self.owners), -1, dtype=np.int32)
            several = []
            for position, owners in enumerate(self.owners):
                if len(owners) == 1:
                    branch = branches.get(next(iter(owners)), "")
                    column[position] = number.setdefault(branch, len(number))
                elif owners:
                    several.append(position)
            known = self._numbers[id(branches)] = (number, column, several)
        number, column, several = known
        mine = branches.get(device, "")
        out: NDArray[np.bool_] = column != number.get(mine, -3)
        for position in several:
            owners = self.owners[position] - {device}
            out[position] = any(branches.get(owner, "") != mine for owner in owners)
        return out


class Strangers:
    """The doubts that unread devices and outside neighbours cast on the tables of others."""

    def __init__(
        self,
        tables: Tables,
        near: Neighbourhood,
        matching: Callable[[str, Address], Route | None],
    ) -> None:
        """`matching` finds the route that a device obeys for a target."""
        self.tables, self.near = tables, near
        self._lessons: dict[tuple[str, int], list[_Lesson]] = {}
        self._least: dict[tuple[str, int], int] = {}
        self._homes: dict[Prefix, set[str]] | None = None
        self._columns: dict[int, _Homes] = {}
        unread = {d.name for d in tables.network.devices if d.strange}
        outside = list(tables.outside())
        if unread or outside:
            self._learn(unread, outside, matching)

    def __bool__(self) -> bool:
        return bool(self._lessons)

    def lessons(self, device: str, family: int) -> list[Unmodelled]:
        """Everything that strangers may teach a device, whatever it is about."""
        held = self._lessons.get((device, family), ())
        return list(dict.fromkeys(lesson.item for lesson in held))

    def doubts(self, device: str, route: Route | None, target: Address) -> list[Unmodelled]:
        """Why a device's route to a target is not certain; empty if strangers cannot change it.

        Args:
            device: who decides.
            route: what it goes by; None if it has no route.
            target: where the packet goes.
        """
        held = self._lessons.get((device, target.family))
        if not held:
            return []
        home, owners = self.home(target)
        length = -1 if route is None else route.prefix.length
        if length > home or (length == home and self._stands(device, route)):
            return []
        return list(
            dict.fromkeys(
                lesson.item
                for lesson in held
                if not owners or lesson.branches is None or _between(lesson, device, owners)
            )
        )

    def unsure(
        self,
        device: str,
        routes: list[Route],
        index: NDArray[np.int32],
        addresses: list[Address],
    ) -> NDArray[np.bool_] | None:
        """`doubts` for one device and many targets: True where there is one.

        Args:
            device: who decides.
            routes: its routes.
            index: per target which of them it goes by, or -1.
            addresses: the targets, all of one family.

        Returns:
            One flag per target; None if strangers teach the device nothing.
        """
        held = self._lessons.get((device, addresses[0].family)) if addresses else None
        if not held:
            return None
        homes = self._homes_of(addresses)
        lengths = np.array([*(r.prefix.length for r in routes), -1], dtype=np.int16)[index]
        stands = np.array([*(self._stands(device, r) for r in routes), False], dtype=bool)[index]
        open_: NDArray[np.bool_] = (lengths < homes.lengths) | (
            (lengths == homes.lengths) & ~stands
        )
        out = np.zeros(len(addresses), dtype=bool)
        for branches in {id(lesson.branches): lesson.branches for lesson in held}.values():
            if branches is None:
                return open_
            out |= homes.between(branches, device)
        return open_ & out

    def _homes_of(self, addresses: list[Address]) -> _Homes:
        """The homes of many targets, worked out once."""
        known = self._columns.get(id(addresses))
        if known is None or known.addresses is not addresses:
            found = [self.home(address) for address in addresses]
            lengths = np.array([length for length, _ in found], dtype=np.int16)
            known = _Homes(addresses, lengths, [owners for _, owners in found])
            self._columns[id(addresses)] = known
        return known

    def home(self, target: Address) -> tuple[int, set[str]]:
        """The length of the longest prefix around a target that a read device is connected to,
        and who has the target, or else that prefix; longer than any if nobody has it."""
        if self._homes is None:
            self._homes = {}
            for device in self.tables.network.devices:
                for interface in device.interfaces:
                    for fact in interface.addresses:
                        if interface.enabled and not fact.address.is_link_local:
                            self._homes.setdefault(fact.connected, set()).add(device.name)
        for length in range(32 if target.family == 4 else 128, 0, -1):
            held = self._homes.get(prefix_of(target, length))
            if held is not None:
                return length, set(self.near.owner_devices(target)) or held
        return 129, set()

    def _stands(self, device: str, route: Route | None) -> bool:
        """True if no protocol of the device could replace a route of this length."""
        assert route is not None
        if route.protocol in ("connected", "local"):
            return True
        return route.distance < self._least.get((device, route.prefix.family), 0)

    # -- who teaches whom -------------------------------------------------------------

    def _learn(
        self,
        unread: set[str],
        outside: list[tuple[str, End, Unmodelled]],
        matching: Callable[[str, Address], Route | None],
    ) -> None:
        node_of, graph = self._graph(unread)
        entries: dict[str, list[tuple[str, Unmodelled]]] = {}

        def place(end: End, met: list[str]) -> str:
            """The node of the stranger on a link: the one that is drawn there, or any."""
            if met:
                return node_of[met[0]]
            _link(graph, OUTSIDE, end.device)
            return OUTSIDE

        for end, name, line, family in self._heard_ends(unread):
            met, segment = self._met(end, unread), self.tables.links.segment_of.get(end)
            anywhere = self.near.unplaced if segment is None or segment.inferred else ()
            if not met and not anywhere:
                continue
            there = (met or anywhere)[:3]
            where = "on that link" if met else "which may be on that link,"
            who = f"{', '.join(there)} {where} could not be read"
            if any(d.instance or d.partly for d in map(self.near.devices.get, there) if d):
                who = "on that link " + " and ".join(self.near.why_unknown(n) for n in there)
            why = f"{end.interface} listens to {name} neighbours, and {who}"
            item = Unmodelled(line, why, family)
            entries.setdefault(place(end, met), []).append((end.device, item))
        for name, beside, item in outside:
            entries.setdefault(place(beside, self._met(beside, unread)), []).append((name, item))
        if not entries:
            return
        near = {family: self.tables.speaking(family) for family in (4, 6)}
        told: dict[tuple[int, str], list[str]] = {}

        def hearing(family: int, start: str) -> list[str]:
            known = told.get((family, start))
            if known is None:
                known = reached(near[family], start)
                told.update(dict.fromkeys(((family, name) for name in known), known))
            return known

        for node, taught in entries.items():
            branches = _branches(graph, node)
            for device, item in taught:
                lesson = _Lesson(item, branches)
                for family in (4, 6) if item.family is None else (item.family,):
                    for other in hearing(family, device):
                        held = self._lessons.setdefault((other, family), [])
                        # A few say enough of why; what they do is the same.
                        if sum(known.branches is branches for known in held) < 2:
                            held.append(lesson)
        self._sessions(near, matching)
        for device, family in self._lessons:
            facts = self.near.devices[device]
            found = [s.least_distance(facts) for s in self.tables.speakers if s.family == family]
            self._least[device, family] = min((d for d in found if d is not None), default=0)

    def _met(self, end: End, unread: set[str]) -> list[str]:
        """The unread devices on the link of an end."""
        segment = self.tables.links.segment_of.get(end)
        if segment is None:
            return []
        return sorted({*segment.unread, *(other.device for other in segment.ends)} & unread)

    def _heard_ends(self, unread: set[str]) -> Iterable[tuple[End, str, Source, int]]:
        for speakers in self.tables.speakers if unread else ():
            for end, name, line in speakers.listening():
                yield end, name, line, speakers.family

    def _sessions(
        self,
        near: Mapping[int, Mapping[str, set[str]]],
        matching: Callable[[str, Address], Route | None],
    ) -> None:
        """BGP sessions whose ends may not reach each other: what they teach is not certain."""
        for relation in self.tables.relations():
            if not relation.carries_both:
                continue
            for one, other in (
                (relation.left, relation.right),
                (relation.right, relation.left),
            ):
                if other.address is None or one.device not in self.near.devices:
                    continue
                address = parse_address(str(other.address))
                if address is None or address.is_link_local:
                    continue
                route = matching(one.device, address)
                doubts = self.doubts(one.device, route, address)
                if not doubts:
                    continue
                why = (
                    f"whether {one.device} reaches its neighbour {other.device} is not known: "
                    f"{doubts[0].as_seen_from(one.device)}"
                )
                item = Unmodelled(doubts[0].source, why, relation.family)
                for name in {one.device, other.device}:
                    held = self._lessons.get((name, relation.family), ())
                    # All that speak with it were told as often, and a few say enough of why.
                    if sum(known.branches is None for known in held) >= 2:
                        continue
                    for hears in reached(near[relation.family], name):
                        mine = self._lessons.setdefault((hears, relation.family), [])
                        mine.append(_Lesson(item, None))

    def _graph(self, unread: set[str]) -> tuple[dict[str, str], dict[str, set[str]]]:
        """Devices and LANs as nodes, links as edges; unread devices that touch are one node."""
        head = {name: name for name in unread}

        def find(name: str) -> str:
            while head[name] != name:
                name = head[name]
            return name

        network, links = self.tables.network, self.tables.links
        met: list[set[str]] = []
        for segment in network.segments:
            names = {e.device for e in segment.ends if e.device in unread or links.is_up(e)}
            names |= set(segment.unread)
            met.append(names)
            strange = sorted(names & unread)
            for other in strange[1:]:
                head[find(other)] = find(strange[0])
        for other in self.near.unplaced:
            head[other] = OUTSIDE
        head[OUTSIDE] = OUTSIDE
        node_of = {name: find(name) for name in unread}
        graph: dict[str, set[str]] = {}
        for number, names in enumerate(met):
            nodes = sorted({node_of.get(name, name) for name in names})
            if len(nodes) == 2:
                _link(graph, nodes[0], nodes[1])
            elif len(nodes) > 2:
                for node in nodes:
                    _link(graph, node, f"(link {number})")
        if self.near.unplaced:
            for segment in network.segments:
                for end in segment.ends:
                    if segment.inferred and end.device not in unread:
                        _link(graph, OUTSIDE, end.device)
        return node_of, graph


def _between(lesson: _Lesson, device: str, owners: set[str]) -> bool:
    branches = lesson.branches
    assert branches is not None
    mine = branches.get(device, "")
    return any(owner != device and branches.get(owner, "") != mine for owner in owners)


def _link(graph: dict[str, set[str]], one: str, other: str) -> None:
    graph.setdefault(one, set()).add(other)
    graph.setdefault(other, set()).add(one)


def _branches(graph: Mapping[str, set[str]], root: str) -> Branches:
    """The child of the root, in the tree of dominators, below which each node hangs.

    Dominators after Cooper, Harvey and Kennedy (2001): in breadth-first order, each node's
    immediate dominator is where those of its neighbours meet, until nothing changes.
    """
    order = {root: 0}
    queue = deque([root])
    while queue:
        for other in sorted(graph.get(queue.popleft(), ())):
            if other not in order:
                order[other] = len(order)
                queue.append(other)
    above: dict[str, str] = {root: root}

    def meet(one: str, other: str) -> str:
        while one != other:
            if order[one] > order[other]:
                one = above[one]
            else:
                other = above[other]
        return one

    changed = True
    while changed:
        changed = False
        for node in order:
            if node == root:
                continue
            found: str | None = None
            for other in graph[node]:
                if other in above:
                    found = other if found is None else meet(found, other)
            assert found is not None
            if above.get(node) != found:
                above[node] = found
                changed = True
    out: dict[str, str] = {}
    for node in order:
        if node != root:
            out[node] = node if above[node] == root else out[above[node]]
    return out
