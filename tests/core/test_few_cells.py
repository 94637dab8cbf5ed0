"""A change of few routes puts them into the tables and verdicts from before; the answers equal
those of the same network computed from nothing. On networks in which everything runs
(bench/mixed.py)."""

from __future__ import annotations

import gc
import pickle
import random
import sys
from weakref import ref

import pytest
from core.test_again import seen
from surveys import KEY, ROOT

from trochos.core.change.rehearse import compare_pairs
from trochos.core.network.edits import Down, Edit
from trochos.core.protocols.bgp import exchange
from trochos.core.survey import Computed

sys.path.append(str(ROOT / "bench"))
from mixed import mixed


def network(seed: int, routers: int = 30) -> Computed:
    files = {name: text.encode() for name, text in mixed(routers, 12, seed).items()}
    return Computed.from_files(files, KEY)


def drops(survey: Computed, rng: random.Random, count: int) -> list[tuple[Edit, ...]]:
    ends = [
        (device.name, interface.name)
        for device in survey.network.devices
        for interface in device.interfaces
        if not interface.loopback
    ]
    return [(Down((end,)),) for end in rng.sample(ends, count)]


@pytest.mark.thorough
@pytest.mark.parametrize("seed", range(4))
def test_what_few_cells_change_equals_all_computed_anew(seed: int) -> None:
    survey, rng = network(seed), random.Random(seed)
    kept = patched = few = 0
    for edits in drops(survey, rng, 5):
        rehearsal = survey.rehearse(edits)
        assert seen(rehearsal.after) == seen(rehearsal.anew), edits
        anew = compare_pairs(survey.reach, rehearsal.anew.reach)
        assert rehearsal.effect.as_json() == anew.as_json(), edits
        for key, table in rehearsal.after.tables.tables.items():
            kept += table is survey.tables.tables[key]
            patched += table.unlike_followed(survey.tables.tables[key]) is not None
        few += sum(len(family.matches.few) for family in rehearsal.after.reach.families.values())
    # What is compared are the short ways, not all anew.
    assert kept > 60
    assert patched > 10
    assert few > 10


@pytest.mark.thorough
def test_a_copy_of_a_copy_equals_it_too() -> None:
    survey = network(7)
    first, second = drops(survey, random.Random(3), 2)
    again = survey.rehearse(first).after.rehearse(second)
    assert seen(again.after) == seen(again.anew)


@pytest.mark.thorough
@pytest.mark.parametrize("seed", range(4))
def test_sessions_asked_once_say_what_each_would_say(
    seed: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Of prefixes with the same attributes one is asked about; here every one is."""
    asked = []
    real = exchange.give

    def counting(*given: object) -> object:
        asked.append(given)
        return real(*given)  # type: ignore[arg-type]

    monkeypatch.setattr(exchange, "give", counting)
    together = seen(network(seed))
    few = len(asked)
    monkeypatch.setattr(exchange.Exchange, "_is_plain", lambda *_: False)
    assert seen(network(seed)) == together
    assert few * 3 < len(asked) - few


@pytest.mark.thorough
def test_a_copy_goes_when_nobody_holds_it() -> None:
    """No circle keeps it until somebody looks for circles: of 1,000 routers a copy has hundreds of
    megabytes, and searches make many."""
    survey = network(2)
    (edits,) = drops(survey, random.Random(1), 1)
    rehearsal = survey.rehearse(edits)
    assert rehearsal.effect.counts()
    parts = [
        ref(part)
        for part in (
            rehearsal.after,
            rehearsal.after.tables.links,
            rehearsal.after.forwarding,
            rehearsal.after.reach.families[4],
            *rehearsal.after.tables.speakers,
        )
        if hasattr(part, "__dict__")
    ]
    assert len(parts) > 5
    gc.disable()
    try:
        del rehearsal
        assert [part() for part in parts] == [None] * len(parts)
    finally:
        gc.enable()


@pytest.mark.thorough
def test_what_comes_back_from_a_file_answers_as_before() -> None:
    """What is remembered by the numbers of objects has other numbers in another process."""
    survey = network(3)
    first, second = drops(survey, random.Random(5), 2)
    survey.rehearse(first).effect.counts()
    limit = sys.getrecursionlimit()
    sys.setrecursionlimit(20_000)
    try:
        back = pickle.loads(pickle.dumps(survey))
    finally:
        sys.setrecursionlimit(limit)
    held = back.tables.links._of_parts
    assert held
    assert all(key == tuple(map(id, parts)) for key, (parts, _) in held.items())
    rehearsal = back.rehearse(second)
    assert seen(rehearsal.after) == seen(survey.rehearse(second).anew)
