"""The work of gathering as those see it who put it into the queue."""

from __future__ import annotations

from .. import queueing
from ..queueing import QUEUE

PART, STORE = "gathering.part", "gathering.store"


def enqueue(task: str, **arguments: int) -> None:
    """Puts work into the queue of gathering within the transaction that is open."""
    queueing.enqueue(task, QUEUE, **arguments)


__all__ = ["PART", "QUEUE", "STORE", "enqueue"]
