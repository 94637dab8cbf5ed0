"""What a ping shows, from the ways in which its two legs can end."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..step.verdicts import BIT, WORST_FIRST

NO, PARTLY, YES, UNSURE = 0, 1, 2, 3

Bits = NDArray[np.uint32]

_DELIVERED = np.uint32(BIT["delivered"])
_UNKNOWN = np.uint32(BIT["unknown"])
_REST = np.uint32(sum(BIT.values())) & ~(_DELIVERED | _UNKNOWN)


def _states(outbound: Bits, back: Bits) -> NDArray[np.int8]:
    """What a ping shows, from the ways both legs can end."""
    both = outbound | back
    some = (outbound & _DELIVERED != 0) & (back & _DELIVERED != 0)
    rest = both & ~(_DELIVERED | _UNKNOWN)
    pure = some & (both == _DELIVERED)
    # A leg that surely fails decides, whatever else is not known.
    fails = (outbound & (_DELIVERED | _UNKNOWN) == 0) | (back & (_DELIVERED | _UNKNOWN) == 0)
    state = np.full(outbound.shape, NO, dtype=np.int8)
    state[some & (rest != 0)] = PARTLY
    state[some & (rest == 0) & ~pure] = UNSURE
    state[~some & ~fails] = UNSURE
    state[pure] = YES
    return state


ONLY_UNKNOWN = 2


def code_of(bits: Bits) -> NDArray[np.uint8]:
    """What matters of sets of ends for a ping: 1 it may arrive, 2 it is not known, 4 it may end in
    another way. Codes of several ways are joined as sets are."""
    found: NDArray[np.uint8] = (bits & _DELIVERED != 0).astype(np.uint8)
    found |= (bits & _UNKNOWN != 0).astype(np.uint8) << 1
    found |= (bits & _REST != 0).astype(np.uint8) << 2
    return found


def worst_of(bits: Bits) -> NDArray[np.int64]:
    """The rank of the verdict that speaks for sets of ends; one more than all ranks for the empty
    set."""
    lowest = np.where(bits == 0, np.int64(1 << len(WORST_FIRST)), bits & -bits.astype(np.int64))
    return np.frexp(lowest)[1].astype(np.int64) - 1


_OF_CODE = np.array(
    [
        (_DELIVERED if code & 1 else 0) | (_UNKNOWN if code & 2 else 0) | (code >> 2)
        for code in range(8)
    ],
    dtype=np.uint32,
)
PING = _states(np.repeat(_OF_CODE, 8), np.tile(_OF_CODE, 8)).reshape(8, 8)
"""What a ping shows, by the codes of the way out and of the return."""
PING_UNSURE = PING.copy()
PING_UNSURE[ONLY_UNKNOWN] = np.where(PING[ONLY_UNKNOWN] == NO, UNSURE, PING[ONLY_UNKNOWN])
"""The same where a packet whose way is not known may have got another source."""


def combine(states: list[NDArray[np.int8]]) -> NDArray[np.int8]:
    """Several first hops, each with its own source: one answer."""
    found = np.zeros(states[0].shape, dtype=np.uint8)
    for state in states:
        found |= np.left_shift(1, state).astype(np.uint8)
    together: NDArray[np.int8] = _TOGETHER[found]
    return together


def _together() -> NDArray[np.int8]:
    out = np.full(16, PARTLY, dtype=np.int8)
    for state in (NO, YES, UNSURE):
        out[1 << state] = state
    out[1 << YES | 1 << UNSURE] = UNSURE
    return out


_TOGETHER = _together()
