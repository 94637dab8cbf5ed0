"""What files of data hold, kept for the next copy of their survey: most stay as they are."""

from __future__ import annotations

from threading import Lock

from .located import parse_data
from .located_json import Node


class Parsed:
    """The trees of the files asked for last, up to a number of characters of text.

    A copy reads all files of each device that it changes, and where thirty faults are taken away
    one by one, these are the same hundred files again and again. Readers mark in a tree what they
    used; the same reader marks the same again.
    """

    def __init__(self, most: int) -> None:
        self._most, self._size = most, 0
        self._held: dict[tuple[str, str, str], Node] = {}
        self._lock = Lock()

    def __call__(self, device: str, name: str, text: str) -> Node:
        """The tree of a device's file. Raises what `parse_data` raises."""
        key = (device, name, text)
        with self._lock:
            node = self._held.pop(key, None)
            if node is not None:
                self._held[key] = node
                return node
        node = parse_data(text)  # others are not kept waiting meanwhile
        with self._lock:
            if key not in self._held:
                self._held[key] = node
                self._size += len(text)
            while self._size > self._most and len(self._held) > 1:
                oldest = next(iter(self._held))
                del self._held[oldest]
                self._size -= len(oldest[2])
        return node


parsed_again = Parsed(most=4_000_000)
"""For copies of surveys, of whichever survey. A file larger than all of it is kept alone."""
