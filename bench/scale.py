#!/usr/bin/env python3
"""How long whole questions take on large surveys, as ratios to a floor, with peak memory.

    .venv/bin/python bench/scale.py SURVEY... [--floor FLOOR.py] [--out FILE] [--against FILE]

Each command is a process of its own: processor time and peak memory are the child's. The floor
is a program that computes the same verdicts without a product around them; it is called as
`FLOOR.py e2e SURVEY` and run beside every survey, so that the ratio means the same on any machine.
With `--against` an earlier `--out` is set beside the new numbers.
"""

from __future__ import annotations

import argparse
import json
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "src"))

from trochos.core.readers.survey import read_survey
from trochos.core.survey import Computed
from trochos.core.whole.sweep import links_of

ROOT = Path(__file__).resolve().parents[1]
KEY = b"bench" * 7


def child(command: list[str]) -> tuple[float, float]:
    """(seconds of processor time, peak MB) of one command."""
    env = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    with tempfile.TemporaryFile() as sink:
        process = subprocess.Popen(command, stdout=sink, stderr=sink, env=env)
        _, status, used = os.wait4(process.pid, 0)
        process.returncode = os.waitstatus_to_exitcode(status)
        if process.returncode not in (0, 1):  # 1: the complaint is true
            sink.seek(0)
            raise SystemExit(f"{' '.join(command)} failed:\n{sink.read().decode()[-2000:]}")
    return used.ru_utime + used.ru_stime, used.ru_maxrss / 1024


def kept(folder: Path) -> dict[str, float]:
    """Seconds of questions to a survey whose tables and verdicts are there."""
    files = {str(p.relative_to(folder)): p.read_bytes() for p in folder.rglob("*") if p.is_file()}
    survey = Computed(read_survey(files, KEY))
    survey.reach.summary()
    names = [d.name for d in survey.network.devices]
    down = links_of(survey.network)[len(names) // 3]
    one = time.process_time()
    survey.path(names[3], names[-4]).as_json()
    two = time.process_time()
    effect = survey.rehearse((down,)).effect
    effect.counts()
    three = time.process_time()
    return {"one path, kept": two - one, "one link down, all pairs compared": three - two}


def measure(folder: Path, floor: Path | None) -> dict[str, dict[str, float]]:
    names = sorted(p.name for p in (folder / "devices").iterdir())
    ours = [sys.executable, "-m", "trochos.cli"]
    asked = {
        "reach --summary": [*ours, "reach", str(folder), "--summary"],
        "routes of one device": [*ours, "routes", str(folder), "--device", names[1], "--json"],
        "path": [*ours, "path", str(folder), names[1], names[-2]],
        "inspect": [*ours, "inspect", str(folder), "--json"],
    }
    rows: dict[str, dict[str, float]] = {}
    if floor is not None:
        seconds, peak = child([sys.executable, str(floor), "e2e", str(folder)])
        rows["floor"] = {"s": seconds, "MB": peak}
    for name, command in asked.items():
        seconds, peak = child(command)
        rows[name] = {"s": seconds, "MB": peak}
    rows |= {name: {"s": seconds} for name, seconds in kept(folder).items()}
    base = rows.get("floor", {}).get("s")
    for name, row in rows.items():
        if base and name != "floor":
            row["times the floor"] = row["s"] / base
    return rows


def main() -> int:
    parser = argparse.ArgumentParser(description=(__doc__ or "").splitlines()[0])
    parser.add_argument("surveys", nargs="+", type=Path)
    parser.add_argument("--floor", type=Path)
    parser.add_argument("--out", type=Path)
    parser.add_argument("--against", type=Path)
    options = parser.parse_args()
    earlier = json.loads(options.against.read_text()) if options.against else {}
    out = {}
    for folder in options.surveys:
        rows = out[folder.name] = measure(folder, options.floor)
        print(f"\n{folder.name}")
        for name, row in rows.items():
            line = f"  {name:36}{row['s']:8.3f} s"
            line += f"{row['MB']:8.0f} MB" if "MB" in row else " " * 11
            line += f"{row['times the floor']:8.1f}x" if "times the floor" in row else ""
            before = earlier.get(folder.name, {}).get(name)
            line += f"   (before {before['s']:.3f} s)" if before else ""
            print(line, flush=True)
    if options.out:
        options.out.write_text(json.dumps(out, indent=1))
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
