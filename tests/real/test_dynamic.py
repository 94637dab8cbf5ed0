"""Random networks of routers that talk to each other: computed tables equal the real ones."""

from __future__ import annotations

import json
import os

import pytest
from core.test_reference import Table, our_table, real_entries
from surveys import compute, wired

from . import dynamic
from .lab import Lab, why_not

REASON = why_not()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")


@pytest.mark.parametrize(
    ("kind", "seed"),
    [("ospf", 17), ("ospf", 31), ("mixed", 5), ("bgp", 4), ("ospf3", 1), ("isis", 9), ("isis", 13)],
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
        pairs = [(name, family) for name in texts for family in (4, 6)]

        def tables(pair: tuple[str, int]) -> tuple[Table, Table]:
            """Ours and the real one."""
            name, family = pair
            return our_table(survey, name, f"ipv{family}"), real_entries(lab.table(name, family))

        lab.until(lambda: all(ours == real for ours, real in map(tables, pairs)))
        compared = 0
        for pair in pairs:
            ours, real = tables(pair)
            assert ours == real, (pair, json.dumps(files))
            compared += len(real)
    assert compared > 30


POINT_TO_POINT = {
    "apart": ("10.1.0.1/30", "10.1.0.9/30"),
    "one way": ("10.2.0.1/30", "10.2.0.5/29"),
    "inside": ("10.3.0.1/30", "10.3.0.2/29"),
    "unnumbered": ("10.4.0.1/32", "10.4.9.1/32"),
}
"""Addresses of two ends that OSPF treats as point to point."""


def test_point_to_point_ends_hear_their_own_subnet_or_have_none() -> None:
    texts, links = {}, []
    for number, pair in enumerate(POINT_TO_POINT.values(), 1):
        for name, address in zip("ab", pair, strict=True):
            router = dynamic.Router(f"{name}{number}")
            router.port(
                f"ip address {address}",
                "ip ospf network point-to-point",
                "ip ospf hello-interval 1",
                "ip ospf dead-interval 4",
                "ip ospf area 0",
            )
            router.port(f"ip address 10.9.{number}.{ord(name)}/32", "ip ospf area 0", name="lo")
            router.sections["router ospf"] = []
            texts[router.name] = router.text()
        links.append((f"a{number}", "eth1", f"b{number}", "eth1"))
    files = {"topology.json": wired(*links)}
    with Lab(texts, {}, links, tag=f"n{os.getpid()}") as lab:
        lab.settle(quiet=6, least=20)
        for name in texts:
            files[f"devices/{name}/frr.conf"] = lab.running(name)
            files[f"devices/{name}/ip-addr.json"] = lab.addresses(name)
        survey = compute(files)
        for name in texts:
            assert our_table(survey, name, "ipv4") == real_entries(lab.table(name, 4)), name
        states = {}
        for name in texts:
            shown = json.loads(lab.show(name, "show ip ospf neighbor json"))["neighbors"]
            heard = [n["nbrState"].split("/")[0].lower() for held in shown.values() for n in held]
            states[name] = heard[0] if heard else "down"
    ours = {}
    for pair in survey.neighbours_json()["pairs"]:  # type: ignore[attr-defined]
        for side in (pair["left"], pair["right"]):
            ours[side["device"]] = side["state"]
    assert ours == states
