"""Policy maps in a router's text: what arrives on an interface is led by their sequences."""

from __future__ import annotations

import json

import pytest
from surveys import compute, frr, wired

from trochos.core.forwarding.traffic import Traffic
from trochos.core.survey import Computed

LINKS = [
    ("h1", "eth0", "mid", "eth1"),
    ("h2", "eth0", "mid", "eth2"),
    ("mid", "eth3", "left", "eth1"),
    ("mid", "eth4", "right", "eth1"),
    ("left", "eth2", "far", "eth1"),
    ("right", "eth2", "far", "eth2"),
    ("far", "eth3", "h3", "eth0"),
]
PORTS = {"eth1": "10.64.1.1/24", "eth2": "10.64.2.1/24", "eth3": "10.64.0.1/30",
         "eth4": "10.64.0.5/30"}  # fmt: skip


def _host(address: str, gateway: str) -> dict[str, str]:
    held = {"family": "inet", "local": address, "prefixlen": 24}
    link = {"ifname": "eth0", "flags": ["UP", "LOWER_UP"], "addr_info": [held]}
    route = {"dst": "default", "gateway": gateway, "dev": "eth0"}
    return {"addr.json": json.dumps([link]), "route.json": json.dumps([route])}


def network(maps: str, policy: str = "cams", **more: str) -> Computed:
    """h1 and h2 at mid, h3 far behind; the usual way is left, the spare is right. The policy is on
    the port to h1."""
    mid = frr("mid", PORTS, "ip route 10.64.3.0/24 10.64.0.2")
    mid = mid.replace("interface eth1\n", f"interface eth1\n pbr-policy {policy}\n", 1)
    devices = {
        "mid": {"frr.conf": maps + mid, **more},
        "left": {"frr.conf": frr(
            "left", {"eth1": "10.64.0.2/30", "eth2": "10.64.0.9/30"},
            "ip route 10.64.3.0/24 10.64.0.10", "ip route 10.64.0.0/16 10.64.0.1")},
        "right": {"frr.conf": frr(
            "right", {"eth1": "10.64.0.6/30", "eth2": "10.64.0.13/30"},
            "ip route 10.64.3.0/24 10.64.0.14", "ip route 10.64.0.0/16 10.64.0.5")},
        "far": {"frr.conf": frr(
            "far",
            {"eth1": "10.64.0.10/30", "eth2": "10.64.0.14/30", "eth3": "10.64.3.1/24"},
            "ip route 10.64.0.0/16 10.64.0.9")},
        "h1": _host("10.64.1.10", "10.64.1.1"),
        "h2": _host("10.64.2.10", "10.64.2.1"),
        "h3": _host("10.64.3.10", "10.64.3.1"),
    }  # fmt: skip
    files = {f"devices/{d}/{n}": text for d, held in devices.items() for n, text in held.items()}
    return compute({"topology.json": wired(*LINKS), **files})


def way(survey: Computed, sender: str, traffic: Traffic | None = None) -> list[str]:
    branch = survey.path(sender, "10.64.3.10", traffic).outbound.branches[0]
    return [hop.device for hop in branch.hops][1:]


def kinds(survey: Computed) -> set[str]:
    return {f.kind for f in survey.findings if f.severity != "notes"}


SPARE = "pbr-map cams seq 10\n match dst-ip 10.64.3.0/24\n set nexthop 10.64.0.6\n!\n"
GROUP = "nexthop-group spare\n nexthop 10.64.0.6\n!\n"
WEB = Traffic(protocol="tcp", port=443)


@pytest.mark.parametrize(
    "maps",
    [
        SPARE,
        SPARE.replace("10.64.0.6", "10.64.0.6 eth4"),
        GROUP + SPARE.replace("nexthop 10.64.0.6", "nexthop-group spare"),
        SPARE.replace("dst-ip 10.64.3.0/24", "src-ip 10.64.1.10/32"),
        # A next hop behind another router is found through the main table.
        "ip route 10.99.9.0/24 10.64.0.6\n" + SPARE.replace("10.64.0.6", "10.99.9.9"),
        # The sequence before it is not carried out, so this one is asked.
        "pbr-map cams seq 5\n set nexthop 10.64.0.2\n!\n" + SPARE,
        "pbr-map cams seq 20\n match src-ip 10.64.1.0/24\n set nexthop 10.64.0.2\n!\n" + SPARE,
    ],
)
def test_a_sequence_leads_what_arrives_on_the_interface(maps: str) -> None:
    survey = network(maps)
    assert not survey.network.device("mid").unmodelled  # type: ignore[union-attr]
    assert way(survey, "h1") == ["mid", "right", "far", "h3"]
    assert way(survey, "h2") == ["mid", "left", "far", "h3"]
    rows = {r.device: r.ok for r in survey.reach.pairs() if str(r.target) == "10.64.3.10"}
    assert rows["h1"] is True and rows["h2"] is True


