"""Rules that choose a routing table by more than the target (policy routing, ip-rule(8))."""

from __future__ import annotations

from dataclasses import dataclass

from .addressing import Address, Prefix
from .source import Source


@dataclass(frozen=True, slots=True)
class Rule:
    """One rule of a Linux device; rules are tried by ascending priority.

    It takes packets from `source`, to `target` and arriving on `arrived`, each where it is set
    (`lo`: what the device sends itself). It looks into `table`, or ends the packet (`special`:
    `discard`, `reject`). A match whose prefix is not longer than `suppress` is passed over.
    """

    priority: int
    family: int
    line: Source
    table: str | None = None
    special: str | None = None
    source: Prefix | None = None
    target: Prefix | None = None
    arrived: str | None = None
    suppress: int | None = None

    def takes(self, source: Address | None, target: Address, arrived: str | None) -> bool:
        """True if a packet is the rule's; without a source yet, no rule about sources is."""
        if self.source is not None and (source is None or not self.source.contains(source)):
            return False
        if self.target is not None and not self.target.contains(target):
            return False
        return self.arrived is None or self.arrived == (arrived or "lo")
