"""Routes that pass between the routing instances of one device.

An instance takes over what another one holds best: named by it (`import vrf`), or because what the
other offers carries a route target that it takes (RFC 4364, 4.3). What was taken over is not passed
on to a third. Packets are then looked up again in the table of the instance that the route is of
(as FRR 8.4 shows such routes: "directly connected, RED (vrf RED)"); its control plane is measured
in tests/real/test_leaks.py.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from ...network import claims
from ...network.bgp import BgpFamily, BgpProcess
from ...network.claims import Claim
from ...network.facts import Device
from ...network.source import Source
from ...step.routes import NextHop, Origin
from ..policy import apply_route_map
from .paths import EXTERNAL, LOCAL, Path


@dataclass(frozen=True, slots=True)
class Leak:
    """What one instance takes over from another one of its device."""

    source: str
    target: str
    lines: tuple[Source, ...]
    maps: tuple[str, ...] = ()
    """Route maps that a route passes, in order."""


def leaks(speaking: Iterable[tuple[Device, BgpProcess]], family: int) -> list[Leak]:
    """All leaks of a network in one address family."""
    chassis: dict[str, dict[str, tuple[Device, BgpFamily]]] = {}
    main: set[str] = set()
    for device, process in speaking:
        held = process.families.get(family)
        if not device.instance or any(f.imports for f in process.families.values()):
            main.add(device.chassis)
        if held is not None:
            chassis.setdefault(device.chassis, {})[device.instance or ""] = (device, held)
    return [leak for name, nodes in chassis.items() for leak in _of_one(nodes, name in main)]


def _of_one(nodes: dict[str, tuple[Device, BgpFamily]], main: bool) -> Iterator[Leak]:
    """The leaks of one device. What is offered by route targets goes through the main process, so
    there is none without it; a line that names an instance makes one."""
    for device, held in nodes.values():
        own_map = (held.import_map.value,) if held.import_map is not None else ()
        named = {"" if w.value == "default" else w.value: w.source for w in held.imports}
        for name, (other, theirs) in nodes.items():
            if other.name == device.name:
                continue
            if name in named:
                yield Leak(other.name, device.name, (named[name],), own_map)
                continue
            lines = shared_targets(theirs, held) if main else ()
            if lines:
                their_map = (theirs.export_map.value,) if theirs.export_map is not None else ()
                yield Leak(other.name, device.name, lines, (*their_map, *own_map))


def offers(held: BgpFamily) -> bool:
    """True if an instance offers its routes: it says so, and under what name."""
    said = held.exported is not None and held.exported.value
    return said and held.rd is not None and bool(held.rt_export)


def shared_targets(theirs: BgpFamily, mine: BgpFamily) -> tuple[Source, ...]:
    """The lines by which an instance takes over what another one offers; none if it does not."""
    if not offers(theirs) or mine.taken is None or not mine.taken.value:
        return ()
    told = {word.value: word.source for word in theirs.rt_export}
    for word in mine.rt_import:
        if word.value in told:
            return tuple(dict.fromkeys((word.source, told[word.value])))
    return ()


def taken_over(leak: Leak, best: Path | None, source: Device, target: Device) -> Path | None:
    """What a leak makes of the other instance's best path; None if nothing is taken over."""
    if best is None or best.leaked is not None:
        return None
    attributes, because = best.attributes, list(leak.lines)
    for name in leak.maps:
        ruling = apply_route_map(target.policy, name, attributes)
        if not ruling.permit:
            return None
        attributes = ruling.attributes
        because += ruling.because
    claim = Claim(claims.TAKES_OVER, target.name, best.prefix, source.name)
    return Path(
        attributes._replace(next_hop=None, interface=None),
        EXTERNAL if best.kind == LOCAL else best.kind,
        Origin(claim, tuple(dict.fromkeys(because)), best.origin),
        speaker=source.name,
        recursive=False,
        leaked=source.name,
    )


def way_into(path: Path, source: Device) -> NextHop:
    """How packets go by a path that was taken over."""
    return NextHop("forward", None, source.instance or "main", into=path.leaked)
