"""The order of a change's steps, held against every order there is."""

from __future__ import annotations

import itertools
import random

import pytest
from surveys import compute, frr, wired

from trochos.core.network.edits import Edit, EditError, TextEdit
from trochos.core.survey import Computed
from trochos.core.whole.order import Order, steps_of

# desk - ant, two ways from ant to dock over bee or cat, pier behind dock.
LINKS = [
    ("desk", "eth0", "ant", "eth0"), ("ant", "eth1", "bee", "eth1"),
    ("ant", "eth2", "cat", "eth1"), ("bee", "eth2", "dock", "eth1"),
    ("cat", "eth2", "dock", "eth2"), ("dock", "eth0", "pier", "eth0"),
]  # fmt: skip
PORTS = {
    "ant": {"eth0": "10.64.1.1/24", "eth1": "10.64.12.1/30", "eth2": "10.64.13.1/30"},
    "bee": {"eth1": "10.64.12.2/30", "eth2": "10.64.24.1/30"},
    "cat": {"eth1": "10.64.13.2/30", "eth2": "10.64.34.1/30"},
    "dock": {"eth0": "10.64.4.1/24", "eth1": "10.64.24.2/30", "eth2": "10.64.34.2/30"},
    "desk": {"eth0": "10.64.1.10/24"},
    "pier": {"eth0": "10.64.4.10/24"},
}
STATICS = {
    "ant": ["ip route 10.64.4.0/24 10.64.12.2"],
    "bee": ["ip route 10.64.4.0/24 10.64.24.2", "ip route 10.64.1.0/24 10.64.12.1"],
    "cat": [],
    "dock": ["ip route 10.64.1.0/24 10.64.24.1"],
    "desk": ["ip route 0.0.0.0/0 10.64.1.1"],
    "pier": ["ip route 0.0.0.0/0 10.64.4.1"],
}


def network(statics: dict[str, list[str]] = STATICS) -> Computed:
    files = {f"devices/{n}/frr.conf": frr(n, PORTS[n], *statics[n]) for n in PORTS}
    return compute({"topology.json": wired(*LINKS), **files})


def change(device: str, *, take: str = "", put: str = "") -> TextEdit:
    return TextEdit(device, "frr.conf", (), (take,) if take else (), (put,) if put else ())


MIGRATION: tuple[Edit, ...] = (
    # Written in the order that cuts: what leads over bee goes first.
    change("bee", take="ip route 10.64.1.0/24 10.64.12.1"),
    change("bee", take="ip route 10.64.4.0/24 10.64.24.2"),
    change("dock", take="ip route 10.64.1.0/24 10.64.24.1", put="ip route 10.64.1.0/24 10.64.34.1"),
    change("ant", take="ip route 10.64.4.0/24 10.64.12.2", put="ip route 10.64.4.0/24 10.64.13.2"),
    change("cat", put="ip route 10.64.4.0/24 10.64.34.2"),
    change("cat", put="ip route 10.64.1.0/24 10.64.13.1"),
)
GOOD = {False: 0, "partly": 1, True: 2}


def works(survey: Computed) -> dict[tuple[str, str, str, str], int]:
    """Every pair that works, by walking the rows of `reach`."""
    rows = (pair.as_json() for pair in survey.reach.pairs())
    return {
        (str(r["from"]), str(r["source"]), str(r["to"]), str(r["device"])): GOOD[r["ok"]]  # type: ignore[index]
        for r in rows
        if r["ok"] in (True, "partly")
    }


class Brute:
    """Every order of some steps, tried."""

    def __init__(self, survey: Computed, edits: tuple[Edit, ...], fine: bool) -> None:
        self.survey, self.edits = survey, edits
        self.steps = steps_of(edits, fine)
        self.known: dict[frozenset[int], int | None] = {}
        before, after = works(survey), works(survey.rehearse(edits).anew)
        self.keep = {pair: min(before[pair], after[pair]) for pair in before.keys() & after}

    def cuts(self, done: frozenset[int]) -> int | None:
        if done not in self.known:
            chosen = [e for n, step in enumerate(self.steps) if n in done for e in step.edits]
            ordered = tuple(e for e in self.edits if any(e is c for c in chosen))
            try:
                held = works(self.survey.rehearse(ordered).anew)
                self.known[done] = sum(
                    held.get(pair, 0) < least for pair, least in self.keep.items()
                )
            except EditError:
                self.known[done] = None
        return self.known[done]

    def best(self) -> tuple[int, int]:
        found = []
        for permutation in itertools.permutations(range(len(self.steps))):
            cuts = [self.cuts(frozenset(permutation[: n + 1])) for n in range(len(permutation))]
            if None not in cuts:
                found.append((sum(c > 0 for c in cuts), sum(cuts)))  # type: ignore[misc,arg-type]
        return min(found)


def cost(found: Order) -> tuple[int, int]:
    return sum(step.cuts > 0 for step in found.steps), sum(step.cuts for step in found.steps)


