"""From what a person names on the command line to a survey's files."""

from __future__ import annotations

import re
from pathlib import Path

from ..core.change.unmask import changed_files
from ..core.network.edits import Edit
from ..core.readers.archives import UploadError, is_archive, unpack
from ..core.readers.survey import places as survey_places
from ..core.survey import Computed
from ..local import InputError, fingerprint_key, read_folder


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


def stored_number(name: str) -> int | None:
    """The id of a stored survey, if that is what a name is."""
    return int(name) if re.fullmatch(r"\d{1,9}", name) and not Path(name).exists() else None


def write_changed(
    name: str,
    files: dict[str, bytes],
    survey: Computed,
    edits: tuple[Edit, ...],
    typed: dict[str, str],
) -> None:
    """Writes a survey's files after edits into a new folder, secrets as they were or as typed.

    Raises:
        InputError: the folder holds something already, or cannot be written.
    """
    root = Path(name)
    try:
        if root.exists() and (not root.is_dir() or any(root.iterdir())):
            raise InputError(f"{name} is there already. Name a folder that is new or empty.")
        places = survey_places(files, survey.survey)
        key = fingerprint_key()
        changed = changed_files(files, places, survey.survey.files, edits, key, typed)
        for path, data in changed.items():
            target = root / path
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(data)
    except OSError as error:
        raise InputError(f"{name} cannot be written: {error.strerror or error}.") from error


def load(name: str) -> Computed:
    """A computed survey from a folder, an archive, or the id of a stored survey."""
    number = stored_number(name)
    if number is not None:
        from .stored import stored_files

        files = stored_files(number)
    else:
        files = load_files(name)
    survey = Computed.from_files(files, fingerprint_key())
    if all(device.role == "unread" for device in survey.network.devices):
        raise InputError(
            f"No device was recognised in {name}. A survey holds devices/NAME/ with what was "
            "gathered from each."
        )
    return survey
