#!/usr/bin/env python3
"""How often the first suspect is the fault that was put in.

    .venv/bin/python bench/any_line.py [--each 40] [--seed 1] [--pairs] [-v] [NET ...]

Takes the healthy captured networks, changes one line of one router at a time, and where that
breaks a pair of hosts diagnoses it. A hit: the first suspect names the changed device, is
proven, heals every pair that broke, and breaks none. Counted beside it: whether it is about the
very line, or the same statement with other numbers. With --pairs two faults at once, on two
devices, of which each alone breaks the same pair of hosts; a hit is a cure of both.
"""

from __future__ import annotations

import argparse
import itertools
import random
import sys
import time
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT / "src"), str(ROOT / "tests"), str(ROOT / "demo")]

from faults import faults, try_fault, try_two  # noqa: E402
from surveys import bare  # noqa: E402

from trochos.core.survey import Computed  # noqa: E402

Attempt = tuple[bool, bool, object, float]
"""Whether the first suspect is the fault, whether it is about the very line, what it is, and the
seconds that it took."""


def one_at_a_time(healthy: Computed, rng: random.Random) -> Iterator[Attempt]:
    """Every fault that breaks something."""
    for fault in faults(healthy, rng):
        started = time.perf_counter()
        outcome = try_fault(healthy, fault)
        if outcome is not None:
            yield outcome.hit, outcome.line, outcome, time.perf_counter() - started


def two_at_once(healthy: Computed, rng: random.Random) -> Iterator[Attempt]:
    """Every two faults that each break the same pair of hosts."""
    couples = list(itertools.combinations(itertools.islice(faults(healthy, rng), 60), 2))
    rng.shuffle(couples)
    for couple in couples:
        started = time.perf_counter()
        found = try_two(healthy, couple)
        if found is not None:
            yield found[0], False, (couple, found), time.perf_counter() - started


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("nets", nargs="*")
    parser.add_argument("--each", type=int, default=40, help="faults that break something, per net")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--pairs", action="store_true", help="two faults at once")
    parser.add_argument("-v", action="store_true")
    options = parser.parse_args()
    hits = total = lines = 0
    slowest = 0.0
    attempts = two_at_once if options.pairs else one_at_a_time
    for folder in sorted((ROOT / "tests" / "cases").glob("*-00")):
        if options.nets and folder.name.split("-")[0] not in options.nets:
            continue
        mine = good = 0
        healthy = bare(folder / "survey")
        for hit, line, what, seconds in attempts(healthy, random.Random(options.seed)):
            slowest = max(slowest, seconds)
            mine, good, lines = mine + 1, good + hit, lines + line
            if options.v and not hit:
                print(f"{folder.name} {what}")
            if mine >= options.each:
                break
        print(f"{folder.name}: {good} of {mine}")
        hits, total = hits + good, total + mine
    about = "" if options.pairs else f", about the very line {lines}"
    rate = hits / max(1, total)
    print(f"hit rate {hits}/{total} = {rate:.0%}{about}; slowest fault {slowest:.1f} s")
    return 0


if __name__ == "__main__":
    sys.exit(main())
