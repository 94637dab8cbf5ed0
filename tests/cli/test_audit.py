"""Expectations on the command line: they hold, they fail, and they are wrong."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from pathlib import Path

import pytest

from .calls import Call

EXPECTED = """
- name: planning reaches the booking database
  from: planning-desk
  to: booking-db
  service: tcp/5432
- name: the bridge gets its weights
  from: bridge-tablet
  to: yard-scale
  must: work
  over: [berth, yard]
- name: nobody outside reaches the database
  from: card-clearing
  to: booking-db
  service: tcp/5432
  must: not-work
- name: not over the lantern
  from: tern-kiosk
  to: booking-db
  avoid: lantern
"""
ROOT = Path(__file__).resolve().parents[2]
HEALTHY, BROKEN = (str(ROOT / "demo" / name) for name in ("healthy", "broken"))


@pytest.fixture
def expected(tmp_path: Path) -> str:
    file = tmp_path / "expectations.yaml"
    file.write_text(EXPECTED)
    return str(file)


def test_expectations_hold_before_and_fail_after(call: Call, expected: str, tmp_path: Path) -> None:
    status, document = call.json("audit", HEALTHY, "--expect", expected)
    assert (status, [r["holds"] for r in document["results"]]) == (0, [True] * 4)
    report = tmp_path / "report.xml"
    status, document = call.json("audit", BROKEN, "--expect", expected, "--junit", str(report))
    assert status == 1
    assert [r["holds"] for r in document["results"]] == [False, False, True, True]
    assert "drops it silently" in document["results"][0]["reason"]
    assert document["results"][1]["path"]["works"] == "no"
    suite = ET.fromstring(report.read_bytes())
    assert (suite.get("tests"), suite.get("failures")) == ("4", "2")


def test_a_way_that_is_not_wanted_fails_though_it_works(call: Call, tmp_path: Path) -> None:
    file = tmp_path / "ways.yaml"
    file.write_text(
        "- {name: by the yard, from: tern-kiosk, to: booking-db, over: [yard]}\n"
        "- {name: not by heron, from: gate-printer, to: booking-db, avoid: [heron]}\n"
    )
    status, out, _ = call("audit", HEALTHY, "--expect", str(file))
    assert status == 1
    assert "the request does not pass yard" in out
    assert "the request passes heron" in out


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("name: x\n", "are a list"),
        ("- from: a\n", "needs 'to'"),
        ("- {from: a, to: b, must: maybe}\n", "work or not-work"),
        ("- {from: a, to: b, service: smoke}\n", "like tcp/5432"),
        ("- {from: a, to: b, when: now}\n", "says 'when'"),
        ("- {from: a\n", "is not YAML"),
    ],
)
def test_what_cannot_be_used_is_said(call: Call, tmp_path: Path, text: str, says: str) -> None:
    file = tmp_path / "bad.yaml"
    file.write_text(text)
    status, out, err = call("audit", HEALTHY, "--expect", str(file))
    assert (status, out) == (2, "")
    assert says in err and err.strip().endswith(".")


def test_an_end_that_is_not_there_fails_its_expectation_alone(call: Call, tmp_path: Path) -> None:
    file = tmp_path / "gone.yaml"
    file.write_text("- {from: nobody, to: booking-db}\n- {from: tern-kiosk, to: booking-db}\n")
    status, document = call.json("audit", HEALTHY, "--expect", str(file))
    assert (status, [r["holds"] for r in document["results"]]) == (1, [False, True])


def test_what_cannot_be_said_is_not_said_to_fail(call: Call, tmp_path: Path) -> None:
    """Behind a router that nobody could read nothing holds for certain, and nothing fails."""
    wanted = tmp_path / "wanted.yaml"
    wanted.write_text(
        "- name: tides\n  from: planning-desk\n  to: holm-gauge\n"
        "- name: lathe\n  from: planning-desk\n  to: lathe\n"
    )
    status, said, _ = call("audit", BROKEN, "--expect", str(wanted))
    assert status == 1
    assert said.index("FAILS: lathe") < said.index("not certain: tides")
    assert "2 expectations, 1 fail; of 1 it cannot be said." in said
