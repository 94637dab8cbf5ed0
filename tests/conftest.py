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


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption(
        "--sample",
        type=int,
        default=0,
        metavar="N",
        help="of each test that is made for many networks or cases, N of them, evenly spread",
    )


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Leaves out what `--sample` leaves out."""
    most = config.getoption("--sample")
    if not most:
        return
    cases: dict[str, list[pytest.Item]] = {}
    for item in items:
        cases.setdefault(item.nodeid.split("[", 1)[0], []).append(item)
    chosen = set()
    for group in cases.values():
        few = min(most, len(group))
        chosen |= {id(group[place * len(group) // few]) for place in range(few)}
    config.hook.pytest_deselected(items=[item for item in items if id(item) not in chosen])
    items[:] = [item for item in items if id(item) in chosen]


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
