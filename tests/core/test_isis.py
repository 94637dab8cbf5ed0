"""IS-IS: who are neighbours, which ways are short, and what mends what differs."""

from __future__ import annotations

import itertools
import json
import random

import pytest
from surveys import KEY, ROOT, compute, wired

from trochos.core.change.apply import apply
from trochos.core.diagnosis.remedies.bench import Bench
from trochos.core.diagnosis.suspects.isis_levels import told_to_nobody
from trochos.core.network.addressing import parse_address, parse_prefix
from trochos.core.network.facts import End
from trochos.core.protocols.isis.gates import GATES
from trochos.core.survey import Computed
from trochos.local import read_folder

Port = tuple[str, str]


def router(
    name: str,
    number: int,
    ports: dict[str, str],
    *section: str,
    area: str = "49.0001",
    lines: dict[str, tuple[str, ...]] | None = None,
    six: bool = False,
) -> str:
    """A router's text: interface -> IPv4 address, all in IS-IS, with further lines of each."""
    out = [f"hostname {name}"]
    for port, address in {"lo": f"10.255.0.{number}/32", **ports}.items():
        own = (lines or {}).get(port, ())
        out += [f"interface {port}", f" ip address {address}"]
        if " no ip router isis" not in own:
            out.append(" ip router isis sea")
        if six and port != "lo":
            out += [f" ipv6 address fd00:{port[3:]}:{number}::1/64", " ipv6 router isis sea"]
        out += [line for line in own if line != " no ip router isis"]
        out.append("exit")
    net = f" net {area}.0000.0000.{number:04}.00"
    out += ["router isis sea", net, *(f" {line}" for line in section), "exit"]
    return "\n".join(out) + "\n"


def two(left: str, right: str, **more: str) -> Computed:
    """ant and bee; `more` are the addresses that each was gathered with."""
    return compute(
        {
            "topology.json": wired(("ant", "eth1", "bee", "eth1")),
            "devices/ant/frr.conf": left,
            "devices/bee/frr.conf": right,
            **{f"devices/{name}/addr.json": text for name, text in more.items()},
        }
    )


def pair(
    *,
    mine: tuple[str, ...] = (),
    section: tuple[str, ...] = (),
    theirs: tuple[str, ...] = (),
    their_section: tuple[str, ...] = (),
    area: str = "49.0001",
    number: int = 1,
    before: tuple[str, ...] = (),
) -> Computed:
    """Two routers; ant says something else."""
    return two(
        router(
            "ant",
            number,
            {"eth1": "10.0.0.1/30"},
            *section,
            area=area,
            lines={"eth1": (*before, *mine)},
        ),
        router(
            "bee", 2, {"eth1": "10.0.0.2/30"}, *their_section, lines={"eth1": (*before, *theirs)}
        ),
    )


def metric(survey: Computed, device: str, prefix: str) -> tuple[str | None, int] | None:
    rows = survey.routes_json(device)["devices"][device]["ipv4"]  # type: ignore[index]
    found = [(r["type"], r["metric"]) for r in rows if r["prefix"] == prefix]
    return found[0] if found else None


def test_a_loopback_costs_the_way_and_its_own_metric() -> None:
    survey = pair()
    assert metric(survey, "ant", "10.255.0.2/32") == ("level-1", 20)
    (relation,) = survey.tables.relations()
    assert relation.works and relation.left.state == relation.right.state == "up"
    costly = pair(mine=(" isis metric 30",))
    assert metric(costly, "ant", "10.255.0.2/32") == ("level-1", 40)
    assert metric(costly, "bee", "10.255.0.1/32") == ("level-1", 20)


def test_a_router_of_one_level_speaks_it_on_every_circuit() -> None:
    """Whatever the circuit is told: measured, `tests/real/test_isis.py`."""
    for mine, other in (("level-1", "level-2-only"), ("level-2-only", "level-1")):
        survey = pair(section=(f"is-type {mine}",), mine=(f" isis circuit-type {other}",))
        (relation,) = survey.tables.relations()
        assert relation.works
        assert metric(survey, "ant", "10.255.0.2/32") == (mine.removesuffix("-only"), 20)
    # One of both levels is told.
    survey = pair(mine=(" isis circuit-type level-1",), their_section=("is-type level-2-only",))
    assert not survey.tables.relations()[0].works


