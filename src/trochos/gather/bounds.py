"""How long and how much one device may take, so that it costs only itself."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable
from dataclasses import dataclass
from typing import TypeVar

from .problems import TimedOut, TooMuch

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Bounds:
    """Limits for one device: seconds and bytes."""

    connect: float = 10.0
    step: float = 30.0
    device: float = 180.0
    item_bytes: int = 32 << 20
    device_bytes: int = 64 << 20
    tries: int = 3
    backoff: float = 1.0
    """Seconds before the second try; each further one waits three times as long."""


class Budget:
    """What one device has used of its bounds."""

    def __init__(self, bounds: Bounds) -> None:
        self.bounds = bounds
        self.used = 0

    def take(self, count: int, item: int) -> None:
        """Counts bytes as they come in.

        Args:
            count: the bytes that just came.
            item: the bytes of this answer so far.

        Raises:
            TooMuch: the answer, or all of the device's together, are too long.
        """
        self.used += count
        if item > self.bounds.item_bytes or self.used > self.bounds.device_bytes:
            most = (
                self.bounds.item_bytes
                if item > self.bounds.item_bytes
                else (self.bounds.device_bytes)
            )
            raise TooMuch(f"It sent more than {_size(most)} and did not stop, so it was cut off.")


def _size(count: int) -> str:
    return f"{count >> 20} MB" if count >= 1 << 20 else f"{count >> 10} kB"


async def within(seconds: float, what: str, work: Awaitable[T]) -> T:
    """Waits for one step.

    Raises:
        TimedOut: it took too long; the sentence names the step.
    """
    try:
        return await asyncio.wait_for(work, seconds)
    except TimeoutError as error:
        raise TimedOut(f"{what} took longer than {seconds:g} s.") from error
