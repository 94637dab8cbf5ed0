"""What BGP speakers say of a path, and what others make of it, as real routers do."""

from __future__ import annotations

import pytest
from core.test_reference import our_table
from surveys import compute, wired

from trochos.core.diagnosis.why import explain_prefix
from trochos.core.network.addressing import parse_prefix
from trochos.core.survey import Computed

Speaker = tuple[int, list[str]]


def star(hub: Speaker, *others: Speaker, tops: dict[str, str] | None = None) -> Computed:
    """A hub and its external or internal neighbours n1, n2, ...; each of those announces
    10.N.0.0/16 and all of them 10.77.0.0/16. Lines that begin with `>` belong to the address
    family; `{peer}` in a line is the address at the other end (of the hub: PEER1, PEER2, ...)."""
    names = ["hub", *(f"n{number}" for number in range(1, len(others) + 1))]
    texts: dict[str, list[str]] = {name: [f"hostname {name}"] for name in names}
    links = []
    for number, (system, lines) in enumerate(others, 1):
        name = f"n{number}"
        texts["hub"] += [f"interface eth{number}", f" ip address 10.0.{number}.1/30", "exit"]
        texts[name] += ["interface eth1", f" ip address 10.0.{number}.2/30", "exit"]
        texts[name] += ["interface lan", f" ip address 10.{number}.0.1/16", "exit"]
        texts[name] += ["interface both", f" ip address 10.77.0.{number}/16", "exit"]
        said = [f"neighbor {{peer}} remote-as {hub[0]}", *lines]
        said += [f">network 10.{number}.0.0/16", ">network 10.77.0.0/16"]
        filled = [line.replace("{peer}", f"10.0.{number}.1") for line in said]
        texts[name] += _process(system, number, filled)
        links.append(("hub", f"eth{number}", name, "eth1"))
    said = [f"neighbor PEER{n} remote-as {system}" for n, (system, _) in enumerate(others, 1)]
    said += hub[1]
    for number in range(1, len(others) + 1):
        said = [line.replace(f"PEER{number}", f"10.0.{number}.2") for line in said]
    texts["hub"] += _process(hub[0], 99, said)
    for name, top in (tops or {}).items():
        texts[name] += top.split("\n")
    files = {f"devices/{name}/frr.conf": "\n".join([*rows, ""]) for name, rows in texts.items()}
    survey = compute({"topology.json": wired(*links), **files})
    assert [line for report in survey.survey.reading for line in report.unknown] == []
    return survey


def _process(system: int, number: int, lines: list[str]) -> list[str]:
    out = [f"router bgp {system}", f" bgp router-id 10.255.0.{number}"]
    out += [" no bgp ebgp-requires-policy", *(f" {line}" for line in lines if line[0] != ">")]
    out += [" address-family ipv4 unicast", *(f"  {line[1:]}" for line in lines if line[0] == ">")]
    return [*out, " exit-address-family", "exit"]


def hops(survey: Computed, name: str, prefix: str) -> set[str | None]:
    held = our_table(survey, name, "ipv4").get(prefix)
    return {hop[0] for hop in held[2]} if held else set()


def test_a_med_for_all_makes_a_system_the_second_choice() -> None:
    plain = star((65001, []), (65002, []), (65002, []))
    assert hops(plain, "hub", "10.77.0.0/16") == {"10.0.1.2", "10.0.2.2"}
    shy = star((65001, []), (65002, ["bgp max-med administrative"]), (65002, []))
    assert hops(shy, "hub", "10.77.0.0/16") == {"10.0.2.2"}


def test_external_and_internal_paths_share_only_if_told() -> None:
    many = [">maximum-paths 4", ">maximum-paths ibgp 4"]
    relax = ["bgp bestpath peer-type multipath-relax", "bgp bestpath as-path multipath-relax"]
    # An internal path of no length comes before an external one, so it is made as long.
    longer = "route-map LONG permit 10\n set as-path prepend 65002\nexit"
    for lines, expected in ((many, {"10.0.2.2"}), ([*relax, *many], {"10.0.1.2", "10.0.2.2"})):
        survey = star(
            (65001, [*lines, ">neighbor PEER1 route-map LONG in"]),
            (65001, []),
            (65002, []),
            tops={"hub": longer},
        )
        assert hops(survey, "hub", "10.77.0.0/16") == expected


EXTENDED = """ip prefix-list OWN seq 5 permit 10.1.0.0/16
route-map MARK permit 10
 match ip address prefix-list OWN
 set extcommunity rt 65000:1 65000:2
exit
route-map MARK permit 20
 set extcommunity soo 65000:7
exit"""


@pytest.mark.parametrize(
    ("rule", "taken"),
    [
        ("standard L permit rt 65000:1", {"10.1.0.0/16"}),
        ("standard L seq 5 permit rt 65000:1 rt 65000:2", {"10.1.0.0/16"}),
        ("standard L permit rt 65000:9", set()),
        ("standard L permit soo 65000:7", {"10.77.0.0/16"}),
        ("expanded L permit RT:65000:[12]", {"10.1.0.0/16"}),
        ("expanded L permit 65000", {"10.1.0.0/16", "10.77.0.0/16"}),
    ],
)
def test_extended_communities_choose(rule: str, taken: set[str]) -> None:
    chooses = f"bgp extcommunity-list {rule}\nroute-map IN permit 10\n match extcommunity L\nexit"
    survey = star(
        (65001, [">neighbor PEER1 route-map IN in"]),
        (65002, [">neighbor {peer} route-map MARK out"]),
        tops={"hub": chooses, "n1": EXTENDED},
    )
    learned = {str(p) for p, r in survey.tables.of("hub", 4).best.items() if r.protocol == "bgp"}
    assert learned == taken


