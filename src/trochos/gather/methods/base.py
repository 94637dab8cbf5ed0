"""What every method has: it fetches items, one by one, and says what became of each."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from typing import Protocol

from ..bounds import Budget
from ..credentials import Credential
from ..inventory import Target


@dataclass(slots=True)
class Gathered:
    """What one device gave: texts by file name, what it does not have, what failed."""

    files: dict[str, str] = field(default_factory=dict)
    absent: list[str] = field(default_factory=list)
    """What the device said it does not have; that is an answer."""
    missing: dict[str, str] = field(default_factory=dict)
    """What should have come and did not, each with a sentence."""


Progress = Callable[[str, int, int], None]
"""Told what is being fetched, how many items are done, and of how many."""


class Method(Protocol):
    """One protocol. Raises `Problem`; items that may be missing are noted in the answer."""

    def __call__(
        self, target: Target, credential: Credential, budget: Budget, progress: Progress
    ) -> Awaitable[Gathered]: ...
