"""Random translations on a real kernel: pings and connections show what is computed from
`nft -j`, before and after a link is taken down, and cures loaded there heal."""

from __future__ import annotations

import json
import os
import random
import subprocess
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager

import pytest
from surveys import compute, frr, wired

from trochos.core.change.apply import apply
from trochos.core.forwarding.path import Traffic
from trochos.core.survey import Computed

from .lab import Lab
from .test_filters import CLIENT, SERVER, reason

REASON = reason()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")

LAN = [("till", "eth0"), ("web", "eth0"), ("gate", "eth0")]
TO_CARRIER = [
    ("gate", "eth1", "carrier", "eth0"),
    ("gate", "eth2", "carrier", "eth2"),
    ("carrier", "eth1", "guest", "eth0"),
]
GATE = frr(
    "gate",
    {"eth0": "10.64.1.1/24", "eth1": "203.0.113.2/29", "eth2": "203.0.113.18/30"},
    "ip route 0.0.0.0/0 203.0.113.1",
    "ip route 0.0.0.0/0 203.0.113.17 10",
)
CARRIER = frr(
    "carrier",
    {"eth0": "203.0.113.1/29", "eth1": "198.51.100.1/24", "eth2": "203.0.113.17/30"},
    "ip route 203.0.113.8/29 203.0.113.2",
    "ip route 203.0.113.8/29 203.0.113.18 10",
)
HOSTS = {
    "till": ("10.64.1.10", "10.64.1.1"),
    "web": ("10.64.1.20", "10.64.1.1"),
    "guest": ("198.51.100.10", "198.51.100.1"),
}
BEFORE = [
    "ip daddr 203.0.113.9 dnat to 10.64.1.20",
    "ip daddr 203.0.113.10 dnat to 10.64.1.10",
    "ip daddr 203.0.113.2 tcp dport 8080 dnat to 10.64.1.20:5432",
    "ip daddr 203.0.113.9 tcp dport 5432 dnat to 10.64.1.20:5432",
    'iifname "eth1" ip daddr 203.0.113.2 tcp dport 5432 dnat to 10.64.1.20',
    'iifname "eth2" tcp dport 8080 dnat to 10.64.1.20:5432',
    'iifname "eth0" ip daddr 203.0.113.9 accept',
    "ip daddr 203.0.113.12 dnat to 10.64.1.99",
    "dnat to ip daddr map { 203.0.113.9 : 10.64.1.20, 203.0.113.10 : 10.64.1.10 }",
    "ip saddr 198.51.100.0/24 ip daddr 203.0.113.13 dnat to 10.64.1.20",
    "tcp dport 8080 redirect to :5432",
]
AFTER = [
    'oifname "eth1" masquerade',
    'oifname "eth2" masquerade',
    'oifname != "eth0" masquerade',
    'ip saddr 10.64.1.0/24 oifname "eth1" snat to 203.0.113.9',
    "ip saddr 10.64.1.10 snat to 203.0.113.10",
    'ip saddr 10.64.1.20 oifname "eth1" snat to 203.0.113.11',
    'ip saddr 10.64.1.0/24 oifname "eth1" snat to 203.0.113.9-203.0.113.12',
    'ip saddr 10.64.1.0/24 ip daddr 10.64.1.20 oifname "eth0" masquerade',
    "ip saddr 10.64.1.10 accept",
    'tcp dport 5432 oifname "eth1" masquerade',
    'meta l4proto icmp oifname "eth1" snat to 203.0.113.9',
    "snat to ip saddr map { 10.64.1.10 : 203.0.113.9, 10.64.1.20 : 203.0.113.10 }",
    'ip saddr 10.64.1.0/24 oifname "eth1" snat to 198.18.0.9',
]
PINGS = [
    ("till", "198.51.100.10"),
    ("web", "198.51.100.10"),
    ("gate", "198.51.100.10"),
    ("guest", "10.64.1.10"),
    ("guest", "203.0.113.2"),
    ("guest", "203.0.113.9"),
    ("guest", "203.0.113.10"),
    ("guest", "203.0.113.12"),
    ("guest", "203.0.113.13"),
    ("till", "203.0.113.9"),
    ("till", "203.0.113.2"),
]
CONNECTIONS = [
    ("till", "198.51.100.10", 5432),
    ("web", "198.51.100.10", 5432),
    ("guest", "203.0.113.2", 8080),
    ("guest", "203.0.113.2", 5432),
    ("guest", "203.0.113.9", 5432),
    ("guest", "203.0.113.18", 8080),
    ("till", "203.0.113.9", 5432),
    ("till", "203.0.113.2", 8080),
]
Answers = dict[tuple[str, str, int | None], bool]


