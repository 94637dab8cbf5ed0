"""Whether a BGP speaker reaches its peer is the path's answer, on random networks."""

from __future__ import annotations

import json
import random
from dataclasses import dataclass, field

import pytest
from surveys import compute, frr, wired

from trochos.core.forwarding.path import Path, Traffic
from trochos.core.protocols.bgp.ends import BgpEnd
from trochos.core.step.legs import Leg
from trochos.core.survey import Computed

from .test_filters import ACCEPT, DROP, chain, match, rule, ruleset
from .test_rules import DEFAULT, LOCAL, MAIN


@dataclass
class Drawn:
    """A random network as files, and how a real one gets what does not stand in a router's text."""

    links: list[tuple[str, str, str, str]]
    files: dict[str, str]
    commands: dict[str, list[str]] = field(default_factory=dict)


def network(seed: int) -> Computed:
    return compute(drawn(seed).files)


def drawn(seed: int) -> Drawn:
    """Routers with statics, some of them odd, sessions between loopbacks, and on the way filters,
    rules and reverse-path checks."""
    rng = random.Random(seed)
    count = rng.randint(4, 6)
    names = [f"r{i}" for i in range(count)]
    pairs = [(rng.randrange(i), i) for i in range(1, count)]
    for _ in range(2):
        a, b = sorted(rng.sample(range(count), 2))
        if (a, b) not in pairs:
            pairs.append((a, b))
    ports: list[dict[str, str]] = [{"lo": f"10.64.255.{i + 1}/32"} for i in range(count)]
    near: list[list[tuple[int, str, str]]] = [[] for _ in names]
    links = []
    for number, (a, b) in enumerate(pairs):
        here, there = f"eth{len(ports[a])}", f"eth{len(ports[b])}"
        first, second = f"10.64.0.{4 * number + 1}", f"10.64.0.{4 * number + 2}"
        ports[a][here], ports[b][there] = f"{first}/30", f"{second}/30"
        near[a].append((b, second, here))
        near[b].append((a, first, there))
        links.append((names[a], here, names[b], there))
    lines: list[list[str]] = [[] for _ in names]
    for goal in range(count):
        distance, queue = {goal: 0}, [goal]
        for at in queue:
            for other, _, _ in near[at]:
                if other not in distance:
                    distance[other] = distance[at] + 1
                    queue.append(other)
        for at in range(count):
            if at == goal or rng.random() < 0.06:
                continue
            good = [n for n in near[at] if distance[n[0]] < distance[at]]
            taken = [rng.choice(near[at])] if rng.random() < 0.08 else good
            for _, gateway, _ in taken[: rng.choice((1, 1, 2))]:
                lines[at].append(f"ip route 10.64.255.{goal + 1}/32 {gateway}")
            for number, pair in enumerate(pairs):
                if goal == pair[0] and at not in pair:
                    lines[at].append(f"ip route 10.64.0.{4 * number}/30 {good[0][1]}")
    said: list[list[str]] = [[] for _ in names]
    for a, b in rng.sample([(x, y) for x in range(count) for y in range(x)], 4):
        for here, there in ((a, b), (b, a)):
            address = f"10.64.255.{there + 1}"
            if any(address in line for line in said[here]):
                continue
            said[here] += [f" neighbor {address} remote-as 65001"]
            if rng.random() < 0.85:
                said[here] += [f" neighbor {address} update-source lo"]
    files = {"topology.json": wired(*links)}
    made = Drawn(links, files)
    for at, name in enumerate(names):
        bgp = ["router bgp 65001", f" bgp router-id 10.64.255.{at + 1}", *said[at], "exit"]
        files[f"devices/{name}/frr.conf"] = frr(name, ports[at], *lines[at], "!", *bgp)
        what = rng.random()
        if what < 0.2:
            side = rng.choice(("dport", "sport"))
            hook = rng.choice(("forward", "forward", "input", "output"))
            does = rng.choice((DROP, ACCEPT))
            items = [chain(hook), rule(hook, match("tcp", side, 179), does)]
            word = "drop" if does is DROP else "accept"
            made.commands[name] = [
                "nft add table inet t",
                f"nft add chain inet t {hook} {{ type filter hook {hook} priority 0 ; }}",
                f"nft add rule inet t {hook} tcp {side} 179 {word}",
            ]
            files |= {f"devices/{name}/{file}": text for file, text in ruleset(*items).items()}
        elif what < 0.35:
            _, gateway, port = rng.choice(near[at])
            held = {"priority": 1000, "src": f"10.64.255.{rng.randint(1, count)}", "table": "7"}
            if rng.random() < 0.4:
                held = {"priority": 1000, "src": "all", "ipproto": "tcp", "dport": 179}
                held["table"] = "7"
            way = {"dst": "default", "gateway": gateway, "dev": port, "table": "7"}
            asks = "ipproto tcp dport 179" if "dport" in held else f"from {held['src']}"
            made.commands[name] = [
                f"ip rule add pref 1000 {asks} table 7",
                f"ip route add default via {gateway} dev {port} table 7",
            ]
            files[f"devices/{name}/rule.json"] = json.dumps([LOCAL, held, MAIN, DEFAULT])
            files[f"devices/{name}/tables.json"] = json.dumps([way])
        elif what < 0.5:
            text = "net.ipv4.ip_forward = 1\nnet.ipv4.conf.all.rp_filter = 1\n"
            files[f"devices/{name}/sysctl.txt"] = text
            made.commands[name] = ["sysctl -qw net.ipv4.conf.all.rp_filter=1"]
    return made


