"""Aggregates: what they are made of, and which of their parts they hide (RFC 4271, 9.2.2.2)."""

from __future__ import annotations

from ...network import claims
from ...network.addressing import Prefix
from ...network.bgp import BgpAggregate
from ...network.claims import Claim
from ...network.source import Source
from ...step.routes import Origin
from ..policy import Attributes, apply_route_map
from .paths import LOCAL, LOCAL_WEIGHT, Path
from .speaker import Speaker, same_path


def covering(
    speaker: Speaker, family: int, prefix: Prefix, equal: bool = False
) -> list[BgpAggregate]:
    """The speaker's aggregates that a prefix is part of; with `equal` the one for itself, too."""
    held = speaker.process.families.get(family)
    return [
        a
        for a in (held.aggregates if held else ())
        if a.prefix.covers(prefix) and (equal or a.prefix != prefix)
    ]


def aggregate_of(speaker: Speaker, aggregate: BgpAggregate) -> bool:
    """Makes or drops the aggregate's own path; True if that changed."""
    parts = [
        path
        for prefix, path in speaker.best.items()
        if aggregate.prefix.covers(prefix) and prefix != aggregate.prefix and not path.aggregate
    ]
    before = speaker.local.get(aggregate.prefix)
    if aggregate.matching_med and len({p.attributes.metric or 0 for p in parts}) > 1:
        parts = []  # measured on FRR 8.4: while they differ there is none
    if not parts:
        if before is not None and before.aggregate:
            del speaker.local[aggregate.prefix]
            return True
        return False
    origins = {path.attributes.origin for path in parts}
    origin_code = "igp"
    for word in ("egp", "incomplete"):
        if word in origins:
            origin_code = word
    members: frozenset[int] = frozenset()
    common: tuple[int, ...] = ()
    communities: frozenset[int] = frozenset()
    large: frozenset[str] = frozenset()
    if aggregate.as_set:
        # What all paths begin with stays in order (RFC 4271, 9.2.2.2).
        paths = [p.attributes.as_path for p in parts]
        common = _common_start(paths)
        members = frozenset(n for path in paths for n in path[len(common) :])
        members |= {n for p in parts for n in p.attributes.as_set}
        for part in (p.attributes for p in parts):
            communities |= part.communities
            large |= part.large_communities
    attributes = Attributes(
        aggregate.prefix,
        "bgp",
        metric=0,
        communities=communities,
        large_communities=large,
        origin=aggregate.origin or origin_code,
        weight=LOCAL_WEIGHT,
        as_path=common,
        as_set=members,
    )
    because: list[Source] = [aggregate.source]
    if aggregate.route_map is not None:
        ruling = apply_route_map(speaker.device.policy, aggregate.route_map, attributes)
        if ruling.permit:
            attributes = ruling.attributes
            because += ruling.because
    name = speaker.device.name
    claim = Claim(claims.PARTS, name, aggregate.prefix, "it holds")
    first = min(parts, key=lambda path: path.prefix)
    path = Path(attributes, LOCAL, Origin(claim, tuple(because), first.origin), aggregate=True)
    if before is not None and before.aggregate and same_path(before, path):
        return False
    speaker.local[aggregate.prefix] = path
    return True


def suppressed(speaker: Speaker, family: int, prefix: Prefix) -> bool:
    """True if an aggregate in force hides this part of it."""
    for aggregate in covering(speaker, family, prefix):
        if aggregate.prefix not in speaker.best:
            continue
        if aggregate.summary_only:
            return True
        if aggregate.suppress_map is not None:
            path = speaker.best[prefix]
            ruling = apply_route_map(speaker.device.policy, aggregate.suppress_map, path.attributes)
            if ruling.permit:
                return True
    return False


def _common_start(paths: list[tuple[int, ...]]) -> tuple[int, ...]:
    """What all of several AS paths begin with."""
    shortest = min(paths, key=len)
    for at, number in enumerate(shortest):
        if any(path[at] != number for path in paths):
            return shortest[:at]
    return shortest
