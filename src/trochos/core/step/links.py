"""Line states: which interfaces carry packets, decided from both ends."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from copy import copy
from typing import Any, TypeVar
from weakref import ref

from ..network.facts import Device, End, Interface, Network, Segment
from .filters import Filters

Made = TypeVar("Made")


class Links:
    """Line state and segment of every interface of a network.

    The line is up when both ends are administratively up, unless a capture shows no
    carrier although both ends were up when it was taken. On a LAN the far end is the
    LAN itself, so another device that goes down takes nobody else with it.
    """

    def __init__(
        self,
        network: Network,
        deaf: frozenset[End] = frozenset(),
        before: Links | None = None,
    ) -> None:
        """`deaf` are ends of tunnels through which no neighbour is heard; `before` is that of the
        network of which this is a changed copy."""
        self.deaf = deaf
        self._devices: dict[str, Device] = {d.name: d for d in network.devices}
        self._interfaces: dict[End, Interface] = {
            End(d.name, i.name): i for d in network.devices for i in d.interfaces
        }
        self.filters = {d.name: Filters(d) for d in network.devices if d.filters}
        """The filters of each device that has some."""
        self.segment_of: dict[End, Segment] = {}
        for segment in network.segments:
            for end in segment.ends:
                self.segment_of[end] = segment
        for device in network.devices:
            for name, node in device.lent.items():
                # What leaves by an interface of another instance is on that one's link.
                twin, lent = End(node, name), End(device.name, name)
                if twin in self._interfaces and lent not in self._interfaces:
                    self._interfaces[lent] = self._interfaces[twin]
                    if twin in self.segment_of:
                        self.segment_of[lent] = self.segment_of[twin]
        self._cable_of = {end: cable for cable in network.cables for end in cable.ends}
        self._why: dict[End, str | None] = {
            end: self._judge(end, interface) for end, interface in self._interfaces.items()
        }
        for device in network.devices:
            for name, node in device.lent.items():
                if End(node, name) in self._why and device.interface(name) is None:
                    self._why[End(device.name, name)] = self._why[End(node, name)]

        self.near: ref[Any] | None = None
        self._of_device: dict[tuple[str, str], tuple[Device, object]] = {}
        self._of_parts: dict[Hashable, tuple[tuple[object, ...], object]] = {}
        if before is not None:
            same = {
                name
                for name, device in self._devices.items()
                if before._devices.get(name) is device
                and before.alike(self, device)
                and not any(end.device == name for end in deaf ^ before.deaf)
            }
            self._of_device = {k: v for k, v in before._of_device.items() if k[1] in same}
            self._of_parts = dict(before._of_parts)

    def __getstate__(self) -> dict[str, object]:
        """What is stored: who answers is found again."""
        return {**self.__dict__, "near": None}

    def __setstate__(self, state: dict[str, Any]) -> None:
        """What comes back: its parts have other numbers here, and the old ones may be anybody's."""
        self.__dict__.update(state)
        self._of_parts = {tuple(map(id, held[0])): held for held in self._of_parts.values()}

    def again(self) -> Links:
        """The same for a changed copy in which nothing here changed. What is made for the copy is
        its own: originals are asked by several at once, and live much longer."""
        other = copy(self)
        other._of_device, other._of_parts = dict(self._of_device), dict(self._of_parts)
        return other

    def of_device(self, what: str, device: Device, make: Callable[[], Made]) -> Made:
        """What follows from the facts and the lines of one device and nothing else: made once for
        this network and its changed copies.

        Args:
            what: names it; the same name always stands for the same `make`.
            device: of this network.
            make: makes it; never changed afterwards.
        """
        held = self._of_device.get((what, device.name))
        if held is None or held[0] is not device:
            held = self._of_device[what, device.name] = device, make()
        return held[1]  # type: ignore[return-value]

    def of_parts(self, parts: tuple[object, ...], make: Callable[[], Made]) -> Made:
        """What follows from some objects that never change and nothing else, made once for this
        network and its changed copies."""
        key = tuple(map(id, parts))
        held = self._of_parts.get(key)
        if held is None:
            # The parts are kept with it, so that their numbers stay theirs.
            held = self._of_parts[key] = parts, make()
        return held[1]  # type: ignore[return-value]

    def interface(self, end: End) -> Interface | None:
        return self._interfaces.get(end)

    def is_up(self, end: End) -> bool:
        """True if packets can leave and arrive here."""
        return end in self._why and self._why[end] is None

    def hears(self, end: End) -> bool:
        """True if a neighbour's packets can be heard here."""
        return self.is_up(end) and end not in self.deaf

    def why_deaf(self, end: End) -> str | None:
        """One clause that says why no neighbour is heard here; None if one can be."""
        if end in self.deaf and self.is_up(end):
            return f"the outer packets of {end.interface} do not get through"
        return self.why_down(end)

    def why_down(self, end: End) -> str | None:
        """One clause that says why the line is down; None if it is up."""
        if end not in self._why:
            return f"{end.device} has no interface {end.interface}"
        return self._why[end]

    def alike(self, other: Links, device: Device) -> bool:
        """True if the lines of a device are up and down, for the same reasons, in both states."""
        names = [*(interface.name for interface in device.interfaces), *device.lent]
        ends = [End(device.name, name) for name in names]
        return all(self._why.get(end) == other._why.get(end) for end in ends)

    def far_end(self, end: End) -> End | None:
        """The other end, if this is a link of exactly two ends."""
        segment = self.segment_of.get(end)
        if segment is None or segment.lan is not None or len(segment.ends) != 2:
            return None
        return segment.ends[0] if segment.ends[1] == end else segment.ends[1]

    def _plugged_into(self, end: End) -> End | None:
        """The other end of the cable, where that is one of two."""
        cable = self._cable_of.get(end)
        if cable is None:
            return self.far_end(end)
        if cable.lan is not None or len(cable.ends) != 2:
            return None
        return cable.ends[0] if cable.ends[1] == end else cable.ends[1]

    def _judge(self, end: End, interface: Interface) -> str | None:
        if not interface.enabled:
            return f"{end.interface} is shut down"
        if interface.loopback:
            return None
        if interface.tunnel is not None:
            return None  # it has no line: it is up whatever becomes of its far end (RFC 2784)
        if interface.parent is not None:
            below = End(end.device, interface.parent)
            under = self._interfaces.get(below)
            return None if under is None else self._judge(below, under)
        far = self._plugged_into(end)
        other = self._interfaces.get(far) if far is not None else None
        if far is not None and other is not None and not other.enabled:
            return f"the far end, {far}, is shut down"
        if interface.carrier is False:
            was_down = other is not None and other.captured_enabled is False
            if not was_down and interface.captured_enabled is not False:
                return f"{end.interface} has no carrier"
        if far is not None and other is not None and other.carrier is False:
            was_down = interface.captured_enabled is False
            if not was_down and other.captured_enabled is not False:
                return f"the far end, {far}, has no carrier"
        return None

    def usable_for_routes(self, end: End) -> bool:
        """True if routes over this interface stand: up, or told to ignore the line."""
        interface = self._interfaces.get(end)
        if interface is None or not interface.enabled:
            return False
        return interface.ignores_carrier or self.is_up(end)
