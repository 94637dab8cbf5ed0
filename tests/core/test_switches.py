"""Switches: which ends hear each other, and the port that drops a frame.

Worked out by hand. Two switches, a trunk between them; a router with a VLAN interface for
each of two VLANs hangs on the first, a host of each VLAN on the second:

    gate ge0 (tags 10, 20) - p1 sw1 p2 - p1 sw2 p2 - red   (VLAN 10, 10.64.10.5)
                                            sw2 p3 - blue  (VLAN 20, 10.64.20.5)
"""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from surveys import KEY, ROOT

from trochos.core.diagnosis.ends import compare_ends
from trochos.core.network.addressing import parse_address
from trochos.core.network.facts import End
from trochos.core.survey import Computed
from trochos.local import read_folder

UP = ["BROADCAST", "UP", "LOWER_UP"]
Vlans = dict[str, list[tuple[int, str]]]
TRUNK = [(10, "t"), (20, "t")]
SW1: Vlans = {"p1": TRUNK, "p2": TRUNK}
SW2: Vlans = {"p1": TRUNK, "p2": [(10, "u")], "p3": [(20, "u")]}


def link(name: str, **more: Any) -> dict[str, Any]:
    return {"ifname": name, "flags": UP, "mtu": 1500, **more}


def inet(address: str, length: int = 24) -> dict[str, Any]:
    return {"family": "inet", "local": address, "prefixlen": length, "scope": "global"}


def switch(ports: Vlans, filtering: bool = True, blocked: str = "") -> dict[str, str]:
    """A Linux bridge; `t` is carried tagged, `u` untagged and the port's own VLAN."""
    kind = {"info_kind": "bridge", "info_data": {"vlan_filtering": int(filtering)}}
    links = [link("br0", linkinfo=kind)]
    for name in ports:
        state = {"state": "blocking" if name == blocked else "forwarding"}
        slave = {"info_slave_kind": "bridge", "info_slave_data": state}
        links.append(link(name, master="br0", linkinfo=slave))
    shown = []
    for name, carried in ports.items():
        vlans = [
            {"vlan": vlan, **({"flags": ["PVID", "Egress Untagged"]} if how == "u" else {})}
            for vlan, how in carried
        ]
        shown.append({"ifname": name, "vlans": vlans})
    return {"link.json": json.dumps(links, indent=1), "vlan.json": json.dumps(shown, indent=1)}


def router(tags: dict[str, tuple[int, str]]) -> dict[str, str]:
    """A Linux router whose `ge0` carries VLAN interfaces: name -> (tag, address)."""
    links = [link("ge0")]
    for name, (tag, address) in tags.items():
        kind = {"info_kind": "vlan", "info_data": {"protocol": "802.1Q", "id": tag}}
        links.append(link(name, link="ge0", linkinfo=kind, addr_info=[inet(address)]))
    return {
        "link.json": json.dumps(links, indent=1),
        "sysctl": "net.ipv4.ip_forward = 1\nnet.ipv4.conf.all.forwarding = 1\n",
    }


def host(address: str, gateway: str) -> dict[str, str]:
    return {
        "addr.json": json.dumps([link("eth0", addr_info=[inet(address)])]),
        "route.json": json.dumps([{"dst": "default", "gateway": gateway, "dev": "eth0"}]),
    }


TAGS = {"ge0.10": (10, "10.64.10.1"), "ge0.20": (20, "10.64.20.1")}
CABLES = [
    ("gate", "ge0", "sw1", "p1"),
    ("sw1", "p2", "sw2", "p1"),
    ("sw2", "p2", "red", "eth0"),
    ("sw2", "p3", "blue", "eth0"),
]


