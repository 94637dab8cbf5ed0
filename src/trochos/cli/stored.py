"""Stored surveys: the only part of the computing commands that needs the database."""

from __future__ import annotations

from ..local import InputError


def stored_files(number: int) -> dict[str, bytes]:
    """The files of a survey that the server keeps.

    Raises:
        InputError: the database is not there, or knows no such survey.
    """
    try:
        from ..server.access import files_of_survey
    except ImportError as error:
        raise InputError(
            f"Survey {number} is stored in the database, which is set up by ./trochos up. "
            "Run that first, or name a folder."
        ) from error
    return files_of_survey(number)
