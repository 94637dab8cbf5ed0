"""Whether a table can use the next hops that a protocol offers.

The route manager looks every gateway up in its own table: one on a connected subnet is
used as it is; one behind another route is used through that route's next hops, and only
if the protocol allows it (BGP does, the others announce neighbours only).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace

import numpy as np

from ..network.addressing import Address, Prefix, prefix_of
from ..network.facts import Device, End
from .links import Links
from .routes import NextHop, Route
from .rows import Row, Winners

UNRESOLVED = "next-hop-unresolved"


def route_to(
    device: Device, gateway: Address, own: int, best: Winners, lengths: Iterable[int]
) -> tuple[Prefix, Route] | None:
    """The route by which a gateway is reached; None if there is none that counts.

    Args:
        device: whose table it is.
        gateway: the next hop that a route names.
        own: the length of that route's prefix if it holds the gateway, which hides every shorter
            way to it; else -1.
        best: the table's winners.
        lengths: the lengths of their prefixes, longest first.
    """
    for length in lengths:
        if own >= length:
            return None
        key = prefix_of(gateway, length)
        route = best.get(key)
        if route is None or route.protocol == "local":
            continue
        if key.is_default and not device.profile.resolve_via_default[gateway.family == 6]:
            return None
        return key, route
    return None


class NextHops:
    """Checks the next hops of one device and family against a table."""

    def __init__(
        self,
        device: Device,
        links: Links,
        best: Winners,
        connected: Mapping[Prefix, list[str]],
        offered: Iterable[int] = (),
    ) -> None:
        """`offered` are the lengths of the prefixes that will be asked about."""
        self.device, self.links, self.best, self.connected = device, links, best, connected
        self.lengths = best.lengths
        self.offered = tuple(offered)
        self._known: dict[tuple[NextHop, bool], tuple[NextHop, ...]] = {}
        self._sets: dict[int, tuple[tuple[NextHop, ...], frozenset[Prefix]]] = {}
        self._through: dict[
            tuple[NextHop, ...],
            tuple[tuple[NextHop, ...], tuple[Address, ...], frozenset[Prefix]],
        ] = {}
        """What routes that may be resolved through others become, by their next hops."""
        self._single: list[tuple[Route, tuple[NextHop, ...]]] = []

    def settle(self, route: Route) -> Route:
        """The route as the table takes it: as offered, with resolved next hops, or unusable."""
        hops = route.next_hops
        known = self._sets.get(id(hops))
        if known is not None and route.prefix not in known[1]:
            # Most routes share few sets of next hops, and those were found usable as they are.
            return route
        recursive = bool(route.via)
        if recursive:
            found_so = self._through.get(hops)
            if found_so is not None and route.prefix not in found_so[2]:
                return route.resolved(found_so[0], found_so[1])
        usable: list[NextHop] = []
        for hop in hops:
            found = self._resolve(route.prefix, hop, recursive)
            usable += [h for h in found if h not in usable]
        if not recursive and tuple(usable) == hops:
            if known is None:
                self._sets[id(hops)] = (hops, self._covering(hops))
            return route
        if usable:
            near = {h.address for h in usable}
            indirect = tuple(h.address for h in hops if h.address is not None)
            indirect = tuple(address for address in indirect if address not in near)
            if not recursive:
                return route.resolved(tuple(usable), ())
            covering = self._covering(hops)
            if route.prefix not in covering:
                # Most routes of a speaker share few next hops, too.
                self._through[hops] = tuple(usable), indirect, covering
            return route.resolved(tuple(usable), indirect)
        who = ", ".join(str(hop.address or hop.interface) for hop in hops)
        return replace(
            route,
            next_hops=(),
            problem=UNRESOLVED,
            wanted=hops,
            why=f"the next hop {who} is on no connected network of {self.device.name}"
            + (", and no usable route leads to it." if recursive else "."),
        )

    def holds(self, best: Winners) -> bool:
        """True if every next hop that was looked up has the same answer in this table."""
        other = NextHops(self.device, self.links, best, self.connected)
        for (hop, recursive), found in self._known.items():
            if hop.address is not None and found != other._look_up(None, hop, recursive):
                return False
        return all(
            other._look_up(route.prefix, hop, bool(route.via)) == found
            for route, found in self._single
            for hop in route.next_hops[:1]
        )

    def odd_columns(self, row: Row) -> list[int]:
        """The columns of a row that the table cannot take as they are without a closer look: all
        with a next hop that does not simply stand, and routes that hold their own next hop."""
        odd: list[int] = []
        addresses: dict[Address, None] = {}
        for number in row.sets_in_use:
            hops = row.sets[number]
            if all(map(self._as_it_is, hops)):
                addresses.update((hop.address, None) for hop in hops if hop.address is not None)
            else:
                odd += np.flatnonzero(row.ids == number).tolist()
        for address in addresses:
            for column in row.columns.holding(address):
                if any(hop.address == address for hop in row.sets[row.ids[column]]):
                    odd.append(column)
        return odd

    def _as_it_is(self, hop: NextHop) -> bool:
        """True if a next hop is used as it is by every route that does not hold it itself."""
        if hop.action != "forward" or hop.into is not None:
            return True
        address = hop.address
        if address is None or hop.onlink or (address.family == 6 and address.is_link_local):
            return self.links.usable_for_routes(End(self.device.name, hop.interface or ""))
        key = (hop, False)
        known = self._known.get(key)
        if known is None:
            known = self._known[key] = self._look_up(None, hop, False)
        return known == (hop,)

    def _covering(self, hops: tuple[NextHop, ...]) -> frozenset[Prefix]:
        """Every prefix that holds one of the next hops: routes to those need a closer look."""
        return frozenset(
            prefix_of(hop.address, length)
            for hop in hops
            if hop.address is not None
            for length in self.offered
        )

    def _resolve(self, prefix: Prefix, hop: NextHop, recursive: bool) -> tuple[NextHop, ...]:
        address = hop.address
        if hop.action != "forward" or hop.into is not None:
            return (hop,)
        if address is None or hop.onlink or (address.family == 6 and address.is_link_local):
            up = self.links.usable_for_routes(End(self.device.name, hop.interface or ""))
            return (hop,) if up else ()
        if prefix.contains(address):
            found = self._look_up(prefix, hop, recursive)
            self._single.append((question_route(prefix, hop, recursive), found))
            return found
        key = (hop, recursive)
        known = self._known.get(key)
        if known is None:
            known = self._known[key] = self._look_up(None, hop, recursive)
        return known

    def _look_up(self, prefix: Prefix | None, hop: NextHop, recursive: bool) -> tuple[NextHop, ...]:
        """The next hops behind a gateway; `prefix` is the route's if it holds the gateway."""
        address = hop.address
        assert address is not None
        if prefix is not None and prefix.is_host:
            return ()
        own = prefix.length if prefix is not None else -1
        found = route_to(self.device, address, own, self.best, self.lengths)
        if found is None:
            return ()
        key, route = found
        if route.protocol == "connected":
            exits = self.connected.get(key, [])
            if hop.interface is None:
                return (hop._replace(interface=route.next_hops[0].interface),)
            return (hop,) if hop.interface in exits else ()
        if not recursive:
            return ()
        return tuple(
            h if h.address is not None or h.action != "forward" else h._replace(address=address)
            for h in route.next_hops
        )


def question_route(prefix: Prefix, hop: NextHop, recursive: bool) -> Route:
    """A route that stands for one question: this prefix through this next hop."""
    via = (hop.address,) if recursive and hop.address is not None else ()
    return Route(prefix, "", 0, 0, (hop,), via=via)
