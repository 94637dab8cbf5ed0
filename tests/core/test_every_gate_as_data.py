"""The gates again, where routers are written as YANG data: found by the same names, mended in that
language, and valid by its modules before and after."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import pytest
from core.test_every_gate import each_remedy_mends, kinds
from surveys import compute, wired

from trochos.core.change.apply import apply
from trochos.core.survey import Computed
from trochos.server.surveys.modules import problem_with

Data = dict[str, Any]
Change = Callable[[Data, Data, int], None]
"""What is changed in (the protocol's container, the link's interface, the router's number)."""

TYPES = {
    "ospf": ("ietf-ospf:ospfv2", "ietf-ospf:ospf"),
    "ospf6": ("ietf-ospf:ospfv3", "ietf-ospf:ospf"),
    "rip": ("ietf-rip:ripv2", "ietf-rip:rip"),
    "eigrp": ("trochos-eigrp:eigrp", "trochos-eigrp:eigrp"),
    "bgp": ("trochos-bgp:bgp", "trochos-bgp:bgp"),
}


def container(protocol: str, number: int) -> Data:
    own, other = f"10.255.0.{number}", 3 - number
    match protocol:
        case "ospf" | "ospf6":
            ports = [{"name": "eth1"}, {"name": "lo"}]
            area = {"area-id": "0.0.0.0", "interfaces": {"interface": ports}}
            return {"explicit-router-id": own, "areas": {"area": [area]}}
        case "rip":
            return {"interfaces": {"interface": [{"interface": "eth1"}, {"interface": "lo"}]}}
        case "eigrp":
            return {
                "autonomous-system": 7,
                "address-family": "ipv4",
                "router-id": own,
                "interfaces": {"interface": [{"name": "eth1"}, {"name": "lo"}]},
            }
    peer = {
        "remote-address": f"10.0.0.{other}",
        "address-family": [{"name": "ipv4-unicast"}],
        "peer-as": other,
    }
    networks = [{"prefix": f"{own}/32"}, {"prefix": "10.0.0.0/30"}]
    return {
        "as": number,
        "router-id": own,
        "external-requires-policy": False,
        "neighbor": [peer],
        "address-family": [{"name": "ipv4-unicast", "network": networks}],
    }


def router(protocol: str, number: int, change: Change | None) -> str:
    kind, module = TYPES[protocol]
    held = container(protocol, number)
    link: Data = {
        "name": "eth1",
        "type": "iana-if-type:ethernetCsmacd",
        "ietf-ip:ipv4": {
            "forwarding": True,
            "address": [{"ip": f"10.0.0.{number}", "prefix-length": 30}],
        },
        "ietf-ip:ipv6": {
            "forwarding": True,
            "address": [
                {"ip": f"fd00::{number}", "prefix-length": 64},
                {"ip": f"fe80::{number}", "prefix-length": 64},
            ],
        },
    }
    if change is not None:
        change(held, link, number)
    own = {
        "name": "lo",
        "type": "iana-if-type:softwareLoopback",
        "ietf-ip:ipv4": {"address": [{"ip": f"10.255.0.{number}", "prefix-length": 32}]},
        "ietf-ip:ipv6": {"address": [{"ip": f"fd00:255::{number}", "prefix-length": 128}]},
    }
    running = [{"type": kind, "name": protocol, module: held}]
    routing = {"control-plane-protocols": {"control-plane-protocol": running}}
    content = {"ietf-interfaces:interfaces": {"interface": [link, own]}}
    return json.dumps({**content, "ietf-routing:routing": routing}, indent=1)


def pair(protocol: str, end: int = 0, change: Change | None = None) -> Computed:
    files = {"topology.json": wired(("ant", "eth1", "bee", "eth1"))}
    for number, name in enumerate(("ant", "bee"), 1):
        said = router(protocol, number, change if number == end else None)
        files[f"devices/{name}/running.json"] = said
    return compute(files)


def spoken(held: Data) -> Data:
    """What a protocol says of the link."""
    where = held["areas"]["area"][0] if "areas" in held else held
    found: Data = where["interfaces"]["interface"][0]
    return found


def moved(length: int, third: int = 0) -> Change:
    def change(held: Data, link: Data, number: int) -> None:
        address = {"ip": f"10.0.{third}.{number}", "prefix-length": length}
        link["ietf-ip:ipv4"]["address"] = [address]

    return change


def silent(held: Data, link: Data, number: int) -> None:
    """The protocol does not run on the link."""
    where = held["areas"]["area"][0] if "areas" in held else held
    del where["interfaces"]["interface"][0]


def elsewhere(held: Data, link: Data, number: int) -> None:
    area = held["areas"]["area"][0]
    port = area["interfaces"]["interface"].pop(0)
    held["areas"]["area"].append({"area-id": "0.0.0.3", "interfaces": {"interface": [port]}})


def peer(key: str, value: object) -> Change:
    return lambda held, link, number: held["neighbor"][0].update({key: value})


def says(key: str, value: object) -> Change:
    return lambda held, link, number: spoken(held).update({key: value})


def longer(held: Data, link: Data, number: int) -> None:
    # The model takes the one only beside the other.
    spoken(held).update({"hello-interval": 10, "dead-interval": 48})


def of_process(key: str, value: object) -> Change:
    return lambda held, link, number: held.update({key: value})


def twin(held: Data, link: Data, number: int) -> None:
    held["explicit-router-id"] = f"10.255.0.{3 - number}"


def no_family(held: Data, link: Data, number: int) -> None:
    held["neighbor"][0]["address-family"] = []


ROWS: list[tuple[str, str, Change]] = [
    ("ospf", "ospf-subnet", moved(30, 4)),
    ("ospf", "ospf-mask", moved(29)),
    ("ospf", "ospf-hello-interval", says("hello-interval", 4)),
    ("ospf", "ospf-dead-interval", longer),
    ("ospf", "ospf-area", elsewhere),
    ("ospf", "ospf-not-passive", says("passive", True)),
    ("ospf", "ospf-enabled", silent),
    ("ospf", "ospf-network-type", says("interface-type", "point-to-point")),
    ("ospf", "ospf-router-ids-differ", twin),
    ("ospf6", "ospf-hello-interval", says("hello-interval", 4)),
    ("ospf6", "ospf-dead-interval", longer),
    ("ospf6", "ospf-area", elsewhere),
    ("ospf6", "ospf-not-passive", says("passive", True)),
    ("ospf6", "ospf-enabled", silent),
    ("ospf6", "ospf-instance", says("instance-id", 4)),
    ("ospf6", "ospf-router-ids-differ", twin),
    ("rip", "rip-subnet", moved(30, 4)),
    ("rip", "rip-enabled", silent),
    ("rip", "rip-not-passive", says("passive", [None])),
    ("eigrp", "eigrp-subnet", moved(30, 4)),
    ("eigrp", "eigrp-enabled", silent),
    ("eigrp", "eigrp-not-passive", says("passive", True)),
    ("eigrp", "eigrp-autonomous-system", of_process("autonomous-system", 9)),
    ("bgp", "bgp-as-number", peer("peer-as", 77)),
    ("bgp", "bgp-peer-address", peer("remote-address", "10.0.0.7")),
    ("bgp", "bgp-switched-on", peer("enabled", False)),
    ("bgp", "bgp-ipv4-family", no_family),
]


@pytest.mark.thorough
@pytest.mark.parametrize("protocol", TYPES)
def test_two_that_fit_are_neighbours(protocol: str) -> None:
    survey = pair(protocol)
    assert kinds(survey) == set()
    assert problem_with(json.loads(router(protocol, 1, None))) is None
    relations = list(survey.tables.relations())
    assert relations and all(relation.works for relation in relations)


@pytest.mark.parametrize("protocol", ["ospf", "ospf6"])
def test_what_is_switched_on_gets_the_intervals_of_the_other_end(protocol: str) -> None:
    def quick(held: Data, link: Data, number: int) -> None:
        spoken(held).update({"hello-interval": 5, "dead-interval": 20})

    files = {"topology.json": wired(("ant", "eth1", "bee", "eth1"))}
    files["devices/ant/running.json"] = router(protocol, 1, silent)
    files["devices/bee/running.json"] = router(protocol, 2, quick)
    survey = compute(files)
    (found,) = (f for f in survey.findings if f.kind == "ospf-enabled")
    after = Computed(apply(survey.survey, found.remedies[0].edits).survey)
    assert all(relation.works for relation in after.tables.relations()), found.remedies[0].title
    said = after.survey.text("ant", "running.json")
    assert said is not None and problem_with(json.loads(said)) is None


@pytest.mark.parametrize("end", [1, 2])
@pytest.mark.parametrize(
    ("protocol", "kind", "change"), ROWS, ids=[f"{row[0]} {row[1]}" for row in ROWS]
)
def test_a_gate_that_fails_is_found_and_mended(
    protocol: str, kind: str, change: Change, end: int
) -> None:
    survey = pair(protocol, end, change)
    assert [u for report in survey.survey.reading for u in report.unknown] == []
    for after in each_remedy_mends(survey, kind):
        for name in ("ant", "bee"):
            said = after.survey.text(name, "running.json")
            assert said is not None and problem_with(json.loads(said)) is None, said
