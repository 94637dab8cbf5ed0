"""Random networks of routers that talk to each other: computed tables equal the real ones."""

from __future__ import annotations

import json
import os

import pytest
from core.test_reference import our_table, real_entries
from surveys import compute, wired

from . import dynamic
from .lab import Lab, why_not

REASON = why_not()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")


@pytest.mark.parametrize(
    ("kind", "seed"), [("ospf", 17), ("ospf", 31), ("mixed", 5), ("bgp", 4), ("ospf3", 1)]
)
def test_tables_of_routing_protocols(kind: str, seed: int) -> None:
    made = getattr(dynamic, kind)(seed)
    texts = made.texts()
    tag = f"d{os.getpid()}x{seed}"
    with Lab(texts, {}, made.links, made.lans, made.dummies, tag=tag) as lab:
        lab.settle(quiet=8, least=22)
        files = {"topology.json": wired(*made.links)}
        for name in texts:
            text = lab.running(name).split("Current configuration:")[-1]
            files[f"devices/{name}/frr.conf"] = text
            files[f"devices/{name}/ip-addr.json"] = lab.addresses(name)
        survey = compute(files)
        open_lines = [line for report in survey.survey.reading for line in report.unknown]
        assert [line for line in open_lines if line.matters] == []
        compared = 0
        for name in texts:
            for family in (4, 6):
                real = real_entries(lab.table(name, family))
                ours = our_table(survey, name, f"ipv{family}")
                assert ours == real, (name, family, json.dumps(files))
                compared += len(real)
    assert compared > 30
