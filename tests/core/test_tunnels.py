"""Tunnels: the inner journey is the outer one folded inside, and what breaks either."""

from __future__ import annotations

import json

import make as demo
import pytest
from surveys import compute, frr, wired

from trochos.core.survey import Computed

LINKS = wired(("west", "eth0", "sea", "eth0"), ("sea", "eth1", "east", "eth0"))


def tunnel(local: str, remote: str, **more: object) -> str:
    return json.dumps([{"ifname": "gre1", "mode": "gre", "local": local, "remote": remote, **more}])


def link(name: str = "gre1") -> str:
    return json.dumps(
        [{"ifname": name, "flags": ["POINTOPOINT", "UP", "LOWER_UP"], "mtu": 1476, "addr_info": []}]
    )


def pair(
    west: str = tunnel("100.64.0.1", "100.64.0.6"),
    east: str = tunnel("100.64.0.6", "100.64.0.1"),
    route: str = "ip route 0.0.0.0/0 100.64.0.2",
    inner: str = "10.0.0.2/30",
) -> Computed:
    return compute(
        {
            "topology.json": LINKS,
            "devices/west/frr.conf": frr(
                "west",
                {"eth0": "100.64.0.1/30", "gre1": "10.0.0.1/30", "lo": "10.1.0.1/32"},
                route,
                "ip route 10.2.0.0/16 10.0.0.2",
            ),
            "devices/west/ip-tunnel.json": west,
            "devices/west/ip-addr.json": link(),
            "devices/sea/frr.conf": frr("sea", {"eth0": "100.64.0.2/30", "eth1": "100.64.0.5/30"}),
            "devices/east/frr.conf": frr(
                "east",
                {"eth0": "100.64.0.6/30", "gre1": inner, "lo": "10.2.0.1/32"},
                "ip route 0.0.0.0/0 100.64.0.5",
                "ip route 10.1.0.0/16 10.0.0.1",
            ),
            "devices/east/ip-tunnel.json": east,
            "devices/east/ip-addr.json": link(),
        }
    )


def test_the_inner_journey_holds_the_outer_one() -> None:
    path = pair().path("10.1.0.1", "10.2.0.1")
    assert path.works == "yes"
    hops = path.outbound.branches[0].hops
    assert [hop.device for hop in hops] == ["west", "east"]
    wrap = hops[0].as_json()["actions"][0]  # type: ignore[index]
    assert (wrap["do"], wrap["mode"], wrap["remote"]) == ("wrap", "gre", "100.64.0.6")
    under = [hop["device"] for hop in wrap["under"]["branches"][0]["hops"]]
    assert under == ["west", "sea", "east"]


@pytest.mark.parametrize(
    ("change", "verdict", "kind"),
    [
        ({"west": tunnel("100.64.0.9", "100.64.0.6")}, "no-source", "tunnel-source-foreign"),
        ({"west": tunnel("100.64.0.1", "100.64.0.5")}, "next-hop-silent", "tunnel-not-mirrored"),
        ({"east": "[]"}, "next-hop-silent", "tunnel-no-far-end"),
        ({"east": tunnel("100.64.0.6", "100.64.0.2")}, "next-hop-silent", "tunnel-not-mirrored"),
        (
            {"west": tunnel("100.64.0.1", "100.64.0.6", key="7")},
            "next-hop-silent",
            "tunnel-key-differs",
        ),
        (
            {"west": tunnel("100.64.0.1", "100.64.0.6").replace('gre"', 'ipip"', 1)},
            "next-hop-silent",
            "tunnel-mode-differs",
        ),
        ({"route": "ip route 100.64.0.4/30 10.0.0.2"}, "loop", "tunnel-circle"),
        ({"route": "ip route 10.99.0.0/16 100.64.0.2"}, "no-route", "tunnel-way-broken"),
        ({"inner": "10.0.0.6/30"}, "next-hop-silent", "subnets-differ"),
        (
            {"west": tunnel("100.64.0.1", "100.64.0.6", ttl=1)},
            "hop-limit",
            "tunnel-hop-limit",
        ),
        ({"west": tunnel("100.64.0.1", "10.0.0.2")}, "loop", "tunnel-ends-exchanged"),
        ({"west": tunnel("10.0.0.1", "100.64.0.6")}, "next-hop-silent", "tunnel-ends-exchanged"),
    ],
)
def test_each_fault_of_a_tunnel_is_named(change: dict[str, str], verdict: str, kind: str) -> None:
    survey = pair(**change)
    path = survey.path("10.1.0.1", "10.2.0.1")
    assert path.works == "no"
    if kind != "subnets-differ":
        assert path.outbound.verdict == verdict
    assert kind in {finding.kind for finding in survey.findings}


