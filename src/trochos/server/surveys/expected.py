"""What a survey is held against: the expectations of its network, or those that came with it."""

from __future__ import annotations

import io
import zipfile
from typing import Any

import yaml
from rest_framework.exceptions import ValidationError

from ...core.diagnosis.audit import ExpectationError, parse_expectations
from ...core.readers.kinds import NAMED_SO, is_expectations
from . import jobs
from .models import ExpectationList, StoredSurvey

_YAML = (".yaml", ".yml")


def expectations_of(stored: StoredSurvey) -> tuple[str, str | None]:
    """The list that a survey is held against, and whose it is: its network's, else its own."""
    held = ExpectationList.objects.filter(network=stored.network_id).first()
    if held is not None:
        return held.text, "network"
    with zipfile.ZipFile(io.BytesIO(bytes(stored.archive))) as archive:
        beside = [n for n in archive.namelist() if "/" not in n and n.endswith(_YAML)]
        for name in sorted(beside, key=lambda name: (name not in NAMED_SO, name)):
            text = archive.read(name).decode("utf-8", "replace")
            if name in NAMED_SO or is_expectations(text):
                return text, "survey"
    return "", None


def expect(stored: StoredSurvey, entry: dict[str, object], user: Any) -> bool:
    """Adds an expectation to those of a survey's network, and has this survey held against it.

    Returns:
        False if the list has that very question already.
    """
    text, _ = expectations_of(stored)
    asked = {key: value for key, value in entry.items() if key != "name"}
    more = yaml.safe_dump([entry], sort_keys=False, allow_unicode=True, width=100)
    whole = f"{text.rstrip()}\n{more}" if text.strip() else more
    try:
        parse_expectations(text)
        parse_expectations(whole)
    except ExpectationError as error:
        raise ValidationError(
            f"The list of expectations cannot take more as it stands: {error} Mend it first."
        ) from error
    for held in yaml.safe_load(text) or []:
        if {key: value for key, value in held.items() if key != "name"} == asked:
            return False
    ExpectationList.objects.update_or_create(
        network=stored.network, defaults={"text": whole, "changed_by": user}
    )
    jobs.ahead("audit", stored, {"text": whole})
    return True


def check_later(stored: StoredSurvey) -> None:
    """Has a worker hold a survey against what is expected of it, if anything is."""
    text, _ = expectations_of(stored)
    if text.strip():
        jobs.ahead("audit", stored, {"text": text})
