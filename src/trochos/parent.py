"""Processes that end with the one that started them."""

from __future__ import annotations

import contextlib
import ctypes
import os
import signal
import sys

PARENT = "TROCHOS_PARENT"
"""The variable that holds the number of the process with which one ends."""


def end_with_parent() -> None:
    """Has this process be ended with the one that started it, also if that is killed (prctl(2)).

    A process that is not started by another one of this installation goes on by itself.
    """
    parent = os.environ.pop(PARENT, "")
    if not parent:
        return
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).prctl(1, signal.SIGTERM)
    if os.getppid() != int(parent):  # it ended before it was asked for
        sys.exit(0)
