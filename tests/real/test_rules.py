"""Rules by everything that a packet is, and the marks they ask for, on a real kernel: what pings
and connections show is what is computed from `ip -j rule`, the tables and `nft -j`."""

from __future__ import annotations

import json
import os
import random
import subprocess

import pytest
from surveys import compute, wired

from trochos.core.forwarding.path import Traffic
from trochos.core.survey import Computed

from .lab import Lab
from .test_filters import CLIENT, REASON

pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")

SERVER = (
    "import socket\ns=socket.create_server(('0.0.0.0', 5432))\nwhile True: s.accept()[0].close()\n"
)

LINKS = [
    ("desk", "eth0", "mid", "eth1"),
    ("mid", "eth3", "left", "eth1"),
    ("mid", "eth4", "right", "eth1"),
    ("left", "eth2", "far", "eth1"),
    ("right", "eth2", "far", "eth2"),
    ("far", "eth3", "db", "eth0"),
]


def _router(*lines: str, **ports: str) -> str:
    text = "".join(f"interface {port}\n ip address {a}\n!\n" for port, a in ports.items())
    return text + "".join(f"{line}\n" for line in lines)


ROUTERS = {
    "mid": _router(
        "ip route 10.64.3.0/24 10.64.0.2",
        eth1="10.64.1.1/24",
        eth3="10.64.0.1/30",
        eth4="10.64.0.5/30",
    ),
    "left": _router(
        "ip route 10.64.3.0/24 10.64.0.10",
        "ip route 10.64.1.0/24 10.64.0.1",
        eth1="10.64.0.2/30",
        eth2="10.64.0.9/30",
    ),
    # The spare knows the way back only: whatever is sent there is lost, which is how it shows.
    "right": _router("ip route 10.64.1.0/24 10.64.0.5", eth1="10.64.0.6/30", eth2="10.64.0.13/30"),
    "far": _router(
        "ip route 10.64.0.0/16 10.64.0.9",
        eth1="10.64.0.10/30",
        eth2="10.64.0.14/30",
        eth3="10.64.3.1/24",
    ),
}
HOSTS = {
    "desk": ["addr add 10.64.1.10/24 dev eth0", "route add default via 10.64.1.1"],
    "db": ["addr add 10.64.3.10/24 dev eth0", "route add default via 10.64.3.1"],
}
SELECTORS = [
    "from 10.64.1.0/24",
    "not from 10.64.1.0/24",
    "to 10.64.3.0/24",
    "iif eth1",
    "iif eth3",
    "iif lo",
    "oif eth3",
    "ipproto icmp",
    "ipproto tcp",
    "not ipproto tcp",
    "ipproto tcp dport 5432",
    "ipproto tcp dport 5400-5500",
    "ipproto tcp sport 5432",
    "dport 22",
    "tos 0x10",
    "fwmark 1",
    "fwmark 1",
    "fwmark 0x10/0xf0",
    "fwmark 2 iif eth1",
    "not fwmark 1",
    "from 10.64.1.10 fwmark 1 ipproto tcp",
]
ACTIONS = ["table 100"] * 5 + [
    "table 101",
    "table 102",
    "blackhole",
    "goto 150",
    "nop",
    "table main",
]
MARKING = {
    "prerouting": [
        "tcp dport 5432 meta mark set 1",
        "icmp type echo-request meta mark set 0x10",
        'iifname "eth1" meta mark set 1',
        'iifname "eth3" meta mark set 0x13',
        "ct state new meta mark set 2",
        "ct state new ct mark set 1",
        "ct mark set meta mark",
        "meta mark set ct mark",
        "meta mark set ct mark meta mark 1 accept",
        "meta mark set meta mark or 0x10",
        "meta mark set meta mark and 0xf0",
        "meta mark set meta mark xor 0x3",
        "meta mark set tcp dport map { 5432 : 1, 22 : 2 }",
        "meta mark set ip saddr map { 10.64.1.10 : 1, 10.64.3.0/24 : 2 }",
        "meta mark & 0x1 == 1 accept",
        "meta mark 1 drop",
        "ct mark != 0 meta mark set ct mark return",
    ],
    "output": [
        "meta mark set 1",
        "tcp dport 5432 meta mark set 1",
        "icmp type echo-request meta mark set 0x10",
        # Not `ct mark set`: an ICMP error that the router sends belongs to the connection it is
        # about, so it would mark that one, and what is sent again goes another way.
        "meta mark set meta mark or 0x2",
        "ip daddr 10.64.3.10 meta mark set 2",
        'oifname "eth3" meta mark set 1',
        'oifname "eth4" meta mark set 2',
    ],
}
ASKED = [("desk", "10.64.3.10"), ("db", "10.64.1.10"), ("mid", "10.64.3.10"), ("db", "10.64.0.1")]


