"""Policies that decide which routes a protocol takes, gives or changes: lists and route maps."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import NamedTuple

from .addressing import Prefix
from .source import Source


class Wildcard(NamedTuple):
    """What an entry with a wildcard compares: the bits of a route's address, and of its mask,
    that the wildcards do not leave open."""

    address: int
    open_address: int
    mask: int = 0
    open_mask: int = 0xFFFFFFFF

    def takes(self, prefix: Prefix) -> bool:
        """True for an IPv4 prefix whose address and mask are these."""
        length = 0xFFFFFFFF ^ (0xFFFFFFFF >> prefix.length)
        return (
            prefix.network & ~self.open_address == self.address
            and length & ~self.open_mask == self.mask
        )


class PrefixRule(NamedTuple):
    """One entry of a prefix list or an access list.

    `prefix` None matches everything. A prefix list compares the length (`least` to
    `most`, both inclusive); an access list takes everything inside unless `exact`, or what its
    `wildcard` takes, if it is written with one (`prefix` is then what comes nearest to it).
    """

    permit: bool
    prefix: Prefix | None
    source: Source
    sequence: int = 0
    least: int | None = None
    most: int | None = None
    exact: bool = False
    wildcard: Wildcard | None = None


class TextRule(NamedTuple):
    """One entry of an AS-path list (a regular expression) or a community list."""

    permit: bool
    pattern: str
    source: Source
    sequence: int = 0
    expanded: bool = True
    """False for a community list that names communities instead of a pattern."""


class Clause(NamedTuple):
    """One `match` or `set` of a route map entry, in words."""

    what: str
    args: tuple[str, ...]
    source: Source


@dataclass(frozen=True, slots=True)
class RouteMapEntry:
    """One entry of a route map; entries are tried by ascending sequence.

    `onward` says where to go on after a match: None stops, 0 is the next entry, any
    other number the entry with at least that sequence.
    """

    sequence: int
    permit: bool
    source: Source
    matches: tuple[Clause, ...] = ()
    sets: tuple[Clause, ...] = ()
    onward: int | None = None
    call: str | None = None


class KeyChain(NamedTuple):
    """Keys under a name: `mark` stands for all of them, so that chains can be compared."""

    mark: str
    source: Source
    strings: tuple[Source, ...] = ()
    """The lines that hold the keys' secrets, in order."""


@dataclass(frozen=True, slots=True)
class Policy:
    """All lists and route maps of one device, by name (and family for prefix filters)."""

    prefix_lists: dict[tuple[int, str], tuple[PrefixRule, ...]] = field(default_factory=dict)
    access_lists: dict[tuple[int, str], tuple[PrefixRule, ...]] = field(default_factory=dict)
    as_paths: dict[str, tuple[TextRule, ...]] = field(default_factory=dict)
    communities: dict[str, tuple[TextRule, ...]] = field(default_factory=dict)
    large_communities: dict[str, tuple[TextRule, ...]] = field(default_factory=dict)
    route_maps: dict[str, tuple[RouteMapEntry, ...]] = field(default_factory=dict)
    key_chains: dict[str, KeyChain] = field(default_factory=dict)
    """Name -> (fingerprint of its keys, where)."""
    into_table: dict[tuple[int, str], tuple[str, Source]] = field(default_factory=dict)
    """(family, protocol or `any`) -> the route map that its routes pass on their way into the
    table, and where that is said."""
    extended: dict[str, tuple[TextRule, ...]] = field(default_factory=dict)
    """Lists of extended communities (RFC 4360)."""

    def sources(self, family: int, name: str) -> tuple[Source, ...]:
        """The lines of whatever carries this name, for evidence."""
        for rules in (
            self.prefix_lists.get((family, name)),
            self.access_lists.get((family, name)),
        ):
            if rules:
                return tuple(rule.source for rule in rules)
        return tuple(entry.source for entry in self.route_maps.get(name, ()))


NO_POLICY = Policy()