@pytest.mark.parametrize(
    ("west", "kind", "says"),
    [
        (
            tunnel("100.64.0.1", "100.64.0.6", ttl=1),
            "tunnel-hop-limit",
            "On west: give gre1 a hop limit of 64.",
        ),
        (
            tunnel("100.64.0.1", "10.0.0.2"),
            "tunnel-ends-exchanged",
            "On west: let gre1 go from 100.64.0.1 to 100.64.0.6.",
        ),
        (
            tunnel("10.0.0.1", "100.64.0.6"),
            "tunnel-ends-exchanged",
            "On west: let gre1 go from 100.64.0.1 to 100.64.0.6.",
        ),
    ],
)
def test_outer_packets_that_do_not_get_there_are_the_cause_and_mended(
    west: str, kind: str, says: str
) -> None:
    survey = pair(west=west)
    diagnosis = survey.diagnose("10.1.0.1", "10.2.0.1")
    top = diagnosis.causes[0]
    assert (top.option.finding.kind, top.certainty) == (kind, "proven")
    assert top.option.remedy.title == says
    assert survey.rehearse(top.option.edits).after.path("10.1.0.1", "10.2.0.1").works == "yes"


def test_a_hop_limit_that_is_enough_is_none_to_be_told() -> None:
    """Of two devices one passes it on: a limit of two arrives, of one does not."""
    enough = pair(west=tunnel("100.64.0.1", "100.64.0.6", ttl=2))
    assert enough.path("10.1.0.1", "10.2.0.1").works == "yes"
    assert not [f for f in enough.findings if f.kind.startswith("tunnel")]
    inherited = pair(west=tunnel("100.64.0.1", "100.64.0.6", ttl=0))
    assert inherited.path("10.1.0.1", "10.2.0.1").works == "yes"


def test_neighbours_over_a_tunnel_whose_packets_are_spent_hear_nothing() -> None:
    ospf = "router ospf\n network 10.0.0.0/8 area 0\nexit\n"
    texts = {
        "topology.json": LINKS,
        "devices/sea/frr.conf": frr("sea", {"eth0": "100.64.0.2/30", "eth1": "100.64.0.5/30"}),
    }
    for name, number, outer, gateway in (("west", 1, 1, 2), ("east", 2, 6, 5)):
        ports = {
            "eth0": f"100.64.0.{outer}/30", "gre1": f"10.0.0.{number}/30",
            "lo": f"10.{number}.0.1/32",
        }  # fmt: skip
        texts[f"devices/{name}/frr.conf"] = frr(
            name, ports, f"ip route 0.0.0.0/0 100.64.0.{gateway}", ospf
        )
        ends = ("100.64.0.1", "100.64.0.6")
        texts[f"devices/{name}/ip-tunnel.json"] = tunnel(*ends[:: 3 - 2 * number], ttl=3 - number)
        texts[f"devices/{name}/ip-addr.json"] = link()
    survey = compute(texts)
    (relation,) = survey.tables.relations()
    assert not relation.works
    found = [f for f in survey.findings if f.kind == "tunnel-hop-limit"]
    assert [(f.device, f.interface) for f in found] == [("east", "gre1")]
    after = survey.rehearse(found[0].remedies[0].edits).after
    assert all(r.works for r in after.tables.relations())


