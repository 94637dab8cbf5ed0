"""RIP, EIGRP and BGP on small random networks, against a direct reading of the RFCs.

The readings here share nothing with what computes tables: ways are listed one by one, or every
router is asked in turn until nobody has news.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from itertools import count

import pytest
from surveys import compute, frr, wired

from trochos.core.network.facts import Profile
from trochos.core.protocols.tables import Tables, compute_tables
from trochos.core.survey import Computed

INFINITY = 16


@dataclass(frozen=True)
class Port:
    """One end of a link: whose, its name and address, and who is at the other end."""

    router: int
    name: str
    address: str
    far: int
    far_address: str
    subnet: str


@dataclass
class Drawn:
    """Routers in a random connected graph, each with a loopback of its own."""

    count: int
    ports: list[list[Port]] = field(default_factory=list)
    links: list[tuple[str, str, str, str]] = field(default_factory=list)

    @staticmethod
    def of(rng: random.Random, most: int = 6) -> Drawn:
        drawn = Drawn(rng.randint(3, most))
        pairs = {(rng.randrange(i), i) for i in range(1, drawn.count)}
        for _ in range(rng.randint(1, 3)):
            a, b = sorted(rng.sample(range(drawn.count), 2))
            pairs.add((a, b))
        drawn.ports = [[] for _ in range(drawn.count)]
        for number, (a, b) in enumerate(sorted(pairs)):
            here, there = f"eth{len(drawn.ports[a]) + 1}", f"eth{len(drawn.ports[b]) + 1}"
            first, second = f"10.64.0.{4 * number + 1}", f"10.64.0.{4 * number + 2}"
            subnet = f"10.64.0.{4 * number}/30"
            drawn.ports[a].append(Port(a, here, first, b, second, subnet))
            drawn.ports[b].append(Port(b, there, second, a, first, subnet))
            drawn.links.append((f"r{a}", here, f"r{b}", there))
        return drawn

    def loopback(self, router: int) -> str:
        return f"10.64.255.{router + 1}/32"

    def own(self, router: int) -> set[str]:
        return {self.loopback(router), *(port.subnet for port in self.ports[router])}

    def survey(self, lines: list[list[str]], within: dict[tuple[int, str], list[str]]) -> Computed:
        """The network with these lines per router, and these within its interfaces."""
        files = {"topology.json": wired(*self.links)}
        for router in range(self.count):
            ports = {"lo": self.loopback(router)}
            ports |= {port.name: f"{port.address}/30" for port in self.ports[router]}
            text = frr(f"r{router}", ports, *lines[router])
            for (whose, name), more in within.items():
                if whose == router:
                    head = f"interface {name}\n"
                    text = text.replace(head, head + "".join(f" {line}\n" for line in more))
            files[f"devices/r{router}/frr.conf"] = text
        return compute(files)


Answer = dict[tuple[int, str], tuple[int, set[str]]]
"""Per router and prefix: the metric, and the next hops' addresses."""


def held(survey: Computed, protocol: str) -> Answer:
    """What the computed tables hold of a protocol."""
    return held_in(survey.tables, protocol)


def held_in(tables: Tables, protocol: str) -> Answer:
    out: Answer = {}
    for device in tables.network.devices:
        for route in tables.of(device.name, 4).everything():
            if route.protocol == protocol:
                hops = {str(hop.address) for hop in route.next_hops}
                out[int(device.name[1:]), str(route.prefix)] = route.metric, hops
    return out


# -- RIP: RFC 2453 ------------------------------------------------------------------------


