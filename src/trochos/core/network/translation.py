"""Rewritten addresses as facts: what an entry of a translating chain puts in place of what.

The chains themselves are those of `filters`: they are met at a hook, and the first entry whose
conditions hold decides for the whole connection.
"""

from __future__ import annotations

from typing import NamedTuple

from .addressing import Address, Prefix

SOURCE, DESTINATION = "source", "destination"


class Rewrite(NamedTuple):
    """What one entry puts in place: `what` says of which end.

    With `own` it is an address of the device itself: that of the exit for a source, that of the
    interface it came in by for a destination. Without any address only the port changes.
    """

    what: str
    first: Address | None = None
    last: Address | None = None
    """Of several addresses, the last."""
    ports: tuple[int, int] | None = None
    whole: Prefix | None = None
    """A prefix whose addresses stand for those of another one, bit by bit."""
    own: bool = False

    def address_for(self, address: Address) -> Address | None:
        """What stands for an address; None if that is one of the device's own."""
        if self.whole is not None:
            bits = (32 if self.whole.family == 4 else 128) - self.whole.length
            inside = address.value & ((1 << bits) - 1)
            return Address(self.whole.family, self.whole.network | inside)
        return None if self.own else self.first or address

    def port_for(self, port: int | None) -> int | None:
        """What stands for a port: itself where nothing else is said."""
        if self.ports is None or port is None:
            return port
        low, high = self.ports
        return port if low <= port <= high else low
