"""What belongs to one installation: its secret key and its database, under .state/."""

from __future__ import annotations

import json
import os
import secrets
from pathlib import Path

from ..local import state_directory


def _private(path: Path, content: str) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(descriptor, "w") as stream:
        stream.write(content)


def django_secret() -> str:
    """The key that signs sessions: made once, readable by the owner alone."""
    path = state_directory() / "django.key"
    if not path.exists():
        try:
            _private(path, secrets.token_urlsafe(50))
        except FileExistsError:
            pass
    return path.read_text()


def _password() -> str:
    """The password of a database elsewhere: from a file, as services are given secrets, or from
    the environment."""
    path = os.environ.get("DATABASE_PASSWORD_FILE")
    return Path(path).read_text().strip() if path else os.environ.get("DATABASE_PASSWORD", "")


def database() -> dict[str, object]:
    """The database's settings: DATABASE_* of the environment, else the project's own cluster."""
    if os.environ.get("DATABASE_HOST"):
        return {
            "ENGINE": "django.db.backends.postgresql",
            "HOST": os.environ["DATABASE_HOST"],
            "PORT": os.environ.get("DATABASE_PORT", "5432"),
            "NAME": os.environ.get("DATABASE_NAME", "trochos"),
            "USER": os.environ.get("DATABASE_USER", "trochos"),
            "PASSWORD": _password(),
        }
    path = state_directory() / "cluster.json"
    known = json.loads(path.read_text()) if path.exists() else {}
    return {
        "ENGINE": "django.db.backends.postgresql",
        "HOST": "127.0.0.1",
        "PORT": str(known.get("port", 0)),
        "NAME": "trochos",
        "USER": "trochos",
        "PASSWORD": known.get("password", ""),
    }
