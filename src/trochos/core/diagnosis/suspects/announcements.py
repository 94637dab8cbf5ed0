"""What a router holds and does not announce, or could not: statements, redistribution, a
protocol that it does not run."""

from __future__ import annotations

from collections.abc import Iterator

from ...network.addressing import Address, Prefix
from ...network.edits import Edit, Remedy
from ...network.facts import Device, Source
from ...network.ospf import OspfProcess
from ...network.protocols import by_sessions, has_areas, label, names, rows
from ...network.routing import Redistribution
from ...step.routes import Route
from ..finding import BREAKS, Finding
from ..findings.idle import idle_statements, used_maps
from ..remedies.bench import Bench
from ..remedies.neighbours.mends import cover_all, nearest, running
from .suspect import (
    LIKELY,
    PLAUSIBLE,
    WORKAROUND,
    Suspect,
    areas_of,
    missing_line,
)


def announce(
    bench: Bench, holder: Device, lacking: Device, prefix: Prefix, route: Route
) -> Iterator[Suspect]:
    family = prefix.family
    beside = lacking.routing.protocols(family)
    shared = [p for p in holder.routing.protocols(family) if p in beside]
    writer = bench.writer(holder.name)
    for protocol in shared:
        if route.protocol == protocol:
            continue
        remedies: list[Remedy] = []
        name = label(protocol)
        if prefix.is_default:
            edits = writer.of(protocol).default_route(family)
            if edits is not None:
                yield Suspect(
                    Finding(
                        "default-not-announced",
                        BREAKS,
                        holder.name,
                        f"{holder.name} has a default route and does not announce it into {name}.",
                        f"{lacking.name} and those behind it have no way out.",
                        (missing_line(bench, holder, protocol, family, edits), *route.because),
                        key=protocol,
                        remedies=(
                            Remedy(
                                f"On {holder.name}: announce the default route in {name}.", edits
                            ),
                        ),
                    ),
                    # A default that discards gives nobody a way; it only heals by attracting.
                    WORKAROUND if route.next_hops[0].action != "forward" else PLAUSIBLE,
                )
            continue
        evidence: list[Source] = []
        hints = False
        if route.protocol in ("connected", "local"):
            made, hints = _statement(bench, holder, lacking, protocol, prefix, evidence)
            remedies += made
        made, unused = _redistribution(bench, holder, protocol, family, route, evidence)
        remedies += made
        hints |= unused
        # What both could tell each other in its own protocol needs no other one.
        native = route.protocol in shared
        if remedies:
            yield Suspect(
                Finding(
                    "announcement-missing",
                    BREAKS,
                    holder.name,
                    f"{holder.name} has {prefix} ({route.protocol}) and does not announce it in "
                    f"{name}.",
                    f"{lacking.name} and those behind it do not learn it.",
                    tuple(dict.fromkeys((*evidence, *route.because))),
                    key=f"{protocol}-{prefix}",
                    remedies=tuple(dict.fromkeys(remedies)),
                ),
                WORKAROUND if native else LIKELY if hints else PLAUSIBLE,
            )


def default_of_one_family(bench: Bench, device: Device, target: Address) -> Iterator[Suspect]:
    """A router beside it announces a default route for the other family, and none for this one."""
    family = target.family
    if bench.tables.of(device.name, family).holds(Prefix(family, 0, 0)):
        return
    for name in dict.fromkeys(other.device for _, other in bench.beside(device.name)):
        other = bench.devices[name]
        for protocol in device.routing.protocols(family):
            mine = other.routing.called(protocol, family)
            theirs = [p for p in other.routing.called(protocol) if not p.serves(family)]
            forgotten = mine and not any(p.gives_default for p in mine)
            if by_sessions(protocol) or not forgotten or not any(p.gives_default for p in theirs):
                continue
            edits = bench.writer(name).of(protocol).default_route(family)
            if edits is None:
                continue
            label_of, word = label(protocol), "IPv4" if family == 4 else "IPv6"
            title = f"On {name}: announce a default route in {label_of} for {word}."
            yield Suspect(
                Finding(
                    "default-not-announced",
                    BREAKS,
                    name,
                    f"{name} announces a default route into {label_of} for the other family, and "
                    f"none for {word}.",
                    f"{device.name} and those behind it have no way out.",
                    (missing_line(bench, other, protocol, family, edits),),
                    key=f"{protocol}-{family}",
                    remedies=(Remedy(title, edits),),
                ),
                LIKELY,
            )


