"""Expectations from what works: few lines, and every one of them holds."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
import yaml
from surveys import KEY, company, compute, frr, wired

from trochos.core.diagnosis.audit import parse_expectations
from trochos.core.survey import Computed
from trochos.core.whole.questions import answers, hosts_of
from trochos.core.whole.suggest import suggest

from .test_unread import CASES, network_files


def said(survey: Computed) -> set[tuple[str, str]]:
    """Every (from, to) that some line says works."""
    return {
        pair
        for item in suggest(survey)
        if item.works
        for pair in ((a, b) for a in item.senders for b in item.receivers if a != b)
    }


@pytest.mark.parametrize("name", ["dale-00", "loom-00", "trio-00", "delve-00"])
def test_the_lines_say_what_works_and_nothing_else(name: str) -> None:
    survey = Computed.from_files(network_files(Path(CASES) / name / "survey"), KEY)
    hosts = hosts_of(survey.reach)
    found: dict[tuple[str, str], bool] = {}
    for question, answer in answers(survey.reach, hosts).items():
        pair = (question.sender, question.owner)
        found[pair] = found.get(pair, True) and answer.ok is True
    assert said(survey) == {pair for pair, works in found.items() if works}
    text = yaml.safe_dump([item.entry() for item in suggest(survey)])
    results = survey.audit(parse_expectations(text))
    assert results and all(result.holds for result in results)


def test_hosts_that_are_treated_alike_are_one_line() -> None:
    """Twelve hosts on two LANs behind one router: one line says that all reach all."""
    links, files = [], {}
    for number in range(12):
        lan = number % 2
        links.append((f"h{number:02}", "eth0", f"lan{lan}", f"p{number}"))
        files[f"devices/h{number:02}/frr.conf"] = frr(
            f"h{number:02}", {"eth0": f"10.64.{lan}.{10 + number}/24"},
            f"ip route 0.0.0.0/0 10.64.{lan}.1",
        )  # fmt: skip
    links += [("gull", f"eth{lan}", f"lan{lan}", "up") for lan in (0, 1)]
    ports = {f"eth{lan}": f"10.64.{lan}.1/24" for lan in (0, 1)}
    files["devices/gull/frr.conf"] = frr("gull", ports, "ip route 192.0.2.0/24 blackhole")
    files["topology.json"] = wired(*links)
    roles = {f"h{number:02}": "host" for number in range(12)}
    files["survey.json"] = json.dumps({"roles": roles})
    (one,) = suggest(compute(files))
    assert one.works and len(one.senders) == 12 and one.senders == one.receivers
    assert one.name == "h00, h01 and 10 more reach each other"


@pytest.mark.thorough
def test_what_is_broken_is_not_expected_to_stay_so() -> None:
    survey = company(broken=True)
    pairs = said(survey)
    assert ("planning-desk", "skerry-kiosk") not in pairs
    assert not [item for item in suggest(survey) if not item.works and "skerry" in item.name]
