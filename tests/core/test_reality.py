"""What devices show of themselves against what is written, and SNMP walks read for it."""

from __future__ import annotations

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from surveys import compute, wired

from trochos.core.diagnosis.reality import compare_table
from trochos.core.readers import snmp

FRONT = """frr version 8.4.4
hostname front
ip route 10.64.7.0/24 10.64.9.2
interface eth0
 ip address 10.64.9.1/30
exit
interface eth1
 ip address 10.64.1.1/24
exit
"""
BACK = FRONT.replace("front", "back").replace("9.1/30", "9.2/30").replace("1.1/24", "7.1/24")


def entry(protocol: str, *hops: dict[str, object]) -> list[dict[str, object]]:
    return [{"protocol": protocol, "selected": True, "distance": 1, "nexthops": list(hops)}]


def table(**changed: object) -> str:
    held: dict[str, object] = {
        "10.64.9.0/30": entry("connected", {"interfaceName": "eth0"}),
        "10.64.1.0/24": entry("connected", {"interfaceName": "eth1"}),
        "10.64.7.0/24": entry("static", {"ip": "10.64.9.2", "interfaceName": "eth0"}),
    }
    held |= {k.replace("_", "/").replace("x", "."): v for k, v in changed.items()}
    return json.dumps({k: v for k, v in held.items() if v is not None})


def survey(routes: str, **more: str):  # type: ignore[no-untyped-def]
    files = {
        "devices/front/frr.conf": FRONT,
        "devices/front/frr-route.json": routes,
        "devices/back/frr.conf": BACK.replace("ip route 10.64.7.0/24 10.64.9.2\n", ""),
        "topology.json": wired(("front", "eth0", "back", "eth0")),
    }
    return compute(files | {k.replace("__", "/"): v for k, v in more.items()})


def states(made) -> dict[str, tuple[str, str | None]]:  # type: ignore[no-untyped-def]
    device = made.network.device("front")
    return {
        str(row.prefix): (row.state, row.reason) for row in compare_table(made.tables, device, 4)
    }


def test_a_table_that_is_as_written_is_the_same() -> None:
    made = survey(table())
    assert {state for state, _ in states(made).values()} == {"same"}
    assert [f for f in made.findings if f.kind == "table-differs"] == []


def test_each_difference_has_its_likely_reason() -> None:
    made = survey(
        table(
            **{
                "10x64x7x0_24": None,
                "10x64x8x0_24": entry("static", {"ip": "10.64.9.2", "interfaceName": "eth0"}),
                "10x64x6x0_24": entry("ospf", {"ip": "10.64.9.2", "interfaceName": "eth0"}),
            }
        )
    )
    found = states(made)
    assert found["10.64.7.0/24"][0] == "extra"
    assert found["10.64.8.0/24"] == (
        "missing",
        "it was entered on the device and does not stand in its configuration",
    )
    assert found["10.64.6.0/24"][0] == "missing"
    assert "neighbour that the survey does not hold" in (found["10.64.6.0/24"][1] or "")
    (finding,) = [f for f in made.findings if f.kind == "table-differs"]
    assert finding.severity == "notes" and "and 2 more" in finding.summary


def walk(*heard: tuple[int, str, str]) -> str:
    rows = [".1.3.6.1.2.1.1.5.0 = STRING: front"]
    for index, name in ((1, "eth0"), (2, "eth1")):
        rows += [
            f".1.3.6.1.2.1.2.2.1.2.{index} = STRING: {name}",
            f".1.3.6.1.2.1.2.2.1.7.{index} = INTEGER: 1",
            f".1.3.6.1.2.1.2.2.1.8.{index} = INTEGER: up(1)",
            f".1.0.8802.1.1.2.1.3.7.1.3.{index} = STRING: {name}",
        ]
    for number, (index, system, port) in enumerate(heard, 1):
        rows += [
            f".1.0.8802.1.1.2.1.4.1.1.7.0.{index}.{number} = STRING: {port}",
            f".1.0.8802.1.1.2.1.4.1.1.9.0.{index}.{number} = STRING: {system}",
        ]
    return "\n".join(rows) + "\n"