def default_elsewhere(bench: Bench, device: Device, target: Address) -> Iterator[Suspect]:
    """Nobody here has a way to the target, but a router of the same protocol has a default."""
    family = target.family
    # BGP's default comes from somewhere else; any other protocol would have told it here itself.
    inside = [row.name for row in rows() if not row.sessions]
    zero = Prefix(family, 0, 0)
    if bench.tables.of(device.name, family).winner(zero) is not None:
        return
    for other in bench.network.devices:
        if other.name == device.name or other.is_host or other.role == "unread":
            continue
        held = bench.tables.of(other.name, family).winner(zero)
        if held is None or held.protocol in inside:
            continue
        yield from announce(bench, other, device, zero, held)


def _statement(
    bench: Bench,
    holder: Device,
    lacking: Device,
    protocol: str,
    prefix: Prefix,
    evidence: list[Source],
) -> tuple[list[Remedy], bool]:
    """A statement that takes a connected prefix in; one that takes nothing in makes way."""
    writer = bench.writer(holder.name)
    name = label(protocol)
    if by_sessions(protocol):
        edits = writer.of("bgp").announce(prefix)
        if edits is None:
            return [], False
        evidence.append(missing_line(bench, holder, protocol, prefix.family, edits))
        return [Remedy(f"On {holder.name}: announce {prefix} in {name}.", edits)], False
    interface = next(
        (i for i in holder.interfaces if any(fact.connected == prefix for fact in i.addresses)),
        None,
    )
    if interface is None:
        return [], False
    area = 0
    if has_areas(protocol):
        areas = areas_of(bench, holder, prefix.family)
        beside = areas_of(bench, lacking, prefix.family)
        common = [a for a in areas if a in beside] or areas
        if not common:
            return [], False
        area = max(common, key=lambda a: (areas[a], -a))
    settings = next(
        (
            p.interfaces.get(interface.name)
            for p in holder.routing.of(OspfProcess)
            if p.protocol == protocol and p.family == prefix.family
        ),
        None,
    )
    if settings is not None and settings.network_type is not None:
        # It runs there already: of a network of another type only the own address is announced.
        gone = writer.drop(settings.network_type.source)
        if gone is not None:
            evidence.append(settings.network_type.source)
            kind = settings.network_type.value
            return [Remedy(f"On {holder.name}: make {interface.name} no {kind}.", gone)], True
    edits = writer.of(protocol).cover(prefix.family, interface, prefix, area)
    if edits is None:
        return [], False
    # Where it runs there for the other family, it was rather forgotten for this one.
    forgotten = any(
        interface.name in running(bench, holder, process)
        for process in holder.routing.called(protocol)
        if not process.serves(prefix.family)
    )
    out = []
    stray = nearest(idle_statements(holder, protocol, prefix.family), prefix)
    if stray is not None:
        gone = writer.drop(stray.source)
        if gone is not None:
            evidence.append(stray.source)
            out.append(
                Remedy(
                    f"On {holder.name}: run {name} on {interface.name} ({prefix}) instead of "
                    f"{stray.prefix or stray.interface}, which no interface has.",
                    (*gone, *edits),
                )
            )
    else:
        evidence.append(missing_line(bench, holder, protocol, prefix.family, edits))
        near = _too_narrow(holder, protocol, prefix)
        if near is not None:
            evidence.append(near)
    out.append(Remedy(f"On {holder.name}: run {name} on {interface.name} ({prefix}).", edits))
    whole = cover_all(bench, protocol, holder.name, prefix.family, area)
    if whole is not None:
        out.append(whole)
    return out, stray is not None or forgotten


