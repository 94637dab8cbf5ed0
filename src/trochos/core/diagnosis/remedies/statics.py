"""Remedies of static routes: another next hop, or the line gone."""

from __future__ import annotations

from ...network.addressing import Address, Prefix
from ...network.edits import Remedy
from ...network.facts import Device, StaticRoute
from ...step.routes import NextHop, Route
from .bench import Bench


def ways(bench: Bench, device: str, target: Address) -> list[tuple[str, Address, int]]:
    """(neighbour, its address on the link, hops) of those who deliver without coming back.

    Nearest first: who is beside the device, and gets packets for the target there by itself.
    """
    out: list[tuple[str, Address, int]] = []
    forwarding, links = bench.forwarding, bench.tables.links
    for mine, other in bench.beside(device):
        if not links.is_up(mine) or not links.is_up(other):
            continue
        if not forwarding.forwards(other.device, other.interface, target.family):
            continue
        here, there = links.interface(mine), links.interface(other)
        if here is None or there is None or bench.devices[other.device].role == "unread":
            continue
        address = _facing(here, there, target.family)
        if address is None or any(address == held for _, held, _ in out):
            continue
        if not bench.may_reach(other.device, target):
            continue
        leg = bench.leg(other.device, target)
        if leg.state != "yes" or any(h.device == device for b in leg.branches for h in b.hops):
            continue
        out.append((other.device, address, max(len(b.hops) for b in leg.branches)))
    return sorted(out, key=lambda item: (item[2], item[0]))


def ways_out(bench: Bench, device: str, family: int) -> list[tuple[str, Address]]:
    """(router, its address) of those that pass packets on, on a link of a host.

    The one that most hosts beside it use comes first.
    """
    used: dict[Address, int] = {}
    for other in bench.network.devices:
        for route in other.statics:
            if other.is_host and route.gateway is not None and other.name != device:
                used[route.gateway] = used.get(route.gateway, 0) + 1
    out: list[tuple[str, Address]] = []
    for mine, other_end in bench.beside(device):
        if not bench.forwarding.forwards(other_end.device, other_end.interface, family):
            continue
        links = bench.tables.links
        here, there = links.interface(mine), links.interface(other_end)
        address = _facing(here, there, family)
        if address is not None:
            out.append((other_end.device, address))
    return sorted(out, key=lambda item: (-used.get(item[1], 0), item[0]))


def _facing(here: object, there: object, family: int) -> Address | None:
    """The other end's address in a subnet that both ends share."""
    for fact in getattr(there, "addresses", ()):
        if fact.address.family != family or fact.address.is_link_local:
            continue
        if any(own.connected.contains(fact.address) for own in getattr(here, "addresses", ())):
            found: Address = fact.address
            return found
    return None


def lines_of(device: Device, route: Route, hop: NextHop | None) -> list[StaticRoute]:
    """The configured lines behind a static route of the table, or behind one of its hops."""
    lines = [
        static
        for static in device.statics
        if static.prefix == route.prefix and static.distance == route.distance
    ]
    if hop is None:
        return [s for s in lines if s.source in route.because] or lines
    if hop.action != "forward":
        return [s for s in lines if s.special is not None] or lines
    exact = [
        s
        for s in lines
        if (s.gateway == hop.address if s.gateway is not None else s.interface == hop.interface)
    ]
    return exact or [s for s in lines if s.gateway is not None and s.gateway in route.via]


def drop(bench: Bench, line: StaticRoute) -> Remedy | None:
    """The line taken out."""
    name = line.source.device
    edits = bench.writer(name).drop_static(line)
    if edits is None:
        return None
    return Remedy(f"On {name}: remove the static route to {line.prefix}{_through(line)}.", edits)


def _through(line: StaticRoute) -> str:
    if line.special is not None:
        return f", which {line.special}s"
    return f" through {line.gateway or line.interface}"


def move(bench: Bench, line: StaticRoute, target: Address) -> list[Remedy]:
    """The line led through each neighbour that delivers."""
    out = []
    name = line.source.device
    for neighbour, address, _ in ways(bench, name, target):
        if address == line.gateway:
            continue
        edits = bench.writer(name).move_static(line, address)
        if edits is not None:
            out.append(
                Remedy(
                    f"On {name}: send {line.prefix} to {neighbour} ({address}) instead of "
                    f"{line.gateway or line.interface or 'discarding it'}.",
                    edits,
                )
            )
    return out


def across(bench: Bench, line: StaticRoute) -> list[Remedy]:
    """The line led to another router in the subnet of its gateway, where nobody or the device
    itself has that address: what was written is one digit off."""
    name, gateway = line.source.device, line.gateway
    if gateway is None or bench.forwarding.near.owner_devices(gateway) not in ([], [name]):
        return []
    out: dict[Address, Remedy] = {}
    for mine, other in bench.beside(name):
        here, there = bench.tables.links.interface(mine), bench.tables.links.interface(other)
        own = [f.connected for f in getattr(here, "addresses", ()) if f.connected.contains(gateway)]
        for fact in getattr(there, "addresses", ()) if own else ():
            if fact.address == gateway or not own[0].contains(fact.address):
                continue
            if not bench.forwarding.forwards(other.device, other.interface, gateway.family):
                continue
            edits = bench.writer(name).move_static(line, fact.address)
            if edits is not None:
                out[fact.address] = Remedy(
                    f"On {name}: send {line.prefix} to {other.device} ({fact.address}) instead of "
                    f"{gateway}.",
                    edits,
                )
    return list(out.values())


def inside(bench: Bench, device: str, prefix: Prefix) -> Address | None:
    """A surveyed address of another device that a route is for."""
    own = {
        fact.address
        for interface in bench.devices[device].interfaces
        for fact in interface.addresses
    }
    hosts = {d.name for d in bench.network.devices if d.is_host}
    found = [
        address
        for address, owners in bench.forwarding.near.owners.items()
        if prefix.contains(address)
        and address not in own
        and not address.is_loopback
        and not address.is_link_local
        and bench.forwarding.near.owner_devices(address)
    ]
    found.sort(key=lambda a: (bench.forwarding.near.owner_devices(a)[0] not in hosts, a))
    return found[0] if found else None


def remedies(bench: Bench, device: str, route: Route, hop: NextHop | None) -> list[Remedy]:
    """The ways to mend a static route that leads nowhere."""
    facts = bench.devices[device]
    target = inside(bench, device, route.prefix)
    dropped: list[Remedy] = []
    moved: list[Remedy] = []
    for line in lines_of(facts, route, hop)[:2]:
        gone = drop(bench, line)
        if gone is not None:
            dropped.append(gone)
        moved += across(bench, line)
        if target is not None:
            moved += [m for m in move(bench, line, target) if m not in moved]
    spare = len(route.next_hops) > 1 or any(
        other is not route
        and other.usable
        and other.prefix.covers(route.prefix)
        and not other.prefix.is_default
        for other in bench.tables.of(device, route.prefix.family).covering(
            Address(route.prefix.family, route.prefix.network)
        )
    )
    if hop is not None and hop.action != "forward":
        # What discards was left over rather than meant to lead somewhere: proof tells.
        return dropped + moved
    # A route that others would replace is better gone; else it wants another next hop.
    return dropped + moved if spare else moved + dropped
