"""The work that computing workers take from the queue in PostgreSQL."""

from __future__ import annotations

from procrastinate.contrib.django import app

from ..queueing import COMPUTING
from . import incoming as uploads
from . import jobs


@app.task(queue=COMPUTING, name=jobs.TASK)
def answer(answer: int) -> None:
    """Computes one answer."""
    jobs.perform(answer)


@app.task(queue=COMPUTING, name=uploads.TASK)
def incoming(incoming: int) -> None:
    """Reads and stores one upload."""
    uploads.perform(incoming)
