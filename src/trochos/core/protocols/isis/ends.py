"""Which interfaces take part in IS-IS, and the settings in force on each."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from ...network.addressing import Address
from ...network.facts import AddressFact, Device, End, Interface
from ...network.isis import (
    KINDS,
    LEVELS,
    NARROWEST,
    IsisHabits,
    IsisInterface,
    IsisProcess,
)
from ...network.routing import Word
from ...network.source import Source
from ...step.links import Links
from ..identity import link_local

DOWN, INITIALIZING, UP = "down", "initializing", "up"
POINT_TO_POINT, BROADCAST = "point-to-point", "broadcast"


@dataclass(frozen=True, slots=True)
class IsisEnd:
    """One interface of one router as IS-IS sees it in one family."""

    device: str
    process: IsisProcess
    interface: Interface
    settings: IsisInterface
    enabled: Source | None
    """The line that takes it in for this family."""
    circuit: Source | None
    """The line that takes it in for any family: then it is a circuit, and has neighbours."""
    fact: AddressFact | None
    address: Address | None
    """What neighbours take as next hop."""
    passive: bool
    passive_source: Source | None
    network: str
    levels: frozenset[int]
    kind: Word | None
    """Which levels the interface is told to speak, where that counts."""
    style: str
    costs: Mapping[int, int]
    up: bool
    why_deaf: str | None
    """Why no neighbour is heard; None if one can be. An interface that is up and deaf (a tunnel
    whose outer packets are lost) is announced all the same."""
    loopback: Address | None = None
    """The router's first IPv4 address on a loopback."""
    uses_no_ipv6: bool = False
    """Its metrics are such that it uses nobody's IPv6 routes (`IsisHabits.narrow_uses_no_ipv6`)."""

    @property
    def end(self) -> End:
        return End(self.device, self.interface.name)

    @property
    def active(self) -> bool:
        return self.up and self.circuit is not None and self.process.net is not None

    @property
    def speaks(self) -> bool:
        return self.active and not self.passive and self.why_deaf is None

    def default(self, text: str) -> Source:
        """Evidence for a value that nobody wrote."""
        source = self.interface.source or self.process.source
        return source._replace(text=text, default=True)


def ends_of(device: Device, process: IsisProcess, links: Links) -> list[IsisEnd]:
    """All interfaces of a router, whether they take part or not."""
    habits = device.profile.habit(IsisHabits)
    style = process.style.value if process.style else habits.style
    out = []
    loopback = next(
        (
            fact.address
            for interface in device.interfaces
            if interface.loopback
            for fact in interface.addresses
            if fact.address.family == 4 and not fact.address.is_loopback
        ),
        None,
    )
    for interface in device.interfaces:
        held = process.interfaces.get(interface.name) or IsisInterface(interface.name)
        taken = held.taken_in
        if held.refused is not None and habits.late_style_refuses:
            taken = {}
        facts = [
            f
            for f in interface.addresses
            if f.address.family == process.family and not f.address.is_link_local
        ]
        kind = held.circuit
        if habits.one_level_overrules_circuits and len(process.levels) == 1:
            kind = None
        narrow = style == "narrow"
        costs = {}
        for level in LEVELS:
            said = held.metrics.get(level)
            cost = said.value if said is not None else habits.metric
            costs[level] = min(cost, NARROWEST) if narrow else cost
        end = End(device.name, interface.name)
        quiet = held.passive
        if interface.loopback or held.network is None:
            network = BROADCAST
        else:
            network = held.network.value
        out.append(
            IsisEnd(
                device.name,
                process,
                interface,
                held,
                taken.get(process.family),
                next(iter(taken.values()), None),
                facts[0] if facts else None,
                link_local(interface)
                if process.family == 6
                else (facts[0].address if facts else None),
                interface.loopback or bool(quiet and quiet.value),
                quiet.source if quiet else None,
                POINT_TO_POINT if interface.point_to_point else network,
                process.levels & KINDS[kind.value] if kind else process.levels,
                kind,
                style,
                costs,
                links.is_up(end),
                links.why_deaf(end),
                loopback,
                process.family == 6 and narrow and habits.narrow_uses_no_ipv6,
            )
        )
    return out
