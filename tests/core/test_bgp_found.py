"""BGP neighbours that are met at an interface or in a range: as real routers met them."""

from __future__ import annotations

import json

import pytest
from core.test_reference import our_table
from surveys import compute, wired

from trochos.core.survey import Computed

LAX = ["no bgp ebgp-requires-policy"]
AT_PORT = ["neighbor eth1 interface remote-as external"]


def files_of(routers: dict[str, tuple[int, dict[str, str], list[str]]]) -> dict[str, str]:
    """{name: (AS, {port: IPv4 address or nothing}, lines of BGP)}; every port has a link-local
    address, and each router announces its loopback 10.9.0.N in the order given."""
    out: dict[str, str] = {}
    for number, (name, (system, ports, lines)) in enumerate(routers.items(), 1):
        rows = [f"hostname {name}"]
        links = []
        for index, (port, address) in enumerate(ports.items(), 1):
            rows += [f"interface {port}", *([f" ip address {address}"] if address else []), "exit"]
            held = {"family": "inet6", "local": f"fe80::{number}:{index}", "prefixlen": 64}
            info = [{**held, "scope": "link"}]
            links.append({"ifname": port, "flags": ["UP", "LOWER_UP"], "addr_info": info})
        rows += ["interface lo", f" ip address 10.9.0.{number}/32", "exit"]
        rows += [f"router bgp {system}", f" bgp router-id 10.9.0.{number}"]
        rows += [f" {line}" for line in [*LAX, *lines]]
        rows += [" address-family ipv4 unicast", f"  network 10.9.0.{number}/32"]
        rows += [" exit-address-family", "exit"]
        out[f"devices/{name}/frr.conf"] = "\n".join(rows) + "\n"
        out[f"devices/{name}/ip-addr.json"] = json.dumps(links)
    return out


def pair(
    left: list[str],
    right: list[str],
    systems: tuple[int, int] = (65001, 65002),
    addresses: tuple[str, str] = ("", ""),
) -> Computed:
    routers = {
        "left": (systems[0], {"eth1": addresses[0]}, left),
        "right": (systems[1], {"eth1": addresses[1]}, right),
    }
    survey = compute(
        {"topology.json": wired(("left", "eth1", "right", "eth1")), **files_of(routers)}
    )
    assert [line for report in survey.survey.reading for line in report.unknown] == []
    return survey


def hops_to(survey: Computed, name: str, prefix: str) -> set[tuple[str | None, str | None]]:
    held = our_table(survey, name, "ipv4").get(prefix)
    return set(held[2]) if held else set()


def test_routes_go_by_link_local_addresses_where_the_link_has_no_other() -> None:
    survey = pair(AT_PORT, AT_PORT)
    assert hops_to(survey, "left", "10.9.0.2/32") == {("fe80::2:1", "eth1")}
    assert survey.path("left", "10.9.0.2").works == "yes"


def test_a_subnet_of_two_says_who_the_neighbour_is() -> None:
    addresses = ("10.1.0.1/30", "10.1.0.2/30")
    survey = pair(AT_PORT, AT_PORT, addresses=addresses)
    assert hops_to(survey, "left", "10.9.0.2/32") == {("10.1.0.2", "eth1")}
    named = pair(AT_PORT, ["neighbor 10.1.0.1 remote-as 65001"], addresses=addresses)
    assert hops_to(named, "left", "10.9.0.2/32") == {("10.1.0.2", "eth1")}
    only = ["neighbor eth1 interface v6only remote-as external"]
    assert hops_to(pair(only, only, addresses=addresses), "left", "10.9.0.2/32") == {
        ("fe80::2:1", "eth1")
    }


def test_groups_lend_their_settings() -> None:
    group = ["neighbor FAB peer-group", "neighbor FAB remote-as internal"]
    group.append("neighbor eth1 interface peer-group FAB")
    survey = pair(group, group, (65001, 65001))
    assert hops_to(survey, "right", "10.9.0.1/32") == {("fe80::1:1", "eth1")}


@pytest.mark.parametrize(
    ("left", "right", "gate"),
    [
        (AT_PORT, [], "configured"),
        (["neighbor eth1 interface remote-as 65009"], AT_PORT, "AS-number"),
        ([*AT_PORT, "neighbor eth1 password alpha"], AT_PORT, "password"),
        ([*AT_PORT, "neighbor eth1 shutdown"], AT_PORT, "switched-on"),
    ],
)
def test_what_keeps_them_apart_is_mended(left: list[str], right: list[str], gate: str) -> None:
    survey = pair(left, right)
    cause = survey.diagnose("left", "10.9.0.2").causes[0]
    assert cause.option.finding.kind == f"bgp-{gate.lower()}"
    assert cause.effect.heals


