"""Whether a table can use the next hops that a protocol offers.

The route manager looks every gateway up in its own table: one on a connected subnet is
used as it is; one behind another route is used through that route's next hops, and only
if the protocol allows it (BGP does, the others announce neighbours only).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from ..network.addressing import Address, Prefix, prefix_of
from ..network.facts import Device, End
from .links import Links
from .routes import NextHop, Route

UNRESOLVED = "next-hop-unresolved"


class NextHops:
    """Checks the next hops of one device and family against a table."""

    def __init__(
        self,
        device: Device,
        links: Links,
        best: Mapping[Prefix, Route],
        connected: Mapping[Prefix, list[str]],
    ) -> None:
        self.device, self.links, self.best, self.connected = device, links, best, connected
        self.lengths = sorted({prefix.length for prefix in best}, reverse=True)
        self._known: dict[tuple[NextHop, bool], tuple[NextHop, ...]] = {}
        self._sets: dict[int, tuple[tuple[NextHop, ...], bool]] = {}

    def settle(self, route: Route) -> Route:
        """The route as the table takes it: as offered, with resolved next hops, or unusable."""
        recursive = bool(route.via)
        hops = route.next_hops
        if not recursive:
            known = self._sets.get(id(hops))
            if known is not None and known[1] and not _covers(route.prefix, hops):
                return route
        usable: list[NextHop] = []
        for hop in hops:
            found = self._resolve(route.prefix, hop, recursive)
            usable += [h for h in found if h not in usable]
        if not recursive and tuple(usable) == hops:
            self._sets[id(hops)] = (hops, True)
            return route
        if usable:
            indirect = tuple(h.address for h in hops if h.address is not None and h not in usable)
            return replace(route, next_hops=tuple(usable), via=indirect if recursive else ())
        who = ", ".join(str(hop.address or hop.interface) for hop in hops)
        return replace(
            route,
            next_hops=(),
            problem=UNRESOLVED,
            wanted=hops,
            why=f"the next hop {who} is on no connected network of {self.device.name}"
            + (", and no usable route leads to it." if recursive else "."),
        )

    def _resolve(self, prefix: Prefix, hop: NextHop, recursive: bool) -> tuple[NextHop, ...]:
        address = hop.address
        if hop.action != "forward":
            return (hop,)
        if address is None or (address.family == 6 and address.is_link_local):
            up = self.links.usable_for_routes(End(self.device.name, hop.interface or ""))
            return (hop,) if up else ()
        if prefix.contains(address):
            return self._look_up(prefix, address, hop, recursive)
        key = (hop, recursive)
        found = self._known.get(key)
        if found is None:
            found = self._known[key] = self._look_up(prefix, address, hop, recursive)
        return found

    def _look_up(
        self, prefix: Prefix, address: Address, hop: NextHop, recursive: bool
    ) -> tuple[NextHop, ...]:
        if prefix.is_host and prefix.network == address.value:
            return ()
        # A route that covers its own gateway hides every shorter way to that gateway.
        own = prefix.length if prefix.contains(address) and not prefix.is_host else -1
        for length in self.lengths:
            if own >= length:
                return ()
            key = prefix_of(address, length)
            route = self.best.get(key)
            if route is None or route.protocol == "local":
                continue
            if recursive and route.protocol == "bgp" and route.prefix == prefix:
                continue
            if key.is_default:
                through = self.device.profile.resolve_via_default[address.family == 6]
                if not through:
                    return ()
            if route.protocol == "connected":
                exits = self.connected.get(key, [])
                if hop.interface is None:
                    return (replace(hop, interface=route.next_hops[0].interface),)
                return (hop,) if hop.interface in exits else ()
            if not recursive:
                return ()
            return tuple(
                h if h.address is not None or h.action != "forward" else replace(h, address=address)
                for h in route.next_hops
            )
        return ()


def _covers(prefix: Prefix, hops: tuple[NextHop, ...]) -> bool:
    return any(hop.address is not None and prefix.contains(hop.address) for hop in hops)