def survey(
    sw1: dict[str, str] | None = None,
    sw2: dict[str, str] | None = None,
    gate: dict[str, str] | None = None,
    cables: list[tuple[str, str, str, str]] | None = None,
    **more: dict[str, str],
) -> Computed:
    devices = {
        "gate": gate or router(TAGS),
        "sw1": sw1 or switch(SW1),
        "sw2": sw2 or switch(SW2),
        "red": host("10.64.10.5", "10.64.10.1"),
        "blue": host("10.64.20.5", "10.64.20.1"),
        **more,
    }
    links = [
        {
            "link-id": f"l{n}",
            "source": {"source-node": a, "source-tp": ap},
            "destination": {"dest-node": b, "dest-tp": bp},
        }
        for n, (a, ap, b, bp) in enumerate(cables or CABLES)
    ]
    nodes = [{"node-id": name} for name in devices]
    drawing = {"network-id": "n", "node": nodes, "ietf-network-topology:link": links}
    files = {"topology.json": json.dumps({"ietf-network:networks": {"network": [drawing]}})}
    for name, held in devices.items():
        files |= {f"devices/{name}/{file}": text for file, text in held.items()}
    return Computed.from_files({path: text.encode() for path, text in files.items()}, KEY)


def test_tags_are_followed_and_the_router_routes_between_them() -> None:
    network = survey()
    path = network.path("red", "blue")
    assert path.works == "yes"
    assert [hop.device for hop in path.outbound.branches[0].hops] == ["red", "gate", "blue"]
    assert not network.findings
    assert all(not report.unknown for report in network.survey.reading)
    assert network.network.device("sw1").role == "switch"  # type: ignore[union-attr]


def test_segments_are_those_of_the_vlans() -> None:
    segments = {tuple(map(str, s.ends)): s.lan for s in survey().network.segments}
    assert segments["gate ge0.10", "red eth0"] == "VLAN 10 of sw1, VLAN 10 of sw2"
    assert segments["blue eth0", "gate ge0.20"] == "VLAN 20 of sw1, VLAN 20 of sw2"


SWAPPED = {"ge0.10": (20, "10.64.10.1"), "ge0.20": (10, "10.64.20.1")}
FAULTS = [
    # a VLAN that the trunk does not carry, at either end
    ({"sw1": switch({**SW1, "p2": [(20, "t")]})}, "sw1", "p2", "sw1 p2 does not carry VLAN 10"),
    ({"sw2": switch({**SW2, "p1": [(20, "t")]})}, "sw2", "p1", "VLAN 10"),
    # a host in the wrong VLAN
    ({"sw2": switch({**SW2, "p2": [(20, "u")]})}, "sw2", "p2", "sw2 p2 does not carry VLAN 10"),
    # a port that is untagged where it must carry tags
    ({"sw1": switch({**SW1, "p1": [(10, "u"), (20, "t")]})}, "sw1", None, "no untagged"),
    # a tag that does not match, and a swapped pair
    ({"gate": router({**TAGS, "ge0.10": (11, "10.64.10.1")})}, "gate", "ge0", "tag of VLAN 10"),
    ({"gate": router(SWAPPED)}, "", "", ""),
]


@pytest.mark.parametrize(("change", "device", "port", "says"), FAULTS)
def test_each_fault_is_named_by_its_port_and_healed(
    change: dict[str, dict[str, str]], device: str, port: str | None, says: str
) -> None:
    network = survey(**change)  # type: ignore[arg-type]
    path = network.path("red", "gate")
    assert path.works == "no"
    found = [f for f in network.findings if f.kind == "vlan-apart"]
    assert found
    if device:
        assert (device, port) in {(f.device, f.interface) for f in found}
        assert any(says in f.summary for f in found)
    # A swapped pair is asked by one VLAN and answers into the other.
    verdicts = {path.outbound.verdict, path.back.verdict if path.back else ""}
    assert "wrong-segment" in verdicts
    top = network.diagnose("red", "blue").causes
    # Of a swapped pair either the tags or the addresses may be what was mistaken.
    kinds = {"vlan-apart"} if device else {"vlan-apart", "addresses-swapped"}
    assert top and top[0].works and top[0].option.finding.kind in kinds
    edits = tuple(e for c in top for e in c.option.edits) if len(top) > 1 else top[0].option.edits
    assert network.rehearse(top[0].option.edits).after.path("red", "blue").works == "yes" or (
        network.rehearse(edits).after.path("red", "blue").works == "yes"
    )


def test_the_ends_of_a_link_name_the_port_between_them() -> None:
    network = survey(sw2=switch({**SW2, "p2": [(20, "u")]}))
    asked = parse_address("10.64.10.5")
    end = End("gate", "ge0.10")
    found = compare_ends(network.tables, network.forwarding, end, None, asked)
    assert found["first_failing"] == "next hop answers"
    row = found["gates"][-1]  # type: ignore[index]
    assert row["right"] == "red eth0 does not hear it: sw2 p2 does not carry VLAN 10"
    assert row["evidence"][0]["device"] == "sw2"


