"""The forwarding view of a network: the kernel over its tables, with what is not certain of it."""

from __future__ import annotations

from ..network.addressing import Address
from ..network.facts import ALL, NONE, ROUTED, End, Unmodelled
from ..protocols.tables import Tables, reached
from ..step.routes import Route
from ..step.tunnels import Ways
from .strangers import Strangers


class Forwarding(Ways):
    """What packets meet in a network, derived from its tables."""

    def __init__(self, tables: Tables, torn: dict[End, str] | None = None) -> None:
        """`torn` are ends of tunnels through which no neighbour is heard, each with what became
        of packets."""
        super().__init__(tables.network, tables.links, tables.tables)
        self.tables, self.torn = tables, torn or {}
        self._may_rewrite: bool | None = None
        self._unmodelled: dict[tuple[str, int], list[Unmodelled]] = {}
        self._unmodelled_ends: dict[tuple[End, int], list[Unmodelled]] = {}
        self._beyond_routes: dict[tuple[str, int], list[Unmodelled]] = {}
        """Of `_unmodelled` what touches packets for the device's own links, too."""
        self._told: dict[tuple[str, int], list[Unmodelled]] = {}
        """Per device what it tells other routers on grounds that are not computed."""
        self._heard: dict[tuple[str, int], list[Unmodelled]] = {}
        """Per device what those could tell it that it has no route from."""
        doubts = self.tables.doubts()
        for device in self.tables.network.devices:
            for item in (*device.unmodelled, *doubts.get(device.name, ())):
                for family in (4, 6):
                    if item.family not in (None, family):
                        continue
                    if item.interface is None:
                        if item.touches != NONE:
                            self._unmodelled.setdefault((device.name, family), []).append(item)
                        if item.touches not in (NONE, ROUTED):
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
        """What devices that nobody could read may change in the tables of others."""

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
            near = self.tables.speaking(family)
            for teller, said in tellers.items():
                for other in reached(near, teller):
                    if other != teller:
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

    def rewritten(self, device: str, family: int) -> list[Unmodelled]:
        """What may change even packets for the device's own addresses, and is not computed."""
        found = self._beyond_routes.get((device, family), ())
        return [item for item in found if item.touches == ALL]

    def not_computed_on(self, end: End, family: int) -> list[Unmodelled]:
        """What on this interface changes packets and is not computed."""
        return self._unmodelled_ends.get((end, family), [])
