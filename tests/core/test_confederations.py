"""BGP confederations (RFC 5065): one system outside, several inside, as real routers do it."""

from __future__ import annotations

import itertools

import pytest
from core.test_reference import our_table
from surveys import compute, wired

from trochos.core.network.addressing import parse_prefix
from trochos.core.network.claims import Claim
from trochos.core.protocols.bgp.exchange import Update, take
from trochos.core.protocols.policy import Attributes
from trochos.core.step.routes import OWN_AS, Origin, Refusal
from trochos.core.survey import Computed

SYSTEMS = {"out": 200, "a1": 65001, "a2": 65001, "b1": 65002, "far": 300}
"""A chain: out - a1 - a2 - b1 - far; a1, a2 and b1 make the confederation 100."""
NUMBERS = {name: index for index, name in enumerate(SYSTEMS, 1)}


def chain(**extra: list[str]) -> Computed:
    """The chain; `extra` lines for a router's BGP, where `!` in front takes one out."""
    texts = {}
    names = list(SYSTEMS)
    for name, system in SYSTEMS.items():
        lines = [f"bgp router-id 10.9.0.{NUMBERS[name]}", "no bgp ebgp-requires-policy"]
        if system > 65000:
            lines.append("bgp confederation identifier 100")
            lines.append(f"bgp confederation peers {65002 if system == 65001 else 65001}")
        ports, inner = [], [f"network 10.9.0.{NUMBERS[name]}/32"]
        for side, other in ((1, _at(names, name, 1)), (2, _at(names, name, -1))):
            if other is None:
                continue
            link = min(NUMBERS[name], NUMBERS[other])
            peer = f"10.1.{link}.{3 - side}"
            port = "eth1" if side == 1 else "eth0"
            ports += [f"interface {port}", f" ip address 10.1.{link}.{side}/30", "exit"]
            both_inside = system > 65000 and SYSTEMS[other] > 65000
            shown = SYSTEMS[other] if both_inside or SYSTEMS[other] < 65000 else 100
            lines.append(f"neighbor {peer} remote-as {shown}")
            inner.append(f"neighbor {peer} next-hop-self")
        for line in extra.get(name, []):
            if line.startswith("!"):
                lines.remove(line[1:])
            else:
                (inner if line.startswith("neighbor") else lines).append(line)
        texts[name] = [f"hostname {name}", *ports, "interface lo"]
        texts[name] += [f" ip address 10.9.0.{NUMBERS[name]}/32", "exit"]
        texts[name] += [f"router bgp {system}", *(f" {line}" for line in lines)]
        texts[name] += [" address-family ipv4 unicast", *(f"  {line}" for line in inner)]
        texts[name] += [" exit-address-family", "exit", ""]
    files = {f"devices/{name}/frr.conf": "\n".join(text) for name, text in texts.items()}
    links = [(a, "eth1", b, "eth0") for a, b in itertools.pairwise(names)]
    survey = compute({"topology.json": wired(*links), **files})
    assert [line for report in survey.survey.reading for line in report.unknown] == []
    return survey


def _at(names: list[str], name: str, step: int) -> str | None:
    at = names.index(name) + step
    return names[at] if 0 <= at < len(names) else None


def path_of(survey: Computed, name: str, target: str) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """(member systems, other systems) on the best path to a router's loopback."""
    for speakers in survey.tables.speakers:
        if speakers.family == 4 and hasattr(speakers, "whole"):
            best = speakers.whole.states[4][name].best
            held = {str(p): path for p, path in best.items()}[f"10.9.0.{NUMBERS[target]}/32"]
            return held.attributes.confed, held.attributes.as_path
    raise AssertionError("no BGP")


def test_members_show_inside_and_one_number_outside() -> None:
    survey = chain()
    assert path_of(survey, "b1", "out") == ((65001,), (200,))
    assert path_of(survey, "a2", "out") == ((), (200,))
    assert path_of(survey, "far", "out") == ((), (100, 200))
    assert path_of(survey, "out", "b1") == ((), (100,))


def test_routes_of_fellow_members_are_as_distant_as_internal_ones() -> None:
    survey = chain()
    table = survey.tables.of("b1", 4).best
    held = {str(prefix): route for prefix, route in table.items()}
    assert (held["10.9.0.1/32"].distance, held["10.9.0.5/32"].distance) == (200, 20)
    assert our_table(survey, "b1", "ipv4")["10.9.0.1/32"][2] == {("10.1.3.1", "eth0")}


@pytest.mark.parametrize(("community", "known"), [("no-export", True), ("local-AS", False)])
def test_communities_keep_inside_the_whole_or_the_member(community: str, known: bool) -> None:
    survey = _tagged(community)
    held = {str(p) for p in survey.tables.of("b1", 4).best}
    assert ("10.9.0.2/32" in held) == known
    assert "10.9.0.2/32" not in {str(p) for p in survey.tables.of("far", 4).best}


def _tagged(community: str) -> Computed:
    base = chain()
    files = {
        f"devices/{device}/{file}" if device else file: text
        for device, held in base.survey.files.items()
        for file, text in held.items()
    }
    name = "devices/a1/frr.conf"
    text = files[name].replace("network 10.9.0.2/32", "network 10.9.0.2/32 route-map TAG")
    files[name] = text + f"route-map TAG permit 10\n set community {community}\nexit\n"
    return compute(files)


@pytest.mark.thorough
def test_a_member_that_is_not_named_is_added() -> None:
    survey = chain(b1=["!bgp confederation peers 65001"])
    relation = next(
        r for r in survey.tables.relations() if {r.left.device, r.right.device} == {"a2", "b1"}
    )
    assert relation.first_failing is not None
    assert relation.first_failing.gate == "AS number"
    cause = survey.diagnose("a1", "10.9.0.4").causes[0]
    assert cause.option.remedy.title == (
        "On b1: name AS 65001 of a2 as a member of the confederation."
    )
    assert cause.effect.heals


@pytest.mark.parametrize(
    ("confed", "path", "taken"),
    [((), (300, 200), True), ((), (300, 200, 100), False), ((65002,), (200,), False)],
)
def test_a_path_that_was_here_before_is_not_taken_back(
    confed: tuple[int, ...], path: tuple[int, ...], taken: bool
) -> None:
    """Neither the confederation's number nor the member's own may be in what b1 is told."""
    survey = chain()
    speakers = next(s for s in survey.tables.speakers if hasattr(s, "whole") and s.family == 4)
    own, other = next(
        sides for sides in speakers.whole.states[4]["b1"].sides if sides[1].name == "far"
    )
    prefix = parse_prefix("10.8.0.0/16")
    assert prefix is not None
    told = Attributes(prefix, as_path=path, confed=confed, next_hop=own.peer)
    found = take(own, other, 4, Update(told, Origin(Claim("refused", "far", of="a test"))), 1)
    assert isinstance(found, Refusal) != taken
    if isinstance(found, Refusal):
        assert found.kind == OWN_AS
