"""What dies or runs full costs what was in flight and nothing else: kill -9 of server, worker and
database at ten points, during uploads and diagnoses, and a disk without room."""

from __future__ import annotations

import io
import json
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
import zipfile
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Any

import httpx
import pytest
from processes import Talking
from surveys import ROOT, free_port

from trochos.local import read_folder

PATIENCE_S = 600.0
COMPLAINTS = [
    ("bridge-tablet", "yard-scale"), ("planning-desk", "skerry-kiosk"),
    ("tern-kiosk", "bridge-tablet"), ("crane-panel", "booking-db"),
    ("planning-desk", "bridge-log"), ("tern-kiosk", "booking-db"),
    ("gate-kiosk", "booking-db"), ("press", "planning-desk"),
    ("lathe", "booking-db"), ("shag-kiosk", "bank-desk"),
]  # fmt: skip


class Installation:
    """A server as `./trochos up` starts it, with workers and a database of its own."""

    def __init__(self, state: Path, log: Path) -> None:
        self.state, self.log, self.port = state, log, free_port()
        self.server: Talking | None = None
        self.client = httpx.Client(base_url=f"http://127.0.0.1:{self.port}", timeout=300)
        self.token = ""

    def start(self) -> str:
        """Starts the server; returns a link to sign in with."""
        own = {
            key: value
            for key, value in os.environ.items()
            if not key.startswith(("TROCHOS_", "DATABASE_"))
        }
        self.server = Talking(
            [sys.executable, "-m", "trochos.server.up", "--no-demo", "--port", str(self.port)],
            {**own, "TROCHOS_STATE": str(self.state), "PYTHONPATH": str(ROOT / "src")},
            self.log,
        )
        return self.server.line("Sign in once with", PATIENCE_S).split()[-1]

    def sign_in(self, link: str) -> None:
        self.client.get("/api/session")
        signed = self.client.post(
            "/api/session/link", json={"token": link.partition("#")[2]}, headers=self.headers
        )
        assert signed.status_code == 200, signed.text

    @property
    def headers(self) -> dict[str, str]:
        return {"X-CSRFToken": self.client.cookies["trochos_csrf"]}

    def get(self, path: str, **query: str) -> dict[str, Any] | None:
        """An answer; None where there is none yet: then it is a sentence, or nobody listens."""
        try:
            found = self.client.get(f"/api/{path}", params=query)
        except httpx.HTTPError:
            return None
        return self.checked(found)

    @staticmethod
    def checked(found: httpx.Response) -> dict[str, Any] | None:
        said = found.json()
        if found.status_code >= 400:
            assert said["detail"].endswith("."), said
            return None
        return dict(said)

    def upload(self, title: str) -> dict[str, Any] | None:
        try:
            sent = self.client.post(
                "/api/surveys",
                files={"files": ("survey.zip", archive(title))},
                data={"title": title},
                headers=self.headers,
            )
        except httpx.HTTPError:
            return None
        return self.checked(sent)

    def taken_in(self, sent: dict[str, Any] | None) -> dict[str, Any]:
        """The survey of an upload that was taken: at once, or once a worker has read it."""
        assert sent is not None
        if "title" in sent:
            return sent

        def there() -> dict[str, Any] | None:
            now = self.get(f"surveys/incoming/{sent['id']}")
            return now["survey"] if now is not None else None

        found: dict[str, Any] = until(there, "an upload that was taken is read in the end")
        return found

    def diagnosed(self, where: str, asked: dict[str, str]) -> dict[str, Any] | None:
        """A diagnosis, once it is there."""
        now = self.get(where, **asked)
        return now["answer"] if now is not None and now["state"] == "done" else None

    def ids(self, victim: str) -> list[int]:
        """The processes of one kind."""
        assert self.server is not None
        if victim == "server":
            return [self.server.process.pid]
        if victim == "database":
            held = next(self.state.glob("**/postmaster.pid"), None) or _elsewhere(self.state)
            return [int(held.read_text().split()[0])]
        listed = subprocess.run(
            ["pgrep", "-f", "-P", str(self.server.process.pid), "--computing"],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        return [int(text) for text in listed.stdout.split()]

    def kill(self, victim: str) -> None:
        for number in self.ids(victim):
            os.kill(number, signal.SIGKILL)
        if victim == "server" and self.server is not None:
            self.server.process.wait(30)

    def close(self) -> None:
        self.client.close()
        if self.server is not None:
            self.server.end()
        for number in self.ids("database"):
            os.kill(number, signal.SIGQUIT)
        time.sleep(1)


class Flight(threading.Thread):
    """An upload while something dies."""

    def __init__(self, run: Installation, title: str) -> None:
        super().__init__(daemon=True)
        self.run_, self.title = run, title
        self.sent: list[dict[str, Any] | None] = []

    def run(self) -> None:
        self.sent.append(self.run_.upload(self.title))


def _elsewhere(state: Path) -> Path:
    place = Path(json.loads((state / "cluster.json").read_text())["place"])
    return place / "data" / "postmaster.pid"


FILES = read_folder(ROOT / "demo" / "broken")


def archive(remark: str) -> bytes:
    """A survey that differs from others by a remark: the same one twice is one survey."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        for path, data in FILES.items():
            more = f"! {remark}\n".encode() if path == "devices/tern/frr.conf" else b""
            packed.writestr(path, more + data)
    return out.getvalue()


def until(true: Callable[[], Any], what: str) -> Any:
    end = time.monotonic() + PATIENCE_S
    while not (found := true()):
        assert time.monotonic() < end, what
        time.sleep(0.3)
    return found


@pytest.fixture
def folder() -> Iterator[Path]:
    # Where the system user that runs the database may enter, too.
    made = Path(tempfile.mkdtemp(prefix="trochos-"))
    made.chmod(0o755)
    yield made
    shutil.rmtree(made, ignore_errors=True)


def test_what_is_killed_costs_what_was_in_flight(folder: Path) -> None:
    rng = random.Random(1130)
    run = Installation(folder / "state", folder / "server.log")
    run.sign_in(run.start())
    try:
        first = run.taken_in(run.upload("the first"))
        devices, taken_in = first["devices"], {first["id"]}
        for number, (sender, receiver) in enumerate(COMPLAINTS):
            victim = ("worker", "server", "database")[number % 3]
            where = f"surveys/{first['id']}/diagnosis"
            asked = {"from": sender, "to": receiver}
            flight = Flight(run, f"no {number}")
            run.get(where, **asked)
            flight.start()
            time.sleep(rng.uniform(0, 1.2))
            run.kill(victim)
            flight.join(PATIENCE_S)
            assert not flight.is_alive(), "an upload is answered, or refused"
            if victim == "server":
                run.start()
            # By itself it goes on: who asks again is answered in the end.
            says = f"{sender} to {receiver} after the death of the {victim}"
            found = until(partial(run.diagnosed, where, asked), says)
            assert found["complete"], says
            assert found["causes"] or found["works"] == "yes", says
            taken_in |= {run.taken_in(item)["id"] for item in flight.sent if item is not None}
            listed = until(lambda: run.get("surveys"), "the list")["surveys"]
            assert taken_in <= {item["id"] for item in listed}, "what was taken in is there"
            # One that was in flight is there as a whole, or not at all.
            assert {item["devices"] for item in listed} == {devices}, victim
    finally:
        run.close()


@pytest.fixture
def small_disk(folder: Path) -> Iterator[Path]:
    place = folder / "small"
    place.mkdir()
    size = "size=420m"
    made = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", size, "tmpfs", str(place)], capture_output=True, check=False
    )
    if made.returncode != 0:
        pytest.skip("no file system can be mounted here")
    place.chmod(0o755)
    yield place
    subprocess.run(["umount", "-l", str(place)], check=False)


def test_a_full_disk_is_a_sentence_and_loses_nothing(small_disk: Path) -> None:
    run = Installation(small_disk / "state", small_disk.parent / "server.log")
    run.sign_in(run.start())
    try:
        first = run.taken_in(run.upload("the first"))
        where = f"surveys/{first['id']}"
        asked = {"from": "bridge-tablet", "to": "yard-scale"}
        until(partial(run.diagnosed, f"{where}/diagnosis", asked), "a diagnosis")
        filler = small_disk / "filler"
        with open(filler, "wb", buffering=0) as stream:
            try:
                while True:
                    stream.write(b"x" * (1 << 20))
            except OSError:
                pass
        # What was computed is still told; what needs room is refused in words, or just done.
        assert run.get(f"{where}/path", **asked) is not None
        refused = [run.upload(f"no {number}") for number in range(6)]
        assert None in refused, "the disk was not full"
        filler.unlink()
        until(lambda: run.get("surveys"), "the list")
        later = run.taken_in(
            until(lambda: run.upload("the last"), "an upload once there is room again")
        )
        listed = run.get("surveys")
        assert listed is not None
        there = {item["id"] for item in listed["surveys"]}
        taken = [item for item in refused if item is not None and "title" in item]
        assert {first["id"], later["id"], *(item["id"] for item in taken)} <= there
        other = {"from": "planning-desk", "to": "skerry-kiosk"}
        until(partial(run.diagnosed, f"{where}/diagnosis", other), "a diagnosis afterwards")
    finally:
        run.close()
