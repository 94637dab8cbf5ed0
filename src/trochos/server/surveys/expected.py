"""What a survey is held against: the expectations of its network, or those that came with it."""

from __future__ import annotations

import io
import zipfile

from . import jobs
from .models import ExpectationList, StoredSurvey

FILES = ("expectations.yaml", "expectations.yml")


def expectations_of(stored: StoredSurvey) -> tuple[str, str | None]:
    """The list that a survey is held against, and whose it is: its network's, else its own."""
    held = ExpectationList.objects.filter(network=stored.network_id).first()
    if held is not None:
        return held.text, "network"
    with zipfile.ZipFile(io.BytesIO(bytes(stored.archive))) as archive:
        for name in FILES:
            if name in archive.namelist():
                return archive.read(name).decode("utf-8", "replace"), "survey"
    return "", None


def check_later(stored: StoredSurvey) -> None:
    """Has a worker hold a survey against what is expected of it, if anything is."""
    text, _ = expectations_of(stored)
    if text.strip():
        jobs.ahead("audit", stored, {"text": text})
