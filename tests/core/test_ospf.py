"""OSPF on networks small enough to work out by hand, and shortest paths against brute force."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from surveys import compute, wired

from trochos.core.network.addressing import Address
from trochos.core.protocols.shortest import FAR, AreaGraph, Edge, by_growing, by_passing
from trochos.core.step.routes import NextHop
from trochos.core.survey import Computed


@st.composite
def graphs(draw: st.DrawFn) -> AreaGraph:
    count = draw(st.integers(2, 7))
    graph = AreaGraph(0)
    for number in range(count):
        graph.node(f"r{number}")
    pairs = draw(
        st.lists(
            st.tuples(
                st.integers(0, count - 1), st.integers(0, count - 1), st.integers(1, 4)
            ).filter(lambda e: e[0] != e[1]),
            max_size=16,
        )
    )
    for index, (start, end, cost) in enumerate(pairs):
        hop = NextHop("forward", Address(4, 0x0A000000 + index), f"e{index}")
        graph.edges.append(Edge(start, end, cost, (hop,)))
    return graph


def brute_force(graph: AreaGraph, start: int, end: int) -> tuple[int, set[NextHop]]:
    """Every path without a repeated router, tried one after the other."""
    best, hops = int(FAR), set()
    for length in range(1, len(graph.nodes)):
        for middle in itertools.permutations(range(len(graph.nodes)), length - 1):
            path = [start, *middle, end]
            if len(set(path)) != len(path):
                continue
            legs = [
                [e for e in graph.edges if (e.start, e.end) == leg]
                for leg in itertools.pairwise(path)
            ]
            if not all(legs):
                continue
            cost = sum(min(e.cost for e in leg) for leg in legs)
            rest = cost - min(e.cost for e in legs[0])
            for first in legs[0]:
                total = first.cost + rest
                if total < best:
                    best, hops = total, set()
                if total == best:
                    hops |= set(first.hops)
    return best, hops


@pytest.mark.parametrize("count", [1, 2, 40, 200])
def test_both_ways_to_find_distances_agree(count: int) -> None:
    rng = np.random.default_rng(count)
    pairs = {(int(a), int(b)) for a, b in rng.integers(0, count, (3 * count, 2)) if a != b}
    rows = np.array([a for a, _ in pairs], dtype=np.int64)
    columns = np.array([b for _, b in pairs], dtype=np.int64)
    weights = rng.integers(1, 65536, len(pairs)).astype(np.int64)
    passing = by_passing(count, rows, columns, weights)
    assert np.array_equal(passing, by_growing(count, rows, columns, weights))
    assert count < 40 or ((passing == FAR).any() and (passing < FAR).sum() > count)


@pytest.mark.thorough
@settings(max_examples=60, deadline=None)
@given(graphs())
def test_distances_and_next_hops_equal_brute_force(graph: AreaGraph) -> None:
    graph.solve()
    for start, end in itertools.permutations(range(len(graph.nodes)), 2):
        cost, hops = brute_force(graph, start, end)
        assert graph.distance[start, end] == cost
        if cost < FAR:
            assert set(graph.hops(start, int(graph.masks[start, end]))) == hops


def router(name: str, number: int, interfaces: list[tuple[str, str, int]], *section: str) -> str:
    """A router's text: interfaces as (name, address, area), and lines of its process."""
    lines = [f"hostname {name}"]
    for port, address, area in interfaces:
        lines += [f"interface {port}", f" ip address {address}", f" ip ospf area {area}", "exit"]
    lines += ["router ospf", f" ospf router-id 10.255.0.{number}"]
    lines += [f" {line}" for line in section if not line.startswith("!")]
    lines += ["exit", *(line[1:] for line in section if line.startswith("!"))]
    return "\n".join(lines) + "\n"


