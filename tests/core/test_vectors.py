"""What RIP and RIPng say that is easily overlooked, as real routers act on it."""

from __future__ import annotations

import json

from surveys import compute, wired

from trochos.core.survey import Computed


def network(family: int, *middle: str, near: str = "", extra: str = "") -> Computed:
    """far (four subnets) - mid - near; lines of mid's and near's RIP, and of mid's top level."""
    word, six = ("rip", False) if family == 4 else ("ripng", True)

    def port(name: str, link: int, side: int) -> list[str]:
        address = (
            f"ipv6 address fd00:{link}::{side}/64" if six else f"ip address 10.{link}.0.{side}/24"
        )
        return [f"interface {name}", f" {address}", "exit"]

    def process(*lines: str) -> list[str]:
        return [f"router {word}", *(f" {line}" for line in lines if line), "exit", ""]

    far = ["hostname far", *port("eth1", 1, 1)]
    for number in range(4):
        address = (
            f"ipv6 address fd00:a:{number}::1/64" if six else f"ip address 10.77.{number}.1/24"
        )
        far += [f"interface lan{number}", f" {address}", "exit"]
    far += process("network eth1", *(f"network lan{number}" for number in range(4)))
    mid = ["hostname mid", *port("eth1", 1, 2), *port("eth2", 2, 1)]
    mid += [*extra.split("\n"), *process("network eth1", "network eth2", *middle)]
    end = ["hostname near", *port("eth1", 2, 2), *process("network eth1", near)]
    texts = {"far": far, "mid": mid, "near": end}
    survey = compute(
        {
            "topology.json": wired(("far", "eth1", "mid", "eth1"), ("mid", "eth2", "near", "eth1")),
            **{f"devices/{name}/frr.conf": "\n".join(text) for name, text in texts.items()},
        }
    )
    assert [line for report in survey.survey.reading for line in report.unknown] == []
    return survey


def learned(survey: Computed, name: str, family: int) -> dict[str, tuple[int, int]]:
    """Prefix -> (distance, metric) of what a router learned."""
    best = survey.tables.of(name, family).best
    return {str(p): (r.distance, r.metric) for p, r in best.items() if r.protocol == "rip"}


def test_a_list_in_the_form_that_ripng_writes_filters() -> None:
    rules = "\n".join(f"ipv6 access-list ONLY seq {n} permit fd00:a:{n}::/64" for n in (1, 2))
    survey = network(6, "ipv6 distribute-list ONLY out eth2", extra=rules)
    assert set(learned(survey, "near", 6)) == {"fd00:a:1::/64", "fd00:a:2::/64"}
    assert len(learned(survey, "mid", 6)) == 4
    undone = network(
        6,
        "ipv6 distribute-list ONLY out eth2",
        "no ipv6 distribute-list ONLY out eth2",
        extra=rules,
    )
    assert len(learned(undone, "near", 6)) == 5


def test_an_aggregate_stands_for_its_parts_and_is_told_to_everybody() -> None:
    survey = network(6, "aggregate-address fd00:a::/32")
    assert learned(survey, "near", 6) == {"fd00:1::/64": (120, 2), "fd00:a::/32": (120, 2)}
    assert "fd00:a::/32" in learned(survey, "far", 6)
    assert "fd00:a::/32" not in learned(survey, "mid", 6)
    idle = network(6, "aggregate-address fd00:b::/32")
    assert "fd00:b::/32" not in learned(idle, "near", 6)


def test_a_distance_for_what_comes_from_some_neighbours() -> None:
    of_all = network(4, "distance 50 10.1.0.1/32", "distance 60 10.1.0.0/16")
    assert learned(of_all, "mid", 4)["10.77.0.0/24"] == (50, 2)
    rules = "access-list SOME seq 5 permit 10.77.1.0/24"
    of_some = network(4, "distance 50 10.1.0.0/24 SOME", "distance 130", extra=rules)
    assert learned(of_some, "mid", 4)["10.77.1.0/24"] == (50, 2)
    assert learned(of_some, "mid", 4)["10.77.2.0/24"] == (130, 2)


def test_ripng_tells_a_subnet_on_its_own_link() -> None:
    """A neighbour that has only a link-local address there learns it."""
    survey = network(6)
    files = {
        f"devices/{device}/{file}" if device else file: text
        for device, held in survey.survey.files.items()
        for file, text in held.items()
    }
    name = "devices/near/frr.conf"
    files[name] = files[name].replace(" ipv6 address fd00:2::2/64\n", "")
    for device, own in (("near", ["eth1"]), ("mid", ["eth1", "eth2"])):
        shown = []
        for number, port in enumerate(own, len(device)):
            link = {"family": "inet6", "local": f"fe80::{number}", "prefixlen": 64, "scope": "link"}
            shown.append({"ifname": port, "flags": ["UP", "LOWER_UP"], "addr_info": [link]})
        files[f"devices/{device}/ip-addr.json"] = json.dumps(shown)
    assert learned(compute(files), "near", 6)["fd00:2::/64"] == (120, 2)
