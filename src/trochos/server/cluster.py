"""A PostgreSQL cluster of the project's own, on loopback, started when needed.

It never touches Debian's `main` cluster. Root may not run PostgreSQL, so as root it runs
as the system user `postgres`; a cluster keeps the owner it was made by.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import json
import os
import pwd
import secrets
import shutil
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from ..local import state_directory

LONGEST_S = 180
"""Seconds for one of PostgreSQL's own tools: whoever waits for the lock waits for it as well."""


class ClusterError(Exception):
    """The database could not be started; the message says what to do."""


def binaries() -> Path:
    """Where PostgreSQL's own tools lie, the newest version's. Raises ClusterError."""
    found = sorted(
        Path("/usr/lib/postgresql").glob("*/bin"), key=lambda p: int(p.parent.name), reverse=True
    )
    if not found:
        raise ClusterError("PostgreSQL is not installed. Install the Debian package postgresql.")
    return found[0]


def unreachable(error: Exception) -> str:
    """What to say when the database does not answer, and where it was looked for."""
    from .state import database

    held = database()
    reason = str(error).strip().splitlines()[-1:] or [type(error).__name__]
    hint = (
        "Check that it runs there, and the DATABASE_ variables."
        if os.environ.get("DATABASE_HOST")
        else "Its log lies beside its data; ./trochos up starts it again."
    )
    return (
        f"The database at {held['HOST']} port {held['PORT']} does not answer: {reason[0]}. {hint}"
    )


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def _enterable_by_postgres(path: Path) -> bool:
    """True if other users may enter every folder above."""
    return all(parent.stat().st_mode & 0o001 for parent in [path, *path.parents])


def _place(state: Path) -> Path:
    """Where the cluster's data lives: with the project, or where `postgres` may enter."""
    if os.geteuid() != 0 or _enterable_by_postgres(state):
        return state / "postgres"
    name = hashlib.sha256(str(state).encode()).hexdigest()[:12]
    return Path("/var/lib/postgresql") / f"trochos-{name}"


def _run(owner: str, command: list[str]) -> subprocess.CompletedProcess[str]:
    tool = Path(command[0]).name
    me = pwd.getpwuid(os.geteuid()).pw_name
    if me != owner:
        if os.geteuid() != 0:
            raise ClusterError(
                f"The database in this folder belongs to the user {owner}. Start as {owner} or as "
                "root."
            )
        command = ["runuser", "-u", owner, "--", *command]
    try:
        return subprocess.run(
            command, cwd="/", text=True, capture_output=True, check=False, timeout=LONGEST_S
        )
    except subprocess.TimeoutExpired as error:
        raise ClusterError(
            f"PostgreSQL's {tool} took longer than {LONGEST_S} s and was given up. The machine may "
            "be too busy, or its disk full: start again once it is not."
        ) from error


@contextlib.contextmanager
def _lock(state: Path) -> Iterator[None]:
    with open(state / "cluster.lock", "w") as stream:
        os.set_inheritable(stream.fileno(), False)
        fcntl.flock(stream, fcntl.LOCK_EX)
        yield


def _answers(port: int) -> bool:
    with socket.socket() as probe:
        probe.settimeout(1)
        return probe.connect_ex(("127.0.0.1", port)) == 0


def ensure() -> dict[str, object]:
    """Makes and starts the cluster if need be; returns its port and password.

    Raises:
        ClusterError: it could not be made or started.
    """
    if os.environ.get("DATABASE_HOST"):
        return {}
    state = state_directory()
    state.mkdir(parents=True, exist_ok=True)
    settings = state / "cluster.json"
    with _lock(state):
        known: dict[str, object] = json.loads(settings.read_text()) if settings.exists() else {}
        place = Path(str(known["place"])) if "place" in known else _place(state)
        if not (place / "data").exists():
            known = _create(place)
        port = int(str(known["port"]))
        if not _is_running(place):
            if _answers(port):
                port = _free_port()
            known["port"] = port
            _start(place, port, state)
        if known != (json.loads(settings.read_text()) if settings.exists() else None):
            temporary = settings.with_suffix(".new")
            descriptor = os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
            with os.fdopen(descriptor, "w") as stream:
                json.dump(known, stream)
            temporary.rename(settings)
    return known


def _owner_of(place: Path) -> str:
    return pwd.getpwuid((place / "data").stat().st_uid).pw_name


