"""Which pairs of a network are asked about, and how a long search is watched."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import NamedTuple

from ..forwarding.reach import Reach
from ..forwarding.sources import usable_addresses
from ..network.addressing import FAMILIES, Address

Watch = Callable[[int, int, str], bool]
"""Called with (done, of at most, what); False stops the search with the best so far."""


def unwatched(done: int, of: int, what: str) -> bool:
    """A search that nobody watches goes on to its end."""
    return True


class Question(NamedTuple):
    """A device against one address of another, from the source that it chooses itself."""

    sender: str
    target: Address
    owner: str


class Answered(NamedTuple):
    """How a question ends: `ok` is True, False, "partly" or None (not known)."""

    source: Address | None
    outbound: str
    back: str | None
    ok: object

    @property
    def refused(self) -> bool:
        """True if a filter ends it: on purpose, as far as anybody can tell."""
        return self.outbound in ("filtered", "refused") or (
            self.outbound == "delivered" and self.back in ("filtered", "refused")
        )


def hosts_of(reach: Reach) -> set[str]:
    """The devices whose conversations count: hosts, or all routers where there are none."""
    devices = [d for d in reach.forwarding.tables.network.devices if d.role != "unread"]
    hosts = {d.name for d in devices if d.is_host}
    return hosts or {d.name for d in devices if d.role == "router"}


def answers(reach: Reach, ends: Iterable[str] | None = None) -> dict[Question, Answered]:
    """Every question between the ends that count, or the given ones."""
    among = set(ends) if ends is not None else hosts_of(reach)
    near = reach.forwarding.near
    targets = {a for a, owners in near.owners.items() if any(o.end.device in among for o in owners)}
    out: dict[Question, Answered] = {}
    speaks = {
        (name, family)
        for name in among
        for family in FAMILIES
        if any(
            not fact.address.is_link_local
            for _, fact in usable_addresses(reach.forwarding.devices[name], family)
        )
    }
    for pair in reach.pairs(among, targets):
        # Who has no address of a family asks nothing in it.
        if pair.owner in among and (pair.device, pair.target.family) in speaks:
            question = Question(pair.device, pair.target, pair.owner)
            out.setdefault(question, Answered(pair.source, pair.outbound, pair.back, pair.ok))
    return out
