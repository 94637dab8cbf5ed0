"""Surveys held in memory: the garbage collector does not look through them, and lets go of them."""

from __future__ import annotations

import gc
import weakref

import pytest
from surveys import company

from trochos.core.survey import Computed
from trochos.server.surveys import store


@pytest.fixture(autouse=True)
def alone(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(store, "_computed", store.Held())


def held() -> Computed:
    survey = company()
    assert survey.reach.summary()["pairs"]
    return survey


def test_what_is_held_is_not_looked_through_again() -> None:
    store._remember(1, held())
    # Objects that are set aside are in no generation.
    listed = {id(item) for item in gc.get_objects()}
    assert id(store._computed[1].network.devices[0]) not in listed


def test_what_no_longer_fits_is_let_go(monkeypatch: pytest.MonkeyPatch) -> None:
    survey = held()
    monkeypatch.setattr(store, "_computed", store.Held(len(survey.network.devices) + 1))
    gone = weakref.ref(survey)
    store._remember(1, survey)
    del survey
    store._remember(2, held())
    store._remember(3, held())
    assert list(store._computed) == [3]
    assert gone() is None


def test_a_survey_that_is_too_large_is_held_alone(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(store, "_computed", store.Held(5))
    store._remember(1, held())
    store._remember(2, held())
    assert list(store._computed) == [2]
