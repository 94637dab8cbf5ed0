"""Default routes on a condition, aggregates and their attributes, and paths that are to be dropped:
what a chain of systems tells, as real routers do (tests/real/test_attributes.py)."""

from __future__ import annotations

from collections.abc import Sequence

import pytest
from surveys import compute, frr, wired

from trochos.core.network.addressing import parse_prefix
from trochos.core.protocols.bgp.speakers import BgpFamilySpeakers
from trochos.core.protocols.policy import community_text
from trochos.core.survey import Computed

LINKS = [
    ("one", "eth0", "two", "eth0"),
    ("two", "eth1", "three", "eth0"),
    ("two", "eth2", "four", "eth0"),
]
MAPS = """ip prefix-list P1 seq 5 permit 10.9.1.0/24
ip prefix-list PX seq 5 permit 10.99.0.0/16
route-map OUT permit 10
 match ip address prefix-list P1
 set metric 5
 set community 1:1
 set large-community 1:1:1
exit
route-map OUT permit 20
 set metric 7
 set community 2:2
 set large-community 2:2:2
exit
route-map SAME permit 10
 set metric 9
exit
route-map DROPPED permit 10
 set community blackhole
exit
route-map HIT permit 10
 match ip address prefix-list P1
 set metric 77
exit
route-map MISS permit 10
 match ip address prefix-list PX
 set metric 78
exit
route-map ANY permit 10
 set metric 79
 set community 9:9
exit
route-map AGG permit 10
 set metric 50
 set community 5:5
exit
"""


def _router(name: str, system: int, ports: list[str], peers: list[str], *family: str) -> str:
    rows = [f"hostname {name}"]
    for number, address in enumerate(ports):
        rows += [f"interface eth{number}", f" ip address {address}", "exit"]
    if name == "one":
        rows += [f"ip route 10.9.{n}.0/24 blackhole" for n in (1, 2)]
    rows.append(MAPS + f"router bgp {system}")
    rows += [" no bgp ebgp-requires-policy", " timers bgp 1 3"]
    for peer in peers:
        address, other = peer.split()
        rows += [f" neighbor {address} remote-as {other}", f" neighbor {address} timers connect 1"]
    rows += [" address-family ipv4 unicast", *(f"  {line}" for line in family)]
    return "\n".join([*rows, " exit-address-family", "exit", ""])


def texts(*more: str, out: str = "OUT") -> dict[str, str]:
    """one tells two of two prefixes by a map; two says more, and tells three and its own four."""
    return {
        "one": _router(
            "one", 1, ["10.0.1.1/30"], ["10.0.1.2 2"],
            "network 10.9.1.0/24", "network 10.9.2.0/24", f"neighbor 10.0.1.2 route-map {out} out",
        ),
        "two": _router(
            "two", 2, ["10.0.1.2/30", "10.0.2.1/30", "10.0.3.1/30"],
            ["10.0.1.1 1", "10.0.2.2 3", "10.0.3.2 2"], "neighbor 10.0.3.2 next-hop-self", *more,
        ),
        "three": _router("three", 3, ["10.0.2.2/30"], ["10.0.2.1 2"]),
        "four": _router("four", 2, ["10.0.3.2/30"], ["10.0.3.1 2"]),
    }  # fmt: skip


CHAIN = [("one", "eth0", "two", "eth0"), ("two", "eth1", "far", "eth0")]


def members(left: str, right: str, group: bool) -> dict[str, str]:
    """Two members of one confederation, each called by a number or `external`, and far outside."""

    def neighbour(address: str, word: str) -> list[str]:
        if group:
            return [f" neighbor G remote-as {word}", f" neighbor {address} peer-group G"]
        return [f" neighbor {address} remote-as {word}"]

    out = {}
    for name, system, ports, prefix in (
        ("one", 65001, ["10.0.1.1/30"], 1),
        ("two", 65002, ["10.0.1.2/30", "10.0.2.1/30"], 2),
        ("far", 7, ["10.0.2.2/30"], 7),
    ):
        rows = [f"hostname {name}"]
        for number, address in enumerate(ports):
            rows += [f"interface eth{number}", f" ip address {address}", "exit"]
        rows += [f"ip route 10.9.{prefix}.0/24 blackhole", f"router bgp {system}"]
        rows += [" no bgp ebgp-requires-policy", " timers bgp 1 3"]
        if name == "far":
            rows.append(" neighbor 10.0.2.1 remote-as 100")
        else:
            rows += [" bgp confederation identifier 100"]
            rows += [f" bgp confederation peers {65002 if name == 'one' else 65001}"]
            rows += [" neighbor G peer-group"] if group else []
            rows += neighbour("10.0.1.2", left) if name == "one" else neighbour("10.0.1.1", right)
            rows += [" neighbor 10.0.2.2 remote-as 7"] if name == "two" else []
        peers = [line.split()[1] for line in rows if line.startswith(" neighbor 10.")]
        rows += [f" neighbor {peer} timers connect 1" for peer in dict.fromkeys(peers)]
        rows += [" address-family ipv4 unicast", f"  network 10.9.{prefix}.0/24"]
        out[name] = "\n".join([*rows, " exit-address-family", "exit", ""])
    return out


