"""Details of OSPF as real routers act on them: several subnets on a link, settings for one
address, lists and NSSAs of version 3."""

from __future__ import annotations

import itertools

from core.test_reference import our_table
from surveys import compute, wired

from trochos.core.survey import Computed


def two(left: list[str], right: list[str]) -> Computed:
    """Two routers on one link, each with a loopback; lines under their interfaces."""
    files = {}
    for number, (name, lines) in enumerate((("left", left), ("right", right)), 1):
        rows = [f"hostname {name}", "interface eth1", *(f" {line}" for line in lines), "exit"]
        rows += ["interface lo", f" ip address 10.9.0.{number}/32", " ip ospf area 0", "exit"]
        rows += ["router ospf", f" ospf router-id 10.9.0.{number}", "exit", ""]
        files[f"devices/{name}/frr.conf"] = "\n".join(rows)
    survey = compute({"topology.json": wired(("left", "eth1", "right", "eth1")), **files})
    assert [line for report in survey.survey.reading for line in report.unknown] == []
    return survey


def addresses(side: int) -> list[str]:
    return [f"ip address 10.1.0.{side}/24", f"ip address 10.2.0.{side}/24"]


def ways(survey: Computed, name: str, prefix: str) -> tuple[int, set[str | None]] | None:
    held = our_table(survey, name, "ipv4").get(prefix)
    return None if held is None else (held[1], {hop[0] for hop in held[2]})


def test_every_subnet_that_two_routers_share_is_a_way() -> None:
    survey = two([*addresses(1), "ip ospf area 0"], [*addresses(2), "ip ospf area 0"])
    assert ways(survey, "left", "10.9.0.2/32") == (10, {"10.1.0.2", "10.2.0.2"})
    assert len([r for r in survey.tables.relations() if r.works]) == 2


def test_what_is_said_of_one_address_comes_first() -> None:
    cost = two(
        [*addresses(1), "ip ospf area 0", "ip ospf cost 20", "ip ospf cost 50 10.2.0.1"],
        [*addresses(2), "ip ospf area 0"],
    )
    assert ways(cost, "left", "10.9.0.2/32") == (20, {"10.1.0.2"})
    area = two([*addresses(1), "ip ospf area 0 10.2.0.1"], [*addresses(2), "ip ospf area 0"])
    assert ways(area, "left", "10.9.0.2/32") == (10, {"10.2.0.2"})
    slow = two(
        [*addresses(1), "ip ospf area 0", "ip ospf hello-interval 3 10.1.0.1"],
        [*addresses(2), "ip ospf area 0"],
    )
    assert ways(slow, "left", "10.9.0.2/32") == (10, {"10.2.0.2"})
    failing = [r.first_failing for r in slow.tables.relations() if not r.works]
    assert [gate.gate for gate in failing if gate] == ["hello interval"]
    undone = two(
        [*addresses(1), "ip ospf area 0", "ip ospf cost 50 10.2.0.1", "no ip ospf cost 10.2.0.1"],
        [*addresses(2), "ip ospf area 0"],
    )
    assert ways(undone, "left", "10.9.0.2/32") == (10, {"10.1.0.2", "10.2.0.2"})


def chain6(border: list[str], top: str = "", inner: str = "") -> Computed:
    """edge -1- mid -1- border -0- core over IPv6; edge has a subnet and redistributes statics."""
    texts: dict[str, list[str]] = {}
    names = ["edge", "mid", "border", "core"]
    for number, name in enumerate(names):
        rows = [f"hostname {name}"]
        for port, link in (("eth0", number), ("eth1", number + 1)):
            if link in (0, 4):
                continue
            side = 1 if port == "eth1" else 2
            rows += [f"interface {port}", f" ipv6 address fd00:{link}::{side}/64"]
            rows += [f" ipv6 ospf6 area {1 if link < 3 else 0}"]
            rows += [" ipv6 ospf6 network point-to-point", "exit"]
        texts[name] = rows
    texts["edge"] += ["interface lan", " ipv6 address fd00:a::1/64", " ipv6 ospf6 area 1", "exit"]
    texts["edge"] += ["interface out", " ipv6 address fd00:b::1/64", "exit"]
    texts["edge"] += ["ipv6 route fd00:e::/64 fd00:b::9"]
    texts["core"] += ["interface lan", " ipv6 address fd00:c::1/64", " ipv6 ospf6 area 0", "exit"]
    texts["border"] += top.split("\n")
    lines = {"edge": ["redistribute static", inner], "mid": [inner], "border": border, "core": []}
    for number, name in enumerate(names, 1):
        process = [f"ospf6 router-id 10.0.0.{number}", *(line for line in lines[name] if line)]
        texts[name] += ["router ospf6", *(f" {line}" for line in process), "exit", ""]
    links = [("edge", "eth1", "mid", "eth0"), ("mid", "eth1", "border", "eth0")]
    links.append(("border", "eth1", "core", "eth0"))
    files = {f"devices/{name}/frr.conf": "\n".join(rows) for name, rows in texts.items()}
    survey = compute({"topology.json": wired(*links), **files})
    assert [line for report in survey.survey.reading for line in report.unknown] == []
    return survey


