"""Findings about tunnels: ends that do not mirror each other, outer ways that do not stand."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from ...network.facts import Device, End, Interface, Source, Tunnel
from ...step.legs import Leg
from ..finding import BREAKS, Finding
from .context import Context

KINDS = {
    "tunnel-not-mirrored": "The two ends of a tunnel do not name each other.",
    "tunnel-mode-differs": "The two ends of a tunnel wrap packets differently.",
    "tunnel-key-differs": "The two ends of a tunnel have different keys.",
    "tunnel-source-foreign": "A tunnel sends from an address that its device does not have.",
    "tunnel-no-far-end": "The device at a tunnel's far end has no tunnel back.",
    "tunnel-way-broken": "The outer packets of a tunnel do not reach its far end.",
    "tunnel-circle": "The way to a tunnel's far end leads through the tunnel itself.",
}


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
    elif leg.state == "no":
        yield finding_of(
            "tunnel-way-broken",
            f"{end} does not get through to {tunnel.remote}: {leg.decisive.reason}",
            "The tunnel looks up all the same: it has no line that could go down.",
            (tunnel.source,),
        )
