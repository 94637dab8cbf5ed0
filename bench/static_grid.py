#!/usr/bin/env python3
"""How long a large network of static routes takes, as ratios within one run.

    .venv/bin/python bench/static_grid.py [--routers 200] [--prefixes 1000]

A grid of routers, each with loopback and LANs, and on every router one static route per
prefix towards its owner, with equal-cost pairs. Each stage is measured against a plain
pass over the same text (splitting every line into words), so that the numbers mean the
same on every machine.
"""

from __future__ import annotations

import argparse
import json
import resource
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "src"))

from trochos.core.survey import Computed


def grid(routers: int, prefixes: int) -> dict[str, bytes]:
    """The survey's files: FRR texts and the wiring of a grid of routers."""
    width = max(2, int(routers**0.5))
    names = [f"r{i:04d}" for i in range(routers)]
    ports: list[list[str]] = [[] for _ in names]
    near: list[list[tuple[int, str]]] = [[] for _ in names]
    links = []
    number = 0
    for i in range(routers):
        for j in (i + 1 if (i + 1) % width else -1, i + width):
            if not 0 <= j < routers:
                continue
            base = (10 << 24 | 128 << 16) + 4 * number
            number += 1
            a, b = _dotted(base + 1), _dotted(base + 2)
            pa, pb = f"eth{len(ports[i])}", f"eth{len(ports[j])}"
            ports[i].append(f"interface {pa}\n ip address {a}/30\nexit\n!")
            ports[j].append(f"interface {pb}\n ip address {b}/30\nexit\n!")
            near[i].append((j, b))
            near[j].append((i, a))
            links.append((names[i], pa, names[j], pb))
    owner = [p % routers for p in range(prefixes)]
    nets = [_dotted((10 << 24) + 256 * (p + 1)) for p in range(prefixes)]
    for p, net in enumerate(nets):
        own = ports[owner[p]]
        own.append(f"interface lan{len(own)}\n ip address {net[:-1]}1/24\nexit\n!")

    def distance(i: int, j: int) -> int:
        return abs(i % width - j % width) + abs(i // width - j // width)

    files: dict[str, bytes] = {}
    for i, name in enumerate(names):
        lines = ["frr version 8.4.4", "frr defaults traditional", f"hostname {name}", "!"]
        ways: dict[int, list[str]] = {}
        for p, net in enumerate(nets):
            goal = owner[p]
            if goal == i:
                continue
            if goal not in ways:
                ways[goal] = [a for j, a in near[i] if distance(j, goal) < distance(i, goal)]
            lines += [f"ip route {net}/24 {a}" for a in ways[goal]]
        files[f"devices/{name}/frr.conf"] = "\n".join([*lines, "!", *ports[i], "end", ""]).encode()
    files["topology.json"] = json.dumps(
        {
            "ietf-network:networks": {
                "network": [
                    {
                        "network-id": "grid",
                        "node": [{"node-id": name} for name in names],
                        "ietf-network-topology:link": [
                            {
                                "link-id": f"{a}{ap}",
                                "source": {"source-node": a, "source-tp": ap},
                                "destination": {"dest-node": b, "dest-tp": bp},
                            }
                            for a, ap, b, bp in links
                        ],
                    }
                ]
            }
        }
    ).encode()
    return files


def _dotted(value: int) -> str:
    return ".".join(str(value >> shift & 255) for shift in (24, 16, 8, 0))


def measure(routers: int, prefixes: int) -> dict[str, float]:
    """Seconds per stage, the yardstick first."""
    files = grid(routers, prefixes)
    out: dict[str, float] = {}

    def stage(name: str, work) -> object:  # type: ignore[no-untyped-def]
        start = time.perf_counter()
        result = work()
        out[name] = time.perf_counter() - start
        return result

    stage(
        "split every line",
        lambda: [[line.split() for line in text.decode().split("\n")] for text in files.values()],
    )
    survey = stage("read", lambda: Computed.from_files(files, b"bench"))
    assert isinstance(survey, Computed)
    stage("tables", lambda: survey.tables)
    stage("forwarding view", lambda: survey.forwarding)
    stage("verdicts of all pairs", lambda: survey.reach)
    stage("summary", lambda: survey.reach.summary())
    first, last = survey.network.devices[0].name, survey.network.devices[-1].name
    stage("one path", lambda: survey.path(first, last))
    stage("findings", lambda: survey.findings)
    return out


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--routers", type=int, default=200)
    options.add_argument("--prefixes", type=int, default=1000)
    chosen = options.parse_args()
    times = measure(chosen.routers, chosen.prefixes)
    yardstick = times["split every line"]
    for name, seconds in times.items():
        print(f"{name:24s} {seconds * 1000:9.1f} ms   {seconds / yardstick:8.2f} x")
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"peak memory              {peak:9.0f} MB")


if __name__ == "__main__":
    main()