def test_a_dead_tunnels_subnet_is_announced_all_the_same() -> None:
    """Its interface is up, so it is a part of the area; nobody is heard behind it."""
    ospf = "router ospf\n network 10.0.0.0/8 area 0\nexit\n"
    survey = compute(
        {
            "topology.json": wired(
                ("west", "eth0", "sea", "eth0"),
                ("west", "eth1", "inn", "eth0"),
                ("sea", "eth1", "east", "eth0"),
            ),
            "devices/sea/frr.conf": frr("sea", {"eth0": "100.64.0.2/30", "eth1": "100.64.0.5/30"}),
            "devices/west/frr.conf": frr(
                "west",
                {"eth0": "100.64.0.1/30", "eth1": "10.7.0.1/30", "gre1": "10.0.0.1/30"},
                ospf,
            ),
            "devices/inn/frr.conf": frr("inn", {"eth0": "10.7.0.2/30"}, ospf),
            "devices/east/frr.conf": frr(
                "east",
                {"eth0": "100.64.0.6/30", "gre1": "10.0.0.2/30"},
                "ip route 0.0.0.0/0 100.64.0.5",
                ospf,
            ),
            "devices/west/ip-tunnel.json": tunnel("100.64.0.1", "100.64.0.6"),
            "devices/east/ip-tunnel.json": tunnel("100.64.0.6", "100.64.0.1"),
            "devices/west/ip-addr.json": link(),
            "devices/east/ip-addr.json": link(),
        }
    )
    over = next(r for r in survey.tables.relations() if "east" in (r.left.device, r.right.device))
    assert not over.works and over.first_failing is not None and over.first_failing.gate == "line"
    assert [f.device for f in survey.findings if f.kind == "tunnel-way-broken"] == ["west"]
    (why,) = survey.why("10.0.0.0/30", "inn")["why"]  # type: ignore[misc]
    assert why["present"] is True
    assert why["chain"][0]["says"] == "west announces 10.0.0.0/30 of its gre1 in area 0.0.0.0."


@pytest.mark.parametrize(
    "section", ["router rip\n network 10.0.0.0/8", "router eigrp 7\n network 10.0.0.0/8"]
)
def test_so_it_is_by_rip_and_eigrp(section: str) -> None:
    files = {
        "topology.json": wired(("west", "eth0", "sea", "eth0"), ("west", "eth1", "inn", "eth0")),
        "devices/sea/frr.conf": frr("sea", {"eth0": "100.64.0.2/30"}),
        "devices/west/frr.conf": frr(
            "west",
            {"eth0": "100.64.0.1/30", "eth1": "10.7.0.1/30", "gre1": "10.0.0.1/30"},
            section,
        ),
        "devices/inn/frr.conf": frr("inn", {"eth0": "10.7.0.2/30"}, section),
        "devices/west/ip-tunnel.json": tunnel("100.64.0.1", "100.64.0.6"),
        "devices/west/ip-addr.json": link(),
    }
    (why,) = compute(files).why("10.0.0.0/30", "inn")["why"]  # type: ignore[misc]
    assert why["present"] is True, why


def test_a_tunnel_inside_another_wraps_towards_an_inner_address_on_purpose() -> None:
    def two(local: int, remote: int) -> str:
        outer = ("100.64.0.1", "100.64.0.6")[:: 1 if local == 1 else -1]
        first = json.loads(tunnel(*outer))
        second = json.loads(tunnel(f"10.0.0.{local}", f"10.0.0.{remote}"))
        return json.dumps([*first, {**second[0], "ifname": "gre2"}])

    survey = pair(west=two(1, 2), east=two(2, 1))
    assert "tunnel-ends-exchanged" not in {f.kind for f in survey.findings}


