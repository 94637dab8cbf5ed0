"""Which routes a real BGP daemon takes over between its routing instances.

Instances are network namespaces here, and packets do not pass between those: what is compared is
the daemon's own table, whether it can use a route or not.
"""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from core.test_leaks import TARGETS
from surveys import compute

from .lab import DAEMONS, why_not

REASON = why_not()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")
NODES = ("RED", "BLUE", "GREEN")


@contextmanager
def router(lines: dict[str, list[str]]) -> Iterator[Path]:
    """One router with three instances, each with a network of its own; where its sockets are."""
    tag = f"l{os.getpid()}"
    folder = Path("/var/run/frr") / tag
    folder.mkdir(parents=True)
    shutil.chown(folder, "frr", "frr")
    names = [f"{tag}{node}" for node in NODES]
    base = f"{tag}main"
    rows = ["router bgp 65001", *lines.get("", []), "exit"] if "" in lines else []
    for number, (node, name) in enumerate(zip(NODES, names), 1):
        rows += [f"router bgp 65001 vrf {name}", f" bgp router-id 1.1.1.{number}"]
        rows += [" no bgp network import-check", " address-family ipv4 unicast"]
        rows += [f"  network 10.{number}.0.0/24", *(f"  {line}" for line in lines.get(node, []))]
        rows += [" exit-address-family", "exit"]
    text = "\n".join(rows) + "\n"
    for node, name in zip(NODES, names):
        text = text.replace(f"vrf {node}\n", f"vrf {name}\n")
    try:
        for name in (*names, base):
            subprocess.run(["ip", "netns", "add", name], check=True)
        into = ["ip", "netns", "exec", base]
        for daemon, more in (("zebra", ["-n"]), ("bgpd", [])):
            (folder / f"{daemon}.conf").touch()
            place = ["-i", str(folder / f"{daemon}.pid"), "--vty_socket", str(folder)]
            place += ["-z", str(folder / "zserv.api"), "-f", str(folder / f"{daemon}.conf")]
            subprocess.run([*into, str(DAEMONS / daemon), "-d", *more, *place], check=True)
        (folder / "frr.conf").write_text(text)
        end = time.monotonic() + 30
        while time.monotonic() < end:
            done = subprocess.run(
                [*into, "vtysh", "--vty_socket", str(folder), "-f", str(folder / "frr.conf")],
                capture_output=True,
                check=False,
            )
            if done.returncode == 0:
                break
            time.sleep(1)
        yield folder
    finally:
        for pid in folder.glob("*.pid"):
            subprocess.run(["kill", "-9", pid.read_text().strip()], check=False)
        for name in (*names, base):
            subprocess.run(["ip", "netns", "del", name], check=False, capture_output=True)
        shutil.rmtree(folder, ignore_errors=True)


def held(folder: Path, node: str) -> set[str]:
    """The prefixes in a daemon's own table of an instance."""
    name = f"l{os.getpid()}{node}"
    shown = subprocess.run(
        ["vtysh", "--vty_socket", str(folder), "-c", f"show bgp vrf {name} ipv4 unicast json"],
        capture_output=True,
        text=True,
        check=False,
    ).stdout
    return set(json.loads(shown or "{}").get("routes", {}))


def taken(folder: Path, wanted: dict[str, set[str]]) -> dict[str, set[str]]:
    """What each instance holds, once it is what is wanted or does not change any more."""
    end, seen = time.monotonic() + 30, {node: held(folder, node) for node in NODES}
    while seen != wanted and time.monotonic() < end:
        time.sleep(1)
        seen = {node: held(folder, node) for node in NODES}
    return seen


WITHOUT = {
    word: [line for line in TARGETS["COMPANY"] if not line.startswith(word)]
    for word in ("rd", "import", "label")
}
RED, BLUE, GREEN = "10.1.0.0/24", "10.2.0.0/24", "10.3.0.0/24"


@pytest.mark.parametrize(
    ("lines", "wanted"),
    [
        # What BLUE took over from RED is not GREEN's.
        (
            {"BLUE": ["import vrf RED"], "GREEN": ["import vrf BLUE"]},
            {"RED": {RED}, "BLUE": {RED, BLUE}, "GREEN": {BLUE, GREEN}},
        ),
        (
            {"": [], "RED": TARGETS["SHOPS"], "BLUE": TARGETS["COMPANY"]},
            {"RED": {RED, BLUE}, "BLUE": {RED, BLUE}, "GREEN": {GREEN}},
        ),
        # Without a process in the main instance nothing passes.
        (
            {"RED": TARGETS["SHOPS"], "BLUE": TARGETS["COMPANY"]},
            {"RED": {RED}, "BLUE": {BLUE}, "GREEN": {GREEN}},
        ),
        (
            {
                "": [],
                "RED": TARGETS["SHOPS"],
                "BLUE": WITHOUT["rd"],
            },
            {"RED": {RED}, "BLUE": {RED, BLUE}, "GREEN": {GREEN}},
        ),
        (
            {
                "": [],
                "RED": TARGETS["SHOPS"],
                "BLUE": WITHOUT["import"],
            },
            {"RED": {RED, BLUE}, "BLUE": {BLUE}, "GREEN": {GREEN}},
        ),
        (
            {
                "": [],
                "RED": TARGETS["SHOPS"],
                "BLUE": WITHOUT["label"],
            },
            {"RED": {RED, BLUE}, "BLUE": {RED, BLUE}, "GREEN": {GREEN}},
        ),
    ],
    ids=["named", "targets", "no main process", "no distinguisher", "one way", "no label"],
)
def test_a_real_daemon_takes_over_what_is_computed(
    lines: dict[str, list[str]], wanted: dict[str, set[str]]
) -> None:
    tag = f"l{os.getpid()}"
    spoken = {
        node: [line.replace("import vrf ", f"import vrf {tag}") for line in rows]
        for node, rows in lines.items()
    }
    with router(spoken) as folder:
        assert taken(folder, wanted) == wanted
    assert computed(lines) == wanted


def computed(lines: dict[str, list[str]]) -> dict[str, set[str]]:
    rows = ["hostname hub"]
    for node in NODES:
        rows += [f"vrf {node}", "exit-vrf"]
    rows += ["router bgp 65001", "exit"] if "" in lines else []
    for number, node in enumerate(NODES, 1):
        rows += [f"interface eth{number} vrf {node}", f" ip address 10.{number}.0.1/24", "exit"]
        rows += [f"router bgp 65001 vrf {node}", f" bgp router-id 1.1.1.{number}"]
        rows += [" address-family ipv4 unicast", f"  network 10.{number}.0.0/24"]
        rows += [*(f"  {line}" for line in lines.get(node, [])), " exit-address-family", "exit"]
    survey = compute({"devices/hub/frr.conf": "\n".join(rows) + "\n"})
    return {
        node: {
            str(prefix)
            for prefix, route in survey.tables.of(f"hub/{node}", 4).best.items()
            if route.protocol in ("bgp", "connected")
        }
        for node in NODES
    }
