"""Virtual links: backbone neighbours across another area (RFC 2328, section 15; RFC 5340, 4.7).

A virtual link has a table of gates as any other relation has. Its ends are routers, not
interfaces, and know each other by router id.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from ...network.addressing import dotted
from ...network.ospf import OspfProcess, VirtualLink
from ...network.routing import Number, Word
from ...network.source import Source
from ..gates import Gate, Reading, Relation, Side, judge
from ..shortest import FAR, AreaGraph
from . import mends
from .neighbours import DOWN, FULL, digest_reading, same_key
from .router import BACKBONE, Router

HELLO, DEAD = 10, 40


@dataclass(frozen=True, slots=True)
class VirtualEnd:
    """One router's side of a virtual link."""

    device: str
    process: OspfProcess
    link: VirtualLink | None
    """What it says of the link; None if it does not name the other."""
    peer: int
    """The router id it names, or would have to name."""
    area: int
    """The area that the link crosses, as this side says or would have to say."""
    kind: str
    cost: int | None
    """The cost of the way to the other through that area; None if there is none."""

    @property
    def hello(self) -> int:
        return self.link.hello.value if self.link and self.link.hello else HELLO

    @property
    def dead(self) -> int:
        return self.link.dead.value if self.link and self.link.dead else DEAD

    @property
    def authentication(self) -> Word | None:
        return self.link.authentication if self.link else None


def _line(end: VirtualEnd) -> tuple[Source, ...]:
    return (end.link.source,) if end.link is not None else ()


def _named(end: VirtualEnd, _: VirtualEnd) -> Reading:
    if end.link is None:
        line = f"area {dotted(end.area)} virtual-link {dotted(end.peer)}"
        missing = end.process.source._replace(
            line=None, text=line, missing=True, after=end.process.source.line
        )
        return Reading(f"does not name {dotted(end.peer)}", (missing,), False)
    return Reading(f"names {dotted(end.peer)}", _line(end), True)


def _area(end: VirtualEnd, _: VirtualEnd) -> Reading:
    return Reading(dotted(end.area), _line(end))


def _kind(end: VirtualEnd, _: VirtualEnd) -> Reading:
    facts = end.process.areas.get(end.area)
    lines = (facts.kind_source,) if facts is not None and facts.kind_source else ()
    return Reading(end.kind, lines)


def _way(end: VirtualEnd, other: VirtualEnd) -> Reading:
    if end.cost is None:
        return Reading(f"no way to {other.device} inside it", _line(end), False)
    return Reading(f"reaches {other.device} at cost {end.cost}", (), True)


def _authentication(end: VirtualEnd, _: VirtualEnd) -> Reading:
    word = end.authentication
    return Reading(word.value if word else "none", (word.source,) if word else ())


def _key(end: VirtualEnd, _: VirtualEnd) -> Reading:
    assert end.link is not None and end.authentication is not None
    return digest_reading(end.authentication.value, end.link.digests, end.link.key)


def _timer(name: str) -> Gate[VirtualEnd]:
    def read(end: VirtualEnd, _: VirtualEnd) -> Reading:
        given: Number | None = getattr(end.link, name) if end.link else None
        value = getattr(end, name)
        return Reading(f"{value} s", (given.source,) if given else _line(end), value)

    return Gate(f"virtual {name} interval", read, stuck=_down, mend=mends.as_the_other_says)


def _down(left: VirtualEnd, right: VirtualEnd) -> tuple[str, str]:
    return DOWN, DOWN


def _true(left: Reading, right: Reading) -> bool:
    return bool(left.value) and bool(right.value)


def _both_named(left: VirtualEnd, right: VirtualEnd) -> bool:
    return left.link is not None and right.link is not None


def _kind_of(end: VirtualEnd) -> str:
    return end.authentication.value if end.authentication else "none"


GATES: tuple[Gate[VirtualEnd], ...] = (
    Gate("virtual link", _named, _true, stuck=_down, mend=mends.named_at_both),
    Gate(
        "transit area",
        _area,
        stuck=_down,
        applies=_both_named,
        mend=mends.as_the_other_says,
    ),
    Gate(
        "transit area type",
        _kind,
        lambda left, right: left.value == right.value == "normal",
        stuck=_down,
        no_mend="nothing that is said of the link helps: the area has another kind on purpose",
    ),
    Gate(
        "way through the area",
        _way,
        _true,
        stuck=_down,
        no_mend="nothing that is said of the link helps: what breaks the area has its own findings",
    ),
    Gate(
        "virtual authentication",
        _authentication,
        stuck=_down,
        applies=_both_named,
        mend=mends.as_the_other_says,
    ),
    Gate(
        "virtual key",
        _key,
        same_key,
        stuck=_down,
        applies=lambda a, b: _both_named(a, b) and _kind_of(a) == _kind_of(b) != "none",
        mend=mends.as_the_other_says,
    ),
    _timer("hello"),
    _timer("dead"),
)


def find(routers: Mapping[str, Router], graphs: Mapping[int, AreaGraph]) -> list[Relation]:
    """Every virtual link that somebody configured, judged; `ends` of the relation are
    `VirtualEnd`s in the order of the devices' names. The areas' distances must be known."""
    by_id = {
        identity.value: name
        for name, router in routers.items()
        if router.ends and (identity := router.ends[0].router_id) is not None
    }
    out: list[Relation] = []
    done: set[frozenset[str]] = set()
    for name, router in sorted(routers.items()):
        for link in router.process.virtual_links:
            other = by_id.get(link.neighbour)
            mine = router.ends[0].router_id if router.ends else None
            if other is None or other == name or mine is None or link.area == BACKBONE:
                continue
            pair = frozenset((name, other))
            if pair in done:
                continue
            done.add(pair)
            back = next(
                (v for v in routers[other].process.virtual_links if v.neighbour == mine.value),
                None,
            )
            ends = (
                _end(router, link, link.neighbour, link.area, graphs, other),
                _end(
                    routers[other],
                    back,
                    mine.value,
                    back.area if back is not None else link.area,
                    graphs,
                    name,
                ),
            )
            result = judge(GATES, ends[0], ends[1])
            states = result.stuck or (FULL, FULL)
            left, right = (
                Side(end.device, None, None, state, FULL)
                for end, state in zip(ends, states, strict=True)
            )
            gates, family = list(result.gates), router.process.family
            out.append(Relation("ospf", family, left, right, gates, result.up, ends=ends))
    return out


def _end(
    router: Router,
    link: VirtualLink | None,
    peer: int,
    area: int,
    graphs: Mapping[int, AreaGraph],
    other: str,
) -> VirtualEnd:
    graph = graphs.get(area)
    name = router.device.name
    cost: int | None = None
    if graph is not None and {name, other} <= graph.index.keys():
        found = int(graph.distance[graph.index[name], graph.index[other]])
        cost = found if found < FAR else None
    kind = router.area(area).kind
    return VirtualEnd(name, router.process, link, peer, area, kind, cost)
