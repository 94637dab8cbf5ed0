"""Why a prefix is in a device's table, or why it is not: a chain that ends at a line."""

from __future__ import annotations

from ..forwarding.view import Forwarding
from ..network import claims
from ..network.addressing import Address, Prefix
from ..network.claims import Claim
from ..network.facts import Source
from ..network.protocols import find, label
from ..protocols.tables import Tables
from ..step.packet import Packet
from ..step.routes import Route
from ..step.walk import walk
from .absence import Absence


def _statement(claim: Claim, evidence: tuple[Source, ...]) -> dict[str, object]:
    return {
        "device": claim.device,
        "says": f"{claim.says}.",
        "evidence": [source.as_json() for source in evidence],
        "claim": claim.as_json(),
    }


def describe(device: str, route: Route) -> str:
    """A route in words."""
    return f"{_held(device, route).says}."


def _held(device: str, route: Route) -> Claim:
    """The claim that a device has a route."""
    if route.protocol in ("connected", "local"):
        on = route.next_hops[0].interface if route.next_hops else None
        kind = claims.OWNS if route.protocol == "local" else claims.CONNECTED
        return Claim(kind, device, route.prefix, str(on))
    ways = []
    for hop in route.next_hops:
        if hop.action != "forward":
            ways.append("discarded" if hop.action == "discard" else "rejected")
        elif hop.address is None:
            ways.append(f"out of {hop.interface}")
        else:
            ways.append(f"through {hop.address} on {hop.interface}")
    via = f" (configured as {', '.join(str(a) for a in route.via)})" if route.via else ""
    name = label(route.protocol)
    article = "an" if name[0] in "OEae" else "a"
    kind = f" ({route.type}, metric {route.metric})" if route.type else ""
    if not route.type and find(route.protocol) is not None:
        kind = f" (metric {route.metric})"
    way = f"{article} {name} route to {route.prefix}{kind}, {' and '.join(ways)}{via}"
    return Claim(claims.ROUTE, device, route.prefix, route.protocol, way)


def explain_prefix(
    tables: Tables, forwarding: Forwarding, device: str, prefix: Prefix
) -> dict[str, object]:
    """The chain for one device and one prefix, from the origin to where it ends."""
    table = tables.of(device, prefix.family)
    held = table.winner(prefix)
    chain: list[dict[str, object]] = []
    origin = _origins(tables, prefix)
    if held is not None:
        for name, route in _towards(tables, forwarding, device, prefix):
            chain.append(_statement(_held(name, route), route.because))
        chain.reverse()
        if held.origin is not None:
            told = [_statement(o.claim, o.sources) for o in held.origin.chain()]
            chain = [*told, *(c for c in chain if c["says"] not in {t["says"] for t in told})]
        if not chain or chain[-1]["device"] != device:
            chain.append(_statement(_held(device, held), held.because))
        return {"device": device, "prefix": str(prefix), "present": True, "chain": chain}
    stops = absence_of(tables).explain(device, prefix)
    chain += [_statement(*statement) for statement in stops]
    for name, route in origin[:3]:
        if name != device and not stops:
            chain.append(_statement(_held(name, route), route.because))
    losers = table.candidates(prefix)
    for route in losers:
        why = (route.why or "").removesuffix(".")
        claim = Claim(claims.UNUSED, device, prefix, route.protocol, why)
        chain.append(_statement(claim, route.because))
    missing = [
        *forwarding.strangers.lessons(device, prefix.family),
        *forwarding.not_computed(device, prefix.family, None),
    ]
    if not losers:
        probe = Address(prefix.family, prefix.network)
        wider = [
            route
            for route in table.covering(probe)
            if route.selected and route.prefix.covers(prefix)
        ]
        tail = (
            f"; packets there follow {wider[0].prefix}" if wider else ", and no wider route either"
        )
        # Where something is not computed, nobody can say that a line is missing.
        learns = bool(stops)
        gap = None if missing or learns else _gap(tables, device, prefix)
        evidence = wider[0].because if wider else ()
        claim = Claim(claims.LACKS if learns else claims.UNWRITTEN, device, prefix, tail)
        chain.append(_statement(claim, (gap, *evidence) if gap else evidence))
    for item in missing:
        claim = Claim(claims.UNSURE, device, prefix, item.as_seen_from(device))
        chain.append(_statement(claim, (item.source,)))
    return {"device": device, "prefix": str(prefix), "present": False, "chain": chain}


