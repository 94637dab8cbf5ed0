"""The MTU of every link on a leg, both ends compared, and what a tunnel leaves inside."""

from __future__ import annotations

from dataclasses import dataclass

from ..network.facts import End
from .kernel import Kernel
from .legs import Branch, Leg


@dataclass(frozen=True, slots=True)
class LinkSize:
    """One link of a leg: what its two ends take, and what the tunnel it is leaves room for."""

    device: str
    interface: str
    mtu: int | None
    far_device: str
    far_interface: str | None
    far_mtu: int | None
    room: int | None = None
    """For a tunnel: the outer way's largest packet less the overhead."""
    overhead: int | None = None

    @property
    def takes(self) -> int | None:
        """The largest packet that passes in one piece; None if neither end's size is known."""
        known = [size for size in (self.mtu, self.far_mtu, self.room) if size is not None]
        return min(known) if known else None

    @property
    def differs(self) -> bool:
        return self.mtu is not None and self.far_mtu is not None and self.mtu != self.far_mtu

    def as_json(self) -> dict[str, object]:
        return {
            "device": self.device,
            "interface": self.interface,
            "mtu": self.mtu,
            "far": {"device": self.far_device, "interface": self.far_interface},
            "far_mtu": self.far_mtu,
            "tunnel": None
            if self.overhead is None
            else {"room": self.room, "overhead": self.overhead},
            "takes": self.takes,
        }


def links_of(kernel: Kernel, branch: Branch) -> list[LinkSize]:
    """The sizes of every link that a branch crosses."""
    out = []
    for hop, after in zip(branch.hops, branch.hops[1:], strict=False):
        if hop.out is None:
            continue
        far = kernel.near.interface(End(after.device, after.arrived or ""))
        room = overhead = None
        if hop.wrap is not None:
            overhead = hop.wrap.tunnel.overhead
            under = hop.wrap.under
            if under is not None:
                room = largest_inside(kernel, under, overhead)
        out.append(
            LinkSize(
                hop.device,
                hop.out,
                hop.mtu,
                after.device,
                after.arrived,
                far.mtu if far is not None else None,
                room,
                overhead,
            )
        )
    return out


def largest_inside(kernel: Kernel, under: Leg, overhead: int) -> int | None:
    """What an outer way leaves for the packets inside."""
    sizes = [
        link.takes
        for branch in under.branches
        for link in links_of(kernel, branch)
        if link.takes is not None
    ]
    return min(sizes) - overhead if sizes else None
