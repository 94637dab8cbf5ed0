"""Files and surveys mangled by bytes and by structure, a fixed number of them: nothing raises, no
line is lost. bench/fuzz.py does the same for hours."""

from __future__ import annotations

import sys

import pytest
from surveys import ROOT

sys.path.append(str(ROOT / "bench"))
import fuzz

FIRST = 7_000_000
"""Other seeds than those that somebody ran for hours."""


@pytest.mark.thorough
@pytest.mark.parametrize(("kind", "count"), [("files", 600), ("surveys", 16)])
def test_what_is_mangled_costs_only_itself(kind: str, count: int) -> None:
    known = fuzz.surveys()
    wrong = {seed: fuzz.run(kind, seed, known) for seed in range(FIRST, FIRST + count)}
    # How long it takes and how much it needs says how busy this machine is: bench/ measures that.
    said = {
        seed: [line for line in found if "took " not in line and "MB were" not in line]
        for seed, found in wrong.items()
    }
    assert {seed: found for seed, found in said.items() if found} == {}
