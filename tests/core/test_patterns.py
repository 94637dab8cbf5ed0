"""Patterns over AS paths: what they match, and that none takes long."""

from __future__ import annotations

import re
import time

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from trochos.core.network.patterns import Pattern, PatternError

PIECES = st.sampled_from(["1", "2", ".", "[12]", "[^1]", "^", "$", " ", "(1|2)", "(12)"])
SIGNS = st.sampled_from(["", "", "*", "+", "?"])


@pytest.mark.thorough
@settings(max_examples=400, deadline=None)
@given(
    st.lists(st.tuples(PIECES, SIGNS), max_size=5).map(
        lambda parts: "".join(p + ("" if p in "^$" else s) for p, s in parts)
    ),
    st.text("12 ", max_size=8),
)
def test_matches_what_a_standard_matcher_matches(text: str, path: str) -> None:
    # `$` of the standard library also matches before a last newline, and there is none here.
    assert Pattern(text).found_in(path) == (re.search(text, path) is not None)


@pytest.mark.parametrize(
    ("text", "path", "found"),
    [
        ("_65540_", "65536 65540 65541", True),
        ("_65540_", "655400", False),
        ("_65540_", "65540", True),
        ("^65540_", "65540 65541", True),
        ("_(65540|65541)$", "65536 65541", True),
        ("^$", "", True),
        ("65[0-9]+", "165", False),
        ("65[0-9]+", "6501", True),
        (r"\.", "1.2", True),
    ],
)
def test_borders_sets_and_groups(text: str, path: str, found: bool) -> None:
    assert Pattern(text).found_in(path) is found


@pytest.mark.parametrize("text", ["(65540", "65540)", "[12", "*1", "1{3}", r"\d", "1" * 201])
def test_what_is_no_pattern_is_refused(text: str) -> None:
    with pytest.raises(PatternError):
        Pattern(text)


@pytest.mark.parametrize("text", ["(1+)+$", "(1|1)*2", ".*.*.*.*.*2", "(1*)*(1*)*2"])
def test_no_pattern_keeps_the_matcher_busy(text: str) -> None:
    started = time.perf_counter()
    assert not Pattern(text).found_in("1" * 400 + " ")
    assert time.perf_counter() - started < 1