def ruleset(rng: random.Random) -> str:
    """A random table: what destinations become, and what sources do."""
    text = "table ip t {\n"
    for hook, name, entries in (
        ("prerouting", "dstnat", BEFORE),
        ("postrouting", "srcnat", AFTER),
    ):
        rows = "".join(f"  {row}\n" for row in rng.sample(entries, rng.randint(0, 3)))
        text += f" chain {hook} {{\n  type nat hook {hook} priority {name}; policy accept;\n"
        text += f"{rows} }}\n"
    return text + "}\n"


@contextmanager
def lab() -> Iterator[Lab]:
    hosts = {
        name: [f"addr add {address}/24 dev eth0", f"route add default via {gateway}"]
        for name, (address, gateway) in HOSTS.items()
    }
    links = [*((name, port, "quay", f"p-{name}") for name, port in LAN), *TO_CARRIER]
    routers = {"gate": GATE, "carrier": CARRIER}
    with Lab(routers, hosts, links, ["quay"], tag=f"n{os.getpid()}") as net:
        servers = [
            subprocess.Popen(["ip", "netns", "exec", net.ns(name), "python3", "-c", SERVER])
            for name in HOSTS
        ]
        try:
            net.settle(quiet=2)
            yield net
        finally:
            for server in servers:
                server.kill()


def loaded(net: Lab, text: str, *options: str) -> bool:
    net.run("gate", "nft", "flush", "ruleset")
    done = subprocess.run(
        ["ip", "netns", "exec", net.ns("gate"), "nft", *options, "-f", "-"],
        input=text,
        text=True,
        capture_output=True,
        check=False,
    )
    return done.returncode == 0


def gathered(net: Lab) -> Computed:
    files = {
        "topology.json": wired(*((n, p, "quay", f"p-{n}") for n, p in LAN), *TO_CARRIER),
        "devices/gate/frr.conf": GATE,
        "devices/gate/nft.json": net.run("gate", "nft", "-j", "list", "ruleset"),
        "devices/carrier/frr.conf": CARRIER,
    }
    for name in ("gate", "carrier", *HOSTS):
        files[f"devices/{name}/addr.json"] = net.addresses(name)
        files[f"devices/{name}/ss.txt"] = net.run(name, "ss", "-tuln")
    for name in HOSTS:
        files[f"devices/{name}/route.json"] = net.kernel_routes(name, 4)
    return compute(files)


def seen(net: Lab) -> Answers:
    """What really answers, each with nothing remembered of another."""
    pings = net.pings([(a, b, None) for a, b in PINGS])

    def connected(asked: tuple[str, str, int]) -> bool:
        name, target, port = asked
        client = CLIENT.replace("5432", str(port))
        command = ["ip", "netns", "exec", net.ns(name), "python3", "-c", client, target]
        return subprocess.run(command, capture_output=True, check=False).returncode == 0

    with ThreadPoolExecutor(8) as pool:
        tcp = list(pool.map(connected, CONNECTIONS))
    out: Answers = {(a, b, None): works for (a, b), works in zip(PINGS, pings, strict=True)}
    return out | dict(zip(CONNECTIONS, tcp, strict=True))


def said(survey: Computed, sender: str, target: str, port: int | None) -> str:
    traffic = None if port is None else Traffic(protocol="tcp", port=port)
    return survey.path(sender, target, traffic).works


def compared(survey: Computed, real: Answers, what: object) -> int:
    told = 0
    for (sender, target, port), works in real.items():
        ours = said(survey, sender, target, port)
        if ours in ("yes", "no"):
            told += 1
            assert (ours == "yes") == works, (sender, target, port, ours, what)
    return told