def yang_switch(ports: Vlans) -> dict[str, str]:
    """The same bridge as YANG data."""
    entries: list[dict[str, Any]] = [{"name": "br0", "trochos-vlan:bridge": {}}]
    for name, carried in ports.items():
        port: dict[str, Any] = {"bridge": "br0"}
        for vlan, how in carried:
            port.setdefault("untagged" if how == "u" else "tagged", []).append(vlan)
            if how == "u":
                port["port-vlan"] = vlan
        entries.append({"name": name, "trochos-vlan:bridge-port": port})
    return {"running.json": json.dumps({"ietf-interfaces:interfaces": {"interface": entries}})}


def yang_router(tags: dict[str, tuple[int, str]]) -> dict[str, str]:
    entries: list[dict[str, Any]] = [{"name": "ge0"}]
    for name, (tag, address) in tags.items():
        ip = {"forwarding": True, "address": [{"ip": address, "prefix-length": 24}]}
        vlan = {"parent": "ge0", "tag": tag}
        entries.append({"name": name, "trochos-vlan:vlan": vlan, "ietf-ip:ipv4": ip})
    data = {"ietf-interfaces:interfaces": {"interface": entries}, "ietf-routing:routing": {}}
    return {"running.json": json.dumps(data, indent=1)}


@pytest.mark.parametrize("wrong", ["", "sw1", "sw2", "gate"])
def test_yang_says_the_same(wrong: str) -> None:
    trunk = [(20, "t")] if wrong == "sw1" else TRUNK
    access = [(20, "u")] if wrong == "sw2" else [(10, "u")]
    tag = 11 if wrong == "gate" else 10
    network = survey(
        sw1=yang_switch({"p1": TRUNK, "p2": trunk}),
        sw2=yang_switch({"p1": TRUNK, "p2": access, "p3": [(20, "u")]}),
        gate=yang_router({**TAGS, "ge0.10": (tag, "10.64.10.1")}),
    )
    assert all(not report.unknown for report in network.survey.reading)
    if not wrong:
        assert network.path("red", "blue").works == "yes" and not network.findings
        return
    top = network.diagnose("red", "blue").causes[0]
    assert (top.option.finding.kind, top.works) == ("vlan-apart", True)
    assert top.option.finding.device == wrong


def test_a_switch_without_vlans_passes_tags_as_they_are() -> None:
    network = survey(sw1=switch({"p1": [], "p2": []}, filtering=False))
    assert network.path("red", "blue").works == "yes"


def test_two_hosts_on_one_plain_switch() -> None:
    plain = switch({"p1": [], "p2": [], "p3": []}, filtering=False)
    cables = [("sw2", "p2", "red", "eth0"), ("sw2", "p3", "near", "eth0")]
    network = survey(sw2=plain, cables=cables, near=host("10.64.10.6", "10.64.10.1"))
    assert network.path("red", "near").works == "yes"
    # A host that is switched off takes nobody's line with it.
    off = json.dumps([{**link("eth0", addr_info=[inet("10.64.10.6")]), "flags": []}])
    quiet = survey(sw2=plain, cables=cables, near={"addr.json": off})
    assert quiet.path("red", "10.64.10.6").outbound.verdict == "next-hop-silent"
    assert quiet.tables.links.is_up(quiet.network.segments[0].ends[-1])


def test_a_shut_port_stops_frames_and_is_the_line_of_its_host() -> None:
    links = json.loads(switch(SW2)["link.json"])
    links[2]["flags"] = []
    shut = {**switch(SW2), "link.json": json.dumps(links)}
    assert survey(sw2=shut).path("red", "gate").works == "no"


RING = [*CABLES, ("sw1", "p3", "sw2", "p4")]


@pytest.mark.parametrize("blocked", ["", "p4"])
def test_a_circle_of_switches_is_a_risk_unless_a_port_is_blocked(blocked: str) -> None:
    network = survey(
        sw1=switch({**SW1, "p3": TRUNK}),
        sw2=switch({**SW2, "p4": TRUNK}, blocked=blocked),
        cables=RING,
    )
    assert network.path("red", "blue").works == "yes"
    found = [f.severity for f in network.findings if f.kind == "switch-circle"]
    assert found == ([] if blocked else ["risks"])


