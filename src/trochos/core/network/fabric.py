"""Which ends hear each other through switches: frames with and without tags (IEEE 802.1Q).

A frame is flooded from every end that has a network layer of its own: over cables, through
bridges by their ports' VLANs, up to VLAN interfaces that take its tag. Ends that hear each
other both ways share a segment. Where a frame is dropped is remembered, so that an end that
is not heard has a reason: the port, the VLAN and the line.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import NamedTuple

from .facts import Device, End, Interface, Segment
from .source import Source

Tag = int | None


class Dropped(NamedTuple):
    """Where a frame ended: at a port, for its VLAN (None: it had no tag and got none)."""

    end: End
    vlan: int | None
    leaving: bool
    """True if the port does not send it out, False if it does not take it in."""
    source: Source | None

    def clause(self) -> str:
        what = f"VLAN {self.vlan}" if self.vlan is not None else "untagged frames"
        if self.leaving:
            return f"{self.end} does not carry {what}"
        return (
            f"{self.end} takes no {what}"
            if self.vlan is None
            else (f"{self.end} does not take the tag of {what}")
        )


@dataclass(slots=True)
class Flood:
    """How far the frames of one end get."""

    heard: dict[End, None] = field(default_factory=dict)
    dropped: list[Dropped] = field(default_factory=list)
    seen: set[tuple[End, Tag]] = field(default_factory=set)
    """Ports that a frame came to, with the tag it had there."""
    vlans: dict[str, set[int]] = field(default_factory=dict)
    """The VLANs in which each bridge passed it on."""
    circles: set[str] = field(default_factory=set)
    came: dict[End, set[Tag]] = field(default_factory=dict)
    """The tags with which frames came to ends outside of bridges."""


class Fabric:
    """The switched part of a network."""

    def __init__(self, devices: dict[str, Device], cables: Iterable[Segment]) -> None:
        self.devices = devices
        self.cables = tuple(cables)
        self.cable_of = {end: cable for cable in self.cables for end in cable.ends}
        self._interfaces: dict[End, Interface] = {
            End(d.name, i.name): i for d in devices.values() for i in d.interfaces
        }
        self._ports: dict[End, list[End]] = {}
        self._tagged: dict[tuple[End, int], End] = {}
        for end, interface in self._interfaces.items():
            if interface.master is not None:
                self._ports.setdefault(End(end.device, interface.master), []).append(end)
            if interface.parent is not None and interface.tag is not None:
                self._tagged[End(end.device, interface.parent), interface.tag] = end
        self._floods: dict[End, Flood] = {}

    @property
    def switched(self) -> bool:
        """False if no frame is ever tagged or bridged here: then cables say it all."""
        return bool(self._ports or self._tagged)

    # -- segments ------------------------------------------------------------------

    def segments(self) -> list[Segment]:
        """The ends of the network layer that hear each other, grouped; cables without
        switches stay as they are."""
        touched = self._touched()
        out = [c for c in self.cables if not any(end in touched for end in c.ends)]
        ends = sorted(end for end in touched if self._speaks(end))
        # A VLAN interface that the drawing plugs in by itself is taken at its word.
        ends += sorted(
            e
            for e, i in self._interfaces.items()
            if i.parent and self._speaks(e) and e not in self.cable_of
        )
        ends = list(dict.fromkeys(ends))
        done: set[End] = set()
        for end in ends:
            if end in done:
                continue
            members = [end]
            for item in members:
                for other in self.flood(item).heard:
                    both = other in self._interfaces and item in self.flood(other).heard
                    if both and other not in members:
                        members.append(other)
            done.update(members)
            unread = tuple(
                sorted({e.device for e in self.flood(end).heard if e not in self._interfaces})
            )
            dark = tuple(e for e in self.flood(end).heard if e not in self._interfaces)
            name = self._name(end) if self.flood(end).vlans else None
            reason = "switches join these ends"
            out.append(Segment(tuple(sorted((*members, *dark))), name, unread, reason))
        return out

    def _touched(self) -> set[End]:
        """Ends on cables that lead to a bridge port, a VLAN interface's parent, or one on."""
        special = {end for ports in self._ports.values() for end in ports}
        special |= {parent for parent, _ in self._tagged}
        out = set(special)
        for cable in self.cables:
            if any(end in special for end in cable.ends):
                out.update(cable.ends)
        out |= set(self._ports)
        return out

    def _speaks(self, end: End) -> bool:
        """True if an end has a network layer of its own: it is no port of a bridge."""
        interface = self._interfaces.get(end)
        return interface is not None and interface.master is None

    def _name(self, end: End) -> str:
        parts = [
            f"VLAN {'+'.join(map(str, sorted(numbers)))} of {device}" if numbers else device
            for device, numbers in sorted(self.flood(end).vlans.items())
        ]
        return ", ".join(parts[:2]) or str(end)

    # -- frames --------------------------------------------------------------------

    def flood(self, end: End) -> Flood:
        """Everybody who hears what an end sends to all."""
        known = self._floods.get(end)
        if known is None:
            known = self._floods[end] = Flood()
            self._send(end, known)
        return known

    def _send(self, end: End, flood: Flood) -> None:
        interface = self._interfaces[end]
        if interface.parent is not None and interface.tag is not None:
            below = End(end.device, interface.parent)
            if below in self._ports:
                self._enter(below, below, interface.tag, flood)
            else:
                self._wire(below, interface.tag, flood)
        elif end in self._ports:
            self._enter(end, end, None, flood)
        else:
            self._wire(end, None, flood)

    def _wire(self, out: End, tag: Tag, flood: Flood) -> None:
        cable = self.cable_of.get(out)
        if cable is None or not self._on(out):
            return
        for end in cable.ends:
            if end == out or not self._on(end):
                continue
            interface = self._interfaces.get(end)
            if interface is not None and interface.master is not None:
                self._enter(End(end.device, interface.master), end, tag, flood)
            else:
                self._arrive(end, tag, flood)

    def _on(self, end: End) -> bool:
        interface = self._interfaces.get(end)
        return interface is None or (interface.enabled and not interface.blocked)

    def interface(self, end: End) -> Interface | None:
        return self._interfaces.get(end)

    def knows(self, end: End) -> bool:
        return end in self._interfaces

    def blocks(self, devices: Iterable[str]) -> bool:
        """True if a spanning tree holds a port of one of these devices."""
        names = set(devices)
        return any(i.blocked for e, i in self._interfaces.items() if e.device in names)

    def _arrive(self, end: End, tag: Tag, flood: Flood) -> None:
        """A frame comes up to the network layer, or to the VLAN interface of its tag."""
        flood.came.setdefault(end, set()).add(tag)
        if tag is None:
            flood.heard.setdefault(end)
            return
        taker = self._tagged.get((end, tag))
        if taker is None:
            interface = self._interfaces.get(end)
            if interface is None:
                flood.heard.setdefault(end)  # who knows what nobody could read
                return
            tags = [
                self._interfaces[e].tag_source
                for (parent, _), e in self._tagged.items()
                if parent == end
            ]
            flood.dropped.append(Dropped(end, tag, False, tags[0] if tags else interface.source))
        elif self._interfaces[taker].enabled:
            flood.heard.setdefault(taker)

    def _enter(self, bridge: End, port: End, tag: Tag, flood: Flood) -> None:
        """A frame comes into a bridge by a port (the bridge itself is one of them)."""
        if (port, tag) in flood.seen:
            if port != bridge:
                flood.circles.add(bridge.device)
            return
        flood.seen.add((port, tag))
        facts = self._interfaces.get(bridge)
        if facts is None or not facts.enabled:
            return
        ports = self._ports.get(bridge, [])
        if facts.filtering and not any(self._interfaces[p].carried for p in (*ports, bridge)):
            # It looks at VLANs, and nobody gathered which: who hears this is not known.
            flood.heard.setdefault(End(f"the VLANs of {bridge.device}", ""))
            return
        vlan = tag
        if facts.filtering:
            entry = self._interfaces[port]
            if tag is None:
                own = next((c for c in entry.carried if c.is_port_vlan), None)
                if own is None:
                    flood.dropped.append(Dropped(port, None, False, entry.source))
                    return
                vlan = own.vlan
            elif not any(c.vlan == tag for c in entry.carried):
                source = entry.carried[0].source if entry.carried else entry.source
                flood.dropped.append(Dropped(port, tag, False, source))
                return
        flood.vlans.setdefault(bridge.device, set()).update({vlan} - {None})  # type: ignore[arg-type]
        for other in (*ports, bridge):
            if other == port or not self._on(other):
                continue
            leaving = vlan
            if facts.filtering:
                held = self._interfaces[other].carried
                carried = next((c for c in held if c.vlan == vlan), None)
                if carried is None:
                    line = held[0].source if held else self._interfaces[other].source
                    if other != bridge:
                        flood.dropped.append(Dropped(other, vlan, True, line))
                    continue
                leaving = None if carried.untagged else vlan
            if other == bridge:
                self._arrive(bridge, leaving, flood)
            else:
                self._wire(other, leaving, flood)

    # -- reasons -------------------------------------------------------------------

    def why_not(self, sender: End, listener: End) -> Dropped | None:
        """Where the frames of one end are dropped on their way to another; None if they get
        there, or if the two are not joined by any cable."""
        if sender not in self._interfaces or listener not in self._interfaces:
            return None
        mine = self.flood(sender)
        if listener in mine.heard:
            theirs = self.flood(listener)
            return self._between(theirs, sender) if sender not in theirs.heard else None
        return self._between(mine, listener)

    def _between(self, flood: Flood, listener: End) -> Dropped | None:
        """Of the places where a flood was stopped, the nearest that looks towards a listener."""
        distance = self._distances(listener)
        near = [d for d in flood.dropped if self._towards(d, distance)]
        if near:
            return min(near, key=lambda d: (distance[d.end], not d.leaving))
        interface = self._interfaces[listener]
        below = End(listener.device, interface.parent) if interface.parent else listener
        # It got there, and with another tag than the one that is waited for.
        for tag in sorted(flood.came.get(below, ()), key=lambda t: t or 0):
            if tag != interface.tag:
                return Dropped(below, tag, False, interface.tag_source or interface.source)
        return None

    def _towards(self, drop: Dropped, distance: dict[End, int]) -> bool:
        """True if the frame would have gone on towards the end that distances count from."""
        here = distance.get(drop.end)
        if here is None:
            return False
        interface = self._interfaces[drop.end]
        beyond: Iterable[End]
        if drop.leaving:
            cable = self.cable_of.get(drop.end)
            beyond = cable.ends if cable is not None else ()
        elif interface.master is not None:
            bridge = End(drop.end.device, interface.master)
            beyond = (bridge, *self._ports[bridge])
        else:
            return here == 0
        return any(distance.get(end, here) < here for end in beyond if end != drop.end)

    def _distances(self, listener: End) -> dict[End, int]:
        """How many cables and bridges lie between every port and an end, VLANs aside."""
        interface = self._interfaces[listener]
        start = End(listener.device, interface.parent) if interface.parent else listener
        out = {start: 0}
        queue = [start]
        for here in queue:
            facts = self._interfaces.get(here)
            beside: list[End] = list(self.cable_of[here].ends) if here in self.cable_of else []
            if facts is not None and facts.master is not None:
                bridge = End(here.device, facts.master)
                beside += [*self._ports[bridge], bridge]
            beside += self._ports.get(here, [])
            for other in beside:
                if other not in out:
                    out[other] = out[here] + 1
                    queue.append(other)
        return out

    def joined(self, one: End, other: End) -> bool:
        """True if cables and bridges lead from one to the other, whatever their VLANs."""
        interface = self._interfaces.get(one)
        below = End(one.device, interface.parent) if interface and interface.parent else one
        return below in self._distances(other)
