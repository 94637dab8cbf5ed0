"""What a speaker's best paths are to its device's table."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from ...network.addressing import Address
from ...network.bgp import BgpFamily, BgpHabits
from ...step.routes import NextHop, Route
from .. import vectors
from .leaks import way_into
from .paths import INTERNAL, LOCAL, Path
from .speaker import Speaker


def candidates(family: int, speaker: Speaker, speakers: Mapping[str, Speaker]) -> list[Route]:
    """What a speaker offers to its device's table; `speakers` are all of the family."""
    habits = speaker.device.profile.habit(BgpHabits)
    held = speaker.process.families.get(family)
    external, internal, local = (held.distance if held else None) or (
        habits.distance_external,
        habits.distance_internal,
        habits.distance_local,
    )
    out = []
    leading: dict[object, tuple[tuple[NextHop, ...], tuple[Address, ...]]] = {}
    for prefix, best in speaker.best.items():
        if best.leaked is not None:
            distance = internal if best.kind == INTERNAL else external
            hop = way_into(best, speakers[best.leaked].device)
            out.append(
                Route(
                    prefix,
                    "bgp",
                    distance,
                    best.attributes.metric or 0,
                    (hop,),
                    best.origin.evidence(),
                    type="leaked",
                    origin=best.origin,
                    tag=best.attributes.tag,
                )
            )
            continue
        if best.kind == LOCAL:
            if best.aggregate:
                out.append(
                    Route(
                        prefix,
                        "bgp",
                        local,
                        0,
                        (NextHop("discard"),),
                        best.origin.evidence(),
                        type="aggregate",
                        origin=best.origin,
                    )
                )
            continue
        ebgp = best.kind == "ebgp"
        limit = habits.max_paths
        if held is not None:
            given = held.max_paths_ibgp if best.kind == INTERNAL else held.max_paths
            limit = given if given is not None else limit
        paths = speaker.shared[prefix]
        if len(paths) > 1:
            paths = sorted(paths, key=lambda p: (p is not best, p.peer or Address(0, 0)))
        ways = tuple((path.next_hop, path.link) for path in paths[: max(1, limit)])
        if ways not in leading:
            leading[ways] = _hops(ways)
        hops, via = leading[ways]
        if not best.recursive:
            via = ()
        metric = best.attributes.metric or 0
        distance = external if ebgp else internal
        distance = _peer_distance(speaker, held, best, distance)
        if best.attributes.distance is not None:
            distance = best.attributes.distance
        out.append(
            Route(
                prefix,
                "bgp",
                distance,
                metric,
                hops,
                best.origin.evidence(),
                via,
                type=best.kind,
                origin=best.origin,
                tag=best.attributes.tag,
            )
        )
    return out


def _peer_distance(speaker: Speaker, held: BgpFamily | None, best: Path, usual: int) -> int:
    """The distance of a path: what is said of its neighbour, else the usual."""
    if held is None or best.peer is None:
        return usual
    hops = (NextHop("forward", best.peer),)
    return vectors.distance(speaker.device, held.distances, hops, best.prefix, usual)


def _hops(
    ways: Iterable[tuple[Address | None, str | None]],
) -> tuple[tuple[NextHop, ...], tuple[Address, ...]]:
    """The next hops of paths, by address, and the addresses that may be resolved."""
    hops = sorted(
        dict.fromkeys(NextHop("forward", address, link) for address, link in ways),
        key=lambda hop: hop.address.value if hop.address else 0,
    )
    return tuple(hops), tuple(hop.address for hop in hops if hop.address)
