#!/usr/bin/env python3
"""Mangled files and surveys for hours: nothing may raise, take too long, or lose a line.

    .venv/bin/python bench/fuzz.py files [--count 1000000] [--seed 1] [--jobs N]
    .venv/bin/python bench/fuzz.py surveys [--count 10000] [--seed 1] [--jobs N]

files: one file of a captured network or the demo, mangled by bytes or by structure, is read alone.
surveys: one to three files of a whole survey are mangled; tables, all pairs, findings, a path and a
diagnosis are computed of it, each within its time (of the processor). What is found is printed with
its seed, which alone makes it again: `--count 1 --seed SEED --jobs 1`. The exit status says whether
anything was found.
"""

from __future__ import annotations

import argparse
import copy
import json
import logging
import multiprocessing
import os
import random
import resource
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, TypeVar

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT / "src")]

from trochos.core.forwarding.endpoints import EndpointError  # noqa: E402
from trochos.core.survey import Computed  # noqa: E402
from trochos.local import in_time, read_folder  # noqa: E402

T = TypeVar("T")
KEY = b"k" * 32
LONGEST_S, MOST_MB = 5.0, 500
WORDS = [
    *(b"null", b"[]", b"{}", b"-1", b"1e9", b'"x"', b"\n", b"no ", b"ip route ", b"\xff\xfe"),
    *(b"::/0", b"255", b"true", b"0.0.0.0/0", b"fe80::1", b"router bgp ", b"}", b"{", b"\x00"),
]
VALUES: list[Any] = [None, True, 0, -1, 2**63, 1e300, "", "x" * 300, [], {}, [[]], {"a": {}}]


def surveys() -> list[dict[str, bytes]]:
    """Every survey of the tests and the demo."""
    cases = [path / "survey" for path in sorted((ROOT / "tests" / "cases").iterdir())]
    demo = [ROOT / "demo" / name for name in ("broken", "quay-broken")]
    return [read_folder(path) for path in [*cases, *demo]]


def by_bytes(data: bytes, rng: random.Random) -> bytes:
    """A few bytes of a file cut, dropped, doubled, put elsewhere or replaced."""
    for _ in range(rng.randint(1, 4)):
        at, length = rng.randrange(len(data) + 1), rng.randrange(40)
        match rng.randrange(6):
            case 0:
                data = data[:at]
            case 1:
                data = data[:at] + data[at + length :]
            case 2:
                data = data[:at] + rng.randbytes(rng.randrange(12)) + data[at:]
            case 3:
                data = data[: at + length] + data[at:]
            case 4:
                data = data[at:] + data[:at]
            case _:
                data = data[:at] + rng.choice(WORDS) + data[at + length :]
    return data


def _holders(tree: Any) -> Iterator[Any]:
    if isinstance(tree, dict | list) and tree:
        yield tree
        for inner in tree.values() if isinstance(tree, dict) else tree:
            yield from _holders(inner)


def by_structure(data: bytes, rng: random.Random) -> bytes:
    """Values of JSON replaced, moved, doubled or taken out; words of lines likewise."""
    try:
        tree = json.loads(data)
    except ValueError:
        return _by_words(data, rng)
    for _ in range(rng.randint(1, 5)):
        holders = list(_holders(tree))
        if not holders:
            break
        holder, other = rng.choice(holders), rng.choice(holders)
        key = rng.choice(list(holder) if isinstance(holder, dict) else range(len(holder)))
        match rng.randrange(4):
            case 0:
                holder[key] = copy.deepcopy(rng.choice(VALUES))
            case 1:
                del holder[key]
            case 2 if isinstance(other, list):
                other.append(json.loads(json.dumps(holder[key])))
            case _:
                inner = rng.choice(list(other) if isinstance(other, dict) else range(len(other)))
                holder[key] = json.loads(json.dumps(other[inner]))
    return json.dumps(tree, indent=rng.choice([None, 1])).encode()


def _by_words(data: bytes, rng: random.Random) -> bytes:
    lines = data.decode("utf-8", "replace").split("\n")
    for _ in range(rng.randint(1, 5)):
        at, other = rng.randrange(len(lines)), rng.randrange(len(lines))
        words = lines[at].split(" ")
        place = rng.randrange(len(words))
        match rng.randrange(6):
            case 0:
                words[place] = rng.choice(["0", "-1", "4294967296", "999", "::1", "x" * 200, ""])
            case 1:
                del words[place]
            case 2:
                words.insert(place, rng.choice(lines[other].split(" ")))
            case 3:
                words[place] = words[place][: rng.randrange(len(words[place]) + 1)]
            case 4:
                lines.insert(other, lines[at])
                continue
            case _:
                lines[at], lines[other] = lines[other], lines[at]
                continue
        lines[at] = " ".join(words)
    return "\n".join(lines).encode()


