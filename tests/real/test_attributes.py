"""What real speakers tell of defaults on a condition, aggregates, and what is to be dropped."""

from __future__ import annotations

import json
import os

import pytest
from core.test_bgp_told import CASES, CHAIN, LINKS, Told, computed, members, texts, told

from .lab import Lab, why_not

REASON = why_not()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")
SETUPS = {**{name: held for name, (held, _, _) in CASES.items()}, "dropped": texts(out="DROPPED")}
CHOSEN = os.environ.get("SETUPS", "a default for what the table has,dropped").split(",")


def _shown(lab: Lab, name: str) -> Told:
    listed = json.loads(lab.show(name, "show bgp ipv4 unicast json") or "{}").get("routes", {})
    out: Told = {}
    for prefix in listed:
        shown = json.loads(lab.show(name, f"show bgp ipv4 unicast {prefix} json") or "{}")
        for path in shown.get("paths", []):
            if path.get("bestpath", {}).get("overall"):
                route = path.get("aspath", {}).get("string", "")
                out[prefix] = (
                    path.get("metric", 0),
                    "" if route == "Local" else route,
                    " ".join(sorted(path.get("community", {}).get("string", "").split())),
                    " ".join(sorted(path.get("largeCommunity", {}).get("string", "").split())),
                )
    return out


@pytest.mark.parametrize("name", SETUPS if CHOSEN == ["all"] else CHOSEN)
def test_real_speakers_hear_the_same(name: str) -> None:
    held = SETUPS[name]
    survey = computed(held)
    with Lab(held, {}, LINKS, [], {}, tag=f"a{os.getpid()}") as lab:
        lab.settle(quiet=3, least=5)
        for speaker in ("two", "three", "four"):
            ours = told(survey, speaker)
            lab.until(lambda s=speaker, o=ours: _shown(lab, s) == o, most=40)  # type: ignore[misc]
            assert _shown(lab, speaker) == ours, speaker


@pytest.mark.parametrize("words", ["external external"])
def test_real_members_that_are_called_external_are_members(words: str) -> None:
    left, right = words.split()
    held = members(left, right, group=True)
    survey = computed(held, CHAIN)
    with Lab(held, {}, CHAIN, [], {}, tag=f"m{os.getpid()}") as lab:
        lab.settle(quiet=3, least=5)
        for speaker in held:
            # The path's members stand in brackets there, and apart here.
            ours = set(told(survey, speaker))
            lab.until(lambda s=speaker, o=ours: set(_shown(lab, s)) == o, most=40)  # type: ignore[misc]
            assert set(_shown(lab, speaker)) == ours, speaker
