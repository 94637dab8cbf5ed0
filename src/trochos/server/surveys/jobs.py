"""Diagnoses that run beside the requests that ask for them, with progress.

The same question on the same survey is computed once and kept. A diagnosis that takes long
is stopped with the best answer so far.
"""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from concurrent.futures import Future, ThreadPoolExecutor, wait
from dataclasses import dataclass, field

from ...core.diagnosis.causes import TRIALS, Diagnosis
from ...core.forwarding.path import Traffic
from ...core.survey import Computed

KEPT = 16
"""A diagnosis holds the networks that it compared, so few are kept."""
SECONDS = 60.0
Key = tuple[int, str, str, Traffic]


@dataclass
class Job:
    """One diagnosis under way or done."""

    future: Future[Diagnosis] = field(default_factory=Future)
    tried: int = 0
    of: int = TRIALS
    what: str = ""

    def answer(self) -> Diagnosis | None:
        """The diagnosis, or None while it runs. What it raised is raised again."""
        return self.future.result() if self.future.done() else None


_jobs: OrderedDict[Key, Job] = OrderedDict()
_lock = threading.Lock()
_pool = ThreadPoolExecutor(2, "diagnosis")


def diagnosis(
    survey: int, computed: Computed, sender: str, receiver: str, traffic: Traffic, seconds: float
) -> Job:
    """The job for a question; it is begun if nobody asked before.

    Args:
        survey: the stored survey's id.
        computed: the survey.
        sender, receiver, traffic: the complaint.
        seconds: how long to wait for the answer before returning.
    """
    key = survey, sender, receiver, traffic
    with _lock:
        job = _jobs.get(key)
        if job is None:
            job = _jobs[key] = Job()
            while len(_jobs) > KEPT:
                _jobs.popitem(last=False)
            job.future = _pool.submit(_run, job, computed, sender, receiver, traffic)
    wait([job.future], seconds)
    return job


def forget(survey: int) -> None:
    """Drops the answers about a survey, as after a correction of it."""
    with _lock:
        for key in [key for key in _jobs if key[0] == survey]:
            del _jobs[key]


def _run(job: Job, computed: Computed, sender: str, receiver: str, traffic: Traffic) -> Diagnosis:
    started = time.monotonic()

    def progress(tried: int, of: int, what: str) -> bool:
        job.tried, job.of, job.what = tried, of, what
        return time.monotonic() - started < SECONDS

    return computed.diagnose(sender, receiver, traffic, progress)