def test_a_distance_of_one_neighbour_and_of_some_of_its_routes() -> None:
    survey = star(
        (65001, [">distance 33 PEER1/32 TEN", ">distance 44 PEER2/32"]),
        (65002, []),
        (65003, []),
        tops={"hub": "access-list TEN seq 5 permit 10.1.0.0/16"},
    )
    best = {str(p): r.distance for p, r in survey.tables.of("hub", 4).best.items()}
    assert (best["10.1.0.0/16"], best["10.2.0.0/16"]) == (33, 44)
    assert best["10.77.0.0/16"] in (20, 44)


def test_what_the_parts_of_an_aggregate_begin_with_stays_in_order() -> None:
    def path(*systems: int) -> tuple[tuple[int, ...], frozenset[int]]:
        others = [(system, []) for system in systems]
        survey = star((65001, [">aggregate-address 10.0.0.0/8 as-set"]), *others)
        speakers = next(s for s in survey.tables.speakers if hasattr(s, "whole") and s.family == 4)
        local = speakers.whole.states[4]["hub"].local
        held = next(p for prefix, p in local.items() if prefix.length == 8).attributes
        return held.as_path, held.as_set

    assert path(65002, 65002) == ((65002,), frozenset())
    assert path(65002, 65003) == ((), frozenset({65002, 65003}))


ROLES = {"provider": "customer", "customer": "provider", "peer": "peer"}


def of_roles(*roles: str) -> Computed:
    """The hub is to its neighbours what `roles` say, and they say what they are to it."""
    said = [f"neighbor PEER{n} local-role {role}" for n, role in enumerate(roles, 1)]
    others = [
        (65001 + n, [f"neighbor {{peer}} local-role {ROLES[role]}"])
        for n, role in enumerate(roles, 1)
    ]
    return star((65001, said), *others)


def test_what_a_provider_told_goes_to_customers_alone() -> None:
    # n1 is a provider of the hub, n2 a customer, n3 a peer.
    survey = of_roles("customer", "provider", "peer")
    assert hops(survey, "n2", "10.1.0.0/16") == {"10.0.2.1"}
    assert hops(survey, "n3", "10.1.0.0/16") == set()
    assert hops(survey, "n1", "10.3.0.0/16") == set()
    assert hops(survey, "n1", "10.2.0.0/16") == {"10.0.1.1"}
    assert hops(survey, "n3", "10.2.0.0/16") == {"10.0.3.1"}


@pytest.mark.parametrize(
    ("mine", "theirs", "up"),
    [
        ("customer", "provider", True),
        ("customer", "customer", False),
        ("peer", "provider", False),
        ("customer", "", True),
        ("customer strict-mode", "", False),
        ("customer strict-mode", "provider", True),
    ],
)
def test_roles_have_to_fit(mine: str, theirs: str, up: bool) -> None:
    other = [f"neighbor {{peer}} local-role {theirs}"] if theirs else []
    survey = star((65001, [f"neighbor PEER1 local-role {mine}"]), (65002, other))
    relation = survey.tables.relations()[0]
    assert relation.works == up
    if not up:
        assert relation.first_failing is not None
        assert relation.first_failing.gate == "role"
        cause = survey.diagnose("hub", "10.1.0.1").causes[0]
        assert cause.option.finding.kind == "bgp-role"
        assert cause.effect.heals


def test_what_the_own_table_has_by_another_protocol_is_not_told() -> None:
    """The same on real routers: tests/real/test_installed_first.py."""
    links = [("one", "eth0", "two", "eth0"), ("two", "eth1", "three", "eth0")]
    texts = {
        "one": (1, ["eth0 10.0.1.1/30"], ["10.0.1.2 2"], ["network 10.9.1.0/24"]),
        "two": (2, ["eth0 10.0.1.2/30", "eth1 10.0.2.1/30"], ["10.0.1.1 1", "10.0.2.2 3"], []),
        "three": (3, ["eth0 10.0.2.2/30"], ["10.0.2.1 2"], []),
    }
    files = {"topology.json": wired(*links)}
    for name, (system, ports, peers, inner) in texts.items():
        rows = [f"hostname {name}", "ip route 10.9.1.0/24 blackhole"] * (name != "three")
        for port in ports:
            where, address = port.split()
            rows += [f"interface {where}", f" ip address {address}", "exit"]
        rows += [f"router bgp {system}", " no bgp ebgp-requires-policy"]
        rows += [" bgp suppress-fib-pending"] * (name == "two")
        rows += [f" neighbor {p.split()[0]} remote-as {p.split()[1]}" for p in peers]
        rows += [" address-family ipv4 unicast", *(f"  {line}" for line in inner)]
        rows += [" exit-address-family", "exit", ""]
        files[f"devices/{name}/frr.conf"] = "\n".join(rows)
    survey = compute(files)
    assert "10.9.1.0/24" not in our_table(survey, "three", "ipv4")
    prefix = parse_prefix("10.9.1.0/24")
    assert prefix is not None
    chain = explain_prefix(survey.tables, survey.forwarding, "three", prefix)["chain"]
    told = [link for link in chain if "tells only of routes" in link["says"]]  # type: ignore[union-attr,index]
    assert told and "that has 10.9.1.0/24 by static" in told[0]["says"]
    assert told[0]["evidence"][0]["text"] == "bgp suppress-fib-pending"
