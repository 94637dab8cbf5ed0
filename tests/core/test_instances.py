"""Routing instances are not computed: answers that touch one are unknown, and no others are."""

from __future__ import annotations

import json

import pytest
from surveys import compute, wired

from trochos.core.survey import Computed

FORMS = {
    "in the heading": ("interface {} vrf RED", ""),
    "in a line": ("interface {}", " vrf RED\n"),
}


def network(form: str, *top: str) -> Computed:
    """A router with eth1 and eth2 in the instance RED and eth3 in none, a host at each."""
    heading, line = FORMS[form]
    files = {"topology.json": wired(*((f"h{n}", "eth0", "mid", f"eth{n}") for n in (1, 2, 3)))}
    rows = ["frr version 8.4.4", "hostname mid", "vrf RED", "exit-vrf", *top]
    text = "\n".join(rows) + "\n"
    for number in (1, 2, 3):
        apart = number < 3
        opening = heading.format(f"eth{number}") if apart else f"interface eth{number}"
        text += f"{opening}\n{line if apart else ''} ip address 10.{number}.0.1/24\nexit\n"
        held = {"family": "inet", "local": f"10.{number}.0.9", "prefixlen": 24, "scope": "global"}
        link = {"ifname": "eth0", "flags": ["UP", "LOWER_UP"], "addr_info": [held]}
        route = {"dst": "default", "gateway": f"10.{number}.0.1", "dev": "eth0"}
        files[f"devices/h{number}/addr.json"] = json.dumps([link])
        files[f"devices/h{number}/route.json"] = json.dumps([route])
    files["devices/mid/frr.conf"] = text
    return compute(files)


@pytest.mark.parametrize("form", FORMS)
def test_what_arrives_in_an_instance_is_not_certain(form: str) -> None:
    survey = network(form)
    assert survey.path("h1", "h2").works == "unknown"
    assert survey.path("h1", "10.1.0.1").works == "unknown"
    assert survey.path("mid", "10.1.0.1").works == "no", "the usual table has no way there either"
    assert survey.path("h3", "10.3.0.1").works == "yes"
    assert survey.path("h3", "h1").works == "no", "the usual table has no way there"


@pytest.mark.parametrize("form", FORMS)
def test_all_pairs_say_what_single_ones_say(form: str) -> None:
    survey = network(form)
    said = {True: "yes", False: "no", None: "unknown", "partly": "partly"}
    for pair in survey.reach.pairs():
        path = survey.path(pair.device, str(pair.target))
        if path.source == pair.source:
            assert said[pair.ok] == path.works, pair  # type: ignore[index]


def test_a_way_out_of_the_usual_table_into_an_instance_is_not_certain() -> None:
    leak = "ip route 10.1.0.0/24 10.1.0.9 nexthop-vrf RED"
    assert network("in a line", leak).path("h3", "h1").works == "unknown"
    inside = network("in a line", "ip route 10.8.0.0/24 10.1.0.9 vrf RED")
    assert inside.path("h3", "10.3.0.1").works == "yes"
    assert inside.path("h3", "10.8.0.1").works == "no"