def test_a_router_of_both_levels_makes_a_default_until_it_meets_somebody_in_level_2() -> None:
    """Measured, `tests/real/test_isis.py`."""

    def three(circuit: str) -> Computed:
        link = (f" isis circuit-type {circuit}",) if circuit else ()
        return compute(
            {
                "topology.json": wired(
                    ("ant", "eth1", "bee", "eth1"), ("bee", "eth2", "cat", "eth1")
                ),
                "devices/ant/frr.conf": router(
                    "ant", 1, {"eth1": "10.0.0.1/30"}, lines={"eth1": link}
                ),
                "devices/bee/frr.conf": router(
                    "bee", 2, {"eth1": "10.0.0.2/30", "eth2": "10.0.1.1/30"}
                ),
                "devices/cat/frr.conf": router("cat", 3, {"eth1": "10.0.1.2/30"}, area="49.0002"),
            }
        )

    assert metric(three("level-1"), "ant", "0.0.0.0/0") == ("level-1", 10)
    assert metric(three(""), "ant", "0.0.0.0/0") is None


P2P = (" isis network point-to-point",)
L1 = ("is-type level-1",)
ROWS: dict[str, dict[str, object]] = {
    "enabled": {"mine": (" no ip router isis",)},
    "not passive": {"mine": (" isis passive",)},
    "network type": {"mine": P2P},
    "level": {"section": ("is-type level-1",), "their_section": ("is-type level-2-only",)},
    "area": {"section": L1, "their_section": L1, "area": "49.0002"},
    "system id": {"number": 2},
    "hello password": {"mine": (" isis password clear oil",)},
    "metric style": {"section": ("metric-style narrow",)},
    "announcement password": {"section": ("area-password clear oil",)},
}
STATES = {
    "network type": ("down", "down"),
    "level": ("down", "down"),
    "area": ("down", "down"),
    "hello password": ("down", "initializing"),
    "metric style": ("up", "up"),
    "announcement password": ("up", "up"),
}


@pytest.mark.parametrize("gate", ROWS)
def test_a_row_that_fails_is_found_and_its_mend_makes_neighbours(gate: str) -> None:
    survey = pair(**ROWS[gate])  # type: ignore[arg-type]
    (relation,) = survey.tables.relations()
    assert relation.first_failing is not None and relation.first_failing.gate == gate
    if gate in STATES:
        assert (relation.left.state, relation.right.state) == STATES[gate]
    found = [f for f in survey.findings if f.kind == f"isis-{gate.replace(' ', '-')}"]
    assert found
    if next(row for row in GATES if row.name == gate).mend is None:
        return
    if gate == "system id":
        return  # which of two keeps a name, only a person can say
    assert found[0].remedies
    for remedy in found[0].remedies:
        after = survey.rehearse(remedy.edits).after
        assert all(r.works for r in after.tables.relations()), remedy.title


def test_hellos_that_do_not_fit_are_found() -> None:
    """Hellos are filled up to the link's size (ISO 10589, 8.2.3), so a smaller one hears none."""

    def gathered(number: int, mtu: int) -> str:
        held = {"family": "inet", "local": f"10.0.0.{number}", "prefixlen": 30}
        link = {"ifname": "eth1", "mtu": mtu, "flags": ["UP", "LOWER_UP"], "addr_info": [held]}
        return json.dumps([link])

    survey = two(
        router("ant", 1, {"eth1": "10.0.0.1/30"}),
        router("bee", 2, {"eth1": "10.0.0.2/30"}),
        ant=gathered(1, 9000),
        bee=gathered(2, 1500),
    )
    (relation,) = survey.tables.relations()
    (found,) = (f for f in survey.findings if f.kind == "isis-hello-size")
    assert relation.first_failing is not None and relation.first_failing.gate == "hello size"
    assert "9000" in found.summary and "1500" in found.summary


def test_every_row_has_a_mend_or_says_why_not() -> None:
    assert all(row.mend is not None or row.no_mend for row in GATES)
    assert {row.name for row in GATES} == {
        *ROWS,
        "line",
        "hello size",
        "address family",
        "topology",
    }