def metric6(survey: Computed, name: str, prefix: str) -> int | None:
    held = our_table(survey, name, "ipv6").get(prefix)
    return held[1] if held else None


def test_lists_of_an_area_of_version_3() -> None:
    rules = "ipv6 access-list NO seq 5 deny {}/64\nipv6 access-list NO seq 6 permit any"
    plain = chain6([])
    assert metric6(plain, "core", "fd00:a::/64") == 40
    assert metric6(plain, "mid", "fd00:c::/64") == 30
    out = chain6(["area 1 export-list NO"], rules.format("fd00:a::"))
    assert metric6(out, "core", "fd00:a::/64") is None
    into = chain6(["area 1 import-list NO"], rules.format("fd00:c::"))
    assert metric6(into, "mid", "fd00:c::/64") is None
    assert metric6(into, "mid", "fd00:3::/64") == 20


def test_an_nssa_of_version_3() -> None:
    survey = chain6(["area 1 nssa"], inner="area 1 nssa")
    assert metric6(survey, "core", "fd00:e::/64") == 20
    assert metric6(survey, "mid", "::/0") is None, "a default comes where it is told to come"
    told = chain6(
        ["area 1 nssa default-information-originate metric 5 metric-type 1"], inner="area 1 nssa"
    )
    assert metric6(told, "edge", "::/0") == 25
    only = chain6(["area 1 nssa no-summary"], inner="area 1 nssa")
    assert metric6(only, "edge", "::/0") == 21
    assert metric6(only, "edge", "fd00:c::/64") is None


def test_several_parts_of_an_area_have_a_border_each_that_passes_on() -> None:
    """Two sites use area 1; the one with the lower router ids is not forgotten."""
    one = chain6(["area 1 nssa"], inner="area 1 nssa")
    files = {
        f"devices/{device}/{file}": text
        for device, held in one.survey.files.items()
        for file, text in held.items()
        if device
    }
    other = {
        path.replace("devices/", "devices/far-"): text.replace("fd00:", "fd01:")
        .replace("10.0.0.", "10.0.1.")
        .replace("hostname ", "hostname far-")
        for path, text in files.items()
    }
    names = ["edge", "mid", "border", "core"]
    links = [
        (prefix + a, "eth1", prefix + b, "eth0")
        for prefix in ("", "far-")
        for a, b in itertools.pairwise(names)
    ]
    survey = compute({"topology.json": wired(*links), **files, **other})
    assert metric6(survey, "core", "fd00:e::/64") == 20
    assert metric6(survey, "far-core", "fd01:e::/64") == 20


def crossed(cost: int) -> Computed:
    """A backbone of a, c and x; b reaches it by a virtual link over area 1 to a, and area 1 also
    has a way from b to c at this cost."""
    links = [("a", "c", 0, 10), ("c", "x", 0, 1), ("b", "a", 1, 10), ("b", "c", 1, cost)]
    links.append(("b", "y", 2, 5))
    names = "abcxy"
    texts: dict[str, list[str]] = {name: [f"hostname {name}"] for name in names}
    ports = dict.fromkeys(names, 0)
    cables = []
    for number, (left, right, area, price) in enumerate(links, 1):
        ends = []
        for side, name in ((1, left), (2, right)):
            ports[name] += 1
            port = f"eth{ports[name]}"
            texts[name] += [f"interface {port}", f" ip address 10.1.{number}.{side}/24"]
            texts[name] += [f" ip ospf area {area}", f" ip ospf cost {price}"]
            texts[name] += [" ip ospf network point-to-point", "exit"]
            ends += [name, port]
        cables.append(tuple(ends))
    homes = {"a": 0, "b": 2, "c": 0, "x": 0, "y": 2}
    for number, name in enumerate(names, 1):
        texts[name] += ["interface lo", f" ip address 10.9.0.{number}/32"]
        texts[name] += [f" ip ospf area {homes[name]}", "exit"]
        texts[name] += ["router ospf", f" ospf router-id 10.9.0.{number}"]
    texts["a"] += [" area 1 virtual-link 10.9.0.2"]
    texts["b"] += [" area 1 virtual-link 10.9.0.1"]
    files = {f"devices/{n}/frr.conf": "\n".join([*rows, "exit", ""]) for n, rows in texts.items()}
    return compute({"topology.json": wired(*cables), **files})  # type: ignore[arg-type]


def test_ways_over_a_virtual_link_are_made_shorter_inside_the_area_it_crosses() -> None:
    """RFC 2328, 16.3: x is 21 away over a, and 2 over c, which is in the crossed area too."""
    near = crossed(1)
    assert ways(near, "b", "10.9.0.4/32") == (2, {"10.1.4.2"})
    assert ways(near, "y", "10.9.0.4/32") == (7, {"10.1.5.1"})
    equal = crossed(20)
    assert ways(equal, "b", "10.9.0.4/32") == (21, {"10.1.3.2", "10.1.4.2"})
    far = crossed(30)
    assert ways(far, "b", "10.9.0.4/32") == (21, {"10.1.3.2"})
