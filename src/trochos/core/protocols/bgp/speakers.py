"""BGP as the scheduler sees it: sessions, rounds of updates, candidates for the tables.

Speakers exchange updates in rounds, every one seeing what its neighbours had a round
before; only what changed is looked at again. Best paths that never settle (RFC 3345
describes how that happens) are reported: the rounds are bounded.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from ...network.addressing import Address, Prefix
from ...network.bgp import NAMED, BgpHabits, BgpNeighbour, BgpProcess
from ...network.facts import Device, End, Network, Unmodelled
from ...network.source import Source
from ...step.links import Links
from ...step.routes import Refusal, Route
from ...step.table import Table
from ..gates import Relation
from ..protocol import RoutingProtocol, Untold
from . import gates
from .aggregates import aggregate_of, covering, suppressed
from .candidates import candidates
from .ends import BgpEnd
from .exchange import Exchange, Update, default_route, give, take
from .found import hidden
from .leaks import Leak, leaks, taken_over
from .local import local_paths
from .paths import LOCAL, Path, best_of, decided_by_age
from .reaching import OWN, Reaching
from .sessions import Session, find
from .speaker import Key, Speaker, Talked, Way, own_next_hop, same_path, way_to

_MAX_ROUNDS = 120
Tables = Mapping[tuple[str, int], Table]


class BgpSpeakers:
    """BGP of both families; the scheduler asks for one family at a time through `of`."""

    def __init__(self, network: Network, links: Links, first: int) -> None:
        """`first` is the family that is asked before the other in each round, if that is."""
        self.network, self.links = network, links
        self._relations: list[Relation] = []
        self.sessions: list[Session] = []
        self.torn: set[tuple[str, str]] = set()
        self._first = first
        self._offers: dict[int, dict[str, list[Route]]] = {4: {}, 6: {}}
        self.states: dict[int, dict[str, Speaker]] = {4: {}, 6: {}}
        self.unsettled: dict[int, set[Key]] = {4: set(), 6: set()}
        self.outside: dict[str, list[tuple[BgpNeighbour, End]]] = {}
        """Neighbours that lie outside of what was surveyed, per speaker."""
        self.leaks: dict[int, dict[str, list[Leak]]] = {4: {}, 6: {}}
        """What instances of one device take over from each other, by the instance it is from."""
        self._talked: dict[int, Talked] = {}
        """Per family what was said last."""
        self._ways: dict[tuple[str, Address], Way] = {}
        """The routes to next hops that are asked for while speakers talk."""
        self.hidden: dict[str, list[BgpNeighbour]] = {}
        """Neighbours that are met by addresses which nobody gathered, per speaker."""

    def follow(self, earlier: BgpSpeakers) -> None:
        """Takes note of what was said before a change."""
        self._talked = dict(earlier._talked)

    def of(self, family: int) -> BgpFamilySpeakers:
        return BgpFamilySpeakers(self, family)

    def relations(self) -> list[Relation]:
        return self._relations

    def compute(self, tables: Tables) -> None:
        """Sessions and paths for these tables; again and again while limits tear sessions down."""
        reaching = Reaching(self.network, self.links, tables)
        speaking = [
            (device, process)
            for device in self.network.devices
            if (process := device.routing.one(BgpProcess)) is not None
        ]
        self.outside = {
            device.name: [
                (neighbour, end)
                for neighbour in process.neighbours
                if not (neighbour.shutdown and neighbour.shutdown.value)
                and (end := self._outside(device, neighbour, reaching)) is not None
            ]
            for device, process in speaking
        }
        self.hidden = {
            device.name: [
                neighbour
                for neighbour in process.neighbours
                if hidden(device, neighbour, reaching.devices, self.links)
            ]
            for device, process in speaking
        }
        self.torn = set()
        # What is torn down stays so, and there are so many sessions and no more: this ends.
        while True:
            self.sessions, self._relations = find(self.network, self.links, reaching, self.torn)
            torn: set[tuple[str, str]] = set()
            for family in (4, 6):
                torn |= self._family(family, tables, reaching)
            if torn <= self.torn:
                return
            self.torn |= torn

    def _outside(self, device: Device, neighbour: BgpNeighbour, reaching: Reaching) -> End | None:
        """Where the way to a neighbour leaves what was read; None if it is among the read ones."""
        if neighbour.address is not None:
            owners = reaching.owners_for(device.name, neighbour.address)
            known = any(reaching.devices[owner.device].role != "unread" for owner in owners)
            return None if known else reaching.leaves_by(device.name, neighbour.address)
        if neighbour.interface is None:
            return None
        end = End(device.name, neighbour.interface.value)
        segment = self.links.segment_of.get(end)
        if segment is None or segment.unread:
            return end if self.links.is_up(end) else None
        strange = any(
            far.device not in reaching.devices or reaching.devices[far.device].role == "unread"
            for far in segment.ends
        )
        return end if strange else None

    def offers(self, family: int, tables: Tables) -> dict[str, list[Route]]:
        if family == self._first:
            self.compute(tables)
        return self._offers[family]

    # -- one family ----------------------------------------------------------------------

    def _family(self, family: int, tables: Tables, reaching: Reaching) -> set[tuple[str, str]]:
        speakers: dict[str, Speaker] = {}
        for device in self.network.devices:
            process = device.routing.one(BgpProcess)
            if process is not None:
                speaker = speakers[device.name] = Speaker(device, process)
                if process.installed_first is not None and process.installed_first.value:
                    speaker.table = tables[device.name, family]
                speaker.local = local_paths(device, process, tables[device.name, family], family)
        sessions = [session for session in self.sessions if family in session.families]
        known = self._talked.get(family)
        if known is not None and known.holds(speakers, sessions, reaching):
            self.states[family], self.leaks[family] = known.speakers, known.leaks
            self.unsettled[family], self._offers[family] = known.unsettled, known.offers
            return self._over_limit(family, known.speakers)
        local = {name: dict(speaker.local) for name, speaker in speakers.items()}
        self._ways, exchange = {}, Exchange(family)
        for session in sessions:
            for own, other in (
                (session.left, session.right),
                (session.right, session.left),
            ):
                speakers[own.name].sides.append((own, other))
        self.states[family] = speakers
        self.leaks[family] = {}
        for leak in leaks(((s.device, s.process) for s in speakers.values()), family):
            self.leaks[family].setdefault(leak.source, []).append(leak)
        dirty = {(name, prefix) for name, s in speakers.items() for prefix in s.local}
        for speaker in speakers.values():
            for own, other in speaker.sides:
                update = default_route(own, other, family, speaker.everything())
                if update is not None:
                    prefix = update.attributes.prefix
                    path = _taken(other, own, update, 0)
                    self._receive(speakers[other.name], other, prefix, path)
                    dirty.add((other.name, prefix))
        changes: dict[Key, int] = defaultdict(int)
        for number in range(1, _MAX_ROUNDS + 1):
            if not dirty:
                break
            dirty = self._round(exchange, speakers, dirty, reaching, number)
            for key in dirty:
                changes[key] += 1
        self.unsettled[family] = set(dirty)
        self._offers[family] = {
            name: candidates(family, speaker, speakers) for name, speaker in speakers.items()
        }
        self._talked.pop(family, None)
        if all(speaker.table is None for speaker in speakers.values()):
            self._talked[family] = Talked(
                local,
                sessions,
                self._ways,
                speakers,
                self.unsettled[family],
                self.leaks[family],
                self._offers[family],
            )
        return self._over_limit(family, speakers)

    def _round(
        self,
        exchange: Exchange,
        speakers: dict[str, Speaker],
        dirty: set[Key],
        reaching: Reaching,
        number: int,
    ) -> set[Key]:
        family, changed = exchange.family, list[tuple[Speaker, Prefix]]()
        todo = sorted(dirty, key=lambda key: (key[0], key[1]))
        for name, prefix in todo:
            speaker = speakers[name]
            if self._choose(speaker, prefix, reaching):
                changed.append((speaker, prefix))
            for aggregate in covering(speaker, family, prefix):
                if aggregate_of(speaker, aggregate) and self._choose(
                    speaker, aggregate.prefix, reaching
                ):
                    changed.append((speaker, aggregate.prefix))
        following: set[Key] = set()
        for speaker, prefix in changed:
            for leak in self.leaks[family].get(speaker.device.name, ()):
                if self._leak(leak, speaker, speakers[leak.target], prefix):
                    following.add((leak.target, prefix))
        sent: list[tuple[Speaker, BgpEnd, Prefix, Path | None]] = []
        told_default: set[int] = set()
        for speaker, prefix in changed:
            affected = [prefix]
            for aggregate in covering(speaker, family, prefix, equal=True):
                if aggregate.prefix == prefix and aggregate.summary_only:
                    affected += [p for p in speaker.best if prefix.covers(p) and p != prefix]
            for item in affected:
                best = speaker.best.get(item)
                hidden = best is not None and suppressed(speaker, family, item)
                silent = best is None or _not_yet(speaker, best) is not None
                shape = -1 if silent or best is None else exchange.shape(best)
                for own, other in speaker.sides:
                    receiver = speakers[other.name]
                    if item.is_default:
                        told_default.add(id(own))
                        given = None
                        if best is not None and not silent:
                            given = give(own, other, family, best, hidden)
                        update = given if isinstance(given, Update) else None
                        if update is None:
                            update = default_route(own, other, family, speaker.everything())
                        sent.append((receiver, other, item, _taken(other, own, update, number)))
                        continue
                    path = None
                    if best is not None and not silent:
                        path = exchange.pass_on(own, other, best, shape, hidden, number)
                    # What was never told need not be taken back.
                    if path is not None or (other.peer, other.link) in receiver.heard.get(item, ()):
                        sent.append((receiver, other, item, path))
        default = Prefix(family, 0, 0)
        for name in dict.fromkeys(speaker.device.name for speaker, _ in changed):
            speaker = speakers[name]
            for own, other in speaker.sides:
                # What a map makes of the table may be otherwise now.
                if own.asks_for_default(family) and id(own) not in told_default:
                    if default not in speaker.best:
                        found = default_route(own, other, family, speaker.everything())
                        path = _taken(other, own, found, number)
                        sent.append((speakers[other.name], other, default, path))
        for receiver, end, prefix, path in sent:
            if self._receive(receiver, end, prefix, path):
                following.add((receiver.device.name, prefix))
        return following

    @staticmethod
    def _leak(leak: Leak, speaker: Speaker, target: Speaker, prefix: Prefix) -> bool:
        """Enters what another instance of the device takes over; True if that changed."""
        path = taken_over(leak, speaker.best.get(prefix), speaker.device, target.device)
        known = target.heard.setdefault(prefix, {})
        key = (None, leak.source)
        held = known.get(key)
        if path is None:
            return known.pop(key, None) is not None
        known[key] = path
        return held is None or not same_path(held, path)

    @staticmethod
    def _receive(receiver: Speaker, end: BgpEnd, prefix: Prefix, path: Path | None) -> bool:
        """Enters what came of an update (None: a withdrawal, or nothing); True if it changes what
        the receiver knows."""
        assert end.peer is not None
        key = (end.peer, end.link)
        if path is None:
            return receiver.heard.get(prefix, {}).pop(key, None) is not None
        known = receiver.heard.setdefault(prefix, {})
        held = known.get(key)
        if held is not None:
            if same_path(held, path):
                return False
            path = path._replace(first=held.first)
        known[key] = path
        return True

    def _choose(self, speaker: Speaker, prefix: Prefix, reaching: Reaching) -> bool:
        """Chooses the best path anew; True if what neighbours are told may change."""
        paths = []
        if prefix in speaker.local:
            paths.append(speaker.local[prefix])
        for path in speaker.heard.get(prefix, {}).values():
            metric = self._metric_to(speaker.device, path, reaching)
            if metric is not None:
                same = metric == path.igp_metric
                paths.append(path if same else path._replace(igp_metric=metric))
        held = speaker.process.families.get(prefix.family)
        clusters = held is not None and held.equal_clusters
        best, shared = best_of(speaker.process, paths, clusters)
        before = speaker.best.get(prefix)
        if best is None:
            speaker.best.pop(prefix, None)
            speaker.shared.pop(prefix, None)
            return before is not None
        speaker.best[prefix], speaker.shared[prefix] = best, shared
        speaker.rivals.pop(prefix, None)
        for path in paths:
            if path not in shared and decided_by_age(speaker.process, path, best):
                speaker.rivals[prefix] = path
        return before is None or not same_path(before, best) or before.peer != best.peer

    def _metric_to(self, device: Device, path: Path, reaching: Reaching) -> int | None:
        """The metric of the route to a path's next hop; None if no route leads there."""
        address = path.next_hop
        if address is None or path.link is not None:
            return 0
        if own_next_hop(path):
            return None  # the route to the next hop would lead through itself
        asked = (device.name, address)
        if asked not in self._ways:
            self._ways[asked] = way_to(reaching, *asked)
        way = self._ways[asked]
        if way is None:
            return None
        prefix, protocol, metric, leads = way
        if not leads:
            return None
        if prefix.is_default and not device.profile.resolve_via_default[address.family == 6]:
            return None
        if protocol == "bgp" and prefix == path.prefix:
            return None
        return 0 if protocol in ("connected", "local") else metric

    def why_not_told(self, family: int, holder: str, other: str, prefix: Prefix) -> Refusal | None:
        """Why one speaker's best path does not reach another over their session."""
        speaker = self.states[family].get(holder)
        best = speaker.best.get(prefix) if speaker is not None else None
        if speaker is None or best is None:
            return None
        for own, theirs in speaker.sides:
            if theirs.name != other:
                continue
            waits = _not_yet(speaker, best)
            if waits is not None:
                return waits
            hidden = suppressed(speaker, family, prefix)
            given = give(own, theirs, family, best, hidden)
            if isinstance(given, Refusal):
                return given
            taken = take(theirs, own, family, given, 0)
            if isinstance(taken, Refusal):
                return taken
            if taken.next_hop is not None and prefix not in self.states[family][other].best:
                return Refusal(
                    f"{other} has no route to its next hop {taken.next_hop}",
                )
        return None

    def unknown_next_hop(
        self, family: int, holder: str, other: str, prefix: Prefix
    ) -> Address | None:
        """The next hop with which one speaker tells another of a prefix, if the other has no
        route to it."""
        speaker = self.states[family].get(holder)
        best = speaker.best.get(prefix) if speaker is not None else None
        if speaker is None or best is None or prefix in self.states[family][other].best:
            return None
        if _not_yet(speaker, best) is not None:
            return None
        for own, theirs in speaker.sides:
            if theirs.name == other:
                hidden = suppressed(speaker, family, prefix)
                given = give(own, theirs, family, best, hidden)
                if isinstance(given, Refusal):
                    continue
                taken = take(theirs, own, family, given, 0)
                if not isinstance(taken, Refusal):
                    return taken.next_hop
        return None

    @staticmethod
    def _over_limit(family: int, speakers: dict[str, Speaker]) -> set[tuple[str, str]]:
        """Sessions over which more prefixes come than their limit allows."""
        torn = set()
        for name, speaker in speakers.items():
            for own, _ in speaker.sides:
                held = own.family(family)
                if held.maximum is None or held.maximum_warns:
                    continue
                key = (own.peer, own.link)
                heard = [paths[key] for paths in speaker.heard.values() if key in paths]
                # What is never valid does not count against a limit (seen on real routers).
                count = sum(1 for path in heard if not own_next_hop(path))
                if count > held.maximum.value:
                    torn.add((name, str(own.peer)))
        return torn


