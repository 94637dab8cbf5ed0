"""NETCONF's framing: any cut of a stream gives the same messages, and no stream breaks it."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from trochos.gather.bounds import Bounds, Budget
from trochos.gather.methods.framing import END, Reader, framed
from trochos.gather.problems import Garbled, Problem, TooMuch


def reader(chunked: bool, most: int = 1 << 20) -> Reader:
    made = Reader(Budget(Bounds(item_bytes=most, device_bytes=4 * most)))
    made.chunked = chunked
    return made


messages = st.lists(
    st.binary(min_size=1, max_size=80).filter(lambda b: END not in b + b"]]"), max_size=5
)


@settings(max_examples=150, deadline=None)
@given(messages, st.booleans(), st.data())
def test_any_cut_gives_the_same_messages(held: list[bytes], chunked: bool, data) -> None:  # type: ignore[no-untyped-def]
    if not chunked:
        held = [m for m in held if not m.endswith((b"]", b"]]"))]
    stream = b"".join(framed(message, chunked) for message in held)
    one = reader(chunked)
    out: list[bytes] = []
    while stream:
        cut = data.draw(st.integers(1, len(stream)))
        out += one.feed(stream[:cut])
        stream = stream[cut:]
    assert out == held


@settings(max_examples=150, deadline=None)
@given(st.binary(max_size=200), st.booleans())
def test_noise_is_a_problem_and_no_crash(noise: bytes, chunked: bool) -> None:
    one = reader(chunked)
    try:
        one.feed(noise)
        one.ended()
    except Problem as problem:
        assert str(problem).endswith(".")


def test_a_message_of_several_chunks() -> None:
    one = reader(True)
    assert one.feed(b"\n#4\n<rpc\n#6\n-reply\n#2\n/>\n##\n") == [b"<rpc-reply/>"]


def test_what_is_announced_too_long_is_not_waited_for() -> None:
    with pytest.raises(TooMuch):
        reader(True).feed(b"\n#4000000000\n")
    with pytest.raises(TooMuch):
        reader(False, 100).feed(b"x" * 101)


def test_broken_framing_is_said() -> None:
    for stream in (
        b"\n#0\n",
        b"\n#x\n....................",
        b"<rpc-reply/>",
        b"\n#-1\n............",
    ):
        with pytest.raises(Garbled):
            reader(True).feed(stream)