def test_a_port_that_is_heard_and_hears_nobody_is_said() -> None:
    here = walk((1, "back", "eth0"))
    deaf = walk((2, "front", "eth1")).replace("STRING: front\n", "STRING: back\n", 1)
    both = walk((1, "front", "eth0")).replace("STRING: front\n", "STRING: back\n", 1)
    made = survey(table(), devices__front__walk=here, devices__back__walk=deaf)
    (finding,) = [f for f in made.findings if f.kind == "heard-one-way" and f.device == "back"]
    assert finding.summary == ("front eth0 hears back eth0 over LLDP, and back eth0 hears nobody.")
    made = survey(table(), devices__front__walk=here, devices__back__walk=both)
    assert [f for f in made.findings if f.kind == "heard-one-way"] == []


def test_a_cable_in_the_wrong_port_is_found_by_what_is_heard() -> None:
    right = survey(table(), devices__front__walk=walk((1, "back", "eth0")))
    assert [f for f in right.findings if f.kind == "cable-elsewhere"] == []
    wrong = survey(table(), devices__front__walk=walk((1, "back", "eth1")))
    (finding,) = [f for f in wrong.findings if f.kind == "cable-elsewhere"]
    assert finding.summary == (
        "front eth0 hears back eth1 over LLDP, and the wiring has back eth0 there."
    )
    assert finding.evidence[0].file == "walk"


def test_without_a_drawing_what_is_heard_is_the_wiring() -> None:
    files = {
        "devices/front/frr.conf": FRONT.replace("10.64.9.1/30", "10.64.9.1/29"),
        "devices/front/walk": walk((1, "back.ferry.example", "eth0")),
        "devices/back/frr.conf": BACK,
    }
    made = compute(files)
    (segment,) = [s for s in made.network.segments if len(s.ends) == 2]
    assert [str(end) for end in segment.ends] == ["back eth0", "front eth0"]
    assert "LLDP" in segment.reason and segment.inferred


def test_a_walk_alone_makes_a_device_and_learned_routes_make_it_uncertain() -> None:
    base = ".1.3.6.1.2.1.4.24.7.1"
    rows = walk().splitlines()
    rows += [
        ".1.3.6.1.2.1.4.1.0 = INTEGER: forwarding(1)",
        ".1.3.6.1.2.1.4.34.1.3.1.4.10.64.9.1 = INTEGER: 1",
        ".1.3.6.1.2.1.4.34.1.5.1.4.10.64.9.1 = OID: .1.3.6.1.2.1.4.32.1.5.1.1.4.10.64.9.0.30",
    ]

    def route(prefix: str, length: int, gateway: str, protocol: int) -> list[str]:
        key = f"1.4.{prefix}.{length}.2.0.0.1.4.{gateway}"
        return [
            f"{base}.7.{key} = INTEGER: 1",
            f"{base}.8.{key} = INTEGER: remote(4)",
            f"{base}.9.{key} = INTEGER: {protocol}",
        ]

    static = [*rows, *route("10.64.7.0", 24, "10.64.9.2", 3)]
    made = compute({"devices/front/walk": "\n".join(static)})
    device = made.network.device("front")
    assert device is not None and device.role == "router"
    assert [str(s.prefix) for s in device.statics] == ["10.64.7.0/24"]
    assert str(device.interfaces[0].addresses[0].value) == "10.64.9.1/30"
    assert device.unmodelled == ()
    learned = [*static, *route("10.64.8.0", 24, "10.64.9.2", 13)]
    made = compute({"devices/front/walk": "\n".join(learned)})
    device = made.network.device("front")
    assert device is not None and "OSPF taught it routes" in device.unmodelled[0].why


@pytest.mark.thorough
@settings(max_examples=150, deadline=None)
@given(
    st.lists(
        st.tuples(
            st.lists(st.integers(0, 300), min_size=1, max_size=24),
            st.sampled_from(["INTEGER", "STRING", "Hex-STRING", "OID", "IpAddress", "odd"]),
            st.text('0123456789abc.: -"()', max_size=20),
        ),
        max_size=12,
    ),
    st.sampled_from(
        ["", "1.3.6.1.2.1.2.2.1.2.", "1.3.6.1.2.1.4.24.7.1.7.", "1.0.8802.1.1.2.1.4.1.1.7."]
    ),
)
def test_no_walk_breaks_the_reader(rows: list[tuple[list[int], str, str]], head: str) -> None:
    text = "\n".join(
        f".{head}{'.'.join(map(str, oid))} = {kind}: {value}" for oid, kind, value in rows
    )
    _, ledger = snmp.read("front", "walk", text)
    report = ledger.report()
    assert report.lines == report.understood + report.irrelevant + len(report.unknown)