@dataclass(frozen=True, slots=True)
class BgpFamilySpeakers:
    """One address family of BGP, in the shape the scheduler knows."""

    protocol = BgpProcess.protocol

    whole: BgpSpeakers
    family: int

    def follow(self, earlier: BgpFamilySpeakers) -> None:
        self.whole.follow(earlier.whole)

    def offers(self, tables: Tables) -> dict[str, list[Route]]:
        return self.whole.offers(self.family, tables)

    def why_not_told(self, prefix: Prefix, holder: str, other: str) -> Untold | None:
        refusal = self.whole.why_not_told(self.family, holder, other, prefix)
        if refusal is None:
            return None
        says = f"{holder} and {other} are {NAMED.label} neighbours, but {refusal.why}."
        return Untold(other, says, refusal.sources)

    def relations(self) -> list[Relation]:
        return self.whole.relations() if self.family == 4 else []

    def areas(self) -> dict[str, list[str]]:
        return {}

    def listening(self) -> tuple[tuple[End, str, Source], ...]:
        """None: its neighbours are named, and those that were not read are doubts."""
        return ()

    def least_distance(self, device: Device) -> int | None:
        """The smallest distance that its routes could have on a device; None without it."""
        process, habits = device.routing.one(BgpProcess), device.profile.habit(BgpHabits)
        if process is None:
            return None
        held = process.families.get(self.family)
        usual = (habits.distance_external, habits.distance_internal, habits.distance_local)
        given = [item.distance for item in held.distances] if held is not None else []
        set_by_maps = [
            1
            for entries in device.policy.route_maps.values()
            for entry in entries
            if any(clause.what == "distance" for clause in entry.sets)
        ]
        return min(*((held.distance if held else None) or usual), *given, *set_by_maps, 255)

    def outside(self) -> Iterator[tuple[str, End, Unmodelled]]:
        """The neighbours that nobody surveyed: (whose, where the way to it leaves what was read,
        what is not known)."""
        for name, neighbours in self.whole.outside.items():
            for neighbour, end in neighbours:
                why = (
                    f"its BGP neighbour {neighbour.called} is not in the survey, and what that "
                    "teaches it is not known"
                )
                item = Unmodelled(neighbour.source, why, self.family)
                yield name, end, item

    def _between_routers(self, held: Mapping[str, list[Unmodelled]]) -> dict[str, list[Unmodelled]]:
        """Instances that take over what other routers may offer them: that is not computed."""
        speakers = self.whole.states[self.family]
        out: dict[str, list[Unmodelled]] = {}
        for name, speaker in speakers.items():
            family = speaker.process.families.get(self.family)
            chassis = speakers.get(speaker.device.chassis)
            line = chassis.process.between_routers if chassis is not None else None
            if line is None or family is None or family.taken is None or not family.taken.value:
                continue
            why = "what other routers offer its routing instances (RFC 4364) is not computed"
            out[name] = [*held.get(name, ()), Unmodelled(line, why, self.family, told=True)]
        return out

    def doubts(self) -> dict[str, list[Unmodelled]]:
        """Speakers whose choice never settles, or whose neighbours are hidden."""
        out: dict[str, list[Unmodelled]] = {}
        for name, neighbours in self.whole.hidden.items():
            for neighbour in neighbours:
                why = (
                    f"its BGP neighbour on {neighbour.called} is met by a link-local address, "
                    "and whose that is was not gathered"
                )
                item = Unmodelled(neighbour.source, why, self.family, told=True)
                out.setdefault(name, []).append(item)
        out |= self._between_routers(out)
        for name, prefix in sorted(self.whole.unsettled[self.family]):
            process = self.whole.states[self.family][name].process
            why = f"BGP never settles on a path to {prefix}: neighbours change each other's choice"
            out.setdefault(name, []).append(Unmodelled(process.source, why, self.family))
        return out


