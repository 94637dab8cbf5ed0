"""What a route is: a candidate for a table, with what it was derived from."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from ..network.addressing import Address, Prefix
from ..network.claims import Claim
from ..network.facts import Source


class NextHop(NamedTuple):
    """What is done with a packet: `action` is forward, deliver, discard or reject."""

    action: str
    address: Address | None = None
    interface: str | None = None
    weight: int = 1
    onlink: bool = False
    """True if the address is taken to be on the interface's link without sharing its subnet."""
    source: Address | None = None
    """What the device's own packets carry as their source along this way, if that is set."""
    into: str | None = None
    """The node of another routing instance of the device that looks the packet up again."""

    def as_json(self) -> dict[str, object]:
        return {
            "action": self.action,
            "address": None if self.address is None else str(self.address),
            "interface": self.interface,
            "weight": self.weight,
        }


@dataclass(frozen=True, slots=True)
class Origin:
    """How a learned route came about: who announced it and what that rests on.

    `before` is the step that came earlier: the area behind a border, the protocol that
    was redistributed, the neighbour that told the announcer. Routes share these objects.
    """

    claim: Claim
    sources: tuple[Source, ...] = ()
    before: Origin | None = None

    @property
    def device(self) -> str:
        return self.claim.device

    @property
    def says(self) -> str:
        return self.claim.says

    def chain(self) -> list[Origin]:
        """All steps, the first announcement first."""
        out: list[Origin] = []
        step: Origin | None = self
        while step is not None:
            out.append(step)
            step = step.before
        out.reverse()
        return out

    def evidence(self) -> tuple[Source, ...]:
        """The lines of all steps, the first announcement first."""
        return tuple(dict.fromkeys(source for step in self.chain() for source in step.sources))


OWN_AS = "own-as"


@dataclass(frozen=True, slots=True)
class Refusal:
    """Why something is not announced, not accepted or not used, with the deciding lines."""

    why: str
    sources: tuple[Source, ...] = ()
    kind: str = ""
    """What sort of refusal, where somebody could want to lift it: `OWN_AS`."""


@dataclass(slots=True)
class Route:
    """A candidate for a table, with what it was derived from.

    A usable candidate has next hops. One that is not usable has none, and `problem`
    names the verdict it would cause (`interface-down`, `next-hop-unresolved`).
    """

    prefix: Prefix
    protocol: str
    distance: int
    metric: int
    next_hops: tuple[NextHop, ...]
    because: tuple[Source, ...] = ()
    via: tuple[Address, ...] = ()
    type: str | None = None
    selected: bool = False
    problem: str | None = None
    why: str | None = None
    lost_to: Route | None = None
    wanted: tuple[NextHop, ...] = ()
    """For a route that is not usable: the next hops as configured."""
    origin: Origin | None = None
    """For a learned route: the announcement it rests on."""
    tag: int = 0
    kept_by_kernel: bool = False
    """The subnet of an interface without carrier: out of the table, but still obeyed."""

    @property
    def obeyed_hops(self) -> tuple[NextHop, ...]:
        """What a packet meets. A kernel cannot both discard and forward: where the first way
        discards, all packets are discarded, whatever the table lists beside it."""
        if self.next_hops and self.next_hops[0].action in ("discard", "reject"):
            return self.next_hops[:1]
        return self.next_hops

    def unmarked(self) -> Route:
        """A copy that has neither won nor lost yet. Written out, because there are many."""
        return Route(
            self.prefix,
            self.protocol,
            self.distance,
            self.metric,
            self.next_hops,
            self.because,
            self.via,
            self.type,
            False,
            self.problem,
            None if self.lost_to is not None else self.why,
            None,
            self.wanted,
            self.origin,
            self.tag,
            self.kept_by_kernel,
        )

    def resolved(self, hops: tuple[NextHop, ...], via: tuple[Address, ...]) -> Route:
        """A copy with the next hops that its own lead to."""
        out = self.unmarked()
        out.next_hops, out.via = hops, via
        return out

    @property
    def usable(self) -> bool:
        return bool(self.next_hops) and self.problem is None

    def as_json(self, deep: bool = True) -> dict[str, object]:
        return {
            "prefix": str(self.prefix),
            "protocol": self.protocol,
            "type": self.type,
            "distance": self.distance,
            "metric": self.metric,
            "selected": self.selected,
            "next_hops": [hop.as_json() for hop in self.next_hops],
            "via": [str(address) for address in self.via],
            "because": [source.as_json() for source in self.because],
            "lost_to": self.lost_to.as_json(False) if deep and self.lost_to else None,
            "why": self.why,
        }


def essence(route: Route) -> tuple[object, ...]:
    """What makes a candidate what it is for a table, apart from its explanation."""
    return (
        route.prefix,
        route.protocol,
        route.type,
        route.distance,
        route.metric,
        route.next_hops,
        route.via,
        route.tag,
    )