def test_a_router_without_a_name_gets_one_of_its_loopback() -> None:
    left = router("ant", 1, {"eth1": "10.0.0.1/30"}).replace(" net 49.0001.0000.0000.0001.00\n", "")
    survey = two(left, router("bee", 2, {"eth1": "10.0.0.2/30"}))
    found = next(f for f in survey.findings if f.kind == "isis-system-id")
    assert "49.0001.0102.5500.0001.00" in str(found.remedies[0].edits)
    assert survey.rehearse(found.remedies[0].edits).after.tables.relations()[0].works


def test_between_two_points_another_level_is_heard_and_not_taken() -> None:
    survey = pair(before=P2P, **ROWS["level"])  # type: ignore[arg-type]
    (relation,) = survey.tables.relations()
    assert (relation.left.state, relation.right.state) == ("initializing", "initializing")


def test_a_metric_before_the_style_is_known_is_refused_with_the_whole_interface() -> None:
    survey = pair(mine=(" isis metric 64",))
    (relation,) = survey.tables.relations()
    assert relation.first_failing is not None and relation.first_failing.gate == "enabled"
    assert pair(mine=(" isis metric 63",)).tables.relations()[0].works


def test_who_is_asked_for_a_password_hears_all_and_is_not_heard() -> None:
    survey = pair(section=(*L1, "area-password clear oil"), their_section=L1)
    # ant takes only what is protected; bee takes all, and a way must be known from both ends.
    assert metric(survey, "ant", "10.255.0.2/32") is None


def chain(*middle: str, far: tuple[str, ...] = (), near: tuple[str, ...] = ()) -> Computed:
    """ant (level 1) - mid - far (level 2) with 10.9.0.0/24 behind far."""
    return compute(
        {
            "topology.json": wired(("ant", "eth1", "mid", "eth1"), ("mid", "eth2", "far", "eth1")),
            "devices/ant/frr.conf": router(
                "ant", 1, {"eth1": "10.0.0.1/30"}, "is-type level-1", *near
            ),
            "devices/mid/frr.conf": router(
                "mid", 2, {"eth1": "10.0.0.2/30", "eth2": "10.0.1.1/30"}, *middle
            ),
            "devices/far/frr.conf": router(
                "far",
                3,
                {"eth1": "10.0.1.2/30", "eth2": "10.9.0.1/24"},
                "is-type level-2-only",
                *far,
                area="49.0002",
            ),
        }
    )


def test_levels_keep_to_themselves_and_a_default_leads_out() -> None:
    survey = chain()
    assert metric(survey, "mid", "10.9.0.0/24") == ("level-2", 20)
    assert metric(survey, "ant", "10.9.0.0/24") is None
    assert metric(survey, "ant", "0.0.0.0/0") == ("level-1", 10)
    # The middle's own subnets are in both levels; those of level 1 stay there.
    assert metric(survey, "far", "10.0.0.0/30") == ("level-2", 20)
    assert metric(survey, "far", "10.255.0.1/32") is None
    assert metric(chain("no attached-bit send"), "ant", "0.0.0.0/0") is None
    assert metric(chain(near=("attached-bit receive ignore",)), "ant", "0.0.0.0/0") is None


def test_what_is_redistributed_and_a_default_that_is_announced() -> None:
    survey = chain(
        "no attached-bit send",
        "default-information originate ipv4 level-1 always metric 5",
        "redistribute ipv4 connected level-2 metric 7",
    )
    assert metric(survey, "ant", "0.0.0.0/0") == ("level-1", 15)


@pytest.mark.parametrize("above", [True, False])
def test_a_route_map_below_the_line_that_names_it_is_there_or_not(above: bool) -> None:
    """Which of both was typed first decides until the next start, and no text tells."""
    island = {"l0": "10.0.0.1/30"}
    coast = router(
        "coast", 2, {"l0": "10.0.0.2/30"}, "redistribute ipv4 static level-2 route-map OUT"
    )
    route = "ip route 10.9.0.0/24 blackhole\n"
    named = "route-map OUT permit 10\n set metric 7\nexit\n"
    text = named + route + coast if above else route + coast + named
    survey = compute(
        {
            "topology.json": wired(("island", "l0", "coast", "l0")),
            "devices/island/frr.conf": router("island", 1, island),
            "devices/coast/frr.conf": text,
        }
    )
    path = survey.path("island", "10.9.0.1")
    if above:
        assert path.outbound.verdict == "discarded"
    else:
        assert path.outbound.verdict == "unknown"
        assert "OUT stands below the line that names it" in json.dumps(path.as_json())
    # Where it sends its own packets does not depend on that.
    assert survey.path("coast", "10.255.0.1").outbound.verdict == "delivered"


