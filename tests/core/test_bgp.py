"""BGP: the order of preference, what crosses a session, and what policies make of it."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from surveys import compute, wired

from trochos.core.network.addressing import Address, parse_prefix
from trochos.core.network.bgp import BgpProcess
from trochos.core.network.claims import Claim
from trochos.core.network.source import Source
from trochos.core.protocols.bgp.paths import Path, best_of, compare
from trochos.core.protocols.policy import Attributes, text_permits
from trochos.core.step.routes import Origin
from trochos.core.survey import Computed

HERE = Source("gull", "frr.conf", 1, "router bgp 65536")
PROCESS = BgpProcess(65536, HERE)
PREFIX = parse_prefix("10.64.3.0/24")
ORIGINS = ("igp", "egp", "incomplete")


@st.composite
def paths(draw: st.DrawFn) -> Path:
    kind = draw(st.sampled_from(["local", "ebgp", "ibgp"]))
    numbers = st.lists(st.integers(65540, 65542), min_size=kind == "ebgp", max_size=3)
    attributes = Attributes(
        PREFIX,  # type: ignore[arg-type]
        metric=draw(st.none() | st.integers(0, 2)),
        as_path=tuple(draw(numbers)),
        origin=draw(st.sampled_from(ORIGINS)),
        local_preference=draw(st.sampled_from([None, 90, 100, 110])),
        weight=draw(st.sampled_from([0, 0, 5])),
    )
    return Path(
        attributes,
        kind,
        Origin(Claim("refused", "gull", of="says")),
        None if kind == "local" else Address(4, draw(st.integers(1, 4))),
        router_id=draw(st.integers(1, 3)),
        igp_metric=draw(st.integers(0, 2)),
        first=draw(st.integers(0, 1)),
    )


def rank(path: Path) -> tuple[object, ...]:
    """The order read directly from RFC 4271, 9.1.2.2, without MED (which is no total order)."""
    a = path.attributes
    return (
        -a.weight,
        -(100 if a.local_preference is None else a.local_preference),
        path.kind != "local",
        len(a.as_path),
        ORIGINS.index(a.origin),
        path.kind == "ibgp",
        path.igp_metric,
        path.first if path.kind == "ebgp" else 0,
        path.router_id,
        path.peer.value if path.peer else 0,
    )


@pytest.mark.thorough
@settings(max_examples=300, deadline=None)
@given(st.lists(paths(), min_size=1, max_size=6))
def test_the_best_path_is_the_first_of_the_decision_order(offered: list[Path]) -> None:
    same_med = [p._replace(attributes=p.attributes._replace(metric=0)) for p in offered]
    best, shared = best_of(PROCESS, same_med)
    assert best is not None and best in shared
    assert rank(best) == min(rank(path) for path in same_med)


@pytest.mark.thorough
@settings(max_examples=300, deadline=None)
@given(paths(), paths())
def test_a_comparison_and_its_mirror_agree(left: Path, right: Path) -> None:
    there, back = compare(PROCESS, left, right), compare(PROCESS, right, left)
    assert (there.order > 0) == (back.order < 0)
    assert there.rule == back.rule


@pytest.mark.thorough
@settings(max_examples=200, deadline=None)
@given(st.lists(paths(), min_size=2, max_size=5), st.randoms())
def test_the_order_of_arrival_in_the_list_does_not_matter(offered: list[Path], rng) -> None:  # type: ignore[no-untyped-def]
    distinct = list({rank(path): path for path in offered}.values())
    first, _ = best_of(PROCESS, distinct)
    rng.shuffle(distinct)
    second, _ = best_of(PROCESS, distinct)
    assert first is not None and second is not None and rank(first) == rank(second)


def test_a_lower_med_counts_only_between_paths_of_one_neighbouring_system() -> None:
    base = Path(
        Attributes(PREFIX, as_path=(65540,), origin="igp"),
        "ebgp",
        Origin(Claim("refused", "a")),
        router_id=1,
    )  # type: ignore[arg-type]
    high = base._replace(attributes=base.attributes._replace(metric=50))
    low = base._replace(attributes=base.attributes._replace(metric=10), router_id=9)
    assert compare(PROCESS, low, high).rule == "MED"
    other = low._replace(attributes=low.attributes._replace(as_path=(65541,)))
    assert compare(PROCESS, other, high).rule == "router id"


@pytest.mark.parametrize(
    ("pattern", "text", "matches"),
    [
        ("_65540_", "65536 65540 65541", True),
        ("_65540_", "655400", False),
        ("^65540$", "65540", True),
        ("^$", "", True),
        (".*", "65540 65541", True),
    ],
)
def test_as_path_patterns(pattern: str, text: str, matches: bool) -> None:
    from trochos.core.network.policy import TextRule

    assert text_permits((TextRule(True, pattern, HERE),), text) is matches


def speaker(name: str, number: int, own: str, peer: str, peer_as: int, *family: str) -> str:
    lines = [f"hostname {name}", "interface eth1", f" ip address {own}/30", "exit"]
    lines += [line[1:] for line in family if line.startswith("!")]
    lines += [
        f"router bgp {number}",
        " no bgp ebgp-requires-policy",
        f" neighbor {peer} remote-as {peer_as}",
        " address-family ipv4 unicast",
        *(f"  {line}" for line in family if not line.startswith("!")),
        " exit-address-family",
        "exit",
    ]
    return "\n".join(lines) + "\n"


def two(gull: tuple[str, ...] = (), mill: tuple[str, ...] = (), number: int = 65537) -> Computed:
    """gull (AS 65536) and mill, directly connected."""
    return compute(
        {
            "topology.json": wired(("gull", "eth1", "mill", "eth1")),
            "devices/gull/frr.conf": speaker(
                "gull", 65536, "10.64.0.1", "10.64.0.2", number, *gull
            ),
            "devices/mill/frr.conf": speaker(
                "mill", number, "10.64.0.2", "10.64.0.1", 65536, *mill
            ),
        }
    )


LAN = ("!interface eth2", "! ip address 10.64.3.1/24", "!exit")


def learned(survey: Computed, device: str = "mill") -> dict[str, tuple[str | None, int, int]]:
    rows = survey.routes_json(device)["devices"][device]["ipv4"]  # type: ignore[index]
    return {
        r["prefix"]: (r["type"], r["distance"], r["metric"]) for r in rows if r["protocol"] == "bgp"
    }


def test_a_network_statement_needs_the_route() -> None:
    assert learned(two(("network 10.64.3.0/24",))) == {}
    assert learned(two((*LAN, "network 10.64.3.0/24"))) == {"10.64.3.0/24": ("ebgp", 20, 0)}
    assert learned(two((*LAN, "network 10.64.3.0/24")), "gull") == {}


def test_internal_routes_have_the_distance_of_internal_routes() -> None:
    survey = two((*LAN, "network 10.64.3.0/24"), number=65536)
    assert learned(survey) == {"10.64.3.0/24": ("ibgp", 200, 0)}


@pytest.mark.parametrize(
    ("gull", "mill", "expected"),
    [
        (("neighbor 10.64.0.2 prefix-list NO out", "!ip prefix-list NO deny 10.64.3.0/24"), (), {}),
        ((), ("neighbor 10.64.0.1 prefix-list NOBODY in",), {}),
        ((), ("neighbor 10.64.0.1 route-map NOBODY in",), {}),
        (
            (
                "neighbor 10.64.0.2 route-map MED out",
                "!route-map MED permit 10",
                "! set metric 7",
                "!exit",
            ),
            (),
            {"10.64.3.0/24": ("ebgp", 20, 7)},
        ),
        (
            ("neighbor 10.64.0.2 default-originate",),
            (),
            {"10.64.3.0/24": ("ebgp", 20, 0), "0.0.0.0/0": ("ebgp", 20, 0)},
        ),
        (("aggregate-address 10.64.0.0/16 summary-only",), (), {"10.64.0.0/16": ("ebgp", 20, 0)}),
        ((), ("neighbor 10.64.0.1 maximum-prefix 1",), {"10.64.3.0/24": ("ebgp", 20, 0)}),
    ],
)
def test_what_crosses_a_session(
    gull: tuple[str, ...], mill: tuple[str, ...], expected: object
) -> None:
    assert learned(two((*LAN, "network 10.64.3.0/24", *gull), mill)) == expected


def test_too_many_prefixes_tear_the_session_down() -> None:
    survey = two(
        (*LAN, "network 10.64.3.0/24", "redistribute static", "!ip route 10.9.0.0/16 Null0"),
        ("neighbor 10.64.0.1 maximum-prefix 1",),
    )
    assert learned(survey) == {}
    (relation,) = survey.tables.relations()
    assert relation.first_failing is not None and relation.first_failing.gate == "prefix limit"
    assert relation.right.state == "idle"


def test_an_own_as_number_in_the_path_is_refused_with_a_reason() -> None:
    survey = two(
        (
            *LAN,
            "network 10.64.3.0/24",
            "neighbor 10.64.0.2 route-map BACK out",
            "!route-map BACK permit 10",
            "! set as-path prepend 65537",
            "!exit",
        ),
    )
    assert learned(survey) == {}
    chain = survey.why("10.64.3.0/24", "mill")["why"][0]["chain"]
    assert any("finds its own AS in the path" in step["says"] for step in chain)  # type: ignore[attr-defined]


def test_redistribution_runs_to_a_fixed_point_across_protocols() -> None:
    survey = compute(
        {
            "topology.json": wired(
                ("gull", "eth1", "mill", "eth1"), ("mill", "eth2", "tern", "eth1")
            ),
            "devices/gull/frr.conf": "interface eth1\n ip address 10.64.0.1/30\nexit\n"
            "ip route 10.9.0.0/16 Null0\nrouter rip\n network 10.64.0.0/30\n"
            " redistribute static\nexit\n",
            "devices/mill/frr.conf": "interface eth1\n ip address 10.64.0.2/30\nexit\n"
            "interface eth2\n ip address 10.65.0.1/30\nexit\n"
            "router rip\n network 10.64.0.0/30\n redistribute ospf\nexit\n"
            "router ospf\n network 10.65.0.0/30 area 0\n redistribute rip metric 9\nexit\n",
            "devices/tern/frr.conf": "interface eth1\n ip address 10.65.0.2/30\nexit\n"
            "interface lo\n ip address 10.65.255.1/32\nexit\n"
            "router ospf\n network 10.65.0.0/16 area 0\nexit\n",
        }
    )
    assert str(survey.tables.of("tern", 4).best[parse_prefix("10.9.0.0/16")].metric) == "9"  # type: ignore[index]
    assert survey.tables.of("gull", 4).best[parse_prefix("10.65.255.1/32")].protocol == "rip"  # type: ignore[index]
    chain = survey.why("10.9.0.0/16", "tern")["why"][0]["chain"]
    says = [step["says"] for step in chain]  # type: ignore[attr-defined]
    assert says[0] == "gull announces its static route to 10.9.0.0/16 into RIP."
    assert says[1] == "mill announces its rip route to 10.9.0.0/16 into OSPF."


def test_a_choice_by_age_is_said_to_be_one() -> None:
    def outside(name: str, number: int, own: str, peer: str) -> str:
        lines = ("network 10.9.0.0/16", "!ip route 10.9.0.0/16 Null0")
        return speaker(name, number, own, peer, 65536, *lines)

    gull = (
        "interface eth1\n ip address 10.64.0.1/30\nexit\n"
        "interface eth2\n ip address 10.64.0.5/30\nexit\n"
        "router bgp 65536\n no bgp ebgp-requires-policy\n{extra}"
        " neighbor 10.64.0.2 remote-as 65540\n neighbor 10.64.0.6 remote-as 65541\nexit\n"
    )

    def survey(extra: str) -> Computed:
        return compute(
            {
                "topology.json": wired(
                    ("gull", "eth1", "mill", "eth1"), ("gull", "eth2", "tern", "eth1")
                ),
                "devices/gull/frr.conf": gull.format(extra=extra),
                "devices/mill/frr.conf": outside("mill", 65540, "10.64.0.2", "10.64.0.1"),
                "devices/tern/frr.conf": outside("tern", 65541, "10.64.0.6", "10.64.0.5"),
            }
        )

    (finding,) = [f for f in survey("").findings if f.kind == "bgp-path-by-age"]
    assert finding.device == "gull" and "whichever came first" in finding.summary
    settled = survey(" bgp bestpath compare-routerid\n")
    assert [f for f in settled.findings if f.kind == "bgp-path-by-age"] == []


def test_a_neighbour_that_nobody_surveyed_leaves_the_answer_open() -> None:
    """The carrier's router is not in the survey: what it teaches cannot be known."""
    gull = speaker("gull", 65536, "10.64.0.1", "203.0.113.1", 65540, *LAN)
    outside = gull.replace(
        "interface eth2", "interface eth3\n ip address 203.0.113.2/30\nexit\ninterface eth2"
    )
    mill = speaker("mill", 65537, "10.64.0.2", "10.64.0.1", 65536)
    wiring = wired(("gull", "eth1", "mill", "eth1"))
    files = {"topology.json": wiring, "devices/mill/frr.conf": mill}
    open_end = compute({**files, "devices/gull/frr.conf": outside})
    path = open_end.path("gull", "198.18.0.1")
    assert path.works == "unknown" and "203.0.113.1 is not in the survey" in path.sentence()
    assert open_end.path("gull", "10.64.0.2").outbound.verdict == "delivered"
    # An address that nobody has on a link that is known is a mistake, not a stranger.
    typo = gull.replace("203.0.113.1", "10.64.0.3")
    known = compute(
        {**files, "devices/gull/frr.conf": typo.replace("10.64.0.1/30", "10.64.0.1/29")}
    )
    assert known.path("gull", "198.18.0.1").works == "no"
