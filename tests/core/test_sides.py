"""What is said of two ends that differ follows from what weighs against each of them."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from trochos.core.diagnosis.remedies.sides import EITHER, Ground, Side, with_bases
from trochos.core.network.edits import Remedy, TextEdit


def remedy(name: str) -> Remedy:
    return Remedy(f"On {name}.", (TextEdit(name, "frr.conf", (), (), ("a line",)),))


ANT, BEE = remedy("ant"), remedy("bee")
weights = st.sampled_from([-100.0, -2.0, 0.0, 0.01, 1.0, 100.0])
grounds = st.lists(st.builds(Ground, weights, st.text("abc", min_size=1)), max_size=3)


def test_nothing_tells() -> None:
    told = with_bases([Side(ANT, [Ground(1, "x")]), Side(BEE, [Ground(1, "y")])])
    assert {r.basis for r in told.values()} == {EITHER} and set(told) == {ANT, BEE}


def test_the_heaviest_ground_against_the_other_end_is_said() -> None:
    against_bee = [Ground(2, "Two say so."), Ground(100, "An area."), Ground(0.01, "A line.")]
    told = with_bases([Side(ANT, []), Side(BEE, against_bee)])
    assert told == {ANT: ANT._replace(basis="An area.")}


def test_one_end_alone_has_no_choice_to_explain() -> None:
    assert with_bases([Side(ANT, [Ground(5, "x")])]) == {}
    assert with_bases([]) == {}


@given(grounds, grounds)
def test_only_the_end_that_less_speaks_against_says_why(
    mine: list[Ground], theirs: list[Ground]
) -> None:
    sides = [Side(ANT, mine), Side(BEE, theirs)]
    told = with_bases(sides)
    assert told == with_bases(sides[::-1])
    if sides[0].weight == sides[1].weight:
        assert all(r.basis == EITHER for r in told.values()) and len(told) == 2
        return
    first, other = sorted(sides, key=lambda side: side.weight)
    assert set(told) <= {first.remedy}
    for said in told.values():
        assert said.basis in {g.says for g in other.grounds if g.weight > 0}
        assert (said.title, said.edits) == (first.remedy.title, first.remedy.edits)
