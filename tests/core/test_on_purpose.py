"""What fails on purpose is folded apart on the desk, and what worked before never is."""

from __future__ import annotations

import json

import pytest
from surveys import KEY, ROOT
from two_routers import BACK, survey

from trochos.core.survey import Computed
from trochos.local import read_folder

STILE = ROOT / "tests" / "cases" / "stile-00" / "survey"


@pytest.fixture(scope="module")
def stile() -> Computed:
    return Computed.from_files(read_folder(STILE), KEY)


def test_inside_addresses_that_are_rewritten_on_the_way_out_are_hidden(stile: Computed) -> None:
    desk = stile.desk()
    assert not desk.fails
    (group,) = desk.groups
    assert group.folded and "hidden behind who rewrites their addresses" in group.summary
    assert {q.sender for q in group.pairs} == {"h4"}, "who asks from outside"


@pytest.mark.thorough
def test_what_is_cut_off_inside_is_no_secret(stile: Computed) -> None:
    """A fault inside is told of inside; what nobody outside reaches anyway stays folded."""
    files = read_folder(STILE)
    file = "devices/drove/frr.conf"
    text = files[file].decode()
    broken = Computed.from_files(
        {**files, file: text.replace("interface eth1\n", "interface eth1\n shutdown\n").encode()},
        KEY,
    )
    desk = broken.desk()
    assert desk.fails
    hidden = [g for g in desk.groups if g.folded and "hidden" in g.summary]
    assert {q.sender for g in hidden for q in g.pairs} == {"h4"}
    assert not any(q.sender == "h4" for g in desk.groups if not g.folded for q in g.pairs if
                   str(q.target).startswith("10.76."))  # fmt: skip


def test_who_rewrites_both_ways_hides_nobody() -> None:
    """A router inside that rewrites every source, and a cable that is out: that is a fault."""
    place = {"family": "ip", "table": "nat", "chain": "post"}
    chain = {"family": "ip", "table": "nat", "name": "post", "type": "nat", "hook": "postrouting"}
    rules = {"nftables": [
        {"chain": {**chain, "prio": 100, "policy": "accept"}},
        {"rule": {**place, "expr": [{"masquerade": None}]}}]}  # fmt: skip
    nat = json.dumps(rules)
    assert not survey(front={"nft.json": nat}).desk().fails
    shut = BACK.replace("interface eth0\n", "interface eth0\n shutdown\n")
    assert survey(front={"nft.json": nat}, back={"frr.conf": shut}).desk().fails


def test_a_filter_that_refuses_what_worked_before_is_a_fault() -> None:
    place = {"family": "inet", "table": "t", "name": "in", "type": "filter", "hook": "input"}
    drops = {"nftables": [{"chain": {**place, "prio": 0, "policy": "drop"}}]}
    healthy, broken = survey(), survey(db={"nft.json": json.dumps(drops)})
    assert not broken.desk().fails, "nothing says that it is not on purpose"
    desk = broken.desk(healthy)
    assert desk.fails
    assert {q.owner for g in desk.groups if not g.folded for q in g.pairs} >= {"db"}
