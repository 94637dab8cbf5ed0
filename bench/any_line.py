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
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT / "src"), str(ROOT / "tests"), str(ROOT / "demo")]

from faults import faults, try_fault, try_two  # noqa: E402
from surveys import bare  # noqa: E402


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
    for folder in sorted((ROOT / "tests" / "cases").glob("*-00")):
        if options.nets and folder.name.split("-")[0] not in options.nets:
            continue
        healthy = bare(folder / "survey")
        mine = good = 0
        if options.pairs:
            rng = random.Random(options.seed)
            every = list(itertools.islice(faults(healthy, rng), 60))
            couples = list(itertools.combinations(every, 2))
            rng.shuffle(couples)
            for couple in couples:
                if mine >= options.each:
                    break
                started = time.perf_counter()
                found = try_two(healthy, couple)
                if found is None:
                    continue
                slowest = max(slowest, time.perf_counter() - started)
                mine += 1
                good += found[0]
                if options.v and not found[0]:
                    print(f"{folder.name} {couple} {found}")
            print(f"{folder.name}: {good} of {mine}")
            hits, total = hits + good, total + mine
            continue
        for fault in faults(healthy, random.Random(options.seed)):
            if mine >= options.each:
                break
            started = time.perf_counter()
            outcome = try_fault(healthy, fault)
            if outcome is None:
                continue
            slowest = max(slowest, time.perf_counter() - started)
            mine += 1
            good += outcome.hit
            lines += outcome.line
            if options.v and not outcome.hit:
                print(f"{folder.name} {outcome}")
        print(f"{folder.name}: {good} of {mine}")
        hits, total = hits + good, total + mine
    about = "" if options.pairs else f", about the very line {lines}"
    rate = hits / max(1, total)
    print(f"hit rate {hits}/{total} = {rate:.0%}{about}; slowest fault {slowest:.1f} s")
    return 0


if __name__ == "__main__":
    sys.exit(main())
