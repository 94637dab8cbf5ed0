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