def test_a_move_to_the_other_way_is_put_in_order() -> None:
    survey = network()
    found = survey.order(MIGRATION)
    assert found.safe and found.exact
    names = [step.device for step in found.steps]
    assert names.index("cat") < min(names.index("ant"), names.index("dock"))
    assert names[-1] == "bee"
    assert found.tried < 16, "a safe order needs no search through all of them"
    document = found.as_json()
    assert document["safe"] is True and len(document["steps"]) == 4  # type: ignore[arg-type]


@pytest.mark.thorough
def test_where_no_order_is_safe_the_least_cut_is_found() -> None:
    renumbered: tuple[Edit, ...] = (
        TextEdit("ant", "frr.conf", ("interface eth1",), ("ip address 10.64.12.1/30",),
                 ("ip address 10.64.99.1/30",)),
        change("ant", take="ip route 10.64.4.0/24 10.64.12.2",
               put="ip route 10.64.4.0/24 10.64.99.2"),
        TextEdit("bee", "frr.conf", ("interface eth1",), ("ip address 10.64.12.2/30",),
                 ("ip address 10.64.99.2/30",)),
        change("bee", take="ip route 10.64.1.0/24 10.64.12.1",
               put="ip route 10.64.1.0/24 10.64.99.1"),
    )  # fmt: skip
    survey = network()
    found = survey.order(renumbered)
    assert not found.safe and found.exact and "No order is safe" in found.says
    assert cost(found) == min(Brute(survey, renumbered, fine).best() for fine in (False, True))
    assert any(step.examples for step in found.steps)


def test_edits_of_one_device_are_split_where_that_helps() -> None:
    """ant takes up the way over cat and gives it its own route back: only between the two may
    cat and dock change."""
    statics = {**STATICS, "ant": [*STATICS["ant"]], "cat": ["ip route 10.64.4.0/24 10.64.34.2"]}
    edits: tuple[Edit, ...] = (
        change("cat", put="ip route 10.64.1.0/24 10.64.13.1"),
        change("cat", take="ip route 10.64.4.0/24 10.64.34.2",
               put="ip route 10.64.4.0/24 10.64.13.1"),
        change("dock", take="ip route 10.64.1.0/24 10.64.24.1",
               put="ip route 10.64.1.0/24 10.64.34.1"),
        change("bee", take="ip route 10.64.1.0/24 10.64.12.1"),
    )  # fmt: skip
    survey = network(statics)
    found = survey.order(edits)
    assert found.safe == (Brute(survey, edits, True).best() == (0, 0))
    assert found.safe


def test_nobody_cuts_the_way_to_what_is_still_to_be_changed() -> None:
    """From the desk, cat can only be reached as long as ant has its way to it."""
    edits: tuple[Edit, ...] = (
        TextEdit("ant", "frr.conf", ("interface eth2",), (), ("shutdown",)),
        change("cat", put="ip route 10.64.250.0/24 10.64.34.2"),
    )
    statics = {**STATICS, "cat": ["ip route 10.64.1.0/24 10.64.13.1"]}
    survey = network(statics)
    free = survey.order(edits)
    assert free.safe and [step.device for step in free.steps] == ["ant", "cat"], "as written"
    found = survey.order(edits, "desk")
    assert found.safe and [step.device for step in found.steps] == ["cat", "ant"]
    lost = network().order(edits, "desk")
    assert not lost.safe and "cat cannot be reached from desk" in lost.says


def test_nothing_to_do_is_safe() -> None:
    found = network().order(())
    assert found.safe and found.exact and found.steps == []


def test_a_search_that_is_stopped_says_so() -> None:
    found = network().order(MIGRATION, watch=lambda done, of, what: done < 2)
    assert len(found.steps) >= 4 and not found.exact
    assert found.safe or "in the time there was" in found.says


@pytest.mark.parametrize("seed", range(8))
def test_random_changes_equal_every_order_tried(seed: int) -> None:
    rng = random.Random(seed)
    ways = {
        "ant": ("10.64.4.0/24", ["10.64.12.2", "10.64.13.2"]),
        "bee": ("10.64.4.0/24", ["10.64.24.2"]),
        "cat": ("10.64.4.0/24", ["10.64.34.2"]),
        "dock": ("10.64.1.0/24", ["10.64.24.1", "10.64.34.1"]),
    }
    back = {"bee": "10.64.12.1", "cat": "10.64.13.1"}

    def drawn() -> dict[str, list[str]]:
        out = {name: list(lines) for name, lines in STATICS.items()}
        for name, (prefix, hops) in ways.items():
            out[name] = [f"ip route {prefix} {rng.choice(hops)}"]
        for name, hop in back.items():
            out[name] += [f"ip route 10.64.1.0/24 {hop}"] if rng.random() < 0.7 else []
            out[name] = out[name] if rng.random() < 0.7 else []
        return out

    old, new = drawn(), drawn()
    edits: list[Edit] = []
    for name in ways:
        gone = tuple(line for line in old[name] if line not in new[name])
        come = tuple(line for line in new[name] if line not in old[name])
        if gone or come:
            edits.append(TextEdit(name, "frr.conf", (), gone, come))
    rng.shuffle(edits)
    survey = network(old)
    found = survey.order(tuple(edits))
    assert found.exact
    if edits:
        assert cost(found) == Brute(survey, tuple(edits), False).best()
