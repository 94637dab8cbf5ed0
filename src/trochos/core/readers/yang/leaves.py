"""Reading single values with their sources, so that each model's reader stays a list of names."""

from __future__ import annotations

from collections.abc import Callable

from ...network.addressing import parse_address
from ...network.routing import DefaultRoute, Flag, Number, Redistribution, Word
from ...network.source import Source
from ..located_json import Node

SourceOf = Callable[[Node, str], Source]
"""Gives the source of a node at a path."""


class Leaves:
    """One container of YANG data: its members as settings with sources."""

    def __init__(self, node: Node, path: str, source_of: SourceOf) -> None:
        self.node, self.path, self.source_of = node, path, source_of

    def inner(self, name: str, path: str | None = None) -> Leaves | None:
        """A container below."""
        found = self.node.get(name)
        where = path or f"{self.path}/{name}"
        return None if found is None else Leaves(found, where, self.source_of)

    def entries(self, name: str, key: str) -> list[tuple[str, Leaves]]:
        """The entries of a list, each with the text of its key."""
        out = []
        for entry in self.node.items(name):
            held = entry.get(key)
            text = "" if held is None else str(held.value)
            path = f"{self.path}/{name}[{key}='{text}']"
            out.append((text, Leaves(entry, path, self.source_of)))
        return out

    def source(self, name: str | None = None) -> Source:
        """Where a member (or the container) stands."""
        node = self.node if name is None else (self.node.peek(name) or self.node)
        return self.source_of(node, self.path if name is None else f"{self.path}/{name}")

    def number(self, name: str) -> Number | None:
        value = self.node.integer(name)
        return None if value is None else Number(value, self.source(name))

    def word(self, name: str) -> Word | None:
        value = self.node.text(name)
        return None if value is None else Word(value, self.source(name))

    def identity(self, name: str) -> Word | None:
        """An identityref without the module in front."""
        word = self.word(name)
        return None if word is None else Word(word.value.rpartition(":")[2], word.source)

    def flag(self, name: str) -> Flag | None:
        value = self.node.boolean(name)
        return None if value is None else Flag(value, self.source(name))

    def present(self, name: str) -> Flag | None:
        """A leaf of type empty (RFC 7951, 6.9), or a container whose presence counts."""
        node = self.node.get(name)
        if node is None:
            return None
        node.use_all()
        return Flag(True, self.source(name))

    def router_id(self, name: str) -> Number | None:
        word = self.word(name)
        address = parse_address(word.value) if word is not None else None
        return Number(address.value, word.source) if word and address else None

    def ignore(self, *names: str) -> None:
        self.node.ignore(*names)


def redistributions(held: Leaves) -> tuple[Redistribution, ...]:
    """The list `trochos-policy:redistribution` that our modules and augmentations share."""
    out = []
    for name in ("trochos-policy:redistribution", "redistribution"):
        for protocol, entry in held.entries(name, "protocol"):
            metric, kind = entry.number("metric"), entry.number("metric-type")
            policy, tag = entry.word("policy"), entry.number("tag")
            out.append(
                Redistribution(
                    protocol.rpartition(":")[2],
                    entry.source("protocol"),
                    metric.value if metric else None,
                    kind.value if kind else None,
                    policy.value if policy else None,
                    tag.value if tag else None,
                )
            )
    return tuple(out)


def default_route(held: Leaves) -> DefaultRoute | None:
    """The container `trochos-policy:default-route`."""
    entry = held.inner("trochos-policy:default-route") or held.inner("default-route")
    if entry is None:
        return None
    always = entry.flag("always")
    metric, kind, policy = (
        entry.number("metric"),
        entry.number("metric-type"),
        entry.word("policy"),
    )
    return DefaultRoute(
        entry.source("always" if always else None),
        bool(always and always.value),
        metric.value if metric else None,
        kind.value if kind else None,
        policy.value if policy else None,
    )