def test_a_default_that_one_family_has_and_the_other_lacks_is_missed_there() -> None:
    def texts(*section: str) -> Computed:
        near = router("ant", 1, {"eth1": "10.0.0.1/30"}, "is-type level-1", six=True)
        mid = router("mid", 2, {"eth1": "10.0.0.2/30", "eth2": "10.0.1.1/30"}, *section, six=True)
        far = router("far", 3, {"eth2": "10.0.1.2/30"}, area="49.0002", six=True)
        return compute(
            {
                "topology.json": wired(
                    ("ant", "eth1", "mid", "eth1"), ("mid", "eth2", "far", "eth2")
                ),
                "devices/ant/frr.conf": near,
                "devices/mid/frr.conf": mid,
                "devices/far/frr.conf": far,
            }
        )

    four = "default-information originate ipv4 level-1 always"
    six = "default-information originate ipv6 level-1 always"
    assert texts("no attached-bit send", four, six).path("ant", "10.255.0.3").works == "yes"
    survey = texts("no attached-bit send", six)
    found = survey.diagnose("ant", "10.255.0.3")
    top = found.causes[0]
    assert top.option.finding.kind == "default-not-announced"
    assert top.option.finding.device == "mid" and top.works and not top.effect.breaks


def test_a_line_that_was_misspelt_makes_way_for_what_it_was_meant_to_be() -> None:
    left = router("ant", 1, {"eth1": "10.0.0.1/30"})
    odd = left.replace(" ip router isis sea\n", " ip ruoter isis sea\n", 2).replace(
        " ip ruoter isis sea\n", " ip router isis sea\n", 1
    )
    survey = two(odd, router("bee", 2, {"eth1": "10.0.0.2/30"}))
    found = survey.diagnose("bee", "10.255.0.1")
    top = found.causes[0]
    assert top.works and top.certainty == "proven"
    (edit,) = top.option.edits
    assert edit.remove == ("ip ruoter isis sea",)  # type: ignore[union-attr]
    assert edit.add == ("ip router isis sea",)  # type: ignore[union-attr]


def test_an_overloaded_router_is_no_way_to_others() -> None:
    survey = chain("set-overload-bit")
    assert metric(survey, "far", "10.255.0.2/32") == ("level-2", 20)
    ring = compute(
        {
            "topology.json": wired(
                ("ant", "eth1", "mid", "eth1"),
                ("mid", "eth2", "far", "eth1"),
                ("ant", "eth2", "far", "eth2"),
            ),
            "devices/ant/frr.conf": router(
                "ant",
                1,
                {"eth1": "10.0.0.1/30", "eth2": "10.0.2.1/30"},
                lines={"eth2": (" isis metric 60",)},
            ),
            "devices/mid/frr.conf": router(
                "mid", 2, {"eth1": "10.0.0.2/30", "eth2": "10.0.1.1/30"}, "set-overload-bit"
            ),
            "devices/far/frr.conf": router(
                "far", 3, {"eth1": "10.0.1.2/30", "eth2": "10.0.2.2/30"}
            ),
        }
    )
    assert metric(ring, "ant", "10.255.0.3/32") == ("level-1", 70)