@pytest.mark.parametrize("seed", range(40))
def test_rip_is_the_cheapest_of_all_ways(seed: int) -> None:
    """RFC 2453, 3.4: the metric is the sum of the links' costs, 16 stands for no way; 3.9.2: each
    neighbour whose metric and cost give the least is a next hop (`allow-ecmp` is on)."""
    rng = random.Random(seed)
    drawn = Drawn.of(rng)
    lines: list[list[str]] = []
    silent: set[tuple[int, str]] = set()
    taken: dict[tuple[int, str], int] = {}
    given: dict[tuple[int, str], int] = {}
    owned: dict[int, dict[str, int]] = {}
    for router in range(drawn.count):
        owned[router] = dict.fromkeys(drawn.own(router), 1)
        mine = ["router rip", " network 10.64.0.0/16", " allow-ecmp"]
        for port in drawn.ports[router]:
            end = (router, port.name)
            if rng.random() < 0.1:
                silent.add(end)
                mine.append(f" passive-interface {port.name}")
            if rng.random() < 0.3:
                taken[end] = rng.choice((1, 2, 3, 9))
                mine.append(f" offset-list all in {taken[end]} {port.name}")
            if rng.random() < 0.2:
                given[end] = rng.choice((1, 2, 8))
                mine.append(f" offset-list all out {given[end]} {port.name}")
        if rng.random() < 0.4:
            cost = rng.choice((1, 5, 14))
            owned[router][f"10.65.{router}.0/24"] = cost
            mine.append(f" redistribute static metric {cost}")
        mine += ["exit", "access-list all seq 5 permit any"]
        lines.append([f"ip route 10.65.{router}.0/24 blackhole", *mine])
    expected: Answer = {}
    for start in range(drawn.count):
        for goal in range(drawn.count):
            for name, cost in owned[goal].items():
                # A router knows its own subnets, and a static route it has it uses itself.
                if name in owned[start] or name == f"10.65.{start}.0/24":
                    continue
                for hop, total in _rip_ways(
                    drawn, start, goal, name, cost, owned, silent, taken, given
                ):
                    known = expected.get((start, name))
                    if known is None or total < known[0]:
                        expected[start, name] = total, {hop}
                    elif total == known[0]:
                        known[1].add(hop)
    assert held(drawn.survey(lines, {}), "rip") == expected


def _rip_ways(drawn, start, goal, name, cost, owned, silent, taken, given):  # type: ignore[no-untyped-def]
    """Every way without a circle on which news of a prefix comes from its owner: by which
    neighbour, and what it costs."""

    def onwards(at: int, metric: int, passed: tuple[int, ...], last: str) -> Iterator[tuple]:
        if at == start:
            yield last, metric
            return
        for port in drawn.ports[at]:
            end = (at, port.name)
            if port.far in passed or end in silent:
                continue
            if at == goal and port.subnet == name:
                continue  # split horizon: everybody on the link has it
            if port.far != start and name in owned[port.far]:
                continue  # who owns it tells of its own
            far = next(p for p in drawn.ports[port.far] if p.subnet == port.subnet)
            sent = metric + given.get(end, 0)
            if sent >= INFINITY:
                continue
            total = sent + taken.get((port.far, far.name), 1)
            if total < INFINITY:
                yield from onwards(port.far, total, (*passed, port.far), port.address)

    yield from onwards(goal, cost, (goal,), "")


# -- EIGRP: RFC 7868 ------------------------------------------------------------------------


@pytest.mark.parametrize("seed", range(40))
def test_eigrp_is_what_neighbours_tell_until_nobody_has_news(seed: int) -> None:
    """RFC 7868, 5.6.2: the metric is 256 times the inverse of the least bandwidth and the summed
    delay; 5.4: who is nearer than the feasible distance is a feasible successor, and 3.8 takes
    those within the variance."""
    rng = random.Random(seed)
    drawn = Drawn.of(rng)
    bandwidth: dict[tuple[int, str], int] = {}
    delay: dict[tuple[int, str], int] = {}
    within: dict[tuple[int, str], list[str]] = {}
    silent: set[tuple[int, str]] = set()
    variance: list[int] = []
    lines: list[list[str]] = []
    for router in range(drawn.count):
        mine = ["router eigrp 7", f" eigrp router-id 10.64.255.{router + 1}"]
        mine.append(" network 10.64.0.0/16")
        for port in drawn.ports[router]:
            end = (router, port.name)
            bandwidth[end] = rng.choice((10_000, 100_000, 1_000_000, 1_544))
            delay[end] = rng.randint(1, 5000)
            within[end] = [f"eigrp bandwidth {bandwidth[end]}", f"delay {delay[end]}"]
            if rng.random() < 0.07:
                silent.add(end)
                mine.append(f" passive-interface {port.name}")
        variance.append(rng.choice((1, 1, 2, 4)))
        if variance[-1] > 1:
            mine.append(f" variance {variance[-1]}")
        lines.append([*mine, "exit"])
        bandwidth[router, "lo"], delay[router, "lo"] = 100_000, 10
        within[router, "lo"] = ["eigrp bandwidth 100000", "delay 10"]
    expected = _eigrp(drawn, bandwidth, delay, silent, variance)
    if expected is None:
        pytest.skip("two vectors of the same metric: the RFC does not say which is told on")
    network = drawn.survey(lines, within).network
    # The daemon whose text this is goes by metrics of its own (tests/core/test_vectors.py); a
    # router without its habits goes by the RFC.
    plain = tuple(replace(device, profile=Profile("plain")) for device in network.devices)
    tables = compute_tables(replace(network, devices=plain))
    assert held_in(tables, "eigrp") == expected


