"""Findings about tunnels: ends that do not mirror each other, outer ways that do not stand."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from ...network.addressing import Address
from ...network.facts import Device, End, Interface, Source, Tunnel
from ...step.legs import Leg
from ...step.verdicts import HOP_LIMIT
from ..finding import BREAKS, OUTER, Finding
from .context import Context

KINDS = {
    "tunnel-not-mirrored": "The two ends of a tunnel do not name each other.",
    "tunnel-mode-differs": "The two ends of a tunnel wrap packets differently.",
    "tunnel-key-differs": "The two ends of a tunnel have different keys.",
    "tunnel-source-foreign": "A tunnel sends from an address that its device does not have.",
    "tunnel-no-far-end": "The device at a tunnel's far end has no tunnel back.",
    "tunnel-way-broken": "The outer packets of a tunnel do not reach its far end.",
    "tunnel-hop-limit": "The outer packets of a tunnel are spent before they reach its far end.",
    "tunnel-ends-exchanged": "A tunnel wraps packets towards, or from, an address that is inside a "
    "tunnel.",
    "tunnel-circle": "The way to a tunnel's far end leads through the tunnel itself.",
}
TRAITS = {"tunnel-way-broken": OUTER}


def find(context: Context) -> Iterator[Finding]:
    for device in context.network.devices:
        for interface in device.interfaces:
            if interface.tunnel is not None and interface.enabled:
                yield from _one(context, device, interface, interface.tunnel)


def far_of(context: Context, end: End, tunnel: Tunnel) -> tuple[Device, Interface | None] | None:
    """The device at the far end of a tunnel, and its interface that was meant, if any."""
    segment = next(
        (s for s in context.network.segments if end in s.ends and s.lan is None and s.inferred),
        None,
    )
    if segment is not None:
        other = next(item for item in segment.ends if item != end)
        facts = context.network.device(other.device)
        if facts is not None:
            return facts, facts.interface(other.interface)
    for name in context.forwarding.near.owner_devices(tunnel.remote):
        facts = context.network.device(name)
        if facts is not None:
            found = next(
                (
                    i
                    for i in facts.interfaces
                    if i.tunnel is not None and i.tunnel.remote == tunnel.local
                ),
                None,
            )
            return facts, found
    return None


def _one(
    context: Context, device: Device, interface: Interface, tunnel: Tunnel
) -> Iterator[Finding]:
    end = End(device.name, interface.name)
    far = far_of(context, end, tunnel)
    there = far[1] if far is not None else None
    other = there.tunnel if there is not None else None
    peer = End(far[0].name, there.name) if far is not None and there is not None else None
    evidence = (tunnel.source, *((other.source,) if other is not None else ()))
    own = context.forwarding.near.owns(device.name, tunnel.local)

    def finding(kind: str, says: str, why: str, lines: tuple[Source, ...] = evidence) -> Finding:
        return Finding(
            kind, BREAKS, device.name, says, why, lines, interface.name, peer, subject=(end, peer)
        )

    inner = _inner(context, end, tunnel)
    if inner is not None:
        peer = inner[0]
        yield finding("tunnel-ends-exchanged", inner[1], inner[2])
        return
    if not own:
        yield finding(
            "tunnel-source-foreign",
            f"{end} sends from {tunnel.local}, which {device.name} does not have.",
            "The system refuses to send from an address that is not its own, so nothing leaves.",
        )
    if other is not None and peer is not None:
        first = (device.name, interface.name) < (peer.device, peer.interface)
        addresses = tunnel.local == other.remote and tunnel.remote == other.local
        if own and not addresses and (first or not _owns(context, peer, other)):
            yield finding(
                "tunnel-not-mirrored",
                f"{end} goes from {tunnel.local} to {tunnel.remote}, and {peer} from "
                f"{other.local} to {other.remote}: they do not mirror each other.",
                "Each end takes only packets that come from its far end's address to its own.",
            )
        if addresses and tunnel.mode != other.mode and first:
            yield finding(
                "tunnel-mode-differs",
                f"{end} wraps in {tunnel.mode}, {peer} in {other.mode}.",
                "An end does not unwrap what it does not speak.",
            )
        if addresses and tunnel.mode == other.mode and tunnel.key != other.key and first:
            yield finding(
                "tunnel-key-differs",
                f"{end} and {peer} have different keys ({tunnel.key or 'none'} and "
                f"{other.key or 'none'}).",
                "Packets with another key than an end expects are dropped (RFC 2890).",
            )
    elif far is not None and own and far[0].role != "unread":
        yield finding(
            "tunnel-no-far-end",
            f"{far[0].name} has {tunnel.remote} and no tunnel back to {end}.",
            "What arrives wrapped there is not unwrapped, so it is dropped.",
        )
    if own:
        yield from _way(context, end, tunnel, finding_of=finding)


def _inner(context: Context, end: End, tunnel: Tunnel) -> tuple[End | None, str, str] | None:
    """Where an outer address is one inside a tunnel: the far end, and what to say of it."""
    why = (
        "The outer addresses are those that the way between the two devices knows; the inner ones "
    )
    why += "exist behind the tunnel alone, so the packet would have to go through it to get there."
    mine = context.tables.links.interface(end)
    inside = mine is not None and any(f.address == tunnel.local for f in mine.addresses)
    for owner in context.forwarding.near.owners.get(tunnel.remote, ()):
        there = context.forwarding.tunnel(owner.end)
        facts = context.network.device(owner.end.device)
        # One tunnel may go through another; then somebody there wraps from that address.
        nested = facts is not None and any(
            i.tunnel is not None and i.tunnel.local == tunnel.remote for i in facts.interfaces
        )
        if there is None or owner.end.device == end.device or nested:
            continue
        if not _borrowed(context, owner.end.device, tunnel.remote):
            says = (
                f"{end} wraps towards {tunnel.remote}, which is {owner.end}'s own address inside "
                f"the tunnel; the outer one is {there.local}."
            )
            return owner.end, says, why
    if not inside or _borrowed(context, end.device, tunnel.local):
        return None
    far = far_of(context, end, tunnel)
    other = far[1] if far is not None else None
    peer = End(far[0].name, other.name) if far is not None and other is not None else None
    return peer, f"{end} sends from {tunnel.local}, its own address inside the tunnel.", why


def _borrowed(context: Context, device: str, address: Address) -> bool:
    """True if an address of a tunnel is one of the device's outside of tunnels as well."""
    owners = context.forwarding.near.owners.get(address, ())
    return any(o.end.device == device and context.forwarding.tunnel(o.end) is None for o in owners)


