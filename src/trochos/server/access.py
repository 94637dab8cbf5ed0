"""Reading stored surveys from outside a running server."""

from __future__ import annotations

import os


def files_of_survey(number: int) -> dict[str, bytes]:
    """The files of a stored survey; starts the database if it does not run."""
    from ..local import InputError
    from .cluster import ClusterError, ensure_database

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "trochos.server.settings")
    try:
        ensure_database()
    except ClusterError as error:
        raise InputError(str(error)) from error
    import django
    from django.db import DatabaseError

    django.setup()
    from .surveys.models import StoredSurvey
    from .surveys.store import files_of

    try:
        stored = StoredSurvey.objects.filter(pk=number).first()
    except DatabaseError as error:
        raise InputError(
            "The database is empty. Run ./trochos up once, or name a folder."
        ) from error
    if stored is None:
        raise InputError(f"There is no stored survey {number}. Name a folder, a .zip or an id.")
    return files_of(stored)
