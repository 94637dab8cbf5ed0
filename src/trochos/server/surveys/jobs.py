"""Long answers that are computed beside the requests that ask for them, with progress.

The same question on the same survey is computed once and kept. One that takes long is stopped
with the best answer so far.
"""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from dataclasses import dataclass, field
from typing import Any, Generic, TypeVar

from ...core.diagnosis.causes import TRIALS, Diagnosis
from ...core.forwarding.path import Traffic
from ...core.survey import Computed
from ...core.whole.desk import Desk
from ...core.whole.questions import Watch
from ...core.whole.since import Since
from ...core.whole.unknowns import Unknowns

KEPT = 16
"""A diagnosis holds the networks that it compared, so few are kept."""
SECONDS = 60.0
Key = tuple[object, ...]
"""The survey's id, then what is asked of it."""
Answer = TypeVar("Answer")


@dataclass
class Job(Generic[Answer]):
    """One answer under way or done."""

    future: Future[Answer] = field(default_factory=Future)
    tried: int = 0
    of: int = TRIALS
    what: str = ""

    def answer(self) -> Answer | None:
        """The answer, or None while it runs. What it raised is raised again."""
        return self.future.result() if self.future.done() else None


_jobs: OrderedDict[Key, Job[Any]] = OrderedDict()
_lock = threading.Lock()
_pool = ThreadPoolExecutor(2, "long-answer")


def diagnosis(
    survey: int, computed: Computed, sender: str, receiver: str, traffic: Traffic, seconds: float
) -> Job[Diagnosis]:
    """The job for a complaint; it is begun if nobody asked before.

    Args:
        survey: the stored survey's id.
        computed: the survey.
        sender, receiver, traffic: the complaint.
        seconds: how long to wait for the answer before returning.
    """
    key = survey, sender, receiver, traffic
    return _job(key, lambda watch: computed.diagnose(sender, receiver, traffic, watch), seconds)


def desk(
    survey: int,
    computed: Computed,
    before: tuple[int, Callable[[], Computed]] | None,
    seconds: float,
) -> Job[Desk]:
    """The job for what fails in a survey, and what turned since the one before."""
    key = survey, "desk", before[0] if before is not None else None

    def work(watch: Watch) -> Desk:
        return computed.desk(before[1]() if before is not None else None, watch)

    return _job(key, work, seconds)


def since(
    survey: int,
    computed: Computed,
    question: tuple[str, str, Traffic],
    worked: tuple[int, Callable[[], Computed]],
    seconds: float,
) -> Job[Since]:
    """The job for which differences to an older survey broke a complaint."""
    sender, receiver, traffic = question
    key = survey, "since", worked[0], *question

    def work(watch: Watch) -> Since:
        return computed.since(sender, receiver, worked[1](), traffic, watch)

    return _job(key, work, seconds)


def unknowns(survey: int, computed: Computed, seconds: float) -> Job[Unknowns]:
    """The job for what was not read and what hangs on it."""
    return _job((survey, "unknowns"), computed.unknowns, seconds)


def _job(key: Key, work: Callable[[Watch], Answer], seconds: float) -> Job[Answer]:
    with _lock:
        job: Job[Answer] | None = _jobs.get(key)
        if job is None:
            job = _jobs[key] = Job()
            # What runs is not forgotten, or it would be begun again.
            for old in [k for k, held in _jobs.items() if held.future.done()][: -KEPT or None]:
                del _jobs[old]
            job.future = _pool.submit(_run, job, work)
    wait([job.future], seconds)
    return job


def forget(survey: int) -> None:
    """Drops the answers about a survey, as after a correction of it."""
    with _lock:
        for key in [key for key in _jobs if key[0] == survey]:
            del _jobs[key]


def _run(job: Job[Answer], work: Callable[[Watch], Answer]) -> Answer:
    started = time.monotonic()

    def watch(tried: int, of: int, what: str) -> bool:
        job.tried, job.of, job.what = tried, of, what
        return time.monotonic() - started < SECONDS

    return work(watch)
