"""Random networks of real isisd: levels, areas, metrics, kinds of links, passwords, and faults in
them; computed tables equal those of the routers."""

from __future__ import annotations

import json
import os
import random

import pytest
from core.test_reference import Table, our_table, real_entries
from surveys import compute, wired

from .lab import Lab, why_not

REASON = why_not()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")

ROUTERS = 6
KINDS = ("level-1", "level-1-2", "level-1-2", "level-1-2", "level-2-only")
CIRCUITS = ("level-1", "level-2-only", None, None, None)
Links = list[tuple[str, str, str, str]]


def made(seed: int) -> tuple[dict[str, str], Links]:
    """The texts of some routers, and their links: a tree and two more. One end in eight is at odds
    with the other."""
    drawn = random.Random(seed)
    names = [f"i{n}" for n in range(ROUTERS)]
    pairs = [(drawn.choice(names[:n]), names[n]) for n in range(1, ROUTERS)]
    spare = [p for n, a in enumerate(names) for b in names[n + 1 :] if (p := (a, b)) not in pairs]
    pairs += drawn.sample(spare, 2)
    ports: dict[str, list[str]] = {name: [] for name in names}
    links: Links = []
    for number, pair in enumerate(pairs, 1):
        circuit, point = drawn.choice(CIRCUITS), drawn.random() < 0.5
        ends = []
        for host, name in enumerate(pair, 1):
            port = f"eth{len(ports[name]) + 1}"
            odd = drawn.choice(("circuit", "network", "password", *["none"] * 21))
            own = drawn.choice(CIRCUITS) if odd == "circuit" else circuit
            lines = [
                f"interface {port}",
                f" ip address 10.81.{number}.{host}/30",
                " ip router isis x",
                f" isis metric {drawn.randint(1, 60)}",
                *([f" isis circuit-type {own}"] if own else []),
                *([" isis network point-to-point"] if point != (odd == "network") else []),
                *([" isis password clear odd"] if odd == "password" else []),
                "exit",
            ]
            ports[name].append("\n".join(lines))
            ends += [name, port]
        links.append((ends[0], ends[1], ends[2], ends[3]))
    texts = {}
    for number, name in enumerate(names, 1):
        area, kind = drawn.choice((1, 2)), drawn.choice(KINDS)
        inside = "interface lo\n ip address 10.81.255.{}/32\n ip router isis x\n isis passive\nexit"
        process = [
            "router isis x",
            f" net 49.{area:04}.0000.0000.{number:04}.00",
            f" is-type {kind}",
            "exit",
        ]
        texts[name] = "\n".join([*ports[name], inside.format(number), *process, ""])
    return texts, links


# In 5 and 8 a router of one level has circuits that are told the other one; in 13 a router of both
# has no neighbour in level 2, and makes a default in level 1.
@pytest.mark.parametrize("seed", [5, 8, 13])
def test_tables_of_isis(seed: int) -> None:
    texts, links = made(seed)
    daemons = dict.fromkeys(texts, ("isisd",))
    with Lab(texts, {}, links, daemons=daemons, tag=f"s{os.getpid()}x{seed}") as lab:
        lab.settle(quiet=10, least=30)
        files = {"topology.json": wired(*links)}
        for name in texts:
            text = lab.running(name).split("Current configuration:")[-1]
            files[f"devices/{name}/frr.conf"] = text
            files[f"devices/{name}/ip-addr.json"] = lab.addresses(name)
        survey = compute(files)
        open_lines = [line for report in survey.survey.reading for line in report.unknown]
        assert [line for line in open_lines if line.matters] == []

        def tables(name: str) -> tuple[Table, Table]:
            """Ours and the real one."""
            return our_table(survey, name, "ipv4"), real_entries(lab.table(name, 4))

        lab.until(lambda: all(ours == real for ours, real in map(tables, texts)))
        learned = 0
        for name in texts:
            ours, real = tables(name)
            assert ours == real, (name, json.dumps(files))
            learned += sum(row[0] == "isis" for row in real.values())
    assert learned > ROUTERS


