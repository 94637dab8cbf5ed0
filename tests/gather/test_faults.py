"""Bad devices: each costs only itself, says why, and never more than its bounds."""

from __future__ import annotations

import asyncio
import time
from dataclasses import replace
from pathlib import Path

import pytest

from devices.faults import FAULTS
from devices.fleet import Fleet
from trochos.core.survey import Computed
from trochos.gather.bounds import Bounds
from trochos.gather.survey import OUTCOME_FILE, device_files
from trochos.local import read_folder

from .live import QUICK, gather, gathered, running, targets_of

DEMO = Path(__file__).resolve().parents[2] / "demo" / "broken"
TIGHT = replace(QUICK, step=2, connect=2, device=8, item_bytes=1 << 20)
# What is not stopped by a clock is stopped by what it says, however slow the machine is.
AMPLE = replace(TIGHT, step=60, connect=60, device=180, item_bytes=1 << 17)
EXPECTED = {
    "silent": {"unreachable", "timeout"},
    "hang": {"timeout"},
    "close": {"closed"},
    "garbage": {"garbled", "closed", "not-offered", "timeout", "too-much"},
    "endless": {"too-much", "garbled"},
    "lie": {"garbled"},
    "refuse": {"login-refused", "timeout"},
}


def files_for(names: list[str]) -> dict[str, bytes]:
    return {
        path: data
        for path, data in read_folder(DEMO).items()
        if path.split("/")[1:2] and path.split("/")[1] in names
    }


@pytest.mark.parametrize(
    ("method", "name"),
    [
        ("netconf", "heron"),
        ("restconf", "office"),
        ("gnmi", "teal"),
        ("ssh", "gull"),
        ("snmp", "tide-tables"),
    ],
)
def test_every_fault_has_its_sentence(method: str, name: str) -> None:
    for fault, kinds in EXPECTED.items():
        if method == "snmp" and fault == "close":
            continue  # there is no connection to close
        fleet = Fleet(files_for([name]), {name: method}, {name: fault})
        bounds = TIGHT if "timeout" in kinds else AMPLE
        with running(fleet):
            started = time.monotonic()
            # A device that refuses or hangs later still shows its key first.
            outcome = gathered(fleet, bounds)[name]
            assert time.monotonic() - started < 60 + bounds.device
        assert outcome.kind in kinds, (fault, outcome.kind, outcome.problem)
        assert outcome.problem and outcome.problem.endswith(".")
        assert outcome.gathered.files == {}


def test_a_key_that_changes_between_two_gatherings_is_an_alarm() -> None:
    fleet = Fleet(files_for(["heron"]))
    with running(fleet):
        known = gathered(fleet)["heron"].target.key
    changed = Fleet(files_for(["heron"]), {}, {"heron": "new-key"})
    with running(changed):
        outcome = gathered(changed, keys={"heron": known or ""})["heron"]
    assert outcome.kind == "key-changed"
    assert "new-key" in FAULTS


def test_a_device_that_failed_is_unread_and_answers_say_so() -> None:
    names = ["heron", "gull", "tern"]
    fleet = Fleet(files_for(names), {}, {"gull": "close"})
    with running(fleet):
        outcomes = gathered(fleet, TIGHT)
    files = {
        f"devices/{name}/{file}": text.encode()
        for name, outcome in outcomes.items()
        for file, text in device_files(outcome, b"k").items()
    }
    assert f"devices/gull/{OUTCOME_FILE}" in files
    survey = Computed.from_files(files, b"k")
    gull = survey.network.device("gull")
    assert gull is not None and gull.role == "unread"
    report = next(r for r in survey.survey.reading if r.device == "gull")
    assert report.note == outcomes["gull"].problem


def test_a_bad_device_costs_only_itself() -> None:
    names = ["heron", "gull", "tern", "office", "tide-tables"]
    fleet = Fleet(files_for(names), {"tide-tables": "snmp"}, {"gull": "hang", "tern": "endless"})
    with running(fleet):
        outcomes = gathered(fleet, TIGHT)
    assert {n for n, o in outcomes.items() if o.problem} == {"gull", "tern"}


def test_what_helps_is_tried_again_and_what_does_not_is_not() -> None:
    fleet = Fleet(files_for(["gull", "heron"]), {}, {"gull": "silent", "heron": "refuse"})
    bounds = Bounds(connect=1, step=1, device=10, tries=3, backoff=0.05)
    with running(fleet):
        targets = [replace(t, key="SHA256:any") for t in targets_of(fleet)]
        outcomes = {o.target.name: o for o in gather(targets, bounds)}
    assert outcomes["gull"].tries == 3
    assert outcomes["heron"].tries == 1


def test_a_gathering_can_be_cancelled() -> None:
    from trochos.gather.run import gather_all

    from .live import credential, trusting

    fleet = Fleet(files_for(["gull"]), {}, {"gull": "hang"})

    async def run(targets) -> float:  # type: ignore[no-untyped-def]
        started = time.monotonic()
        task = asyncio.create_task(gather_all(targets, credential, QUICK))
        await asyncio.sleep(0.5)
        task.cancel()
        with pytest.raises(asyncio.CancelledError):
            await task
        return time.monotonic() - started

    with running(fleet):
        targets = trusting(targets_of(fleet), TIGHT)
        assert asyncio.run(run(targets)) < 3