def _too_narrow(device: Device, protocol: str, prefix: Prefix) -> Source | None:
    """The statement about more than one subnet that comes nearest to taking a prefix in."""
    found = [
        (statement.prefix, statement.source)
        for process in device.routing.called(protocol)
        for statement in process.statements
        if statement.prefix is not None
        and statement.prefix.family == prefix.family
        and statement.prefix.length < prefix.length
    ]
    if not found:
        return None
    return min(found, key=lambda item: item[0].network ^ prefix.network)[1]


def _unused_maps(device: Device) -> list[str]:
    """Route maps that nothing on the device refers to."""
    used = used_maps(device)
    return [name for name in device.policy.route_maps if name not in used]


def _redistribution(
    bench: Bench,
    holder: Device,
    protocol: str,
    family: int,
    route: Route,
    evidence: list[Source],
) -> tuple[list[Remedy], bool]:
    """(ways to redistribute, whether a route map waits here that nothing uses)."""
    kind = "connected" if route.protocol == "local" else route.protocol
    writer = bench.writer(holder.name)
    processes = holder.routing.called(protocol, family)
    if any(r.protocol == kind for p in processes for r in p.redistributes(family)):
        return [], False
    patterns: list[Redistribution | None] = []
    for name in _unused_maps(holder):
        patterns.append(
            Redistribution(kind, holder.policy.route_maps[name][0].source, route_map=name)
        )
        evidence.append(holder.policy.route_maps[name][0].source)
    for device in bench.network.devices:
        if device.name == holder.name:
            continue
        for other in device.routing.called(protocol) if not by_sessions(protocol) else ():
            for item in other.redistributes(other.family):
                if item.protocol == kind and item.route_map is None:
                    patterns.append(item)
    patterns.append(None)
    out: list[Remedy] = []
    seen: set[object] = set()
    for like in patterns:
        shape = None if like is None else like._replace(source=None)  # type: ignore[arg-type]
        if shape in seen:
            continue
        seen.add(shape)
        edits = writer.of(protocol).redistribute(family, kind, like)
        if edits is None:
            continue
        if not out:
            evidence.insert(0, missing_line(bench, holder, protocol, family, edits))
        through = f" through {like.route_map}" if like is not None and like.route_map else ""
        out.append(
            Remedy(
                f"On {holder.name}: announce its {kind} routes in {label(protocol)}{through}.",
                edits,
            )
        )
    return out, bool(_unused_maps(holder))


def silent(bench: Bench, device: Device, family: int) -> Iterator[Suspect]:
    """A router without the protocol that all around it speak to it on its links."""
    if device.role != "router":
        return
    for protocol in names():
        if by_sessions(protocol) or device.routing.called(protocol, family):
            continue
        heard = [
            (mine, other, process)
            for mine, other in bench.beside(device.name)
            for process in bench.devices[other.device].routing.called(protocol, family)
            if other.interface in running(bench, bench.devices[other.device], process)
        ]
        if not heard:
            continue
        area = 0
        if has_areas(protocol):
            areas = areas_of(bench, bench.devices[heard[0][1].device], family)
            area = max(areas, key=lambda a: areas[a], default=0)
        edits: list[Edit] = []
        for interface in device.interfaces:
            fact = next(
                (
                    f
                    for f in interface.addresses
                    if f.address.family == family and not f.address.is_link_local
                ),
                None,
            )
            if fact is None or not interface.enabled:
                continue
            edits += (
                bench.writer(device.name)
                .of(protocol)
                .cover(
                    family,
                    interface,
                    fact.connected,
                    area,
                    getattr(heard[0][2], "number", None),
                )
                or ()
            )
        if not edits:
            continue
        name = label(protocol)
        yield Suspect(
            Finding(
                "protocol-missing",
                BREAKS,
                device.name,
                f"{device.name} runs no {name}, and {heard[0][1].device} beside it speaks {name} "
                "on their link.",
                "It learns nothing and tells nothing, so what lies behind it is not known.",
                tuple(dict.fromkeys(process.source for _, _, process in heard))[:4],
                key=protocol,
                remedies=(
                    Remedy(f"On {device.name}: run {name} on its interfaces.", tuple(edits)),
                ),
            ),
            LIKELY if len(heard) > 1 or not device.statics else PLAUSIBLE,
        )