def piece(number: int, style: str, *said: tuple[str, str], far: int = 10) -> dict[str, str]:
    """Four routers in a row: dog - ant - mid - cat. Dog and ant are of level 1, cat is in another
    area, and `said` are lines of the process: (router, line)."""
    links = {"dog": {"eth1": 2}, "ant": {"eth1": 1, "eth2": 2}, "mid": {"eth1": 1, "eth2": 3}}
    links["cat"] = {"eth1": 3}
    out = {}
    for host, (name, ports) in enumerate(links.items(), 1):
        area, kind = ("0002", []) if name == "cat" else ("0001", [])
        if name in ("dog", "ant"):
            kind = [" is-type level-1"]
        lines = [
            f"ip route 10.88.{number}.0/24 blackhole" if name == "dog" else "!",
            f"ipv6 route fd88:{number}::/32 blackhole" if name == "dog" else "!",
        ]
        for port, link in ports.items():
            cost = far if link == 2 else 10
            lines += [
                f"interface {port}",
                f" ip address 10.{number}.{link}.{host}/24",
                " ip router isis x",
                f" ipv6 address fd00:{number}:{link}::{host}/64",
                " ipv6 router isis x",
                f" isis metric {cost}",
                " isis network point-to-point",
                "exit",
            ]
        own = [f" {line}" for router, line in said if router == name]
        process = [f" net 49.{area}.0000.0000.{host:04}.00", f" metric-style {style}", *kind, *own]
        out[f"{name}{number}"] = "\n".join([*lines, "router isis x", *process, "exit", ""])
    return out


ALWAYS = "default-information originate ipv4 level-1 always metric 7"
PIECES = [
    # An announced default against that towards other areas, which is nearer, or farther.
    piece(1, "wide", ("mid", ALWAYS)),
    piece(2, "wide", ("dog", ALWAYS), far=50),
    piece(3, "transition", ("dog", ALWAYS), far=50),
    piece(4, "narrow", ("dog", ALWAYS), far=50),
    # One's own in level 1 hides that of level 2.
    piece(5, "wide", ("mid", ALWAYS), ("cat", ALWAYS.replace("level-1", "level-2"))),
    # Narrow metrics: IPv6 from elsewhere is announced and not used.
    piece(6, "narrow", *(("dog", f"redistribute {f} static level-1") for f in ("ipv4", "ipv6"))),
]


def test_defaults_and_what_comes_from_elsewhere() -> None:
    texts = {name: text for made in PIECES for name, text in made.items()}
    links: Links = []
    for number in range(1, len(PIECES) + 1):
        dog, ant, mid, cat = (f"{name}{number}" for name in ("dog", "ant", "mid", "cat"))
        links.append((dog, "eth1", ant, "eth2"))
        links += [(ant, "eth1", mid, "eth1"), (mid, "eth2", cat, "eth1")]
    with Lab(texts, {}, links, tag=f"v{os.getpid()}") as lab:
        lab.settle(quiet=10, least=50)
        files = {"topology.json": wired(*links)}
        for name in texts:
            files[f"devices/{name}/frr.conf"] = lab.running(name)
            files[f"devices/{name}/ip-addr.json"] = lab.addresses(name)
        survey = compute(files)
        pairs = [(name, family) for name in texts for family in (4, 6)]

        def tables(pair: tuple[str, int]) -> tuple[Table, Table]:
            """Ours and the real one."""
            name, family = pair
            return our_table(survey, name, f"ipv{family}"), real_entries(lab.table(name, family))

        lab.until(lambda: all(ours == real for ours, real in map(tables, pairs)))
        for pair in pairs:
            ours, real = tables(pair)
            assert ours == real, (pair, files[f"devices/{pair[0]}/frr.conf"])
        assert tables(("ant1", 4))[1]["0.0.0.0/0"][1] == 17
        assert tables(("ant4", 4))[1]["0.0.0.0/0"][1] == 10


def test_a_route_map_below_the_line_that_names_it_permits_nothing_after_a_start() -> None:
    named = "route-map OUT permit 10\n set metric 30\nexit\n"
    texts, links = {}, []
    for number, above in ((1, True), (2, False)):
        made = piece(number, "wide", ("dog", "redistribute ipv4 static level-1 route-map OUT"))
        dog = made[f"dog{number}"]
        texts[f"dog{number}"] = named + dog if above else dog + named
        texts[f"ant{number}"] = made[f"ant{number}"]
        links.append((f"dog{number}", "eth1", f"ant{number}", "eth2"))
    with Lab(texts, {}, links, tag=f"w{os.getpid()}") as lab:
        lab.settle(quiet=10, least=50)
        lab.until(lambda: "10.88.1.0/24" in real_entries(lab.table("ant1", 4)))
        assert real_entries(lab.table("ant1", 4))["10.88.1.0/24"][1] == 40
        assert "10.88.2.0/24" not in real_entries(lab.table("ant2", 4))
        # The router shows both texts alike, whatever was first: so it is not certain.
        shown = lab.running("dog1")
        assert shown.index("redistribute ipv4 static") < shown.index("route-map OUT permit")
