"""The work that computing workers take from the queue in PostgreSQL."""

from __future__ import annotations

from procrastinate.contrib.django import app

from ..queueing import COMPUTING
from . import jobs


@app.task(queue=COMPUTING, name=jobs.TASK)
def answer(answer: int) -> None:
    """Computes one answer."""
    jobs.perform(answer)
