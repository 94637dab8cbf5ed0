"""The work that workers take from the queue in PostgreSQL."""

from __future__ import annotations

import asyncio
import contextlib

from asgiref.sync import sync_to_async
from procrastinate.contrib.django import app

from ...gather.collect import collect
from ...gather.credentials import Credential
from ...gather.problems import CredentialMissing
from . import errands, runs
from .allowed import admitting, networks
from .errands import stored_credential
from .queueing import ERRAND, PART, QUEUE, STORE

STALLED = 30
"""Seconds without a sign of life after which a worker's jobs are given to another."""
_TICK = 0.4


@app.task(queue=QUEUE, name=PART)
async def gather_part(part: int) -> None:
    """Gathers one device of a run."""
    target = await sync_to_async(runs.claim)(part)
    if target is None:
        return
    problem: CredentialMissing | None = None
    credential: Credential | None = None
    try:
        credential = await sync_to_async(stored_credential)(target.credential)
    except CredentialMissing as error:
        problem = error

    def known(_name: str) -> Credential:
        if credential is None:
            raise problem or CredentialMissing("The credential is not there.")
        return credential

    latest = ("connecting", 0, 1)

    def progress(what: str, done: int, of: int) -> None:
        nonlocal latest
        latest = (what, done, of)

    admit = admitting(await sync_to_async(networks)())
    work = asyncio.ensure_future(collect(target, known, None, progress, admit))
    told = None
    while not work.done():
        await asyncio.wait([work], timeout=_TICK)
        if not work.done() and latest != told:
            told = latest
            if not await sync_to_async(runs.tell)(part, *latest):
                work.cancel()
                with contextlib.suppress(asyncio.CancelledError):
                    await work
                return
    await sync_to_async(runs.take_in)(part, work.result())


@app.task(queue=QUEUE, name=STORE)
async def store_survey(gathering: int) -> None:
    """Stores the survey of a run."""
    await sync_to_async(runs.finish)(gathering)


@app.task(queue=QUEUE, name=ERRAND)
async def errand(errand: int) -> None:
    """Talks to one device for somebody who waits."""
    await sync_to_async(errands.perform, thread_sensitive=False)(errand)


# The sixth field is the seconds.
@app.periodic(cron="* * * * * */10")
@app.task(
    queue=QUEUE, name="gathering.rescue", queueing_lock="gathering.rescue", pass_context=False
)
async def rescue(timestamp: int) -> None:
    """Gives the jobs of workers that died to those that live."""
    stalled = await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED)
    for job in stalled:
        await app.job_manager.retry_job(job)
    await sync_to_async(runs.take_up)()
    await sync_to_async(errands.take_up)()


@app.periodic(cron="* * * * *")
@app.task(queue=QUEUE, name="gathering.due", queueing_lock="gathering.due")
async def begin_due(timestamp: int) -> None:
    """Begins the planned gathering when its time has come."""
    await sync_to_async(runs.due)()
