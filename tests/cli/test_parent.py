"""What is started beside the server ends with it, however that ends."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest
from surveys import ROOT

CHILD = """
import os, sys, time
from pathlib import Path
from trochos.parent import end_with_parent
end_with_parent()
Path(sys.argv[1]).write_text(str(os.getpid()))
time.sleep(120)
"""
STARTER = """
import os, subprocess, sys, time
named = {"TROCHOS_PARENT": str(os.getpid())} if sys.argv[3] == "named" else {}
subprocess.Popen([sys.executable, "-c", sys.argv[1], sys.argv[2]], env={**os.environ, **named})
time.sleep(120)
"""


def running(number: int) -> bool:
    state = Path(f"/proc/{number}/stat")
    return state.exists() and state.read_text().rsplit(")", 1)[1].split()[0] != "Z"


def until(true: Callable[[], object], seconds: float = 60) -> bool:
    end = time.monotonic() + seconds
    while not true():
        if time.monotonic() > end:
            return False
        time.sleep(0.05)
    return True


@pytest.mark.parametrize("how", ["named", "by itself"])
def test_a_process_ends_with_the_one_that_it_is_told_of(tmp_path: Path, how: str) -> None:
    told = tmp_path / "number"
    starter = subprocess.Popen(
        [sys.executable, "-c", STARTER, CHILD, str(told), how],
        env={**os.environ, "PYTHONPATH": str(ROOT / "src")},
    )
    assert until(lambda: told.exists() and told.read_text())
    child = int(told.read_text())
    try:
        starter.kill()
        starter.wait()
        ended = until(lambda: not running(child), 60 if how == "named" else 1)
        assert ended is (how == "named")
    finally:
        if running(child):
            os.kill(child, signal.SIGKILL)
