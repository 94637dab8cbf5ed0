"""Route maps between a protocol and the table: what they keep out, and the source they set."""

from __future__ import annotations

import json

from surveys import compute, wired

from trochos.core.survey import Computed

MAP = """ip prefix-list FAR seq 5 permit 10.3.0.0/24
route-map IN deny 5
 match ip address prefix-list FAR
exit
route-map IN permit 10
 set src 10.9.0.1
exit
"""


def router(name: str, ports: list[str], number: int, extra: str = "") -> str:
    rows = [f"hostname {name}"]
    for index, address in enumerate(ports, 1):
        rows += [f"interface eth{index}", f" ip address {address}", " ip ospf area 0", "exit"]
    rows += ["interface lo", f" ip address 10.9.0.{number}/32", " ip ospf area 0", "exit"]
    rows += ["router ospf", f" ospf router-id 10.9.0.{number}", "exit"]
    return "\n".join(rows) + "\n" + extra


def triangle(extra: str) -> Computed:
    """near, mid and far in a triangle; the subnet 10.3.0.0/24 lies between mid and far."""
    near = router("near", ["10.1.0.1/24", "10.2.0.1/24"], 1, extra)
    mid = router("mid", ["10.1.0.2/24", "10.3.0.1/24"], 2)
    far = router("far", ["10.2.0.2/24", "10.3.0.2/24"], 3)
    links = [("near", "eth1", "mid", "eth1"), ("near", "eth2", "far", "eth1")]
    links.append(("mid", "eth2", "far", "eth2"))
    texts = {"near": near, "mid": mid, "far": far}
    files = {f"devices/{name}/frr.conf": text for name, text in texts.items()}
    survey = compute({"topology.json": wired(*links), **files})
    assert [line for report in survey.survey.reading for line in report.unknown] == []
    return survey


def hops(survey: Computed, prefix: str) -> set[str | None]:
    best = {str(p): r for p, r in survey.tables.of("near", 4).best.items()}
    return {hop.interface for hop in best[prefix].next_hops} if prefix in best else set()


def test_what_the_map_denies_is_learned_and_not_used() -> None:
    survey = triangle(MAP + "ip protocol ospf route-map IN\n")
    assert hops(survey, "10.3.0.0/24") == set()
    assert hops(survey, "10.9.0.2/32") == {"eth1"}
    path = survey.path("near", "10.3.0.2")
    assert path.outbound.verdict == "no-route"
    assert "route map IN keeps it out" in path.outbound.branches[0].last.reason


def test_the_cause_is_the_entry_of_the_map() -> None:
    survey = triangle(MAP + "ip protocol ospf route-map IN\n")
    cause = survey.diagnose("near", "10.3.0.2").causes[0]
    assert cause.option.finding.kind == "kept-out-of-table"
    assert "route-map IN deny 5" in [s.text for s in cause.option.finding.evidence]
    assert cause.effect.heals


def test_another_protocol_takes_the_place() -> None:
    spare = "ip route 10.3.0.0/24 10.2.0.2 200\n"
    assert hops(triangle(spare), "10.3.0.0/24") == {"eth1", "eth2"}
    kept = triangle(spare + MAP + "ip protocol ospf route-map IN\n")
    route = {str(p): r for p, r in kept.tables.of("near", 4).best.items()}["10.3.0.0/24"]
    assert (route.protocol, route.distance) == ("static", 200)


def test_one_of_two_next_hops_may_be_denied() -> None:
    one = "route-map IN permit 10\n match interface eth2\nexit\nip protocol any route-map IN\n"
    survey = triangle(one)
    assert hops(survey, "10.3.0.0/24") == {"eth2"}
    assert hops(survey, "10.9.0.2/32") == set()
    assert hops(survey, "10.1.0.0/24") == {"eth1"}, "connected routes pass no map"


def test_a_map_that_nobody_wrote_keeps_all_out() -> None:
    survey = triangle("ip protocol ospf route-map NOBODY\n")
    learned = [r for r in survey.tables.of("near", 4).best.values() if r.protocol == "ospf"]
    assert learned == []
    undone = triangle("ip protocol ospf route-map NOBODY\nno ip protocol ospf\n")
    assert hops(undone, "10.3.0.0/24") == {"eth1", "eth2"}


def test_the_source_that_a_route_sets_is_used() -> None:
    plain = triangle("")
    assert str(plain.path("near", "10.9.0.2").source) == "10.1.0.1"
    mapped = triangle(MAP + "ip protocol ospf route-map IN\n")
    assert str(mapped.path("near", "10.9.0.2").source) == "10.9.0.1"


def test_a_host_sends_from_the_source_of_its_route() -> None:
    held = [
        {"local": "10.1.0.9", "prefixlen": 24, "family": "inet", "scope": "global"},
        {"local": "10.8.0.9", "prefixlen": 32, "family": "inet", "scope": "global"},
    ]
    address = [{"ifname": "eth0", "flags": ["UP", "LOWER_UP"], "addr_info": held}]
    way = {"dst": "default", "gateway": "10.1.0.1", "dev": "eth0"}
    text = router("near", ["10.1.0.1/24"], 1, "ip route 10.8.0.9/32 10.1.0.9\n")
    for extra, expected in (({}, "10.1.0.9"), ({"prefsrc": "10.8.0.9"}, "10.8.0.9")):
        survey = compute(
            {
                "topology.json": wired(("desk", "eth0", "near", "eth1")),
                "devices/near/frr.conf": text,
                "devices/desk/addr.json": json.dumps(address),
                "devices/desk/route.json": json.dumps([{**way, **extra}]),
            }
        )
        path = survey.path("desk", "10.9.0.1")
        assert (str(path.source), path.outbound.verdict) == (expected, "delivered")
