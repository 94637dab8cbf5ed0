"""Many computations on all processors: in order, as many as are asked for; what fails is told."""

from __future__ import annotations

import json
import os
import signal
from typing import Any

import pytest
from surveys import KEY, ROOT

from trochos import cores
from trochos.cli.main import main
from trochos.core.survey import Computed
from trochos.local import read_folder


@pytest.fixture(autouse=True)
def two(monkeypatch: pytest.MonkeyPatch) -> None:
    """Two processors, however many this machine has."""
    monkeypatch.setattr(os, "sched_getaffinity", lambda _: {0, 1})


def test_results_come_in_order_from_other_processes() -> None:
    held = {"factor": 3}  # reached by the children, and not sent to them
    found = list(cores.on_all_cores(lambda n: (n * held["factor"], os.getpid()), [*range(40)]))
    assert [value for value, _ in found] == [n * 3 for n in range(40)]
    assert os.getpid() not in {process for _, process in found[1:]}


def test_few_are_computed_here() -> None:
    assert {*cores.on_all_cores(lambda _: os.getpid(), [1, 2, 3])} == {os.getpid()}


def test_what_is_not_asked_for_is_given_up() -> None:
    found: Any = cores.on_all_cores(str, [*range(1000)])
    assert [next(found) for _ in range(5)] == ["0", "1", "2", "3", "4"]
    found.close()


def test_what_a_killed_process_left_is_computed_here() -> None:
    here = os.getpid()

    def fragile(number: int) -> int:
        if number == 20 and os.getpid() != here:
            os.kill(os.getpid(), signal.SIGKILL)
        return number

    assert list(cores.on_all_cores(fragile, [*range(40)])) == [*range(40)]


def test_what_fails_there_fails_here() -> None:
    with pytest.raises(ZeroDivisionError):
        list(cores.on_all_cores(lambda n: 1 / (20 - n), [*range(40)]))


def test_a_sweep_on_all_processors_is_that_on_one(capsys: pytest.CaptureFixture[str]) -> None:
    folder = ROOT / "demo" / "healthy"
    main(["sweep", str(folder), "--links", "--json"])
    alone = Computed.from_files(read_folder(folder), KEY).sweep(links=True, devices=False)
    assert json.loads(capsys.readouterr().out) == json.loads(json.dumps(alone.as_nodes()))
