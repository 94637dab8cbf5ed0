"""Trees of data that are kept between copies: lent to one reading at a time, unmarked, and only so
many."""

from __future__ import annotations

import pytest

from trochos.core.readers.located import DataError
from trochos.core.readers.located_json import Node
from trochos.core.readers.parsed import Parsed


def text(number: int) -> str:
    return f'{{"number": {10_000 + number}}}'


def read(parsed: Parsed, device: str, number: int) -> Node:
    """One reading of one file."""
    with parsed.lent() as parse:
        return parse(device, "a.json", text(number))


def test_a_file_is_parsed_once_and_the_oldest_go_by_size() -> None:
    parsed = Parsed(most=3 * len(text(0)))
    first = read(parsed, "ant", 0)
    assert read(parsed, "ant", 0) is first
    assert read(parsed, "bee", 0) is not first, "another device's is another file"
    read(parsed, "ant", 1)
    assert read(parsed, "ant", 0) is first
    read(parsed, "ant", 2)
    read(parsed, "ant", 3)
    assert read(parsed, "ant", 0) is first, "asked for last, it stayed"
    for number in range(4, 7):
        read(parsed, "ant", number)
    assert read(parsed, "ant", 0) is not first


def test_a_tree_is_nobody_elses_while_it_is_read_and_comes_back_without_marks() -> None:
    parsed = Parsed(most=1000)
    with parsed.lent() as parse:
        mine = parse("ant", "a.json", text(0))
        assert mine.integer("number") == 10_000
        with parsed.lent() as other:
            assert other("ant", "a.json", text(0)) is not mine
    with parsed.lent() as parse:
        again = parse("ant", "a.json", text(0))
        assert all(not node.seen for node in again.walk())


def test_a_reading_that_broke_gives_its_trees_back() -> None:
    parsed = Parsed(most=1000)
    first = None
    with pytest.raises(RuntimeError), parsed.lent() as parse:
        first = parse("ant", "a.json", text(0))
        raise RuntimeError
    assert read(parsed, "ant", 0) is first


def test_what_is_larger_than_all_is_kept_alone_and_what_is_damaged_is_told() -> None:
    parsed = Parsed(most=5)
    one = read(parsed, "ant", 1)
    assert read(parsed, "ant", 1) is one
    with pytest.raises(DataError), parsed.lent() as parse:
        parse("ant", "a.json", "{")
