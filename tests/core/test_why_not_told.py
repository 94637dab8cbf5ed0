"""Why one neighbour does not tell another of a prefix: what decided it, and the lines."""

from __future__ import annotations

from typing import Any

import pytest
from core.test_isis import router, two
from surveys import compute, frr, wired

from trochos.core.protocols import vectors
from trochos.core.survey import Computed

RIP = ["router rip", " network 10.0.0.0/8"]
EIGRP = ["router eigrp 7", " network 10.0.0.0/8"]
LIST = ["ip prefix-list NO seq 5 deny 10.9.0.1/32", "ip prefix-list NO seq 10 permit any"]


def pair(ant: list[str], bee: list[str], section: list[str]) -> Computed:
    """ant has 10.9.0.1/32; what each says more stands in its section or, after `exit`, behind."""
    files = {"topology.json": wired(("ant", "eth1", "bee", "eth1"))}
    for name, more, ports in (
        ("ant", ant, {"eth1": "10.0.0.1/30", "lo": "10.9.0.1/32"}),
        ("bee", bee, {"eth1": "10.0.0.2/30"}),
    ):
        files[f"devices/{name}/frr.conf"] = frr(name, ports, *section, *more)
    return compute(files)


def why(survey: Computed, device: str = "bee", prefix: str = "10.9.0.1/32") -> tuple[str, set[str]]:
    """The step that says why it is not told, and the lines it rests on."""
    (found,) = survey.why(prefix, device)["why"]  # type: ignore[misc]
    assert found["present"] is False
    steps = [step for step in found["chain"] if step["claim"]["kind"] in ("refused", "apart")]
    assert len(steps) == 1, found["chain"]
    return steps[0]["says"], {line["text"].strip() for line in steps[0]["evidence"]}


CASES = {
    "a list of the sender": (
        RIP, [" distribute-list prefix NO out eth1", "exit", *LIST], [],
        "ant does not pass it on: its list NO keeps 10.9.0.1/32 back.",
        {"distribute-list prefix NO out eth1", LIST[0]},
    ),
    "a list of the taker": (
        RIP, [], [" distribute-list prefix NO in eth1", "exit", *LIST],
        "bee does not take it: its list NO keeps 10.9.0.1/32 back.",
        {"distribute-list prefix NO in eth1", LIST[0]},
    ),
    "a metric without end": (
        RIP, [" offset-list all out 15 eth1", "exit", "access-list all seq 5 permit any"], [],
        "The metric of 10.9.0.1/32 from ant to bee would be 17, and 16 stands for no way.",
        {"offset-list all out 15 eth1"},
    ),
    "a list of EIGRP": (
        EIGRP, [], [" distribute-list prefix NO in eth1", "exit", *LIST],
        "bee does not take it: its list NO keeps 10.9.0.1/32 back.",
        {"distribute-list prefix NO in eth1", LIST[0]},
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_what_decided_is_said_with_its_lines(name: str) -> None:
    section, ant, bee, sentence, lines = CASES[name]
    said, evidence = why(pair(ant, bee, section))
    assert said == sentence
    assert lines <= evidence


@pytest.mark.parametrize("section", [RIP, EIGRP], ids=["RIP", "EIGRP"])
def test_the_question_computes_nothing_again(
    section: list[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    """What a protocol ends with takes as long as all tables: 51 s on a grid of 144 routers."""
    counted: list[int] = []
    real = vectors.Telling.settle

    def counting(*given: Any) -> Any:
        counted.append(1)
        return real(*given)

    monkeypatch.setattr(vectors.Telling, "settle", counting)
    survey = pair([], [" distribute-list prefix NO in eth1", "exit", *LIST], section)
    assert survey.tables.relations() and counted
    before = len(counted)
    assert "its list NO keeps" in why(survey)[0]
    assert len(counted) == before


def test_without_a_reason_it_arrives() -> None:
    for section in (RIP, EIGRP):
        (found,) = pair([], [], section).why("10.9.0.1/32", "bee")["why"]  # type: ignore[misc]
        assert found["present"] is True


def test_another_level_of_isis_does_not_hear_of_it() -> None:
    """Both of both levels, so they are neighbours in each; ant announces its static in one."""
    static = ("redistribute ipv4 static level-2",)
    left = router(
        "ant", 1, {"eth1": "10.0.0.1/30"}, *static, lines={"eth1": (" isis circuit-type level-1",)}
    )
    left += "ip route 10.8.0.0/24 blackhole\n"
    right = router(
        "bee", 2, {"eth1": "10.0.0.2/30"}, lines={"eth1": (" isis circuit-type level-1",)}
    )
    said, evidence = why(two(left, right), prefix="10.8.0.0/24")
    assert said == "ant announces it in level 2, and bee is its neighbour in level 1 alone."
    assert "redistribute ipv4 static level-2" in evidence
