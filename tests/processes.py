"""Processes that tests start: what they say goes into a file, for a pipe that nobody empties holds
them up once it is full, and who waits for a line waits only so long."""

from __future__ import annotations

import subprocess
import time
from collections.abc import Mapping, Sequence
from pathlib import Path


class Talking:
    """A process, and all that it said, on both its outputs."""

    def __init__(self, command: Sequence[str], environment: Mapping[str, str], log: Path) -> None:
        self.log = log
        with open(log, "ab") as out:
            self._begin = out.tell()
            self.process = subprocess.Popen(
                list(command), env=dict(environment), stdout=out, stderr=subprocess.STDOUT,
                stdin=subprocess.DEVNULL,
            )  # fmt: skip

    def said(self) -> str:
        """All that it said so far."""
        with open(self.log, "rb") as stream:
            stream.seek(self._begin)
            return stream.read().decode("utf-8", "replace")

    def line(self, words: str, patience_s: float) -> str:
        """The first line with these words; AssertionError where it ends, or is silent, before."""
        until = time.monotonic() + patience_s
        while True:
            ended = self.process.poll() is not None
            for line in self.said().splitlines(keepends=True):
                if words in line and line.endswith("\n"):
                    return line.rstrip("\n")
            assert not ended, f"it ended before it said {words!r}: {self.said()[-2000:]}"
            assert time.monotonic() < until, f"it never said {words!r}: {self.said()[-2000:]}"
            time.sleep(0.05)

    def end(self, patience_s: float = 60) -> None:
        """Ends it as a service manager does: asked first, then made to."""
        self.process.terminate()
        try:
            self.process.wait(patience_s)
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait()