def absence_of(tables: Tables) -> Absence:
    """The network's search for where news of a prefix stops, made at its first use."""
    if tables.absence is None:
        tables.absence = Absence(tables)
    found = tables.absence
    assert isinstance(found, Absence)
    return found


def _gap(tables: Tables, device: str, prefix: Prefix) -> Source | None:
    """Where a route to the prefix would stand: behind the device's last route of that family."""
    facts = tables.network.device(device)
    if facts is None:
        return None
    lines = [
        route.source
        for route in facts.statics
        if route.prefix.family == prefix.family and route.source.line is not None
    ] or [
        interface.source
        for interface in facts.interfaces
        if interface.source is not None and interface.source.line is not None
    ]
    if not lines:
        return None
    last = max(lines, key=lambda source: source.line or 0)
    return Source(device, last.file, None, f"a route to {prefix}", missing=True, after=last.line)


def _origins(tables: Tables, prefix: Prefix) -> list[tuple[str, Route]]:
    out = []
    for (name, family), table in tables.tables.items():
        route = table.winner(prefix) if family == prefix.family else None
        if route is not None and route.protocol == "connected":
            out.append((name, route))
    hosts = {d.name for d in tables.network.devices if d.is_host}
    # Every host on a subnet is connected to it; the routers are what counts.
    return [item for item in out if item[0] not in hosts] or out


def _towards(
    tables: Tables, forwarding: Forwarding, device: str, prefix: Prefix
) -> list[tuple[str, Route]]:
    """The devices on the way to the prefix, each with the route it obeys."""
    near = forwarding.near
    owned = [a for a in near.owners if prefix.contains(a) and near.owner_devices(a)]
    origin_names = {name for name, _ in _origins(tables, prefix)}
    owned.sort(key=lambda a: (near.owner_devices(a)[0] not in origin_names, a))
    target = owned[0] if owned else Address(prefix.family, prefix.network + (not prefix.is_host))
    leg = walk(forwarding, device, Packet(target))
    out: list[tuple[str, Route]] = []
    for hop in leg.branches[0].hops:
        if hop.route is not None and hop.route.protocol == "local":
            home = tables.of(hop.device, prefix.family).winner(prefix)
            if home is not None and home.protocol == "connected":
                out.append((hop.device, home))
        if hop.route is None or hop.route.protocol == "local":
            break
        out.append((hop.device, hop.route))
        if hop.route.protocol == "connected":
            break
    return out


def missing_prefix(
    tables: Tables, forwarding: Forwarding, device: str, target: Address
) -> Prefix | None:
    """The prefix that a device would need for a target: what those beside it use for it.

    That is the target's own subnet where a router next door holds it, else the longest
    prefix by which one of them sends the target on, away from this device.
    """
    home = _home(tables, forwarding, target)
    if not forwarding.devices[device].routing.runs:
        return home
    beside = {
        other.device
        for segment in tables.network.segments
        if any(end.device == device for end in segment.ends)
        for other in segment.ends
        if other.device != device
        and (facts := forwarding.devices.get(other.device)) is not None
        and facts.role == "router"
    }
    if home is None or any(tables.of(name, target.family).holds(home) for name in beside):
        return home
    longest: Prefix | None = None
    for name in sorted(beside):
        route = forwarding.matching(name, target)
        if route is None or not route.usable or route.prefix == home:
            continue
        towards = {
            taker.device
            for hop in route.next_hops
            for fate in forwarding.along(name, route, hop, target)
            if (taker := fate.to) is not None
        }
        # What leads back here, or nowhere, is no example to follow.
        if not towards or device in towards or route.protocol in ("connected", "local"):
            continue
        if longest is None or route.prefix.length > longest.length:
            longest = route.prefix
    return longest or home


def _home(tables: Tables, forwarding: Forwarding, target: Address) -> Prefix | None:
    """The connected prefix the target lies in, as its owner or a router next to it has it."""
    best: Route | None = None
    for owner in forwarding.near.owners.get(target, ()):
        route = forwarding.matching(owner.end.device, target)
        table = tables.of(owner.end.device, target.family)
        for candidate in table.covering(target):
            if candidate.protocol == "connected" and candidate.selected:
                route = candidate
                break
        if route is not None and route.protocol == "connected":
            best = route
            break
    return best.prefix if best is not None else None
