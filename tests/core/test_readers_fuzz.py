"""Mangled, cut, binary and huge files: never a traceback, never an unreported line."""

from __future__ import annotations

import json

import make as demo
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from surveys import KEY, ROOT

from trochos.core.readers.located_json import JsonError, Node, parse
from trochos.core.survey import Computed

SEEDS = [
    (path, text.encode())
    for path, text in demo.render(demo.broken(), "x", "2026-05-04T06:30:00Z").items()
    if path
    in (
        "topology.json",
        "survey.json",
        "devices/tern/frr.conf",
        "devices/mole/running.json",
        "devices/booking-db/ip-addr.json",
        "devices/booking-db/ip-route.json",
        "devices/booking-db/ip-route6.json",
    )
] + [
    (
        "devices/x/frr-route.json",
        (ROOT / "tests/cases/dale-00/survey/devices/barn/frr-route.json").read_bytes(),
    )
]


def check(files: dict[str, bytes]) -> Computed:
    """Reads and computes everything; every line must have exactly one fate."""
    survey = Computed.from_files(files, KEY)
    reported = {(r.device or "", r.file) for r in survey.survey.reading}
    assert len(reported) == len(survey.survey.reading) == len(files)
    for report in survey.survey.reading:
        assert report.understood + report.irrelevant + len(report.unknown) == report.lines, report
        assert [u.line for u in report.unknown] == sorted({u.line for u in report.unknown})
    json.dumps(survey.routes_json(everything=True))
    json.dumps(survey.inspect_json())
    survey.reach.summary()
    return survey


@st.composite
def mangled(draw: st.DrawFn) -> tuple[str, bytes]:
    path, data = draw(st.sampled_from(SEEDS))
    for _ in range(draw(st.integers(1, 4))):
        at = draw(st.integers(0, max(len(data) - 1, 0)))
        length = draw(st.integers(0, 40))
        kind = draw(st.sampled_from(["cut", "drop", "insert", "double", "swap", "words"]))
        if kind == "cut":
            data = data[:at]
        elif kind == "drop":
            data = data[:at] + data[at + length :]
        elif kind == "insert":
            data = data[:at] + draw(st.binary(max_size=12)) + data[at:]
        elif kind == "double":
            data = data[: at + length] + data[at:]
        elif kind == "swap":
            data = data[at:] + data[:at]
        else:
            word = draw(
                st.sampled_from(
                    [
                        b"null",
                        b"[]",
                        b"{}",
                        b"-1",
                        b"1e9",
                        b'"x"',
                        b"\n",
                        b"no ",
                        b"ip route ",
                        b"\xff\xfe",
                        b"::/0",
                        b"255",
                        b"true",
                    ]
                )
            )
            data = data[:at] + word + data[at + length :]
    return path, data


@pytest.mark.thorough
@settings(max_examples=300, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(mangled())
def test_mangled_files(item: tuple[str, bytes]) -> None:
    check(dict([item]))


@pytest.mark.thorough
@settings(max_examples=100, deadline=None)
@given(
    st.dictionaries(
        st.text(alphabet="abc./-_ é", min_size=1, max_size=12).filter(
            lambda p: p.strip("/") == p and "//" not in p
        ),
        st.one_of(st.binary(max_size=200), st.text(max_size=200).map(str.encode)),
        max_size=4,
    )
)
def test_arbitrary_files(files: dict[str, bytes]) -> None:
    survey = Computed.from_files(files, KEY)
    for report in survey.survey.reading:
        assert report.understood + report.irrelevant + len(report.unknown) == report.lines
    survey.inspect_json()


def _plain(node: Node) -> object:
    if isinstance(node.value, dict):
        return {key: _plain(child) for key, child in node.value.items()}
    if isinstance(node.value, list):
        return [_plain(child) for child in node.value]
    return node.value


values = st.recursive(
    st.none()
    | st.booleans()
    | st.integers()
    | st.text()
    | st.floats(allow_nan=False, allow_infinity=False),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(), inner, max_size=4),
    max_leaves=20,
)


@pytest.mark.thorough
@given(values, st.sampled_from([None, 1]), st.booleans())
def test_located_json_reads_what_the_library_writes(
    value: object, indent: int | None, ascii_only: bool
) -> None:
    text = json.dumps(value, indent=indent, ensure_ascii=ascii_only)
    assert _plain(parse(text)) == value


@given(st.text(alphabet='{}[],:"\\ntrue0123.eE- ul\n', max_size=40))
def test_located_json_refuses_what_the_library_refuses(text: str) -> None:
    try:
        expected = json.loads(text)
    except ValueError:
        try:
            parse(text)
        except JsonError as error:
            assert 1 <= error.line <= text.count("\n") + 1
        else:
            raise AssertionError("this is not JSON")
    else:
        try:
            assert _plain(parse(text)) == expected
        except JsonError as error:
            # Stricter than the library on purpose: one key twice has no meaning.
            assert "twice" in str(error)


@pytest.mark.thorough
def test_deep_and_huge_files_are_bounded() -> None:
    survey = check({"devices/a/deep.json": b"[" * 100_000})
    assert "levels" in (survey.survey.reading[0].note or "")
    check({"devices/a/frr.conf": b"hostname a\n" + b"ip route 10.0.0.0/8 eth0\n" * 20_000})
    check({"devices/a/binary": bytes(range(256)) * 1000})
    check({"devices/a/long.conf": b"hostname a\n" + b"x" * 2_000_000})