def test_the_mark_of_overload_does_not_count_in_a_topology_of_its_own() -> None:
    """Measured on FRR 8.4: IPv6 passes, IPv4 does not."""
    marks = " set-overload-bit\nexit\n"
    own = " topology ipv6-unicast\nexit\n"
    hosts = {"ant": {"eth1": 1}, "mid": {"eth1": 1, "eth2": 2}, "far": {"eth1": 2}}
    text = {}
    for number, (name, links) in enumerate(hosts.items(), 1):
        said = six_too(name, number, {**links, "eth9": 10 + number}).removesuffix("exit\n") + own
        text[name] = said.removesuffix("exit\n") + marks if name == "mid" else said
    survey = compute(
        {
            "topology.json": wired(("ant", "eth1", "mid", "eth1"), ("mid", "eth2", "far", "eth1")),
            **{f"devices/{name}/frr.conf": said for name, said in text.items()},
        }
    )
    assert metric(survey, "ant", "10.0.13.0/24") is None
    beyond = survey.tables.of("ant", 6).winner(parse_prefix("fd00:13::/64"))  # type: ignore[arg-type]
    assert beyond is not None and beyond.metric == 30


def test_the_family_that_one_end_does_not_carry_has_no_way_over_it() -> None:
    texts = [
        router(name, number, {"eth1": f"10.0.0.{number}/30"}, six=True)
        for number, name in ((1, "ant"), (2, "bee"))
    ]
    assert all(r.works for r in two(*texts).tables.relations())
    one = texts[1].replace(" ipv6 router isis sea\n", "", 1)
    survey = two(texts[0], one)
    failing = [r for r in survey.tables.relations() if not r.works]
    assert [r.family for r in failing] == [6]
    assert failing[0].first_failing.gate == "address family"  # type: ignore[union-attr]
    assert failing[0].left.state == "up"
    found = next(f for f in survey.findings if f.kind == "isis-address-family")
    after = survey.rehearse(found.remedies[0].edits).after
    assert all(r.works for r in after.tables.relations())


@pytest.mark.parametrize("last", ["metric-style narrow", "topology ipv6-unicast"])
def test_a_topology_of_its_own_with_narrow_metrics_is_refused_with_the_whole_process(
    last: str,
) -> None:
    lines = ("metric-style narrow", "topology ipv6-unicast")
    survey = pair(section=(*(line for line in lines if line != last), last))
    unknown = [line for report in survey.survey.reading for line in report.unknown]
    assert [line.text.strip() for line in unknown if line.matters] == [last]
    assert survey.path("ant", "10.255.0.2").outbound.verdict == "unknown"


def defaults(style: str, near: int, *there: str, mid: tuple[str, ...] = ()) -> Computed:
    """ant in level 1 between mid, which knows other areas and is `near`, and dog at 50, which says
    `there`; all of one style of metrics."""
    said = (f"metric-style {style}",)
    one = ("is-type level-1",)
    cost = {"eth1": (f" isis metric {near}",), "eth2": (" isis metric 50",)}
    ant = router("ant", 1, {"eth1": "10.0.1.1/30", "eth2": "10.0.2.1/30"}, *one, *said, lines=cost)
    return compute(
        {
            "topology.json": wired(
                ("ant", "eth1", "mid", "eth1"),
                ("ant", "eth2", "dog", "eth1"),
                ("mid", "eth2", "far", "eth1"),
            ),
            # The style is known before the interfaces: a metric may be refused else.
            "devices/ant/frr.conf": ant,
            "devices/mid/frr.conf": router(
                "mid", 2, {"eth1": "10.0.1.2/30", "eth2": "10.0.3.1/30"}, *said, *mid
            ),
            "devices/dog/frr.conf": router("dog", 4, {"eth1": "10.0.2.2/30"}, *one, *said, *there),
            "devices/far/frr.conf": router(
                "far",
                3,
                {"eth1": "10.0.3.2/30"},
                *said,
                "default-information originate ipv4 level-2 always",
                area="49.0002",
            ),
        }
    )


@pytest.mark.parametrize("style", ["wide", "transition", "narrow"])
def test_a_default_that_is_announced_replaces_that_towards_other_areas(style: str) -> None:
    """With wide metrics, whichever is nearer (measured on FRR 8.4)."""
    announced = "default-information originate ipv4 level-1 always"
    cost = ("level-1", 10 if style == "narrow" else 50)
    assert metric(defaults(style, 10, announced), "ant", "0.0.0.0/0") == cost
    assert metric(defaults(style, 10), "ant", "0.0.0.0/0") == ("level-1", 10)
    # Who announces one in level 1 does not go by that of level 2.
    assert metric(defaults(style, 10), "mid", "0.0.0.0/0") == ("level-2", 10)
    assert metric(defaults(style, 10, mid=(announced,)), "mid", "0.0.0.0/0") is None