@pytest.mark.parametrize("owner", ["eth0", "lo"])
def test_a_tunnel_that_borrows_its_address_and_is_only_an_exit_is_sound(owner: str) -> None:
    """Unnumbered: the inner address is that of a link or loopback, which it sends from."""
    west, east = ("100.64.0.1", "100.64.0.6") if owner == "eth0" else ("10.9.0.1", "10.9.0.2")
    files = {"topology.json": LINKS}
    for name, outer, own, other, inner in (
        ("west", "100.64.0.1/30", west, east, 1),
        ("east", "100.64.0.6/30", east, west, 2),
    ):
        ports = {"eth0": outer, "gre1": f"{own}/32", "lan": f"10.{inner}.0.1/24"}
        if owner == "lo":
            ports["lo"] = f"{own}/32"
        files[f"devices/{name}/frr.conf"] = frr(
            name,
            ports,
            f"ip route 0.0.0.0/0 100.64.0.{2 if inner == 1 else 5}",
            f"ip route 10.{3 - inner}.0.0/16 gre1",
        )
        files[f"devices/{name}/ip-tunnel.json"] = tunnel(own, other)
        files[f"devices/{name}/ip-addr.json"] = link()
    files["devices/sea/frr.conf"] = frr(
        "sea",
        {"eth0": "100.64.0.2/30", "eth1": "100.64.0.5/30"},
        "ip route 10.9.0.1/32 100.64.0.1",
        "ip route 10.9.0.2/32 100.64.0.6",
    )
    survey = compute(files)
    assert survey.path("10.1.0.1", "10.2.0.1").works == "yes"
    assert [f.summary for f in survey.findings if f.severity == "breaks"] == []
    # What the far end says wrong is its fault, not that the near one wraps towards it.
    wrong = compute(files | {"devices/east/ip-tunnel.json": tunnel("100.64.0.5", west)})
    found = {f.kind for f in wrong.findings if f.severity == "breaks"}
    assert "tunnel-source-foreign" in found and "tunnel-ends-exchanged" not in found


def test_yang_says_the_same_tunnel() -> None:
    def device(name: str, outer: str, inner: str, local: str, remote: str, via: str) -> str:
        def interface(port: str, address: str, length: int, **more: object) -> object:
            found = {"ip": address, "prefix-length": length}
            return {
                "name": port,
                "type": "iana-if-type:ethernetCsmacd",
                "ietf-ip:ipv4": {"forwarding": True, "address": [found]},
                **more,
            }

        wrap = {"mode": "gre", "local": local, "remote": remote}
        static = {
            "destination-prefix": "0.0.0.0/0",
            "next-hop": {"ietf-ipv4-unicast-routing:next-hop-address": via},
        }
        return json.dumps(
            {
                "ietf-interfaces:interfaces": {
                    "interface": [
                        interface("eth0", outer, 30),
                        interface("gre1", inner, 30, **{"trochos-tunnel:tunnel": wrap}),
                    ]
                },
                "ietf-routing:routing": {
                    "control-plane-protocols": {
                        "control-plane-protocol": [
                            {
                                "type": "ietf-routing:static",
                                "name": "static",
                                "static-routes": {
                                    "ietf-ipv4-unicast-routing:ipv4": {"route": [static]}
                                },
                            }
                        ]
                    }
                },
            }
        )

    survey = compute(
        {
            "topology.json": LINKS,
            "devices/west/running.json": device(
                "west", "100.64.0.1", "10.0.0.1", "100.64.0.1", "100.64.0.6", "100.64.0.2"
            ),
            "devices/sea/frr.conf": frr("sea", {"eth0": "100.64.0.2/30", "eth1": "100.64.0.5/30"}),
            "devices/east/running.json": device(
                "east", "100.64.0.6", "10.0.0.2", "100.64.0.6", "100.64.0.1", "100.64.0.5"
            ),
        }
    )
    path = survey.path("10.0.0.1", "10.0.0.2")
    assert path.works == "yes"
    assert path.outbound.branches[0].hops[0].wrap is not None


def over(west_extra: tuple[str, ...] = (), east_extra: tuple[str, ...] = ()) -> Computed:
    """OSPF over the tunnel instead of static routes."""
    ospf = ("router ospf", " network 10.0.0.0/30 area 0", " network 10.1.0.1/32 area 0")
    far = ("router ospf", " network 10.0.0.0/30 area 0", " network 10.2.0.1/32 area 0")
    west = {"eth0": "100.64.0.1/30", "gre1": "10.0.0.1/30", "lo": "10.1.0.1/32"}
    east = {"eth0": "100.64.0.6/30", "gre1": "10.0.0.2/30", "lo": "10.2.0.1/32"}
    return compute(
        {
            "topology.json": LINKS,
            "devices/west/frr.conf": frr("west", west, *west_extra, *ospf),
            "devices/west/ip-tunnel.json": tunnel("100.64.0.1", "100.64.0.6"),
            "devices/west/ip-addr.json": link(),
            "devices/sea/frr.conf": frr("sea", {"eth0": "100.64.0.2/30", "eth1": "100.64.0.5/30"}),
            "devices/east/frr.conf": frr("east", east, *east_extra, *far),
            "devices/east/ip-tunnel.json": tunnel("100.64.0.6", "100.64.0.1"),
            "devices/east/ip-addr.json": link(),
        }
    )