def test_two_links_with_the_same_link_local_addresses_are_two_sessions() -> None:
    """Somebody who writes fe80::1 and fe80::2 on every link means it."""
    routers = {
        "hub": (65001, {"eth1": "", "eth2": ""}, [*AT_PORT, AT_PORT[0].replace("1", "2")]),
        "one": (65002, {"eth1": ""}, AT_PORT),
        "two": (65003, {"eth1": ""}, AT_PORT),
    }
    files = files_of(routers)
    for name, text in files.items():
        if name.endswith(".json"):
            end = "1" if "hub" in name else "2"
            for held in ("1:1", "1:2", "2:1", "3:1"):
                text = text.replace(f"fe80::{held}", f"fe80::{end}")
            files[name] = text
    links = [("hub", "eth1", "one", "eth1"), ("hub", "eth2", "two", "eth1")]
    survey = compute({"topology.json": wired(*links), **files})
    assert hops_to(survey, "hub", "10.9.0.2/32") == {("fe80::2", "eth1")}
    assert hops_to(survey, "hub", "10.9.0.3/32") == {("fe80::2", "eth2")}
    assert hops_to(survey, "one", "10.9.0.3/32") == {("fe80::1", "eth1")}
    assert survey.path("one", "10.9.0.3").works == "yes"


GROUP = ["neighbor DYN peer-group", "neighbor DYN remote-as external"]
LISTEN = [*GROUP, "bgp listen range 10.1.0.0/16 peer-group DYN"]
CALLS = ["neighbor 10.1.0.1 remote-as 65001"]
WIRE = ("10.1.0.1/30", "10.1.0.2/30")


def test_whoever_calls_from_the_range_is_a_neighbour() -> None:
    survey = pair(LISTEN, CALLS, addresses=WIRE)
    assert hops_to(survey, "left", "10.9.0.2/32") == {("10.1.0.2", "eth1")}
    assert hops_to(survey, "right", "10.9.0.1/32") == {("10.1.0.1", "eth1")}


@pytest.mark.parametrize(
    ("left", "right", "kind", "title"),
    [
        ([*LISTEN[:2], LISTEN[2].replace("10.1", "10.7")], CALLS, "bgp-configured", "name right"),
        (
            [*GROUP[:1], "neighbor DYN remote-as 65009", LISTEN[2]],
            CALLS,
            "bgp-as-number",
            "expect right in AS 65002",
        ),
        ([*LISTEN, "neighbor DYN password alpha"], CALLS, "bgp-password", "password"),
    ],
)
def test_a_caller_that_is_not_taken(
    left: list[str], right: list[str], kind: str, title: str
) -> None:
    survey = pair(left, right, addresses=WIRE)
    assert hops_to(survey, "right", "10.9.0.1/32") == set()
    cause = survey.diagnose("left", "10.9.0.2").causes[0]
    assert cause.option.finding.kind == kind
    assert title in " ".join(
        c.option.remedy.title for c in survey.diagnose("left", "10.9.0.2").causes
    )


def test_a_neighbour_at_an_interface_that_nobody_surveyed_makes_uncertain() -> None:
    routers = {"left": (65001, {"eth1": ""}, AT_PORT)}
    files = files_of(routers)
    survey = compute(files)
    assert survey.path("left", "10.9.0.7").works == "unknown"


def test_link_local_addresses_that_nobody_gathered_are_not_guessed() -> None:
    survey = pair(AT_PORT, AT_PORT)
    texts = {
        f"devices/{device}/frr.conf": files["frr.conf"]
        for device, files in survey.survey.files.items()
        if device
    }
    bare = compute({"topology.json": wired(("left", "eth1", "right", "eth1")), **texts})
    path = bare.path("left", "10.9.0.2")
    assert path.works == "unknown"
    assert "link-local address" in path.outbound.decisive.reason
    # Where the subnet says who it is, nothing is missing.
    numbered = pair(AT_PORT, AT_PORT, addresses=("10.1.0.1/30", "10.1.0.2/30"))
    texts = {
        f"devices/{device}/frr.conf": files["frr.conf"]
        for device, files in numbered.survey.files.items()
        if device
    }
    bare = compute({"topology.json": wired(("left", "eth1", "right", "eth1")), **texts})
    assert bare.path("left", "10.9.0.2").works == "yes"


def test_of_several_speakers_on_one_link_none_is_guessed() -> None:
    routers = {name: (65000 + n, {"eth1": ""}, AT_PORT) for n, name in enumerate("abc", 1)}
    links = [("lan", f"p{n}", name, "eth1") for n, name in enumerate("abc", 1)]
    survey = compute({"topology.json": wired(*links), **files_of(routers)})
    assert survey.path("a", "10.9.0.2").works == "unknown"
    quiet = {
        name: (s, p, [*lines, "neighbor eth1 shutdown"]) for name, (s, p, lines) in routers.items()
    }
    survey = compute({"topology.json": wired(*links), **files_of(quiet)})
    assert survey.path("a", "10.9.0.2").works == "no"
