"""What reads one routing protocol out of an FRR text: its section, and its lines elsewhere."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from typing import ClassVar, NamedTuple

from ...network.routing import Process
from ...network.source import Source
from .fate import Fate


class SectionReader(ABC):
    """One protocol of one text, as its lines come by."""

    word: str
    """What opens its section, after `router`."""
    name: str
    """What people call it."""
    touches: int | None = None
    """The family whose answers a line that is not understood makes uncertain; None: both."""
    says_word: ClassVar[bool] = False
    """True if lines of its section begin with its word."""

    @abstractmethod
    def open(self, words: list[str], source: Source) -> Fate:
        """The line that opens the section, after its word."""

    @abstractmethod
    def line(self, words: list[str], source: Source, negated: bool) -> Fate:
        """A line of the section."""

    def claims(self, words: list[str]) -> list[str] | None:
        """What of an interface's line is for `interface_line`, if the line is this protocol's."""
        if len(words) > 2 and words[0] in ("ip", "ipv6") and words[1] == self.word:
            return words[2:]
        return None

    def top_line(self, words: list[str], source: Source, negated: bool) -> Fate | None:
        """A line outside of all sections that begins with its word, without that; None if it is
        somebody else's."""
        return None

    def interface_line(self, name: str, words: list[str], source: Source, negated: bool) -> Fate:
        """A line of an interface, as far as `claims` gave it."""
        return "it is not computed"

    @property
    @abstractmethod
    def runs(self) -> bool:
        """True if its section was opened."""

    @abstractmethod
    def finish(self) -> Sequence[Process]:
        """The processes that were read."""


class TextRow(NamedTuple):
    """How a protocol is read from FRR's texts, and what FRR does otherwise than its standard."""

    readers: Callable[[], Sequence[SectionReader]]
    habits: object
    slots: tuple[str, ...] = ()
    """What lines of an interface set: two that match one with the same words cannot stand
    together, the later replaces the earlier."""
