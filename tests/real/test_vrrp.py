"""Shared gateway addresses of real FRR routers: who holds them is who is computed to."""

from __future__ import annotations

import json
import os

import pytest
from surveys import compute, wired

from .lab import Lab, why_not

REASON = why_not()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")
LINKS = [
    ("ant", "eth0", "quay", "p1"),
    ("bee", "eth0", "quay", "p2"),
    ("desk", "eth0", "quay", "p3"),
]
VIRTUAL = "10.64.1.254"
# (lines of ant, lines of bee, whose interface of its own is missing)
CASES = [
    (["vrrp 5 priority 150"], [], ""),
    (["vrrp 5 priority 150", "vrrp 5 shutdown"], [], ""),
    (["vrrp 5 priority 150"], [], "ant"),
    (["vrrp 5 priority 90"], ["vrrp 5 advertisement-interval 500"], ""),
    (["vrrp 5 version 2"], ["vrrp 5 version 3", "vrrp 5 priority 200"], ""),
]


def text(name: str, address: str, lines: list[str]) -> str:
    body = ["interface eth0", f" ip address {address}", " vrrp 5", f" vrrp 5 ip {VIRTUAL}"]
    return "\n".join(
        ["frr version 8.4.4", "frr defaults traditional", f"hostname {name}", *body,
         *(f" {line}" for line in lines), "exit", ""]
    )  # fmt: skip


@pytest.mark.parametrize("number", range(len(CASES)))
def test_who_holds_the_shared_address_is_who_really_does(number: int) -> None:
    of_ant, of_bee, lacking = CASES[number]
    routers = {
        "ant": text("ant", "10.64.1.1/24", of_ant),
        "bee": text("bee", "10.64.1.2/24", of_bee),
    }
    hosts = {"desk": ["addr add 10.64.1.10/24 dev eth0", f"route add default via {VIRTUAL}"]}
    daemons = dict.fromkeys(routers, ("vrrpd",))
    with Lab(
        routers, hosts, LINKS, lans=["quay"], daemons=daemons, tag=f"v{os.getpid()}x{number}"
    ) as lab:
        for name in routers:
            lab.run(name, "sysctl", "-qw", "net.ipv4.conf.all.arp_ignore=1")
            if name == lacking:
                continue
            lab.run(name, "ip", "link", "add", "vrrp4-5", "link", "eth0", "type", "macvlan",
                    "mode", "bridge")  # fmt: skip
            lab.run(name, "ip", "link", "set", "vrrp4-5", "address", "00:00:5e:00:01:05")
            lab.run(name, "ip", "addr", "add", f"{VIRTUAL}/24", "dev", "vrrp4-5")
            lab.run(name, "ip", "link", "set", "vrrp4-5", "up")

        def masters() -> set[str]:
            out = set()
            for name in routers:
                shown = json.loads(lab.show(name, "show vrrp json") or "[]")
                out |= {name for item in shown if item["v4"]["status"] == "Master"}
            return out

        files = {"topology.json": wired(*LINKS)}
        for name in routers:
            running = lab.running(name).split("Current configuration:")[-1]
            files[f"devices/{name}/frr.conf"] = running
        lab.until(lambda: bool(masters()), most=40)
        lab.settle(quiet=5, least=5, most=15)
        for name in routers:
            files[f"devices/{name}/ip-addr.json"] = lab.addresses(name)
        files["devices/desk/ip-addr.json"] = lab.addresses("desk")
        files["devices/desk/ip-route.json"] = lab.kernel_routes("desk", 4)
        survey = compute(files)
        holding = {
            device.name
            for device in survey.forwarding.tables.network.devices
            if any(str(fact.address) == VIRTUAL for i in device.interfaces for fact in i.addresses)
        }
        assert holding == masters()
        unread = [
            (line.text, line.why)
            for r in survey.survey.reading
            for line in r.unknown
            if line.matters
        ]
        assert unread == []
        lab.run("desk", "ip", "neigh", "flush", "all")
        (answered,) = lab.pings([("desk", VIRTUAL, None)])
        path = survey.path("desk", VIRTUAL)
        assert len(holding) > 1 or (path.works == "yes") == answered, path.sentence()
