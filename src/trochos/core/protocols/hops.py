"""Following a packet through the tables of one round: how far a peer is, if at all.

This is the protocols' own, small view of forwarding: a session needs to know whether its
packets arrive. What a packet meets in full is told by the forwarding part.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from typing import NamedTuple

from ..network.addressing import Address
from ..network.facts import Device, End, Interface, Network
from .connected import address_is_active
from .links import Links
from .routes import Route
from .table import Lookup, Table

_FURTHEST = 64


class Passed(NamedTuple):
    """A device on a packet's way: where the packet came in, and where it left."""

    device: str
    arrived: str | None
    leaving: str | None


class Hops:
    """Answers "does a packet from here reach that address, and over how many hops"."""

    def __init__(
        self, network: Network, links: Links, tables: Mapping[tuple[str, int], Table]
    ) -> None:
        self.links, self.tables = links, tables
        self.devices: dict[str, Device] = {d.name: d for d in network.devices}
        self.owners: dict[Address, list[End]] = defaultdict(list)
        for device in network.devices:
            for interface in device.interfaces:
                for fact in interface.addresses:
                    if address_is_active(device, interface, fact):
                        self.owners[fact.address].append(End(device.name, interface.name))
        self._lookups: dict[tuple[str, int], Lookup] = {}

    def owns(self, device: str, address: Address) -> bool:
        return any(end.device == device for end in self.owners.get(address, ()))

    def owners_for(self, device: str, address: Address) -> list[End]:
        """Who holds an address, as a device means it: an address of one of its own links is looked
        for there and nowhere else, because it may live on other links too."""
        held = self.owners.get(address, [])
        if len(held) == 0:
            return held
        links = [
            End(device, interface.name)
            for interface in self.devices[device].interfaces
            if any(fact.connected.contains(address) for fact in interface.addresses)
        ]
        if not links:
            return held
        near = {end for link in links for end in self._beside(link)}
        return [end for end in held if end in near or end.device == device]

    def _beside(self, end: End) -> tuple[End, ...]:
        segment = self.links.segment_of.get(end)
        return segment.ends if segment is not None else ()

    def route(self, device: str, target: Address) -> Route | None:
        """The route a device would use."""
        key = (device, target.family)
        lookup = self._lookups.get(key)
        if lookup is None:
            lookup = self._lookups[key] = Lookup(self.tables[key].best)
        return lookup(target)

    def source(self, device: str, target: Address) -> Address | None:
        """The address a device sends from towards a target, left to itself."""
        route = self.route(device, target)
        if route is None or not route.next_hops:
            return None
        hop = route.next_hops[0]
        if hop.source is not None:
            return hop.source
        interface = self._interface(device, hop.interface)
        if interface is None:
            return None
        near = hop.address or target
        facts = [
            f
            for f in interface.addresses
            if f.address.family == target.family and not f.address.is_link_local
        ]
        for fact in facts:
            if fact.connected.contains(near):
                return fact.address
        return facts[0].address if facts else None

    def _interface(self, device: str, name: str | None) -> Interface | None:
        facts = self.devices.get(device)
        return facts.interface(name) if facts is not None and name is not None else None

    def count(self, start: str, target: Address) -> int | None:
        """The number of links a packet crosses to the target; None if it does not arrive."""
        way = self.way(start, target)
        return None if way is None else len(way) - 1

    def way(self, start: str, target: Address) -> list[Passed] | None:
        """Every device a packet passes, the first and the last included; None if it is lost."""
        current, arrived = start, None
        out: list[Passed] = []
        while len(out) <= _FURTHEST:
            if self.owns(current, target):
                return [*out, Passed(current, arrived, None)]
            if out and not self.devices[current].forwarding[target.family == 6]:
                return None
            route = self.route(current, target)
            if route is None or not route.next_hops or route.next_hops[0].action != "forward":
                return None
            hop = route.next_hops[0]
            following = self._next(End(current, hop.interface or ""), hop.address or target)
            if following is None:
                return None
            out.append(Passed(current, arrived, hop.interface))
            current, arrived = following
        return None

    def leaves_by(self, start: str, target: Address) -> End | None:
        """The end by which packets to the target leave what was surveyed, where nobody knows who
        is there; None if they do not."""
        current, arrived = start, None
        for _ in range(_FURTHEST):
            facts = self.devices[current]
            if facts.role == "unread":
                return arrived
            route = self.route(current, target)
            if route is None or not route.next_hops or route.next_hops[0].action != "forward":
                return None
            hop = route.next_hops[0]
            end = End(current, hop.interface or "")
            segment = self.links.segment_of.get(end)
            if segment is None or segment.unread:
                return end if self.links.is_up(end) else None
            following = self._next(end, hop.address or target)
            if following is None:
                return None
            arrived, current = end, following.device
        return None

    def _next(self, end: End, address: Address) -> End | None:
        segment = self.links.segment_of.get(end)
        if segment is None or not self.links.is_up(end):
            return None
        for owner in self.owners.get(address, ()):
            for other in segment.ends:
                if other.device == owner.device and other != end and self.links.is_up(other):
                    return other
        return None
