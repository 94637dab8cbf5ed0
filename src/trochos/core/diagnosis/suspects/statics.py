"""Static routes as suspects: one that leads astray, and one that is not there."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.addressing import Address, Prefix, prefix_of
from ...network.edits import Edit, Remedy, TextEdit
from ...network.facts import Device, End, Source
from ...step.legs import Branch, Hop
from ...step.routes import Route
from ...step.verdicts import BIT
from ..finding import BREAKS, Finding
from ..remedies import statics as static_remedies
from ..remedies.bench import Bench
from .suspect import LIKELY, PLAUSIBLE, POSSIBLE, WORKAROUND, Suspect, home_of


def on_static(
    bench: Bench, device: Device, route: Route, hop: Hop, branch: Branch, target: Address
) -> Iterator[Suspect]:
    used = next(
        (h for h in route.next_hops if h.address == hop.next_hop and h.interface == hop.out), None
    )
    table = bench.tables.of(device.name, target.family)
    if used is not None and used.action != "forward" and table.leads_on_inside(route.prefix):
        return  # a summary discards what no longer route takes, as it is meant to
    lines = static_remedies.lines_of(device, route, used)
    away = leads_away(bench, device.name, hop.out, hop.next_hop, target)
    if not away and device.name in branch.loop:
        away = not _sent_back(bench, device.name, branch, target)
    others = [
        r
        for r in table.covering(target)
        if r is not route
        and (r.usable or r.lost_to is route)
        and r.problem is None
        # A static route that leads away is no better than the default it hides.
        and (away or not r.prefix.is_default or route.prefix.is_default)
    ]
    for line in lines[:2]:
        if others:
            gone = static_remedies.drop(bench, line)
            if gone is not None:
                other = others[0]
                same = other.prefix == route.prefix
                yield Suspect(
                    Finding(
                        "static-overrides",
                        BREAKS,
                        device.name,
                        f"{device.name}'s static route to {route.prefix} overrides the "
                        f"{other.protocol} route to {other.prefix}, and leads astray.",
                        "It wins because "
                        + (
                            f"its distance {route.distance} beats {other.distance}."
                            if same
                            else "it is the longer match."
                        ),
                        (line.source, *other.because[:2]),
                        hop.out,
                        key=f"{line.prefix}-{line.gateway or line.interface or line.special}",
                        remedies=(gone,),
                    ),
                    LIKELY if away and not others[0].prefix.is_default else PLAUSIBLE,
                )
        moved = static_remedies.move(bench, line, target)
        if moved:
            yield Suspect(
                Finding(
                    "static-astray",
                    BREAKS,
                    device.name,
                    f"{device.name} sends {route.prefix} to "
                    f"{line.gateway or line.interface or 'nowhere'}, which does not lead to "
                    f"{target}.",
                    "A neighbour beside it delivers there: "
                    + ", ".join(str(w[0]) for w in static_remedies.ways(bench, device.name, target))
                    + ".",
                    (line.source,),
                    hop.out,
                    key=f"{line.prefix}-{line.gateway or line.interface or line.special}",
                    remedies=tuple(moved),
                ),
                LIKELY
                if away and _of_defaults(branch, device.name)
                else PLAUSIBLE
                if away
                else WORKAROUND,
            )


def _of_defaults(branch: Branch, device: str) -> bool:
    """True if the device and others hand packets around by their defaults alone.

    Defaults that point at each other are wrong whatever else is missing; a default that meets
    a summary may only show that a route behind the summary is gone.
    """
    return device in branch.loop and all(
        hop.route is not None and hop.route.prefix.is_default
        for hop in branch.hops
        if hop.device in branch.loop
    )


def _sent_back(bench: Bench, device: str, branch: Branch, target: Address) -> bool:
    """True if another member of the loop is to blame: one that claims to know the target,
    as a default route does not, and sends packets away from it."""
    return any(
        hop.device != device
        and hop.route is not None
        and not hop.route.prefix.is_default
        and leads_away(bench, hop.device, hop.out, hop.next_hop, target)
        for hop in branch.hops
        if hop.device in branch.loop
    )


def leads_away(
    bench: Bench, device: str, out: str | None, next_hop: Address | None, target: Address
) -> bool:
    """True if the next device is not nearer to the target, by the number of links."""
    if out is None:
        return True
    owners = bench.forwarding.near.owner_devices(target)
    if not owners:
        return False
    far = _distances(bench, owners[0])
    answer = bench.forwarding.near.answer(End(device, out), next_hop) if next_hop else None
    takers = [taker.device for taker in answer.takers] if answer else []
    if not takers:
        return True
    return min(far.get(name, 99) for name in takers) >= far.get(device, 99)


def _distances(bench: Bench, start: str) -> dict[str, int]:
    found = {start: 0}
    queue = [start]
    for here in queue:
        if here != start and bench.devices[here].is_host:
            continue
        for _, other in bench.beside(here):
            if other.device not in found:
                found[other.device] = found[here] + 1
                queue.append(other.device)
    return found


def no_static(
    bench: Bench, device: Device, route: Route | None, target: Address
) -> Iterator[Suspect]:
    """A static route through a neighbour that delivers, for all that is lost the same way."""
    found = static_remedies.ways(bench, device.name, target)
    if not found:
        return
    remedies: list[Remedy] = []
    shown: Prefix | None = None
    for neighbour, address, _ in found:
        prefixes = lost_through(bench, device.name, neighbour, target)
        if not prefixes:
            continue  # an address that only a translation knows: no subnet is missing
        through = sum(1 for s in device.statics if s.gateway == address and not s.prefix.is_default)
        said = [[whole] for whole in _said_elsewhere(bench, device.name, prefixes)]
        words = _worded(bench, device.name, prefixes, said)
        told = device.routing.runs or any(s.prefix.family == target.family for s in device.statics)
        if not told and _single_way(bench, device.name) and len(prefixes) > 1:
            # One way out, nobody who tells it and no static route: what is missing is the default.
            words = sorted(words, key=lambda listed: not listed[0].is_default)
        if through > 1:
            # This device names each subnet behind that neighbour, so one of them is missing.
            words = [prefixes[:1], *(w for w in words if w != prefixes[:1])]
        for listed in words:
            edits: list[Edit] = []
            for prefix in listed:
                made = bench.writer(device.name).static(prefix, address)
                if made is None:
                    break
                edits += made
            else:
                shown = shown or listed[0]
                names = ", ".join(str(p) for p in listed[:3]) + (" ..." if len(listed) > 3 else "")
                remedies.append(
                    Remedy(
                        f"On {device.name}: send {names} to {neighbour} ({address}).",
                        tuple(edits),
                        customary=listed in said,
                    )
                )
    if not remedies:
        return
    stray = _mistyped(bench, device, found, shown)
    if stray is not None:
        yield stray
    # A route that discards is told on or ends a loop: it says nothing of how ways are made here.
    dynamic = device.routing.runs and not any(
        s.prefix.family == target.family and s.special is None for s in device.statics
    )
    table = bench.tables.of(device.name, target.family)
    broken = [r for r in table.covering(target) if r.problem and not r.prefix.is_default]
    weight = PLAUSIBLE
    if dynamic or device.name in bench.carriers:
        weight = WORKAROUND
    elif broken:
        weight = POSSIBLE  # it has one: that is to be mended, and not another put beside it
    text = str(shown)
    line = max((s.source.line or 0 for s in device.statics), default=0) or None
    yield Suspect(
        Finding(
            "route-missing",
            BREAKS,
            device.name,
            f"{device.name} has no route to {text} of its own, and {found[0][0]} beside it leads "
            "there.",
            "Packets there follow "
            + (f"{route.prefix}." if route is not None else "nothing and are dropped."),
            (
                Source(
                    device.name,
                    device.main_file or "",
                    None,
                    next(
                        (e.add[0] for e in remedies[0].edits if isinstance(e, TextEdit) and e.add),
                        f"a route to {text}",
                    ),
                    missing=True,
                    after=line,
                ),
                *(route.because[:1] if route is not None else ()),
            ),
            key=text,
            remedies=tuple(remedies),
        ),
        weight,
    )


def _mistyped(
    bench: Bench,
    device: Device,
    found: list[tuple[str, Address, int]],
    wanted: Prefix | None,
) -> Suspect | None:
    """A static route to a neighbour that delivers, for what nobody has or for a part of what is
    wanted: it was rather meant to be the route that is missing."""
    if wanted is None:
        return None
    near = {address: name for name, address, _ in found}
    for line in device.statics:
        if (
            line.gateway not in near
            or line.prefix == wanted
            or line.prefix.is_default
            or not _nearly(bench, line.prefix, wanted)
        ):
            continue
        assert line.gateway is not None
        writer = bench.writer(device.name)
        gone, new = writer.drop_static(line), writer.static(wanted, line.gateway, line.distance)
        if gone is None or new is None:
            continue
        return Suspect(
            Finding(
                "static-mistyped",
                BREAKS,
                device.name,
                f"{device.name} has a static route to {line.prefix}, "
                + ("a part of it only" if wanted.covers(line.prefix) else "where nobody is")
                + f", and none to {wanted}.",
                f"Both would lead to {near[line.gateway]}: the prefix was rather mistyped.",
                (line.source,),
                key=str(line.prefix),
                remedies=(
                    Remedy(
                        f"On {device.name}: send {wanted} to {near[line.gateway]} "
                        f"({line.gateway}) instead of {line.prefix}.",
                        (*gone, *new),
                    ),
                ),
            ),
            LIKELY,
        )
    return None


def _nearly(bench: Bench, held: Prefix, wanted: Prefix) -> bool:
    """True if a prefix may be a typing error for another: the same address with too long a mask,
    or one for what nobody has that differs in its address or in one digit."""
    if held.family != wanted.family:
        return False
    if held.network == wanted.network and held.length > wanted.length:
        return True
    if any(held.contains(address) for address in bench.taken):
        return False
    return held.length == wanted.length or _one_digit(str(held), str(wanted))


def _one_digit(one: str, other: str) -> bool:
    """True if two texts differ in one character: another one, one too many or one too few."""
    if len(one) > len(other):
        one, other = other, one
    if len(other) - len(one) > 1:
        return False
    at = next((i for i, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), len(one))
    rest = at + 1 if len(one) == len(other) else at
    return one[rest:] == other[at + 1 :]


def _single_way(bench: Bench, device: str) -> bool:
    """True if a device has one router beside it, so that all it sends goes there."""
    routers = {
        other.device
        for _, other in bench.beside(device)
        if bench.devices[other.device].role == "router"
    }
    return len(routers) == 1


def edge(bench: Bench, device: Device, target: Address) -> Iterator[Suspect]:
    """The nearest router that lacks the way and has a neighbour that knows it.

    Nobody beside the device knows the target; what is missing is missing further on, where
    the routers that know it begin.
    """
    seen = {device.name}
    queue = [device.name]
    for here in queue:
        for _, other in bench.beside(here):
            facts = bench.devices[other.device]
            if other.device in seen or facts.role != "router":
                continue
            seen.add(other.device)
            route = bench.forwarding.matching(other.device, target)
            if route is not None and route.protocol in ("connected", "local"):
                continue
            if static_remedies.ways(bench, other.device, target):
                yield from no_static(bench, facts, route, target)
                return
            queue.append(other.device)


def lost_through(bench: Bench, device: str, neighbour: str, target: Address) -> list[Prefix]:
    """The subnets that the device does not reach and this neighbour does, the target's first."""
    first = home_of(bench, target)
    table = bench.reach.families[target.family]
    here, there = table.row[device], table.row[neighbour]
    delivered = BIT["delivered"]
    lost = (table.bits[here] & delivered == 0) & (table.bits[there] == delivered)
    out: dict[Prefix, None] = {} if first is None else {first: None}
    for column in lost.nonzero()[0]:
        address = table.addresses[column]
        if any(prefix.contains(address) for prefix in out):
            continue
        home = home_of(bench, address)
        if home is not None and not home.is_default:
            out[home] = None
        if len(out) >= 40:
            break
    return list(out)


