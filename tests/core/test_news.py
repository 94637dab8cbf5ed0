"""Routers that tell each other only what changed know in the end what they would know if each told
everybody everything in every update."""

from __future__ import annotations

import random
from collections.abc import Mapping
from typing import Any

import pytest
from core.test_again import seen
from surveys import compute, frr, wired

from trochos.core.network.addressing import Prefix
from trochos.core.protocols import vectors
from trochos.core.survey import Computed


def everything(
    telling: Any, local: Mapping[Any, Mapping[Prefix, Any]], rounds: int
) -> vectors.Settled[Any, Any]:
    """`vectors.Telling.settle`, as the RFCs say it."""

    def updated(known: Mapping[Any, Mapping[Prefix, Any]]) -> dict[Any, dict[Prefix, Any]]:
        out = {}
        for key, own in local.items():
            heard: dict[Prefix, list[Any]] = {}
            for teller, way in telling.ways.get(key, ()):
                for prefix, offer in telling.taken(key, way, known[teller]):
                    heard.setdefault(prefix, []).append(offer)
            found = {
                prefix: telling.choose(key, own.get(prefix), heard.get(prefix, []))
                for prefix in own.keys() | heard.keys()
            }
            out[key] = {prefix: what for prefix, what in found.items() if what is not None}
        return out

    known = {key: dict(held) for key, held in local.items()}
    for _ in range(rounds):
        fresh = updated(known)
        if fresh == known:
            return vectors.Settled(local, known, {})
        known = fresh
    later = updated(known)
    moving: dict[Prefix, list[Any]] = {}
    for key, held in later.items():
        for prefix in held.keys() | known[key].keys():
            if held.get(prefix) != known[key].get(prefix):
                moving.setdefault(prefix, []).append(key)
    for held in known.values():
        for prefix in moving:
            held.pop(prefix, None)
    return vectors.Settled(local, known, {prefix: moving[prefix] for prefix in sorted(moving)})


def network(seed: int) -> dict[str, str | bytes]:
    """Routers of RIP, RIPng or EIGRP with lists, offsets, versions, aggregates and summaries."""
    rng = random.Random(seed)
    kind = ("rip", "ripng", "eigrp")[seed % 3]
    six = kind == "ripng"
    count = rng.randrange(4, 9)
    ports: list[dict[str, str]] = [
        {"lo": f"fd00:{i // 3}::{i}/128" if six else f"10.{i // 3}.255.{i}/32"}
        for i in range(count)
    ]
    cables = []
    ends = [(rng.randrange(i), i) for i in range(1, count)]
    ends += [tuple(sorted(rng.sample(range(count), 2))) for _ in range(3)]  # type: ignore[misc]
    for number, (a, b) in enumerate(dict.fromkeys(ends), 1):
        names = []
        for place, end in ((1, a), (2, b)):
            port = f"eth{len(ports[end])}"
            ports[end][port] = (
                f"fd00:{number % 3}:{number}::{place}/64 fe80::{end + 1}/64"
                if six
                else f"10.{number % 3}.{number}.{place}/24"
            )
            names.append((f"r{end}", port))
        cables.append((*names[0], *names[1]))
    files: dict[str, str | bytes] = {"topology.json": wired(*cables)}
    for i, held in enumerate(ports):
        wires = [port for port in held if port != "lo"]
        lines, on = [f"router {kind}" + (" 7" if kind == "eigrp" else "")], []
        if six:
            lines += [f" network {port}" for port in held]
            if rng.random() < 0.4:
                lines.append(f" aggregate-address fd00:{rng.randrange(3)}::/32")
        else:
            lines.append(" network 10.0.0.0/8")
        if kind == "rip" and rng.random() < 0.3:
            lines.append(" version 1")
        if kind == "eigrp" and rng.random() < 0.4:
            on = [
                f"interface {rng.choice(wires)}",
                f" ip summary-address eigrp 7 10.{rng.randrange(3)}.0.0/16",
                "exit",
            ]
        if kind == "eigrp" and rng.random() < 0.3:
            lines.append(" variance 3")
        if kind == "rip" and rng.random() < 0.4:
            lines.append(f" offset-list any {rng.choice(['in', 'out'])} {rng.randrange(2, 6)}")
        if not six and rng.random() < 0.4:
            lines.append(f" distribute-list prefix NO {rng.choice(['in', 'out'])}")
        lists = [
            f"ip prefix-list NO seq 5 deny 10.{rng.randrange(3)}.0.0/16 le 32",
            "ip prefix-list NO seq 10 permit any",
            "access-list any seq 5 permit any",
        ]
        files[f"devices/r{i}/frr.conf"] = frr(f"r{i}", held, *lines, "exit", *on, *lists)
    return files


@pytest.mark.parametrize("seed", range(60))
def test_what_is_repeated_changes_nothing(seed: int, monkeypatch: pytest.MonkeyPatch) -> None:
    files = network(seed)
    survey: Computed = compute(files)
    found = seen(survey)
    monkeypatch.setattr(vectors.Telling, "settle", everything)
    assert seen(compute(files)) == found


def test_the_networks_have_all_that_mixes_what_is_said() -> None:
    """Else the comparison says nothing about it."""
    texts = [str(text) for seed in range(60) for text in network(seed).values()]
    for word in ("aggregate-address", "summary-address", "version 1", "offset-list", "variance"):
        assert sum(word in text for text in texts) > 3, word
    learned = sum(
        route.protocol in ("rip", "eigrp")
        for seed in range(12)
        for table in compute(network(seed)).tables.tables.values()
        for route in table.everything()
    )
    assert learned > 300
