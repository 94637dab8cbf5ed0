"""Loads the demo network's surveys and complaints, once."""

from __future__ import annotations

import json
from pathlib import Path

from ..local import read_folder
from .surveys.models import Case
from .surveys.store import store


def load(folder: Path) -> None:
    """Stores every survey named in the story, with its complaints, unless it is there."""
    story = folder / "story.json"
    if not story.exists():
        return
    for entry in json.loads(story.read_text())["surveys"]:
        stored = store(read_folder(folder / entry["folder"]), None, None)
        if stored.cases.exists():
            continue
        for case in entry.get("cases", []):
            Case.objects.create(survey=stored, **case)
