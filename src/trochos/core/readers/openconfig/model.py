"""What reads one routing protocol out of OpenConfig data."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import NamedTuple

from ...network.facts import Unmodelled
from ...network.routing import Number, Process, Redistribution
from ..drafts import ConfigDraft
from ..located_json import UNSEEN
from .held import Held
from .policy import Policies


class Connection(NamedTuple):
    """One of the connections between tables: what is announced of `what` in one family."""

    family: int
    what: Redistribution
    levels: tuple[int, ...] = ()
    """The levels that its policies put the routes into, where they say so."""


@dataclass(slots=True)
class Around:
    """What a protocol's reader needs of its instance and device."""

    names: dict[tuple[str, int], str]
    """(interface, subinterface) -> the name it has here."""
    policies: Policies
    identity: Number | None
    """The instance's router id."""
    told: tuple[Connection, ...]
    """What its instance connects to this protocol."""
    draft: ConfigDraft


class Model(NamedTuple):
    """A protocol's container below `network-instance/protocols/protocol`."""

    protocol: str
    """The protocol's word in documents."""
    container: str
    read: Callable[[Held, Around], tuple[Process, ...]]


def unused(held: Held, what: str) -> Iterator[Unmodelled]:
    """What a protocol's reader did not use makes its answers uncertain."""
    for path, node in held.node.leaves():
        if node.seen == UNSEEN and node.value not in ({}, []):
            where = held.source_of(node, f"{held.path}{path}")
            yield Unmodelled(where, f"{path[1:]} of {what} is not computed", told=True)
