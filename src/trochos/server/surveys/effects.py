"""What a change does, and what differs between two surveys, as documents."""

from __future__ import annotations

import difflib
from collections.abc import Iterable
from typing import Any

from ...core.change.rehearse import Effect, neighbours_changed, routes_changed
from ...core.forwarding.endpoints import EndpointError
from ...core.forwarding.traffic import Traffic
from ...core.network.edits import Edit
from ...core.survey import Computed, Rehearsal

SHOWN = 300
"""Pairs that are listed; the others are counted."""
_CONTEXT = 3
Complaint = tuple[str, str, Traffic]


def rehearsal_json(
    opened: Computed,
    edits: tuple[Edit, ...],
    asked: Complaint | None,
    cases: Iterable[tuple[dict[str, Any], Complaint]],
) -> dict[str, Any]:
    """What a change does to all pairs, to the complaint that is asked about, and to each of the
    cases (what is said of one, and its complaint); without the documents that hand it over."""
    rehearsal = opened.rehearse(edits)
    effect = rehearsal.effect
    diffs = [
        {
            "device": device,
            "file": file,
            "lines": _diff(opened.survey.text(device, file) or "", text),
        }
        for (device, file), text in rehearsal.changed.texts.items()
    ]
    before = after = None
    if asked is not None:
        before = opened.path(*asked).as_nodes()
        try:
            after = rehearsal.anew.path(*asked).as_nodes()
        except EndpointError:
            after = None  # an end is gone
    return {
        "edits": [edit.as_json() for edit in edits],
        "heals": pairs_json(effect, "heals"),
        "breaks": pairs_json(effect, "breaks"),
        "moves": pairs_json(effect, "moves"),
        "gone": pairs_json(effect, "gone"),
        "unsure": effect.count("unsure"),
        "cells": _cells(rehearsal),
        "devices": [d.name for d in opened.network.devices if d.role != "unread"],
        "routes_changed": routes_changed(opened.tables, rehearsal.after.tables),
        "neighbours": neighbours_changed(opened.tables, rehearsal.after.tables),
        "diffs": diffs,
        "texts": [
            {"device": device, "file": file, "text": text}
            for (device, file), text in rehearsal.changed.texts.items()
        ],
        "not_understood": rehearsal.not_understood,
        "along": [item.as_json() for item in rehearsal.along],
        "before": before,
        "after": after,
        "cases": _turned(cases, opened, rehearsal.after),
    }


def comparison_json(older: Computed, newer: Computed) -> dict[str, Any]:
    """What differs between two surveys."""
    found = older.compare(newer)
    return {
        "missing": [item.as_json() for item in found.missing],
        "note": found.apart,
        "texts": found.texts,
        "facts": found.facts,
        "routes": [change.as_json() for change in found.routes],
        "neighbours": found.neighbours,
        "heals": pairs_json(found.effect, "heals"),
        "breaks": pairs_json(found.effect, "breaks"),
        "moves": pairs_json(found.effect, "moves"),
        "unsure": found.effect.count("unsure"),
    }


def works(asked: Complaint, survey: Computed) -> str:
    """Whether a complaint is true on a survey: yes means it works."""
    try:
        return survey.path(*asked).works
    except EndpointError:
        return "unknown"


def _turned(
    cases: Iterable[tuple[dict[str, Any], Complaint]], before: Computed, after: Computed
) -> list[dict[str, object]]:
    """The cases that a change would make work, or stop from working."""
    out: list[dict[str, object]] = []
    for said, asked in cases:
        was, now = works(asked, before), works(asked, after)
        if was != now:
            out.append({**said, "before": was, "after": now})
    return out


def pairs_json(effect: Effect, kind: str) -> dict[str, object]:
    """How many pairs of a kind there are, and the first of them."""
    first = effect.first(kind, SHOWN)
    return {"count": effect.count(kind), "pairs": [pair.as_json() for pair in first]}


def _diff(before: str, after: str) -> list[dict[str, object]]:
    """Both texts side by side, around what differs."""
    left, right = before.splitlines(), after.splitlines()
    out: list[dict[str, object]] = []
    matcher = difflib.SequenceMatcher(None, left, right, autojunk=False)
    for group in matcher.get_grouped_opcodes(_CONTEXT):
        if out:
            out.append({"left": None, "right": None, "before": None, "after": None, "same": True})
        for _, a, b, c, d in group:
            for offset in range(max(b - a, d - c)):
                one = a + offset if a + offset < b else None
                two = c + offset if c + offset < d else None
                before_line = left[one] if one is not None else None
                after_line = right[two] if two is not None else None
                out.append(
                    {
                        "left": None if one is None else one + 1,
                        "right": None if two is None else two + 1,
                        "before": before_line,
                        "after": after_line,
                        "same": before_line == after_line,
                    }
                )
    return out


def _cells(rehearsal: Rehearsal) -> list[dict[str, object]]:
    """Per two devices the gravest thing that happens between them."""
    out: dict[tuple[str, str], dict[str, object]] = {}
    for state in ("breaks", "heals", "gone", "moves"):
        for (sender, owner), count in rehearsal.effect.between(state).items():
            cell: dict[str, object] = {
                "from": sender,
                "to": owner,
                "state": state,
                "count": count,
            }
            out.setdefault((sender, owner), cell)
    return list(out.values())
