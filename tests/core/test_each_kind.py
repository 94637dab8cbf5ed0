"""Findings that no captured network shows: each kind made in a small one, by name."""

from __future__ import annotations

import json
from typing import Any

import pytest
from core.test_every_gate import LINK, PORTS, SECTIONS
from surveys import ROOT, bare, compute, wired
from two_routers import host

from trochos.core.change.apply import apply
from trochos.core.survey import Computed

Edit = dict[str, list[tuple[str, str]]]
"""Per router what its text says and what it says instead; "" stands for the end of the text."""


def pair(protocol: str, edits: Edit, **files: str) -> Computed:
    """ant and bee, changed; further files as `ant__name_json`."""
    held = {"topology.json": wired(("ant", "eth1", "bee", "eth1"))}
    for number, name in enumerate(("ant", "bee"), 1):
        said = (LINK + SECTIONS[protocol]).format(
            name=name, n=number, o=3 - number, port=PORTS[protocol]
        )
        for old, new in edits.get(name, []):
            if old:
                assert old in said, old
                said = said.replace(old, new, 1)
            else:
                said += new
        held[f"devices/{name}/frr.conf"] = said
    for key, text in files.items():
        device, _, file = key.partition("__")
        held[f"devices/{device}/{file.replace('_json', '.json')}"] = text
    return compute(held)


def drops(*conditions: dict[str, Any]) -> str:
    """A filter that drops what comes in under some conditions."""
    chain = {"family": "inet", "table": "f", "name": "in", "type": "filter", "hook": "input"}
    rule = {"family": "inet", "table": "f", "chain": "in", "expr": [*conditions, {"drop": None}]}
    listed = [{"chain": {**chain, "prio": 0, "policy": "accept"}}, {"rule": rule}]
    return json.dumps({"nftables": listed}, indent=1)


def protocol_is(word: str) -> dict[str, Any]:
    left = {"meta": {"key": "l4proto"}}
    return {"match": {"op": "==", "left": left, "right": word}}


def port_is(protocol: str, number: int) -> dict[str, Any]:
    left = {"payload": {"protocol": protocol, "field": "dport"}}
    return {"match": {"op": "==", "left": left, "right": number}}


OSPF_PORT = "exit\ninterface lo"

CASES: dict[str, tuple[str, Edit, dict[str, str]]] = {
    "ospf-designated-router": (
        "ospf",
        {name: [(OSPF_PORT, f" ip ospf priority 0\n{OSPF_PORT}")] for name in ("ant", "bee")},
        {},
    ),
    "ospf-filter": ("ospf", {}, {"bee__nft_json": drops(protocol_is("ospf"))}),
    "rip-filter": ("rip", {}, {"bee__nft_json": drops(port_is("udp", 520))}),
    "eigrp-filter": ("eigrp", {}, {"bee__nft_json": drops(protocol_is("88"))}),
    "bgp-filter": (
        "bgp",
        {},
        {
            "ant__nft_json": drops(port_is("tcp", 179)),
            "bee__nft_json": drops(port_is("tcp", 179)),
        },
    ),
    "bgp-opens-the-session": (
        "bgp",
        {
            name: [(" address-family", f" neighbor 10.0.0.{peer} passive\n address-family")]
            for name, peer in (("ant", 2), ("bee", 1))
        },
        {},
    ),
    "bgp-not-spoken": ("bgp", {"bee": [(SECTIONS["bgp"].format(n=2, o=1), "")]}, {}),
    "policy-undefined": (
        "bgp",
        {"ant": [("  network", "  neighbor 10.0.0.2 route-map NOBODY out\n  network")]},
        {},
    ),
    "route-map-unused": ("bgp", {"ant": [("", "route-map IDLE permit 10\nexit\n")]}, {}),
    "address-twice": (
        "ospf",
        {"ant": [("", "interface eth7\n ip address 10.0.0.1/30\nexit\n")]},
        {},
    ),
    "hostname-differs": ("ospf", {"ant": [("hostname ant", "hostname wasp")]}, {}),
    "address-missing": ("ospf", {"ant": [(" ip address 10.0.0.1/30\n", "")]}, {}),
    "device-partly-read": ("ospf", {}, {"ant__addr_json": '[{"ifname": "eth1", "flags"'}),
    "no-carrier": (
        "ospf",
        {},
        {
            f"{name}__addr_json": json.dumps(
                [{"ifname": "eth1", "flags": ["UP", "NO-CARRIER"], "addr_info": []}]
            )
            for name in ("ant", "bee")
        },
    ),
}


@pytest.mark.parametrize("kind", CASES)
def test_what_is_wrong_has_its_name(kind: str) -> None:
    protocol, edits, files = CASES[kind]
    survey = pair(protocol, edits, **files)
    found = [f for f in survey.findings if f.kind == kind]
    assert found, sorted({f.kind for f in survey.findings})
    assert found[0].summary.endswith(".") and found[0].detail.endswith(".")
    assert found[0].evidence or kind == "device-partly-read"
    for remedy in found[0].remedies[:1]:
        after = Computed(apply(survey.survey, remedy.edits).survey)
        assert kind not in {f.kind for f in after.findings}, remedy.title


