"""Probes: only two commands, and what they say set beside the computed journey."""

from __future__ import annotations

import asyncio
from collections.abc import Iterator
from pathlib import Path

import pytest

from devices.fleet import Fleet
from trochos.core.diagnosis.probed import Echo, Probed, beside
from trochos.core.network.addressing import parse_address
from trochos.core.survey import Computed
from trochos.gather.probes import Question, ping_command, probe, trace_command
from trochos.gather.problems import Garbled, NotOffered
from trochos.local import read_folder

from .live import QUICK, credential, running, targets_of, trusting

DEMO = Path(__file__).resolve().parents[2] / "demo" / "broken"


@pytest.fixture(scope="module")
def survey() -> Computed:
    return Computed.from_files(read_folder(DEMO), b"k")


@pytest.fixture(scope="module")
def fleet() -> Iterator[Fleet]:
    with running(Fleet(read_folder(DEMO))) as live:
        yield live


def address(text: str):  # type: ignore[no-untyped-def]
    found = parse_address(text)
    assert found is not None
    return found


def test_commands_hold_addresses_and_numbers_only() -> None:
    asked = Question(address("10.64.65.10"), address("10.64.20.31"), 1400, True)
    assert ping_command(asked) == ("ping -4 -n -c 3 -W 1 -I 10.64.20.31 -s 1372 -M do 10.64.65.10")
    assert trace_command(asked) == "traceroute -4 -n -q 1 -w 1 -m 24 -s 10.64.20.31 10.64.65.10"
    assert ping_command(Question(address("fd00:64::1"))) == "ping -6 -n -c 3 -W 1 fd00:64::1"


@pytest.mark.parametrize(
    ("sender", "receiver"), [("tern-kiosk", "booking-db"), ("planning-desk", "skerry-kiosk")]
)
def test_a_live_device_sees_what_is_computed(
    fleet: Fleet, survey: Computed, sender: str, receiver: str
) -> None:
    (target,) = trusting([t for t in targets_of(fleet) if t.name == sender])
    path = survey.path(sender, receiver)
    seen = asyncio.run(probe(target, credential("fleet"), Question(path.target), QUICK))
    found = beside(survey.forwarding, path, seen)
    assert found.agrees and "as computed" in found.says
    assert (seen.echo.received > 0) == (path.works == "yes")
    assert seen.hops is not None
    assert {row.state for row in found.hops if row.answered} == {"same"}


def test_only_ssh_is_probed(fleet: Fleet) -> None:
    (target,) = (t for t in targets_of(fleet) if t.name == "heron")
    with pytest.raises(NotOffered, match="over SSH"):
        asyncio.run(probe(target, credential("fleet"), Question(address("10.64.0.1")), QUICK))
    with pytest.raises(NotOffered, match="no ping"):
        (quiet,) = trusting([t for t in targets_of(fleet) if t.name == "gull"])
        fleet.devices["gull"].answers = None
        asyncio.run(probe(quiet, credential("fleet"), Question(address("10.64.0.1")), QUICK))


@pytest.mark.parametrize(
    ("printed", "received"),
    [
        ("ping: connect: Network is unreachable\n", 0),
        ("3 packets transmitted, 0 received, +3 errors, 100% packet loss\n", 0),
        ("3 packets transmitted, 2 packets received, 33% packet loss\n", 2),
        ("ping: unrecognized option: M\n", None),
        ("ping: socket: Operation not permitted\n", None),
        ("", None),
    ],
)
def test_a_ping_that_does_not_ask_is_no_silence(
    fleet: Fleet, printed: str, received: int | None
) -> None:
    (target,) = trusting([t for t in targets_of(fleet) if t.name == "tern"])
    fleet.devices[target.name].answers = lambda who, command: printed
    asked = probe(target, credential("fleet"), Question(address("10.64.0.1")), QUICK)
    if received is None:
        with pytest.raises(Garbled, match="did not ask"):
            asyncio.run(asked)
    else:
        assert asyncio.run(asked).echo.received == received


def test_a_silent_hop_in_the_middle_is_not_the_break(survey: Computed) -> None:
    path = survey.path("tern-kiosk", "booking-db")
    hops = [hop.device for hop in path.outbound.branches[0].hops[1:]]
    assert len(hops) > 2
    shown = [(str(main_of(survey, name)),) for name in hops]
    good = Probed(Echo(3, 3), tuple(shown))
    assert beside(survey.forwarding, path, good).says == "tern-kiosk gets an answer, as computed."
    silent = Probed(Echo(3, 3), ((), *shown[1:]))
    found = beside(survey.forwarding, path, silent)
    assert found.agrees and "Hop 1 did not answer, and is not where it breaks" in found.says
    assert found.hops[0].state == "silent"


def test_disagreement_is_said(survey: Computed) -> None:
    works, fails = survey.path("tern-kiosk", "booking-db"), survey.path("crane-panel", "booking-db")
    found = beside(survey.forwarding, works, Probed(Echo(3, 0, "10.64.21.1 answered: no"), ()))
    assert not found.agrees and "something changed" in found.says and "10.64.21.1" in found.says
    assert {row.state for row in found.hops} == {"stops"}
    found = beside(survey.forwarding, fails, Probed(Echo(3, 3), None))
    assert not found.agrees and "although the survey says otherwise" in found.says
    elsewhere = Probed(Echo(3, 3), ((str(main_of(survey, "petrel")),),))
    found = beside(survey.forwarding, works, elsewhere)
    assert not found.agrees and "over petrel at hop 1" in found.says
    found = beside(survey.forwarding, fails, Probed(Echo(3, 0), ()))
    assert found.agrees and "as computed" in found.says


def main_of(survey: Computed, name: str):  # type: ignore[no-untyped-def]
    device = survey.network.device(name)
    assert device is not None
    for interface in device.interfaces:
        for fact in interface.addresses:
            if fact.address.family == 4 and not str(fact.address).startswith("127."):
                return fact.address
    raise AssertionError(name)
