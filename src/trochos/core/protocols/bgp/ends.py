"""One speaker's side of a session, and what it is to the other."""

from __future__ import annotations

from dataclasses import dataclass

from ...network.addressing import Address
from ...network.bgp import BgpHabits, BgpNeighbour, BgpNeighbourFamily, BgpProcess
from ...network.facts import Device
from ...network.routing import Number
from ...network.source import Source
from ...step.filters import Decision

NO_FAMILY = BgpNeighbourFamily()


@dataclass(frozen=True, slots=True)
class BgpEnd:
    """One speaker's side of a session, as configured and as the tables carry it."""

    device: Device
    process: BgpProcess
    neighbour: BgpNeighbour | None
    peer: Address | None
    """The address this side talks to."""
    source: Address | None
    """The address it talks from."""
    source_line: Source | None
    router_id: Number | None
    hops: int | None
    """How many links its packets cross; None if they do not arrive."""
    can_open: bool
    why_not: str
    local_as: int
    down: bool = False
    """Torn down for too many prefixes."""
    on_the_way: tuple[Decision | None, Decision | None] = (None, None)
    """What stops its packets between the two ends: those that open, and those that answer."""
    near: bool = True
    """False if routes of the peer cannot be used, because it is not on a connected network."""
    link: str | None = None
    """The interface, if the two talk by link-local addresses."""
    member: bool = False
    """True if the peer is in another member system of this one's confederation."""
    arrives: tuple[bool, bool] = (True, True)
    """Whether its packets find their way: those that open the session, and its answers."""

    @property
    def name(self) -> str:
        return self.device.name

    def calls(self, other: BgpEnd) -> int:
        """How much speaks for this end as the one that opens the session: that it may, and from
        an address that the other expects."""
        return self.can_open + (self.can_open and self.source == other.peer)

    def ttl(self) -> int:
        n = self.neighbour
        if n is None or n.ttl_security is not None or self.expected_as() == self.local_as:
            return 255
        return n.multihop.value if n.multihop else 1

    def expected_as(self) -> int | None:
        """The AS number that this side expects of the other; -1 for any other than its own."""
        n = self.neighbour
        if n is None or n.remote_as is None:
            return None
        word = n.remote_as.value
        if word == "internal":
            return self.local_as
        return -1 if word == "external" else int(word)

    @property
    def by_word(self) -> bool:
        """True if the neighbour is said to be `external`, whatever its number."""
        word = self.neighbour.remote_as if self.neighbour is not None else None
        return word is not None and word.value == "external"

    def family(self, family: int) -> BgpNeighbourFamily:
        return (
            NO_FAMILY
            if self.neighbour is None
            else (self.neighbour.families.get(family) or NO_FAMILY)
        )

    def asks_for_default(self, family: int) -> bool:
        """True if a map decides whether the other is told of a default route."""
        held = self.family(family).default_originate
        return held is not None and bool(held.value)

    def active_in(self, family: int) -> bool:
        """True if the address family is switched on for this neighbour."""
        setting = self.family(family).active
        if setting is not None:
            return setting.value
        return family == 4 and self.process.ipv4_default


COUNTERPARTS = {
    "provider": "customer",
    "customer": "provider",
    "peer": "peer",
    "rs-server": "rs-client",
    "rs-client": "rs-server",
}
"""What a neighbour has to be for each role (RFC 9234, 4.2)."""


def role(end: BgpEnd) -> str | None:
    """What an end is to the other, if that is said."""
    word = end.neighbour.role if end.neighbour is not None else None
    return word.value if word is not None else None


def requires_policy(end: BgpEnd) -> bool:
    given = end.process.requires_policy
    return given.value if given is not None else end.device.profile.habit(BgpHabits).requires_policy


def has_policy(held: BgpNeighbourFamily, direction: str) -> bool:
    if direction == "in":
        kinds = (held.route_map_in, held.prefix_list_in, held.filter_list_in, held.distribute_in)
    else:
        kinds = (
            held.route_map_out,
            held.prefix_list_out,
            held.filter_list_out,
            held.distribute_out,
        )
    return any(kind is not None for kind in kinds)
