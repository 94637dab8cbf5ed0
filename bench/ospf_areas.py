#!/usr/bin/env python3
"""How long a large OSPF network takes, as a ratio to the compiled shortest-path routine.

    .venv/bin/python bench/ospf_areas.py [--routers 200] [--prefixes 800]

A backbone ring with chords, and areas of about thirty routers, each hung on two borders of
the backbone. Every router has a loopback and LANs. The yardstick is SciPy's shortest-path
routine, run once on the graph of each area, in the same process.
"""

from __future__ import annotations

import argparse
import json
import random
import sys
import time
from pathlib import Path

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import dijkstra

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "src"))

from trochos.core.protocols.ospf.speakers import OspfSpeakers
from trochos.core.survey import Computed

IN_AREA = 30


class Network:
    """Texts and cables in the making."""

    def __init__(self, seed: int) -> None:
        self.rng = random.Random(seed)
        self.ports: dict[str, list[str]] = {}
        self.links: list[tuple[str, str, str, str]] = []
        self.number = 0

    def router(self, name: str, area: int) -> None:
        address = _dotted(0x0AFF0000 + len(self.ports) + 1)
        self.ports[name] = [f"interface lo\n ip address {address}/32\n ip ospf area {area}\nexit"]

    def connect(self, a: str, b: str, area: int) -> None:
        base = 0x0A800000 + 4 * self.number
        self.number += 1
        ends = []
        for name, host in ((a, 1), (b, 2)):
            port = f"eth{len(self.ports[name])}"
            cost = self.rng.choice([5, 10, 10, 20])
            self.ports[name].append(
                f"interface {port}\n ip address {_dotted(base + host)}/30\n ip ospf area {area}\n"
                f" ip ospf cost {cost}\n ip ospf network point-to-point\nexit"
            )
            ends.append((name, port))
        self.links.append((ends[0][0], ends[0][1], ends[1][0], ends[1][1]))

    def lan(self, name: str, area: int, number: int) -> None:
        port = f"lan{len(self.ports[name])}"
        self.ports[name].append(
            f"interface {port}\n ip address {_dotted(0x0A000000 + 256 * number + 1)}/24\n"
            f" ip ospf area {area}\n ip ospf passive\nexit"
        )


def make(routers: int, prefixes: int, seed: int = 1) -> dict[str, bytes]:
    """The survey's files."""
    net = Network(seed)
    areas = max(1, round(routers / IN_AREA))
    backbone = [f"core{i}" for i in range(2 * areas)]
    home: dict[str, int] = {}
    for name in backbone:
        net.router(name, 0)
        home[name] = 0
    for i, name in enumerate(backbone):
        net.connect(name, backbone[(i + 1) % len(backbone)], 0)
        if i % 3 == 0 and len(backbone) > 6:
            net.connect(name, backbone[(i + len(backbone) // 2) % len(backbone)], 0)
    rest = routers - len(backbone)
    for area in range(1, areas + 1):
        count = rest // areas + (area <= rest % areas)
        names = [f"a{area}r{i}" for i in range(count)]
        borders = backbone[2 * area - 2 : 2 * area]
        for i, name in enumerate(names):
            net.router(name, area)
            home[name] = area
            if i < 2:
                net.connect(borders[i], name, area)
            else:
                for other in net.rng.sample(names[:i], min(i, 2 if i % 2 else 1)):
                    net.connect(other, name, area)
    everyone = list(home)
    for number in range(max(0, prefixes - routers - net.number)):
        name = everyone[number % len(everyone)]
        net.lan(name, home[name], number)
    files = {
        f"devices/{name}/frr.conf": (
            "frr version 8.4.4\n" + "\n".join(parts) + "\nrouter ospf\nexit\n"
        ).encode()
        for name, parts in net.ports.items()
    }
    files["topology.json"] = _wiring(net).encode()
    return files


def _dotted(value: int) -> str:
    return ".".join(str(value >> shift & 255) for shift in (24, 16, 8, 0))


def _wiring(net: Network) -> str:
    return json.dumps(
        {
            "ietf-network:networks": {
                "network": [
                    {
                        "network-id": "bench",
                        "node": [{"node-id": name} for name in net.ports],
                        "ietf-network-topology:link": [
                            {
                                "link-id": f"{a}{ap}",
                                "source": {"source-node": a, "source-tp": ap},
                                "destination": {"dest-node": b, "dest-tp": bp},
                            }
                            for a, ap, b, bp in net.links
                        ],
                    }
                ]
            }
        }
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--routers", type=int, default=200)
    parser.add_argument("--prefixes", type=int, default=800)
    options = parser.parse_args()
    files = make(options.routers, options.prefixes)
    started = time.perf_counter()
    survey = Computed.from_files(files, b"bench")
    read = time.perf_counter()
    tables = survey.tables
    done = time.perf_counter()
    (speakers,) = [s for s in tables.speakers if isinstance(s, OspfSpeakers)]
    bare = 0.0
    for graph in speakers.domain.graphs.values():
        rows = np.array([edge.start for edge in graph.edges])
        columns = np.array([edge.end for edge in graph.edges])
        costs = np.array([float(edge.cost) for edge in graph.edges])
        shape = (len(graph.nodes), len(graph.nodes))
        before = time.perf_counter()
        dijkstra(csr_array((costs, (rows, columns)), shape=shape))
        bare += time.perf_counter() - before
    routes = sum(len(table.best) for table in tables.tables.values())
    prefixes = {p for (_, family), t in tables.tables.items() if family == 4 for p in t.best}
    print(f"{options.routers} routers, {len(prefixes)} prefixes, {routes} routes")
    print(f"read    {read - started:6.2f} s")
    print(f"tables  {done - read:6.2f} s, {(done - read) / bare:6.0f} x the bare shortest paths")
    print(f"        {(done - read) / routes * 1e6:6.1f} us a route")


if __name__ == "__main__":
    main()
