"""The ways in which a device can be bad. Each is a word in a fleet's list of faults."""

from __future__ import annotations

import random
from collections.abc import Iterator

FAULTS = {
    "silent": "nobody listens at its port",
    "hang": "it takes the question and never answers",
    "close": "it closes the connection in the middle of an answer",
    "garbage": "it answers with noise",
    "endless": "its answer never ends",
    "lie": "it answers something else than was asked",
    "refuse": "it refuses every login",
    "new-key": "it shows another key than before",
}


def noise(seed: int = 1) -> Iterator[bytes]:
    """Bytes that are no protocol, the same at every run."""
    source = random.Random(seed)
    while True:
        yield source.randbytes(1 << 14)