def computed(held: dict[str, str], links: Sequence[tuple[str, str, str, str]] = LINKS) -> Computed:
    files = {f"devices/{name}/frr.conf": text for name, text in held.items()}
    survey = compute({"topology.json": wired(*links), **files})
    assert not [line for report in survey.survey.reading for line in report.unknown]
    return survey


Told = dict[str, tuple[int, str, str, str]]
"""Per prefix: the metric, the path, the communities, the large ones."""


def told(survey: Computed, name: str) -> Told:
    """What a speaker holds as best, beside the links between them."""
    speakers = next(
        s for s in survey.tables.speakers if isinstance(s, BgpFamilySpeakers) and s.family == 4
    )
    out = {}
    for prefix, path in speakers.whole.states[4][name].best.items():
        held = path.attributes
        out[str(prefix)] = (
            held.metric or 0,
            " ".join(map(str, held.as_path)),
            " ".join(sorted(map(community_text, held.communities))),
            " ".join(sorted(held.large_communities)),
        )
    return out


BOTH = ["neighbor 10.0.2.2 default-originate route-map {}",
        "neighbor 10.0.3.2 default-originate route-map {}"]  # fmt: skip
CASES: dict[str, tuple[dict[str, str], Told, Told]] = {
    "a default for what the table has": (
        texts(*(line.format("HIT") for line in BOTH)),
        {"0.0.0.0/0": (77, "2", "", "")},
        {"0.0.0.0/0": (77, "", "", "")},
    ),
    "no default for what it has not": (texts(*(line.format("MISS") for line in BOTH)), {}, {}),
    "a default for anything": (
        texts(*(line.format("ANY") for line in BOTH)),
        {"0.0.0.0/0": (79, "2", "9:9", "")},
        {"0.0.0.0/0": (79, "", "9:9", "")},
    ),
    "an aggregate": (
        texts("aggregate-address 10.9.0.0/16"),
        {"10.9.0.0/16": (0, "2", "", "")},
        {"10.9.0.0/16": (0, "", "", "")},
    ),
    "an aggregate with what its parts carry": (
        texts("aggregate-address 10.9.0.0/16 as-set"),
        {"10.9.0.0/16": (0, "2 1", "1:1 2:2", "1:1:1 2:2:2")},
        {"10.9.0.0/16": (0, "1", "1:1 2:2", "1:1:1 2:2:2")},
    ),
    "an aggregate of equal parts, which differ": (
        texts("aggregate-address 10.9.0.0/16 matching-MED-only"), {}, {},
    ),
    "an aggregate of equal parts": (
        texts("aggregate-address 10.9.0.0/16 matching-MED-only", out="SAME"),
        {"10.9.0.0/16": (0, "2", "", "")},
        {"10.9.0.0/16": (0, "", "", "")},
    ),
    "an aggregate by a map": (
        texts("aggregate-address 10.9.0.0/16 route-map AGG"),
        {"10.9.0.0/16": (50, "2", "5:5", "")},
        {"10.9.0.0/16": (50, "", "5:5", "")},
    ),
    "an aggregate with its parts' and by a map": (
        texts("aggregate-address 10.9.0.0/16 as-set route-map AGG"),
        {"10.9.0.0/16": (50, "2 1", "5:5", "1:1:1 2:2:2")},
        {"10.9.0.0/16": (50, "1", "5:5", "1:1:1 2:2:2")},
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_what_the_neighbours_hear(name: str) -> None:
    held, outside, inside = CASES[name]
    survey = computed(held)
    for speaker, expected in (("three", outside), ("four", inside)):
        found = told(survey, speaker)
        assert {p: v for p, v in found.items() if not p.endswith("/24")} == expected
        assert {"10.9.1.0/24", "10.9.2.0/24"} <= found.keys()


def test_what_is_to_be_dropped_goes_no_further_than_the_system() -> None:
    """RFC 7999, 3.2: whoever hears it from outside keeps it inside."""
    survey = computed(texts(out="DROPPED"))
    assert told(survey, "three") == {}
    for name in ("two", "four"):
        assert told(survey, name)["10.9.1.0/24"][2] == "blackhole no-export"


@pytest.mark.parametrize("group", [False, True])
@pytest.mark.parametrize(
    ("left", "right", "beyond"),
    [("65002", "65001", False), ("external", "external", True), ("external", "65001", False)],
)
def test_members_of_a_confederation_may_be_called_external(
    left: str, right: str, beyond: bool, group: bool
) -> None:
    """What is outside is one hop on for a neighbour that is called so, and as it was for others."""
    survey = computed(members(left, right, group), CHAIN)
    assert all(relation.works for relation in survey.tables.relations())
    heard = told(survey, "one")
    assert {"10.9.1.0/24", "10.9.2.0/24"} <= heard.keys()
    assert ("10.9.7.0/24" in heard) == beyond
    assert told(survey, "far")["10.9.1.0/24"][1] == "100"


def six(maps: str, *family: str) -> dict[str, str]:
    """Three systems in a row by IPv6, each link with a subnet and link-local addresses."""
    ends = [
        ("one", 1, ["fd00:1::1/64"], ["fd00:1::2 2"]),
        ("two", 2, ["fd00:1::2/64", "fd00:2::1/64"], ["fd00:1::1 1", "fd00:2::2 3"]),
        ("far", 3, ["fd00:2::2/64"], ["fd00:2::1 2"]),
    ]
    out = {}
    for name, system, ports, peers in ends:
        rows = [f"hostname {name}"]
        for number, address in enumerate(ports):
            rows += [f"interface eth{number}", f" ipv6 address {address}"]
            rows += [f" ipv6 address fe80::{system}/64", "exit"]
        rows += ["ipv6 route fd00:9:1::/64 blackhole"] if name == "one" else []
        rows += [maps] if name == "two" else []
        rows += [f"router bgp {system}", f" bgp router-id 10.0.0.{system}"]
        rows.append(" no bgp ebgp-requires-policy")
        rows += [f" neighbor {peer.split()[0]} remote-as {peer.split()[1]}" for peer in peers]
        rows.append(" address-family ipv6 unicast")
        rows += ["  network fd00:9:1::/64"] if name == "one" else []
        rows += [f"  neighbor {peer.split()[0]} activate" for peer in peers]
        rows += [f"  {line}" for line in family] if name == "two" else []
        out[name] = "\n".join([*rows, " exit-address-family", "exit", ""])
    return out


SET = "route-map M permit 10\n set ipv6 next-hop {}\nexit"
HEARD, TOLD = "neighbor fd00:1::1 route-map M in", "neighbor fd00:2::2 route-map M out"


@pytest.mark.parametrize(
    ("word", "where", "two", "far"),
    [
        ("", "", "fe80::1", "fe80::2"),
        ("prefer-global", HEARD, "fd00:1::1", "fe80::2"),
        ("prefer-global", TOLD, "fe80::1", "fe80::2"),
        ("local fe80::2", TOLD, "fe80::1", "fe80::2"),
        ("global fd00:1::1", HEARD, "fe80::1", "fe80::2"),
        ("global fd00:2::1", TOLD, "fe80::1", "fe80::2"),
    ],
)
def test_which_of_two_next_hops_is_used(word: str, where: str, two: str, far: str) -> None:
    """RFC 2545, 3: both come along on a shared link, and the link-local one is used; measured on
    FRR 8.4 with each of these maps."""
    texts = six(SET.format(word), where) if word else six("")
    survey = computed(texts, CHAIN)
    for name, expected in (("two", two), ("far", far)):
        best = survey.tables.of(name, 6).best
        (route,) = (route for prefix, route in best.items() if str(prefix) == "fd00:9:1::/64")
        assert [str(hop.address) for hop in route.next_hops] == [expected], name


def test_a_network_of_ipv6_alone_opens_sessions_over_its_inner_routes() -> None:
    """No family but IPv6 anywhere: what the sessions rest on is asked of it in every round."""
    files: dict[str, str | bytes] = {}
    for number, (name, ports) in enumerate(
        {"ant": ["east"], "bee": ["west", "east"], "cow": ["west"]}.items(), 1
    ):
        held = {"lo": f"fd00::{number}/128"}
        for port in ports:
            link = number if port == "east" else number - 1
            held[port] = f"fe80::{number}/64 fd00:{link}::{number}/64"
        lines = ["router ospf6", f" ospf6 router-id 10.0.0.{number}", "exit"]
        for port in held:
            lines += [f"interface {port}", " ipv6 ospf6 area 0", "exit"]
        if name != "bee":
            peer = f"fd00::{3 if name == 'ant' else 1}"
            lines += ["ipv6 route fd00:9::/64 Null0"] if name == "cow" else []
            lines += [
                "router bgp 65000",
                f" bgp router-id 10.0.0.{number}",
                " no bgp default ipv4-unicast",
                f" neighbor {peer} remote-as 65000",
                f" neighbor {peer} update-source lo",
                " address-family ipv6 unicast",
                *(["  network fd00:9::/64"] if name == "cow" else []),
                f"  neighbor {peer} activate",
                " exit-address-family",
                "exit",
            ]
        files[f"devices/{name}/frr.conf"] = frr(name, held, *lines)
    files["topology.json"] = wired(("ant", "east", "bee", "west"), ("bee", "east", "cow", "west"))
    survey = compute(files)
    prefix = parse_prefix("fd00:9::/64")
    assert prefix is not None
    route = survey.tables.of("ant", 6).winner(prefix)
    assert route is not None and route.protocol == "bgp"
