"""The work of gathering as those see it who put it into the queue."""

from __future__ import annotations

from .. import queueing
from ..queueing import QUEUE

PART, STORE, ERRAND = "gathering.part", "gathering.store", "gathering.errand"
_URGENT = {ERRAND: 10}
"""Somebody waits for these."""


def enqueue(task: str, **arguments: int) -> None:
    """Puts work into the queue of gathering within the transaction that is open."""
    queueing.enqueue(task, QUEUE, _URGENT.get(task, 0), **arguments)


__all__ = ["ERRAND", "PART", "QUEUE", "STORE", "enqueue"]
