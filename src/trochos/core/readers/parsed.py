"""What files of data hold, kept for the next copy of their survey: most stay as they are."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from threading import Lock

from .collected import Parser
from .located import parse_data
from .located_json import UNSEEN, Node

_Key = tuple[str, str, str]


class Parsed:
    """The trees of the files read last, up to a number of characters of text.

    A copy reads all files of each device that it changes, and where thirty faults are taken away
    one by one, these are the same hundred files again and again. Readers mark in a tree what they
    used, so a tree is lent to one reading at a time, and bears no marks when it is lent again.
    """

    def __init__(self, most: int) -> None:
        self._most, self._size = most, 0
        self._held: dict[_Key, Node] = {}
        self._lock = Lock()

    @contextmanager
    def lent(self) -> Iterator[Parser]:
        """What parses for one reading of files: called with device, file and text, it gives the
        tree, and raises what `parse_data` raises. The trees are the reading's own until it ends."""
        out: dict[_Key, Node] = {}

        def parse(device: str, name: str, text: str) -> Node:
            key = (device, name, text)
            node = self._taken(key) or parse_data(text)
            out[key] = node
            return node

        try:
            yield parse
        finally:
            for key, node in out.items():
                self._put(key, node)

    def _taken(self, key: _Key) -> Node | None:
        with self._lock:
            node = self._held.pop(key, None)
            if node is None:
                return None
            self._size -= len(key[2])
        for inner in node.walk():
            inner.seen = UNSEEN
        return node

    def _put(self, key: _Key, node: Node) -> None:
        with self._lock:
            if key not in self._held:
                self._held[key] = node
                self._size += len(key[2])
            while self._size > self._most and len(self._held) > 1:
                oldest = next(iter(self._held))
                del self._held[oldest]
                self._size -= len(oldest[2])


parsed_again = Parsed(most=4_000_000)
"""For copies of surveys, of whichever survey. A file larger than all of it is kept alone."""
