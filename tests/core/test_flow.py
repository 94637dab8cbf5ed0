"""What flows against the way of packets: words of 64 addresses equal one at a time."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from trochos.core.forwarding.flow import Edges, pack, unpack


@st.composite
def networks(draw: st.DrawFn) -> tuple[int, int, dict[tuple[int, int], np.ndarray], np.ndarray]:
    rows, columns = draw(st.integers(1, 6)), draw(st.integers(1, 130))
    seed = np.random.default_rng(draw(st.integers(0, 10_000)))
    pairs = [(a, b) for a in range(rows) for b in range(rows) if seed.random() < 0.4]
    masks = {pair: seed.random(columns) < 0.7 for pair in pairs}
    return rows, columns, masks, seed.random((rows, columns)) < 0.2


def made(rows: int, columns: int, masks: dict[tuple[int, int], np.ndarray]) -> Edges:
    edges = Edges(rows, columns)
    for row in range(rows):
        edges.add(row, {there: mask for (here, there), mask in masks.items() if here == row})
    edges.close()
    return edges


@given(networks())
def test_spreading_is_the_least_that_holds(
    drawn: tuple[int, int, dict[tuple[int, int], np.ndarray], np.ndarray],
) -> None:
    rows, columns, masks, start = drawn
    matrix = pack(start)
    assert np.array_equal(unpack(matrix, columns), start)
    made(rows, columns, masks).spread(matrix)
    wanted = start.copy()
    for _ in range(rows * columns + 1):
        before = wanted.copy()
        for (here, there), mask in masks.items():
            wanted[here] |= mask & wanted[there]
        if np.array_equal(before, wanted):
            break
    assert np.array_equal(unpack(matrix, columns), wanted)


@given(networks(), st.integers(1, 8))
def test_walking_on_is_the_most_that_holds(
    drawn: tuple[int, int, dict[tuple[int, int], np.ndarray], np.ndarray], rounds: int
) -> None:
    rows, columns, masks, _ = drawn
    walking = np.zeros((rows, columns), dtype=bool)
    for (here, _), mask in masks.items():
        walking[here] |= mask
    steps, spent = 1, None
    while True:
        if steps == rounds:
            spent = walking.copy()
        further = np.zeros_like(walking)
        for (here, there), mask in masks.items():
            further[here] |= mask & walking[there]
        steps += 1
        if np.array_equal(further, walking):
            break
        walking = further
    found, late = made(rows, columns, masks).walking(rounds)
    assert np.array_equal(unpack(found, columns), walking)
    if masks:
        assert (late is None) == (spent is None)
        if late is not None and spent is not None:
            assert np.array_equal(unpack(late, columns), spent)
