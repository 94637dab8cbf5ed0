"""One speaker in one address family, and what speakers told each other as long as it holds."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from ...network.addressing import Address, Prefix, host_prefix
from ...network.bgp import BgpProcess
from ...network.facts import Device
from ...step.routes import Route
from ...step.table import Table
from ..policy import Attributes
from .ends import BgpEnd
from .leaks import Leak
from .paths import Path
from .reaching import Reaching
from .sessions import Session

Key = tuple[str, Prefix]


@dataclass(slots=True)
class Speaker:
    """One speaker's state in one family."""

    device: Device
    process: BgpProcess
    local: dict[Prefix, Path] = field(default_factory=dict)
    heard: dict[Prefix, dict[tuple[Address | None, str | None], Path]] = field(default_factory=dict)
    """By the neighbour's address and link; by (None, node) what was taken over from there."""
    best: dict[Prefix, Path] = field(default_factory=dict)
    shared: dict[Prefix, list[Path]] = field(default_factory=dict)
    rivals: dict[Prefix, Path] = field(default_factory=dict)
    """A path that lost to the best one only by its age."""
    sides: list[tuple[BgpEnd, BgpEnd]] = field(default_factory=list)
    """(own end, the other's end) of every session."""
    table: Table | None = None
    """Its own table, of the round before, if it tells only of routes that this has."""

    def everything(self) -> Iterator[Attributes]:
        """The attributes of all that it holds, the best of each prefix and the others."""
        for prefix in sorted(self.local.keys() | self.heard.keys()):
            own = self.local.get(prefix)
            if own is not None:
                yield own.attributes
            for path in self.heard.get(prefix, {}).values():
                yield path.attributes


Way = tuple[Prefix, str, int, bool] | None
"""What is asked of a route to a next hop: its prefix, protocol and metric, and whether it leads
anywhere; None without one."""


@dataclass(slots=True)
class Talked:
    """What speakers told each other in one family, and all that it rests on: asked again, they say
    the same."""

    local: dict[str, dict[Prefix, Path]]
    """What each announces itself."""
    sessions: list[Session]
    ways: dict[tuple[str, Address], Way]
    """Every route to a next hop that was asked for."""
    speakers: dict[str, Speaker]
    unsettled: set[Key]
    leaks: dict[str, list[Leak]]
    offers: dict[str, list[Route]]

    def holds(
        self, speakers: Mapping[str, Speaker], sessions: list[Session], reaching: Reaching
    ) -> bool:
        """True if the same speakers in the same sessions announce the same, and find next hops as
        they did."""
        return (
            speakers.keys() == self.speakers.keys()
            and all(
                (s.device is held.device or s.device == held.device)
                and (s.process is held.process or s.process == held.process)
                and s.local == self.local[name]
                for (name, s), held in zip(speakers.items(), self.speakers.values(), strict=True)
            )
            and sessions == self.sessions
            and all(way_to(reaching, *asked) == way for asked, way in self.ways.items())
        )


def same_path(a: Path, b: Path) -> bool:
    """True if two paths say the same, whenever they arrived and however far the next hop is."""
    return (a.attributes, a.kind, a.originator, a.clusters, a.link, a.router_id) == (
        b.attributes,
        b.kind,
        b.originator,
        b.clusters,
        b.link,
        b.router_id,
    )


def own_next_hop(path: Path) -> bool:
    """True for a host route to the very address that is its next hop."""
    prefix, address = path.attributes.prefix, path.next_hop
    return address is not None and prefix.is_host and prefix == host_prefix(address)


def way_to(reaching: Reaching, device: str, address: Address) -> Way:
    """What is asked of the route to a next hop."""
    route = reaching.route(device, address)
    if route is None:
        return None
    return route.prefix, route.protocol, route.metric, bool(route.next_hops)
