"""What reads one routing protocol out of YANG data."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from ...network.routing import Number, Process
from ...network.source import Source
from .leaves import Leaves


class Model(NamedTuple):
    """A protocol's own data model, below `control-plane-protocol` (RFC 8349, section 5.3)."""

    protocol: str
    """The protocol's word in documents."""
    module: str
    container: str
    read: Callable[[Leaves, Source, Number | None], Process | tuple[Process, ...]]
    """(the container, where it stands, the device's router id) -> the process, or one of each
    family."""
