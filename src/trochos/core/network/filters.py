"""Packet filters as facts: chains of entries that permit, drop or refuse.

One shape holds the chains of Linux' nftables and the access lists of RFC 8519: a chain is met
at a hook, perhaps on one interface only, and its entries are tried in order.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from .addressing import Prefix
from .source import Source
from .translation import Rewrite

ACCEPT, DROP, REJECT = "accept", "drop", "reject"
TRANSLATE = "translate"
"""Addresses are rewritten, which ends the chain for the connection."""
JUMP, GOTO, RETURN, CONTINUE = "jump", "goto", "return", "continue"
UNKNOWN = "unknown"
"""What an entry or the end of a chain does is not understood, or left open by its standard."""
TERMINAL = frozenset((ACCEPT, DROP, REJECT))

INPUT, FORWARD, OUTPUT = "input", "forward", "output"
PREROUTING, POSTROUTING = "prerouting", "postrouting"
INGRESS, EGRESS = "ingress", "egress"

Range = tuple[int, int]


ALL_BITS = 0xFFFFFFFF

PACKET, CONNECTION = "packet", "connection"
"""What carries a mark: a packet while it is in one device, or a connection that it tracks."""


class Marking(NamedTuple):
    """A mark that an entry sets: the mark of `base`, of which `keep` is left and `flip` turned
    over (as a kernel computes it: and, then exclusive or)."""

    of: str
    base: str
    keep: int
    flip: int


class Match(NamedTuple):
    """One condition of an entry: `key` is what is looked at, and one of `values` must fit.

    Keys: `source`, `target` (Prefix), `source-port`, `target-port` (ranges), `protocol`,
    `family`, `in`, `out`, `icmp-type`, `state`, `status` (words; an interface's word may end
    in `*`), `mark` and `connection-mark` (ranges of numbers, of what `mask` leaves).
    A condition that is not understood has the key `unknown`, and its text as value. A
    protocol in front (`tcp target-port`) says that the condition is about its packets only,
    negated or not, as addresses are about packets of their own family.
    """

    key: str
    values: tuple[Prefix | Range | str, ...]
    negated: bool = False
    mask: int = ALL_BITS


class Entry(NamedTuple):
    """One entry of a chain: when all conditions hold, the verdict counts."""

    source: Source
    verdict: str
    matches: tuple[Match, ...] = ()
    chain: str = ""
    """Where `jump` and `goto` lead."""
    name: str = ""
    rewrite: Rewrite | None = None
    """What `translate` puts in place."""
    markings: tuple[Marking, ...] = ()
    """The marks that it sets, in order, when all conditions hold."""


@dataclass(frozen=True, slots=True)
class Chain:
    """A list of entries. Without a `hook` it is only met through a jump.

    `policy` is what happens to packets that no entry decides about.
    """

    name: str
    source: Source
    entries: tuple[Entry, ...] = ()
    hook: str | None = None
    families: tuple[int, ...] = (4, 6)
    priority: int = 0
    policy: str = ACCEPT
    interface: str | None = None
    """For an access list: the interface that it is attached to."""
    reroutes: bool = False
    """True if what the device sends itself is routed anew when the chain has changed its mark."""


class Socket(NamedTuple):
    """Somebody listens: `address` None means on every address of `family`."""

    protocol: str
    address: str | None
    port: int
    source: Source
    families: tuple[int, ...] = (4, 6)


class HostName(NamedTuple):
    """A line of a hosts file."""

    name: str
    address: str
    source: Source


class ReversePath(NamedTuple):
    """A reverse-path check (RFC 3704): strict if the way back must leave where it came in."""

    interface: str | None
    mode: str
    """`off`, `strict` or `loose`."""
    source: Source


@dataclass(frozen=True, slots=True)
class Services:
    """What a host says of names and sockets; None where nothing was gathered."""

    sockets: tuple[Socket, ...] | None = None
    names: tuple[HostName, ...] | None = None
    resolvers: tuple[tuple[str, Source], ...] | None = None
    search: tuple[str, ...] = ()


NO_SERVICES = Services()