def test_narrow_metrics_carry_ipv4_alone_and_that_is_said() -> None:
    """Each announces its IPv6 subnets and uses none (measured on FRR 8.4)."""
    style = " metric-style narrow\nexit\n"
    text = {
        name: six_too(name, number, {"eth1": 1, "eth2": 1 + number}).removesuffix("exit\n") + style
        for number, name in ((1, "ant"), (2, "bee"))
    }
    survey = compute(
        {
            "topology.json": wired(("ant", "eth1", "bee", "eth1")),
            **{f"devices/{name}/frr.conf": said for name, said in text.items()},
        }
    )
    beyond = parse_prefix("fd00:3::/64")
    assert beyond is not None
    assert survey.tables.of("ant", 4).winner(parse_prefix("10.0.3.0/24"))  # type: ignore[arg-type]
    assert survey.tables.of("ant", 6).winner(beyond) is None
    found = [f for f in survey.findings if f.kind == "isis-metric-style"]
    assert [f.device for f in found] and "uses no IPv6" in json.dumps(survey.neighbours_json())
    edits = tuple(edit for f in found for r in f.remedies for edit in r.edits)
    after = survey.rehearse(tuple(dict.fromkeys(edits))).after
    assert after.tables.of("ant", 6).winner(beyond) is not None
    assert all(relation.works for relation in after.tables.relations())


def six_too(name: str, number: int, links: dict[str, int], *dear: str, lacks: str = "") -> str:
    """A router in IS-IS with both families: interface -> number of its link. `dear` interfaces cost
    60, `lacks` does not carry IPv6."""
    lines = {
        port: (
            f" ipv6 address fd00:{link}::{number}/64",
            *([" ipv6 router isis sea"] if port != lacks else []),
            *([" isis metric 60"] if port in dear else []),
            " isis network point-to-point",
        )
        for port, link in links.items()
    }
    ports = {port: f"10.0.{link}.{number}/24" for port, link in links.items()}
    return router(name, number, ports, lines=lines)


def test_who_hears_that_a_neighbour_lacks_the_family_goes_another_way() -> None:
    """Others take the link for a way (`tests/real/test_dynamic.py`, isis 13)."""
    survey = compute(
        {
            "topology.json": wired(
                ("ant", "eth1", "bee", "eth1"),
                ("ant", "eth2", "cat", "eth1"),
                ("cat", "eth2", "bee", "eth2"),
                ("ant", "eth3", "dog", "eth1"),
            ),
            "devices/ant/frr.conf": six_too("ant", 1, {"eth1": 1, "eth2": 2, "eth3": 3}, "eth2"),
            "devices/bee/frr.conf": six_too("bee", 2, {"eth1": 1, "eth2": 4}, lacks="eth1"),
            "devices/cat/frr.conf": six_too("cat", 3, {"eth1": 2, "eth2": 4}, "eth2"),
            "devices/dog/frr.conf": six_too("dog", 4, {"eth1": 3}),
        }
    )
    # The subnet between cat and bee: 10 + 10 by bee, 60 + 60 by cat.
    assert metric(survey, "ant", "10.0.4.0/24") == ("level-1", 20)
    beyond = survey.tables.of("ant", 6).winner(parse_prefix("fd00:4::/64"))  # type: ignore[arg-type]
    assert beyond is not None and beyond.metric == 120
    assert {hop.interface for hop in beyond.next_hops} == {"eth2"}
    # Dog hears nothing of what the two said to each other.
    of_dog = survey.tables.of("dog", 6).winner(parse_prefix("fd00:4::/64"))  # type: ignore[arg-type]
    assert of_dog is not None and of_dog.metric == 30