@pytest.mark.thorough
@given(st.permutations([10, 20, 30, 40]), st.booleans())
def test_renumbering_vlans_everywhere_changes_nothing(numbers: list[int], swap: bool) -> None:
    red, blue = numbers[:2]
    trunk = [(red, "t"), (blue, "t")]
    network = survey(
        sw1=switch({"p1": trunk, "p2": trunk[::-1] if swap else trunk}),
        sw2=switch({"p1": trunk, "p2": [(red, "u")], "p3": [(blue, "u")]}),
        gate=router({"ge0.10": (red, "10.64.10.1"), "ge0.20": (blue, "10.64.20.1")}),
    )
    assert network.path("red", "blue").works == "yes"
    assert not network.findings


def test_reach_and_path_agree_behind_switches() -> None:
    for change in ({}, *(fault[0] for fault in FAULTS)):
        network = survey(**change)  # type: ignore[arg-type]
        for pair in network.reach.pairs():
            if pair.source is None:
                continue
            walked = network.path(pair.device, str(pair.target))
            if walked.source == pair.source:
                assert (walked.works == "yes") == (pair.ok is True), pair


def test_a_device_behind_a_switch_that_nobody_read_makes_answers_unknown() -> None:
    cables = [*CABLES, ("sw2", "p4", "stranger", "eth0")]
    unread = {"notes.txt": "not a configuration\n"}
    network = survey(sw2=switch({**SW2, "p4": [(10, "u")]}), cables=cables, stranger=unread)
    assert network.path("red", "blue").works == "yes"
    assert network.path("red", "10.64.10.99").outbound.verdict == "unknown"


def test_vlans_that_nobody_gathered_are_not_guessed() -> None:
    dark = {"link.json": switch(SW2)["link.json"]}
    path = survey(sw2=dark).path("red", "gate")
    assert path.works == "unknown"
    assert "the VLANs of sw2" in path.outbound.decisive.reason


def test_without_a_drawing_ends_of_one_subnet_are_linked() -> None:
    files = {
        "gate": router(TAGS),
        "red": host("10.64.10.5", "10.64.10.1"),
        "blue": host("10.64.20.5", "10.64.20.1"),
    }
    flat = {f"devices/{n}/{f}": t.encode() for n, held in files.items() for f, t in held.items()}
    assert Computed.from_files(flat, KEY).path("red", "blue").works == "yes"


def test_a_host_with_a_bridge_of_its_own_stays_a_host() -> None:
    links = [
        link("br0", linkinfo={"info_kind": "bridge"}, addr_info=[inet("10.64.10.5")]),
        link("eth0", master="br0", linkinfo={"info_slave_kind": "bridge"}),
    ]
    route = host("10.64.10.5", "10.64.10.1")["route.json"].replace("eth0", "br0")
    box = {"addr.json": json.dumps(links), "route.json": route}
    network = survey(red=box)
    assert network.network.device("red").is_host  # type: ignore[union-attr]
    assert network.path("red", "blue").works == "yes"


SEEN = ("northlight", "booby-tablet")
"""The two of whom a mangled survey made it raise first."""


@pytest.mark.thorough
def test_a_switch_whose_vlans_nobody_gathered_breaks_no_answer(
    caplog: pytest.LogCaptureFixture,
) -> None:
    files = read_folder(ROOT / "demo" / "broken")
    files["devices/office-switch/bridge-vlan.json"] = b"[]"
    survey = Computed.from_files(files, KEY)
    hosts = [d.name for d in survey.network.devices if d.role == "host"]
    survey.inspect_json()
    for sender, receiver in (*zip(hosts[::9], hosts[5::9], strict=False), SEEN):
        # Nothing that hangs on it is proven, and nothing raises: a guard would have said so.
        found = survey.diagnose(sender, receiver)
        if "not known" in found.path.sentence():
            assert not any(c.certainty == "proven" for c in found.causes)
    assert [r for r in caplog.records if r.levelname == "ERROR"] == []
