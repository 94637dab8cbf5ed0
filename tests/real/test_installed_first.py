"""BGP that tells of installed routes only: what real routers tell whom."""

from __future__ import annotations

import os

import pytest
from core.test_reference import our_table, real_entries
from surveys import compute, wired

from trochos.core.survey import Computed

from .lab import Lab, why_not

REASON = why_not()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")
LINKS = [("one", "eth0", "two", "eth0"), ("two", "eth1", "three", "eth0")]


def texts(first: str, section: str) -> dict[str, str]:
    """A chain of three systems; the middle one has a static route to one of two prefixes."""
    out = {}
    ports = {
        "one": [("eth0", "10.0.1.1/30")],
        "two": [("eth0", "10.0.1.2/30"), ("eth1", "10.0.2.1/30")],
        "three": [("eth0", "10.0.2.2/30")],
    }
    peers = {"one": ["10.0.1.2 2"], "two": ["10.0.1.1 1", "10.0.2.2 3"], "three": ["10.0.2.1 2"]}
    for number, (name, held) in enumerate(ports.items(), 1):
        rows = [f"hostname {name}"]
        if name == "two":
            rows += [first] if first else []
            rows.append("ip route 10.9.1.0/24 blackhole")
        for port, address in held:
            rows += [f"interface {port}", f" ip address {address}", "exit"]
        rows += [f"router bgp {number}", " no bgp ebgp-requires-policy", " timers bgp 1 3"]
        rows += [f" {section}"] if section and name == "two" else []
        for peer in peers[name]:
            address, system = peer.split()
            rows.append(f" neighbor {address} remote-as {system}")
            rows.append(f" neighbor {address} timers connect 1")
        rows.append(" address-family ipv4 unicast")
        if name == "one":
            rows += ["  network 10.9.1.0/24", "  network 10.9.2.0/24"]
        if name == "two":
            rows.append("  network 10.0.2.0/30")
        rows += [" exit-address-family", "exit"]
        if name == "one":
            rows += ["ip route 10.9.1.0/24 blackhole", "ip route 10.9.2.0/24 blackhole"]
        out[name] = "\n".join(rows) + "\n"
    return out


def computed(held: dict[str, str]) -> Computed:
    files = {f"devices/{name}/frr.conf": text for name, text in held.items()}
    survey = compute({"topology.json": wired(*LINKS), **files})
    assert [u for report in survey.survey.reading for u in report.unknown] == []
    return survey


@pytest.mark.parametrize(
    ("first", "section", "told"),
    [
        ("", "", {"10.9.1.0/24", "10.9.2.0/24"}),
        ("", "bgp suppress-fib-pending", {"10.9.2.0/24"}),
        ("bgp suppress-fib-pending", "", {"10.9.2.0/24"}),
    ],
)
def test_a_route_that_another_protocol_holds_is_not_told(
    first: str, section: str, told: set[str]
) -> None:
    held = texts(first, section)
    survey = computed(held)
    ours = our_table(survey, "three", "ipv4")
    assert {prefix for prefix in ours if prefix.startswith("10.9.")} == told
    with Lab(held, {}, LINKS, [], {}, tag=f"i{os.getpid()}") as lab:
        lab.settle(quiet=3, least=5)
        lab.until(lambda: real_entries(lab.table("three", 4)) == ours)
        assert real_entries(lab.table("three", 4)) == ours
