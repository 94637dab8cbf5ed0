"""What is recognised and not computed: one of each in a healthy network, and no wrong answer."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from surveys import ROOT, compute, frr, wired

from trochos.core.readers.limits import ROWS, Limit
from trochos.core.survey import Computed

PAIRS = [("h1", "h2"), ("h2", "h1"), ("h1", "bee"), ("ant", "h2"), ("ant", "bee")]


def healthy(middle: str = "", **files: str) -> Computed:
    """h1 - ant - mid - bee - h2 by OSPF; `middle` stands in the text of mid, `files` beside it."""
    held = {
        "topology.json": wired(
            ("h1", "eth0", "ant", "eth0"),
            ("ant", "eth1", "mid", "eth1"),
            ("mid", "eth2", "bee", "eth1"),
            ("bee", "eth0", "h2", "eth0"),
        )
    }
    lines = ("router ospf", " network 10.64.0.0/16 area 0")
    held["devices/ant/frr.conf"] = frr(
        "ant", {"eth0": "10.64.1.1/24", "eth1": "10.64.0.1/30"}, *lines
    )
    held["devices/bee/frr.conf"] = frr(
        "bee", {"eth0": "10.64.2.1/24", "eth1": "10.64.0.6/30"}, *lines
    )
    held["devices/mid/frr.conf"] = (
        frr("mid", {"eth1": "10.64.0.2/30", "eth2": "10.64.0.5/30"}, *lines).removesuffix("end\n")
        + middle
        + "end\n"
    )
    for number in (1, 2):
        address = {"family": "inet", "local": f"10.64.{number}.10", "prefixlen": 24}
        link = {"ifname": "eth0", "flags": ["UP", "LOWER_UP"], "addr_info": [address]}
        held[f"devices/h{number}/addr.json"] = json.dumps([link])
        route = {"dst": "default", "gateway": f"10.64.{number}.1", "dev": "eth0"}
        held[f"devices/h{number}/route.json"] = json.dumps([route])
    held |= {f"devices/mid/{name.replace('_', '.')}": text for name, text in files.items()}
    return compute(held)


def certain_of_nothing(survey: Computed) -> None:
    """No alarm, and no answer through mid that is definite."""
    assert not [f.summary for f in survey.findings if f.severity != "notes"]
    for sender, receiver in PAIRS:
        path = survey.path(sender, receiver)
        assert path.works == "unknown", (sender, receiver, path.sentence())
        assert path.caveats, "the line is named"
    for pair in survey.reach.pairs():
        if {pair.device, pair.owner} in ({"h1", "h2"}, {"ant", "bee"}):
            assert pair.ok is None
    diagnosis = survey.diagnose("h1", "h2")
    assert not [cause for cause in diagnosis.causes if cause.certainty == "proven"]


@pytest.mark.thorough
def test_without_any_of_them_it_works() -> None:
    survey = healthy()
    assert all(survey.path(*pair).works == "yes" for pair in PAIRS)


@pytest.mark.parametrize("row", ROWS, ids=lambda row: row.name)
def test_a_feature_that_is_not_computed_makes_what_it_touches_unknown(row: Limit) -> None:
    survey = healthy(row.example) if row.lines else healthy(feature_conf=row.example)
    certain_of_nothing(survey)
    reported = [line.why for report in survey.survey.reading for line in report.unknown]
    assert row.why in reported, "the reading report says it in the screen's words"


OTHERS = {
    "rules": {"rule_json": json.dumps([
        {"priority": 0, "src": "all", "table": "local"},
        {"priority": 100, "src": "all", "uidrange": "0-99", "table": "100"},
        {"priority": 32766, "src": "all", "table": "main"},
        {"priority": 32767, "src": "all", "table": "default"},
    ])},
    "translation": {"nft_json": json.dumps({"nftables": [
        {"chain": {"family": "ip", "table": "nat", "name": "post", "type": "nat",
                   "hook": "postrouting", "prio": 100, "policy": "accept"}},
        {"rule": {"family": "ip", "table": "nat", "chain": "post", "expr": [
            {"snat": {"addr": {"numgen": {"mode": "random", "mod": 2}}}}]}},
    ]})},
}  # fmt: skip


@pytest.mark.parametrize("name", OTHERS)
def test_rules_and_translations_touch_everything_that_passes(name: str) -> None:
    certain_of_nothing(healthy(**OTHERS[name]))


LINES = {
    "a process of another kind": "router openfabric ferries\n net 49.0001.0000.0000.0001.00\n"
    "exit\n",
    "a line at the top": "frobnicate the packets\n",
    "a line of an interface": "interface eth1\n frobnicate inside\nexit\n",
}


@pytest.mark.parametrize("name", LINES)
def test_a_line_that_nobody_understands_makes_what_it_touches_unknown(name: str) -> None:
    survey = healthy(LINES[name])
    assert survey.path("h1", "h2").works == "unknown"
    assert not [f.summary for f in survey.findings if f.severity != "notes"]


def test_rules_that_every_kernel_has_change_nothing() -> None:
    usual = [
        {"priority": 0, "src": "all", "table": "local"},
        {"priority": 32766, "src": "all", "table": "main"},
        {"priority": 32767, "src": "all", "table": "default"},
    ]
    six = usual[:2]
    survey = healthy(rule_json=json.dumps(usual), rule6_json=json.dumps(six))
    assert all(survey.path(*pair).works == "yes" for pair in PAIRS)


def test_tables_that_no_rule_names_change_nothing() -> None:
    routes = [{"dst": "default", "gateway": "10.64.0.1", "dev": "eth1", "table": "100"}]
    assert healthy(tables_json=json.dumps(routes)).path("h1", "h2").works == "yes"


def test_kernel_settings_as_one_object_are_read() -> None:
    settings = {"net.ipv4.ip_forward": 0, "net.ipv4.conf.all.rp_filter": 0}
    path = healthy(sysctl_json=json.dumps(settings)).path("h1", "h2")
    assert path.outbound.verdict == "not-forwarding"


def test_the_manual_lists_what_the_screen_says(root: Path) -> None:
    page = (ROOT / "docs" / "manual" / "limits.md").read_text()
    assert all(row.why in page for row in ROWS)
