"""Trees of data that are kept between copies: the same for the same file, and only so many."""

from __future__ import annotations

import pytest

from trochos.core.readers.located import DataError
from trochos.core.readers.parsed import Parsed


def text(number: int) -> str:
    return f'{{"number": {10_000 + number}}}'


def test_a_file_is_parsed_once_and_the_oldest_go_by_size() -> None:
    size = len(text(0))
    parsed = Parsed(most=3 * size)
    first = parsed("ant", "a.json", text(0))
    assert parsed("ant", "a.json", text(0)) is first
    # Another device's is another file: its reader marks what it used of its own.
    assert parsed("bee", "a.json", text(0)) is not first
    parsed("ant", "a.json", text(1))
    assert parsed("ant", "a.json", text(0)) is first
    parsed("ant", "a.json", text(2))
    parsed("ant", "a.json", text(3))
    assert parsed("ant", "a.json", text(0)) is first, "asked for last, it stayed"
    for number in range(4, 7):
        parsed("ant", "a.json", text(number))
    assert parsed("ant", "a.json", text(0)) is not first


def test_what_is_larger_than_all_is_kept_alone_and_what_is_damaged_is_told() -> None:
    parsed = Parsed(most=5)
    one = parsed("ant", "a.json", text(1))
    assert parsed("ant", "a.json", text(1)) is one
    with pytest.raises(DataError):
        parsed("ant", "a.json", "{")