def asked(survey: Computed, end: BgpEnd, other: BgpEnd) -> Path:
    """The path of a session's packets that one of its ends opens."""
    traffic = Traffic(source=str(end.source), protocol="tcp", port=179)
    return survey.path(end.name, str(end.peer), traffic)


def delivered(leg: Leg | None, at: str) -> bool:
    found = leg.branches if leg is not None else ()
    return any(b.verdict == "delivered" and b.last.device == at for b in found)


@pytest.mark.parametrize("seed", range(60))
def test_a_session_s_packets_go_as_the_path_says(seed: int) -> None:
    survey = network(seed)
    for relation in survey.tables.relations():
        ends = [end for end in relation.ends if isinstance(end, BgpEnd)]
        if relation.protocol != "bgp" or any(e.peer is None or e.source is None for e in ends):
            continue
        gates = {gate.gate: gate.holds for gate in relation.gates}
        paths = {end.name: asked(survey, end, other) for end, other in (ends, ends[::-1])}
        works = []
        for end, other in (ends, ends[::-1]):
            there, back = paths[end.name].outbound, paths[other.name].back
            opens = delivered(there, other.name)
            answers = other.source == end.peer and delivered(back, other.name)
            works.append(opens and delivered(paths[end.name].back, end.name))
            if opens or answers:
                assert end.hops is not None, (relation, end.name)
            for leg, found, stopped in zip((there, back), end.arrives, end.on_the_way):
                if leg is not None and (leg is there or other.source == end.peer):
                    assert delivered(leg, other.name) == (found and stopped is None), end.name
        called = [end.calls(other) for end, other in (ends, ends[::-1])]
        opened = any(w for w, c in zip(works, called) if c == max(called))
        comes = gates["reachable"] and gates.get("filter", True)
        assert comes == opened, relation
        if relation.works:
            assert opened


@pytest.mark.thorough
def test_the_random_networks_have_all_that_is_to_be_seen() -> None:
    """Sessions that stand, ends that are not reached, and filters that stop them."""
    seen = set()
    for seed in range(60):
        for relation in network(seed).tables.relations():
            gates = {gate.gate: gate.holds for gate in relation.gates}
            seen.add((relation.works, gates.get("reachable"), gates.get("filter")))
    assert {(True, True, None), (True, True, True), (False, True, False)} <= seen
    assert any(works is False and reachable is False for works, reachable, _ in seen)
