"""The ladder: a fault stops on the first rung it touches."""

from __future__ import annotations

import pytest
from surveys import ROOT, bare, company

CASES = ROOT / "tests" / "cases"


@pytest.mark.parametrize(
    ("sender", "receiver", "what", "target", "verdict"),
    [
        ("crane-panel", "booking-db", "gateway", "10.64.30.254", "next-hop-silent"),
        ("gate-printer", "booking-db", "next hop", "10.64.0.1", "interface-down"),
        ("bridge-tablet", "yard-scale", "near side of yard", "10.64.0.38", "no-route"),
        ("planning-desk", "bridge-log", "target", "10.64.40.70", "discarded"),
    ],
)
def test_the_first_rung_that_fails(
    sender: str, receiver: str, what: str, target: str, verdict: str
) -> None:
    ladder = company(broken=True).ladder(sender, receiver)
    assert ladder.first_failing is not None
    rung = ladder.rungs[ladder.first_failing]
    assert (rung.what, rung.target, rung.verdict) == (what, target, verdict)
    assert ladder.rungs[0].what == "own address"
    assert ladder.rungs[-1].what == "target"


@pytest.mark.parametrize("net", ["dale", "loom", "ouse", "silo", "trio"])
def test_every_rung_holds_where_the_target_answers(net: str) -> None:
    survey = bare(CASES / f"{net}-00" / "survey")
    hosts = [d.name for d in survey.network.devices if d.is_host]
    for receiver in hosts[1:]:
        if survey.path(hosts[0], receiver).works == "yes":
            ladder = survey.ladder(hosts[0], receiver)
            assert ladder.rungs[-1].holds
            assert ladder.rungs[0].holds and ladder.rungs[1].holds


def test_two_with_one_address_stop_on_the_first_rung() -> None:
    def twin(built) -> None:  # type: ignore[no-untyped-def]
        built.hosts["gate-kiosk"].addresses[0] = built.hosts["gate-printer"].addresses[0]

    ladder = company(change=twin).ladder("gate-printer", "booking-db")
    assert ladder.first_failing == 0
    assert ladder.rungs[0].verdict == "wrong-host"
