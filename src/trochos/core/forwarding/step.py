"""One device's decision about one packet: the step that walks and arrays both take.

Everything that decides where a packet goes next is in this file: whether the device
takes it for its own, whether it forwards at all, which route it obeys, and who is at
the other end of each next hop.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from ..network.addressing import FAMILIES, FAMILY_NAMES, Address, Prefix
from ..network.facts import ALL, ROUTED, Device, End, Tunnel, Unmodelled
from ..network.rules import Kind, Rule
from ..protocols.filters import Filters
from ..protocols.routes import NextHop, Route
from ..protocols.rows import Winners
from ..protocols.table import Lookup, Table
from ..protocols.tables import Tables
from .links import Neighbourhood
from .rules import SKIPPED, Asked, Ruled, RuleTables
from .strangers import Strangers
from .translate import Translator

_ANY = Kind()
"""A packet of which nobody said what it is."""


@dataclass(slots=True)
class Fate:
    """What becomes of the packet on one next hop.

    Either it ends here (`verdict`, `reason`), or `to` takes it on that end.
    """

    hop: NextHop | None
    verdict: str | None = None
    reason: str = ""
    to: End | None = None


@dataclass(slots=True)
class Step:
    """A device's decision: it ends here, or goes on along each of `fates`."""

    device: str
    route: Route | None = None
    fates: tuple[Fate, ...] = ()
    caveats: tuple[Unmodelled, ...] = ()
    rule: Rule | None = None
    """The rule that led to the route, where the device has rules."""


