"""One fault of each kind that people make, and what is said of it.

Where the lines of a healthy captured network are only ever changed or taken out at random,
whole sections and lines that somebody adds are left out; these are here.
"""

from __future__ import annotations

import pytest
from faults import try_fault
from surveys import KEY, ROOT, bare

from trochos.core.change.apply import apply
from trochos.core.network.edits import TextEdit
from trochos.core.readers.masking import number_of
from trochos.core.survey import Computed

Kind = tuple[str, str, str, str, str]
"""(network, router, section and inner section, line taken out, line added)."""

KINDS: dict[str, Kind] = {
    "routing instances: a host mask on a link": (
        "delve",
        "stope",
        "interface eth3 vrf red",
        "ip address 10.80.0.13/30",
        "ip address 10.80.0.13/32",
    ),
    "the odd end is far from the address plan": (
        "tarn",
        "beck",
        "interface eth2",
        "ip address 10.78.0.1/30",
        "ip address 10.78.1.1/30",
    ),
    "IS-IS: no address on a LAN": (
        "karst",
        "scar",
        "interface eth1",
        "ip address 10.72.64.3/24",
        "",
    ),
    "tunnels: another address where they start": (
        "silo",
        "sett",
        "interface eth1",
        "ip address 100.65.0.1/30",
        "ip address 100.65.0.3/30",
    ),
    "IS-IS: the aggregate is for what nobody has": (
        "karst",
        "clint",
        "",
        "ip route 10.72.32.0/19 Null0",
        "ip route 9.72.32.0/19 Null0",
    ),
    "IS-IS: the aggregate is not told": (
        "karst",
        "clint",
        "router isis karst",
        "redistribute ipv6 static level-2",
        "",
    ),
    "OSPF: told to announce a default, and there is none": (
        "weald",
        "holt",
        "",
        "ip route 0.0.0.0/0 10.74.1.2",
        "",
    ),
    "translation: several addresses are not sent back": (
        "stile",
        "pound",
        "",
        "ip route 203.0.113.8/29 203.0.113.2",
        "",
    ),
    "IS-IS: no name": ("karst", "rift", "router isis karst", "net 49.0001.0000.0072.0001.00", ""),
    "IS-IS: no address on a link": (
        "karst",
        "grike",
        "interface eth1",
        "ip address 10.72.0.2/30",
        "",
    ),
    "IS-IS: the aggregate that is told is gone": (
        "karst",
        "grike",
        "",
        "ip route 10.72.0.0/19 Null0",
        "",
    ),
    "IS-IS: the aggregate of one family is gone": (
        "karst",
        "clint",
        "",
        "ipv6 route fd00:72:200::/40 Null0",
        "",
    ),
    "static route: its gateway is the router itself": (
        "weald",
        "holt",
        "",
        "ip route 0.0.0.0/0 10.74.1.2",
        "ip route 0.0.0.0/0 10.74.1.1",
    ),
    "OSPF: the whole process": ("loom", "cress", "", "router ospf", ""),
    "OSPF: another network type": (
        "loom",
        "reed",
        "interface eth2",
        "",
        "ip ospf network point-to-multipoint",
    ),
    "OSPF: silent": ("loom", "cress", "router ospf", "", "passive-interface default"),
    "OSPF: a stub on one side": ("port", "pier", "router ospf", "", "area 0 stub"),
    "RIP: the whole process": ("rook", "jay", "", "router rip", ""),
    "RIP: another version": ("rook", "jay", "router rip", "", "version 1"),
    "RIP: silent": ("rook", "jay", "router rip", "", "passive-interface default"),
    "EIGRP: the whole process": ("elmet", "nab", "", "router eigrp 77", ""),
    "EIGRP: other weights": ("elmet", "nab", "router eigrp 77", "", "metric weights 1 1 1 0 0"),
    "BGP: the whole process": ("trio", "isle", "", "router bgp 64507", ""),
    "BGP: the whole process of a border": ("trio", "north", "", "router bgp 65540", ""),
    "BGP: a session shut": (
        "trio",
        "isle",
        "router bgp 64507",
        "",
        "neighbor 10.120.255.3 shutdown",
    ),
    "BGP: another password": (
        "trio",
        "isle",
        "router bgp 64507",
        "",
        f"neighbor 10.120.255.3 password <secret:{number_of(KEY)}0123456789ab>",
    ),
    "BGP: nobody calls": (
        "trio",
        "isle",
        "router bgp 64507",
        "",
        "neighbor 10.120.255.3 passive",
    ),
    "BGP: too few hops": (
        "trio",
        "isle",
        "router bgp 64507",
        "neighbor 10.120.255.3 ebgp-multihop 2",
        "",
    ),
    "BGP: too few prefixes": (
        "trio",
        "isle",
        "router bgp 64507/address-family ipv4 unicast",
        "",
        "neighbor 10.120.255.3 maximum-prefix 1",
    ),
    "BGP: a policy nobody wrote": (
        "trio",
        "isle",
        "router bgp 64507/address-family ipv4 unicast",
        "",
        "neighbor 10.120.255.3 route-map NOWHERE in",
    ),
    "BGP: not this family": (
        "trio",
        "isle",
        "router bgp 64507/address-family ipv4 unicast",
        "",
        "no neighbor 10.120.255.3 activate",
    ),
    "static: discarded": ("dale", "mill", "", "", "ip route 10.64.20.0/24 blackhole"),
    "static: in the way of many": ("dale", "barn", "", "", "ip route 10.64.0.0/18 blackhole"),
    "static: longer than the right one": (
        "dale",
        "mill",
        "",
        "",
        "ip route 10.64.20.0/25 10.64.0.1",
    ),
    "no forwarding": ("dale", "mill", "", "", "no ip forwarding"),
}


