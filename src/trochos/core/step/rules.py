"""Which route a device with rules obeys for a packet.

Measured on Linux 6 (tests/core/test_rules.py, captured networks): rules go by priority; a table
without a match leads on to the next rule; a discard route in a table ends the search; the main
table is what every protocol filled.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

from ..network.addressing import FAMILIES, Address, Prefix
from ..network.facts import Device
from ..network.rules import Kind, Rule
from .connected import connected_routes
from .links import Links
from .routes import NextHop, Route
from .rows import Winners
from .selection import choose
from .statics import StaticResolver
from .table import Lookup

MAIN = ("main", "254")
SKIPPED = ("local", "255")
"""The device's own addresses are looked up before everything else, by whoever asks here."""


@dataclass(frozen=True, slots=True)
class Ruled:
    """A route, and the rule by which it was found; no route if nothing matches anywhere.

    `unsure` is the first rule of which it cannot be said whether it takes the packet: what comes
    after it is not known.
    """

    route: Route | None
    rule: Rule | None
    unsure: Rule | None = None


TAKEN, PASSES, NOTHING, SUPPRESSED = "taken", "passes", "nothing", "suppressed"
ONWARD, SKIPPED_OVER, LATER, UNSURE = "onward", "skipped", "later", "unsure"
IDLE = "idle"
STATES = (TAKEN, PASSES, NOTHING, SUPPRESSED, ONWARD, SKIPPED_OVER, LATER, UNSURE, IDLE)


@dataclass(frozen=True, slots=True)
class Asked:
    """A rule that was asked about a packet: it decides (`taken`, with the route), does not take it
    (`passes`), finds `nothing` in its table or only what it passes over (`suppressed`), leads
    `onward`, is `skipped` by one that does, comes `later` than the one that decides, may take it
    or not (`unsure`), or is not carried out (`idle`)."""

    rule: Rule
    state: str
    route: Route | None = None

    def as_json(self) -> dict[str, object]:
        return {
            "priority": self.rule.priority,
            "called": self.rule.called,
            "about": self.rule.about,
            "table": self.rule.table,
            "special": self.rule.special,
            "state": self.state,
            "prefix": str(self.route.prefix) if self.route is not None else None,
            "entry": self.rule.line.as_json(),
        }


class RuleTables:
    """The rules of one device with its further tables, ready to be asked."""

    def __init__(self, device: Device, links: Links, main: Mapping[int, Winners]) -> None:
        """`main` is the device's main table per family: next hops of a daemon's tables may be
        found through it, a kernel's are not."""
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
                    self._tables[name, family] = Lookup(_table(held, family, links, main[family]))

    def find(
        self, main: Lookup, source: Address | None, target: Address, arrived: str | None, kind: Kind
    ) -> Ruled:
        """The first route that a rule leads to; `main` is the device's main table."""
        for asked in self.asked(main, source, target, arrived, kind):
            if asked.state == UNSURE:
                return Ruled(None, None, asked.rule)
            if asked.route is not None and asked.state == TAKEN:
                return Ruled(asked.route, asked.rule)
        return Ruled(None, None)

    def asked(
        self, main: Lookup, source: Address | None, target: Address, arrived: str | None, kind: Kind
    ) -> Iterator[Asked]:
        """Every rule in its order with what it does with a packet; after the one that decides, the
        others are not asked."""
        rules = self.rules[target.family]
        skipping: int | None = None
        decided = False
        for rule in rules:
            if rule.idle is not None:
                yield Asked(rule, IDLE)
                continue
            if decided:
                yield Asked(rule, LATER)
                continue
            if skipping is not None and rule.priority < skipping:
                yield Asked(rule, SKIPPED_OVER)
                continue
            skipping = None
            takes = rule.takes(source, target, arrived, kind)
            if takes is not True:
                decided = takes is None
                yield Asked(rule, UNSURE if takes is None else PASSES)
                continue
            if rule.onward is not None:
                # One that leads to no rule does nothing.
                if any(other.priority == rule.onward for other in rules):
                    skipping = rule.onward
                yield Asked(rule, ONWARD)
                continue
            if rule.special is not None:
                decided = True
                yield Asked(rule, TAKEN, _ends(rule, target.family))
                continue
            route = self.looked_up(rule, main, target)
            if route is None:
                yield Asked(rule, NOTHING)
            elif (
                rule.suppress is not None
                and route.prefix.length <= rule.suppress
                # One that ends packets is not passed over.
                and all(hop.action == "forward" for hop in route.next_hops)
            ):
                yield Asked(rule, SUPPRESSED, route)
            else:
                decided = True
                yield Asked(rule, TAKEN, route)

    def has_default(self, rule: Rule) -> bool:
        """True if the further table that a rule leads to has an answer for every packet."""
        table = self._tables.get((rule.table or "", rule.family))
        found = table(Address(rule.family, 0)) if table is not None else None
        return found is not None and found.prefix.is_default

    def looked_up(self, rule: Rule, main: Lookup, target: Address) -> Route | None:
        """The route to a target in the table that a rule leads to."""
        if rule.table in SKIPPED or rule.table is None:
            return None
        table = main if rule.table in MAIN else self._tables.get((rule.table, target.family))
        return table(target) if table is not None else None


def _table(device: Device, family: int, links: Links, main: Winners) -> Winners:
    """The routes of one further table, their gateways looked for on the device's links, and
    through the main table where a daemon put them there."""
    fixed = connected_routes(device, family, links)
    resolver = StaticResolver(device, family, links)
    resolver.learn_connected(fixed)
    kernel = all(static.kernel for static in device.statics)
    chosen = choose(resolver.candidates(Winners(choose(fixed), []) if kernel else main))
    return Winners({p: route for p, route in chosen.items() if route.protocol == "static"}, [])


def _ends(rule: Rule, family: int) -> Route:
    """What a rule does that ends packets itself."""
    hop = NextHop(rule.special or "discard", None, None)
    return Route(Prefix(family, 0, 0), "static", 0, 0, (hop,), (rule.line,), selected=True)
