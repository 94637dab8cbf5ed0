"""All pairs on arrays against walking each pair: two ways to the same answer."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from real.networks import make
from surveys import company, compute, frr, wired

from trochos.core.forwarding.reach import ping
from trochos.core.network.addressing import parse_address
from trochos.core.survey import Computed


def from_made(seed: int, family: int) -> Computed:
    """A random network as a survey of texts, hosts included as routers without forwarding."""
    made = make(seed, family)
    files = {f"devices/{name}/frr.conf": text for name, text in made.routers.items()}
    for name, commands in made.hosts.items():
        address, gateway = commands[0].split()[2], commands[1].split()[4]
        word = "ipv6" if family == 6 else "ip"
        default = "::/0" if family == 6 else "0.0.0.0/0"
        files[f"devices/{name}/frr.conf"] = frr(
            name, {"eth0": address}, f"no {word} forwarding", f"{word} route {default} {gateway}"
        )
    return compute({**files, "topology.json": wired(*made.links)})


@pytest.mark.thorough
@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10_000), st.sampled_from([4, 6]))
def test_arrays_and_walks_agree_on_random_networks(seed: int, family: int) -> None:
    survey = from_made(seed, family)
    seen: set[tuple[str, object]] = set()
    for pair in survey.reach.pairs():
        if pair.target.family != family or pair.source is None:
            continue
        outbound, back, ok = ping(
            survey.forwarding, pair.device, pair.source, pair.target, pair.owner
        )
        assert outbound.verdict == pair.outbound, pair
        assert back is not None
        first = (pair.device, pair.target) not in seen
        seen.add((pair.device, pair.target))
        route = survey.forwarding.matching(pair.device, pair.target)
        if first and family == 4 and route is not None and len(route.next_hops) > 1:
            continue  # by its own choice the device sends from another address on each branch
        assert ok == pair.ok, pair
        if pair.outbound == "delivered":
            assert back.verdict == pair.back, pair


def twins(built) -> None:  # type: ignore[no-untyped-def]
    """Two devices with one address, and an anycast loopback."""
    built.hosts["roster"].addresses = ["10.64.20.41/24"]
    built.routers["gull"].ports[0].addresses.append("10.64.255.99/32")
    built.routers["tern"].ports[0].addresses.append("10.64.255.99/32")


@pytest.mark.thorough
@pytest.mark.parametrize("which", ["healthy", "broken", "twins", "chain"])
def test_the_summary_counts_what_the_rows_say(which: str) -> None:
    if which == "chain":
        survey = chain(68)
    else:
        survey = company(broken=which == "broken", change=twins if which == "twins" else None)
    rows = list(survey.reach.pairs())
    ends: dict[str, int] = {}
    for row in rows:
        ends[row.outbound] = ends.get(row.outbound, 0) + 1
    assert survey.reach.summary() == {
        "pairs": len(rows),
        "ok": sum(row.ok is True for row in rows),
        "partly": sum(row.ok == "partly" for row in rows),
        "outbound": dict(sorted(ends.items())),
    }


def chain(length: int) -> Computed:
    """A row of routers, each of which knows only the next one."""
    files, links = {}, []
    for i in range(length):
        ports, lines = {"lo": f"10.65.{i}.1/32"}, []
        if i:
            ports["eth0"] = f"10.66.{i - 1}.2/30"
            lines.append(f"ip route 10.65.0.0/16 10.66.{i - 1}.1 50")
        if i < length - 1:
            ports["eth1"] = f"10.66.{i}.1/30"
            lines.append(f"ip route 10.65.{length - 1}.1/32 10.66.{i}.2")
            links.append((f"n{i}", "eth1", f"n{i + 1}", "eth0"))
        files[f"devices/n{i}/frr.conf"] = frr(f"n{i}", ports, *lines)
    return compute({**files, "topology.json": wired(*links)})


@pytest.mark.thorough
def test_the_hop_limit_ends_a_long_way() -> None:
    survey = chain(70)
    last = parse_address("10.65.69.1")
    assert last is not None
    path = survey.path("n0", "10.65.69.1")
    assert path.outbound.verdict == "hop-limit"
    assert path.outbound.branches[0].last.device == "n64"
    near = survey.path("n20", "10.65.69.1")
    assert near.outbound.verdict == "delivered"
    rows = {p.device: p for p in survey.reach.pairs(targets={last})}
    assert rows["n0"].outbound == "hop-limit" and rows["n0"].ok is False
    assert rows["n20"].outbound == "delivered"


@pytest.mark.thorough
def test_a_duplicate_address_is_taken_by_the_wrong_host() -> None:
    def change(built) -> None:  # type: ignore[no-untyped-def]
        built.hosts["roster"].addresses = ["10.64.20.41/24"]
        built.hosts["roster"].gateways = []

    survey = company(change=change)
    path = survey.path("booking-db", "roster:eth0")
    assert path.outbound.verdict == "wrong-host"
    assert path.outbound.branches[0].last.device == "gate-kiosk"
    finding = next(f for f in survey.findings if f.kind == "address-conflict")
    assert finding.severity == "breaks"
    assert {finding.device, finding.peer.device if finding.peer else ""} == {"roster", "gate-kiosk"}


def test_anycast_on_loopbacks_is_no_conflict() -> None:
    survey = compute(
        {
            "devices/a/frr.conf": frr("a", {"eth1": "10.64.0.1/30", "lo": "10.64.9.9/32"}),
            "devices/b/frr.conf": frr("b", {"eth1": "10.64.0.2/30", "lo": "10.64.9.9/32"}),
            "topology.json": wired(("a", "eth1", "b", "eth1")),
        }
    )
    assert [f for f in survey.findings if f.kind == "address-conflict"] == []


def test_a_packet_larger_than_a_link_is_too_big_or_split() -> None:
    capture = (
        '[{"ifindex":2,"ifname":"eth1","flags":["UP","LOWER_UP"],"mtu":%d,"address":'
        '"02:00:00:00:00:0%d","addr_info":[]}]'
    )
    survey = compute(
        {
            "devices/a/frr.conf": frr("a", {"eth1": "10.64.0.1/30"}),
            "devices/a/addr.json": capture % (1400, 1),
            "devices/b/frr.conf": frr("b", {"eth1": "10.64.0.2/30"}),
            "devices/b/addr.json": capture % (1400, 2),
            "topology.json": wired(("a", "eth1", "b", "eth1")),
        }
    )
    from trochos.core.forwarding.path import Traffic

    whole = survey.path("a", "b", Traffic(size=1500, dont_fragment=True))
    assert (whole.works, whole.outbound.verdict) == ("no", "too-big")
    assert survey.path("a", "b", Traffic(size=1500)).works == "yes"
    assert survey.path("a", "b", Traffic(size=1400, dont_fragment=True)).works == "yes"
    assert survey.path("a", "b").as_json()["largest"] == {
        "bytes": 1400,
        "limited_by": {"device": "a", "interface": "eth1"},
    }