def _said_elsewhere(bench: Bench, device: str, prefixes: list[Prefix]) -> list[Prefix]:
    """What other routers write for all that is lost: the longest such prefix of a static route."""
    if not prefixes:
        return []
    table = bench.tables.of(device, prefixes[0].family)
    found = {
        line.prefix
        for other in bench.network.devices
        if other.name != device and not other.is_host
        for line in other.statics
        if line.special is None
        and not line.prefix.is_default
        and line.prefix not in prefixes
        and line.prefix.family == prefixes[0].family
        and all(line.prefix.covers(prefix) for prefix in prefixes)
        and not table.holds(line.prefix)
    }
    return sorted(found, key=lambda prefix: -prefix.length)[:1]


def _worded(
    bench: Bench, device: str, prefixes: list[Prefix], said: list[list[Prefix]]
) -> list[list[Prefix]]:
    """Ways to write many prefixes: one that covers them all, all of them, what others write for
    them (`said`), or the first alone."""
    if not prefixes:
        return []
    zero = Prefix(prefixes[0].family, 0, 0)
    free = [] if bench.tables.of(device, zero.family).holds(zero) else [[zero]]
    if len(prefixes) == 1:
        return [prefixes, *said, *free]
    out = [prefixes, *said, *free, prefixes[:1]]
    low = min(p.network for p in prefixes)
    high = max(p.last for p in prefixes)
    family = prefixes[0].family
    length = (32 if family == 4 else 128) - (low ^ high).bit_length()
    whole = prefix_of(Address(family, low), max(length, 0))
    table = bench.tables.of(device, family)
    others = [p for p in table.prefixes() if whole.covers(p) and p != whole]
    if whole.length >= (8 if family == 4 else 24) and len(prefixes) > 2:
        foreign = [p for p in others if not any(w.covers(p) or p.covers(w) for w in prefixes)]
        if not foreign and not table.holds(whole):
            out.insert(0, [whole])
    return out
