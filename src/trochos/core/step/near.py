"""Who answers on a link: from a next hop's address to the devices that take the packet."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple
from weakref import ref

from ..network.addressing import Address, Prefix
from ..network.fabric import Dropped, Fabric
from ..network.facts import Device, End, Interface, Network
from ..network.filters import Entry
from ..network.translation import DESTINATION, SOURCE
from .connected import address_is_active
from .links import Links
from .shares import claims


class Owner(NamedTuple):
    """A device's own address, and whether it answers in the state the interface is in."""

    end: End
    active: bool


@dataclass(slots=True)
class Answer:
    """Who takes a packet sent to an address on a link.

    `takers` are the ends that answer; empty with `unknown` set if that cannot be known,
    empty without it if nobody is there. `why` is a clause for people.
    """

    takers: tuple[End, ...] = ()
    unknown: bool = False
    why: str = ""
    wrong: bool = False
    """True if somebody has the address, and a switch keeps the two apart."""


def _hosts(entry: Entry, key: str) -> list[Address]:
    """The single addresses that an entry asks for at one end, if it asks for nothing else."""
    named = [match for match in entry.matches if match.key == key]
    if len(named) != 1 or named[0].negated:
        return []
    values = [v for v in named[0].values if isinstance(v, Prefix)]
    return [Address(v.family, v.network) for v in values if v.is_host]


