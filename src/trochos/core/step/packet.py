"""What is sent, and what devices on the way remember of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from ..network.addressing import Address
from .filters import Flow

INITIAL_HOPS = 64
"""Linux sends with this hop limit (RFC 1700's recommended value)."""


class Ends(NamedTuple):
    """The ends of a connection as a packet names them: `port` is the service's."""

    source: Address | None
    target: Address
    port: int | None


class Tracked(NamedTuple):
    """A connection that a device has rewritten: its ends as they came and as they went on."""

    device: str
    came: Ends
    went: Ends


@dataclass(frozen=True, slots=True)
class Packet:
    """What is sent. `size` counts the whole IP packet in bytes; 0 stands for a small one.

    Without a `flow` only the way is asked about, and no filter.
    """

    target: Address
    source: Address | None = None
    size: int = 0
    dont_fragment: bool = False
    flow: Flow | None = None
    hop_limit: int = INITIAL_HOPS
    """How many devices may pass it on, and one less."""
    tracked: tuple[Tracked, ...] = ()
    """What devices remember: of a request, those that it passed; of a reply, of its request."""
    marked: tuple[tuple[str, int | None], ...] = ()
    """The mark that each device on the request's way keeps for the connection (None: not known),
    where its chains set marks."""
    asked: Ends | None = None
    """Of a reply: the ends that the request had when it was sent."""

    @property
    def must_fit(self) -> bool:
        """IPv6 is never split on the way (RFC 8200, section 5)."""
        return self.size > 0 and (self.dont_fragment or self.target.family == 6)

    @property
    def ends(self) -> Ends:
        return Ends(self.source, self.target, self.flow.port if self.flow is not None else None)

    @property
    def is_reply(self) -> bool:
        return self.flow is not None and self.flow.is_reply
