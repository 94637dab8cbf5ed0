"""A survey with everything computed from it, each part at its first use.

This is the door through which the command line and the server use the core.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

from .diagnosis.finding import Finding
from .diagnosis.findings import Context, find_all
from .diagnosis.touching import findings_on_path
from .diagnosis.why import explain_prefix
from .forwarding.endpoints import EndpointError, resolve
from .forwarding.path import Path, Traffic, find_path
from .forwarding.reach import Reach
from .forwarding.step import Forwarding
from .network.addressing import Address, parse_prefix
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

    def neighbours_json(self, device: str | None = None) -> dict[str, list[dict[str, object]]]:
        """The `neighbours` document of the contract: what fails first, then by protocol."""
        relations = [
            relation
            for relation in self.tables.relations()
            if device in (None, relation.left.device, relation.right.device)
        ]
        relations.sort(
            key=lambda r: (
                r.works,
                r.protocol,
                r.family,
                r.left.device,
                r.left.interface or "",
                r.right.device,
                r.right.interface or "",
            )
        )
        return {"pairs": [relation.as_json() for relation in relations]}

    @cached_property
    def findings(self) -> list[Finding]:
        """Everything that is wrong or risky, most serious first."""
        return find_all(Context(self.network, self.tables, self.forwarding, self.reach))

    def inspect_json(self) -> dict[str, list[dict[str, object]]]:
        """The `inspect` document of the contract."""
        return {
            "findings": [finding.as_json() for finding in self.findings],
            "reading": [report.as_json() for report in self.survey.reading],
        }

    def touching(self, path: Path) -> list[str]:
        """The ids of findings that bear on a path, the likeliest first."""
        return [
            finding.id
            for finding in findings_on_path(self.findings, path, self.tables, self.forwarding)
        ]

    def why(self, prefix: str, device: str | None = None) -> dict[str, list[dict[str, object]]]:
        """Why a prefix is, or is not, in the table of one device or of all.

        Raises:
            EndpointError: the text is not a prefix.
        """
        parsed = parse_prefix(prefix if "/" in prefix else "")
        if parsed is None:
            raise EndpointError(f"{prefix!r} is not a prefix. Write it like 10.64.3.0/24.")
        return {
            "why": [
                explain_prefix(self.tables, self.forwarding, item.name, parsed)
                for item in self.network.devices
                if item.role != "unread" and device in (None, item.name)
            ]
        }

    def device_named(self, text: str) -> str:
        """The device that a name, address or interface stands for."""
        found = resolve(self.forwarding, text, target=False).device
        assert found is not None
        return found

    def addresses_named(self, text: str) -> set[Address]:
        """The addresses that a name, address, prefix or interface stands for."""
        device = self.network.device(text)
        if device is not None:
            return {
                address
                for address, owners in self.forwarding.near.owners.items()
                if any(owner.end.device == text for owner in owners)
            }
        prefix = parse_prefix(text)
        if prefix is not None:
            return {a for a in self.forwarding.near.owners if prefix.contains(a)}
        return set(resolve(self.forwarding, text, target=True).addresses.values())
