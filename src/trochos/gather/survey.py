"""The outcomes as the files of a survey: secrets masked, gaps written down."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from datetime import datetime

from ..core.readers.masking import mask
from .collect import Outcome

OUTCOME_FILE = "gathering.json"
"""Beside each device's files: when and how it was gathered, and what is missing."""


def device_files(outcome: Outcome, key: bytes) -> dict[str, str]:
    """One device's files, with fingerprints in the place of secrets.

    Args:
        outcome: what came back.
        key: the key under which secrets become fingerprints.
    """
    files = {name: mask(text, key) for name, text in outcome.gathered.files.items()}
    files[OUTCOME_FILE] = json.dumps({"trochos-gathering:device": as_json(outcome)}, indent=1)
    return files


def as_json(outcome: Outcome) -> dict[str, object]:
    """An outcome without what was gathered."""
    target = outcome.target
    return {
        "method": target.method,
        "address": target.address,
        "outcome": outcome.kind,
        "problem": outcome.problem,
        "missing": dict(sorted(outcome.gathered.missing.items())),
        "absent": sorted(outcome.gathered.absent),
        "started": _stamp(outcome.started_at),
        "ended": _stamp(outcome.ended_at),
    }


def survey_files(
    devices: Mapping[str, Mapping[str, str]],
    title: str,
    taken_at: datetime,
    drawing: str | None = None,
    asked: Iterable[str] = (),
) -> dict[str, bytes]:
    """The files of a survey.

    Args:
        devices: device -> its files, as `device_files` made them.
        title: what the survey is called.
        taken_at: when it was gathered.
        asked: every device that was asked, also those that gave nothing.
        drawing: the wiring as ietf-network-topology JSON, where somebody keeps one.
    """
    about: dict[str, object] = {"title": title, "taken_at": _stamp(taken_at)}
    if asked:
        about["expected"] = sorted(asked)
    out = {"survey.json": json.dumps(about, indent=1, ensure_ascii=False).encode()}
    if drawing is not None:
        out["topology.json"] = drawing.encode()
    for device, files in devices.items():
        for name, text in files.items():
            out[f"devices/{device}/{name}"] = text.encode()
    return out


def summary(outcomes: Iterable[Outcome]) -> dict[str, int]:
    """How many devices there are of each outcome."""
    out: dict[str, int] = {}
    for outcome in outcomes:
        out[outcome.kind] = out.get(outcome.kind, 0) + 1
    return dict(sorted(out.items()))


def _stamp(when: datetime | None) -> str | None:
    return when.isoformat(timespec="seconds").replace("+00:00", "Z") if when else None
