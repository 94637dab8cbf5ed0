"""Routes that pass between routing instances of one device by BGP: who takes over what, where
packets then go, and what is mended when one way is missing."""

from __future__ import annotations

import json

import pytest
from surveys import compute, wired
from two_routers import host

from trochos.core.change.apply import apply
from trochos.core.survey import Computed

LINKS = [
    ("till", "eth0", "hub", "eth1"),
    ("depot", "eth0", "hub", "eth2"),
    ("outer", "eth0", "hub", "eth3"),
]
PORTS = {"eth1": ("SHOPS", "10.1.0.1/24"), "eth2": ("COMPANY", "10.2.0.1/24")}
NAMED = {"SHOPS": ["import vrf COMPANY"], "COMPANY": ["import vrf SHOPS"]}
TARGETS = {
    "SHOPS": [
        "rd vpn export 65001:1",
        "rt vpn export 65001:10",
        "rt vpn import 65001:20",
        "label vpn export auto",
        "export vpn",
        "import vpn",
    ],
    "COMPANY": [
        "rd vpn export 65001:2",
        "rt vpn export 65001:20",
        "rt vpn import 65001:10",
        "label vpn export auto",
        "export vpn",
        "import vpn",
    ],
}


def hub(lines: dict[str, list[str]], top: tuple[str, ...] = ()) -> Computed:
    """till in the instance SHOPS and depot in COMPANY, both on hub; outer behind COMPANY."""
    rows = ["hostname hub"]
    for instance in PORTS.values():
        rows += [f"vrf {instance[0]}", "exit-vrf"]
    for port, (instance, address) in PORTS.items():
        rows += [f"interface {port} vrf {instance}", f" ip address {address}", "exit"]
    rows += ["interface eth3 vrf COMPANY", " ip address 10.3.0.1/30", "exit"]
    rows += ["router bgp 65001", " bgp router-id 10.9.0.1", *(f" {line}" for line in top), "exit"]
    for number, instance in enumerate(("SHOPS", "COMPANY"), 2):
        rows += [f"router bgp 65001 vrf {instance}", f" bgp router-id 10.9.0.{number}"]
        rows += [" no bgp ebgp-requires-policy"]
        rows += [" neighbor 10.3.0.2 remote-as 65002"] * (instance == "COMPANY")
        rows += [" address-family ipv4 unicast", "  redistribute connected"]
        rows += [f"  {line}" for line in lines[instance]]
        rows += [" exit-address-family", "exit"]
    rows += ["ip prefix-list OURS seq 5 permit 10.2.0.0/24"]
    rows += ["route-map OURS permit 10", " match ip address prefix-list OURS", "exit"]
    outer = ["hostname outer", "interface eth0", " ip address 10.3.0.2/30", "exit"]
    outer += ["interface lo", " ip address 10.8.0.1/32", "exit"]
    outer += ["router bgp 65002", " no bgp ebgp-requires-policy"]
    outer += [" neighbor 10.3.0.1 remote-as 65001", " address-family ipv4 unicast"]
    outer += ["  network 10.8.0.1/32", " exit-address-family", "exit"]
    files = {
        "topology.json": wired(*LINKS),
        "devices/hub/frr.conf": "\n".join(rows) + "\n",
        "devices/outer/frr.conf": "\n".join(outer) + "\n",
    }
    for name, address, gateway in (
        ("till", "10.1.0.10", "10.1.0.1"),
        ("depot", "10.2.0.10", "10.2.0.1"),
    ):
        for file, text in host(address, gateway).items():
            files[f"devices/{name}/{file}"] = text
    return compute(files)


def has(survey: Computed, node: str) -> set[str]:
    return {str(p) for p, r in survey.tables.of(node, 4).best.items() if r.protocol == "bgp"}


@pytest.mark.parametrize("lines", [NAMED, TARGETS], ids=["named", "targets"])
def test_what_an_instance_takes_over_leads_into_the_other(lines: dict[str, list[str]]) -> None:
    survey = hub(lines)
    assert [u for report in survey.survey.reading for u in report.unknown] == []
    assert has(survey, "hub/SHOPS") == {"10.2.0.0/24", "10.3.0.0/30", "10.8.0.1/32"}
    assert has(survey, "hub/COMPANY") == {"10.1.0.0/24", "10.8.0.1/32"}
    path = survey.path("till", "depot")
    assert path.works == "yes"
    assert [h.device for h in path.outbound.branches[0].hops] == [
        "till",
        "hub/SHOPS",
        "hub/COMPANY",
        "depot",
    ]
    # The router's own address in the other instance answers, and so does what that learned.
    assert survey.path("till", "10.2.0.1").works == "yes"
    assert survey.path("till", "10.8.0.1").works == "yes"
    # What was taken over is told on to neighbours.
    assert "10.1.0.0/24" in has(survey, "outer")
    rows = {(r.device, str(r.target)): r.ok for r in survey.reach.pairs()}
    assert rows["till", "10.2.0.10"] is True and rows["depot", "10.1.0.10"] is True


