"""What remedies are made with: the computed network, its texts, and what is usual in it."""

from __future__ import annotations

from collections import Counter, defaultdict
from functools import cached_property

from ...change.writers import Writer, writer_for
from ...forwarding.reach import Reach
from ...forwarding.view import Forwarding
from ...network.addressing import Address, Prefix
from ...network.facts import Device, End, Network
from ...protocols.tables import Tables
from ...readers.survey import Survey
from ...step.legs import Leg
from ...step.packet import Packet
from ...step.table import held_by_any
from ...step.verdicts import BIT
from ...step.walk import walk

_LEGS = 4000
"""So many legs are remembered: a search for the way to one target asks for as many as there are
routers."""


class Bench:
    """One survey on the workbench."""

    def __init__(
        self,
        survey: Survey,
        tables: Tables,
        forwarding: Forwarding,
        reach: Reach | None = None,
        before: Bench | None = None,
    ) -> None:
        """`before` is that of the survey of which this is a changed copy."""
        self.before = before
        self.survey, self.tables, self.forwarding = survey, tables, forwarding
        self._reach = reach
        self._writers: dict[str, Writer] = {}
        self._legs: dict[tuple[str, Address], Leg] = {}

    @property
    def network(self) -> Network:
        return self.survey.network

    @cached_property
    def devices(self) -> dict[str, Device]:
        return {device.name: device for device in self.network.devices}

    @cached_property
    def prefixes(self) -> frozenset[Prefix]:
        """Every prefix that some table of the network holds."""
        return frozenset(held_by_any(self.tables.tables.values()))

    @cached_property
    def reach(self) -> Reach:
        before = self.before.reach if self.before is not None else None
        return self._reach or Reach(self.forwarding, before=before)

    def writer(self, device: str) -> Writer:
        held = self._writers.get(device)
        if held is None:
            held = self._writers[device] = writer_for(self.survey, self.devices[device])
        return held

    # -- what is usual here ------------------------------------------------------

    @cached_property
    def _readings(self) -> dict[tuple[str, str], Counter[str | None]]:
        """Per protocol and gate: what all ends say, each end once."""
        out: dict[tuple[str, str], Counter[str | None]] = defaultdict(Counter)
        seen: set[tuple[object, ...]] = set()
        for relation in self.tables.relations():
            for side, pick in ((relation.left, "left"), (relation.right, "right")):
                for gate in relation.gates:
                    text = getattr(gate, pick)
                    mark = (relation.protocol, gate.gate, side.device, side.interface, side.address)
                    if mark not in seen:
                        seen.add(mark)
                        out[relation.protocol, gate.gate][text] += 1
        return out

    def commonness(self, protocol: str, gate: str, text: str | None) -> int:
        """How many ends of the network say this at a gate."""
        return self._readings[protocol, gate][text]

    def ends_judged(self, protocol: str, gate: str) -> int:
        """How many ends of the network a gate is about."""
        return self._readings[protocol, gate].total()

    @cached_property
    def carriers(self) -> set[str]:
        """Routers that carry the outer packets of others' tunnels: they need not know what is
        inside."""
        ends = {end.device for end in self.forwarding.under}
        return {
            hop.device
            for leg in self.forwarding.under.values()
            if isinstance(leg, Leg)
            for branch in leg.branches
            for hop in branch.hops
        } - ends

    # -- addresses ------------------------------------------------------------------

    @cached_property
    def taken(self) -> set[Address]:
        return {
            fact.address
            for device in self.network.devices
            for interface in device.interfaces
            for fact in interface.addresses
        }

    def taken_by(self, device: str) -> set[Address]:
        """The addresses that are in the way of a device: where routing instances have addresses
        of their own, those of whoever links join it with."""
        near = self.forwarding.near
        if not near.has_instances:
            return self.taken
        return {
            address
            for address, owners in near.owners.items()
            if any(near.meet(device, owner.end.device) for owner in owners)
        }

    def free_address(self, prefix: Prefix, like: Address, device: str) -> Address | None:
        """An unused address of a prefix for a device: the one with the same last bits, else the
        lowest."""
        taken = self.taken_by(device)
        bits = 32 if prefix.family == 4 else 128
        size = 1 << (bits - prefix.length)
        edge = 1 if size > 2 and prefix.family == 4 else 0
        wanted = prefix.network | (like.value & (size - 1))
        candidates = [wanted, *(prefix.network + n for n in range(edge, min(size - edge, 64)))]
        for value in candidates:
            address = Address(prefix.family, value)
            inside = prefix.network + edge <= value <= prefix.last - edge
            if inside and address not in taken and (value != prefix.network or size <= 2):
                return address
        return None

    def more_usual(self, address: Address, other: Address | None) -> bool:
        """True if links of this network rather have ends like the first address than like the
        second, by their place in the subnet."""
        if other is None:
            return False
        places: Counter[int] = Counter()
        sizes: dict[Address, int] = {}
        for segment in self.network.segments:
            for end in segment.ends:
                interface = self.tables.links.interface(end)
                if interface is None or self.devices[end.device].is_host:
                    continue
                for fact in interface.addresses:
                    prefix = fact.value.prefix
                    if fact.address.family != address.family or fact.address.is_link_local:
                        continue
                    places[fact.address.value - prefix.network] += 1
                    if prefix.contains(address):
                        sizes[address] = prefix.network
                    if prefix.contains(other):
                        sizes[other] = prefix.network
        if address not in sizes or other not in sizes:
            return False
        here, there = address.value - sizes[address], other.value - sizes[other]
        return places[here] >= 3 and places[there] <= 1

    @cached_property
    def unowned(self) -> list[Address]:
        """Addresses that lines name as gateway or neighbour and nobody holds, the most named
        first."""
        named: Counter[Address] = Counter()
        for device in self.network.devices:
            named.update(r.gateway for r in device.statics if r.gateway is not None)
            for process in device.routing.processes:
                named.update(process.named_neighbours())
        return [a for a, _ in named.most_common() if a not in self.taken and not a.is_link_local]

    def mentioned(self, address: Address) -> int:
        """How many lines of others name an address: gateways and BGP neighbours."""
        count = 0
        for device in self.network.devices:
            count += sum(1 for route in device.statics if route.gateway == address)
            count += sum(p.named_neighbours().count(address) for p in device.routing.processes)
        return count

    def named(self, prefix: Prefix) -> int:
        """How many lines of the network name exactly this prefix, and ends that lie in it."""
        count = 0
        for device in self.network.devices:
            count += sum(1 for route in device.statics if route.prefix == prefix)
            count += sum(p.named_prefixes().count(prefix) for p in device.routing.processes)
            count += sum(
                1
                for interface in device.interfaces
                for fact in interface.addresses
                if fact.connected == prefix
            )
        return count

    @cached_property
    def _subnets(self) -> list[tuple[Prefix, End]]:
        """Every subnet of an interface, with the interface."""
        return [
            (fact.connected, End(device.name, interface.name))
            for device in self.network.devices
            for interface in device.interfaces
            for fact in interface.addresses
            if not fact.address.is_link_local
        ]

    def in_plan(self, prefix: Prefix, ends: tuple[End, ...]) -> int:
        """How well the subnet of a link fits the address plan: how many leading bits it shares
        with the subnet of any other link; -1 if it lies over one.

        Args:
            prefix: the subnet.
            ends: the ends of the link itself, which do not count.
        """
        bits, best = 32 if prefix.family == 4 else 128, 0
        for other, end in self._subnets:
            if other.family != prefix.family or end in ends:
                continue
            if other.overlaps(prefix) and min(other.length, prefix.length) > 0:
                return -1
            best = max(best, bits - (other.network ^ prefix.network).bit_length())
        return best

    def beside(self, device: str) -> list[tuple[End, End]]:
        """(own end, other end) of every device on a link of this one."""
        return self._beside.get(device, [])

    @cached_property
    def _beside(self) -> dict[str, list[tuple[End, End]]]:
        out: dict[str, list[tuple[End, End]]] = {}
        for segment in self.network.segments:
            for mine in segment.ends:
                out.setdefault(mine.device, []).extend(
                    (mine, other)
                    for other in segment.ends
                    if other.device != mine.device and other.device in self.devices
                )
        return out

    def leg(self, device: str, target: Address) -> Leg:
        """How a packet for a target fares from a device; many ask the same."""
        key = (device, target)
        found = self._legs.get(key)
        if found is None:
            if len(self._legs) >= _LEGS:
                self._legs.clear()
            found = self._legs[key] = walk(self.forwarding, device, Packet(target))
        return found

    def may_reach(self, device: str, target: Address) -> bool:
        """False if it is certain that no packet for a target gets there from a device; asked
        before `leg`, which takes longer."""
        if self._reach is None and "reach" not in self.__dict__:
            return True  # to solve for all pairs takes longer than to follow a packet
        table = self.reach.families[target.family]
        column, row = table.column.get(target), table.row.get(device)
        if column is None or row is None or target in table.shared or table.overlong[row, column]:
            return True
        return bool(int(table.bits[row, column]) & (BIT["delivered"] | BIT["unknown"]))