@pytest.mark.parametrize(
    "maps",
    [
        SPARE.replace("10.64.0.6", "10.97.0.1"),
        SPARE.replace("10.64.0.6", "10.64.0.6 eth3"),
        SPARE.replace("10.64.3.0/24", "10.64.9.0/24"),
        "pbr-map cams seq 10\n match src-ip fd00::/64\n set nexthop 10.64.0.6\n!\n",
        "pbr-map cams seq 10\n match mark 5\n set nexthop 10.64.0.6\n!\n",
        "pbr-map cams seq 10\n match src-ip 10.64.1.0/24\n match dscp 8\n set nexthop 10.64.0.6\n",
        SPARE + "no pbr-map cams seq 10\n",
        SPARE.replace(" set", " no match dst-ip 10.64.3.0/24\n set"),
    ],
)
def test_what_is_not_there_leads_nobody(maps: str) -> None:
    assert way(network(maps), "h1") == ["mid", "left", "far", "h3"]


@pytest.mark.parametrize(
    ("maps", "policy", "kind"),
    [
        (SPARE, "cam", "rule-not-carried-out"),
        ("pbr-map cams seq 5\n set nexthop 10.64.0.6\n!\n", "cams", "rule-not-carried-out"),
        (SPARE.replace(" set nexthop 10.64.0.6\n", ""), "cams", "rule-not-carried-out"),
        (SPARE.replace("hop 10.64.0.6", "hop-group spar"), "cams", "rule-not-carried-out"),
        (SPARE.replace(" set", " match ip-protocol tcp\n match dst-port 443\n set"), "cams",
         "rule-without-ports"),
        ("pbr-map cams seq 20\n match src-ip 10.64.1.0/24\n match dst-ip 10.64.3.0/24\n"
         " set nexthop 10.64.0.2\n!\n" + SPARE, "cams", "rule-never-reached"),
    ],
)  # fmt: skip
def test_what_a_policy_map_does_not_do_is_found(maps: str, policy: str, kind: str) -> None:
    assert kind in kinds(network(maps, policy))


def test_a_sequence_with_ports_takes_the_whole_protocol() -> None:
    ports = SPARE.replace(" set", " match ip-protocol tcp\n match dst-port 80\n set")
    survey = network(ports)
    assert "right" in way(survey, "h1", WEB), "measured: the kernel's rule has no ports"
    assert "left" in way(survey, "h1")


@pytest.mark.parametrize("line", ["set vrf red", "match vlan 5", "set queue-id 3"])
def test_what_is_not_computed_of_a_map_in_use_is_not_certain(line: str) -> None:
    odd = SPARE.replace(" set", f" {line}\n set")
    assert network(odd).path("h1", "10.64.3.10").works == "unknown"
    other = odd.replace("cams", "unused") + SPARE
    assert way(network(other), "h1") == ["mid", "right", "far", "h3"]


def test_what_the_kernel_shows_of_a_policy_map_is_not_taken_twice() -> None:
    """After a change of the text the rules that were captured before it are gone."""
    rule = {"priority": 309, "src": "all", "dst": "10.64.3.0", "dstlen": 24, "iif": "eth1",
            "table": "10000", "protocol": "zebra"}  # fmt: skip
    usual = [
        {"priority": 0, "src": "all", "table": "local"},
        {"priority": 32766, "src": "all", "table": "main"},
        {"priority": 32767, "src": "all", "table": "default"},
    ]
    table = [{"dst": "default", "gateway": "10.64.0.6", "dev": "eth4", "table": "10000",
              "protocol": "pbr"}]  # fmt: skip
    shown = {
        "rule.json": json.dumps([usual[0], rule, *usual[1:]]),
        "tables.json": json.dumps(table),
    }
    other = SPARE.replace("10.64.3.0/24", "10.64.9.0/24")
    assert "left" in way(network(other, **shown), "h1")
    assert "right" in way(network(SPARE, **shown), "h1")
