"""Many devices at once, with a limit; each costs only itself."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Iterable

from .bounds import Bounds
from .collect import Outcome, collect
from .credentials import Credential
from .inventory import Target

AT_ONCE = 24
"""How many devices are talked to at a time."""

Told = Callable[[Target, str, int, int], None]
"""Told of a device's step: what, how many are done, of how many."""


async def gather_all(
    targets: Iterable[Target],
    credential: Callable[[str], Credential],
    bounds: Bounds | None = None,
    at_once: int = AT_ONCE,
    told: Told = lambda target, what, done, of: None,
    finished: Callable[[Outcome], None] = lambda outcome: None,
) -> list[Outcome]:
    """The outcomes in the order of the targets. Cancelling stops all that are under way."""
    gate = asyncio.Semaphore(at_once)

    async def one(target: Target) -> Outcome:
        async with gate:
            outcome = await collect(
                target, credential, bounds, lambda what, done, of: told(target, what, done, of)
            )
        finished(outcome)
        return outcome

    async with asyncio.TaskGroup() as group:
        tasks = [group.create_task(one(target)) for target in targets]
    return [task.result() for task in tasks]
