"""Neighbour relations: gates at both ends, and states equal to those of real routers."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest
from core.test_reference import cases
from surveys import bare, compute, wired

from trochos.core.protocols.gates import Relation

WORDS = {"2-way": "two-way"}
DYNAMIC = [path for path in cases() if path.name.startswith(("loom", "port", "elmet", "trio"))]


def seen_by_routers(folder: Path) -> dict[tuple[str, str], str]:
    """(device, address of the other) -> state, as the routers themselves say."""
    out: dict[tuple[str, str], str] = {}
    for device in (folder / "survey" / "devices").iterdir():
        ospf = device / "frr-ospf-neighbor.json"
        if ospf.exists():
            for entries in json.loads(ospf.read_text() or "{}").get("neighbors", {}).values():
                for entry in entries:
                    state = entry["nbrState"].split("/")[0].lower()
                    out[device.name, entry["address"]] = WORDS.get(state, state)
        eigrp = device / "frr-eigrp-neighbor.txt"
        if eigrp.exists():
            for address in re.findall(r"^\d+\s+(\d+\.\d+\.\d+\.\d+)", eigrp.read_text(), re.M):
                out[device.name, address] = "up"
        bgp = device / "frr-bgp-summary.json"
        if bgp.exists():
            summary = json.loads(bgp.read_text() or "{}").get("ipv4Unicast", {})
            for address, peer in summary.get("peers", {}).items():
                out[device.name, address] = peer["state"].split()[0].lower()
    return out


def sides(relation: Relation) -> list[tuple[tuple[str, str], str]]:
    left, right = relation.left, relation.right
    return [
        ((left.device, right.address or ""), left.state),
        ((right.device, left.address or ""), right.state),
    ]


@pytest.mark.parametrize("folder", DYNAMIC, ids=lambda p: p.name)
def test_states_equal_the_real_ones(folder: Path) -> None:
    survey = bare(folder / "survey")
    real = seen_by_routers(folder)
    compared = 0
    for relation in survey.tables.relations():
        for key, state in sides(relation):
            if relation.protocol == "bgp":
                # The peer address as configured, which need not be the one the other talks from.
                known = [s for (device, peer), s in real.items() if device == key[0]]
                assert state in known or state == "idle", (relation.left, relation.right, known)
            elif state == "down":
                assert real.get(key) in (None, "init"), (key, real.get(key))
            elif state in ("exstart", "exchange"):
                assert real.get(key) in ("exstart", "exchange"), key
            else:
                assert real.get(key) == state, key
            compared += 1
    assert compared >= 6


@pytest.mark.parametrize(
    ("name", "gate", "pair"),
    [
        ("loom-05", "dead interval", {"moss", "reed"}),
        ("loom-06", "router ids differ", {"moss", "reed"}),
        ("loom-08", "authentication type", {"moss", "reed"}),
        ("loom-11", "not passive", {"cress", "rowan"}),
        ("port-03", "authentication key", {"pier", "dock"}),
        ("port-10", "MTU", {"pier", "dock"}),
        ("rook-03", "not passive", {"jay", "kite"}),
        ("rook-05", "authentication type", {"jay", "kite"}),
        ("rook-13", "version", {"jay", "kite"}),
        ("elmet-01", "autonomous system", {"dell", "scar"}),
        ("trio-01", "AS number", {"isle", "south"}),
        ("trio-03", "source address", {"isle", "south"}),
        ("trio-08", "external policy", {"isle", "south"}),
        ("trio-10", "switched on", {"isle", "south"}),
        ("trio-11", "password", {"isle", "south"}),
        ("trio-13", "reachable", {"isle", "south"}),
        ("trio-18", "prefix limit", {"flow", "south"}),
        ("trio-20", "router ids differ", {"mid", "south"}),
    ],
)
def test_the_gate_that_fails_is_named(name: str, gate: str, pair: set[str]) -> None:
    folder = next(path for path in cases() if path.name == name)
    failing = [r for r in bare(folder / "survey").tables.relations() if not r.works]
    found = [
        r.first_failing.gate
        for r in failing
        if r.first_failing is not None and {r.left.device, r.right.device} == pair
    ]
    assert found == [gate]


def ospf(name: str, address: str, *lines: str, section: str = "network 10.64.0.0/16 area 0") -> str:
    """One router with one interface."""
    body = "".join(f" {line}\n" for line in lines)
    number = sum(name.encode())
    return (
        f"hostname {name}\ninterface eth1\n ip address {address}\n{body}exit\n"
        f"router ospf\n ospf router-id 10.0.0.{number % 250}\n {section}\nexit\n"
    )


def pair_of(left: str, right: str) -> Relation:
    survey = compute(
        {
            "topology.json": wired(("gull", "eth1", "mill", "eth1")),
            "devices/gull/frr.conf": left,
            "devices/mill/frr.conf": right,
        }
    )
    (relation,) = survey.tables.relations()
    return relation


P2P = "ip ospf network point-to-point"


@pytest.mark.parametrize(
    ("left", "right", "gate", "state"),
    [
        (("10.64.0.1/30",), ("10.64.0.2/30",), None, "full"),
        (("10.64.0.1/30",), ("10.64.0.2/29",), "mask", "down"),
        (("10.64.0.1/30", P2P), ("10.64.0.2/29", P2P), None, "full"),
        (("10.64.0.1/30",), ("10.64.0.9/30",), "subnet", "down"),
        (("10.64.0.1/30", P2P), ("10.64.0.2/30",), "network type", "full"),
        (("10.64.0.1/30", "ip ospf hello-interval 5"), ("10.64.0.2/30",), "hello interval", "down"),
        (
            ("10.64.0.1/30", "ip ospf priority 0"),
            ("10.64.0.2/30", "ip ospf priority 0"),
            "designated router",
            "two-way",
        ),
        (("10.64.0.1/30", "shutdown"), ("10.64.0.2/30",), "line", "down"),
        (("10.64.0.1/30", "ip ospf passive"), ("10.64.0.2/30",), "not passive", "down"),
        (
            ("10.64.0.1/30", "ip ospf authentication", "ip ospf authentication-key one"),
            ("10.64.0.2/30", "ip ospf authentication", "ip ospf authentication-key two"),
            "authentication key",
            "down",
        ),
        (
            (
                "10.64.0.1/30",
                "ip ospf authentication message-digest",
                "ip ospf message-digest-key 1 md5 old",
                "ip ospf message-digest-key 2 md5 new",
            ),
            (
                "10.64.0.2/30",
                "ip ospf authentication message-digest",
                "ip ospf message-digest-key 2 md5 new",
                "ip ospf message-digest-key 1 md5 old",
            ),
            None,
            "full",
        ),
    ],
)
def test_ospf_gates(
    left: tuple[str, ...], right: tuple[str, ...], gate: str | None, state: str
) -> None:
    relation = pair_of(ospf("gull", *left), ospf("mill", *right))
    first = relation.first_failing
    assert (first.gate if first else None) == gate
    assert relation.left.state == relation.right.state == state


def test_a_pair_and_its_mirror_agree() -> None:
    one = ospf("gull", "10.64.0.1/30", "ip ospf dead-interval 12")
    two = ospf("mill", "10.64.0.2/29", "ip ospf hello-interval 3")
    here = pair_of(one, two)
    there = pair_of(
        ospf("gull", "10.64.0.2/29", "ip ospf hello-interval 3"),
        ospf("mill", "10.64.0.1/30", "ip ospf dead-interval 12"),
    )
    assert [
        (g.gate, g.left, g.right, g.holds) for g in here.gates if g.gate != "router ids differ"
    ] == [(g.gate, g.right, g.left, g.holds) for g in there.gates if g.gate != "router ids differ"]


def test_one_statement_that_misses_is_named_as_a_missing_line() -> None:
    relation = pair_of(
        ospf("gull", "10.64.0.1/30", section="network 10.65.0.0/16 area 0"),
        ospf("mill", "10.64.0.2/30"),
    )
    gate = relation.first_failing
    assert gate is not None and gate.gate == "enabled"
    missing = [source for source in gate.evidence if source.missing]
    assert [(s.device, s.text) for s in missing] == [("gull", "network 10.64.0.0/30 area ...")]


def eigrp(name: str, address: str, *lines: str) -> str:
    body = "".join(f" {line}\n" for line in ("network 10.64.0.0/24", *lines))
    head = f"hostname {name}\ninterface eth1\n ip address {address}\nexit\n"
    return f"{head}router eigrp 7\n{body}exit\n"


@pytest.mark.parametrize(
    ("left", "right", "gate"),
    [
        ((), (), None),
        (("metric weights 1 0 1 0 0",), (), None),
        (("metric weights 1 1 1 0 0",), (), "K values"),
        (("passive-interface eth1",), (), None),  # what these routers do with it: nothing
    ],
)
def test_eigrp_gates(left: tuple[str, ...], right: tuple[str, ...], gate: str | None) -> None:
    relation = pair_of(eigrp("gull", "10.64.0.1/30", *left), eigrp("mill", "10.64.0.2/30", *right))
    first = relation.first_failing
    assert (first.gate if first else None) == gate
    assert relation.left.state == ("up" if gate is None else "down")
