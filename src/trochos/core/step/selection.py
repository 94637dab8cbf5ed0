"""The one place where routes compete: lower distance, then lower metric, then first come.

Protocols only offer candidates. An unusable candidate never wins, and a static route
with distance 255 is never used (FRR takes that distance for "unreachable").
"""

from __future__ import annotations

from collections.abc import Iterable

from ..network.addressing import Prefix
from .routes import Route

NEVER = 255


def choose(candidates: Iterable[Route]) -> dict[Prefix, Route]:
    """The winner per prefix; candidates keep the order in which they were offered."""
    best: dict[Prefix, Route] = {}
    for route in candidates:
        if route.problem is not None or not route.next_hops:
            continue
        distance = route.distance
        if distance == NEVER and route.protocol == "static":
            continue
        held = best.setdefault(route.prefix, route)
        if held is not route and (
            distance < held.distance or (distance == held.distance and route.metric < held.metric)
        ):
            best[route.prefix] = route
    return best


def _is_local(route: Route | None) -> bool:
    return route is not None and route.protocol == "local"


def explain_losers(candidates: Iterable[Route], best: dict[Prefix, Route]) -> None:
    """Marks winners, and gives every loser its reason.

    A route to one of the device's own addresses does not keep another one out of the table; it
    is only that packets never come to it.
    """
    beside = [r for r in candidates if r.protocol != "local" and _is_local(best.get(r.prefix))]
    unused = choose(beside)
    for route in candidates:
        winner = best.get(route.prefix)
        route.selected = route is winner or route is unused.get(route.prefix)
        if route.selected:
            continue
        route.lost_to = winner
        if route.why is not None or winner is None:
            if route.why is None and route.distance == NEVER:
                route.why = "a distance of 255 means that the route is never used."
            continue
        if winner.protocol == "connected" and route.protocol == "connected":
            here, there = route.next_hops[0].interface, winner.next_hops[0].interface
            route.why = f"the same subnet is on {there} too, which comes before {here}."
        elif route.distance != winner.distance:
            route.why = (
                f"distance {route.distance} loses to {winner.distance} of the "
                f"{winner.protocol} route."
            )
        elif route.metric != winner.metric:
            route.why = f"metric {route.metric} loses to {winner.metric}."
        else:
            route.why = "an equal route was there first."