def chain(
    middle: tuple[str, ...] = (), far: tuple[str, ...] = (), near: tuple[str, ...] = ()
) -> Computed:
    """gull (area 0) - tern (border) - mill (area 1) with the subnet 10.1.9.0/24 behind mill."""
    return compute(
        {
            "topology.json": wired(
                ("gull", "eth1", "tern", "eth1"), ("tern", "eth2", "mill", "eth1")
            ),
            "devices/gull/frr.conf": router("gull", 1, [("eth1", "10.0.0.1/30", 0)], *near),
            "devices/tern/frr.conf": router(
                "tern", 2, [("eth1", "10.0.0.2/30", 0), ("eth2", "10.1.0.1/30", 1)], *middle
            ),
            "devices/mill/frr.conf": router(
                "mill", 3, [("eth1", "10.1.0.2/30", 1), ("eth2", "10.1.9.1/24", 1)], *far
            ),
        }
    )


def table(survey: Computed, device: str) -> dict[str, tuple[str | None, int]]:
    rows = survey.routes_json(device)["devices"][device]["ipv4"]  # type: ignore[index]
    return {r["prefix"]: (r["type"], r["metric"]) for r in rows if r["protocol"] == "ospf"}


def test_a_border_carries_routes_between_areas() -> None:
    survey = chain()
    assert table(survey, "gull") == {
        "10.1.0.0/30": ("inter-area", 20),
        "10.1.9.0/24": ("inter-area", 30),
    }
    assert table(survey, "mill") == {"10.0.0.0/30": ("inter-area", 20)}


@pytest.mark.parametrize(
    ("middle", "expected"),
    [
        (("area 1 range 10.1.0.0/16",), {"10.1.0.0/16": ("inter-area", 30)}),
        (("area 1 range 10.1.0.0/16 cost 7",), {"10.1.0.0/16": ("inter-area", 17)}),
        (("area 1 range 10.1.0.0/16 not-advertise",), {}),
        (
            (
                "area 1 filter-list prefix NOT9 out",
                "!ip prefix-list NOT9 deny 10.1.9.0/24",
                "!ip prefix-list NOT9 permit any",
            ),
            {"10.1.0.0/30": ("inter-area", 20)},
        ),
    ],
)
def test_ranges_and_filters_at_the_border(middle: tuple[str, ...], expected: object) -> None:
    assert table(chain(middle), "gull") == expected


def test_a_range_is_a_discard_route_on_its_border() -> None:
    survey = chain(("area 1 range 10.1.0.0/16",))
    (route,) = [r for r in survey.tables.of("tern", 4).best.values() if r.type == "summary"]
    assert str(route.prefix) == "10.1.0.0/16" and route.next_hops[0].action == "discard"


@pytest.mark.parametrize(
    ("kind", "expected"),
    [
        ("stub", {"0.0.0.0/0": ("inter-area", 11), "10.0.0.0/30": ("inter-area", 20)}),
        ("stub no-summary", {"0.0.0.0/0": ("inter-area", 11)}),
    ],
)
def test_stub_areas_get_a_default_instead_of_externals(kind: str, expected: object) -> None:
    survey = chain(
        (f"area 1 {kind}",),
        ("area 1 stub",),
        ("redistribute static", "!ip route 10.7.0.0/16 Null0"),
    )
    assert table(survey, "mill") == expected
    assert table(survey, "tern")["10.7.0.0/16"] == ("external-2", 20)


def test_an_area_type_that_differs_keeps_the_neighbours_apart() -> None:
    survey = chain(("area 1 stub",))
    assert table(survey, "mill") == {}
    why = survey.why("10.0.0.0/30", "mill")["why"][0]
    assert any(
        "area type: mill normal, tern stub" in step["says"]
        or "area type: tern stub, mill normal" in step["says"]
        for step in why["chain"]
    )  # type: ignore[attr-defined]


