"""One path with its attributes, and the order in which a speaker prefers paths."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from ...network.addressing import Address, Prefix
from ...network.bgp import BgpProcess
from ...step.routes import Origin
from ..policy import Attributes

LOCAL, INTERNAL, EXTERNAL = "local", "ibgp", "ebgp"
MEMBER = "confed"
"""From another member system of the own confederation (RFC 5065)."""
LOCAL_WEIGHT = 32768
_ORIGINS = {"igp": 0, "egp": 1, "incomplete": 2}


class Path(NamedTuple):
    """A path to a prefix as one speaker holds it.

    `peer` is the address it came from (None: announced here), `speaker` the neighbour's
    name. `originator` and `clusters` are set by route reflectors (RFC 4456).
    """

    attributes: Attributes
    kind: str
    origin: Origin
    peer: Address | None = None
    speaker: str | None = None
    router_id: int = 0
    originator: int | None = None
    clusters: tuple[int, ...] = ()
    aggregate: bool = False
    recursive: bool = True
    igp_metric: int = 0
    first: int = 0
    """The round in which it arrived: between equal external paths the older one stays."""
    link: str | None = None
    """The interface, for a next hop that is a link-local address."""
    told_next_hop: Address | None = None
    """The next hop as it was told, where packets go by the link-local address beside it."""
    leaked: str | None = None
    """The node of another routing instance of the device that it was taken over from."""
    over: str | None = None
    """The interface, if the session itself is one between link-local addresses."""

    @property
    def prefix(self) -> Prefix:
        return self.attributes.prefix

    @property
    def next_hop(self) -> Address | None:
        return self.attributes.next_hop

    @property
    def neighbour_as(self) -> int | None:
        path = self.attributes.as_path
        return path[0] if path else None

    @property
    def length(self) -> int:
        """The length of the AS path; a set counts as one (RFC 4271, 9.1.2.2 a)."""
        return len(self.attributes.as_path) + bool(self.attributes.as_set)

    @property
    def preference(self) -> int:
        held = self.attributes.local_preference
        return 100 if held is None else held


@dataclass(frozen=True, slots=True)
class Decision:
    """A comparison of two paths: negative if the first is better, and by which rule."""

    order: int
    rule: str
    equal: bool = False
    """True if both may share traffic."""


def compare(process: BgpProcess, new: Path, held: Path) -> Decision:
    """Compares two paths to one prefix (RFC 4271, 9.1, with the usual additions).

    The order: weight, local preference, announced here, AS path, origin, MED, external
    before internal, metric to the next hop, then, between paths that could share traffic,
    age, router id, cluster list and address.
    """
    a, b = new.attributes, held.attributes
    if a.weight != b.weight:
        return Decision(b.weight - a.weight, "weight")
    mine, theirs = _preference(process, new), _preference(process, held)
    if mine != theirs:
        return Decision(theirs - mine, "local preference")
    if (new.kind == LOCAL) != (held.kind == LOCAL):
        return Decision(-1 if new.kind == LOCAL else 1, "announced here")
    lengths = [p.length for p in (new, held)]
    if process.as_path_confed:
        lengths = [p.length + len(p.attributes.confed) for p in (new, held)]
    if not process.as_path_ignore and lengths[0] != lengths[1]:
        return Decision(lengths[0] - lengths[1], "AS path length")
    if a.origin != b.origin:
        order = _ORIGINS.get(a.origin, 2) - _ORIGINS.get(b.origin, 2)
        return Decision(order, "origin")
    internal_both = not a.as_path and not b.as_path
    if (
        process.always_compare_med
        or internal_both
        or (a.confed and b.confed and a.confed[0] == b.confed[0])
        or (new.neighbour_as is not None and new.neighbour_as == held.neighbour_as)
    ):
        left, right = _med(process, a.metric), _med(process, b.metric)
        if left != right:
            return Decision(left - right, "MED")
    inside = [p.kind in (INTERNAL, MEMBER) for p in (new, held)]
    if inside[0] != inside[1]:
        relaxed = process.peer_type_relax and new.igp_metric == held.igp_metric
        equal = relaxed and _same_path(process, new, held)
        return Decision(1 if inside[0] else -1, "external before internal", equal)
    if new.igp_metric != held.igp_metric:
        return Decision(new.igp_metric - held.igp_metric, "metric to the next hop")
    if {new.kind, held.kind} == {INTERNAL, MEMBER}:
        return Decision(-1 if new.kind == MEMBER else 1, "other member system before own")
    equal = _same_path(process, new, held)
    if new.kind == held.kind == EXTERNAL and not process.compare_router_id:
        if new.first != held.first:
            return Decision(new.first - held.first, "received first", equal)
    left_id = new.originator if new.originator is not None else new.router_id
    right_id = held.originator if held.originator is not None else held.router_id
    if left_id != right_id:
        return Decision(left_id - right_id, "router id", equal)
    if len(new.clusters) != len(held.clusters):
        return Decision(len(new.clusters) - len(held.clusters), "cluster list", equal)
    left_peer = new.peer.value if new.peer else 0
    right_peer = held.peer.value if held.peer else 0
    return Decision(left_peer - right_peer, "neighbour address", equal)


def _same_path(process: BgpProcess, new: Path, held: Path) -> bool:
    """Whether two paths lead through the same systems, as far as sharing traffic asks for it."""
    a, b = new.attributes, held.attributes
    return new.length == held.length and (
        process.multipath_relax
        or (a.as_path, a.as_set, a.confed) == (b.as_path, b.as_set, b.confed)
    )


def decided_by_age(process: BgpProcess, path: Path, best: Path) -> bool:
    """True if real speakers would keep whichever of two external paths came first."""
    if process.compare_router_id or not path.kind == best.kind == EXTERNAL:
        return False
    rule = compare(process, path, best).rule
    return rule in ("received first", "router id", "cluster list", "neighbour address")


def _preference(process: BgpProcess, path: Path) -> int:
    held = path.attributes.local_preference
    return process.default_local_preference if held is None else held


def _med(process: BgpProcess, value: int | None) -> int:
    if value is None:
        return 0xFFFFFFFF if process.missing_med_worst else 0
    return value


def best_of(
    process: BgpProcess, paths: list[Path], equal_clusters: bool = False
) -> tuple[Path | None, list[Path]]:
    """The best path and all that share traffic with it; with `equal_clusters`, internal ones
    only if they were reflected as often.

    With deterministic comparison of MEDs, paths of one neighbouring system are compared
    among themselves first, so that their order of arrival does not matter.
    """
    if len(paths) < 2:
        return (paths[0], paths) if paths else (None, [])
    if len(paths) == 2:
        return _of_two(process, paths, equal_clusters)
    groups: dict[object, list[Path]] = {}
    for path in paths:
        key = path.neighbour_as if process.deterministic_med else None
        groups.setdefault(key, []).append(path)
    finalists = [_champion(process, group) for group in groups.values()]
    best = _champion(process, finalists)
    mixed = process.peer_type_relax and best.kind != LOCAL
    shared = [
        path
        for path in paths
        if path is best
        or (
            (path.kind == best.kind or (mixed and path.kind != LOCAL))
            and not (equal_clusters and len(path.clusters) != len(best.clusters))
            and _shares(process, path, best)
        )
    ]
    return best, shared


def _of_two(
    process: BgpProcess, paths: list[Path], equal_clusters: bool
) -> tuple[Path, list[Path]]:
    """`best_of` for the usual number, with one comparison."""
    one, other = paths
    decision = compare(process, other, one)
    best, lost = (other, one) if decision.order < 0 else (one, other)
    mixed = process.peer_type_relax and best.kind != LOCAL
    shares = (
        decision.equal
        and (lost.kind == best.kind or (mixed and lost.kind != LOCAL))
        and not (equal_clusters and len(lost.clusters) != len(best.clusters))
    )
    return best, paths if shares else [best]


def _champion(process: BgpProcess, paths: list[Path]) -> Path:
    best = paths[0]
    for path in paths[1:]:
        if compare(process, path, best).order < 0:
            best = path
    return best


def _shares(process: BgpProcess, path: Path, best: Path) -> bool:
    decision = compare(process, path, best)
    return decision.equal
