"""Expectations: lists, ways, instances, and what has to survive failures."""

from __future__ import annotations

from typing import Any

import pytest
from surveys import compute, frr, wired

from trochos.core.diagnosis.audit import ExpectationError, read_expectations
from trochos.core.survey import Computed

# A ring of three routers with a host at each; heron's host hangs on two links.
LINKS = [
    ("gull", "eth1", "heron", "eth1"), ("heron", "eth2", "tern", "eth1"),
    ("tern", "eth2", "gull", "eth2"), ("desk", "eth0", "gull", "eth0"),
    ("pier", "eth0", "tern", "eth0"),
]  # fmt: skip
OSPF = ("router ospf", " network 10.64.0.0/16 area 0", "exit")


def ring(*further: str, cost: str = "") -> Computed:
    ports = {
        "gull": {
            "lo": "10.64.0.1/32",
            "eth0": "10.64.1.1/24",
            "eth1": "10.64.12.1/30",
            "eth2": "10.64.13.2/30",
        },
        "heron": {"lo": "10.64.0.2/32", "eth1": "10.64.12.2/30", "eth2": "10.64.23.1/30"},
        "tern": {
            "lo": "10.64.0.3/32",
            "eth0": "10.64.3.1/24",
            "eth1": "10.64.23.2/30",
            "eth2": "10.64.13.1/30",
        },
    }
    hosts = {"desk": ("10.64.1.10/24", "10.64.1.1"), "pier": ("10.64.3.10/24", "10.64.3.1")}
    files = {"topology.json": wired(*LINKS)}
    for name, held in ports.items():
        lines = [*OSPF, *(further if name == "gull" else ())]
        if name == "tern" and cost:
            lines += ["interface eth2", f" ip ospf cost {cost}", "exit"]
        files[f"devices/{name}/frr.conf"] = frr(name, held, *lines)
    for name, (address, gateway) in hosts.items():
        files[f"devices/{name}/frr.conf"] = frr(
            name, {"eth0": address}, f"ip route 0.0.0.0/0 {gateway}"
        )
    return compute(files)


def asked(survey: Computed, **entry: Any) -> tuple[bool, str]:
    entry = {key.rstrip("_"): value for key, value in entry.items()}
    (result,) = survey.audit(read_expectations([{"name": "it", **entry}]))
    return result.holds, result.reason


def test_lists_are_every_pair_of_them() -> None:
    survey = ring()
    assert asked(survey, from_=["desk", "pier"], to=["desk", "pier"]) == (
        True,
        "All 2 conversations work.",
    )
    holds, reason = asked(survey, from_=["desk", "pier"], to=["gull", "10.64.99.9"])
    assert not holds and "10.64.99.9" in reason


def test_request_and_reply_take_the_same_way() -> None:
    assert asked(ring(), from_="desk", to="pier", paths="equal")[0]
    # The reply costs more over the direct link than around.
    holds, reason = asked(ring(cost="100"), from_="desk", to="pier", paths="equal")
    assert not holds
    assert "request over desk, gull, tern, pier" in reason
    assert "reply over pier, tern, heron, gull, desk" in reason


def test_what_has_to_survive_is_tried_under_every_failure() -> None:
    survey = ring()
    assert asked(survey, from_="gull", to="tern", survives="link")[0]
    assert asked(survey, from_="gull", to="tern", survives=["link", "device"])[0]
    holds, reason = asked(survey, from_="desk", to="pier", survives="link")
    assert not holds and reason.startswith("It holds now, but not if")
    assert "desk eth0" in reason or "pier eth0" in reason
    direct = {"from_": "gull", "to": "tern", "avoid": ["heron"]}
    assert asked(survey, **direct)[0]
    holds, reason = asked(survey, **direct, survives="link")
    assert not holds and "passes heron" in reason


def test_failures_under_which_it_falls_are_those_of_the_sweep() -> None:
    survey = ring()
    entries = [
        {"name": "core", "from": "gull", "to": "tern"},
        {"name": "hosts", "from": "desk", "to": "pier"},
    ]
    expectations = read_expectations(entries)
    found = survey.sweep(expectations=expectations)
    fallen = {name for failure in found.failures for name in failure.expectations}
    assert fallen == {"hosts"}
    for entry, survives in ((entries[0], True), (entries[1], False)):
        asking = read_expectations([{**entry, "survives": ["link", "device"]}])
        assert survey.audit(asking)[0].holds is survives


def test_one_that_could_not_be_tried_to_the_end_does_not_hold() -> None:
    (result,) = ring().audit(
        read_expectations([{"from": "gull", "to": "tern", "survives": "link"}]),
        lambda done, of, what: done < 1,
    )
    assert not result.holds and "1 of" in result.reason


def test_nor_does_one_whose_turn_never_came() -> None:
    """Links are tried before devices: who waits for devices only was not tried at all."""
    entries = [
        {"name": "links", "from": "gull", "to": "tern", "survives": "link"},
        {"name": "devices", "from": "gull", "to": "tern", "survives": "device"},
        {"name": "now", "from": "gull", "to": "tern"},
    ]
    results = ring().audit(read_expectations(entries), lambda done, of, what: False)
    assert [result.holds for result in results] == [False, False, True]


def test_an_instance_is_asked_inside() -> None:
    survey = compute(
        {
            "devices/gull/frr.conf": "\n".join(
                [
                    "vrf red", "exit-vrf", "interface eth0", " ip address 10.64.1.1/24", "exit",
                    "interface eth1 vrf red", " ip address 10.64.1.1/24", "exit",
                    "ip route 10.64.9.0/24 blackhole",
                ]
            ),
            "devices/desk/frr.conf": frr("desk", {"eth0": "10.64.1.10/24"}),
            "devices/loft/frr.conf": frr("loft", {"eth0": "10.64.1.11/24"}),
            "topology.json": wired(
                ("desk", "eth0", "gull", "eth0"), ("loft", "eth0", "gull", "eth1")
            ),
        }
    )  # fmt: skip
    assert asked(survey, from_="gull", to="10.64.1.11", instance="red")[0]
    assert not asked(survey, from_="gull", to="10.64.1.10", instance="red")[0]


@pytest.mark.parametrize(
    ("entry", "says"),
    [
        ({"from": [], "to": "b"}, "needs 'from'"),
        ({"from": "a", "to": [3]}, "needs 'to'"),
        ({"from": "a", "to": "a"}, "about itself"),
        ({"from": "a", "to": "b", "survives": "node"}, "It is link, device, or both"),
        ({"from": "a", "to": "b", "paths": "same"}, "It is equal"),
        ({"from": "a", "to": "b", "must": "not-work", "over": ["c"]}, "passes nothing"),
    ],
)
def test_what_cannot_be_meant_is_refused(entry: dict[str, Any], says: str) -> None:
    with pytest.raises(ExpectationError, match=says):
        read_expectations([entry])
