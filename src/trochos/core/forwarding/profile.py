"""How large a packet may be: the MTU of every link on a leg, both ends compared (J7).

Sizes count the whole IP packet. A packet that must not be split has to fit every link; one
that may be is cut to the size that its sender's side of a link allows, and is lost where the
far side takes less than that (RFC 1191, RFC 8201). Inside a tunnel, what is left is the outer
way's size less the tunnel's own header.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from ..network.addressing import Address
from ..step.legs import Leg
from ..step.packet import Packet
from ..step.sizes import LinkSize, links_of
from ..step.walk import walk
from .view import Forwarding

ANY = 65535
"""The largest IPv4 packet: no link limits one that may be split."""


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
        for link in links_of(forwarding, branch):
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