@pytest.mark.parametrize(
    ("line", "expected"),
    [
        ("redistribute static", ("external-2", 20)),
        ("redistribute static metric 5", ("external-2", 5)),
        ("redistribute static metric-type 1", ("external-1", 40)),
        ("redistribute static route-map SOME", ("external-2", 77)),
    ],
)
def test_externals_of_both_types(line: str, expected: tuple[str, int]) -> None:
    far = (
        line,
        "!ip route 10.7.0.0/16 Null0",
        "!ip prefix-list SEVEN permit 10.7.0.0/16",
        "!route-map SOME permit 10",
        "! match ip address prefix-list SEVEN",
        "! set metric 77",
        "!exit",
    )
    assert table(chain(far=far), "gull")["10.7.0.0/16"] == expected


def test_a_default_is_announced_only_if_there_is_one() -> None:
    assert "0.0.0.0/0" not in table(chain(far=("default-information originate",)), "gull")
    always = chain(far=("default-information originate always",))
    assert table(always, "gull")["0.0.0.0/0"] == ("external-2", 1)
    held = chain(far=("default-information originate", "!ip route 0.0.0.0/0 Null0"))
    assert table(held, "gull")["0.0.0.0/0"] == ("external-2", 10)


def test_a_learned_route_is_followed_back_to_its_line() -> None:
    why = chain().why("10.1.9.0/24", "gull")["why"][0]
    says = [step["says"] for step in why["chain"]]  # type: ignore[attr-defined]
    assert says[0] == "mill announces 10.1.9.0/24 of its eth2 in area 0.0.0.1."
    assert says[1] == "tern announces 10.1.9.0/24 from area 0.0.0.1 into area 0.0.0.0."
    assert says[-1].startswith("gull has an OSPF route to 10.1.9.0/24 (inter-area, metric 30)")


def test_renaming_and_renumbering_change_nothing_but_names() -> None:
    survey = chain(
        ("area 1 range 10.1.0.0/16 cost 7",), ("redistribute static", "!ip route 10.7.0.0/16 Null0")
    )
    text = {
        path: data.decode() if isinstance(data, bytes) else data
        for path, data in _files(survey).items()
    }
    swap = {"gull": "alpha", "tern": "omega", "mill": "kappa"}
    renamed = {}
    for path, body in text.items():
        for old, new in swap.items():
            path, body = path.replace(old, new), body.replace(old, new)
        renamed[path] = body.replace("10.", "100.")
    other = compute(renamed)
    for old, new in swap.items():
        mine = {k.replace("10.", "100."): v for k, v in table(survey, old).items()}
        assert table(other, new) == mine


def _files(survey: Computed) -> dict[str, str]:
    out = {"topology.json": survey.survey.files[""]["topology.json"]}
    for device, files in survey.survey.files.items():
        if device:
            out |= {f"devices/{device}/{name}": text for name, text in files.items()}
    return out


def test_one_router_id_on_two_routers_of_an_area_leaves_nothing_certain() -> None:
    survey = compute(
        {
            "topology.json": wired(
                ("gull", "eth1", "tern", "eth1"), ("tern", "eth2", "mill", "eth1")
            ),
            "devices/gull/frr.conf": router(
                "gull", 1, [("eth1", "10.0.0.1/30", 0), ("eth2", "10.0.8.1/24", 0)]
            ),
            "devices/tern/frr.conf": router(
                "tern", 2, [("eth1", "10.0.0.2/30", 0), ("eth2", "10.0.1.1/30", 0)]
            ),
            "devices/mill/frr.conf": router(
                "mill", 1, [("eth1", "10.0.1.2/30", 0), ("eth2", "10.0.9.1/24", 0)]
            ),
        }
    )
    (finding,) = [f for f in survey.findings if f.kind == "ospf-router-id-twice"]
    assert finding.device == "gull" and finding.peer is not None and finding.peer.device == "mill"
    path = survey.path("gull", "10.0.9.1")
    assert path.works == "unknown"
    assert "replaces each other for ever" in path.sentence()
