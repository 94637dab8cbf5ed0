"""Any line of any router changed or taken out: a fixed sample, with a floor. bench/any_line.py does
the same for as many as one likes."""

from __future__ import annotations

import random

import pytest
from faults import Outcome, faults, try_fault
from surveys import ROOT, bare

EACH, NETS = 4, ("dale", "delve", "karst", "loom", "rook", "stile", "tarn", "trio", "weald")
FLOOR_HITS, FLOOR_LINES = 35, 34
"""Of 36, which all are hits when this was written."""


@pytest.mark.thorough
def test_the_first_suspect_is_what_was_changed() -> None:
    hits, lines, missed = 0, 0, []
    for net in NETS:
        healthy = bare(ROOT / "tests" / "cases" / f"{net}-00" / "survey")
        found = (try_fault(healthy, fault) for fault in faults(healthy, random.Random(11)))
        outcomes: list[Outcome] = []
        for outcome in found:
            if outcome is not None:
                outcomes.append(outcome)
            if len(outcomes) == EACH:
                break
        assert len(outcomes) == EACH, f"{net}: too few changes break anything"
        hits += sum(outcome.hit for outcome in outcomes)
        lines += sum(outcome.line for outcome in outcomes)
        missed += [(net, outcome) for outcome in outcomes if not (outcome.hit and outcome.line)]
    assert hits >= FLOOR_HITS, missed
    assert lines >= FLOOR_LINES, missed
