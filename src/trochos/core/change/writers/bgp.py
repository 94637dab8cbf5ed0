"""What only BGP is asked to say."""

from __future__ import annotations

from typing import ClassVar, NamedTuple

from ...network.addressing import Address, Prefix
from ...network.bgp import BgpNeighbour, BgpProcess
from ...network.facts import Interface
from .base import Edits, Part


class Peer(NamedTuple):
    """What is said of a BGP neighbour that is made anew."""

    address: Address
    number: int
    source: Interface | None = None
    """Where to talk from, if not from where the route leads."""
    password: str | None = None
    multihop: int | None = None
    next_hop_self: bool = False


class BgpPart(Part):
    """BGP in a language that says none of it."""

    protocol: ClassVar[str] = BgpProcess.protocol

    def neighbour_setting(
        self, peer: Address | str, what: str, value: str | None, family: int | None = None
    ) -> Edits | None:
        """Sets or unsets something of a neighbour, in one address family or for all. `peer` is
        what the configuration calls it: an address, an interface or a group."""
        return None

    def rename_neighbour(self, old: Address, new: Address) -> Edits | None:
        """All that is said of one neighbour said of another address."""
        return None

    def add_neighbour(self, peer: Address, number: int, like: BgpNeighbour | None) -> Edits | None:
        return None

    def add_neighbour_at(
        self, interface: str, number: int, families: tuple[int, ...]
    ) -> Edits | None:
        """Whoever is at the other end of an interface made a neighbour."""
        return None

    def confederation_member(self, number: int) -> Edits | None:
        """Makes another member system of the own confederation known."""
        return None

    def start(
        self, number: int, peers: tuple[Peer, ...], networks: tuple[Prefix, ...], lax: bool
    ) -> Edits | None:
        """A process that is not there yet; `lax`: it requires no external policy."""
        return None

    def renumber(self, number: int) -> Edits | None:
        """Gives the process another autonomous system number."""
        return None

    def no_external_policy(self) -> Edits | None:
        return None
