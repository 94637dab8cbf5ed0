"""The demo's isles on real routers: what the company's surveys say is what would happen."""

from __future__ import annotations

import json
import os

import make as demo
import pytest
from core.test_reference import Table, our_table, real_entries
from surveys import compute, wired

from .lab import Lab, why_not

REASON = why_not()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")


@pytest.mark.parametrize("broken", [False, True])
def test_the_isles_on_real_routers(broken: bool) -> None:
    company = demo.broken() if broken else demo.healthy()
    routers = {n: r for n, r in company.routers.items() if r.protocols}
    links = [link for link in company.links if link[0] in routers and link[2] in routers]
    wired_ports = {(link[i], link[i + 1]) for link in links for i in (0, 2)}
    dummies = {
        name: [
            port.name
            for port in router.ports
            if port.name != "lo" and (name, port.name) not in wired_ports
        ]
        for name, router in routers.items()
    }
    texts = {name: demo.frr_text(router) for name, router in routers.items()}
    with Lab(texts, {}, links, [], dummies, tag=f"i{os.getpid()}x{int(broken)}") as lab:
        lab.settle(quiet=8, least=40, most=120)
        files = {"topology.json": wired(*links)}
        for name in routers:
            text = lab.running(name).split("Current configuration:")[-1]
            files[f"devices/{name}/frr.conf"] = text
            files[f"devices/{name}/ip-addr.json"] = lab.addresses(name)
        survey = compute(files)

        def tables(name: str) -> list[Table]:
            """Ours and the real one."""
            held = [our_table(survey, name, "ipv4"), real_entries(lab.table(name, 4))]
            if broken:
                # A hidden range leaves its discard route only on a router that showed it before
                # (docs/decisions/0007).
                for table in held:
                    table.pop("10.64.160.0/20", None)
            return held

        def equal() -> bool:
            return all(ours == real for ours, real in map(tables, routers))

        lab.until(equal)
        if not equal():
            # Seen once, on a busy machine: a border that read its own text while its neighbours
            # came up never announced one of its ranges. Routers that start OSPF anew with the
            # whole text before them have to agree.
            for name in routers:
                lab.show(name, "clear ip ospf process")
            lab.settle(quiet=8, least=40, most=120)
            lab.until(equal)
        compared = 0
        for name in routers:
            ours, real = tables(name)
            assert ours == real, (name, json.dumps(files))
            compared += len(real)
        assert compared > 100
