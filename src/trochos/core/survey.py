"""A survey with everything computed from it, each part at its first use.

This is the door through which the command line and the server use the core.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

from .forwarding.path import Path, Traffic, find_path
from .forwarding.reach import Reach
from .forwarding.step import Forwarding
from .network.facts import Network
from .protocols.tables import Tables, compute_tables
from .readers.survey import Survey, read_survey


class Computed:
    """The computed view of one survey. Nothing here changes once it is computed."""

    def __init__(self, survey: Survey) -> None:
        self.survey = survey

    @classmethod
    def from_files(cls, files: Mapping[str, bytes], key: bytes) -> Computed:
        """Reads files (path -> content); secrets become fingerprints under `key`."""
        return cls(read_survey(files, key))

    @property
    def network(self) -> Network:
        return self.survey.network

    @cached_property
    def tables(self) -> Tables:
        return compute_tables(self.network)

    @cached_property
    def forwarding(self) -> Forwarding:
        return Forwarding(self.tables)

    @cached_property
    def reach(self) -> Reach:
        return Reach(self.forwarding)

    def path(self, sender: str, receiver: str, traffic: Traffic | None = None) -> Path:
        """Both legs between two ends; see `find_path`."""
        return find_path(self.forwarding, sender, receiver, traffic)

    def routes_json(self, device: str | None = None, everything: bool = False) -> dict[str, object]:
        """The `routes` document of the contract."""
        out: dict[str, object] = {}
        for item in self.network.devices:
            if device is not None and item.name != device:
                continue
            families = {}
            for family, label in ((4, "ipv4"), (6, "ipv6")):
                routes = self.tables.of(item.name, family).routes
                chosen = [route for route in routes if everything or route.selected]
                chosen.sort(
                    key=lambda r: (r.prefix.network, r.prefix.length, not r.selected, r.distance)
                )
                families[label] = [route.as_json() for route in chosen]
            out[item.name] = families
        return {"devices": out}
