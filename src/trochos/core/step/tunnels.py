"""What becomes of a packet that goes into a tunnel: the journey of the packet around it.

The wrapped packet is walked like any other, from the tunnel's own device to its far end in
the outer table. Whoever takes it unwraps it if a tunnel there mirrors this one; then the
inner journey goes on from that interface. A tunnel whose outer way leads through itself is a
circle.
"""

from __future__ import annotations

from ..network.facts import End, Tunnel
from .filters import Flow
from .kernel import Fate, Kernel
from .legs import Leg, passed_by
from .packet import INITIAL_HOPS, Packet
from .verdicts import DELIVERED, LOOP, onward
from .walk import walk


def _limit(tunnel: Tunnel) -> int:
    """The hop limit of the outer packets: the tunnel's own, or (0) that of what is inside, which
    is the usual one."""
    return tunnel.ttl or INITIAL_HOPS


def _answered(kernel: Kernel, end: End, tunnel: Tunnel) -> Leg | None:
    """The outer leg as an answer: where filters track connections, what the far end sent before
    opens the way. None if the far end does not get through either, or this changes nothing."""
    flow, limit = Flow(tunnel.mode), _limit(tunnel)
    for name in kernel.near.owner_devices(tunnel.remote):
        there = walk(kernel, name, Packet(tunnel.local, tunnel.remote, flow=flow))
        if there.state == "yes":
            answer = flow.back(passed_by(there))
            packet = Packet(tunnel.remote, tunnel.local, flow=answer, hop_limit=limit)
            leg = walk(kernel, end.device, packet)
            return leg if leg.state == "yes" else None
    return None


class Ways(Kernel):
    """The kernel that goes through tunnels."""

    def enter(self, end: End, inside: frozenset[End]) -> tuple[list[Fate], Leg | None]:
        """The fates of packets that leave by a tunnel, and the outer leg; see `Kernel.enter`."""
        return _enter(self, end, inside)


def _enter(kernel: Kernel, end: End, inside: frozenset[End]) -> tuple[list[Fate], Leg | None]:
    """The fates of packets that leave by a tunnel, and the outer leg.

    Args:
        kernel: what each device does.
        end: the tunnel's interface.
        inside: the tunnels that are being gone through at this moment.
    """
    interface = kernel.near.interface(end)
    assert interface is not None and interface.tunnel is not None
    tunnel = interface.tunnel
    if end in inside:
        members = " and ".join(sorted({str(item) for item in inside}))
        reason = (
            f"The way to the tunnel's far end {tunnel.remote} leads through the tunnel itself "
            f"({members})."
        )
        return [Fate(None, LOOP, reason)], None
    if not kernel.near.owns(end.device, tunnel.local):
        reason = (
            f"{end} sends from {tunnel.local}, which is no address of {end.device}: nothing "
            "leaves it."
        )
        return [Fate(None, "no-source", reason)], None
    outer = Packet(tunnel.remote, tunnel.local, flow=Flow(tunnel.mode), hop_limit=_limit(tunnel))
    leg = walk(kernel, end.device, outer)
    if leg.state != "yes" and kernel.filters:
        leg = _answered(kernel, end, tunnel) or leg
    fates: list[Fate] = []
    for branch in leg.branches:
        if branch.verdict != DELIVERED:
            reason = f"The tunnel {end} does not get through to {tunnel.remote}: "
            reason += onward(branch.reason)
            fates.append(Fate(None, branch.verdict, reason))
            continue
        taker = kernel.devices[branch.last.device]
        far = next(
            (i for i in taker.interfaces if i.tunnel is not None and tunnel.mirrors(i.tunnel)), None
        )
        if far is None or not far.enabled:
            what = "has no tunnel that mirrors it" if far is None else f"has {far.name} shut down"
            reason = (
                f"{taker.name} takes what {end} sends to {tunnel.remote} and {what}: it drops it."
            )
            fates.append(Fate(None, "next-hop-silent", reason))
        else:
            fates.append(Fate(None, to=End(taker.name, far.name)))
    return list({(f.verdict, f.to): f for f in fates}.values()), leg