def test_distances_are_those_of_the_route_that_was_taken_over() -> None:
    table = hub(NAMED).tables.of("hub/SHOPS", 4)
    found = {str(p): r for p, r in table.best.items() if r.protocol == "bgp"}
    assert {r.distance for r in found.values()} == {20}
    assert found["10.2.0.0/24"].next_hops[0].into == "hub/COMPANY"


def test_a_map_keeps_out_what_it_does_not_permit() -> None:
    lines = {**NAMED, "SHOPS": ["import vrf route-map OURS", "import vrf COMPANY"]}
    assert has(hub(lines), "hub/SHOPS") == {"10.2.0.0/24"}
    lines = {**TARGETS, "COMPANY": [*TARGETS["COMPANY"], "route-map vpn export OURS"]}
    assert has(hub(lines), "hub/SHOPS") == {"10.2.0.0/24"}


@pytest.mark.parametrize(
    "missing", ["rd vpn export 65001:2", "rt vpn export 65001:20", "export vpn"]
)
def test_what_is_not_offered_is_not_taken_over(missing: str) -> None:
    lines = {**TARGETS, "COMPANY": [x for x in TARGETS["COMPANY"] if x != missing]}
    survey = hub(lines)
    assert has(survey, "hub/SHOPS") == set()
    assert survey.path("till", "depot").works == "no"


def test_what_was_taken_over_is_not_passed_on_to_a_third() -> None:
    lines = {"SHOPS": ["import vrf COMPANY"], "COMPANY": []}
    survey = hub(lines, (" address-family ipv4 unicast", "  import vrf SHOPS"))
    assert has(survey, "hub") == {"10.1.0.0/24"}


@pytest.mark.parametrize("lines", [NAMED, TARGETS], ids=["named", "targets"])
def test_one_way_is_missing(lines: dict[str, list[str]]) -> None:
    gone = {"import vrf SHOPS", "import vpn"}
    half = {**lines, "COMPANY": [x for x in lines["COMPANY"] if x not in gone]}
    survey = hub(half)
    found = survey.diagnose("till", "depot")
    assert found.path.outbound.verdict == "delivered" and found.path.works == "no"
    top = found.causes[0]
    assert top.option.finding.kind == "leak-one-way" and top.certainty == "proven"
    after = Computed(apply(survey.survey, top.option.edits).survey)
    assert after.path("till", "depot").works == "yes"
    text = after.survey.text("hub", "frr.conf")
    assert text is not None and text.count("import v") == 2, top.option.remedy.title


def test_two_instances_that_offer_the_same_target_are_told() -> None:
    twice = [x.replace("export 65001:20", "export 65001:10") for x in TARGETS["COMPANY"]]
    survey = hub({**TARGETS, "COMPANY": twice})
    (found,) = (f for f in survey.findings if f.kind == "route-target-twice")
    assert found.device.partition("/")[0] == "hub" and "65001:10" in found.summary
    assert {e.text for e in found.evidence} == {"rt vpn export 65001:10"}
    # Another instance takes a target that nobody offers: that one was meant.
    assert found.severity == "breaks"
    assert survey.path("till", "depot").works == "no"
    # Taking the shared one over would join the two; what was meant comes first.
    assert survey.diagnose("till", "depot").causes[0].option.finding.id == found.id
    after = Computed(apply(survey.survey, found.remedies[0].edits).survey)
    assert after.path("till", "depot").works == "yes"
    assert not [f for f in after.findings if f.kind.startswith("route-target")]


def test_what_is_taken_from_nobody_is_told() -> None:
    lines = {**NAMED, "SHOPS": ["import vrf CREW"]}
    kinds = {f.kind: f for f in hub(lines).findings}
    assert "CREW" in kinds["import-from-nobody"].summary
    gone = {**TARGETS, "COMPANY": [x for x in TARGETS["COMPANY"] if x != "export vpn"]}
    kinds = {f.kind: f for f in hub(gone).findings}
    assert "65001:20" in kinds["route-target-unoffered"].summary


def test_what_other_routers_offer_is_not_computed() -> None:
    survey = hub(TARGETS, ("neighbor 10.9.0.9 remote-as 65001", "address-family ipv4 vpn"))
    assert survey.path("till", "10.77.0.1").works == "unknown"
    assert json.dumps(survey.path("till", "10.77.0.1").as_json()).count("RFC 4364")