def mangled(data: bytes, rng: random.Random) -> bytes:
    return by_bytes(data, rng) if rng.random() < 0.4 else by_structure(data, rng)


class _Broke(logging.Handler):
    """Collects what a guard caught: a raise is a raise, whatever became of it."""

    def __init__(self) -> None:
        super().__init__(logging.ERROR)
        self.said: list[str] = []

    def emit(self, record: logging.LogRecord) -> None:
        self.said.append(self.format(record)[-1500:])


def check_lines(survey: Computed, count: int) -> list[str]:
    """Every line of every file has one fate."""
    out = []
    if len(survey.survey.reading) != count:
        out.append(f"{count} files were sent, {len(survey.survey.reading)} are reported")
    for report in survey.survey.reading:
        if report.understood + report.irrelevant + len(report.unknown) != report.lines:
            out.append(f"{report.device}/{report.file}: lines are lost")
    return out


def one_file(seed: int, known: list[dict[str, bytes]]) -> list[str]:
    rng = random.Random(seed)
    path, data = rng.choice(sorted(rng.choice(known).items()))
    survey = Computed.from_files({path: mangled(data, rng)}, KEY)
    return check_lines(survey, 1)


def one_survey(seed: int, known: list[dict[str, bytes]]) -> list[str]:
    rng = random.Random(seed)
    files = dict(rng.choice(known))
    for path in rng.sample(sorted(files), min(len(files), rng.randint(1, 3))):
        files[path] = mangled(files[path], rng)
    found: list[str] = []

    def timed(what: str, answer: Callable[[], T]) -> T:
        started = time.process_time()
        out = answer()
        took = time.process_time() - started
        if took > LONGEST_S:
            found.append(f"{what} took {took:.1f} s")
        return out

    survey = timed("reading", lambda: Computed.from_files(files, KEY))
    found += check_lines(survey, len(files))
    timed("tables", lambda: json.dumps(survey.routes_json(everything=True)))
    timed("findings", lambda: json.dumps(survey.inspect_json()))
    timed("neighbours", lambda: json.dumps(survey.neighbours_json()))
    timed("all pairs", survey.reach.summary)
    names = [device.name for device in survey.network.devices]
    if len(names) > 1:
        ends = rng.sample(names, 2)
        try:
            timed("a path", lambda: survey.path(*ends))
            timed("a diagnosis", lambda: survey.diagnose(*ends, None, in_time(len(names))))
        except EndpointError:
            pass  # an end without an address, said in a sentence
    return found


def run(kind: str, seed: int, known: list[dict[str, bytes]]) -> list[str]:
    """What is wrong with one seed."""
    broke = _Broke()
    logger = logging.getLogger("trochos")
    logger.addHandler(broke)
    logger.propagate = False
    started = time.process_time()
    try:
        found = (one_file if kind == "files" else one_survey)(seed, known)
    except Exception as error:  # noqa: BLE001 - whatever it is, it is what is looked for
        found = [f"raised {type(error).__name__}: {error}"]
    finally:
        logger.removeHandler(broke)
    took = time.process_time() - started
    if kind == "files" and took > LONGEST_S:
        found.append(f"took {took:.1f} s")
    used = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    if used > MOST_MB:
        found.append(f"{used:.0f} MB were used so far")
    return found + broke.said


def _work(job: tuple[str, int, int]) -> list[tuple[int, list[str]]]:
    kind, first, count = job
    known = surveys()
    numbered = ((seed, run(kind, seed, known)) for seed in range(first, first + count))
    return [(seed, found) for seed, found in numbered if found]


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("kind", choices=["files", "surveys"])
    parser.add_argument("--count", type=int)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--jobs", type=int, default=os.cpu_count() or 1)
    options = parser.parse_args()
    count = options.count or (1_000_000 if options.kind == "files" else 10_000)
    part = 2000 if options.kind == "files" else 50
    jobs = [
        (options.kind, options.seed + first, min(part, count - first))
        for first in range(0, count, part)
    ]
    wrong, started, done = 0, time.monotonic(), 0
    # A process per part, so that memory is that of few answers.
    with multiprocessing.get_context("spawn").Pool(options.jobs, maxtasksperchild=1) as pool:
        for number, found in enumerate(pool.imap(_work, jobs)):
            done += jobs[number][2]
            for seed, said in found:
                wrong += 1
                print(f"seed {seed}: " + "; ".join(said), flush=True)
            print(
                f"{done} of {count}, {wrong} wrong, {time.monotonic() - started:.0f} s",
                file=sys.stderr,
                flush=True,
            )
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