@dataclass(slots=True, weakref_slot=True)
class Neighbourhood:
    """Address owners and link answers of a whole network, each computed once."""

    network: Network
    links: Links
    devices: dict[str, Device] = field(default_factory=dict)
    has_instances: bool = field(init=False, default=False)
    """True if addresses of this network may live in several routing instances."""
    owners: dict[Address, list[Owner]] = field(default_factory=dict)
    led: dict[Address, list[Owner]] = field(default_factory=dict)
    """The outside addresses that a translation gives to somebody: whose they are then."""
    forwarded: dict[str, set[Address]] = field(default_factory=dict)
    """Per device the addresses from which its translations lead some packets elsewhere."""
    fabric: Fabric | None = None
    """The switches below the segments, if there are any."""
    link_local: dict[tuple[End, Address], bool] = field(default_factory=dict)
    unplaced: tuple[str, ...] = ()
    """Devices that nobody could read and no wiring places: they may be on any inferred link."""
    _answers: dict[tuple[End, Address], Answer] = field(default_factory=dict)
    _unread: set[str] | None = None
    _islands: dict[str, str] | None = None

    def __post_init__(self) -> None:
        network = self.network
        placed = {end.device for segment in network.segments for end in segment.ends}
        placed |= {name for segment in network.segments for name in segment.unread}
        self.unplaced = tuple(
            d.name for d in network.devices if d.role == "unread" and d.name not in placed
        )
        cables = self.network.cables
        if cables:
            self.fabric = Fabric({d.name: d for d in self.network.devices}, cables)
        # Every ping of every list asks this, so it is counted once.
        self.has_instances = any(device.instance for device in network.devices)
        for device in self.network.devices:
            self.devices[device.name] = device
            for interface in device.interfaces:
                end = End(device.name, interface.name)
                for fact in interface.addresses:
                    address = fact.address
                    active = address_is_active(device, interface, fact)
                    if address.is_link_local and address.family == 6:
                        if active:
                            self.link_local[end, address] = True
                    else:
                        self.owners.setdefault(address, []).append(Owner(end, active))
        for device in self.network.devices:
            self._lead(device)

    def holders(self, address: Address) -> list[Owner]:
        """Whose an address is: of whoever has it on an interface, else of whoever a translation
        gives it to."""
        return self.owners.get(address) or self.led.get(address, [])

    def meant_devices(self, address: Address) -> list[str]:
        """The devices that are meant by an address, without repetition; see `holders`."""
        return list(dict.fromkeys(o.end.device for o in self.holders(address) if o.active))

    def _lead(self, device: Device) -> None:
        """Takes note of the outside addresses that a device's translations give to others: those
        that lead to one device, and those that stand for one."""
        for entry in (e for chain in device.translations for e in chain.entries):
            put = entry.rewrite
            if put is None or put.first is None:
                continue
            if put.what == DESTINATION:
                for address in _hosts(entry, "target"):
                    self.forwarded.setdefault(device.name, set()).add(address)
                    self._give(address, put.first)
            elif put.what == SOURCE and put.last == put.first:
                inside = _hosts(entry, "source")
                if len(inside) == 1:
                    self._give(put.first, inside[0])

    def _give(self, outside: Address, inside: Address) -> None:
        behind = [owner for owner in self.owners.get(inside, ()) if owner.active]
        if outside not in self.owners and behind:
            self.led.setdefault(outside, behind)

    def owns(self, device: str, address: Address, on: str | None = None) -> bool:
        """True if the device takes packets to this address as its own."""
        if address.is_link_local and address.family == 6:
            return on is not None and (End(device, on), address) in self.link_local
        return any(
            owner.active and owner.end.device == device for owner in self.owners.get(address, ())
        )

    def owner_devices(self, address: Address) -> list[str]:
        """Devices that hold the address actively, without repetition."""
        return list(dict.fromkeys(o.end.device for o in self.owners.get(address, ()) if o.active))

    def why_unknown(self, name: str) -> str:
        """Why nothing is known of an unread device: a clause for people."""
        device = self.devices.get(name)
        return device.unknown_because if device is not None else f"{name} could not be read"

    def is_anycast(self, address: Address) -> bool:
        """True for one host address held on loopbacks by several devices on purpose."""
        owners = self.owners.get(address, ())
        if len({owner.end.device for owner in owners}) < 2:
            return False
        for owner in owners:
            interface = self.links.interface(owner.end)
            if interface is None or not interface.loopback:
                return False
            for fact in interface.addresses:
                if fact.address == address and not fact.value.prefix.is_host:
                    return False
        return True

    def meet(self, one: str, other: str) -> bool:
        """True if links and read devices alone join two devices, so that an address of both is
        one address; False where they may be kept apart on purpose."""
        if self._islands is None:
            self._islands = {}
            beside: dict[str, set[str]] = {}
            for segment in self.network.segments:
                names = {end.device for end in segment.ends}
                for name in names:
                    beside.setdefault(name, set()).update(names)
            for name in self.devices:
                waiting = [name] if name not in self._islands else []
                while waiting:
                    here = waiting.pop()
                    if here in self._islands:
                        continue
                    self._islands[here] = name
                    device = self.devices.get(here)
                    if device is not None and device.role != "unread":
                        waiting += [
                            n
                            for n in beside.get(here, ())
                            if n in self.devices and self.devices[n].role != "unread"
                        ]
        return self._islands.get(one) == self._islands.get(other)

    def may_hold(self, address: Address) -> list[str]:
        """The unread devices that could have an address: those on a link whose subnet holds it,
        or any if it lies in no subnet of a device that was read."""
        if self._unread is None:
            self._unread = {n for n, device in self.devices.items() if device.strange}
        if not self._unread:
            return []
        inside, found = False, set(self.unplaced)
        for device in self.devices.values():
            for interface in device.interfaces:
                if any(fact.connected.contains(address) for fact in interface.addresses):
                    inside = True
                    segment = self.links.segment_of.get(End(device.name, interface.name))
                    if segment is not None:
                        found |= {*segment.unread, *(end.device for end in segment.ends)}
        return sorted((found & self._unread) if inside else self._unread)

    def interface(self, end: End) -> Interface | None:
        return self.links.interface(end)

    def answer(self, out: End, address: Address) -> Answer:
        """Who takes a packet that leaves by `out` for `address` on that link."""
        key = (out, address)
        known = self._answers.get(key)
        if known is None:
            known = self._answers[key] = self._ask(out, address)
        return known

    def _ask(self, out: End, address: Address) -> Answer:
        links = self.links
        segment = links.segment_of.get(out)
        others = [end for end in segment.ends if end != out] if segment else []
        if segment is not None and not others and self.fabric is not None:
            apart = self._kept_apart(out, address)
            why = apart or f"no switch passes on what {out} sends"
            return Answer(why=why, wrong=True)
        if segment is None or not others:
            return Answer(unknown=True, why=f"the survey does not say what is connected to {out}")
        takers = []
        for end in others:
            device = self.devices.get(end.device)
            if device is None or device.role == "unread" or not links.is_up(end):
                continue
            if self._answers_for(device, end, address):
                takers.append(end)
        if takers:
            return Answer(tuple(takers))
        claimed = [
            end.device
            for end in others
            if end.device in self.devices and claims(self.devices[end.device], end, address, links)
        ]
        if claimed:
            who = " and ".join(sorted(set(claimed)))
            why = f"which of {who} holds {address} is not in their texts"
            return Answer(unknown=True, why=why)
        unread = [
            end.device
            for end in others
            if self.devices.get(end.device) is None or self.devices[end.device].strange
        ]
        if unread:
            return Answer(
                unknown=True, why=" and ".join(self.why_unknown(n) for n in sorted(set(unread)))
            )
        unclear = self._unknown_link_local(others, address)
        if unclear:
            return Answer(unknown=True, why=f"the link-local address of {unclear} was not gathered")
        apart = self._kept_apart(out, address)
        if apart is not None:
            return Answer(why=apart, wrong=True)
        if segment.inferred and self.unplaced:
            names = " or ".join(self.unplaced[:3]) + (" or others" if self.unplaced[3:] else "")
            return Answer(unknown=True, why=f"{names} could not be read, and may be there")
        where = f"the LAN {segment.lan}" if segment.lan else "that link"
        return Answer(why=f"nobody on {where} has {address}")

    def apart(self, out: End, address: Address) -> tuple[End, Dropped] | None:
        """The owner of an address that a switch keeps from an end, and where; None if no
        switch does."""
        if self.fabric is None or not self.fabric.knows(out):
            return None
        for owner in self.owners.get(address, ()):
            if owner.active and self.fabric.joined(out, owner.end):
                drop = self.fabric.why_not(out, owner.end)
                if drop is not None:
                    return owner.end, drop
        return None

    def _kept_apart(self, out: End, address: Address) -> str | None:
        found = self.apart(out, address)
        return None if found is None else f"{found[0]} does not hear it: {found[1].clause()}"

    def _answers_for(self, device: Device, end: End, address: Address) -> bool:
        if address.family == 6 or not device.profile.answers_arp_for_all:
            # Neighbour discovery answers only for addresses of the asked interface (RFC 4861).
            if address.is_link_local and address.family == 6:
                return (end, address) in self.link_local
            return any(owner.active and owner.end == end for owner in self.owners.get(address, ()))
        return self.owns(device.name, address)

    def _unknown_link_local(self, others: list[End], address: Address) -> str | None:
        if address.family != 6 or not address.is_link_local:
            return None
        for end in others:
            interface = self.interface(end)
            if interface is None or not interface.enabled:
                continue
            if not any(
                fact.address.family == 6 and fact.address.is_link_local
                for fact in interface.addresses
            ):
                return str(end)
        return None


def neighbourhood(network: Network, links: Links) -> Neighbourhood:
    """That of a network and its links, made once: it depends on no table."""
    held = links.near() if links.near is not None else None
    if not isinstance(held, Neighbourhood) or held.network is not network:
        held = Neighbourhood(network, links)
        links.near = ref(held)
    return held
