"""Each step of an explanation claims something, and the texts say it: held against a reading that
shares nothing with what computed it, on all captured networks and on changed ones."""

from __future__ import annotations

import json
import random
from collections import Counter
from pathlib import Path

import pytest
from core.own_reading import Claim, Reading
from faults import faults
from surveys import ROOT, bare, company

from trochos.core.change.apply import apply
from trochos.core.diagnosis.why import explain_prefix
from trochos.core.network import claims
from trochos.core.network.edits import EditError
from trochos.core.survey import Computed

CASES = sorted((ROOT / "tests" / "cases").iterdir())
HELD: Counter[str] = Counter()
UNREAD: Counter[str] = Counter()


def texts_of(survey: Computed) -> dict[str, str]:
    """The routers' texts, masked as they are kept."""
    return {
        device: text
        for device, files in survey.survey.files.items()
        for name, text in files.items()
        if name == "frr.conf"
    }


def tables_of(folder: Path) -> dict[str, set[str]]:
    """The prefixes in the tables that real routers were captured with."""
    out: dict[str, set[str]] = {}
    for device in (folder / "devices").iterdir():
        for name in ("frr-route.json", "frr-route6.json"):
            if (device / name).exists():
                shown = json.loads((device / name).read_text())
                out.setdefault(device.name, set()).update(
                    prefix
                    for prefix, entries in shown.items()
                    if any(entry.get("selected") for entry in entries)
                )
    return out


def check(
    survey: Computed, rng: random.Random, most: int, tables: dict[str, set[str]] | None = None
) -> int:
    """Explains a sample of prefixes at every router, and holds every step against the texts."""
    texts = texts_of(survey)
    more = {name: "\n".join(files.values()) for name, files in survey.survey.files.items()}
    reading = Reading(texts, more, tables or {})
    routers = [d.name for d in survey.network.devices if d.role == "router"]
    prefixes = sorted(
        {
            prefix
            for name in routers
            for family in (4, 6)
            for prefix in survey.tables.of(name, family).best
            if not prefix.is_default
        }
    )
    wanted = rng.sample(prefixes, min(most, len(prefixes)))
    seen = 0
    for name in routers:
        for prefix in wanted:
            chain = explain_prefix(survey.tables, survey.forwarding, name, prefix)["chain"]
            for step in chain:  # type: ignore[attr-defined]
                claim: Claim = step["claim"]
                assert claim["kind"] in claims.KINDS and claim["device"] == step["device"]
                for item in step["evidence"]:
                    line = item["line"]
                    if item.get("default") or item.get("missing"):
                        continue  # what does not stand there, and what is so without a line
                    if line is None or item["device"] not in texts or item["file"] != "frr.conf":
                        continue
                    stands = texts[item["device"]].split("\n")[line - 1].strip()
                    assert item["text"].strip() in (stands, item.get("read_as", "")), (step, stands)
                said = reading.says(claim)
                assert said is not False, (name, str(prefix), step)
                (HELD if said else UNREAD)[claim["kind"]] += 1
                seen += 1
    return seen


@pytest.mark.parametrize("case", CASES, ids=lambda path: path.name)
def test_what_is_explained_stands_in_the_texts(case: Path) -> None:
    survey = bare(case / "survey")
    assert check(survey, random.Random(case.name), 12, tables_of(case / "survey")) > 0


@pytest.mark.thorough
def test_most_claims_are_read_in_the_texts() -> None:
    """The reading knows not every kind; a kind that it knows none of says nothing."""
    HELD.clear(), UNREAD.clear()
    for case in CASES[::3]:
        survey = bare(case / "survey")
        check(survey, random.Random(case.name), 6, tables_of(case / "survey"))
    assert HELD.total() > 9 * UNREAD.total(), UNREAD


@pytest.mark.thorough
@pytest.mark.parametrize("case", [c for c in CASES if c.name.endswith("-00")], ids=lambda p: p.name)
def test_what_is_explained_stands_in_changed_texts(case: Path) -> None:
    healthy = bare(case / "survey")
    rng = random.Random(f"changed {case.name}")
    tried = list(faults(healthy, rng))
    done = 0
    for fault in rng.sample(tried, min(60, len(tried))):
        try:
            changed = Computed(apply(healthy.survey, (fault,)).survey)
        except EditError:
            continue
        check(changed, rng, 3)
        done += 1
        if done == 12:
            break
    assert done > 3


@pytest.mark.thorough
def test_the_demo_s_explanations_stand_in_its_texts() -> None:
    check(company(dialect="frr"), random.Random(1), 40)
    check(company(broken=True, dialect="frr"), random.Random(2), 40)
