"""Remedies of tunnels: one end is made the mirror of the other."""

from __future__ import annotations

from ...network.addressing import Address, InterfaceAddress
from ...network.edits import Remedy
from ...network.facts import End, Tunnel
from ...step.packet import INITIAL_HOPS
from . import statics
from .bench import Bench
from .sides import Ground, Side, with_bases


def remedies(bench: Bench, kind: str, end: End, peer: End | None) -> list[Remedy]:
    """The ways to mend a tunnel, the end at fault first."""
    if kind == "tunnel-circle":
        return _outside(bench, end)
    if kind == "tunnel-hop-limit":
        return _farther(bench, end)
    mine = bench.forwarding.tunnel(end)
    theirs = bench.forwarding.tunnel(peer) if peer is not None else None
    if mine is None:
        return []
    again = _own_again(bench, end, mine) if kind == "tunnel-source-foreign" else []
    sides: list[Side] = []
    for one, tunnel, other, mirror in ((end, mine, peer, theirs), (peer, theirs, end, mine)):
        if one is None or tunnel is None or other is None or mirror is None:
            continue
        found = _mirror(bench, one, tunnel, other, mirror)
        if found is not None:
            # An end that sends from what is not its own is the one at fault.
            own = bench.forwarding.near.owns(one.device, tunnel.local)
            reached = other.device in bench.forwarding.near.owner_devices(tunnel.remote)
            says = f"{one.device} sends from an address of its own to one that {other.device} has."
            sides.append(Side(found, [Ground(int(own) + int(reached), says)]))
    sides.sort(key=lambda side: side.weight)
    told = with_bases(sides)
    if not sides and peer is None:
        local = _own_towards(bench, end, mine)
        if local is not None:
            edits = bench.writer(end.device).tunnel(mine, local=local)
            if edits:
                say = f"On {end.device}: let {end.interface} send from {local}."
                return [*again, Remedy(say, edits)]
    return [*again, *(told.get(side.remedy, side.remedy) for side in sides)]


def _farther(bench: Bench, end: End) -> list[Remedy]:
    """The hop limit that a device gives its own packets."""
    tunnel = bench.forwarding.tunnel(end)
    if tunnel is None:
        return []
    edits = bench.writer(end.device).tunnel(tunnel, ttl=INITIAL_HOPS)
    if not edits:
        return []
    return [Remedy(f"On {end.device}: give {end.interface} a hop limit of {INITIAL_HOPS}.", edits)]


def _own_again(bench: Bench, end: End, tunnel: Tunnel) -> list[Remedy]:
    """The address that a tunnel sends from and others ask for, given back to the interface that has
    another one of its subnet, which nobody asks for."""
    wanted = tunnel.local
    tunnels = [
        interface.tunnel
        for device in bench.network.devices
        for interface in device.interfaces
        if interface.tunnel is not None
    ]
    if not any(wanted == other.remote for other in tunnels) or wanted in bench.taken:
        return []
    out = []
    for interface in bench.devices[end.device].interfaces:
        for fact in interface.addresses:
            if not fact.connected.contains(wanted) or fact.address.is_link_local:
                continue
            if any(fact.address in (other.local, other.remote) for other in tunnels):
                continue
            new = InterfaceAddress(wanted, fact.value.length)
            edits = bench.writer(end.device).address(interface, fact, new)
            if edits is not None:
                say = f"On {end.device}: give {interface.name} the address {new}."
                out.append(Remedy(say, edits))
    return out


def _mirror(bench: Bench, one: End, tunnel: Tunnel, other: End, mirror: Tunnel) -> Remedy | None:
    """This end set to what the other end expects."""
    near = bench.forwarding.near
    local = mirror.remote if near.owns(one.device, mirror.remote) else tunnel.local
    remote = mirror.local if near.owns(other.device, mirror.local) else tunnel.remote
    key = mirror.key if tunnel.key != mirror.key else None
    same = (local, remote) == (tunnel.local, tunnel.remote)
    if same and tunnel.key == mirror.key and tunnel.mode == mirror.mode:
        return None
    edits = bench.writer(one.device).tunnel(
        tunnel,
        local=local if local != tunnel.local else None,
        remote=remote if remote != tunnel.remote else None,
        mode=mirror.mode if mirror.mode != tunnel.mode else None,
        key=key,
    )
    if not edits:
        return None
    return Remedy(f"On {one.device}: let {one.interface} go from {local} to {remote}.", edits)


def _own_towards(bench: Bench, end: End, tunnel: Tunnel) -> Address | None:
    """The device's address on the link that leads to the far end."""
    route = bench.forwarding.matching(end.device, tunnel.remote)
    for hop in route.next_hops if route is not None else ():
        interface = bench.devices[end.device].interface(hop.interface or "")
        for fact in interface.addresses if interface is not None else ():
            if fact.address.family == tunnel.remote.family and not fact.address.is_link_local:
                return fact.address
    return None


def _outside(bench: Bench, end: End) -> list[Remedy]:
    """The static routes that send the outer packets into the tunnel, taken out."""
    tunnel = bench.forwarding.tunnel(end)
    if tunnel is None:
        return []
    route = bench.forwarding.matching(end.device, tunnel.remote)
    if route is None or route.protocol != "static":
        return []
    out = []
    for line in statics.lines_of(bench.devices[end.device], route, None):
        gone = statics.drop(bench, line)
        if gone is not None:
            out.append(gone)
    return out
