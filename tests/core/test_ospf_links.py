"""OSPF neighbours that are listed or virtual: what real routers did with each, and the remedies."""

from __future__ import annotations

import json

import pytest
from surveys import compute, wired

from trochos.core.network.ospf import OspfProcess
from trochos.core.survey import Computed

NBMA = "ip ospf network non-broadcast"
MULTI = "ip ospf network point-to-multipoint"
LAZY = "ip ospf priority 0"


def shared(*members: tuple[list[str], list[str]]) -> Computed:
    """Routers r1, r2, ... on one LAN, each with the lines of its interface and of its process."""
    files, links = {}, []
    for number, (port, section) in enumerate(members, 1):
        name = f"r{number}"
        rows = [f"hostname {name}", "interface eth1", f" ip address 10.1.0.{number}/24"]
        rows += [" ip ospf area 0", *(f" {line}" for line in port), "exit"]
        rows += ["interface lo", f" ip address 10.9.0.{number}/32", " ip ospf area 0", "exit"]
        rows += ["router ospf", f" ospf router-id 10.9.0.{number}"]
        rows += [*(f" {line}" for line in section), "exit"]
        files[f"devices/{name}/frr.conf"] = "\n".join(rows) + "\n"
        links.append((name, "eth1", "lan", f"p{number}"))
    return compute({"topology.json": wired(*links), **files})


def knows(survey: Computed, name: str) -> set[int]:
    """The numbers of the other routers whose loopback a router has learned."""
    best = survey.tables.of(name, 4).best
    return {
        prefix.network & 255
        for prefix, route in best.items()
        if route.protocol == "ospf" and str(prefix).startswith("10.9.0.")
    }


def listed(*numbers: int) -> list[str]:
    return [f"neighbor 10.1.0.{number}" for number in numbers]


@pytest.mark.parametrize(
    ("members", "expected"),
    [
        ([([NBMA], listed(2, 3)), ([NBMA], listed(1, 3)), ([NBMA], listed(1, 2))], [2, 2, 2]),
        ([([NBMA], listed(2)), ([NBMA], [])], [1, 1]),
        ([([NBMA], []), ([NBMA], [])], [0, 0]),
        ([([NBMA], []), ([], [])], [1, 1]),
        # The hub is between two that do not list each other.
        ([([NBMA], listed(2, 3)), ([NBMA, LAZY], []), ([NBMA, LAZY], [])], [2, 2, 2]),
        # One that does not hear the designated router, 3, is left out.
        ([([NBMA], []), ([NBMA], listed(1)), ([NBMA], listed(1))], [1, 0, 1]),
        # Who may not become designated does not call first.
        ([([NBMA], []), ([NBMA, LAZY], listed(1))], [0, 0]),
        ([([NBMA], []), ([NBMA, LAZY], ["neighbor 10.1.0.1 priority 1"])], [0, 0]),
        ([([NBMA], []), (["ip ospf network point-to-point"], [])], [0, 0]),
        ([([MULTI], []), ([MULTI], []), ([MULTI], [])], [2, 2, 2]),
    ],
)
def test_who_learns_from_whom(members: list[tuple[list[str], list[str]]], expected: list[int]):
    survey = shared(*members)
    assert [len(knows(survey, f"r{n}")) for n in range(1, len(members) + 1)] == expected
    assert all(not line for report in survey.survey.reading for line in report.unknown)


def test_a_hub_between_two_that_do_not_list_each_other_is_no_fault() -> None:
    survey = shared(([NBMA], listed(2, 3)), ([NBMA, LAZY], []), ([NBMA, LAZY], []))
    assert [f.kind for f in survey.findings if f.kind.startswith("ospf-")] == []


def test_a_neighbour_that_nobody_lists_is_listed_by_the_remedy() -> None:
    survey = shared(([NBMA], []), ([NBMA], []))
    cause = survey.diagnose("r1", "10.9.0.2").causes[0]
    assert cause.option.finding.kind == "ospf-neighbour-listed"
    assert cause.option.remedy.title == "On r1: list 10.1.0.2 on eth1."
    evidence = [source.text for source in cause.option.finding.evidence]
    assert "neighbor 10.1.0.2" in evidence


def test_an_end_of_a_point_to_multipoint_link_is_a_host() -> None:
    survey = shared(([MULTI], []), ([MULTI], []))
    own = [r for r in survey.tables.of("r1", 4).everything() if str(r.prefix) == "10.1.0.1/32"]
    assert sorted((r.protocol, r.selected) for r in own) == [("local", True), ("ospf", True)]
    assert survey.path("r1", "10.1.0.1").outbound.verdict == "delivered"


# -- virtual links -------------------------------------------------------------------------

DIGEST = "authentication message-digest"
KEY = "message-digest-key 1 md5 alpha"


def crossing(near: list[str], far: list[str], area: str = "") -> Computed:
    """west -0- near -1- far -2- east, and a virtual link across area 1 as the two say it."""
    return compute(crossing_files(near, far, area))


def crossing_files(near: list[str], far: list[str], area: str = "") -> dict[str, str]:
    names = ["west", "near", "far", "east"]
    texts = {name: [f"hostname {name}"] for name in names}
    links = []
    for number in range(3):
        for side, name in enumerate(names[number : number + 2], 1):
            port = "eth1" if side == 1 else "eth0"
            texts[name] += [f"interface {port}", f" ip address 10.{number}.0.{side}/24"]
            texts[name] += [" ip ospf network point-to-point", f" ip ospf area {number}", "exit"]
        links.append((names[number], "eth1", names[number + 1], "eth0"))
    for number, name in enumerate(names, 1):
        texts[name] += ["router ospf", f" ospf router-id 10.9.0.{number}"]
    for name, lines in (("near", near), ("far", far)):
        other = 3 if name == "near" else 2
        if area:
            texts[name].append(f" area 1 {area}")
        texts[name] += [f" area 1 virtual-link 10.9.0.{other} {line}".rstrip() for line in lines]
    files = {f"devices/{n}/frr.conf": "\n".join([*t, "exit", ""]) for n, t in texts.items()}
    return {"topology.json": wired(*links), **files}


