"""Abbreviated keywords: the real parser takes what is spelled out here, and nothing that it refuses
is."""

from __future__ import annotations

import os
import random
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from surveys import ROOT

from trochos.core.readers.frr.abbreviations import spell_out

from .lab import DAEMONS

pytestmark = pytest.mark.skipif(shutil.which("vtysh") is None, reason="vtysh is not installed")
_GRAMMAR = ROOT / "src" / "trochos" / "core" / "readers" / "frr" / "grammar"
_WORDS = {
    word for path in _GRAMMAR.glob("*.txt") for word in re.findall(r"[a-z][\w-]+", path.read_text())
}
_KEPT = {"ip", "ipv6", "no", "exit", "end", "exit-address-family", "exit-vrf"}


def shortened(line: str, rng: random.Random) -> str:
    """A line with some of its words cut."""
    words = line.split()
    for n, word in enumerate(words):
        if (
            word in _WORDS
            and word not in _KEPT
            and "description" not in words
            and rng.random() < 0.5
        ):
            words[n] = word[: rng.randint(1, len(word))]
    return line[: len(line) - len(line.lstrip())] + " ".join(words)


def opens(line: str) -> bool:
    """True for what opens or closes a section: that stays as it is, so that each line is alone."""
    first = line.split()[0]
    return first in (
        "interface",
        "router",
        "route-map",
        "vrf",
        "address-family",
        "key",
        "line",
    ) or (first.startswith("exit") or first in ("end", "nexthop-group", "pbr-map", "frr", "log"))


def unread(line: str) -> bool:
    """True for lines that nobody here reads, whatever they say."""
    return line.split()[0] in ("service", "lsp-timers", "spf-interval")


def refused(lines: list[str], place: Path) -> set[int]:
    """The numbers of the lines that the real parser does not take."""
    file = place / "frr.conf"
    file.write_text("\n".join(lines) + "\n")
    done = subprocess.run(
        ["vtysh", "-C", "-f", str(file)], capture_output=True, text=True, check=False
    )
    return {int(n) for n in re.findall(r"^line (\d+):", done.stdout + done.stderr, re.M)}


@pytest.mark.parametrize("seed", range(4))
def test_the_real_parser_takes_what_is_spelled_out(seed: int, tmp_path: Path) -> None:
    rng = random.Random(seed)
    texts = sorted((ROOT / "tests" / "cases").glob("*/survey/devices/*/frr.conf"))
    asked = ours = real = both = 0
    for path in rng.sample(texts, 40):
        whole = [
            line for line in path.read_text().splitlines() if line.strip()[:1] not in ("!", "")
        ]
        known = refused(whole, tmp_path)
        cut = [line if opens(line) else shortened(line, rng) for line in whole]
        gone = refused(cut, tmp_path)
        spelled = spell_out(cut)
        for number, (line, short) in enumerate(zip(whole, cut), 1):
            if number in known or line == short or unread(line):
                continue
            asked += 1
            said = spelled.get(number)
            ours += said is not None
            real += number not in gone
            both += said is not None and number not in gone
            if said is not None:
                assert number not in gone, (short, said)
                assert said.split() == line.split(), (short, said)
    assert asked > 200 and both > 50
    # What the real parser takes although several keywords begin so, it tells by what follows.
    assert both >= 0.95 * real, (asked, ours, real, both)


def test_the_grammar_is_what_the_router_lists() -> None:
    zebra = [str(DAEMONS / "zebra"), "--version"]
    version = subprocess.run(zebra, capture_output=True, text=True, check=True)
    if "version 8.4" not in version.stdout or os.geteuid() != 0:
        pytest.skip("the grammar is that of FRR 8.4, whose daemons need root")
    script = str(ROOT / "scripts" / "frr_grammar.py")
    done = subprocess.run(
        ["unshare", "-n", sys.executable, script, "--check"],
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stdout + done.stderr
