"""A command run in this process, and what it printed."""

from __future__ import annotations

import json

import pytest

from trochos.cli.main import main


class Call:
    """Runs a command in this process and keeps what it printed."""

    def __init__(self, capsys: pytest.CaptureFixture[str]) -> None:
        self.capsys = capsys

    def __call__(self, *arguments: str) -> tuple[int, str, str]:
        status = main(list(arguments))
        out, err = self.capsys.readouterr()
        return status, out, err

    def json(self, *arguments: str):  # type: ignore[no-untyped-def]
        status, out, err = self(*arguments, "--json")
        assert err == ""
        assert out.count("\n") == 1
        return status, json.loads(out)