@dataclass(slots=True)
class Forwarding:
    """The forwarding view of a network: what packets meet, derived from its tables.

    `tables_obeyed` differs from the routing tables in one way: a kernel that keeps the
    subnet of an interface without carrier goes on sending into it.
    """

    tables: Tables
    near: Neighbourhood = field(init=False)
    strangers: Strangers = field(init=False)
    """What devices that nobody could read may change in the tables of others."""
    obeyed: dict[tuple[str, int], Winners] = field(default_factory=dict)
    filters: dict[str, Filters] = field(default_factory=dict)
    """The filters of each device that has some."""
    torn: dict[End, str] = field(default_factory=dict)
    """Ends of tunnels through which no neighbour is heard, each with what became of packets."""
    under: dict[End, object] = field(default_factory=dict)
    """The outer leg of each tunnel that was gone through."""
    rules: dict[str, RuleTables] = field(default_factory=dict)
    """The rules of each device that has some."""
    _translators: dict[str, Translator] = field(default_factory=dict)
    _may_rewrite: bool | None = None
    _through: dict[End, list[Fate]] = field(default_factory=dict)
    _inside: list[End] = field(default_factory=list)
    _lookups: dict[tuple[str, int], Lookup] = field(default_factory=dict)
    _unmodelled: dict[tuple[str, int], list[Unmodelled]] = field(default_factory=dict)
    _unmodelled_ends: dict[tuple[End, int], list[Unmodelled]] = field(default_factory=dict)
    _beyond_routes: dict[tuple[str, int], list[Unmodelled]] = field(default_factory=dict)
    """Of `_unmodelled` what touches packets for the device's own links, too."""
    _told: dict[tuple[str, int], list[Unmodelled]] = field(default_factory=dict)
    """Per device what it tells other routers on grounds that are not computed."""
    _heard: dict[tuple[str, int], list[Unmodelled]] = field(default_factory=dict)
    """Per device what those could tell it that it has no route from."""

    def __post_init__(self) -> None:
        self.near = Neighbourhood(self.tables)
        for (name, family), table in self.tables.tables.items():
            self.obeyed[name, family] = _obeyed(table)
        self.filters = self.tables.links.filters
        self._translators = {
            device.name: Translator(device)
            for device in self.tables.network.devices
            if device.translations
        }
        self.rules = {
            device.name: RuleTables(
                device, self.tables.links, {f: self.obeyed[device.name, f] for f in FAMILIES}
            )
            for device in self.tables.network.devices
            if device.rules
        }
        doubts = self.tables.doubts()
        for device in self.tables.network.devices:
            for item in (*device.unmodelled, *doubts.get(device.name, ())):
                for family in (4, 6):
                    if item.family not in (None, family):
                        continue
                    if item.interface is None:
                        self._unmodelled.setdefault((device.name, family), []).append(item)
                        if item.touches != ROUTED:
                            held = self._beyond_routes.setdefault((device.name, family), [])
                            held.append(item)
                        if item.told:
                            self._told.setdefault((device.name, family), []).append(item)
                    else:
                        key = (End(device.name, item.interface), family)
                        self._unmodelled_ends.setdefault(key, []).append(item)
        if self._told:
            self._spread()
        self.strangers = Strangers(self.tables, self.near, self.matching)

    @property
    def devices(self) -> dict[str, Device]:
        return self.near.devices

    def forwards(self, device: str, arrived: str, family: int) -> bool:
        """True if the device passes on packets that arrive on this interface."""
        facts = self.devices[device]
        interface = facts.interface(arrived)
        index = 0 if family == 4 else 1
        if interface is not None and interface.forwarding[index] is not None:
            return bool(interface.forwarding[index])
        return facts.forwarding[index]

    def matching(self, device: str, target: Address) -> Route | None:
        """The route the device obeys for a target: the longest match."""
        key = (device, target.family)
        lookup = self._lookups.get(key)
        if lookup is None:
            lookup = self._lookups[key] = Lookup(self.obeyed[key])
        return lookup(target)

    def chosen(
        self,
        device: str,
        source: Address | None,
        target: Address,
        arrived: str | None,
        kind: Kind = _ANY,
    ) -> Ruled:
        """The route that a device obeys for a packet, and the rule that led there, if it has
        rules; they may ask for the packet's `kind`."""
        rules = self.rules.get(device)
        if rules is None or not rules.rules[target.family]:
            return Ruled(self.matching(device, target), None)
        self.matching(device, target)
        return rules.find(self._lookups[device, target.family], source, target, arrived, kind)

    def rules_asked(
        self, device: str, source: Address | None, target: Address, arrived: str | None, kind: Kind
    ) -> list[Asked]:
        """What each rule of a device does with a packet, in their order."""
        rules = self.rules.get(device)
        if rules is None:
            return []
        self.matching(device, target)
        main = self._lookups[device, target.family]
        return [
            item
            for item in rules.asked(main, source, target, arrived, kind)
            if item.rule.table not in SKIPPED
        ]

    def ruled(self, device: str, family: int) -> bool:
        """True if rules of the device choose its table."""
        rules = self.rules.get(device)
        return rules is not None and bool(rules.rules[family])

    def not_computed(
        self, device: str, family: int, route: Route | None, target: Address | None = None
    ) -> list[Unmodelled]:
        """What could overrule the route and is not computed: here, or where it was learned.

        Args:
            device: who decides.
            family: 4 or 6.
            route: what it goes by; None if it has no route.
            target: where the packet goes; without it, what depends on that is left out.
        """
        if target is not None and self.strangers:
            doubts = self.strangers.doubts(device, route, target)
            if doubts:
                return doubts
        if route is not None and route.protocol in ("connected", "local"):
            return self._beyond_routes.get((device, family), [])
        items = self._unmodelled.get((device, family), [])
        if not self.tells_unsure:
            return items
        if route is None:
            return [*items, *self._heard.get((device, family), ())]
        if route.origin is None:
            return items
        tellers = dict.fromkeys(step.device for step in route.origin.chain())
        tellers.pop(device, None)
        return [*items, *(item for name in tellers for item in self._told.get((name, family), ()))]

    def same_doubts(self, other: Forwarding) -> bool:
        """True if the same is not computed in both states."""
        return (
            self._unmodelled == other._unmodelled
            and self._unmodelled_ends == other._unmodelled_ends
            and self._told == other._told
            and self._heard == other._heard
        )

    @property
    def tells_unsure(self) -> bool:
        """True if routes from other devices may be less certain than the device itself."""
        return bool(self._told or self._heard)

    def _spread(self) -> None:
        """Who could have heard of a target from a device whose announcements are not certain.

        All that speak any protocol with it, directly or over others: what one router was to
        redistribute or to let through may be missing at the far end.
        """
        for family in (4, 6):
            tellers = {name: of for (name, its), of in self._told.items() if its == family}
            if not tellers:
                continue
            near: dict[str, set[str]] = {}
            for relation in self.tables.relations():
                # A session of either family may carry routes of both.
                if relation.family == family or relation.carries_both:
                    left, right = relation.left.device, relation.right.device
                    near.setdefault(left, set()).add(right)
                    near.setdefault(right, set()).add(left)
            for teller, said in tellers.items():
                seen, waiting = {teller}, [teller]
                while waiting:
                    for other in near.get(waiting.pop(), ()):
                        if other not in seen:
                            seen.add(other)
                            waiting.append(other)
                            self._heard.setdefault((other, family), []).extend(said)

    @property
    def may_rewrite(self) -> bool:
        """True if a packet whose way is not known may have got another source there: somebody
        rewrites sources, or was not read, or does what is not computed."""
        if self._may_rewrite is None:
            self._may_rewrite = bool(self._translators) or any(
                device.strange or any(item.touches == ALL for item in device.unmodelled)
                for device in self.devices.values()
            )
        return self._may_rewrite

    @property
    def translating(self) -> list[str]:
        """The devices that rewrite addresses."""
        return list(self._translators)

    def translator(self, device: str) -> Translator | None:
        """The translations of a device that has some."""
        return self._translators.get(device)

    def rewritten(self, device: str, family: int) -> list[Unmodelled]:
        """What may change even packets for the device's own addresses, and is not computed."""
        found = self._beyond_routes.get((device, family), ())
        return [item for item in found if item.touches == ALL]

    def not_computed_on(self, end: End, family: int) -> list[Unmodelled]:
        """What on this interface changes packets and is not computed."""
        return self._unmodelled_ends.get((end, family), [])

    def takes(self, device: str, target: Address, arrived: str | None) -> bool:
        """True if the device delivers the packet to itself."""
        if arrived is None and target.is_link_local and target.family == 6:
            return False
        return self.near.owns(device, target, arrived)

    def step(
        self,
        device: str,
        target: Address,
        arrived: str | None,
        source: Address | None = None,
        kind: Kind = _ANY,
    ) -> Step:
        """Decides about a packet to `target` on `device`.

        Args:
            device: who has the packet.
            target: where it goes.
            arrived: the interface it came in by; None on the device that sends it.
            source: where it comes from: rules may ask.
            kind: what it is: rules may ask.
        """
        family = target.family
        facts = self.devices[device]
        if facts.role == "unread":
            return Step(
                device,
                None,
                (Fate(None, "unknown", f"{device} is not known: {facts.unknown_because}."),),
            )
        if arrived is not None:
            end = End(device, arrived)
            odd = self.not_computed_on(end, family)
            if odd:
                return Step(device, None, (Fate(None, "unknown", _unknown(end, odd)),), tuple(odd))
        changed = self.rewritten(device, family)
        if changed:
            reason = f"{device} is not certain: {changed[0].why}."
            return Step(device, None, (Fate(None, "unknown", reason),), tuple(changed))
        if self.takes(device, target, arrived):
            return Step(device, self._local(device, target))
        if arrived is not None and not self.forwards(device, arrived, family):
            what = "is a host" if facts.is_host else "does not forward"
            reason = f"{device} is handed the packet and {what}: it passes nothing on."
            if not facts.is_host:
                reason = f"{device} does not forward {_ip(family)} that arrives on {arrived}."
            return Step(device, None, (Fate(None, "not-forwarding", reason),))
        found = self.chosen(device, source, target, arrived, kind)
        if found.unsure is not None:
            return Step(device, None, (Fate(None, "unknown", not_said(device, found.unsure)),))
        route = found.route
        missing = self.not_computed(device, family, route, target)
        if missing:
            reason = f"{device} is not certain: {missing[0].as_seen_from(device)}."
            return Step(
                device,
                route,
                (Fate(None, "unknown", reason),),
                tuple(missing),
            )
        if route is None:
            return Step(device, None, (self._no_route(device, target),))
        return Step(
            device,
            route,
            tuple(
                fate
                for hop in (route.obeyed_hops or route.wanted)
                for fate in self.along(device, route, hop, target)
            ),
            rule=found.rule,
        )

    # -- tunnels ------------------------------------------------------------------

    def tunnel(self, end: End) -> Tunnel | None:
        """What an interface wraps packets in, if it does."""
        interface = self.near.interface(end)
        return interface.tunnel if interface is not None else None

    def through(self, end: End) -> list[Fate]:
        """What becomes of packets that leave by a tunnel, whatever their target."""
        known = self._through.get(end)
        if known is None:
            # A step into a tunnel is a walk of its own, and walks are made of steps.
            from .tunnels import enter

            inside = frozenset(self._inside)
            if end in inside:
                return enter(self, end, inside)[0]
            self._inside.append(end)
            try:
                known, self.under[end] = enter(self, end, inside)
            finally:
                self._inside.pop()
            self._through[end] = known
        return known

    def asks_for_target(self, device: str, hop: NextHop) -> bool:
        """True if the device asks on the link for the target itself: no gateway, no tunnel."""
        if hop.action != "forward" or hop.address is not None or hop.into is not None:
            return False
        return self.tunnel(End(device, hop.interface or "")) is None

    # -- parts of the decision -------------------------------------------------

    def _local(self, device: str, target: Address) -> Route:
        for owner in self.near.owners.get(target, ()):
            if owner.end.device == device and owner.active:
                interface = owner.end.interface
                facts = self.near.interface(owner.end)
                because = tuple(
                    fact.source
                    for fact in (facts.addresses if facts else ())
                    if fact.address == target
                )
                break
        else:
            interface, because = "", ()
        return Route(
            Prefix(target.family, target.value, 32 if target.family == 4 else 128),
            "local",
            0,
            0,
            (NextHop("deliver", None, interface),),
            because,
            selected=True,
        )

    def _no_route(self, device: str, target: Address) -> Fate:
        """No match: a configured but unusable route says more than "no route"."""
        table = self.tables.of(device, target.family)
        for route in table.covering(target):
            if route.problem is not None:
                down = route.problem == "interface-down" and route.wanted
                return Fate(
                    route.wanted[0] if down else None,
                    route.problem,
                    f"{device} has no usable route to {target}: for {route.prefix}, {route.why}",
                )
        what = "no route" if self._has_any(table) else f"no {_ip(target.family)} route"
        return Fate(None, "no-route", f"{device} has {what} to {target}.")

    @staticmethod
    def _has_any(table: Table) -> bool:
        return not table.is_bare

    def along(self, device: str, route: Route, hop: NextHop, target: Address) -> list[Fate]:
        """What becomes of a packet to `target` on one next hop of a route."""
        if hop.action == "discard":
            return [Fate(hop, "discarded", f"{device} discards packets to {route.prefix}.")]
        if hop.action == "reject":
            return [Fate(hop, "rejected", f"{device} rejects packets to {route.prefix}.")]
        if hop.into is not None:
            return [Fate(hop, to=End(hop.into, ""))]
        end = End(device, hop.interface or "")
        odd = self.not_computed_on(end, target.family)
        if odd:
            return [Fate(hop, "unknown", _unknown(end, odd))]
        if not self.tables.links.is_up(end):
            why = self.tables.links.why_down(end)
            return [
                Fate(
                    hop, "interface-down", f"{device} sends {target} out of {end.interface}: {why}."
                )
            ]
        if self.tunnel(end) is not None:
            return [Fate(hop, f.verdict, f.reason, f.to) for f in self.through(end)]
        near = hop.address if hop.address is not None else target
        answer = self.near.answer(end, near)
        if answer.takers:
            return [Fate(hop, to=taker) for taker in answer.takers]
        if answer.unknown:
            reason = f"{device} sends it out of {end.interface}, and {answer.why}."
            return [Fate(hop, "unknown", reason)]
        who = f"the next hop {near}" if hop.address is not None else f"{near} itself"
        reason = f"{device} asks for {who} on {end.interface}, but {answer.why}."
        if answer.wrong:
            return [Fate(hop, "wrong-segment", reason)]
        return [Fate(hop, "next-hop-silent", reason)]


def _obeyed(table: Table) -> Winners:
    kept: dict[Prefix, Route] = {}
    for route in table.alone:
        if not route.kept_by_kernel:
            continue
        # IPv4: the kernel's own route has metric 0 and beats any other for that prefix.
        # IPv6: the kernel's metric is 256, the route manager's 20.
        held = kept.get(route.prefix) or table.winner(route.prefix)
        if held is None or (table.family == 4 and held.protocol != "connected"):
            kept[route.prefix] = route
    return table.best.over(kept) if kept else table.best


def _ip(family: int) -> str:
    return {"ipv4": "IPv4", "ipv6": "IPv6"}[FAMILY_NAMES[family]]


def not_said(device: str, rule: Rule) -> str:
    """Why a device is not certain about a packet that one of its rules may take."""
    line = f"{rule.line.file}, line {rule.line.line}"
    return (
        f"{device} is not certain: whether its rule {rule.priority} ({line}) takes the packet "
        "depends on its kind, ports or mark, which cannot be said."
    )


def _unknown(end: End, items: list[Unmodelled]) -> str:
    return f"{end} is not certain: {items[0].why}."
