"""What may be behind a complaint and is no contradiction in itself.

Findings name what is wrong whoever asks. A suspect is looked for because a leg dies: a
static route that leads the packet astray, or something that should be there and is not: a
route, an announcement, a permission. Which one is right is not decided here; every suspect
brings remedies, and computing the network with them decides.

suspect        what one is, and what all share
statics        a route that leads astray, or is not there
announcements  what is held and not told
aggregates     one line of a pair is gone: what is told, or the telling
sessions       BGP inside one system
lists          what keeps a prefix back
policies       what a BGP session refuses
translations   addresses that are rewritten wrongly, or not at all
instances      what lies in another routing instance of the device
"""

from __future__ import annotations

from collections.abc import Iterator

from ...forwarding.path import Path
from ...network.addressing import Address, Prefix
from ...network.facts import Device
from ...step.filters import Flow
from ...step.legs import Branch, Hop, Leg
from ...step.routes import Route
from ..remedies import statics as static_remedies
from ..remedies.bench import Bench
from ..why import absence_of, missing_prefix
from .aggregates import halves
from .announcements import announce, default_elsewhere, default_of_one_family, silent
from .filters import stopped
from .instances import other_instance
from .isis_levels import told_to_nobody
from .lists import filters, kept_out, lists, undefined
from .policies import refused
from .rules import on_ruled
from .sessions import mesh_hole, unresolved
from .statics import edge, no_static, on_static
from .suspect import (
    KINDS,
    LIKELY,
    PLAUSIBLE,
    POSSIBLE,
    SURE,
    TRAITS,
    WORKAROUND,
    Suspect,
    home_of,
)
from .translations import translated


def look(bench: Bench, path: Path, flow: Flow | None = None) -> list[Suspect]:
    """The suspects of one complaint, most believed first."""
    found: dict[str, Suspect] = {s.finding.id: s for s in _stopped(bench, path, flow or Flow())}
    found |= {s.finding.id: s for s in translated(bench, path, flow or Flow())}
    for leg, target in ((path.outbound, path.target), (path.back, path.source)):
        if leg is None or target is None or leg.state == "yes":
            continue
        other = path.back if leg is path.outbound else path.outbound
        passed = None
        if other is not None and other.state == "yes" and leg.state == "no":
            # Where only some branches fail, the branch itself is part of the conversation.
            passed = {hop.device for branch in other.branches for hop in branch.hops}
        for suspect in _of_leg(bench, leg, target):
            if passed is not None and suspect.finding.device not in passed:
                # The way that works knows who takes part in this conversation.
                suspect = Suspect(suspect.finding, suspect.weight + 1)
            held = found.get(suspect.finding.id)
            if held is None or suspect.weight < held.weight:
                found[suspect.finding.id] = suspect
    return sorted(found.values(), key=lambda s: (s.weight, s.finding.id))


def _stopped(bench: Bench, path: Path, flow: Flow) -> Iterator[Suspect]:
    """Filters and checks that end a leg."""
    back = flow.back(frozenset())
    for leg, kind, source, target in (
        (path.outbound, flow, path.source, path.target),
        (path.back, back, path.target, path.source),
    ):
        for branch in leg.branches if leg is not None else ():
            if branch.hops and target is not None:
                at = branch.packet
                ends = (at.source, at.target) if at is not None else (source, target)
                its = at.flow if at is not None and at.flow is not None else kind
                yield from stopped(bench, branch, branch.last, *ends, its)


def look_towards(bench: Bench, leg: Leg, target: Address) -> list[Suspect]:
    """The suspects of one leg, such as the way to a BGP peer's address."""
    return list(_of_leg(bench, leg, target))


def _of_leg(bench: Bench, leg: Leg, target: Address) -> Iterator[Suspect]:
    seen: set[str] = set()
    for branch in leg.branches:
        if branch.verdict == "delivered":
            continue
        for hop in branch.hops:
            if hop.device in seen or bench.devices[hop.device].role == "unread":
                continue
            seen.add(hop.device)
            yield from _of_hop(bench, branch, hop, target)


def _of_hop(bench: Bench, branch: Branch, hop: Hop, target: Address) -> Iterator[Suspect]:
    device = bench.devices[hop.device]
    if device.is_host:
        return
    route = hop.route
    if hop.rule is not None:
        yield from on_ruled(bench, device, hop)
    elif route is not None and route.protocol == "static":
        yield from on_static(bench, device, route, hop, branch, target)
    if route is None or route.prefix.is_default:
        yield from other_instance(bench, device, hop.arrived, target)
    if route is None or route.prefix.is_default or route.protocol != "connected":
        yield from _absent(bench, device, route, target)
    yield from unresolved(bench, device, target)
    yield from silent(bench, device, target.family)
    for name in sorted({other.device for _, other in bench.beside(device.name)}):
        yield from silent(bench, bench.devices[name], target.family)


def _absent(
    bench: Bench, device: Device, route: Route | None, target: Address
) -> Iterator[Suspect]:
    prefix = missing_prefix(bench.tables, bench.forwarding, device.name, target)
    for wanted in dict.fromkeys(p for p in (prefix, home_of(bench, target)) if p is not None):
        table = bench.tables.of(device.name, target.family)
        if table.holds(wanted) and not wanted.is_default:
            continue
        yield from kept_out(bench, device, wanted)
        yield from _not_told(bench, device, wanted, target)
    yield from default_of_one_family(bench, device, target)
    yield from default_elsewhere(bench, device, target)
    yield from halves(bench, device, target)
    yield from told_to_nobody(bench, target)
    if static_remedies.ways(bench, device.name, target):
        yield from no_static(bench, device, route, target)
    else:
        yield from edge(bench, device, target)


def _not_told(bench: Bench, device: Device, prefix: Prefix, target: Address) -> Iterator[Suspect]:
    absence = absence_of(bench.tables)
    pair = absence.frontier(device.name, prefix)
    if pair is None:
        return
    holder, lacking = bench.devices[pair[0]], bench.devices[pair[1]]
    route = absence.holds(holder.name, prefix)
    assert route is not None
    yield from announce(bench, holder, lacking, prefix, route)
    yield from mesh_hole(bench, holder, lacking)
    yield from refused(bench, holder, lacking, prefix)
    yield from unresolved(bench, lacking, target)
    for name in (holder, lacking):
        yield from lists(bench, name, prefix)
        yield from undefined(bench, name, prefix)
        yield from filters(bench, name, prefix)
    # Upstream of the holder nothing is missing; beyond the lacking one the same may repeat.


__all__ = [
    "KINDS",
    "LIKELY",
    "PLAUSIBLE",
    "POSSIBLE",
    "SURE",
    "TRAITS",
    "WORKAROUND",
    "Suspect",
    "look",
    "look_towards",
]
