"""From what a person names on the command line to a survey's files."""

from __future__ import annotations

import os
import re
import secrets
from pathlib import Path

from ..core.readers.archives import LIMITS, UploadError, check_files, is_archive, unpack
from ..core.survey import Computed


class InputError(Exception):
    """The call or the input could not be used; the message is one sentence for a person."""


def state_directory() -> Path:
    """Where this installation keeps what belongs to it alone (never committed)."""
    root = os.environ.get("TROCHOS_STATE")
    return Path(root) if root else Path(__file__).resolve().parents[3] / ".state"


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
    """Every file below a folder, within the bounds of a survey; hidden files are left out."""
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
    return check_files(files)


def load_files(name: str) -> dict[str, bytes]:
    """The files of a survey: a folder, or a .zip or .tar.gz of one.

    Raises:
        InputError: it is not there, not readable, empty, or breaks a bound.
    """
    path = Path(name)
    try:
        if path.is_dir():
            files = read_folder(path)
        elif path.is_file():
            data = path.read_bytes()
            if not is_archive(data):
                raise InputError(
                    f"{name} is a single file. Name its folder, or a .zip or .tar.gz of it."
                )
            files = unpack(data)
        else:
            raise InputError(f"There is no survey at {name}. Name a folder, a .zip or a .tar.gz.")
    except UploadError as error:
        raise InputError(f"{name}: {error}") from error
    except OSError as error:
        raise InputError(f"{name} cannot be read: {error.strerror or error}.") from error
    if not files:
        raise InputError(f"{name} holds no files, so there is nothing to compute.")
    return files


def load(name: str) -> Computed:
    """A computed survey from a folder, an archive, or the id of a stored survey."""
    if re.fullmatch(r"\d{1,9}", name) and not Path(name).exists():
        from .stored import stored_files

        files = stored_files(int(name))
    else:
        files = load_files(name)
    survey = Computed.from_files(files, fingerprint_key())
    if all(device.role == "unread" for device in survey.network.devices):
        raise InputError(
            f"No device was recognised in {name}. A survey holds devices/NAME/ with what was "
            "gathered from each."
        )
    return survey
