"""The processors of this machine: many computations of one kind at once."""

from __future__ import annotations

import gc
import logging
import multiprocessing
import os
import signal
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from typing import Any, TypeVar

T = TypeVar("T")
R = TypeVar("R")

log = logging.getLogger(__name__)
_FEW = 4
"""So many computations per processor are worth their processes."""
_shared: Callable[[Any], Any]


def on_all_cores(function: Callable[[T], R], items: list[T]) -> Iterator[R]:
    """`map`, on all processors that this process may use: results come in order, each as soon as
    it is there. What is not asked for any more is given up, and what a process that was killed
    left is computed here.

    Children are forked, so that `function` may hold anything; what it gives is pickled. For
    processes with one thread: a lock that another thread holds would be held in them for ever.
    """
    global _shared
    cores = len(os.sched_getaffinity(0))
    if cores < 2 or len(items) < _FEW * cores:
        yield from map(function, items)
        return
    yield function(items[0])  # what is computed once for all is there before there are several
    _shared = function
    gc.collect()
    gc.freeze()  # what nobody looks through is not copied
    done = 1
    pool = ProcessPoolExecutor(cores, multiprocessing.get_context("fork"), _quiet)
    try:
        for found in pool.map(_call, items[1:]):
            yield found
            done += 1
    except BrokenProcessPool:
        # One was killed, most likely because memory ran out for so many.
        log.warning("a process ended at its work: the rest is computed on one processor")
        yield from map(function, items[done:])
    finally:
        pool.shutdown(wait=False, cancel_futures=True)
        gc.unfreeze()


def _quiet() -> None:
    """One message of whoever stops a program is enough."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)


def _call(item: Any) -> Any:
    return _shared(item)
