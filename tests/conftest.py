"""Shared by all tests: where things are, and a database of the project's own."""

from __future__ import annotations

import os
import sys
from pathlib import Path

import pytest
from hypothesis import settings

# How long an example takes says how busy the machine is, not whether the answer is right.
settings.register_profile("trochos", deadline=None)
settings.load_profile("trochos")

ROOT = Path(__file__).resolve().parents[1]
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "trochos.server.settings")
# Playwright's synchronous interface runs an event loop beside the ORM.
os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")
sys.path.insert(0, str(ROOT / "src"))


def pytest_configure(config: pytest.Config) -> None:
    """The database runs before Django reads where it is."""
    from trochos.server.cluster import ensure_database

    ensure_database()
    from django.conf import settings as django

    # Long answers are computed where they are asked; tests/server/test_workers.py has real workers.
    django.COMPUTE_HERE = True


@pytest.fixture(scope="session")
def root() -> Path:
    return ROOT
