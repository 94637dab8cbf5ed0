"""Forms of configuration that few networks use, many small networks at once: what is computed
of each equals what its real routers do."""

from __future__ import annotations

import os
import re

import pytest
from core import (
    test_bgp_attributes,
    test_bgp_found,
    test_confederations,
    test_ospf_details,
    test_ospf_links,
    test_table_maps,
    test_vectors,
)
from core.test_reference import our_table, real_entries
from surveys import compute, wired

from trochos.core.survey import Computed

from .lab import Lab, why_not

REASON = why_not()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")

QUICK = ["ip ospf hello-interval 1", "ip ospf dead-interval 4"]
NBMA = [test_ospf_links.NBMA, *QUICK]
SIGNED = [test_ospf_links.DIGEST, test_ospf_links.KEY]


def forms() -> dict[str, Computed]:
    """The networks, each with a word that its devices' names begin with."""
    listed, two = test_ospf_links.listed, test_ospf_details.two
    subnets = [test_ospf_details.addresses(side) for side in (1, 2)]
    return {
        "nb": test_ospf_links.shared(
            (NBMA, listed(2, 3)), *2 * [([*NBMA, test_ospf_links.LAZY], [])]
        ),
        "vl": test_ospf_links.crossing(SIGNED, SIGNED),
        "vk": test_ospf_links.crossing(SIGNED, [test_ospf_links.KEY]),
        "un": test_bgp_found.pair(test_bgp_found.AT_PORT, test_bgp_found.AT_PORT),
        "dy": test_bgp_found.pair(
            test_bgp_found.LISTEN, test_bgp_found.CALLS, addresses=test_bgp_found.WIRE
        ),
        "cf": test_confederations.chain(),
        "ro": test_bgp_attributes.of_roles("customer", "provider", "peer"),
        "su": two(
            [*subnets[0], *QUICK, "ip ospf area 0", "ip ospf cost 50 10.2.0.1"],
            [*subnets[1], *QUICK, "ip ospf area 0"],
        ),
        "tm": test_table_maps.triangle(test_table_maps.MAP + "ip protocol ospf route-map IN\n"),
        "ag": test_vectors.network(6, "aggregate-address fd00:a::/32"),
    }


def test_tables_of_rare_forms() -> None:
    texts: dict[str, str] = {}
    links: list[tuple[str, str, str, str]] = []
    lans: list[str] = []
    dummies: dict[str, list[str]] = {}
    for word, survey in forms().items():
        for device in survey.network.devices:
            text = survey.survey.files[device.name]["frr.conf"]
            # News that is waited for a minute is no other news.
            quick = re.sub(r"(?m)^(router bgp .*)$", r"\1\n timers bgp 1 3", text)
            quick = re.sub(r"(?m)^(router rip(?:ng)?)$", r"\1\n timers basic 2 12 10", quick)
            texts[word + device.name] = quick
        wired_up = set()
        for number, segment in enumerate(survey.network.segments):
            ends = [(word + end.device, end.interface) for end in segment.ends]
            wired_up |= set(ends)
            if len(ends) == 2 and segment.lan is None:
                links.append((*ends[0], *ends[1]))
                continue
            lans.append(f"{word}l{number}")
            links += [(lans[-1], f"p{n}", *end) for n, end in enumerate(ends)]
        for device in survey.network.devices:
            name = word + device.name
            loose = [i.name for i in device.interfaces if (name, i.name) not in wired_up]
            dummies[name] = [port for port in loose if port != "lo"]
    with Lab(texts, {}, links, lans, dummies, tag=f"f{os.getpid()}") as lab:
        # Where no timers are set, OSPF waits 40 s before it elects.
        lab.settle(quiet=6, least=55, most=120)
        files = {"topology.json": wired(*links)}
        for name in texts:
            files[f"devices/{name}/frr.conf"] = lab.running(name).split("configuration:")[-1]
            files[f"devices/{name}/ip-addr.json"] = lab.addresses(name)
        survey = compute(files)
        assert [line for report in survey.survey.reading for line in report.unknown] == []
        wrong: dict[str, object] = {}

        def equal() -> bool:
            wrong.clear()
            for name in texts:
                for family in (4, 6):
                    real = real_entries(lab.table(name, family))
                    ours = our_table(survey, name, f"ipv{family}")
                    if ours != real:
                        wrong[name] = {
                            prefix: (ours.get(prefix), real.get(prefix))
                            for prefix in ours.keys() | real.keys()
                            if ours.get(prefix) != real.get(prefix)
                        }
            return not wrong

        lab.until(equal)
        assert wrong == {}
