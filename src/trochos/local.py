"""What belongs to this machine: the installation's own files, and surveys in folders.

It stands between the core, which touches no files, and the server and the command line.
"""

from __future__ import annotations

import os
import secrets
import time
from collections.abc import Callable
from pathlib import Path

from .core.readers.archives import LIMITS, UploadError, opened

LONGEST_S, LONGEST_S_A_DEVICE = 3.0, 0.06
"""Seconds of processor time for one diagnosis, at least, and for each device. Its trials are
counted besides (diagnosis/trials.py), but where many addresses have several holders one trial
costs ten times as much: mangled surveys took 7 s. Of 65 pairs of faults on the captured networks
one search took more than this, and found no more for it (bench/any_line.py --pairs)."""
Watch = Callable[[int, int, str], bool]


class InputError(Exception):
    """The call or the input could not be used; the message is one sentence for a person."""


def in_time(devices: int, watch: Watch | None = None) -> Watch:
    """A watch that ends a search once it has taken its processor time, with the best so far.

    Args:
        devices: how many the survey has.
        watch: is asked as well.
    """
    longest = max(LONGEST_S, LONGEST_S_A_DEVICE * devices)
    began = time.thread_time()

    def watching(tried: int, of: int, what: str) -> bool:
        wanted = watch is None or watch(tried, of, what)
        return wanted and time.thread_time() - began <= longest

    return watching


def state_directory() -> Path:
    """Where this installation keeps what belongs to it alone (never committed): the folder that
    TROCHOS_STATE names, else `.state` in the project, or for an installed package the user's own
    state folder (XDG Base Directory Specification)."""
    root = os.environ.get("TROCHOS_STATE")
    if root:
        return Path(root)
    project = Path(__file__).resolve().parents[2]
    if (project / "pyproject.toml").exists():
        return project / ".state"
    home = os.environ.get("XDG_STATE_HOME") or Path.home() / ".local" / "state"
    return Path(home) / "trochos"


def fingerprint_key() -> bytes:
    """The key under which secrets become fingerprints: made once per installation.

    Where nothing can be written, a key for this call alone serves: fingerprints then
    compare within one answer only.
    """
    path = state_directory() / "fingerprint.key"
    try:
        return path.read_bytes()
    except OSError:
        pass
    key = secrets.token_bytes(32)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(descriptor, "wb") as stream:
            stream.write(key)
    except FileExistsError:
        return path.read_bytes() or key
    except OSError:
        return key
    return key


def read_folder(root: Path) -> dict[str, bytes]:
    """Every file below a folder, archives unpacked, within the bounds of a survey; hidden files
    are left out."""
    files: dict[str, bytes] = {}
    total = 0
    for directory, folders, names in os.walk(root):
        folders[:] = sorted(name for name in folders if not name.startswith("."))
        for name in sorted(names):
            path = Path(directory) / name
            if name.startswith(".") or not path.is_file():
                continue
            size = path.stat().st_size
            total += size
            relative = path.relative_to(root).as_posix()
            if size > LIMITS.file_bytes or total > LIMITS.total_bytes:
                raise UploadError(f"{relative} makes the survey too large to be read.")
            files[relative] = path.read_bytes()
            if len(files) > LIMITS.files:
                raise UploadError(f"The folder holds more than {LIMITS.files} files.")
    return opened(files)
