"""Nothing gives up in silence: what is not settled at its bound is a doubt that names its members,
never a result."""

from __future__ import annotations

from itertools import pairwise

import pytest
from surveys import compute, frr, wired

from trochos.core.network.addressing import parse_prefix
from trochos.core.protocols import eigrp, rip, tables
from trochos.core.survey import Computed

PROTOCOLS = {
    "rip": (rip, ("router rip", " network 10.0.0.0/8", "exit"), "RIP"),
    "eigrp": (eigrp, ("router eigrp 7", " network 10.0.0.0/8", "exit"), "EIGRP"),
}


def chain(lines: tuple[str, ...]) -> Computed:
    """Five routers in a line, each telling the next."""
    names = ["a", "b", "c", "d", "e"]
    files = {"topology.json": wired(*((x, "r", y, "l") for x, y in pairwise(names)))}
    for number, name in enumerate(names):
        ports = {"lo": f"10.255.0.{number + 1}/32"}
        if number:
            ports["l"] = f"10.0.{number}.2/30"
        if number < len(names) - 1:
            ports["r"] = f"10.0.{number + 1}.1/30"
        files[f"devices/{name}/frr.conf"] = frr(name, ports, *lines)
    return compute(files)


@pytest.mark.parametrize("name", PROTOCOLS)
def test_a_bound_that_is_reached_is_a_doubt_and_no_result(
    name: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    module, lines, label = PROTOCOLS[name]
    settled = chain(lines)
    assert settled.path("a", "10.255.0.5").works == "yes"
    assert not settled.tables.doubts()
    monkeypatch.setattr(module, "ROUNDS", 2)
    survey = chain(lines)
    far = parse_prefix("10.255.0.5/32")
    assert far is not None and survey.tables.of("a", 4).winner(far) is None
    path = survey.path("a", "10.255.0.5")
    assert path.works == "unknown"
    doubts = [doubt.why for found in survey.tables.doubts().values() for doubt in found]
    assert any(f"{label} never settles on 10.255.0.5/32" in why and "b" in why for why in doubts)


def test_statics_that_lean_on_each_other_longer_than_they_are_followed_are_no_result(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    lean = [f"ip route 10.{n}.0.0/24 10.{n + 1}.0.1" for n in range(1, 7)]
    files = {
        "topology.json": wired(("a", "eth1", "b", "eth1")),
        "devices/a/frr.conf": frr(
            "a", {"eth1": "10.0.0.1/30"}, *lean, "ip route 10.7.0.0/24 10.0.0.2"
        ),
        "devices/b/frr.conf": frr("b", {"eth1": "10.0.0.2/30"}),
    }
    first = parse_prefix("10.1.0.0/24")
    assert first is not None
    settled = compute(files).tables.of("a", 4)
    assert settled.winner(first) is not None and not settled.unsettled
    monkeypatch.setattr(tables._Builder, "_most", lambda *_: 3)
    survey = compute(files)
    assert survey.tables.of("a", 4).winner(first) is None
    (found,) = (f for f in survey.findings if f.kind == "unsettled-routes")
    assert "10.5.0.0/24" in found.summary and len(found.evidence) >= 2
    path = survey.path("a", "10.0.0.2")
    assert path.works == "yes"  # its own link
    path = survey.path("a", "10.5.0.9")
    assert path.works == "unknown" and "10.5.0.0/24" in path.outbound.decisive.reason


def test_protocols_that_never_agree_are_followed_so_long_and_no_longer(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """What one protocol tells the other a round later, stopped after the first round."""
    files = {
        "topology.json": wired(("a", "eth1", "b", "eth1"), ("b", "eth2", "c", "eth1")),
        "devices/a/frr.conf": frr(
            "a", {"eth1": "10.0.0.1/30", "lo": "10.9.0.1/32"},
            "router rip", " network 10.0.0.0/8", "exit",
        ),
        "devices/b/frr.conf": frr(
            "b", {"eth1": "10.0.0.2/30", "eth2": "10.1.0.1/30"},
            "router rip", " network 10.0.0.0/16", "exit",
            "router ospf", " network 10.1.0.0/16 area 0", " redistribute rip", "exit",
        ),
        "devices/c/frr.conf": frr(
            "c", {"eth1": "10.1.0.2/30"}, "router ospf", " network 10.1.0.0/16 area 0", "exit",
        ),
    }  # fmt: skip
    far = parse_prefix("10.9.0.1/32")
    assert far is not None
    assert compute(files).tables.of("c", 4).winner(far) is not None
    monkeypatch.setattr(tables, "MAX_ROUNDS", 2)
    survey = compute(files)
    assert survey.tables.of("c", 4).winner(far) is None
    assert far in {route.prefix for route in survey.tables.of("c", 4).unsettled}
    assert survey.path("c", "10.9.0.1").works == "unknown"
    assert [f.device for f in survey.findings if f.kind == "unsettled-routes"] == ["c"]


@pytest.mark.thorough
def test_systems_that_each_prefer_the_way_over_the_next_never_settle_and_that_is_said() -> None:
    """Three around one, each rather over its neighbour than directly: whichever state they are in,
    somebody wants another."""
    links, files = [], {}
    for number in (1, 2, 3):
        links.append((f"r{number}", "eth0", "r0", f"eth{number}"))
        after = number % 3 + 1
        links.append((f"r{number}", "eth1", f"r{after}", "eth2"))
    middle = {f"eth{n}": f"10.0.{n}.1/30" for n in (1, 2, 3)}
    families = [" address-family ipv4 unicast", "  network 10.9.0.0/24", " exit-address-family"]
    peers = [f" neighbor 10.0.{n}.2 remote-as {65000 + n}" for n in (1, 2, 3)]
    files["devices/r0/frr.conf"] = frr(
        "r0", {**middle, "lo": "10.9.0.1/24"},
        "router bgp 65000", " no bgp ebgp-requires-policy", *peers, *families, "exit",
    )  # fmt: skip
    for number in (1, 2, 3):
        after, before = number % 3 + 1, (number + 1) % 3 + 1
        ports = {
            "eth0": f"10.0.{number}.2/30",
            "eth1": f"10.1.{number}.1/30",
            "eth2": f"10.1.{before}.2/30",
        }
        files[f"devices/r{number}/frr.conf"] = frr(
            f"r{number}", ports,
            f"bgp as-path access-list NEXT permit ^{65000 + after}_65000$",
            "route-map OVER permit 10", " match as-path NEXT", " set local-preference 200", "exit",
            f"router bgp {65000 + number}", " no bgp ebgp-requires-policy",
            f" neighbor 10.0.{number}.1 remote-as 65000",
            f" neighbor 10.1.{number}.2 remote-as {65000 + after}",
            f" neighbor 10.1.{before}.1 remote-as {65000 + before}",
            " address-family ipv4 unicast",
            f"  neighbor 10.1.{number}.2 route-map OVER in",
            " exit-address-family", "exit",
        )  # fmt: skip
    survey = compute({"topology.json": wired(*links), **files})
    doubts = [doubt.why for found in survey.tables.doubts().values() for doubt in found]
    assert any("BGP never settles on a path to 10.9.0.0/24" in why for why in doubts), doubts
    assert survey.path("r1", "10.9.0.1").works == "unknown"
