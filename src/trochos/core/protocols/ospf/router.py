"""One router of an OSPF domain, and what it has chosen for each thing that can be reached."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

from ...network.facts import Device
from ...network.ospf import AreaRange, OspfArea, OspfProcess
from ...step.routes import NextHop, Origin
from .interfaces import OspfEnd

BACKBONE = 0
INTRA, INTER, EXTERNAL_1, EXTERNAL_2 = 0, 1, 2, 3


class Best(NamedTuple):
    """A router's own choice for a key: kind, cost, next hops, area and origin."""

    kind: int
    cost: int
    hops: tuple[NextHop, ...]
    area: int
    origin: Origin
    metric2: int = 0
    own: str | None = None
    """The interface, if this is a subnet of the router's own."""
    nssa: bool = False
    tag: int = 0


@dataclass
class Router:
    """One OSPF router: its process, its ends, the areas it is active in."""

    device: Device
    process: OspfProcess
    ends: list[OspfEnd]
    areas: list[int] = field(default_factory=list)
    is_border: bool = False
    discards: list[tuple[AreaRange, int]] = field(default_factory=list)

    def area(self, number: int) -> OspfArea:
        return self.process.areas.get(number) or OspfArea(number)
