"""Addresses that routers share: who may hold one, and on which terms (VRRP, RFC 5798)."""

from __future__ import annotations

from dataclasses import dataclass

from .addressing import Address, InterfaceAddress
from .source import Source


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

    def holds(self, address: Address) -> bool:
        return any(value.address == address for value, _ in self.addresses)
