"""Addresses that routers share: who may hold one, and on which terms (VRRP, RFC 5798)."""

from __future__ import annotations

from dataclasses import dataclass

from .addressing import Address, InterfaceAddress
from .source import Source

NAME, LABEL = "vrrp", "VRRP"
"""What relations of routers that share an address are called, in documents and on screens."""


@dataclass(frozen=True, slots=True)
class Tracked:
    """An interface whose state changes a priority.

    A negative weight counts while it is down, a positive one while it is up; weight 0 takes the
    router out of the election while it is down.
    """

    interface: str
    weight: int
    source: Source


@dataclass(frozen=True, slots=True)
class SharedGateway:
    """One router's part in holding addresses on one interface.

    `doubt` says why its part cannot be computed; None if it can.
    """

    name: str
    interface: str
    router_id: int
    source: Source
    addresses: tuple[tuple[InterfaceAddress, Source], ...] = ()
    priority: int = 100
    version: int = 2
    interval: float = 1.0
    secret: str | None = None
    tracked: tuple[Tracked, ...] = ()
    peers: tuple[Address, ...] = ()
    """The only ones it speaks with; none: whoever hears it on the link."""
    doubt: str | None = None
    idle: str | None = None
    """Why it takes no part in the election at all; None if it does."""
    mac: str | None = None
    """The address of the interface of its own that the shared addresses have to stand on; None if
    they are put on the interface itself."""
    lax: bool = False
    """Adverts that name other addresses are heard as well."""
    preempt: bool = True
    on: str | None = None
    """Where the addresses are put, if not on the interface on which it speaks."""
    said: tuple[tuple[str, Source], ...] = ()
    """The line of each setting that is written, by its word."""

    @property
    def place(self) -> str:
        """The interface that its addresses stand on while it holds them."""
        return self.on or self.interface

    def line(self, word: str) -> Source | None:
        """The line that says a setting; None if nobody wrote it."""
        return next((source for name, source in self.said if name == word), None)

    def holds(self, address: Address) -> bool:
        return any(value.address == address for value, _ in self.addresses)
