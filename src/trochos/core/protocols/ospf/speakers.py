"""OSPF as the scheduler sees it: tables in, candidates out."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from ...network.facts import Device, End, Network, Unmodelled
from ...network.source import Source
from ..again import Told
from ..gates import Relation
from ..links import Links
from ..routes import Route, Table
from .domain import OspfDomain
from .externals import External, announced_by


class OspfSpeakers(Told):
    """One version of OSPF over the whole network."""

    def __init__(self, network: Network, links: Links, version: int) -> None:
        super().__init__()
        self.domain = OspfDomain(network, links, version)
        self.family = self.domain.family

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

    def answer(self, told: dict[str, list[External]]) -> dict[str, list[Route]]:
        return self.domain.routes(told)

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
        habits = device.profile.ospf
        running = [p for p in device.routing.ospf if p.family == self.family]
        found = [d for p in running for d in (*p.distance.values(), habits.distance)]
        return min(found, default=None)

    def outside(self) -> tuple[tuple[str, End, Unmodelled], ...]:
        return ()

    def doubts(self) -> dict[str, list[Unmodelled]]:
        """Every router of an area in which two have one router id: nothing settles there."""
        return self.domain.doubts()
