"""Which route a device with rules obeys for a packet.

Measured on Linux 6 (tests/core/test_rules.py, captured networks): rules go by priority; a table
without a match leads on to the next rule; a discard route in a table ends the search; the main
table is what every protocol filled.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from ..network.addressing import FAMILIES, Address, Prefix
from ..network.facts import Device
from ..network.rules import Rule
from ..protocols.connected import connected_routes
from ..protocols.links import Links
from ..protocols.routes import NextHop, Route
from ..protocols.rows import Winners
from ..protocols.selection import choose
from ..protocols.statics import StaticResolver
from ..protocols.table import Lookup

MAIN = ("main", "254")
SKIPPED = ("local", "255")
"""The device's own addresses are looked up before everything else, by whoever asks here."""


@dataclass(frozen=True, slots=True)
class Ruled:
    """A route, and the rule by which it was found; no route if nothing matches anywhere."""

    route: Route | None
    rule: Rule | None


class RuleTables:
    """The rules of one device with its further tables, ready to be asked."""

    def __init__(self, device: Device, links: Links) -> None:
        self.rules = {
            family: sorted(
                (r for r in device.rules if r.family == family), key=lambda r: r.priority
            )
            for family in FAMILIES
        }
        self._tables: dict[tuple[str, int], Lookup] = {}
        for name, statics in device.tables.items():
            for family in FAMILIES:
                mine = tuple(s for s in statics if s.prefix.family == family)
                if mine:
                    held = replace(device, statics=mine)
                    self._tables[name, family] = Lookup(_table(held, family, links))

    def find(
        self, main: Lookup, source: Address | None, target: Address, arrived: str | None
    ) -> Ruled:
        """The first route that a rule leads to; `main` is the device's main table."""
        for rule in self.rules[target.family]:
            if not rule.takes(source, target, arrived):
                continue
            if rule.special is not None:
                return Ruled(_ends(rule, target.family), rule)
            if rule.table in SKIPPED or rule.table is None:
                continue
            table = main if rule.table in MAIN else self._tables.get((rule.table, target.family))
            route = table(target) if table is not None else None
            if route is None:
                continue
            if rule.suppress is not None and route.prefix.length <= rule.suppress:
                continue
            return Ruled(route, rule)
        return Ruled(None, None)


def _table(device: Device, family: int, links: Links) -> Winners:
    """The routes of one further table, their gateways looked for on the device's links."""
    fixed = connected_routes(device, family, links)
    resolver = StaticResolver(device, family, links)
    resolver.learn_connected(fixed)
    chosen = choose(resolver.candidates(Winners(choose(fixed), [])))
    return Winners({p: route for p, route in chosen.items() if route.protocol == "static"}, [])


def _ends(rule: Rule, family: int) -> Route:
    """What a rule does that ends packets itself."""
    hop = NextHop(rule.special or "discard", None, None)
    return Route(Prefix(family, 0, 0), "static", 0, 0, (hop,), (rule.line,), selected=True)
