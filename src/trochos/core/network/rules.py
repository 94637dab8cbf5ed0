"""Rules that choose a routing table by more than the target (policy routing, ip-rule(8))."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from .addressing import Address, Prefix
from .filters import ALL_BITS, Range
from .protocols import by_packets, label
from .source import Source

_NAMES = {1: "ICMP", 6: "TCP", 17: "UDP", 47: "GRE", 58: "ICMPv6"}


class Kind(NamedTuple):
    """What rules can see of a packet beside its ends: the number of its IP protocol, its ports
    (None where it has none) and its mark. `None` as protocol or mark: that is not known."""

    protocol: int | None = None
    source_ports: Range | None = None
    target_ports: Range | None = None
    mark: int | None = 0


@dataclass(frozen=True, slots=True)
class Rule:
    """One rule of a Linux device; rules are tried by ascending priority.

    It takes packets from `source`, to `target`, arriving on `arrived` (`lo`: what the device
    sends itself), of a protocol, with ports and with a mark (value, mask), each where it is
    set; `inverted` takes all others. It looks into `table`, ends the packet (`special`:
    `discard`, `reject`), or goes on at the rule with the priority `onward`; with none of these it
    does nothing. A match whose prefix is not longer than `suppress` is passed over.
    """

    priority: int
    family: int
    line: Source
    table: str | None = None
    special: str | None = None
    source: Prefix | None = None
    target: Prefix | None = None
    arrived: str | None = None
    suppress: int | None = None
    protocol: int | None = None
    source_ports: Range | None = None
    target_ports: Range | None = None
    mark: tuple[int, int] | None = None
    inverted: bool = False
    onward: int | None = None
    never: str | None = None
    """What it asks for that no packet here has (another type of service than the usual, a socket
    bound to an interface, an interface that is not there), in words."""
    idle: str | None = None
    """Why the device does not carry it out, in words."""
    left_out: Source | None = None
    """The line with a condition that the device leaves out of it."""
    name: str = ""
    """Of a sequence of a policy map: what it is called."""

    @property
    def called(self) -> str:
        """What a person calls it."""
        return f"sequence {self.name}" if self.name else f"rule {self.priority}"

    @property
    def selects(self) -> bool:
        """False if it takes every packet."""
        asked = (self.source, self.target, self.arrived, self.protocol, self.source_ports)
        more = (self.target_ports, self.mark, self.never)
        return self.inverted or any(item is not None for item in (*asked, *more))

    def covers(self, other: Rule) -> bool:
        """True if every packet that the other rule takes is this one's, too."""
        if self.inverted or self.never is not None or self.idle is not None or other.inverted:
            return False
        if self.source is not None and (
            other.source is None or not self.source.covers(other.source)
        ):
            return False
        if self.target is not None and (
            other.target is None or not self.target.covers(other.target)
        ):
            return False
        pairs = (
            (self.arrived, other.arrived),
            (self.protocol, other.protocol),
            (self.source_ports, other.source_ports),
            (self.target_ports, other.target_ports),
            (self.mark, other.mark),
        )
        return self.family == other.family and all(a in (None, b) for a, b in pairs)

    @property
    def about(self) -> str:
        """The packets that it takes, in a few words."""
        parts = [f"from {self.source}"] if self.source is not None else []
        parts += [f"to {self.target}"] if self.target is not None else []
        parts += [f"arriving on {self.arrived}"] if self.arrived is not None else []
        if self.protocol is not None:
            routing = by_packets().get(self.protocol)
            name = label(routing) if routing is not None else _NAMES.get(self.protocol)
            parts.append(f"of {name or f'protocol {self.protocol}'}")
        for word, ports in (("from", self.source_ports), ("to", self.target_ports)):
            if ports is not None:
                low, high = ports
                parts.append(
                    f"{word} port {low}" if low == high else f"{word} ports {low} to {high}"
                )
        if self.mark is not None:
            value, mask = self.mark
            parts.append(f"marked {value:#x}" + (f"/{mask:#x}" if mask != ALL_BITS else ""))
        parts += [f"of {self.never}"] if self.never is not None else []
        said = " ".join(parts)
        if self.inverted:
            return f"all packets but those {said or 'of all kinds'}"
        return f"packets {said or 'of all kinds'}"

    def takes(
        self, source: Address | None, target: Address, arrived: str | None, kind: Kind
    ) -> bool | None:
        """Whether a packet is the rule's; None if that cannot be said. Without a source yet, no
        rule about sources takes it."""
        if self.idle is not None:
            return False
        found = self._fits(source, target, arrived, kind)
        return found if found is None or not self.inverted else not found

    def _fits(
        self, source: Address | None, target: Address, arrived: str | None, kind: Kind
    ) -> bool | None:
        if self.source is not None and (source is None or not self.source.contains(source)):
            return False
        if self.target is not None and not self.target.contains(target):
            return False
        if self.arrived is not None and self.arrived != (arrived or "lo"):
            return False
        held: list[bool | None] = [False] if self.never is not None else []
        if self.protocol is not None:
            held.append(None if kind.protocol is None else kind.protocol == self.protocol)
        for wanted, ports in (
            (self.source_ports, kind.source_ports),
            (self.target_ports, kind.target_ports),
        ):
            if wanted is not None:
                held.append(None if kind.protocol is None else within(ports, [wanted]))
        if self.mark is not None:
            value, mask = self.mark
            held.append(None if kind.mark is None else (kind.mark ^ value) & mask == 0)
        if False in held:
            return False
        return None if None in held else True


def within(ports: Range | None, ranges: list[Range]) -> bool | None:
    """Whether ports of which only the range is known lie in ranges; None if some do."""
    if ports is None:
        return False
    low, high = ports
    if any(a <= low and high <= b for a, b in ranges):
        return True
    return None if any(a <= high and low <= b for a, b in ranges) else False
