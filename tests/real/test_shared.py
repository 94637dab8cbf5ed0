"""Random pairs of real keepalived routers: who holds their address, before and after a failure, and
with a cure loaded, is what is computed of their texts."""

from __future__ import annotations

import os
import random
import re
import shutil
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field

import pytest
from core.test_shared import VIRTUAL
from surveys import compute, frr, wired

from trochos.core.network.edits import Down
from trochos.core.survey import Computed

from .lab import Lab, why_not

REASON = why_not() or (None if shutil.which("keepalived") else "keepalived is not installed")
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")

SIDES = ("a", "b")
SETTLED_S = 15
"""An advert each second or two: a backup waits three of them, and a bit, before it takes over."""


@dataclass
class Pair:
    """Two routers on one LAN, `name` and a or b; each has another LAN beside it."""

    name: str
    texts: dict[str, str]
    wires: list[tuple[str, str, str, str]] = field(default_factory=list)

    def survey(self, texts: dict[str, str] | None = None) -> Computed:
        files = {"topology.json": wired(*self.wires)}
        for number, side in enumerate(SIDES):
            node = self.name + side
            ports = {"eth0": f"10.64.1.{number + 2}/24", "eth1": f"10.64.2.{number + 2}/24"}
            files[f"devices/{node}/frr.conf"] = frr(node, ports)
            files[f"devices/{node}/keepalived.conf"] = (texts or self.texts)[side]
        return compute(files)


def text(rng: random.Random, side: str, broken: str) -> str:
    """One router's file; `broken` is what it says otherwise than the other one."""
    odd = side == "b"
    authentication = [
        "  authentication {",
        "    auth_type PASS",
        f"    auth_pass {'tar' if odd and broken == 'authentication' else 'oil'}",
        "  }",
    ]
    version = 3 if broken == "version 3" or (odd and broken == "version") else 2
    tracking = ["  track_interface {", f"    eth1 weight {rng.choice([-60, -20, 30])}", "  }"]
    priority = 150 if not odd else rng.choice([101, 122, 143])
    lines = [
        "vrrp_instance quay {",
        "  state BACKUP",
        f"  interface {'eth1' if odd and broken == 'link' else 'eth0'}",
        f"  virtual_router_id {52 if odd and broken == 'router id' else 51}",
        f"  priority {priority}",
        f"  advert_int {2 if odd and broken in ('interval', 'version 3') else 1}",
        *([f"  version {version}"] if version != 2 else authentication),
        *(tracking if rng.random() < 0.7 else []),
        "  virtual_ipaddress {",
        f"    {VIRTUAL}/24 dev eth0",
        *(["    10.64.1.9/24 dev eth0"] if odd and broken == "addresses" else []),
        "  }",
        "}",
        "",
    ]
    return "\n".join(lines)


BROKEN = (
    *("nothing", "nothing", "nothing", "version 3", "router id", "version"),
    *("authentication", "interval", "link", "addresses"),
)


def pairs(seed: int) -> list[Pair]:
    rng = random.Random(seed)
    out = []
    for number, broken in enumerate(BROKEN):
        name = f"p{number}"
        wires = [
            (name + side, port, f"{name}{lan}", f"s{side}")
            for side in SIDES
            for port, lan in (("eth0", "x"), ("eth1", "y"))
        ]
        out.append(Pair(name, {side: text(rng, side, broken) for side in SIDES}, wires))
    return out


@contextmanager
def running(lab: Lab, folder: str, texts: dict[str, str]) -> Iterator[None]:
    """keepalived on every router, for as long as this lasts."""
    started = []
    for node, content in texts.items():
        place = f"{folder}/{node}"
        with open(f"{place}.conf", "w") as file:
            file.write(content)
        command = ["ip", "netns", "exec", lab.ns(node), "keepalived", "-n", "-P", "-f"]
        command += [f"{place}.conf", "-p", f"{place}.pid", "-r", f"{place}.vrrp"]
        started.append(
            subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        )
    try:
        yield
    finally:
        for process in started:
            process.terminate()
        for process in started:
            process.wait(20)


def held(lab: Lab, node: str) -> bool:
    return f" {VIRTUAL}/" in lab.run(node, "ip", "-4", "-o", "addr")


def computed(survey: Computed, name: str) -> list[bool]:
    owners = next((o for a, o in survey.forwarding.near.owners.items() if str(a) == VIRTUAL), [])
    holders = {owner.end.device for owner in owners}
    return [name + side in holders for side in SIDES]


@pytest.mark.parametrize("seed", [8])
def test_who_holds_an_address(seed: int, tmp_path_factory: pytest.TempPathFactory) -> None:
    folder = str(tmp_path_factory.mktemp("keepalived"))
    made = pairs(seed)
    hosts = {
        pair.name + side: [
            f"addr add 10.64.1.{number + 2}/24 dev eth0",
            f"addr add 10.64.2.{number + 2}/24 dev eth1",
        ]
        for pair in made
        for number, side in enumerate(SIDES)
    }
    links = [wire for pair in made for wire in pair.wires]
    lans = sorted({wire[2] for wire in links})
    with Lab({}, hosts, links, lans, {}, tag=f"s{os.getpid()}x{seed}") as lab:

        def agree(expected: dict[str, list[bool]], within_s: float) -> None:
            """Waits until the real ones hold what is computed, and says who does not."""
            until = time.monotonic() + within_s
            while True:
                real = {n: [held(lab, n + side) for side in SIDES] for n in expected}
                if real == expected or time.monotonic() > until:
                    break
                time.sleep(1)
            assert real == expected

        texts = {pair.name + side: pair.texts[side] for pair in made for side in SIDES}
        with running(lab, folder, texts):
            time.sleep(SETTLED_S)
            agree({p.name: computed(p.survey(), p.name) for p in made}, 90)
            for pair in made:
                lab.run(pair.name + "a", "ip", "link", "set", "eth1", "down")
            time.sleep(SETTLED_S)
            down = {
                p.name: computed(
                    p.survey().rehearse((Down(((p.name + "a", "eth1"),)),)).after, p.name
                )
                for p in made
            }
            agree(down, 90)
        for pair in made:
            lab.run(pair.name + "a", "ip", "link", "set", "eth1", "up")
        cured: dict[str, dict[str, str]] = {}
        expected: dict[str, list[bool]] = {}
        for pair in made:
            survey = pair.survey()
            cures = [f.remedies[0] for f in survey.findings if f.kind.startswith("vrrp-")]
            if cures:
                after = survey.rehearse(cures[0].edits).after
                expected[pair.name] = computed(after, pair.name)
                assert sum(expected[pair.name]) == 1
                cured[pair.name] = {
                    side: after.survey.files[pair.name + side]["keepalived.conf"] for side in SIDES
                }
        assert len(cured) >= 5
        before = texts
        texts = {
            name + side: _with_secrets(content, before[name + "a"])
            for name, both in cured.items()
            for side, content in both.items()
        }
        with running(lab, folder, texts):
            time.sleep(SETTLED_S)
            agree(expected, 90)


def _with_secrets(content: str, other: str) -> str:
    """Passwords stand in a survey as their fingerprints; a cure makes both ends say the same."""
    return re.sub(r"<secret:[0-9a-f]+>", "oil" if "auth_pass oil" in other else "tar", content)