@pytest.mark.thorough
@pytest.mark.parametrize("name", KINDS)
def test_the_fault_is_the_proven_cause(name: str) -> None:
    net, router, place, removed, added = KINDS[name]
    healthy = bare(ROOT / "tests" / "cases" / f"{net}-00" / "survey")
    context = tuple(place.split("/", 1)) if place else ()
    fault = TextEdit(
        router, "frr.conf", context, (removed,) if removed else (), (added,) if added else ()
    )
    outcome = try_fault(healthy, fault)
    assert outcome is not None, "it breaks nothing"
    assert outcome.hit, outcome


@pytest.mark.thorough
def test_both_families_of_a_name_are_mended() -> None:
    """One fault a family: a cure of one of them leaves the complaint true for whoever asked."""
    survey = bare(ROOT / "tests" / "cases" / "karst-00" / "survey")
    wrong = (
        TextEdit(
            *("scar", "frr.conf", ("router isis karst",)),
            remove=("redistribute ipv6 static level-2",),
            add=(),
        ),
        TextEdit(
            *("clint", "frr.conf", ("interface eth2",)),
            remove=("ip address 10.72.32.1/30",),
            add=("ip address 10.72.32.5/30",),
        ),
    )
    broken = Computed(apply(survey.survey, wrong).survey, survey)
    found = broken.diagnose("h3", "h4")
    devices = [cause.option.finding.device for cause in found.causes[: len(found.cure)]]
    assert len(found.cure) == 2 and set(devices) == {"clint", "scar"}
    assert "And over IPv6: scar has fd00:72:300::/64" in found.says
    edits = tuple(e for c in found.causes[:2] for e in c.option.edits)
    assert Computed(apply(broken.survey, edits).survey, broken).path("h3", "h4").works == "yes"
    # Where one family is asked for, the other is nobody's business.
    assert len(broken.diagnose("h3", "10.72.100.10").cure) < 2


@pytest.mark.thorough
def test_a_family_that_works_with_the_cure_is_not_spoken_of() -> None:
    """One fault that breaks one family leaves the other out of it."""
    survey = bare(ROOT / "tests" / "cases" / "karst-00" / "survey")
    wrong = (
        TextEdit(
            *("clint", "frr.conf", ("interface eth2",)),
            remove=("ip address 10.72.32.1/30",),
            add=("ip address 10.72.32.5/30",),
        ),
    )
    found = Computed(apply(survey.survey, wrong).survey, survey).diagnose("h3", "h4")
    assert len(found.cure) == 1 and "over IPv6" not in found.says
