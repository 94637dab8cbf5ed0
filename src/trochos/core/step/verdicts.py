"""How a leg can end, and which end counts when branches differ."""

from __future__ import annotations

from collections.abc import Iterable

# Worst first. "unknown" is less bad than a proven failure and worse than success.
WORST_FIRST = (
    "no-source",
    "name-unknown",
    "no-route",
    "interface-down",
    "next-hop-unresolved",
    "next-hop-silent",
    "discarded",
    "rejected",
    "not-forwarding",
    "wrong-host",
    "wrong-segment",
    "not-translated-back",
    "filtered",
    "refused",
    "too-big",
    "loop",
    "hop-limit",
    "unknown",
    "delivered",
)
RANK = {verdict: rank for rank, verdict in enumerate(WORST_FIRST)}
BIT = {verdict: 1 << rank for rank, verdict in enumerate(WORST_FIRST)}
LOST_BACK = "not-translated-back"
DELIVERED, UNKNOWN, LOOP, HOP_LIMIT = "delivered", "unknown", "loop", "hop-limit"

WORDS = {
    "delivered": "delivered",
    "no-route": "no route",
    "discarded": "discarded",
    "rejected": "rejected",
    "next-hop-unresolved": "next hop unresolved",
    "next-hop-silent": "next hop silent",
    "interface-down": "interface down",
    "not-forwarding": "not forwarding",
    "not-translated-back": "not translated back",
    "filtered": "filtered",
    "refused": "refused",
    "wrong-segment": "wrong segment",
    "loop": "loop",
    "hop-limit": "hop limit spent",
    "too-big": "too big",
    "wrong-host": "wrong host",
    "no-source": "no source address",
    "name-unknown": "name unknown",
    "unknown": "unknown",
}


def worst(verdicts: Iterable[str]) -> str:
    """The verdict that speaks for a leg whose branches end in these ways."""
    return min(verdicts, key=RANK.__getitem__)


def leg_state(verdicts: Iterable[str]) -> str:
    """yes, no, partly or unknown for one leg, from the ends of its branches."""
    ends = set(verdicts)
    if ends == {DELIVERED}:
        return "yes"
    if DELIVERED in ends:
        return "unknown" if ends == {DELIVERED, UNKNOWN} else "partly"
    return "unknown" if ends == {UNKNOWN} else "no"


def both_ways(states: Iterable[str]) -> str:
    """The answer for a whole conversation from the states of its legs."""
    found = set(states)
    for state in ("no", "unknown", "partly"):
        if state in found:
            return state
    return "yes"


def onward(sentence: str) -> str:
    """A sentence as it goes on after a colon: names of devices stay as they are."""
    return f"the {sentence[4:]}" if sentence.startswith("The ") else sentence