def test_a_router_that_forwards_nothing_is_named() -> None:
    files = {
        "topology.json": wired(("a", "eth0", "mid", "eth0"), ("b", "eth0", "mid", "eth1")),
        "devices/mid/frr.conf": "hostname mid\nno ip forwarding\ninterface eth0\n"
        " ip address 10.1.0.1/24\nexit\ninterface eth1\n ip address 10.2.0.1/24\nexit\n",
    }
    for name, number in (("a", 1), ("b", 2)):
        for file, text in host(f"10.{number}.0.10", f"10.{number}.0.1").items():
            files[f"devices/{name}/{file}"] = text
    survey = compute(files)
    (found,) = (f for f in survey.findings if f.kind == "forwarding-off")
    assert found.device == "mid"
    assert survey.path("a", "b").outbound.verdict == "not-forwarding"


SUSPECTS: dict[str, tuple[str, Edit]] = {
    "ospf-area": ("ospf", {"ant": [("area 0", "area 3")]}),
    "eigrp-enabled": ("eigrp", {"bee": [("network 10.0.0.0/8", "network 10.255.0.0/16")]}),
    "rip-authentication-key": ("rip", {"ant": [("string cockle", "string mussel")]}),
    "bgp-external-policy": ("bgp", {"bee": [(" no bgp ebgp-requires-policy\n", "")]}),
    "list-undefined": (
        "bgp",
        {
            "ant": [
                ("  network", "  neighbor 10.0.0.2 route-map OUT out\n  network"),
                ("", "route-map OUT permit 10\n match ip address prefix-list NOBODY\nexit\n"),
            ]
        },
    ),
    "list-omits": (
        "bgp",
        {
            "ant": [
                ("  network", "  neighbor 10.0.0.2 prefix-list OUT out\n  network"),
                ("", "ip prefix-list OUT seq 5 permit 10.7.0.0/16\n"),
            ]
        },
    ),
    "list-denies": (
        "bgp",
        {
            "ant": [
                ("  network", "  neighbor 10.0.0.2 prefix-list OUT out\n  network"),
                ("", "ip prefix-list OUT seq 5 deny 10.255.0.1/32\n"),
                ("", "ip prefix-list OUT seq 10 permit 0.0.0.0/0 le 32\n"),
            ]
        },
    ),
    "announcement-missing": (
        "bgp",
        {"ant": [("  network 10.255.0.1/32\n", "")]},
    ),
    "discards-owned": (
        "ospf",
        {"bee": [("", "ip route 10.255.0.1/32 blackhole\n")]},
    ),
}


@pytest.mark.parametrize("kind", SUSPECTS)
def test_what_keeps_a_prefix_away_has_its_name_and_its_remedy_heals(kind: str) -> None:
    protocol, edits = SUSPECTS[kind]
    healthy = pair(protocol, {})
    assert healthy.path("bee", "10.255.0.1").works == "yes"
    survey = pair(protocol, edits)
    assert survey.path("bee", "10.255.0.1").works == "no"
    found = survey.diagnose("bee", "10.255.0.1")
    kinds = [cause.option.finding.kind for cause in found.causes]
    assert kind in kinds, kinds
    top = found.causes[kinds.index(kind)]
    assert top.certainty == "proven"
    after = Computed(apply(survey.survey, top.option.edits).survey)
    assert after.path("bee", "10.255.0.1").works == "yes"


CAPTURED = {
    "static-exit-down": "dale-10",
    "bgp-reachable": "trio-13",
    "bgp-router-ids-differ": "trio-20",
    "bgp-source-address": "trio-03",
    "isis-area": "karst-01",
    "isis-level": "karst-03",
    "ospf-mtu": "port-10",
    "loop-unowned": "port-00",
}


@pytest.mark.parametrize("kind", CAPTURED)
def test_a_captured_network_shows_it(kind: str) -> None:
    survey = bare(ROOT / "tests" / "cases" / CAPTURED[kind] / "survey")
    found = [f for f in survey.findings if f.kind == kind]
    assert found and all(f.evidence for f in found)


ASKED = {
    "route-missing": "dale-03",
    "static-astray": "dale-01",
    "next-hop-unknown-inside": "trio-05",
}


@pytest.mark.parametrize("kind", ASKED)
def test_a_complaint_in_a_captured_network_leads_to_it(kind: str) -> None:
    case = ROOT / "tests" / "cases" / ASKED[kind]
    answer = json.loads((case / "truth" / "answer.json").read_text())
    faults = answer.get("faults") or [answer["fault"]]
    sender, receiver = faults[0]["broken_pairs"][0]
    found = bare(case / "survey").diagnose(sender, receiver)
    kinds = {cause.option.finding.kind: cause for cause in found.causes}
    assert kind in kinds
    assert kinds[kind].certainty == "proven" and not kinds[kind].effect.breaks
