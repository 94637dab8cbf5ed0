"""Addresses that are rewritten on the way: where in a device's work, and how answers are undone.

As Linux does it (netfilter; measured on the captured networks with translation): destinations
before routing and before the filters of forwarded packets, sources after both; only the first
packet of a connection goes through the chains, and answers that pass a device that remembers are
undone there, whatever its chains say. An answer to what was never seen is not rewritten.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from ..network.addressing import Address
from ..network.facts import Device, Source
from ..network.filters import OUTPUT, POSTROUTING, PREROUTING, TRANSLATE, UNKNOWN
from ..network.translation import DESTINATION, SOURCE
from .filters import Decision, Filters, Flow, Passage
from .packet import Ends, Packet, Tracked
from .routes import NextHop
from .sources import choose_source, usable_addresses


@dataclass(frozen=True, slots=True)
class Rewritten:
    """One end of a packet that was rewritten; without an `entry`, what the other leg did is
    undone."""

    what: str
    before: Address
    after: Address
    ports: tuple[int, int] | None
    entry: Source | None

    def as_json(self) -> dict[str, object]:
        return {
            "do": "translate",
            "what": self.what,
            "from": str(self.before),
            "to": str(self.after),
            "port": list(self.ports) if self.ports is not None else None,
            "entry": self.entry.as_json() if self.entry is not None else None,
        }


@dataclass(frozen=True, slots=True)
class Change:
    """The packet as it goes on, what was rewritten, and (verdict, reason) if it ends here."""

    packet: Packet
    done: tuple[Rewritten, ...] = ()
    stop: tuple[str, str] | None = None


class Translator:
    """The translations of one device."""

    def __init__(self, device: Device) -> None:
        self.device = device
        self.chains = Filters(device, translating=True)

    def arrives(self, packet: Packet, arrived: str | None) -> Change:
        """Before the device routes a packet; `arrived` None if it sends it itself."""
        known = self._remembered(packet)
        if known is not None and known.came.source is not None:
            return self._put(packet, DESTINATION, known.came.source, packet.ends.port, None)
        if not self._is_first(packet):
            return Change(packet)
        hook = PREROUTING if arrived is not None else OUTPUT
        found = self._asked(hook, packet, arrived, None)
        if found is None or found.rewrite is None or found.rewrite.what != DESTINATION:
            return Change(packet, stop=self._stopped(found))
        address = found.rewrite.address_for(packet.target)
        if address is None:
            address = self._own(arrived, packet.target.family) or packet.target
        port = found.rewrite.port_for(packet.ends.port)
        return self._put(packet, DESTINATION, address, port, found.entry)

    def leaves(self, packet: Packet, came: Packet, arrived: str | None, hop: NextHop) -> Change:
        """After the device has routed a packet, and before it is handed on; `came` is the packet
        as it arrived."""
        known = self._remembered(came)
        if known is not None:
            return self._put(packet, SOURCE, known.came.target, known.came.port, None)
        if not self._is_first(packet):
            return Change(packet)
        found = self._asked(POSTROUTING, packet, arrived, hop.interface)
        if found is None or found.rewrite is None or found.rewrite.what != SOURCE:
            return Change(packet, stop=self._stopped(found))
        if packet.source is None:
            return Change(packet)  # where it goes was asked, whoever sends it
        address = found.rewrite.address_for(packet.source)
        if address is None:
            address = choose_source(self.device, hop.address or packet.target, hop)
        if address is None:
            name = self.device.name
            reason = f"{name} has no address on {hop.interface} to put in place of the source."
            return Change(packet, stop=("no-source", reason))
        # What is rewritten is the client's port, which nobody has asked about.
        return self._put(packet, SOURCE, address, packet.ends.port, found.entry)

    def remembers(self, packet: Packet, came: Packet) -> Packet:
        """The packet with what the device remembers of it from now on."""
        if packet.is_reply or packet.ends == came.ends:
            return packet
        tracked = Tracked(self.device.name, came.ends, packet.ends)
        return replace(packet, tracked=(*packet.tracked, tracked))

    def _remembered(self, packet: Packet) -> Tracked | None:
        """The connection that a reply belongs to, if the device has rewritten it."""
        if not packet.is_reply:
            return None
        for known in packet.tracked:
            if known.device == self.device.name and packet.ends == Ends(
                known.went.target, known.went.source or packet.target, known.went.port
            ):
                return known
        return None

    def _is_first(self, packet: Packet) -> bool:
        if packet.flow is None or packet.source is None:
            return packet.flow is None and packet.source is None
        return packet.flow.state(self.device.name) == "new"

    def _asked(
        self, hook: str, packet: Packet, arrived: str | None, leaving: str | None
    ) -> Decision | None:
        flow = packet.flow or Flow()
        name = self.device.name
        passage = Passage(name, packet.source, packet.target, arrived, leaving, flow)
        return self.chains.rewrite(hook, passage)

    def _stopped(self, found: Decision | None) -> tuple[str, str] | None:
        if found is None or found.verdict == TRANSLATE:
            return None
        name = self.device.name
        line = f" ({found.entry.file}, line {found.entry.line})" if found.entry else ""
        if found.verdict == UNKNOWN:
            return "unknown", f"{name} is not certain: in {found.chain}{line}, {found.why}."
        return "filtered", f"{name} drops it silently, by {found.chain}{line}."

    def _own(self, arrived: str | None, family: int) -> Address | None:
        for interface, fact in usable_addresses(self.device, family):
            if interface.name == arrived:
                return fact.address
        return None

    @staticmethod
    def _put(
        packet: Packet, what: str, address: Address, port: int | None, entry: Source | None
    ) -> Change:
        was = packet.target if what == DESTINATION else packet.source
        held = packet.ends.port
        assert was is not None
        if (was, held) == (address, port):
            return Change(packet)
        if was.family != address.family:
            reason = f"what stands for {was} is {address}, which is no address of its family."
            return Change(packet, stop=("unknown", f"It is not certain: {reason}"))
        flow = packet.flow._replace(port=port) if packet.flow is not None else None
        if what == DESTINATION:
            new = replace(packet, target=address, flow=flow)
        else:
            new = replace(packet, source=address, flow=flow)
        ports = (held, port) if held is not None and port is not None and held != port else None
        return Change(new, (Rewritten(what, was, address, ports, entry),))
