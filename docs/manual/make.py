#!/usr/bin/env python3
"""Writes findings.md from the kinds that the engine knows, so that the two cannot differ.

.venv/bin/python docs/manual/make.py
"""

from __future__ import annotations

import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
sys.path.insert(0, str(ROOT / "src"))

from trochos.core.diagnosis import suspects  # noqa: E402
from trochos.core.diagnosis.findings import FAMILIES  # noqa: E402


def page() -> str:
    """The whole page."""
    out = [
        "# Findings",
        "",
        "What `inspect` finds whoever asks, by family. Each finding has one sentence, the exact",
        "lines, why it stops traffic, and where the engine can say one, a remedy.",
        "",
    ]
    for family in FAMILIES:
        title = (family.__doc__ or "").split("\n")[0].rstrip(".")
        out += [f"## {title}", "", "| kind | is |", "|---|---|"]
        out += [f"| `{kind}` | {text} |" for kind, text in sorted(family.KINDS.items())]
        out.append("")
    out += [
        "# Suspects",
        "",
        "What `diagnose` looks for because a leg dies: nothing here contradicts anything by",
        "itself. A suspect is a cause only if the complaint works with its remedy.",
        "",
        "| kind | is |",
        "|---|---|",
        *(f"| `{kind}` | {text} |" for kind, text in sorted(suspects.KINDS.items())),
        "",
    ]
    return "\n".join(out)


if __name__ == "__main__":
    (ROOT / "docs" / "manual" / "findings.md").write_text(page())
