"""OSPF as the scheduler sees it: tables in, candidates out."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property

from ...network.addressing import Prefix, dotted
from ...network.facts import Device, End, Network, Unmodelled
from ...network.ospf import NAMED, OspfHabits, OspfProcess
from ...network.source import Source
from ...step.links import Links
from ...step.rows import Offer
from ...step.table import Table
from ..again import Told
from ..gates import Relation
from ..protocol import RoutingProtocol, Untold
from . import neighbours, virtual
from .domain import OspfDomain
from .externals import External, announced_by
from .interfaces import ends_of


class OspfSpeakers(Told):
    """One version of OSPF over the whole network."""

    protocol = OspfProcess.protocol

    def __init__(self, network: Network, links: Links, version: int) -> None:
        super().__init__()
        self.family = 4 if version == 2 else 6
        self._version, self._facts = version, (network, links)
        self._before: OspfDomain | None = None

    def follow(self, earlier: OspfSpeakers) -> None:
        """Where settings changed, areas without any of them are those of before the change."""
        self._before = earlier.domain

    @cached_property
    def domain(self) -> OspfDomain:
        """All routers together."""
        found = OspfDomain(*self._facts, self._version, self._before)
        self._before = None  # what is kept of a copy must not keep what it was made of
        return found

    def told(self, tables: Mapping[tuple[str, int], Table]) -> dict[str, list[External]]:
        """What each router announces as external."""
        announced = {}
        for name, router in self.domain.routers.items():
            if router.process.redistribute or router.process.default is not None:
                table = tables[name, self.family]
                found = announced_by(router.device, router.process, table, router.ends)
                if found:
                    announced[name] = found
        return announced

    def answer(self, told: dict[str, list[External]]) -> dict[str, list[Offer]]:
        return self.domain.routes(told)

    def why_not_told(self, prefix: Prefix, holder: str, other: str) -> Untold | None:
        here, there = self.domain.routers.get(holder), self.domain.routers.get(other)
        if here is None or there is None:
            return None
        for number in sorted(set(here.areas) & set(there.areas)):
            refusal = self.domain.why_not_passed(holder, prefix, number)
            if refusal is not None:
                says = f"{holder} does not pass it on: {refusal.why}."
                return Untold(holder, says, refusal.sources)
        return None

    def areas(self) -> dict[str, list[str]]:
        """The backbone first, which has the smallest number."""
        return {
            name: [_shown(area) for area in sorted(router.areas)]
            for name, router in self.domain.routers.items()
        }

    def relations(self) -> list[Relation]:
        return self.domain.adjacencies.relations

    def listening(self) -> Iterator[tuple[End, str, Source]]:
        """The ends that speak."""
        for router in self.domain.routers.values():
            for end in router.ends:
                if end.speaks and end.area is not None:
                    yield end.end, end.process.name, end.area.source

    def least_distance(self, device: Device) -> int | None:
        """The smallest distance that its routes could have on a device; None without it."""
        habits = device.profile.habit(OspfHabits)
        running = [p for p in device.routing.of(OspfProcess) if p.family == self.family]
        found = [d for p in running for d in (*p.distance.values(), habits.distance)]
        return min(found, default=None)

    def outside(self) -> tuple[tuple[str, End, Unmodelled], ...]:
        return ()

    def doubts(self) -> dict[str, list[Unmodelled]]:
        """Every router of an area in which two have one router id: nothing settles there."""
        return self.domain.doubts()


def _shown(area: int) -> str:
    return f"area {area if area < 65536 else dotted(area)}"


def _speak(network: Network, links: Links, families: Sequence[int]) -> list[OspfSpeakers]:
    return [OspfSpeakers(network, links, 2 if family == 4 else 3) for family in families]


def _busy(device: Device, process: OspfProcess, links: Links) -> set[str]:
    ends = ends_of(device, process, links)
    return {end.interface.name for end in ends if end.area is not None}


OSPF = RoutingProtocol(
    NAMED,
    _speak,
    (*neighbours.GATES, *virtual.GATES),
    neighbours.LATER,
    _busy,
    neighbours.OWN,
)
