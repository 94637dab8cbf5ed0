"""How large a packet may be: the MTU of every link on a leg, both ends compared (J7).

Sizes count the whole IP packet. A packet that must not be split has to fit every link; one
that may be is cut to the size that its sender's side of a link allows, and is lost where the
far side takes less than that (RFC 1191, RFC 8201). Inside a tunnel, what is left is the outer
way's size less the tunnel's own header.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from ..network.addressing import Address
from ..network.facts import End
from .packet import Packet
from .step import Forwarding
from .walk import Branch, Leg, walk

ANY = 65535
"""The largest IPv4 packet: no link limits one that may be split."""


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


@dataclass(slots=True)
class Profile:
    """The sizes along one leg."""

    links: list[LinkSize] = field(default_factory=list)
    whole: int | None = None
    """The largest packet that passes in one piece on every branch."""
    limit: LinkSize | None = None
    """The link that limits it."""
    split: int | None = None
    """The largest packet that passes if it may be split; for IPv6 the same as `whole`."""
    told: bool | None = None
    """Whether the message that a packet is too big would find its way back to the sender."""

    def as_json(self) -> dict[str, object]:
        return {
            "links": [link.as_json() for link in self.links],
            "whole": self.whole,
            "split": self.split,
            "limited_by": None
            if self.limit is None
            else {"device": self.limit.device, "interface": self.limit.interface},
            "told": self.told,
        }


def profile(forwarding: Forwarding, leg: Leg, source: Address | None, family: int) -> Profile:
    """The sizes along a leg that arrives, over all its listed branches."""
    out = Profile()
    seen: dict[tuple[str, str], LinkSize] = {}
    for branch in leg.branches:
        for link in _links(forwarding, branch):
            seen.setdefault((link.device, link.interface), link)
    out.links = list(seen.values())
    known = [(link.takes, link) for link in out.links if link.takes is not None]
    if not known:
        return out
    out.whole, out.limit = min(known, key=lambda item: item[0])
    # A piece of the near side's size that the far side does not take is lost, split or not.
    lost = [
        link.far_mtu
        for link in out.links
        if link.mtu is not None and link.far_mtu is not None and link.far_mtu < link.mtu
    ]
    out.split = out.whole if family == 6 else min([ANY, *lost])
    sender = leg.branches[0].hops[0].device
    if source is not None and out.limit.device != sender:
        back = walk(forwarding, out.limit.device, Packet(source), frozenset((sender,)))
        out.told = back.state == "yes"
    return out


def _links(forwarding: Forwarding, branch: Branch) -> list[LinkSize]:
    out = []
    for hop, after in zip(branch.hops, branch.hops[1:], strict=False):
        if hop.out is None:
            continue
        far = forwarding.near.interface(End(after.device, after.arrived or ""))
        room = overhead = None
        if hop.wrap is not None:
            overhead = hop.wrap.tunnel.overhead
            under = hop.wrap.under
            if under is not None:
                room = largest_inside(forwarding, under, overhead)
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


def largest_inside(forwarding: Forwarding, under: Leg, overhead: int) -> int | None:
    """What an outer way leaves for the packets inside."""
    sizes = [
        link.takes
        for branch in under.branches
        for link in _links(forwarding, branch)
        if link.takes is not None
    ]
    return min(sizes) - overhead if sizes else None
