"""A bound for what cannot be asked in between whether it may go on.

A rehearsal or a comparison is one long computation. Instead of looking at a clock all over the
core, a thread beside it has the thread that computes raise `TookTooLong` once the time is over,
or `Stopped` once nobody wants it any more: the interpreter raises it at the thread's next step.
What was being computed is dropped whole.
"""

from __future__ import annotations

import ctypes
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from types import TracebackType

from django.db import DatabaseError, connection

_LOOK = 0.5


class TookTooLong(BaseException):
    """The time is over. No `Exception`: a guard that carries on after one must not swallow it."""


class Stopped(BaseException):
    """Somebody stopped it."""


class Bounded:
    """`with Bounded(seconds):` raises inside once they are over; never afterwards.

    Args:
        seconds: how long it may take.
        wanted: asked twice a second, in a thread of its own, whether it is still wanted.
    """

    def __init__(self, seconds: float, wanted: Callable[[], bool] | None = None) -> None:
        self._seconds, self._wanted = seconds, wanted
        self._lock, self._over = threading.Lock(), threading.Event()
        self._beside = threading.Thread(target=self._look, daemon=True)

    def __enter__(self) -> None:
        self._thread = threading.get_ident()
        self._beside.start()

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        at: TracebackType | None,
    ) -> None:
        with self._lock:
            self._over.set()

    def _look(self) -> None:
        end = time.monotonic() + self._seconds
        try:
            while (left := end - time.monotonic()) > 0:
                if self._over.wait(min(left, _LOOK)):
                    return
                with suppress(DatabaseError):
                    if self._wanted is not None and not self._wanted():
                        self._raise(Stopped)
                        return
            self._raise(TookTooLong)
        finally:
            if self._wanted is not None:
                connection.close()

    def _raise(self, error: type[BaseException]) -> None:
        with self._lock:
            if not self._over.is_set():
                self._over.set()
                ctypes.pythonapi.PyThreadState_SetAsyncExc(
                    ctypes.c_ulong(self._thread), ctypes.py_object(error)
                )
