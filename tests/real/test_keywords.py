"""Words that no router knows: what a real one does with the line, and with what follows it."""

from __future__ import annotations

import os

import pytest
from core.test_reference import our_table, real_entries
from surveys import compute, wired

from .lab import Lab, why_not

REASON = why_not()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")

LINK = ("near", "eth0", "far", "eth0")
NEAR = """hostname near
interface eth0
 ip address 10.0.0.1/30
exit
interface lo
 ip address 10.1.1.1/32
exit
router bgp 65001
 no bgp ebgp-requires-policy
 timers bgp 1 3
 neighbor 10.0.0.2 remote-as 65002
 neighbor 10.0.0.2 timers connect 1
 address-family ipv5 unicast
  network 10.1.1.1/32
 exit-address-family
exit
"""
FAR = """hostname far
interface eth0
 ip address 10.0.0.2/30
exit
router bgp 65002
 no bgp ebgp-requires-policy
 timers bgp 1 3
 neighbor 10.0.0.1 remote-as 65001
 neighbor 10.0.0.1 timers connect 1
exit
"""


def test_an_address_family_that_there_is_not() -> None:
    texts = {"near": NEAR, "far": FAR}
    files = {"topology.json": wired(LINK)}
    files |= {f"devices/{name}/frr.conf": text for name, text in texts.items()}
    survey = compute(files)
    unknown = {u.text.strip(): u for report in survey.survey.reading for u in report.unknown}
    assert "is no address family" in (unknown["address-family ipv5 unicast"].why or "")
    ours = our_table(survey, "far", "ipv4")
    assert "10.1.1.1/32" in ours
    with Lab(texts, {}, [LINK], [], {}, tag=f"k{os.getpid()}") as lab:
        lab.settle(quiet=3, least=5)
        lab.until(lambda: real_entries(lab.table("far", 4)) == ours)
        assert real_entries(lab.table("far", 4)) == ours
        assert "network 10.1.1.1/32" in lab.running("near").partition("ipv4 unicast")[2]
