"""Reading containers of OpenConfig: settings stand in a `config` below, with their sources."""

from __future__ import annotations

from collections.abc import Callable

from ...network.addressing import parse_address
from ...network.routing import Flag, Number, Word
from ...network.source import Source
from ..located_json import Node

SourceOf = Callable[[Node, str], Source]
"""Gives the source of a node at a path."""


def bare(name: str) -> str:
    """A name or identity without the module in front (RFC 7951, sections 4 and 6.8)."""
    return name.rpartition(":")[2]


def member(node: Node, name: str) -> tuple[str, Node] | None:
    """The member called `name`, with or without its module in front, under its full name."""
    held = node.peek(name)
    if held is not None:
        return name, held
    for key, child in node.members().items():
        if bare(key) == name:
            return key, child
    return None


class Held:
    """A container or a list's entry: its settings are the leaves of its `config`."""

    __slots__ = ("config", "node", "path", "source_of")

    def __init__(self, node: Node, path: str, source_of: SourceOf) -> None:
        self.node, self.path, self.source_of = node, path, source_of
        found = member(node, "config")
        self.config: Held | None = None
        if found is not None:
            key, inner = found
            self.config = Held(inner, f"{path}/{key}", source_of)

    def inner(self, *names: str) -> Held | None:
        """The container below that these names lead to, one after the other."""
        here: Held | None = self
        for name in names:
            found = member(here.node, name) if here is not None else None
            if found is None or here is None:
                return None
            found[1].seen = 1
            here = Held(found[1], f"{here.path}/{found[0]}", self.source_of)
        return here

    def entries(self, name: str, *keys: str) -> list[tuple[tuple[str, ...], Held]]:
        """The entries of a list, each with the texts of its keys."""
        found = member(self.node, name)
        out: list[tuple[tuple[str, ...], Held]] = []
        for entry in found[1].elements() if found is not None else []:
            texts, path = [], f"{self.path}/{found[0] if found else name}"
            for key in keys:
                inner = member(entry, key)
                below = member(entry, "config")
                if inner is None and below is not None:
                    inner = member(below[1], key)
                value = "" if inner is None else str(inner[1].value)
                if inner is not None:
                    inner[1].seen = 1
                    path += f"[{inner[0]}='{value}']"
                texts.append(value)
                mirrored = member(below[1], key) if below is not None else None
                if mirrored is not None:
                    mirrored[1].seen = 1
            out.append((tuple(texts), Held(entry, path, self.source_of)))
        return out

    # -- settings --------------------------------------------------------------------

    def _leaf(self, name: str) -> tuple[Node, str, Node] | None:
        """(container, key, leaf): in `config`, or here where this is one itself."""
        here = self.config if self.config is not None else self
        found = member(here.node, name)
        return None if found is None else (here.node, found[0], found[1])

    def _at(self, key: str) -> str:
        here = self.config if self.config is not None else self
        return f"{here.path}/{key}"

    def source(self, name: str | None = None) -> Source:
        """Where a setting (or the container) stands."""
        found = self._leaf(name) if name is not None else None
        if found is None:
            return self.source_of(self.node, self.path)
        return self.source_of(found[2], self._at(found[1]))

    def number(self, name: str) -> Number | None:
        found = self._leaf(name)
        value = found[0].integer(found[1]) if found is not None else None
        return None if value is None else Number(value, self.source(name))

    def word(self, name: str) -> Word | None:
        found = self._leaf(name)
        if found is None or isinstance(found[2].value, dict | list | bool):
            return None
        found[2].seen = 1
        return Word(str(found[2].value), self.source(name))

    def identity(self, name: str) -> Word | None:
        """An identity or a word of an enumeration, without the module in front."""
        word = self.word(name)
        return None if word is None else Word(bare(word.value), word.source)

    def flag(self, name: str) -> Flag | None:
        found = self._leaf(name)
        value = found[0].boolean(found[1]) if found is not None else None
        return None if value is None else Flag(value, self.source(name))

    def words(self, name: str) -> list[Word]:
        """A leaf-list."""
        found = self._leaf(name)
        out = []
        for number, item in enumerate(found[2].elements() if found is not None else []):
            if not isinstance(item.value, dict | list):
                item.seen = 1
                where = self.source_of(item, f"{self._at(found[1] if found else name)}/{number}")
                out.append(Word(str(item.value), where))
        return out

    def router_id(self, name: str) -> Number | None:
        word = self.word(name)
        address = parse_address(word.value) if word is not None else None
        return Number(address.value, word.source) if word and address else None

    def ignore(self, *names: str) -> None:
        """Marks members of this container or of its `config` as known and irrelevant."""
        for holder in (self.node, self.config.node if self.config is not None else None):
            for name in names if holder is not None else ():
                found = member(holder, name)  # type: ignore[arg-type]
                if found is not None:
                    found[1].ignore_all()


def place(held: Held, names: dict[tuple[str, int], str], key: str) -> str:
    """The interface that an entry speaks of: its `interface-ref`, else what its key says."""
    ref = held.inner("interface-ref")
    named = ref.word("interface") if ref is not None else None
    if ref is not None and named is not None:
        below = ref.number("subinterface")
        return names.get((named.value, below.value if below is not None else 0), named.value)
    if any(name == key for name in names.values()):
        return key
    head, dot, tail = key.rpartition(".")
    if dot and tail.isdigit():
        return names.get((head, int(tail)), head if tail == "0" else key)
    return key