def _owns(context: Context, end: End, tunnel: Tunnel) -> bool:
    return context.forwarding.near.owns(end.device, tunnel.local)


def _way(
    context: Context, end: End, tunnel: Tunnel, finding_of: Callable[..., Finding]
) -> Iterator[Finding]:
    """The outer leg, where it does not arrive."""
    context.forwarding.through(end)
    leg = context.forwarding.under.get(end)
    if not isinstance(leg, Leg):
        return
    # A circle through a tunnel has no members on the outer way: it ends where it began.
    circle = any(branch.verdict == "loop" and not branch.loop for branch in leg.branches)
    if circle:
        route = context.forwarding.matching(end.device, tunnel.remote)
        lines = route.because if route is not None else ()
        yield finding_of(
            "tunnel-circle",
            f"{end}'s far end {tunnel.remote} is reached through {end} itself"
            + (f" ({route.prefix})." if route is not None else "."),
            "A packet would be wrapped again and again: the system drops it.",
            (*lines, tunnel.source),
        )
    elif leg.state == "yes" and end in context.forwarding.torn:
        yield finding_of(
            "tunnel-circle",
            f"{end} comes and goes for ever: what its neighbour says through it leads "
            f"{tunnel.remote} into it.",
            "With the news the outer packets go into the tunnel and are lost, so the neighbour is "
            "lost and the news with it, and all begins again. Here it is shown as down.",
            (tunnel.source,),
        )
    elif leg.state == "no" and leg.verdict == HOP_LIMIT and tunnel.ttl:
        far = len(leg.decisive.hops) - 1
        yield finding_of(
            "tunnel-hop-limit",
            f"{end} sends with a hop limit of {tunnel.ttl}, and {tunnel.remote} is farther away: "
            f"{leg.decisive.last.device} drops what it wraps.",
            f"Each router on the way takes one off, and whoever would pass it on with none left "
            f"drops it; {far} {'passes' if far == 1 else 'pass'} it on. The tunnel looks up all "
            "the same.",
            (tunnel.source,),
        )
    elif leg.state == "no":
        yield finding_of(
            "tunnel-way-broken",
            f"{end} does not get through to {tunnel.remote}: {leg.decisive.reason}",
            "The tunnel looks up all the same: it has no line that could go down.",
            (tunnel.source,),
        )
