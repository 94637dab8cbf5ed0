"""The scheduler: every device's tables, computed to a fixed point.

Connected routes come first; static routes are resolved against the table they are part
of until nothing changes. The number of rounds is bounded: routes that keep replacing
each other are reported as unsettled, with the routes concerned.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from ..network.addressing import FAMILIES, Prefix
from ..network.facts import Device, Network
from ..network.quiet import without_collecting
from .connected import connected_routes
from .links import Links
from .routes import Route, Table
from .selection import choose, explain_losers
from .statics import StaticResolver


@dataclass(slots=True)
class Tables:
    """The computed tables of a network; `of` finds one by device and family."""

    network: Network
    links: Links
    tables: dict[tuple[str, int], Table] = field(default_factory=dict)

    def of(self, device: str, family: int) -> Table:
        return self.tables[device, family]


def compute_tables(network: Network) -> Tables:
    """Computes all tables from configuration, addresses, interface state and wiring."""
    links = Links(network)
    out = Tables(network, links)
    with without_collecting():
        for device in network.devices:
            for family in FAMILIES:
                out.tables[device.name, family] = compute_table(device, family, links)
    return out


def compute_table(device: Device, family: int, links: Links) -> Table:
    """One device's table of one family."""
    fixed = connected_routes(device, family, links)
    resolver = StaticResolver(device, family, links)
    resolver.learn_connected(fixed)
    best = choose(fixed)
    table = Table(device.name, family)
    candidates = fixed
    if resolver.groups:
        rounds = len(resolver.groups) + 3
        history: list[dict[Prefix, tuple[object, ...]]] = []
        for _ in range(rounds):
            statics = resolver.candidates(best)
            candidates = [*fixed, *statics]
            new = choose(candidates)
            if _shape(new) == _shape(best) or resolver.holds(new):
                best = new
                break
            history.append(_shape(new))
            best = new
        else:
            table.unsettled = _moving(best, history)
            for route in table.unsettled:
                # Neither state is true for long, so the route is not claimed to be there.
                best.pop(route.prefix, None)
    explain_losers(candidates, best)
    table.routes, table.best = candidates, best
    return table


def _shape(best: dict[Prefix, Route]) -> dict[Prefix, tuple[object, ...]]:
    return {
        prefix: (route.protocol, route.distance, route.next_hops) for prefix, route in best.items()
    }


def _moving(
    best: dict[Prefix, Route], history: list[dict[Prefix, tuple[object, ...]]]
) -> tuple[Route, ...]:
    last = history[-1]
    moving = {
        prefix
        for earlier in history[-4:]
        for prefix in earlier.keys() | last.keys()
        if earlier.get(prefix) != last.get(prefix)
    }
    return tuple(route for prefix, route in best.items() if prefix in moving)
