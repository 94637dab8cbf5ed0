"""Damaged texts: whatever a line has become, an answer comes back and never a traceback."""

from __future__ import annotations

import random
import re

import make as demo
import pytest
from surveys import compute

WORDS = (
    "0",
    "255",
    "any",
    "no",
    "10.0.0.0/8",
    "fd00::/64",
    "x",
    "permit",
    "in",
    "lo",
    "-1",
    "9" * 21,
)
VALUES = ('"x"', "0", "-5", "true", '"10.0.0.1"', "null", "[]", "{}")


def damaged(text: str, rng: random.Random, structured: bool) -> str:
    lines = text.split("\n")
    for _ in range(rng.randint(1, 6)):
        at = rng.randrange(len(lines))
        if structured:
            found = re.search(r': ("[^"]*"|\d+|true|false)(,?)$', lines[at])
            if found:
                lines[at] = lines[at][: found.start(1)] + rng.choice(VALUES) + found.group(2)
            continue
        words = lines[at].split(" ")
        choice = rng.random()
        if choice < 0.25 and len(lines) > 1:
            del lines[at]
        elif choice < 0.4:
            lines.insert(at, rng.choice(lines))
        elif choice < 0.7:
            words[rng.randrange(len(words))] = rng.choice(WORDS)
            lines[at] = " ".join(words)
        elif choice < 0.85:
            lines[at] = " ".join(words[:-1])
        else:
            lines[at] = " no " + lines[at].strip()
    return "\n".join(lines)


@pytest.mark.thorough
@pytest.mark.parametrize("seed", range(24))
def test_every_question_has_an_answer_on_damaged_texts(seed: int) -> None:
    rng = random.Random(seed)
    files = demo.render(demo.healthy(), "test", "2026-05-04T06:30:00Z")
    texts = [name for name in files if name.endswith(("frr.conf", "running.json"))]
    for name in rng.sample(texts, 4):
        files[name] = damaged(files[name], rng, name.endswith(".json"))
    survey = compute(files)
    assert survey.inspect_json()["reading"]
    assert survey.neighbours_json()["pairs"]
    assert survey.reach.summary()["pairs"]
    assert survey.path("planning-desk", "noddy-tablet").works in ("yes", "no", "partly", "unknown")
    assert survey.why("10.64.177.0/24")["why"]
