"""Orders of steps, made step by step on real routers: what is said to be cut is cut, and the rest
answers all the time."""

from __future__ import annotations

import os
import subprocess

import pytest
from core.test_order import LINKS, MIGRATION, PORTS, STATICS, change
from surveys import compute, frr, wired

from trochos.core.change.handover import hand_over
from trochos.core.network.edits import Edit, TextEdit
from trochos.core.whole.order import Order, Step, steps_of

from .lab import Lab, why_not

REASON = why_not()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")
ROUTERS = ("ant", "bee", "cat", "dock")


def port(device: str, name: str, *, take: str = "", put: str = "") -> TextEdit:
    lines = ((take,) if take else (), (put,) if put else ())
    return TextEdit(device, "frr.conf", (f"interface {name}",), *lines)


# The way over bee goes to cat; the link between ant and bee gets new addresses beside the old
# ones; a host route makes way for the subnet's.
CHANGES: dict[str, tuple[Edit, ...]] = {
    "moved": MIGRATION,
    "renumbered": (
        port("ant", "eth1", put="ip address 10.64.99.1/30"),
        change("ant", take="ip route 10.64.4.0/24 10.64.12.2",
               put="ip route 10.64.4.0/24 10.64.99.2"),
        port("ant", "eth1", take="ip address 10.64.12.1/30"),
        port("bee", "eth1", put="ip address 10.64.99.2/30"),
        change("bee", take="ip route 10.64.1.0/24 10.64.12.1",
               put="ip route 10.64.1.0/24 10.64.99.1"),
        port("bee", "eth1", take="ip address 10.64.12.2/30"),
    ),
    "opened": (
        change("dock", take="ip route 10.64.1.0/24 10.64.24.1",
               put="ip route 10.64.1.0/24 10.64.34.1"),
        change("cat", put="ip route 10.64.1.0/24 10.64.13.1"),
    ),
}  # fmt: skip


def made(lab: Lab, survey, step: Step) -> None:  # type: ignore[no-untyped-def]
    """One step, as its hand-over says it."""
    for part in hand_over(survey.survey, step.edits):
        lines = ["configure terminal", *part.apply.split("\n")]
        command = [word for row in lines for word in ("-c", row)]
        lab.run(part.device, "vtysh", "-N", lab.ns(part.device), *command)


def cut_after(lab: Lab, survey, steps: list[Step]) -> list[bool]:  # type: ignore[no-untyped-def]
    """Per step: whether desk and pier do not answer each other from then on."""
    out = []
    for step in steps:
        made(lab, survey, step)
        lab.settle(quiet=2, most=10)
        pairs = [("desk", "10.64.4.10", None), ("pier", "10.64.1.10", None)]
        out.append(not all(lab.pings(pairs)))
    return out


@pytest.mark.parametrize("name", CHANGES)
def test_a_safe_order_cuts_nothing_while_it_is_made(name: str) -> None:
    edits = CHANGES[name]
    texts = {n: frr(n, PORTS[n], *STATICS[n]) for n in ROUTERS}
    hosts = {
        n: [f"addr add {PORTS[n]['eth0']} dev eth0", f"route add default via {gateway}"]
        for n, gateway in (("desk", "10.64.1.1"), ("pier", "10.64.4.1"))
    }
    files = {f"devices/{n}/frr.conf": frr(n, PORTS[n], *STATICS[n]) for n in PORTS}
    survey = compute({"topology.json": wired(*LINKS), **files})
    found: Order = survey.order(edits)
    assert found.safe, found.says
    written = steps_of(edits)
    with Lab(texts, hosts, LINKS, tag=f"o{os.getpid()}{name[:2]}") as lab:
        lab.settle(quiet=3, least=4, most=40)
        assert all(lab.pings([("desk", "10.64.4.10", None)]))
        running = subprocess.Popen(
            ["ip", "netns", "exec", lab.ns("desk"), "ping", "-nq", "-i", "0.2", "10.64.4.10"],
            stdout=subprocess.PIPE, text=True,
        )  # fmt: skip
        assert cut_after(lab, survey, found.steps) == [False] * len(found.steps)
        running.send_signal(2)
        told, _ = running.communicate(timeout=20)
        sent, received = (int(told.split(mark)[0].split()[-1]) for mark in
                          (" packets transmitted", " received"))  # fmt: skip
        # A line that replaces another is away for the moment between the two.
        assert sent > 10 and sent - received <= 2 * len(found.steps), told
    with Lab(texts, hosts, LINKS, tag=f"w{os.getpid()}{name[:2]}") as lab:
        lab.settle(quiet=3, least=4, most=40)
        # As they were written, device after device, the computed cut is there.
        done: tuple[Edit, ...] = ()
        expected = []
        for step in written:
            done = (*done, *step.edits)
            after = survey.rehearse(done).anew
            expected.append(
                not (after.path("desk", "pier").works == "yes"
                     and after.path("pier", "desk").works == "yes")
            )  # fmt: skip
        assert any(expected)
        assert cut_after(lab, survey, written) == expected
