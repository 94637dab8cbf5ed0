"""The queue in PostgreSQL as those see it who put work into it."""

from __future__ import annotations

from functools import cache

from django.db import DEFAULT_DB_ALIAS
from procrastinate import App
from procrastinate.contrib.django.django_connector import DjangoConnector
from procrastinate.manager import JobManager
from procrastinate.tasks import configure_task

QUEUE, COMPUTING = "gathering", "computing"


@cache
def _django() -> JobManager:
    """The queue over Django's own connection."""
    return App(connector=DjangoConnector(alias=DEFAULT_DB_ALIAS)).job_manager


def enqueue(task: str, queue: str, priority: int = 0, **arguments: int) -> None:
    """Puts work into a queue within the transaction that is open; of what waits, the highest
    priority is taken first.

    In a worker the application's own connector has connections of its own; a job put in over
    those could be taken up before the transaction that it rests on is there.
    """
    task_ = configure_task(name=task, job_manager=_django(), queue=queue, priority=priority)
    task_.defer(**arguments)
