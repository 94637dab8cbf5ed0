"""One device's decision about one packet: the step that walks and arrays both take.

Everything that decides where a packet goes next is in this file: whether the device
takes it for its own, whether it forwards at all, which route it obeys, and who is at
the other end of each next hop.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass

from ..network.addressing import FAMILIES, FAMILY_NAMES, Address, Prefix
from ..network.facts import Device, End, Network, Tunnel, Unmodelled
from ..network.rules import Kind, Rule
from .filters import Filters
from .links import Links
from .near import neighbourhood
from .routes import NextHop, Route
from .rows import Winners
from .rules import SKIPPED, Asked, Ruled, RuleTables
from .table import Lookup, Table, TableKey
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


class Kernel(ABC):
    """What each device of a network does with packets, given its tables.

    What goes into a tunnel is a walk of its own, and walks are made of steps: `tunnels.Ways` is
    the kernel that goes through them, and what everybody uses. Nothing here is ever uncertain of
    what it knows; what is not computed is said by the view on top (`forwarding.view`).
    """

    def __init__(
        self,
        network: Network,
        links: Links,
        tables: Mapping[TableKey, Table],
    ) -> None:
        """Sets the kernel up over one state of all tables.

        Args:
            network: the devices.
            links: the state of their links.
            tables: the table of each device and family.
        """
        self.network, self.links, self._asked = network, links, tables
        self.near = neighbourhood(network, links)
        self.filters: dict[str, Filters] = links.filters
        """The filters of each device that has some."""
        self.under: dict[End, object] = {}
        """The outer leg of each tunnel that was gone through."""
        self._translators = {
            device.name: Translator(device) for device in network.devices if device.translations
        }
        self.rules: dict[str, RuleTables] = {
            device.name: RuleTables(
                device, links, {f: obeyed(tables[device.name, f]) for f in FAMILIES}
            )
            for device in network.devices
            if device.rules
        }
        """The rules of each device that has some."""
        self._through: dict[End, list[Fate]] = {}
        self._inside: list[End] = []
        self._lookups: dict[TableKey, Lookup] = {}
        self._obeyed: dict[TableKey, Winners] = {}

    @property
    def devices(self) -> dict[str, Device]:
        return self.near.devices

    def obeyed(self, device: str, family: int) -> Winners:
        """What a device's packets obey. It differs from its table in one way: a kernel that keeps
        the subnet of an interface without carrier goes on sending into it."""
        key = (device, family)
        held = self._obeyed.get(key)
        if held is None:
            held = self._obeyed[key] = obeyed(self._asked[key])
        return held

    # -- what a view on top may know ---------------------------------------------------

    def not_computed(
        self, device: str, family: int, route: Route | None, target: Address | None = None
    ) -> list[Unmodelled]:
        """What could overrule the route and is not computed."""
        return []

    def not_computed_on(self, end: End, family: int) -> list[Unmodelled]:
        """What on this interface changes packets and is not computed."""
        return []

    def rewritten(self, device: str, family: int) -> list[Unmodelled]:
        """What may change even packets for the device's own addresses, and is not computed."""
        return []

    # -- what a device knows -------------------------------------------------------------

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
            lookup = self._lookups[key] = Lookup(self.obeyed(*key))
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

    @property
    def translating(self) -> list[str]:
        """The devices that rewrite addresses."""
        return list(self._translators)

    def translator(self, device: str) -> Translator | None:
        """The translations of a device that has some."""
        return self._translators.get(device)

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
            inside = frozenset(self._inside)
            if end in inside:
                return self.enter(end, inside)[0]
            self._inside.append(end)
            try:
                known, self.under[end] = self.enter(end, inside)
            finally:
                self._inside.pop()
            self._through[end] = known
        return known

    @abstractmethod
    def enter(self, end: End, inside: frozenset[End]) -> tuple[list[Fate], object]:
        """The fates of packets that leave by a tunnel, and the outer leg; `inside` are the tunnels
        that are being gone through at this moment."""

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
        table = self._asked[device, target.family]
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
        if not self.links.is_up(end):
            why = self.links.why_down(end)
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


def obeyed(table: Table) -> Winners:
    """What packets obey of a table; see `Kernel.obeyed`."""
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
