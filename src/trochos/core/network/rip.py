"""RIP and RIPng: what a text says of them, and what devices do otherwise than their standards."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import ClassVar

from .addressing import Address, Prefix
from .routing import (
    DefaultRoute,
    Flag,
    Named,
    NetworkStatement,
    Number,
    PeerDistance,
    Process,
    Redistribution,
    RouteFilter,
    Word,
)
from .source import Source

NAMED = Named("rip", ("RIP", "RIPng"), ("ripng",), table=8)


@dataclass(frozen=True, slots=True)
class RipInterface:
    """RIP settings of one interface (RFC 2453)."""

    name: str
    send: Word | None = None
    receive: Word | None = None
    """`1`, `2`, `1 2` or `none`."""
    authentication: Word | None = None
    """`text` or `md5`."""
    key: Word | None = None
    key_chain: Word | None = None
    split_horizon: Word | None = None
    """`on`, `off` or `poisoned`."""


@dataclass(frozen=True, slots=True)
class RipProcess(Process):
    """RIP (IPv4) or RIPng (IPv6)."""

    protocol: ClassVar[str] = "rip"
    family: int
    source: Source
    networks: tuple[NetworkStatement, ...] = ()
    interfaces: Mapping[str, RipInterface] = field(default_factory=dict)
    neighbours: tuple[tuple[Address, Source], ...] = ()
    passive: Mapping[str, Flag] = field(default_factory=dict)
    passive_default: Flag | None = None
    version: Number | None = None
    default_metric: Number | None = None
    redistribute: tuple[Redistribution, ...] = ()
    default: DefaultRoute | None = None
    filters: tuple[RouteFilter, ...] = ()
    offsets: tuple[RouteFilter, ...] = ()
    distance: Number | None = None
    distances: tuple[PeerDistance, ...] = ()
    statics: tuple[tuple[Prefix, Source], ...] = ()
    aggregates: tuple[tuple[Prefix, Source], ...] = ()
    """Announced in the place of what is known inside them."""
    max_paths: int = 1

    @property
    def name(self) -> str:
        return "RIP" if self.family == 4 else "RIPng"


@dataclass(frozen=True, slots=True)
class RipHabits:
    """RFC 2453 and RFC 2080."""

    distance: int = 120
    version: int = 1
    redistribute_metric: int = 1
    shares_equal_cost: bool = True
    """Equal hop counts share traffic without being told to."""
