"""Gathering from simulated devices: what comes back makes the survey they were made from."""

from __future__ import annotations

import asyncio
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path

import pytest

from devices.fleet import Fleet
from trochos.core.survey import Computed
from trochos.gather.collect import collect
from trochos.gather.credentials import Credential
from trochos.gather.methods import commands
from trochos.gather.survey import device_files, survey_files
from trochos.local import read_folder

from .live import PATIENT, credential, gather, gathered, running, targets_of, trusting

DEMO = Path(__file__).resolve().parents[2] / "demo" / "broken"
KEY = b"test"
METHODS = {
    "office": "restconf",
    "noddy": "restconf",
    "tide-tables": "snmp",
    "tern-camera": "snmp",
}


@pytest.fixture(scope="module")
def fleet() -> Iterator[Fleet]:
    with running(Fleet(read_folder(DEMO), METHODS)) as live:
        yield live


def bare(value: object) -> object:
    if isinstance(value, dict):
        quoting = ("because", "why", "lost_to", "evidence", "id")
        return {k: bare(v) for k, v in value.items() if k not in quoting}
    return [bare(item) for item in value] if isinstance(value, list) else value


def test_the_gathered_survey_gives_the_answers_of_its_source(fleet: Fleet) -> None:
    outcomes = gathered(fleet, PATIENT)
    assert {name: o.problem for name, o in outcomes.items() if o.problem} == {}
    assert {name: o.gathered.missing for name, o in outcomes.items() if o.gathered.missing} == {}
    files = survey_files(
        {name: device_files(o, KEY) for name, o in outcomes.items()},
        "Live",
        datetime(2026, 5, 4, 6, 30, tzinfo=UTC),
        (DEMO / "topology.json").read_text(),
    )
    source, live = Computed.from_files(read_folder(DEMO), KEY), Computed.from_files(files, KEY)
    assert live.network.title == "Live" and live.network.taken_at == "2026-05-04T06:30:00Z"
    ours, theirs = source.routes_json(None, False), live.routes_json(None, False)
    # SNMP does not tell the kernel's metric of a static entry; all else is equal.
    for snmp in ("tide-tables", "tern-camera"):
        for document in (ours, theirs):
            document["devices"].pop(snmp)  # type: ignore[attr-defined]
    assert bare(ours) == bare(theirs)
    assert source.reach.summary() == live.reach.summary()
    found = [{(f.kind, f.device) for f in survey.findings} for survey in (source, live)]
    assert found[0] == found[1]
    # What the devices say of their own tables stands beside the computed ones.
    for name in ("heron", "office", "gull", "tide-tables", "berth"):
        device = live.network.device(name)
        assert device is not None
    heron = live.network.device("heron")
    assert heron is not None and len(heron.gathered[4]) > 10
    berth = live.network.device("berth")
    assert berth is not None and berth.profile.name == "OpenConfig"
    assert {route.protocol for route in berth.gathered[4]} == {"connected", "static"}


def test_an_unknown_key_gets_nothing_and_a_changed_one_is_an_alarm(fleet: Fleet) -> None:
    targets = {t.name: t for t in targets_of(fleet)}
    for name in ("heron", "gull", "office", "berth"):
        (first,) = gather([targets[name]])
        assert first.kind == "key-unknown" and first.shown_key
        assert first.gathered.files == {}
        (second,) = gather([replace(targets[name], key="SHA256:somebodyelse")])
        assert second.kind == "key-changed"
        assert "SHA256:somebodyelse" in (second.problem or "")
        (third,) = gather([replace(targets[name], key=first.shown_key)])
        assert third.kind == "done"


def test_a_wrong_password_is_said_and_not_repeated(fleet: Fleet) -> None:
    for name in ("heron", "gull", "office", "berth"):
        target = trusting([t for t in targets_of(fleet) if t.name == name])[0]
        outcome = asyncio.run(collect(target, wrong))
        assert outcome.kind == "login-refused" and outcome.tries == 1
        assert "not this one" not in (outcome.problem or "")


def wrong(name: str) -> Credential:
    return replace(credential(name), password="not this one")


def test_snmp_version_3_gives_what_version_2_gives(fleet: Fleet) -> None:
    (target,) = (t for t in targets_of(fleet) if t.name == "tide-tables")
    (two,) = gather([target])
    (three,) = gather([replace(target, credential="fleet-snmp3")])
    assert three.problem is None
    assert two.gathered.files == three.gathered.files


def test_no_command_but_the_listed_ones_is_ever_run(
    fleet: Fleet, monkeypatch: pytest.MonkeyPatch
) -> None:
    from devices import shell

    asked: list[str] = []
    answered = shell.said

    def said(device, command):  # type: ignore[no-untyped-def]
        asked.append(command)
        return answered(device, command)

    monkeypatch.setattr(shell, "said", said)
    gathered_one = gather(trusting([t for t in targets_of(fleet) if t.name == "gull"]))
    assert gathered_one[0].problem is None
    assert set(asked) == {item.command for item in commands.READS}
    writing = ("configure", "clear", "set ", "add ", "del", "-w", ">", "|", ";")
    assert not any(word in command for command in asked for word in writing)


def test_a_configuration_of_routing_software_that_does_not_run_is_left_out(
    fleet: Fleet, monkeypatch: pytest.MonkeyPatch
) -> None:
    from devices import shell

    target = next(t for t in targets_of(fleet) if t.name == "slip-winch")
    answered = shell.said

    def said(device, command):  # type: ignore[no-untyped-def]
        if command == "cat /etc/frr/frr.conf":
            return "frr defaults traditional\nhostname slip-winch\n"
        return answered(device, command)

    monkeypatch.setattr(shell, "said", said)
    (outcome,) = gather(trusting([target]))
    assert outcome.problem is None
    assert "ip-route.json" in outcome.gathered.files
    assert "frr-stored.conf" not in outcome.gathered.files


def test_nothing_is_running_where_nobody_listens() -> None:
    from trochos.gather.inventory import Target

    (outcome,) = gather([Target("x", "127.0.0.1", "ssh", 9, "fleet", key="SHA256:x")])
    assert outcome.kind == "unreachable"
    assert outcome.problem and "127.0.0.1 port 9" in outcome.problem
