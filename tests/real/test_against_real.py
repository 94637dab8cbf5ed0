"""Random networks on real routers: computed tables and reachability equal what they do."""

from __future__ import annotations

import json
import os

import pytest
from core.test_reference import Table, our_table, real_entries
from surveys import compute, wired

from .lab import Lab, why_not
from .networks import make

REASON = why_not()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")


@pytest.mark.parametrize(("seed", "family"), [(4, 4), (9, 4), (46, 4), (8, 6), (49, 6)])
def test_tables_and_pings(seed: int, family: int) -> None:
    made = make(seed, family)
    with Lab(made.routers, made.hosts, made.links, tag=f"t{os.getpid()}x{seed}") as lab:
        lab.settle()
        files = {"topology.json": wired(*made.links)}
        for name in made.routers:
            text = lab.running(name).split("Current configuration:")[-1]
            files[f"devices/{name}/frr.conf"] = text
            files[f"devices/{name}/ip-addr.json"] = lab.addresses(name)
        for name in made.hosts:
            files[f"devices/{name}/ip-addr.json"] = lab.addresses(name)
            files[f"devices/{name}/ip-route.json"] = lab.kernel_routes(name, 4)
            files[f"devices/{name}/ip-route6.json"] = lab.kernel_routes(name, 6)
        survey = compute(files)

        def real(name: str) -> Table:
            """The table that a router uses; the metric of a static route is no part of it."""
            held = real_entries(lab.table(name, family))
            return {prefix: (word, 0, hops) for prefix, (word, _, hops) in held.items()}

        def ours(name: str) -> Table:
            return our_table(survey, name, f"ipv{family}")

        lab.until(lambda: all(ours(name) == real(name) for name in made.routers))
        for name in made.routers:
            assert ours(name) == real(name), (name, json.dumps(files))
        pairs = [
            pair
            for pair in survey.reach.pairs()
            if pair.target.family == family
            and pair.source is not None
            and pair.ok in (True, False)
            # A looping flow of IPv6 may get through by luck: docs/decisions/0004.
            and (family == 4 or "loop" not in (pair.outbound, pair.back))
        ]
        answered = lab.pings([(p.device, str(p.target), str(p.source)) for p in pairs])
        wrong = [p for p, real_ok in zip(pairs, answered, strict=True) if p.ok is not real_ok]
        assert wrong == []
        assert len(pairs) > 100
