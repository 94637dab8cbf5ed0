"""EIGRP: what a text says of it, and what kinds of devices do otherwise than its standard."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import ClassVar

from .addressing import Prefix
from .routing import (
    Flag,
    Named,
    NetworkStatement,
    Number,
    Process,
    Redistribution,
    RouteFilter,
    Word,
)
from .source import Source

NAMED = Named("eigrp", ("EIGRP", "EIGRP v6"), packets=88, table=16)


@dataclass(frozen=True, slots=True)
class EigrpInterface:
    """EIGRP settings of one interface (RFC 7868)."""

    name: str
    delay: Number | None = None
    """In tens of microseconds."""
    bandwidth: Number | None = None
    """In kilobits per second."""
    hello: Number | None = None
    hold: Number | None = None
    authentication: Word | None = None
    key_chain: Word | None = None
    summaries: tuple[tuple[Prefix, Source], ...] = ()
    split_horizon: Flag | None = None
    passive: Flag | None = None


@dataclass(frozen=True, slots=True)
class EigrpProcess(Process):
    """One EIGRP process of one address family."""

    protocol: ClassVar[str] = "eigrp"
    number: int
    source: Source
    family: int = 4
    router_id: Number | None = None
    networks: tuple[NetworkStatement, ...] = ()
    interfaces: Mapping[str, EigrpInterface] = field(default_factory=dict)
    passive: Mapping[str, Flag] = field(default_factory=dict)
    passive_default: Flag | None = None
    weights: tuple[int, ...] | None = None
    weights_source: Source | None = None
    variance: Number | None = None
    max_paths: Number | None = None
    redistribute: tuple[Redistribution, ...] = ()
    filters: tuple[RouteFilter, ...] = ()
    auto_summary: Flag | None = None
    stub: Word | None = None
    """What a stub router announces: words such as `connected summary`; None: no stub."""
    default_metric: tuple[int, ...] | None = None
    distance: tuple[int, int] | None = None

    @property
    def name(self) -> str:
        return "EIGRP"

    @property
    def title(self) -> str:
        return f"EIGRP {self.number}"


@dataclass(frozen=True, slots=True)
class EigrpHabits:
    """RFC 7868."""

    weights: tuple[int, ...] = (1, 0, 1, 0, 0, 0)
    bandwidth: int = 100_000
    """Kilobits per second."""
    delay: int = 10
    """Tens of microseconds."""
    distance_internal: int = 90
    distance_external: int = 170
    max_paths: int = 4
    statement_ignores_mask: bool = False
    fixed_metrics: bool = False
    """Configured delays and bandwidths never reach the topology."""
    ignores_passive: bool = False
    ignores_redistribution: bool = False
    ignores_summaries: bool = False