def test_a_topology_of_its_own_is_shared_by_those_that_have_one() -> None:
    def text(name: str, number: int, *section: str) -> str:
        return router(name, number, {"eth1": f"10.0.0.{number}/30"}, *section, six=True)

    own = "topology ipv6-unicast"
    both = two(text("ant", 1, own), text("bee", 2, own))
    assert all(r.works for r in both.tables.relations())
    survey = two(text("ant", 1, own), text("bee", 2))
    failing = [r for r in survey.tables.relations() if not r.works]
    assert [(r.family, r.first_failing.gate) for r in failing] == [(6, "topology")]  # type: ignore[union-attr]
    found = next(f for f in survey.findings if f.kind == "isis-topology")
    for remedy in found.remedies:
        after = survey.rehearse(remedy.edits).after
        assert all(r.works for r in after.tables.relations())


def brute(edges: dict[tuple[int, int], int], start: int, end: int, count: int) -> int | None:
    """The cheapest way by trying every order of routers."""
    best: int | None = None
    for size in range(count):
        for between in itertools.permutations(
            [n for n in range(count) if n not in (start, end)], size
        ):
            way = (start, *between, end)
            if all(step in edges for step in itertools.pairwise(way)):
                cost = sum(edges[step] for step in itertools.pairwise(way))
                best = cost if best is None else min(best, cost)
    return best


@pytest.mark.parametrize("seed", range(12))
def test_ways_equal_those_found_by_trying_all(seed: int) -> None:
    rng = random.Random(seed)
    count = rng.randint(3, 5)
    links = [pair for pair in itertools.combinations(range(count), 2) if rng.random() < 0.7]
    ports: list[dict[str, str]] = [{} for _ in range(count)]
    lines: list[dict[str, tuple[str, ...]]] = [{} for _ in range(count)]
    costs: dict[tuple[int, int], int] = {}
    wires = []
    for number, (left, right) in enumerate(links):
        for at, (here, there) in enumerate(((left, right), (right, left))):
            port = f"eth{len(ports[here]) + 1}"
            ports[here][port] = f"10.0.{number}.{at + 1}/30"
            costs[here, there] = rng.randint(1, 40)
            lines[here][port] = (f" isis metric {costs[here, there]}",)
        wires.append((f"r{left}", list(ports[left])[-1], f"r{right}", list(ports[right])[-1]))
    files = {
        f"devices/r{n}/frr.conf": router(f"r{n}", n + 1, ports[n], lines=lines[n])
        for n in range(count)
    }
    survey = compute({"topology.json": wired(*wires), **files})
    for start, end in itertools.permutations(range(count), 2):
        least = brute(costs, start, end, count)
        found = metric(survey, f"r{start}", f"10.255.0.{end + 1}/32")
        assert found == (None if least is None else ("level-1", least + 10)), (start, end)
    assert survey.tables.links.is_up(End("r0", "lo"))


def test_an_address_family_that_is_none_is_not_taken_for_one() -> None:
    """`redistribute ipv3` was read as IPv6; what is not understood is said, and is not certain."""
    files = read_folder(ROOT / "tests" / "cases" / "karst-00" / "survey")
    path = "devices/scar/frr.conf"
    text = files[path].decode().replace("redistribute ipv4 static", "redistribute ipv3 static")
    survey = Computed.from_files({**files, path: text.encode()}, KEY)
    (report,) = [r for r in survey.survey.reading if (r.device, r.file) == ("scar", "frr.conf")]
    (line,) = [u for u in report.unknown if "ipv3" in u.text]
    assert line.matters and line.why is not None and "'ipv3' is no address family" in line.why


@pytest.mark.parametrize("wrong", [1, 2])
def test_what_is_told_into_a_level_where_nobody_is_is_told_into_the_other(wrong: int) -> None:
    kind = "is-type level-2-only" if wrong == 1 else "is-type level-1"
    told = f"redistribute ipv4 static level-{wrong}"
    ant = router("ant", 1, {"eth1": "10.0.0.1/30"}, kind, told)
    ant += "ip route 10.7.0.0/16 blackhole\n"
    survey = two(ant, router("bee", 2, {"eth1": "10.0.0.2/30"}))
    assert metric(survey, "bee", "10.7.0.0/16") is None
    target = parse_address("10.7.0.1")
    assert target is not None
    (suspect,) = told_to_nobody(Bench(survey.survey, survey.tables, survey.forwarding), target)
    after = Computed(apply(survey.survey, suspect.finding.remedies[0].edits).survey)
    assert metric(after, "bee", "10.7.0.0/16") is not None