VIRTUAL: list[tuple[list[str], list[str], str | None]] = [
    ([""], [""], None),
    ([""], [], "virtual link"),
    ([DIGEST, KEY], [DIGEST, KEY], None),
    ([f"{DIGEST} {KEY}"], [DIGEST, KEY], None),
    ([DIGEST, KEY], [DIGEST, "message-digest-key 1 md5 beta"], "virtual key"),
    ([DIGEST, KEY], [KEY], "virtual authentication"),
    ([KEY], ["message-digest-key 1 md5 beta"], None),
    (["authentication authentication-key alpha"], ["authentication"], "virtual key"),
    (["authentication null"], [""], None),
    (["hello-interval 5"], ["hello-interval 5"], None),
    (["hello-interval 5"], ["hello-interval 6"], "virtual hello interval"),
    (["dead-interval 20"], [""], "virtual dead interval"),
]


@pytest.mark.parametrize(("near", "far", "gate"), VIRTUAL)
def test_gates_of_a_virtual_link(near: list[str], far: list[str], gate: str | None) -> None:
    survey = crossing(near, far)
    crossed = [r for r in survey.tables.relations() if r.left.interface is None]
    assert len(crossed) == 1
    failing = crossed[0].first_failing
    assert (failing.gate if failing else None) == gate
    reaches = "10.2.0.0/24" in {str(p) for p in survey.tables.of("west", 4).best}
    assert reaches == (gate is None)
    # As long as it is configured, real routers pass area 1 on into area 2.
    assert ("10.1.0.0/24" in {str(p) for p in survey.tables.of("east", 4).best}) == bool(far)
    if gate is not None:
        cause = survey.diagnose("west", "10.2.0.2").causes[0]
        assert cause.option.finding.kind == f"ospf-{gate.replace(' ', '-')}"
        assert cause.effect.heals


def test_a_stub_area_is_not_crossed() -> None:
    survey = crossing([""], [""], "stub")
    crossed = [r for r in survey.tables.relations() if r.left.interface is None]
    assert crossed[0].first_failing is not None
    assert crossed[0].first_failing.gate == "transit area type"
    assert "ospf-transit-area-type" in {f.kind for f in survey.findings}


@pytest.mark.parametrize(
    ("kind", "old", "new"),
    [
        ("ospf-transit-area", " area 1 virtual-link", " area 7 virtual-link"),
        ("ospf-way-through-the-area", "interface eth0\n", "interface eth0\n shutdown\n"),
    ],
)
def test_a_virtual_link_needs_one_area_and_a_way_through_it(kind: str, old: str, new: str) -> None:
    files = crossing_files([""], [""])
    text = files["devices/far/frr.conf"]
    assert old in text
    files["devices/far/frr.conf"] = text.replace(old, new)
    assert kind in {f.kind for f in compute(files).findings}


def test_yang_says_the_same_of_listed_neighbours_and_virtual_links() -> None:
    def device(name: str, number: int, areas: list[dict[str, object]]) -> str:
        address = [{"ip": f"10.1.0.{number}", "prefix-length": 24}]
        interface = {"name": "e1", "type": "iana-if-type:ethernetCsmacd"}
        interface |= {"enabled": True, "ietf-ip:ipv4": {"address": address}}
        ospf = {"explicit-router-id": f"10.9.0.{number}", "areas": {"area": areas}}
        protocol = {"type": "ietf-ospf:ospfv2", "name": "main", "ietf-ospf:ospf": ospf}
        routing = {"control-plane-protocols": {"control-plane-protocol": [protocol]}}
        return json.dumps(
            {
                "ietf-system:system": {"hostname": name},
                "ietf-interfaces:interfaces": {"interface": [interface]},
                "ietf-routing:routing": routing,
            },
            indent=1,
        )

    def areas(end: int, listing: bool) -> list[dict[str, object]]:
        port: dict[str, object] = {"name": "e1", "interface-type": "non-broadcast"}
        if listing:
            port["static-neighbors"] = {"neighbor": [{"identifier": f"10.1.0.{end}"}]}
        link = {"transit-area-id": "0.0.0.1", "router-id": f"10.9.0.{end}", "hello-interval": 5}
        return [
            {"area-id": "0.0.0.0", "virtual-links": {"virtual-link": [link]}},
            {"area-id": "0.0.0.1", "interfaces": {"interface": [port]}},
        ]

    files = {
        "topology.json": wired(("left", "e1", "right", "e1")),
        "devices/left/config.json": device("left", 1, areas(2, True)),
        "devices/right/config.json": device("right", 2, areas(1, False)),
    }
    survey = compute(files)
    assert [line for report in survey.survey.reading for line in report.unknown] == []
    relations = survey.tables.relations()
    assert [(r.left.interface, r.works) for r in relations] == [("e1", True), (None, True)]
    links = [v for d in survey.network.devices for v in d.routing.of(OspfProcess)[0].virtual_links]
    assert [(v.area, v.hello.value if v.hello else None) for v in links] == [(1, 5), (1, 5)]
