"""Whether filters at either end let a protocol's own packets pass: a gate of any protocol."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol as PProtocol

from ..network.addressing import Address
from ..network.facts import Interface
from ..step.filters import DROP, REJECT, Decision, Filters, Flow, Passage
from .gates import Reading


class Speaker(PProtocol):
    """An end of a routing protocol: where its packets come in, and who sends them."""

    @property
    def filters(self) -> Filters | None: ...

    @property
    def interface(self) -> Interface: ...

    @property
    def address(self) -> Address | None: ...


def on_own_packets(end: Speaker, other: Speaker, flow: Flow) -> Decision | None:
    """What stops a protocol's packets between two ends at this one: those that come in from
    the other, or its own that go out; None if nothing does."""
    if end.filters is None or end.address is None or other.address is None:
        return None
    name, port = end.filters.device.name, end.interface.name
    comes = Passage(name, other.address, end.address, port, None, flow)
    goes = Passage(name, end.address, other.address, None, port, flow)
    for passage in (comes, goes):
        found = end.filters.judge(passage)
        if found and found[-1].verdict in (DROP, REJECT):
            return found[-1]
    return None


def lets_pass(flow: Flow) -> Callable[[Speaker, Speaker], Reading]:
    """The gate of a protocol's own packets at one end."""

    def read(end: Speaker, other: Speaker) -> Reading:
        if end.filters is None:
            return Reading("no filter", (), True)
        found = on_own_packets(end, other, flow)
        if found is None:
            return Reading("lets it pass", (), True)
        lines = (found.entry,) if found.entry is not None else ()
        return Reading(f"stops it in {found.chain}", lines, False)

    return read


def any_filters(left: Speaker, right: Speaker) -> bool:
    return left.filters is not None or right.filters is not None