def _nft(rng: random.Random) -> str:
    pre = "".join(f"  {row}\n" for row in rng.sample(MARKING["prerouting"], rng.randint(1, 4)))
    kind = rng.choice(["route", "route", "filter"])
    out = "".join(f"  {row}\n" for row in rng.sample(MARKING["output"], rng.randint(0, 2)))
    return (
        "table ip t {\n chain pre {\n  type filter hook prerouting priority mangle;\n"
        f"{pre} }}\n chain out {{\n  type {kind} hook output priority mangle;\n{out} }}\n}}\n"
    )


def _rules(rng: random.Random) -> list[str]:
    out = []
    for _ in range(rng.randint(1, 4)):
        extra = " suppress_prefixlength 0" if rng.random() < 0.15 else ""
        action = rng.choice(ACTIONS)
        extra = extra if action.startswith("table") else ""
        priority = rng.randint(100, 140)
        word, _, rest = rng.choice(SELECTORS).partition(" ")
        # `not` stands in front of everything else.
        selector = f"{word} {rest}"
        out.append(f"{selector} pref {priority} {action}{extra}")
    return out


def _survey(net: Lab, files: dict[str, str]) -> Computed:
    for name in ("desk", "db"):
        files[f"devices/{name}/addr.json"] = net.addresses(name)
        files[f"devices/{name}/route.json"] = net.kernel_routes(name, 4)
    for name, text in ROUTERS.items():
        files[f"devices/{name}/frr.conf"] = text
        files[f"devices/{name}/addr.json"] = net.addresses(name)
    return compute({"topology.json": wired(*LINKS), **files})


def _answers(net: Lab, sender: str, target: str, port: int | None) -> bool:
    if port is None:
        return net.pings([(sender, target, None)])[0]
    client = ["ip", "netns", "exec", net.ns(sender), "python3", "-c", CLIENT]
    return subprocess.run([*client, target], capture_output=True, check=False).returncode == 0


def test_random_rules_and_marks_do_what_is_computed() -> None:
    rng = random.Random(20261130)
    told = lost = 0
    rounds = int(os.environ.get("TROCHOS_ROUNDS", "25"))
    with Lab(ROUTERS, HOSTS, LINKS, tag=f"q{os.getpid()}") as net:
        server = subprocess.Popen(["ip", "netns", "exec", net.ns("db"), "python3", "-c", SERVER])
        try:
            net.settle(quiet=2)
            tables = [
                "default via 10.64.0.6 dev eth4 table 100",
                "10.64.3.0/24 via 10.64.0.6 dev eth4 table 102",
                "unreachable default table 101",
            ]
            for route in tables:
                net.run("mid", "ip", "route", "add", *route.split())
            assert net.pings([(a, b, None) for a, b in ASKED]) == [True] * len(ASKED)
            for number in range(rounds):
                rules = _rules(rng)
                net.run("mid", "ip", "rule", "add", "pref", "150", "nop", check=False)
                for rule in rules:
                    net.run("mid", "ip", "rule", "add", *rule.split(), check=False)
                text = _nft(rng)
                loaded = subprocess.run(
                    ["ip", "netns", "exec", net.ns("mid"), "nft", "-f", "-"],
                    input=text,
                    text=True,
                    capture_output=True,
                    check=False,
                )
                assert loaded.returncode == 0, loaded.stderr
                check = rng.choice(["0", "0", "1", "2"])
                net.run("mid", "sysctl", "-qw", f"net.ipv4.conf.all.rp_filter={check}")
                survey = _survey(
                    net,
                    {
                        "devices/mid/rule.json": net.run("mid", "ip", "-j", "rule"),
                        "devices/mid/tables.json": _tables(net),
                        "devices/mid/nft.json": net.run("mid", "nft", "-j", "list", "ruleset"),
                        "devices/mid/sysctl.txt": f"net.ipv4.conf.all.rp_filter = {check}\n",
                    },
                )
                assert not survey.network.device("mid").unmodelled  # type: ignore[union-attr]
                for sender, target in ASKED:
                    for port in (None, 5432) if target == "10.64.3.10" else (None,):
                        traffic = Traffic(protocol="tcp", port=port) if port else None
                        said = survey.path(sender, target, traffic)
                        if said.works == "unknown":
                            continue
                        works = _answers(net, sender, target, port)
                        told += 1
                        lost += not works
                        assert (said.works == "yes") == works, (
                            f"round {number}: {sender} to {target} {port}: {said.sentence()}\n"
                            f"rp_filter {check}\n" + net.run("mid", "ip", "rule") + text
                        )
                net.run("mid", "nft", "flush", "ruleset")
                for line in json.loads(net.run("mid", "ip", "-j", "rule")):
                    if 0 < line["priority"] < 32766:
                        net.run("mid", "ip", "rule", "del", "pref", str(line["priority"]))
        finally:
            server.kill()
    assert told > 3 * rounds, "hardly any answer was certain"
    assert rounds < 20 or (lost > 15 and told - lost > 15), "hardly any rule mattered"


def _tables(net: Lab) -> str:
    shown = net.run("mid", "ip", "-j", "route", "show", "table", "all")
    return json.dumps(
        [row for row in json.loads(shown) if row.get("table") in ("100", "101", "102")]
    )
