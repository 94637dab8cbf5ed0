"""Why a prefix did not arrive: where the news of it stops, and at which line.

Starting from the devices that hold the prefix, the search goes over links and sessions
towards the device that lacks it, to the first pair of which one knows it and the other
does not. What stands between those two is the reason: a neighbour relation that fails at a
gate, a border or a policy that does not pass it on, or nothing that announces it at all.
"""

from __future__ import annotations

from collections import defaultdict, deque
from collections.abc import Iterator

from ..network import claims
from ..network.addressing import Prefix
from ..network.claims import Claim
from ..network.facts import Device, Source
from ..network.protocols import by_sessions, label
from ..protocols.gates import NOTHING, Judged, Relation
from ..protocols.tables import Tables
from ..step.routes import Route

Statement = tuple[Claim, tuple[Source, ...]]
"""(what is claimed, evidence)."""


def relation_sentence(relation: Relation) -> str:
    """One sentence that says why two ends are not neighbours."""
    gate = relation.first_failing
    name = label(relation.protocol)
    left, right = relation.left, relation.right
    if gate is None:
        return f"{left.device} and {right.device} are {name} neighbours."
    both = f"{left.device} and {right.device}"
    if gate.stops == "routes":
        return f"{both} are {name} neighbours, but no routes pass: {gate_text(gate, relation)}."
    return f"{both} are not {name} neighbours: {gate_text(gate, relation)}."


def gate_text(gate: Judged, relation: Relation) -> str:
    """A failing gate in words: what each end says."""
    left, right = relation.left, relation.right
    if gate.left == gate.right:
        return f"{gate.gate}: both say {gate.left}"
    return f"{gate.gate}: {left.device} {gate.left}, {right.device} {gate.right}"


def _apart(relation: Relation, lacking: str) -> Claim:
    """The claim that two ends are no neighbours, or pass no routes, at the gate that fails."""
    other = relation.left.device if relation.right.device == lacking else relation.right.device
    gate = relation.first_failing
    return Claim(
        claims.APART,
        lacking,
        None,
        relation_sentence(relation).removesuffix("."),
        other,
        f"{relation.protocol} {gate.gate}" if gate is not None else relation.protocol,
    )


