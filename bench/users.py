#!/usr/bin/env python3
"""What many people at once wait for, at a server that runs.

    ./trochos up                                     (in another terminal; it prints a sign-in link)
    .venv/bin/python bench/users.py LINK [--users 20] [--seconds 30] [--survey ID ...]
        [--upload ARCHIVE] [--diagnoses N]

Every user asks for something else each second: the case list, a path, findings, the map, a device,
on the surveys that are named (all that are stored, if none is). `--upload` sends a survey after a
third of the time, and `--diagnoses` asks for that many diagnoses at once; what the others wait for
meanwhile is told apart. Times are from question to the last byte, as the users see them.
"""

from __future__ import annotations

import argparse
import asyncio
import json
import random
import re
import time
from collections import defaultdict
from pathlib import Path

import httpx


class Bench:
    def __init__(self, link: str) -> None:
        self.base, _, self.token = link.partition("/sign-in#")
        self.times: dict[str, list[float]] = defaultdict(list)
        self.errors: list[str] = []
        self.busy = False

    async def sign_in(self, client: httpx.AsyncClient) -> None:
        await client.get("/api/session")
        answer = await client.post(
            "/api/session/link", json={"token": self.token}, headers=self.proof(client)
        )
        answer.raise_for_status()

    def proof(self, client: httpx.AsyncClient) -> dict[str, str]:
        """What a page of the server's own sends along."""
        token = next((c.value for c in client.cookies.jar if "csrf" in c.name.lower()), "")
        return {"X-CSRFToken": token or "", "Origin": self.base, "Referer": f"{self.base}/"}

    async def ask(self, client: httpx.AsyncClient, what: str, url: str) -> httpx.Response | None:
        began = time.perf_counter()
        try:
            answer = await client.get(url)
        except httpx.HTTPError as error:
            self.errors.append(f"{what}: {type(error).__name__}")
            return None
        self.times[f"{what}{' (busy)' if self.busy else ''}"].append(time.perf_counter() - began)
        if answer.status_code != 200:
            self.errors.append(f"{what}: {answer.status_code} {answer.text[:80]}")
        return answer

    async def user(self, client: httpx.AsyncClient, surveys: list[dict], until: float) -> None:
        dice = random.Random()
        await asyncio.sleep(dice.random())
        while time.perf_counter() < until:
            survey = dice.choice(surveys)
            at = f"/api/surveys/{survey['id']}"
            one, other = dice.sample(survey["devices"], 2)
            what, url = dice.choice(
                [
                    ("case list", f"{at}/cases"),
                    ("path", f"{at}/path?from={one}&to={other}"),
                    ("findings", f"{at}/findings"),
                    ("map", f"{at}/map"),
                    ("device", f"{at}/devices/{one}"),
                ]
            )
            await self.ask(client, what, url)
            await asyncio.sleep(1)


def percentile(times: list[float], share: float) -> float:
    return sorted(times)[min(len(times) - 1, int(share * len(times)))]


async def run(options: argparse.Namespace) -> dict[str, object]:
    bench = Bench(options.link)
    limits = httpx.Limits(max_connections=options.users + 40)
    async with httpx.AsyncClient(base_url=bench.base, timeout=180, limits=limits) as client:
        await bench.sign_in(client)
        listed = (await client.get("/api/surveys")).json()["surveys"]
        surveys = []
        for survey in listed:
            if options.survey and survey["id"] not in options.survey:
                continue
            found = (await client.get(f"/api/surveys/{survey['id']}/devices")).json()["devices"]
            names = [d["name"] for d in found if d["role"] in ("router", "host")]
            await client.get(f"/api/surveys/{survey['id']}/findings")
            surveys.append({"id": survey["id"], "devices": names})
        until = time.perf_counter() + options.seconds
        users = [bench.user(client, surveys, until) for _ in range(options.users)]
        extra = (
            [_load(bench, client, surveys, options)] if options.upload or options.diagnoses else []
        )
        await asyncio.gather(*users, *extra)
    every = [t for name, ts in bench.times.items() for t in ts if not name.endswith("(busy)")]
    busy = [t for name, ts in bench.times.items() for t in ts if name.endswith("(busy)")]
    return {
        "users": options.users,
        "questions": len(every) + len(busy),
        "errors": len(bench.errors),
        "examples": bench.errors[:5],
        "p50_ms": round(1000 * percentile(every, 0.5)) if every else None,
        "p95_ms": round(1000 * percentile(every, 0.95)) if every else None,
        "busy_p95_ms": round(1000 * percentile(busy, 0.95)) if busy else None,
        "by_kind_p95_ms": {
            n: round(1000 * percentile(t, 0.95)) for n, t in sorted(bench.times.items())
        },
        "private_MB": _server_memory(bench.base),
    }


async def _load(
    bench: Bench, client: httpx.AsyncClient, surveys: list[dict], options: argparse.Namespace
) -> None:
    await asyncio.sleep(options.seconds / 3)
    bench.busy = True
    work = []
    if options.upload:
        data = Path(options.upload).read_bytes()
        files = {"files": (Path(options.upload).name, data)}
        work.append(client.post("/api/surveys", files=files, headers=bench.proof(client)))
    dice = random.Random(5)
    for _ in range(options.diagnoses):
        survey = dice.choice(surveys)
        one, other = dice.sample(survey["devices"], 2)
        work.append(client.get(f"/api/surveys/{survey['id']}/diagnosis?from={one}&to={other}"))
    for answer in await asyncio.gather(*work):
        if answer.status_code >= 500:
            bench.errors.append(f"work: {answer.status_code} {answer.text[:80]}")


def _server_memory(base: str) -> int | None:
    """Private memory of the server's process on this machine, in MB."""
    port = re.search(r":(\d+)$", base)
    for folder in Path("/proc").iterdir():
        if not folder.name.isdigit() or port is None:
            continue
        try:
            command = (folder / "cmdline").read_text().split("\0")
            if "trochos.server.up" not in command:
                continue
            text = (folder / "smaps_rollup").read_text()
        except OSError:
            continue
        return sum(int(n) for n in re.findall(r"^Private_\w+:\s+(\d+)", text, re.M)) >> 10
    return None


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0] if __doc__ else None)
    parser.add_argument("link")
    parser.add_argument("--users", type=int, default=20)
    parser.add_argument("--seconds", type=float, default=30)
    parser.add_argument("--survey", type=int, nargs="*", default=[])
    parser.add_argument("--upload")
    parser.add_argument("--diagnoses", type=int, default=0)
    print(json.dumps(asyncio.run(run(parser.parse_args())), indent=1))


if __name__ == "__main__":
    main()
