"""Sessions whose packets meet rules, filters, reverse-path checks and odd statics, with real
speakers: they stand exactly where what is computed says so."""

from __future__ import annotations

import json
import os
import time

import pytest
from core.test_reaching import drawn
from surveys import compute

from trochos.core.protocols.bgp.ends import BgpEnd

from .lab import Lab, why_not

REASON = why_not()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")
SEEDS = [int(seed) for seed in os.environ.get("SEEDS", "19 40").split()]


def _standing(net: Lab, names: list[str]) -> dict[tuple[str, str], bool]:
    out = {}
    for name in names:
        shown = json.loads(net.show(name, "show bgp ipv4 unicast summary json") or "{}")
        for peer, row in shown.get("peers", {}).items():
            out[name, peer] = row["state"] == "Established"
    return out


@pytest.mark.parametrize("seed", SEEDS)
def test_real_speakers_are_neighbours_where_computed(seed: int) -> None:
    made = drawn(seed)
    texts = {
        path.split("/")[1]: text for path, text in made.files.items() if path.endswith("frr.conf")
    }
    fast = {
        name: "".join(
            f"{line}\n{line.split(' remote-as')[0]} timers connect 2\n"
            if " remote-as" in line
            else f"{line}\n"
            for line in text.split("\n")
        )
        for name, text in texts.items()
    }
    survey = compute(made.files)
    expected: dict[tuple[str, str], bool] = {}
    for relation in survey.tables.relations():
        for end in relation.ends:
            if isinstance(end, BgpEnd) and end.neighbour is not None:
                expected[end.name, str(end.neighbour.address)] = relation.works
    with Lab(fast, {}, made.links) as net:
        for name, commands in made.commands.items():
            for command in commands:
                net.run(name, *command.split())
        for name in texts:  # what came up before the rules were there starts again
            net.show(name, "clear bgp *")
        # One that is to stand comes up within a few tries; one that is not gets as long.
        end = time.monotonic() + 60
        shown = _standing(net, list(texts))
        while time.monotonic() < end and not all(shown[k] for k, up in expected.items() if up):
            time.sleep(1)
            shown = _standing(net, list(texts))
        time.sleep(15)
        shown = _standing(net, list(texts))
        assert {key: shown[key] for key in expected} == expected
