"""Who answers on a link, as gathered: neighbour caches, spares, advertised routers."""

from __future__ import annotations

import json

import pytest
from surveys import compute, frr, wired

ROUTER = frr("quay", {"eth0": "10.64.5.1/24", "eth1": "10.64.9.1/30"})
FAR = frr("far", {"eth0": "10.64.9.2/30", "eth1": "10.64.7.1/24"})


def addresses(port: str, mac: str, *held: str) -> str:
    info = [
        {
            "family": "inet6" if ":" in text else "inet",
            "local": text.split("/")[0],
            "prefixlen": int(text.split("/")[1]),
            "scope": "global",
        }
        for text in held
    ]
    flags = ["BROADCAST", "MULTICAST", "UP", "LOWER_UP"]
    link = {"ifname": port, "flags": flags, "mtu": 1500, "link_type": "ether", "address": mac}
    return json.dumps([{**link, "addr_info": info}], indent=1)


def cached(address: str, mac: str | None, state: str = "REACHABLE") -> str:
    entry = {"dst": address, "dev": "eth0", "state": [state]}
    return json.dumps([{**entry, **({"lladdr": mac} if mac else {})}], indent=1)


def links(cache: str):  # type: ignore[no-untyped-def]
    return compute(
        {
            "topology.json": wired(
                ("lan", "p1", "quay", "eth0"),
                ("lan", "p2", "desk", "eth0"),
                ("lan", "p3", "copy", "eth0"),
            ),
            "devices/quay/frr.conf": ROUTER,
            "devices/quay/ip-addr.json": addresses("eth0", "02:00:00:00:00:01", "10.64.5.1/24"),
            "devices/quay/ip-neigh.json": cache,
            "devices/desk/ip-addr.json": addresses("eth0", "02:00:00:00:00:02", "10.64.5.20/24"),
            "devices/copy/ip-addr.json": addresses("eth0", "02:00:00:00:00:03", "10.64.5.30/24"),
        }
    )


@pytest.mark.parametrize(
    ("cache", "says"),
    [
        (cached("10.64.5.20", "02:00:00:00:00:02"), None),
        (cached("10.64.5.20", "02:00:00:00:00:03"), "copy eth0 answers"),
        (cached("10.64.5.20", "02:00:00:00:00:99"), "which nobody surveyed has"),
        (cached("10.64.5.77", "02:00:00:00:00:99"), None),
        (cached("10.64.5.20", None, "FAILED"), None),
    ],
)
def test_who_answered_is_compared_with_who_has_the_address(cache: str, says: str | None) -> None:
    found = [f for f in links(cache).findings if f.kind == "answered-elsewhere"]
    assert len(found) == (says is not None)
    if says is not None:
        assert says in found[0].summary and found[0].severity == "risks"
        assert found[0].evidence[0].file == "ip-neigh.json"


def test_a_spare_that_nobody_answers_is_a_risk() -> None:
    ospf = "router ospf\n ospf router-id {0}\n network 10.64.0.0/16 area 0\nexit\n"

    def network(gateway: str):  # type: ignore[no-untyped-def]
        spare = f"ip route 10.64.7.0/24 {gateway} 200"
        quay = ROUTER.replace("!\ninterface", f"!\n{spare}\ninterface", 1) + ospf.format("1.1.1.1")
        return compute(
            {
                "topology.json": wired(("quay", "eth1", "far", "eth0")),
                "devices/quay/frr.conf": quay,
                "devices/far/frr.conf": FAR + ospf.format("2.2.2.2"),
            }
        )

    right = network("10.64.9.2")
    assert right.routes_json("quay")["devices"]["quay"]["ipv4"]  # type: ignore[index]
    assert "spare-silent" not in {f.kind for f in right.findings}
    odd = compute(
        {
            "topology.json": wired(
                ("quay", "eth1", "far", "eth0"), ("quay", "eth0", "desk", "eth0")
            ),
            "devices/quay/frr.conf": ROUTER.replace(
                "!\ninterface", "!\nip route 10.64.7.0/24 10.64.5.99 200\ninterface", 1
            )
            + ospf.format("1.1.1.1"),
            "devices/far/frr.conf": FAR + ospf.format("2.2.2.2"),
            "devices/desk/ip-addr.json": addresses("eth0", "02:00:00:00:00:02", "10.64.5.20/24"),
        }
    )
    (finding,) = [f for f in odd.findings if f.kind == "spare-silent"]
    assert "10.64.5.99" in finding.summary and finding.severity == "risks"
    assert "10.64.7.0/24 10.64.5.99 200" in finding.evidence[0].text


def test_a_router_that_a_host_heard_of_by_advertisement_is_its_gateway() -> None:
    def host(subnet: str, gateway: str) -> str:
        rows = [
            {"dst": f"{subnet}::/64", "dev": "eth0", "protocol": "ra", "metric": 1024},
            {"dst": "default", "gateway": gateway, "dev": "eth0", "protocol": "ra", "metric": 1024},
        ]
        return json.dumps([{**row, "flags": [], "expires": 1700} for row in rows], indent=1)

    ports = json.loads(addresses("eth0", "02:00:00:00:00:01", "fd00:64:1::1/64", "fe80::1/64"))
    ports += json.loads(addresses("eth1", "02:00:00:00:00:02", "fd00:64:2::1/64", "fe80::2/64"))
    files = {
        "topology.json": wired(("quay", "eth0", "one", "eth0"), ("quay", "eth1", "two", "eth0")),
        "devices/quay/frr.conf": frr(
            "quay", {"eth0": "fd00:64:1::1/64", "eth1": "fd00:64:2::1/64"}
        ),
        "devices/quay/ip-addr.json": json.dumps(ports),
    }
    for name, number in (("one", 1), ("two", 2)):
        mac = f"02:00:00:00:00:0{number + 2}"
        held = (f"fd00:64:{number}::aa/64", f"fe80::{number}a/64")
        files[f"devices/{name}/ip-addr.json"] = addresses("eth0", mac, *held)
        files[f"devices/{name}/ip-route6.json"] = host(f"fd00:64:{number}", f"fe80::{number}")
    survey = compute(files)
    assert survey.path("one", "two").works == "yes"
    assert [f for f in survey.findings if f.severity != "notes"] == []
    assert all(not report.unknown for report in survey.survey.reading)