def _create(place: Path) -> dict[str, object]:
    owner = "postgres" if os.geteuid() == 0 else pwd.getpwuid(os.geteuid()).pw_name
    password = secrets.token_urlsafe(24)
    place.mkdir(parents=True, exist_ok=True)
    if os.geteuid() == 0:
        shutil.chown(place, owner)
    # The name changes only when the cluster is complete, so a killed start leaves no half one.
    fresh = place / "data.new"
    shutil.rmtree(fresh, ignore_errors=True)
    with tempfile.NamedTemporaryFile("w", dir="/tmp", delete=False) as stream:
        stream.write(password)
    os.chmod(stream.name, 0o600)
    if os.geteuid() == 0:
        shutil.chown(stream.name, owner)
    try:
        made = _run(
            owner,
            [
                str(binaries() / "initdb"),
                "-D",
                str(fresh),
                "-U",
                "trochos",
                "-E",
                "UTF8",
                "--locale=C.UTF-8",
                "--auth=scram-sha-256",
                f"--pwfile={stream.name}",
            ],
        )
    finally:
        os.unlink(stream.name)
    if made.returncode != 0:
        raise ClusterError(f"The database could not be made: {made.stderr.strip()[-300:]}")
    fresh.rename(place / "data")
    return {"place": str(place), "password": password, "port": _free_port()}


def _is_running(place: Path) -> bool:
    status = _run(
        _owner_of(place), [str(binaries() / "pg_ctl"), "-D", str(place / "data"), "status"]
    )
    return status.returncode == 0


def _start(place: Path, port: int, state: Path) -> None:
    owner = _owner_of(place)
    log = place / "log"
    started = _run(
        owner,
        [
            str(binaries() / "pg_ctl"),
            "-D",
            str(place / "data"),
            "-w",
            "-t",
            "60",
            "-l",
            str(log),
            "-o",
            f"-p {port} -h 127.0.0.1 -k ''",
            "start",
        ],
    )
    if started.returncode != 0:
        raise ClusterError(f"The database did not start. The reason is at the end of {log}.")


def stop() -> None:
    """Stops the cluster, if it runs."""
    settings = state_directory() / "cluster.json"
    if not settings.exists():
        return
    place = Path(json.loads(settings.read_text())["place"])
    if (place / "data").exists() and _is_running(place):
        _run(
            _owner_of(place),
            [
                str(binaries() / "pg_ctl"),
                "-D",
                str(place / "data"),
                "-m",
                "fast",
                "-w",
                "stop",
            ],
        )


def require_database() -> None:
    """The database, made and started if it is the project's own, else asked whether it answers.

    Raises:
        ClusterError: it does not, and where it was looked for.
    """
    ensure_database()
    if not os.environ.get("DATABASE_HOST"):
        return
    import psycopg

    from .state import database

    held = database()
    try:
        psycopg.connect(
            host=str(held["HOST"]),
            port=str(held["PORT"]),
            dbname=str(held["NAME"]),
            user=str(held["USER"]),
            password=str(held["PASSWORD"]),
            connect_timeout=10,
        ).close()
    except (psycopg.Error, OSError) as error:
        raise ClusterError(unreachable(error)) from error


def ensure_database() -> None:
    """Makes the database `trochos` if it is not there, where it is the project's own."""
    import psycopg

    known = ensure()
    if not known:
        return
    parameters = {
        "host": "127.0.0.1",
        "port": known["port"],
        "user": "trochos",
        "password": known["password"],
    }
    for attempt in range(50):
        try:
            with psycopg.connect(**parameters, dbname="postgres", autocommit=True) as connection:  # type: ignore[arg-type]
                row = connection.execute(
                    "select 1 from pg_database where datname = 'trochos'"
                ).fetchone()
                if row is None:
                    # Another process may make it at the same moment: it is told so in two ways.
                    with contextlib.suppress(
                        psycopg.errors.DuplicateDatabase, psycopg.errors.UniqueViolation
                    ):
                        connection.execute("create database trochos")
            return
        except psycopg.OperationalError as error:
            if attempt == 49:
                raise ClusterError(f"The database does not answer: {error}") from error
            time.sleep(0.1)


if __name__ == "__main__":
    try:
        stop() if sys.argv[1:] == ["stop"] else require_database()
    except ClusterError as problem:
        sys.exit(f"trochos: {problem}")
