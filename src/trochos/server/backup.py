"""`./trochos backup` and `./trochos restore`: the database and the installation's keys, together.

One without the other is worth little: sealed credentials open under the vault's key alone, and
fingerprints of secrets compare under one key only. A backup is a .tar with a dump as PostgreSQL's
own tools write it (`database.dump`), the keys, and `backup.json` that says when and of what.
"""

from __future__ import annotations

import argparse
import io
import json
import os
import subprocess
import sys
import tarfile
import tempfile
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from ..local import state_directory
from .cluster import ClusterError, binaries, require_database

KEYS = ("django.key", "fingerprint.key", "vault.key")
FORMAT = 1


class BackupError(Exception):
    """It could not be done; the message says why and what to do."""


def _database() -> dict[str, str]:
    """The variables that PostgreSQL's tools take, of the database that the server uses."""
    from .state import database

    held = database()
    return {
        "PGHOST": str(held["HOST"]),
        "PGPORT": str(held["PORT"]),
        "PGDATABASE": str(held["NAME"]),
        "PGUSER": str(held["USER"]),
        "PGPASSWORD": str(held["PASSWORD"]),
    }


def _tool(name: str, *arguments: str) -> None:
    done = subprocess.run(
        [str(binaries() / name), *arguments],
        env={**os.environ, **_database()},
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode != 0:
        said = done.stderr.strip().splitlines()
        raise BackupError(f"{name} failed: {said[-1] if said else 'no reason given'}")


def backup(target: Path) -> dict[str, Any]:
    """Writes a backup; it is there whole or not at all.

    Raises:
        BackupError: the database cannot be read, or the file cannot be written.
    """
    about = {"format": FORMAT, "made_at": datetime.now(UTC).isoformat(timespec="seconds")}
    half = target.with_name(target.name + ".part")
    try:
        with tempfile.TemporaryDirectory() as folder:
            dump = Path(folder) / "database.dump"
            _tool("pg_dump", "--format=custom", "--no-owner", "--no-privileges", f"--file={dump}")
            descriptor = os.open(half, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
            with os.fdopen(descriptor, "wb") as stream, tarfile.open(None, "w", stream) as out:
                held = [key for key in KEYS if (state_directory() / key).exists()]
                data = json.dumps({**about, "keys": held}, indent=1).encode()
                entry = tarfile.TarInfo("backup.json")
                entry.size, entry.mode = len(data), 0o600
                out.addfile(entry, io.BytesIO(data))
                out.add(dump, "database.dump")
                for key in held:
                    out.add(state_directory() / key, f"keys/{key}")
        half.rename(target)
    except OSError as error:
        half.unlink(missing_ok=True)
        raise BackupError(f"{target} cannot be written: {error.strerror}.") from error
    return {**about, "keys": held}


def restore(source: Path, replace: bool = False) -> dict[str, Any]:
    """Puts a backup in the place of this installation's database and keys.

    Args:
        source: the file.
        replace: also where there are surveys or other keys already, which are lost then.

    Raises:
        BackupError: the file is no backup, or something is here and `replace` was not said.
    """
    with tempfile.TemporaryDirectory() as folder:
        about = _unpacked(source, Path(folder))
        if not replace:
            _refuse_to_lose(Path(folder))
        state = state_directory()
        state.mkdir(parents=True, exist_ok=True)
        # The database first: should it fail, the keys still fit to what is there.
        _tool(
            "pg_restore",
            "--clean",
            "--if-exists",
            "--no-owner",
            "--no-privileges",
            "--single-transaction",
            f"--dbname={_database()['PGDATABASE']}",
            str(Path(folder) / "database.dump"),
        )
        for key in about["keys"]:
            held = state / (key + ".part")
            descriptor = os.open(held, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
            with os.fdopen(descriptor, "wb") as stream:
                stream.write((Path(folder) / key).read_bytes())
            held.rename(state / key)
    return about


def _unpacked(source: Path, folder: Path) -> dict[str, Any]:
    try:
        with tarfile.open(source, "r:") as archive:
            names = {m.name: m for m in archive.getmembers() if m.isfile()}
            about: dict[str, Any] = json.loads(archive.extractfile(names["backup.json"]).read())  # type: ignore[union-attr]
            if about["format"] != FORMAT or not set(about["keys"]) <= set(KEYS):
                raise BackupError(f"{source} is a backup of another kind than this program makes.")
            for name, to in {
                "database.dump": "database.dump",
                **{f"keys/{key}": key for key in about["keys"]},
            }.items():
                held = archive.extractfile(names[name])
                assert held is not None
                with open(folder / to, "wb") as stream:
                    while block := held.read(1 << 20):
                        stream.write(block)
    except OSError as error:
        raise BackupError(f"{source} cannot be read: {error.strerror or error}.") from error
    except (tarfile.TarError, KeyError, ValueError, TypeError, AssertionError) as error:
        raise BackupError(f"{source} is no backup of Trochos, or only a part of one.") from error
    return about


def _refuse_to_lose(folder: Path) -> None:
    import psycopg

    parameters = {name[2:].lower(): value for name, value in _database().items()}
    parameters["dbname"] = parameters.pop("database")
    with psycopg.connect(**parameters) as connection:  # type: ignore[arg-type]
        there = connection.execute("select to_regclass('surveys_storedsurvey')").fetchone()
        if there is not None and there[0] is not None:
            row = connection.execute("select count(*) from surveys_storedsurvey").fetchone()
            if row is not None and row[0]:
                raise BackupError(
                    f"There are {row[0]} surveys here, which would be lost. Say --replace if they "
                    "may be."
                )
    for key in KEYS:
        mine, theirs = state_directory() / key, folder / key
        if key == "vault.key" and mine.exists() and theirs.exists():
            if mine.read_bytes() != theirs.read_bytes():
                raise BackupError(
                    "This installation has a vault of its own, which could not be opened any more. "
                    "Say --replace if it may be lost."
                )


def main(arguments: list[str] | None = None) -> int:
    """The two commands; the first word says which."""
    parser = argparse.ArgumentParser(prog="trochos", description=__doc__)
    which = parser.add_subparsers(dest="what", required=True)
    making = which.add_parser("backup", help="write database and keys into a file")
    making.add_argument("file", type=Path)
    taking = which.add_parser("restore", help="take database and keys from a file")
    taking.add_argument("file", type=Path)
    taking.add_argument("--replace", action="store_true", help="lose what is here")
    options = parser.parse_args(arguments)
    try:
        require_database()
        if options.what == "backup":
            about = backup(options.file)
            print(
                f"Written to {options.file}: the database and {len(about['keys'])} keys. Keep it "
                "as you keep passwords."
            )
        else:
            about = restore(options.file, options.replace)
            print(
                f"Restored as of {about['made_at']}. Start ./trochos up; it brings the database "
                "up to date."
            )
    except (BackupError, ClusterError) as error:
        print(f"trochos: {error}", file=sys.stderr)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