@pytest.mark.parametrize("seed", range(2))
def test_random_translations_do_what_is_computed(seed: int) -> None:
    rng = random.Random(20261201 + seed)
    told = cures = 0
    with lab() as net:
        for number in range(8):
            text = ruleset(rng)
            assert loaded(net, text), text
            down = number % 3 == 2
            if down:
                net.run("gate", "ip", "link", "set", "eth1", "down")
                net.settle(quiet=3)
            survey, real = gathered(net), seen(net)
            told += compared(survey, real, (seed, number, down, text))
            for asked in rng.sample(sorted(real, key=str), 6):
                if not real[asked] and cures < 4:
                    cures += cured(net, survey, asked)
            if down:
                net.run("gate", "ip", "link", "set", "eth1", "up")
                net.settle(quiet=3)
    assert told > 100, "hardly any answer was certain"


def cured(net: Lab, survey: Computed, asked: tuple[str, str, int | None]) -> int:
    """Loads the first suspect's remedy, where it is one of translations, and asks again."""
    sender, target, port = asked
    traffic = None if port is None else Traffic(protocol="tcp", port=port)
    found = survey.diagnose(sender, target, traffic)
    top = next((c for c in found.causes if c.certainty == "proven"), None)
    if top is None or len(found.cure) != 1:
        return 0
    edits = top.option.edits
    if {(edit.device, getattr(edit, "file", "")) for edit in edits} != {("gate", "nft.json")}:
        return 0
    text = apply(survey.survey, edits).survey.text("gate", "nft.json")
    assert text is not None
    assert loaded(net, json.dumps(json.loads(text)), "-j")
    assert seen(net)[asked], (asked, top.option.remedy.title, text)
    return 1


def test_a_cure_of_each_kind_heals() -> None:
    """The faults of the suspects, one by one, mended on the real gate."""
    hairpin = "ip daddr 203.0.113.2 tcp dport 8080 dnat to 10.64.1.20:5432"
    cases: list[tuple[list[str], list[str], tuple[str, str, int | None], str]] = [
        ([], ['ip saddr 10.64.7.0/24 oifname "eth1" masquerade'], PINGS_FROM_TILL, "source-not"),
        ([], ['ip saddr 10.64.1.0/24 oifname "eth2" masquerade'], PINGS_FROM_TILL, "source-not"),
        ([], ['oifname "eth1" snat to 198.18.0.9'], PINGS_FROM_TILL, "rewritten-source"),
        ([hairpin], ['oifname "eth1" masquerade'], ("till", "203.0.113.2", 8080), "hairpin"),
        (
            ["ip daddr 203.0.113.2 tcp dport 8081 dnat to 10.64.1.20:5432"],
            ['oifname "eth1" masquerade'],
            ("guest", "203.0.113.2", 8080),
            "forward-missing",
        ),
        (
            ["ip daddr 203.0.113.2 tcp dport 8080 dnat to 10.64.1.29:5432"],
            ['oifname "eth1" masquerade'],
            ("guest", "203.0.113.2", 8080),
            "forward-astray",
        ),
    ]
    with lab() as net:
        for before, after, asked, kind in cases:
            text = (
                "table ip t {\n chain prerouting {\n  type nat hook prerouting priority dstnat;\n"
            )
            text += "".join(f"  {row}\n" for row in before)
            text += " }\n chain postrouting {\n  type nat hook postrouting priority srcnat;\n"
            text += "".join(f"  {row}\n" for row in after) + " }\n}\n"
            assert loaded(net, text), text
            survey = gathered(net)
            assert not seen(net)[asked]
            traffic = None if asked[2] is None else Traffic(protocol="tcp", port=asked[2])
            top = survey.diagnose(asked[0], asked[1], traffic).causes[0]
            assert top.option.finding.kind.startswith(kind), (kind, top.option.finding.kind)
            assert cured(net, survey, asked) == 1, kind


PINGS_FROM_TILL = ("till", "198.51.100.10", None)