def _metric(least: int, delays: int) -> int:
    return 256 * (10**7 // least + delays)


def _eigrp(drawn, bandwidth, delay, silent, variance) -> Answer | None:  # type: ignore[no-untyped-def]
    own: list[dict[str, tuple[int, int]]] = []
    for router in range(drawn.count):
        ends = {drawn.loopback(router): (router, "lo")}
        ends |= {port.subnet: (router, port.name) for port in drawn.ports[router]}
        own.append({name: (bandwidth[end], delay[end]) for name, end in ends.items()})
    best = [dict(known) for known in own]
    by: list[dict[str, set[str]]] = [{} for _ in own]
    """Per router and prefix the interfaces that lead there: it is told to nobody beyond them."""
    for rounds in count():
        assert rounds < 200
        fresh, leads, tied = [], [], False
        found: Answer = {}
        for router in range(drawn.count):
            offers: dict[str, list[tuple[int, int, str, str, tuple[int, int]]]] = {}
            for port in drawn.ports[router]:
                far = next(p for p in drawn.ports[port.far] if p.subnet == port.subnet)
                if (router, port.name) in silent or (port.far, far.name) in silent:
                    continue
                for name, (least, delays) in best[port.far].items():
                    if far.name in by[port.far].get(name, ()) or name == port.subnet:
                        continue
                    end = (router, port.name)
                    told = min(least, bandwidth[end]), delays + delay[end]
                    offers.setdefault(name, []).append(
                        (_metric(*told), _metric(least, delays), port.far_address, port.name, told)
                    )
            known, ways = dict(own[router]), {}
            for name, heard in offers.items():
                if name in own[router]:
                    continue
                feasible = min(heard)[0]
                tied |= len({h[4] for h in heard if h[0] == feasible}) > 1
                taken = [
                    h
                    for h in heard
                    if h[0] == feasible or (h[1] < feasible and h[0] <= variance[router] * feasible)
                ]
                known[name] = min(heard)[4]
                ways[name] = {h[3] for h in taken}
                found[router, name] = feasible, {h[2] for h in taken}
            fresh.append(known)
            leads.append(ways)
        if fresh == best and leads == by:
            return None if tied else found
        best, by = fresh, leads


# -- BGP: RFC 4271 ------------------------------------------------------------------------


@dataclass(frozen=True)
class Heard:
    """A path as a speaker keeps it: RFC 4271, section 5.1."""

    systems: tuple[int, ...]
    preference: int = 100
    discriminator: int = 0
    external: bool = False
    speaker: int = -1
    next_hop: str = ""


Outcome = dict[tuple[int, int], Heard]
"""Per router and owner of a loopback: the path that is kept."""


def _talking(seed: int) -> tuple[Drawn, list[list[str]], Outcome | None]:
    """Speakers on a random network, their lines, and what they settle on; None if that depends on
    who talks first."""
    rng = random.Random(seed)
    drawn = Drawn.of(rng)
    system = [65000 + rng.randint(1, max(2, drawn.count - 1)) for _ in range(drawn.count)]
    prefer: dict[tuple[int, str], int] = {}
    prepend: dict[tuple[int, str], int] = {}
    metric: dict[tuple[int, str], int] = {}
    lines = []
    for router in range(drawn.count):
        mine = [
            f"router bgp {system[router]}",
            f" bgp router-id 10.64.255.{router + 1}",
            " no bgp ebgp-requires-policy",
            " bgp bestpath compare-routerid",
        ]
        family = [
            " address-family ipv4 unicast",
            f"  network {drawn.loopback(router)}",
            "  maximum-paths 1",
            "  maximum-paths ibgp 1",
        ]
        maps: list[str] = []
        for port in drawn.ports[router]:
            far, end = port.far_address, (router, port.name)
            mine.append(f" neighbor {far} remote-as {system[port.far]}")
            if system[port.far] == system[router]:
                family.append(f"  neighbor {far} next-hop-self")
                continue
            if rng.random() < 0.2:
                prefer[end] = rng.choice((80, 120, 150))
                family.append(f"  neighbor {far} route-map in-{port.name} in")
                maps += [
                    f"route-map in-{port.name} permit 10",
                    f" set local-preference {prefer[end]}",
                    "exit",
                ]
            out = []
            if rng.random() < 0.3:
                prepend[end] = rng.randint(1, 2)
                own = " ".join([str(system[router])] * prepend[end])
                out.append(f" set as-path prepend {own}")
            if rng.random() < 0.4:
                metric[end] = rng.randint(1, 3)
                out.append(f" set metric {metric[end]}")
            if out:
                family.append(f"  neighbor {far} route-map out-{port.name} out")
                maps += [f"route-map out-{port.name} permit 10", *out, "exit"]
        lines.append([*maps, *mine, " !", *family, " exit-address-family", "exit"])
    outcomes = [_bgp(drawn, rng, system, prefer, prepend, metric) for _ in range(4)]
    same = all(outcome == outcomes[0] for outcome in outcomes)
    return drawn, lines, outcomes[0] if same else None


@pytest.mark.parametrize("seed", range(60))
def test_bgp_is_what_no_order_of_talking_changes(seed: int) -> None:
    """RFC 4271, 9.1: each speaker prefers by degree of preference, then breaks ties (9.1.2.2)."""
    drawn, lines, outcome = _talking(seed)
    if outcome is None:
        pytest.skip("who talks first decides")
    found = {key: hops for key, (_, hops) in held(drawn.survey(lines, {}), "bgp").items()}
    assert found == {
        (router, drawn.loopback(goal)): {path.next_hop}
        for (router, goal), path in outcome.items()
        if path.speaker >= 0
    }


def test_few_networks_of_bgp_are_left_out() -> None:
    assert sum(_talking(seed)[2] is None for seed in range(60)) <= 3


def _bgp(drawn, rng, system, prefer, prepend, metric):  # type: ignore[no-untyped-def]
    """The paths that speakers settle on, asked in a random order; None if they do not settle."""
    chosen = {(router, router): Heard(()) for router in range(drawn.count)}
    for _ in range(400):
        changed = False
        order = list(range(drawn.count))
        rng.shuffle(order)
        for router in order:
            for goal in range(drawn.count):
                if goal == router:
                    continue
                heard = list(_offers(drawn, router, goal, chosen, system, prefer, prepend, metric))
                best = _decide(heard) if heard else None
                if chosen.get((router, goal)) != best:
                    changed = True
                    if best is None:
                        del chosen[router, goal]
                    else:
                        chosen[router, goal] = best
        if not changed:
            return chosen
    return None


def _offers(drawn, router, goal, chosen, system, prefer, prepend, metric):  # type: ignore[no-untyped-def]
    for port in drawn.ports[router]:
        path = chosen.get((port.far, goal))
        if path is None or path.speaker == router:
            continue  # nobody is told what was learned from it
        far = next(p for p in drawn.ports[port.far] if p.subnet == port.subnet)
        if system[port.far] == system[router]:
            # 9.2.1: what was learned from inside is not told inside.
            if path.speaker >= 0 and not path.external:
                continue
            yield Heard(
                path.systems, path.preference, path.discriminator, False, port.far, port.far_address
            )
            continue
        end = (port.far, far.name)
        systems = (system[port.far],) * (1 + prepend.get(end, 0)) + path.systems
        if system[router] in systems:
            continue
        # 5.1.4: the discriminator goes no further than the neighbouring system.
        told = metric.get(end, 0)
        yield Heard(
            systems, prefer.get((router, port.name), 100), told, True, port.far, port.far_address
        )


def _decide(paths: list[Heard]) -> Heard:
    """9.1.1 and 9.1.2.2, line by line."""
    left = [p for p in paths if p.preference == max(q.preference for q in paths)]
    left = [p for p in left if len(p.systems) == min(len(q.systems) for q in left)]
    left = [
        p
        for p in left
        if not any(
            q.systems[:1] == p.systems[:1] and q.discriminator < p.discriminator for q in left
        )
    ]
    if any(p.external for p in left):
        left = [p for p in left if p.external]
    least = min(p.speaker for p in left)
    left = [p for p in left if p.speaker == least]
    return min(left, key=lambda p: tuple(map(int, p.next_hop.split("."))))
