"""Findings that no captured network shows: each kind made in a small one, by name."""

from __future__ import annotations

import json
from typing import Any

import pytest
from core import test_isis as isis
from core import test_ospf_links as virtual
from core import test_shared_gates as vrrp
from core.test_every_gate import LINK, PORTS, SECTIONS
from surveys import ROOT, bare, compute, wired
from two_routers import host

from trochos.core.change.apply import apply
from trochos.core.diagnosis.findings import KINDS
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
        held[f"devices/{device}/{file.replace('_json', '.json').replace('_conf', '.conf')}"] = text
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


ADDRESSES = json.dumps(
    [
        {
            "ifname": "eth1",
            "flags": ["UP", "LOWER_UP"],
            "addr_info": [
                {"family": "inet", "local": "10.0.0.1", "prefixlen": 30},
                {"family": "inet6", "local": "fd00::1", "prefixlen": 64},
            ],
        }
    ]
)

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


CASES |= {
    "bgp-ipv6-family": (
        "bgp",
        {
            "ant": [
                ("", "router bgp 1\n address-family ipv6 unicast\n  neighbor 10.0.0.2 activate\n"),
            ]
        },
        {},
    ),
    "source-without-address": (
        "bgp",
        {
            "ant": [
                (" ip address 10.255.0.1/32\n", ""),
                (" address-family", " neighbor 10.0.0.2 update-source lo\n address-family"),
            ],
            "bee": [
                ("10.0.0.1 remote-as", "10.255.0.1 remote-as"),
                ("10.0.0.1 password", "10.255.0.1 password"),
            ],
        },
        {},
    ),
    "link-local-unknown": ("ospf6", {"ant": [(" ipv6 address fe80::1/64\n", "")]}, {}),
    "ospf-link-local-address": (
        "ospf6",
        {"ant": [(" ipv6 address fe80::1/64\n", "")]},
        {"ant__addr_json": ADDRESSES},
    ),
    "name-elsewhere": ("ospf", {}, {"ant__hosts": "127.0.0.1 localhost\n10.0.0.1 bee\n"}),
    "resolver-without-owner": ("ospf", {}, {"ant__resolv_conf": "nameserver 10.0.0.3\n"}),
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


def test_three_on_a_link_for_two_settle_with_nobody() -> None:
    files = {}
    for number, name in enumerate(("ant", "bee", "cub"), 1):
        files[f"devices/{name}/frr.conf"] = (
            f"hostname {name}\ninterface eth1\n ip address 10.0.0.{number}/24\n"
            " ip ospf network point-to-point\n ip ospf area 0\nexit\n"
            f"router ospf\n ospf router-id 10.255.0.{number}\nexit\n"
        )
    survey = compute(files)  # one subnet, so one link
    found = [f for f in survey.findings if f.kind == "ospf-one-neighbour"]
    assert len(found) == 3 and all(len(f.evidence) >= 2 for f in found)


def test_an_unread_device_is_named_with_who_may_be_beside_it() -> None:
    files = {
        "topology.json": wired(("ant", "eth1", "owl", "eth0")),
        "devices/ant/frr.conf": "hostname ant\ninterface eth1\n ip address 10.0.0.1/30\nexit\n",
    }
    (found,) = (f for f in compute(files).findings if f.kind == "device-unread")
    assert found.device == "owl"


def test_a_peer_that_is_to_be_near_and_is_not() -> None:
    """bee calls from its loopback, which ant does not take for near: the session stands, and ant
    cannot use what it hears."""
    survey = pair(
        "bgp",
        {
            "ant": [
                ("10.0.0.2 remote-as", "10.255.0.2 remote-as"),
                ("10.0.0.2 password", "10.255.0.2 password"),
                ("", "ip route 10.255.0.2/32 10.0.0.2\n"),
            ],
            "bee": [(" address-family", " neighbor 10.0.0.1 update-source lo\n address-family")],
        },
    )
    (found,) = (f for f in survey.findings if f.kind == "bgp-peer-near")
    assert found.remedies
    after = Computed(apply(survey.survey, found.remedies[0].edits).survey)
    assert "bgp-peer-near" not in {f.kind for f in after.findings}


def test_borders_of_ospf_for_ipv6_are_a_limit_that_is_said() -> None:
    survey = pair("ospf6", {"ant": [("interface lo\n", "interface lo\n ipv6 ospf6 area 4\n")]})
    (found,) = (f for f in survey.findings if f.kind == "ospf3-borders-uncertain")
    assert found.device == "ant" and found.severity == "notes"


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


def test_every_kind_of_finding_is_made_by_a_test_that_names_it() -> None:
    """By its name, or by that of the gate whose row a test breaks."""
    said = "\n".join(path.read_text() for path in (ROOT / "tests").rglob("test_*.py"))
    of_rows = {f"isis-{gate.replace(' ', '-')}" for gate in isis.ROWS}
    of_rows |= {f"vrrp-{gate.replace(' ', '-')}" for gate in vrrp.BROKEN}
    of_rows |= {f"ospf-{gate.replace(' ', '-')}" for _, _, gate in virtual.VIRTUAL if gate}
    unnamed = [kind for kind in KINDS if kind not in of_rows and f'"{kind}"' not in said]
    assert not unnamed
