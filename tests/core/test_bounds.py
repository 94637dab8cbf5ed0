"""Nothing gives up in silence: what is not settled at its bound is a doubt that names its members,
never a result."""

from __future__ import annotations

from itertools import pairwise

import pytest
from surveys import compute, frr, wired

from trochos.core.network.addressing import parse_prefix
from trochos.core.protocols import eigrp, rip
from trochos.core.survey import Computed

PROTOCOLS = {
    "rip": (rip, ("router rip", " network 10.0.0.0/8", "exit"), "RIP"),
    "eigrp": (eigrp, ("router eigrp 7", " network 10.0.0.0/8", "exit"), "EIGRP"),
}


def chain(lines: tuple[str, ...]) -> Computed:
    """Five routers in a line, each telling the next."""
    names = ["a", "b", "c", "d", "e"]
    files = {"topology.json": wired(*((x, "r", y, "l") for x, y in pairwise(names)))}
    for number, name in enumerate(names):
        ports = {"lo": f"10.255.0.{number + 1}/32"}
        if number:
            ports["l"] = f"10.0.{number}.2/30"
        if number < len(names) - 1:
            ports["r"] = f"10.0.{number + 1}.1/30"
        files[f"devices/{name}/frr.conf"] = frr(name, ports, *lines)
    return compute(files)


@pytest.mark.parametrize("name", PROTOCOLS)
def test_a_bound_that_is_reached_is_a_doubt_and_no_result(
    name: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    module, lines, label = PROTOCOLS[name]
    settled = chain(lines)
    assert settled.path("a", "10.255.0.5").works == "yes"
    assert not settled.tables.doubts()
    monkeypatch.setattr(module, "ROUNDS", 2)
    survey = chain(lines)
    far = parse_prefix("10.255.0.5/32")
    assert far is not None and survey.tables.of("a", 4).winner(far) is None
    path = survey.path("a", "10.255.0.5")
    assert path.works == "unknown"
    doubts = [doubt.why for found in survey.tables.doubts().values() for doubt in found]
    assert any(f"{label} never settles on 10.255.0.5/32" in why and "b" in why for why in doubts)
