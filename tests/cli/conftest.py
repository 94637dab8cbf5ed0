from __future__ import annotations

import pytest

from .calls import Call


@pytest.fixture
def call(capsys: pytest.CaptureFixture[str]) -> Call:
    return Call(capsys)
