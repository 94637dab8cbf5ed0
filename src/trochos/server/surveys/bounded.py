"""A bound of time for what cannot be asked in between whether it is still wanted.

A rehearsal or a comparison is one long computation. Instead of looking at a clock all over the
core, a timer has the thread that computes raise `TookTooLong` once the time is over: the
interpreter raises it at the thread's next step. What was being computed is dropped whole.
"""

from __future__ import annotations

import ctypes
import threading
from types import TracebackType


class TookTooLong(BaseException):
    """The time is over. No `Exception`: a guard that carries on after one must not swallow it."""


class Bounded:
    """`with Bounded(seconds):` raises `TookTooLong` inside once they are over; never afterwards."""

    def __init__(self, seconds: float) -> None:
        self._lock = threading.Lock()
        self._over = False
        self._timer = threading.Timer(seconds, self._end)
        self._timer.daemon = True

    def __enter__(self) -> None:
        self._thread = threading.get_ident()
        self._timer.start()

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        at: TracebackType | None,
    ) -> None:
        with self._lock:
            self._over = True
        self._timer.cancel()

    def _end(self) -> None:
        with self._lock:
            if not self._over:
                ctypes.pythonapi.PyThreadState_SetAsyncExc(
                    ctypes.c_ulong(self._thread), ctypes.py_object(TookTooLong)
                )
