"""What a routing protocol is to everybody else: one object that says how it is computed.

Each protocol has such an object in its own room, and `registry` lists them. The scheduler, the
findings and the remedies ask it and never which protocol it is.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple
from typing import Protocol as Shape

from ..network.addressing import FAMILIES, Prefix
from ..network.facts import Device, End, Network, Unmodelled
from ..network.routing import Named, Process
from ..network.source import Source
from ..step.filters import Flow
from ..step.links import Links
from ..step.rows import Offer
from ..step.table import Table, TableKey
from .gates import Gate, Later, Relation


class Untold(NamedTuple):
    """Why one neighbour does not tell another of a prefix: whose doing it is, a sentence, lines."""

    device: str
    says: str
    sources: tuple[Source, ...]


class Speakers(Shape):
    """One protocol of one family over the whole network."""

    @property
    def protocol(self) -> str:
        """The protocol's word."""

    @property
    def family(self) -> int:
        """4 or 6."""

    def offers(self, tables: Mapping[TableKey, Table]) -> Mapping[str, Sequence[Offer]]:
        """The candidates per device, given the tables of the round before."""

    def follow(self, earlier: Any) -> None:
        """Takes note of the speakers of the network of which this is a changed copy: what holds
        for both need not be computed again."""

    def relations(self) -> list[Relation]:
        """Every pair of ends that are or should be neighbours."""

    def doubts(self) -> dict[str, list[Unmodelled]]:
        """Per device: why its routes of this protocol are never certain."""

    def why_not_told(self, prefix: Prefix, holder: str, other: str) -> Untold | None:
        """Why a router that holds a prefix does not tell a working neighbour of it; None if
        nothing in this protocol keeps it from that."""

    def areas(self) -> Mapping[str, Sequence[str]]:
        """The areas that each router is in, in people's words, the one that joins the others
        first; empty where the protocol has none."""

    def least_distance(self, device: Device) -> int | None:
        """The smallest distance that a route of it could have on a device; None if it is not
        run there."""

    def outside(self) -> Iterable[tuple[str, End, Unmodelled]]:
        """Neighbours that nobody surveyed: (whose, where the way to it leaves what was read, what
        is not known)."""

    def listening(self) -> Iterable[tuple[End, str, Source]]:
        """The ends on which any neighbour would be heard, with the line that makes them."""


Speak = Callable[[Network, Links, Sequence[int]], Sequence[Speakers]]


@dataclass(frozen=True, slots=True)
class RoutingProtocol:
    """How a protocol is computed."""

    named: Named
    speak: Speak
    """Its speakers over a network, one for each of the families that are asked for."""
    gates: tuple[Gate[Any], ...]
    """What is compared between two ends, in the order in which the protocol meets it."""
    later: tuple[Later[Any], ...] = ()
    """What else may keep neighbours, or routes, apart: not compared between two ends alone."""
    busy: Callable[[Device, Any, Links], set[str]] = lambda device, process, links: set()
    """The interfaces on which one of its processes runs."""
    packets: Flow | None = None
    """Its own packets, as filters see them."""

    @property
    def name(self) -> str:
        return self.named.name

    @property
    def rows(self) -> tuple[Gate[Any] | Later[Any], ...]:
        """Everything that two ends may fail at, each with its mend."""
        return (*self.gates, *self.later)

    @property
    def gate_names(self) -> tuple[str, ...]:
        return tuple(row.name for row in self.rows)

    def processes(self, device: Device, family: int) -> tuple[Process, ...]:
        """Its processes of one family on a device."""
        return device.routing.called(self.name, family)

    def families(self, network: Network) -> list[int]:
        """The families in which it runs anywhere."""
        return [
            family
            for family in FAMILIES
            if any(self.processes(device, family) for device in network.devices)
        ]