TO_EAST = "ip route 100.64.0.4/30 100.64.0.2"
TO_WEST = "ip route 100.64.0.0/30 100.64.0.5"


def test_a_protocol_runs_over_a_tunnel_whose_outer_way_stands() -> None:
    survey = over((TO_EAST,), (TO_WEST,))
    assert survey.path("10.1.0.1", "10.2.0.1").works == "yes"
    assert [r.works for r in survey.tables.relations()] == [True]


def test_without_the_outer_way_no_neighbour_is_heard() -> None:
    survey = over((TO_EAST,), ())
    assert survey.path("10.1.0.1", "10.2.0.1").works == "no"
    relation = survey.tables.relations()[0]
    assert relation.first_failing is not None and relation.first_failing.gate == "line"
    assert "do not get through" in str(relation.first_failing)
    found = survey.diagnose("10.1.0.1", "10.2.0.1")
    assert found.causes[0].certainty == "proven"
    assert found.causes[0].option.remedy.edits[0].device == "east"


@pytest.mark.parametrize(
    "runs",
    [
        ("router ospf", " network 10.0.0.0/8 area 0"),
        ("router ospf", "exit", "interface gre1", " ip ospf area 0", "exit"),
        ("router rip", " network gre1"),
        ("router rip", " network 10.0.0.0/30"),
        ("router eigrp 7", " network 10.0.0.0/8"),
    ],
)
@pytest.mark.parametrize("stands", [True, False])
def test_nobody_is_heard_over_a_torn_tunnel_however_the_protocol_was_put_there(
    runs: tuple[str, ...], stands: bool
) -> None:
    ends = (
        ("west", "100.64.0.1/30", "10.0.0.1/30", tunnel("100.64.0.1", "100.64.0.6"), TO_EAST),
        ("east", "100.64.0.6/30", "10.0.0.2/30", tunnel("100.64.0.6", "100.64.0.1"), TO_WEST),
    )
    files = {"topology.json": LINKS}
    files["devices/sea/frr.conf"] = frr("sea", {"eth0": "100.64.0.2/30", "eth1": "100.64.0.5/30"})
    for name, outer, inner, wrap, way in ends:
        lines = (way, *runs) if stands or name == "west" else runs
        files[f"devices/{name}/frr.conf"] = frr(name, {"eth0": outer, "gre1": inner}, *lines)
        files[f"devices/{name}/ip-tunnel.json"] = wrap
        files[f"devices/{name}/ip-addr.json"] = link()
    (relation,) = compute(files).tables.relations()
    assert relation.works is stands


def test_a_tunnel_torn_down_by_its_own_news_is_a_circle() -> None:
    extra = " network 100.64.0.4/30 area 0"
    survey = over(("ip route 100.64.0.4/30 100.64.0.2 200",), (TO_WEST, "router ospf", extra))
    assert "tunnel-circle" in {finding.kind for finding in survey.findings}
    assert survey.path("10.1.0.1", "10.2.0.1").works == "no"


@pytest.mark.thorough
@pytest.mark.parametrize("wrong", [{"remote": "203.0.113.6"}, {"ikey": 7, "okey": 7}, {"kind": 1}])
def test_tunnels_as_links_show_them_are_mended(wrong: dict[str, object]) -> None:
    """`ip -j -d link` holds the same facts elsewhere: kind beside data, a key per direction."""
    built = demo.broken()
    text = json.loads(built.routers["slip"].files["ip-link.json"])
    info = text[0]["linkinfo"]
    info["info_data"]["remote"] = "203.0.113.2"
    if "kind" in wrong:
        info["info_kind"] = "ipip"
    else:
        info["info_data"] |= wrong
    built.routers["slip"].files["ip-link.json"] = json.dumps(text, indent=1)
    survey = compute(demo.render(built, "test", "2026-05-04T06:30:00Z"))
    found = survey.diagnose("slip-winch", "roster")
    assert found.causes and found.causes[0].certainty == "proven", found.says
    assert {edit.device for edit in found.causes[0].option.edits} <= {"slip", "lantern"}
