"""What raises where nobody expected it costs only itself: a file, a device, a check, a remedy.

The trace goes to the log under this module's name; what is said instead is up to the caller.
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import TypeVar

log = logging.getLogger(__name__)
T = TypeVar("T")


def guarded(what: str, call: Callable[[], T], otherwise: Callable[[str], T]) -> T:
    """What `call` gives, or what `otherwise` makes of the name of its exception.

    Memory that has run out is nobody's fault here, and is raised on.
    """
    try:
        return call()
    except MemoryError:
        raise
    except Exception as error:
        log.exception("%s broke", what)
        return otherwise(type(error).__name__)