class Absence:
    """Answers "why does this device not have that prefix" for one network."""

    def __init__(self, tables: Tables) -> None:
        self.tables = tables
        self.devices: dict[str, Device] = {d.name: d for d in tables.network.devices}
        self.relations: dict[frozenset[str], list[Relation]] = defaultdict(list)
        for relation in tables.relations():
            pair = frozenset((relation.left.device, relation.right.device))
            self.relations[pair].append(relation)
        self.near: dict[str, set[str]] = defaultdict(set)
        for segment in tables.network.segments:
            names = {end.device for end in segment.ends}
            for name in names:
                self.near[name] |= names - {name}
        for pair in self.relations:
            if len(pair) == 2:
                left, right = pair
                self.near[left].add(right)
                self.near[right].add(left)

    def holds(self, device: str, prefix: Prefix) -> Route | None:
        table = self.tables.tables.get((device, prefix.family))
        return table.winner(prefix) if table is not None else None

    def frontier(self, device: str, prefix: Prefix) -> tuple[str, str] | None:
        """The pair nearest to a device of which the first holds the prefix, the second not."""
        came: dict[str, str | None] = {device: None}
        queue = deque([device])
        while queue:
            current = queue.popleft()
            for other in sorted(self.near[current]):
                facts = self.devices.get(other)  # none: VLANs of a switch that nobody gathered
                if other in came or facts is None or facts.role != "router":
                    continue
                came[other] = current
                if self.holds(other, prefix) is not None:
                    return other, current
                queue.append(other)
        return None

    def explain(self, device: str, prefix: Prefix) -> list[Statement]:
        """The statements from where the prefix is known to where it stops; empty if nowhere."""
        pair = self.frontier(device, prefix)
        if pair is None or not self.devices[device].routing.runs:
            return []
        holder, lacking = pair
        if not self.devices[lacking].routing.runs:
            return []  # nobody tells it anything: its own lines are what is missing
        route = self.holds(holder, prefix)
        assert route is not None
        out: list[Statement] = []
        if route.origin is not None:
            out += [(o.claim, o.sources) for o in route.origin.chain()]
        claim = Claim(claims.HOLDS, holder, prefix, self._kind(route), route.protocol)
        out.append((claim, route.because))
        out += self._between(holder, lacking, prefix, route)
        if lacking != device:
            out.append((Claim(claims.MUTE, device, prefix), ()))
        return out

    @staticmethod
    def _kind(route: Route) -> str:
        name = label(route.protocol)
        return f"{name}, {route.type}" if route.type else name

    def _between(
        self, holder: str, lacking: str, prefix: Prefix, route: Route
    ) -> Iterator[Statement]:
        relations = [
            r
            for r in self.relations.get(frozenset((holder, lacking)), [])
            if r.family == prefix.family or r.carries_both
        ]
        failing = [r for r in relations if not r.works]
        for relation in failing:
            gate = relation.first_failing
            evidence = gate.evidence if gate is not None and gate.stops != NOTHING else ()
            yield _apart(relation, lacking), evidence
        if failing:
            return
        working = [r for r in relations if r.works]
        for relation in working:
            found = self._not_passed(relation.protocol, holder, lacking, prefix, route)
            if found is not None:
                yield found
                return
        if not working:
            here, there = (self.devices[name].routing.protocols() for name in (holder, lacking))
            shared = sorted(set(here) & set(there))
            if shared:
                names = " and ".join(label(p) for p in shared)
                yield Claim(claims.SEPARATE, holder, of=lacking, into=names), ()
            else:
                yield Claim(claims.STRANGE, holder, of=lacking), ()

    def _not_passed(
        self, protocol: str, holder: str, lacking: str, prefix: Prefix, route: Route
    ) -> Statement | None:
        """Why a working relation does not carry the prefix."""
        for speakers in self.tables.speakers:
            if speakers.protocol == protocol and speakers.family == prefix.family:
                untold = speakers.why_not_told(prefix, holder, lacking)
                if untold is not None:
                    says = untold.says.removesuffix(".")
                    return Claim(claims.REFUSED, untold.device, prefix, says), untold.sources
        if route.protocol != protocol:
            return self._not_announced(protocol, holder, prefix, route)
        return None

    def _not_announced(self, protocol: str, holder: str, prefix: Prefix, route: Route) -> Statement:
        """The holder has it from elsewhere and does not announce it in this protocol."""
        name = label(protocol)
        running = self.devices[holder].routing.called(protocol, prefix.family)
        process = running[0] if running and not by_sessions(protocol) else None
        for statement in process.redistributes(prefix.family) if process is not None else ():
            if statement.protocol == route.protocol:
                claim = Claim(claims.NOT_PERMITTED, holder, prefix, route.protocol, name)
                if statement.route_map is not None:
                    policy = self.devices[holder].policy
                    lines = policy.sources(prefix.family, statement.route_map)
                    claim = claim._replace(kind=claims.NOT_MAPPED, by=statement.route_map)
                    return claim, (statement.source, *lines)
                return claim, (statement.source,)
        where = process.source if process is not None else None
        if route.protocol == "connected":
            text = f"network {prefix}"
            claim = Claim(claims.NOT_TAKEN_IN, holder, prefix, into=name)
        else:
            text = f"redistribute {route.protocol}"
            claim = Claim(claims.NOT_ANNOUNCED, holder, prefix, route.protocol, name)
        lines = ()
        if where is not None:
            lines = (where._replace(line=None, text=text, missing=True, after=where.line),)
        return claim, (*lines, *route.because)