def _not_yet(speaker: Speaker, best: Path) -> Refusal | None:
    """Why a speaker that tells only of installed routes does not tell of one (measured on FRR 8.4,
    tests/real/test_installed_first.py): its table has none, or another protocol's."""
    if speaker.table is None or best.kind == LOCAL:
        return None
    held = speaker.table.winner(best.prefix)
    if held is not None and held.protocol == BgpProcess.protocol:
        return None
    flag = speaker.process.installed_first
    name = speaker.device.name
    why = f"{name} tells only of routes that its own table has, and " + (
        f"that has no route to {best.prefix}"
        if held is None
        else f"that has {best.prefix} by {held.protocol}"
    )
    return Refusal(why, (flag.source,) if flag is not None else ())


def _taken(end: BgpEnd, other: BgpEnd, update: Update | None, number: int) -> Path | None:
    """What `end` makes of what `other` tells it, if it takes it."""
    if update is None:
        return None
    found = take(end, other, update.attributes.prefix.family, update, number)
    return found if isinstance(found, Path) else None


def _speak(network: Network, links: Links, families: Sequence[int]) -> list[BgpFamilySpeakers]:
    # Sessions carry both families: they are found once.
    whole = BgpSpeakers(network, links, min(families, default=4))
    return [whole.of(family) for family in families]


BGP = RoutingProtocol(
    NAMED,
    _speak,
    gates.GATES,
    gates.LATER,
    packets=OWN,
)
