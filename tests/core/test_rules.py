"""Rules that choose a table: in their order, for what passes and for what starts here."""

from __future__ import annotations

import json

import pytest
from surveys import compute, frr, wired

from trochos.core.forwarding.path import Traffic
from trochos.core.survey import Computed

LOCAL = {"priority": 0, "src": "all", "table": "local"}
MAIN = {"priority": 32766, "src": "all", "table": "main"}
DEFAULT = {"priority": 32767, "src": "all", "table": "default"}


def host(files: dict[str, str], name: str, address: str, gateway: str) -> None:
    held = {"family": "inet", "local": address, "prefixlen": 24}
    link = {"ifname": "eth0", "flags": ["UP", "LOWER_UP"], "addr_info": [held]}
    files[f"devices/{name}/addr.json"] = json.dumps([link])
    route = {"dst": "default", "gateway": gateway, "dev": "eth0"}
    files[f"devices/{name}/route.json"] = json.dumps([route])


def network(
    rules: list[dict[str, object]],
    tables: list[dict[str, object]] = (),  # type: ignore[assignment]
    **more: str,
) -> Computed:
    """h1 and h2 at mid; from mid two ways to far with h3: left (the main one) and right."""
    files = {
        "topology.json": wired(
            ("h1", "eth0", "mid", "eth1"),
            ("h2", "eth0", "mid", "eth2"),
            ("mid", "eth3", "left", "eth1"),
            ("mid", "eth4", "right", "eth1"),
            ("left", "eth2", "far", "eth1"),
            ("right", "eth2", "far", "eth2"),
            ("far", "eth3", "h3", "eth0"),
        ),
        "devices/mid/frr.conf": frr(
            "mid",
            {"eth1": "10.64.1.1/24", "eth2": "10.64.2.1/24", "eth3": "10.64.0.1/30",
             "eth4": "10.64.0.5/30"},
            "ip route 10.64.3.0/24 10.64.0.2",
        ),
        "devices/left/frr.conf": frr(
            "left", {"eth1": "10.64.0.2/30", "eth2": "10.64.0.9/30"},
            "ip route 10.64.3.0/24 10.64.0.10", "ip route 10.64.0.0/16 10.64.0.1",
        ),
        "devices/right/frr.conf": frr(
            "right", {"eth1": "10.64.0.6/30", "eth2": "10.64.0.13/30"},
            "ip route 10.64.3.0/24 10.64.0.14", "ip route 10.64.0.0/16 10.64.0.5",
        ),
        "devices/far/frr.conf": frr(
            "far", {"eth1": "10.64.0.10/30", "eth2": "10.64.0.14/30", "eth3": "10.64.3.1/24"},
            "ip route 10.64.0.0/16 10.64.0.9",
        ),
        "devices/mid/rule.json": json.dumps([LOCAL, *rules, MAIN, DEFAULT]),
        "devices/mid/tables.json": json.dumps(list(tables)),
    }  # fmt: skip
    host(files, "h1", "10.64.1.10", "10.64.1.1")
    host(files, "h2", "10.64.2.10", "10.64.2.1")
    host(files, "h3", "10.64.3.10", "10.64.3.1")
    files |= {f"devices/mid/{name.replace('_', '.')}": text for name, text in more.items()}
    return compute(files)


RIGHT = [{"dst": "10.64.3.0/24", "gateway": "10.64.0.6", "dev": "eth4", "table": "100"}]
FROM_1 = {"priority": 100, "src": "10.64.1.0", "srclen": 24, "table": "100"}


def way(survey: Computed, sender: str, target: str = "10.64.3.10") -> list[str]:
    return [hop.device for hop in survey.path(sender, target).outbound.branches[0].hops][1:]


def all_pairs_agree(survey: Computed) -> None:
    said = {True: "yes", False: "no", None: "unknown", "partly": "partly"}
    for pair in survey.reach.pairs():
        path = survey.path(pair.device, str(pair.target))
        if path.source == pair.source:
            assert said[pair.ok] == path.works, pair  # type: ignore[index]


def test_a_rule_about_the_source_leads_to_its_table() -> None:
    survey = network([FROM_1], RIGHT)
    assert way(survey, "h1") == ["mid", "right", "far", "h3"]
    assert way(survey, "h2") == ["mid", "left", "far", "h3"]
    hop = survey.path("h1", "10.64.3.10").outbound.branches[0].hops[1]
    actions = hop.as_json()["actions"]
    assert actions[0]["do"] == "rule" and actions[0]["table"] == "100"  # type: ignore[index]
    all_pairs_agree(survey)


@pytest.mark.parametrize(
    ("rule", "moved"),
    [
        ({"src": "all", "iif": "eth2"}, {"h2"}),
        ({"src": "all", "dst": "10.64.3.0", "dstlen": 24}, {"h1", "h2"}),
        ({"src": "10.64.2.10"}, {"h2"}),
        ({"src": "10.64.9.0", "srclen": 24}, set()),
    ],
)
def test_each_selector_takes_its_packets(rule: dict[str, object], moved: set[str]) -> None:
    survey = network([{"priority": 100, "table": "100", **rule}], RIGHT)
    for name in ("h1", "h2"):
        assert ("right" in way(survey, name)) == (name in moved)
    all_pairs_agree(survey)


def test_rules_go_by_priority_whatever_their_order() -> None:
    late = {**FROM_1, "priority": 32800}
    assert "left" in way(network([late], RIGHT), "h1"), "the main table has it first"
    first = {"priority": 50, "src": "10.64.1.0", "srclen": 24, "table": "main"}
    assert "left" in way(network([FROM_1, first], RIGHT), "h1")


def test_a_table_without_a_match_leads_on() -> None:
    assert "left" in way(network([FROM_1], []), "h1")
    other = [{**RIGHT[0], "dst": "10.99.0.0/16"}]
    assert "left" in way(network([FROM_1], other), "h1")


def test_a_default_that_is_suppressed_is_passed_over() -> None:
    default = [{"dst": "default", "gateway": "10.64.0.6", "dev": "eth4", "table": "100"}]
    quiet = {**FROM_1, "suppress_prefixlen": 0}
    assert "left" in way(network([quiet], default), "h1")
    assert "right" in way(network([FROM_1], default), "h1")


@pytest.mark.parametrize(
    ("action", "verdict"),
    [("blackhole", "discarded"), ("unreachable", "rejected"), ("prohibit", "rejected")],
)
def test_rules_and_tables_end_packets(action: str, verdict: str) -> None:
    rule = {"priority": 100, "src": "10.64.1.0", "srclen": 24, "action": action}
    survey = network([rule])
    assert survey.path("h1", "10.64.3.10").outbound.verdict == verdict
    assert survey.path("h2", "10.64.3.10").works == "yes"
    kind = [{"type": action, "dst": "10.64.3.0/24", "table": "100"}]
    assert network([FROM_1], kind).path("h1", "10.64.3.10").outbound.verdict == verdict


def test_the_devices_own_addresses_come_before_every_rule() -> None:
    rule = {"priority": 100, "src": "all", "action": "blackhole"}
    survey = network([rule])
    assert survey.path("h1", "10.64.1.1").outbound.verdict == "delivered"


def test_a_strict_check_asks_with_the_rules_and_the_ends_exchanged() -> None:
    settings = {"sysctl_json": json.dumps({"net.ipv4.conf.all.rp_filter": 1})}
    plain = network([], [], **settings)
    assert plain.path("h1", "10.64.3.10").works == "yes"
    back = {"priority": 100, "src": "all", "dst": "10.64.3.0", "dstlen": 24, "table": "100"}
    survey = network([back], RIGHT, **settings)
    path = survey.path("h1", "10.64.3.10")
    assert path.outbound.verdict == "delivered"
    assert path.back is not None and path.back.verdict == "filtered"
    assert path.back.decisive.last.device == "mid"


TCP = Traffic(protocol="tcp", port=443)
ALL = {"priority": 100, "src": "all", "table": "100"}


@pytest.mark.parametrize(
    ("rule", "ping", "web"),
    [
        ({"fwmark": "0x1"}, False, False),
        ({"fwmark": "0x0", "fwmask": "0x1"}, True, True),
        ({"ipproto": "icmp"}, True, False),
        ({"ipproto": "ipproto-1"}, True, False),
        ({"ipproto": "tcp", "dport": 443}, False, True),
        ({"ipproto": "tcp", "dport_start": 400, "dport_end": 500}, False, True),
        ({"dport": 80}, False, False),
        ({"sport_start": 1024, "sport_end": 65535}, False, True),
        ({"tos": "0x10"}, False, False),
        ({"oif": "eth4"}, False, False),
        ({"not": None, "ipproto": "tcp"}, True, False),
        ({"not": None, "src": "10.64.9.0", "srclen": 24}, True, True),
        ({"iif": "gone", "iif_detached": None}, False, False),
    ],
)
def test_rules_see_what_a_packet_is(rule: dict[str, object], ping: bool, web: bool) -> None:
    survey = network([{**ALL, **rule}], RIGHT)
    assert not survey.network.device("mid").unmodelled  # type: ignore[union-attr]
    assert ("right" in way(survey, "h1")) == ping
    branch = survey.path("h1", "10.64.3.10", TCP).outbound.branches[0]
    assert ("right" in [hop.device for hop in branch.hops]) == web
    all_pairs_agree(survey)


def test_a_rule_about_ports_that_nobody_knows_leaves_the_device_open() -> None:
    survey = network([{**ALL, "ipproto": "tcp", "sport_start": 40000, "sport_end": 40009}], RIGHT)
    path = survey.path("h1", "10.64.3.10", TCP)
    assert path.works == "unknown" and "rule 100" in path.outbound.decisive.reason
    assert survey.path("h1", "10.64.3.10").works == "yes", "a ping has no ports"


@pytest.mark.parametrize("odd", [{"uidrange": "0-99"}, {"tun_id": 5}, {"l3mdev": None}])
def test_a_rule_about_what_is_not_computed_leaves_the_device_open(odd: dict[str, object]) -> None:
    survey = network([{**ALL, **odd}], RIGHT)
    assert survey.path("h1", "10.64.3.10").works == "unknown"


def test_a_rule_that_ends_what_has_no_source_yet_lets_nothing_out() -> None:
    """The kernel looks for the way before it chooses a source."""
    rule = {"priority": 100, "not": None, "src": "10.64.1.0", "srclen": 24, "action": "unreachable"}
    survey = network([rule])
    path = survey.path("mid", "10.64.3.10")
    assert (path.works, path.outbound.verdict) == ("no", "rejected")
    assert survey.path("mid", "10.64.3.10", Traffic(source="10.64.1.1")).works == "yes"
    assert survey.path("h1", "10.64.3.10").works == "no", "the answer comes from another source"
    all_pairs_agree(survey)


def test_a_rule_for_a_source_finds_no_way_for_what_has_none_yet() -> None:
    """The main table does not know the target; the rule that does asks for a source."""
    text = frr("mid", {"eth1": "10.64.1.1/24", "eth2": "10.64.2.1/24", "eth3": "10.64.0.1/30",
                       "eth4": "10.64.0.5/30"})  # fmt: skip
    survey = network([FROM_1], RIGHT, frr_conf=text)
    path = survey.path("mid", "10.64.3.10")
    assert (path.works, path.outbound.verdict) == ("no", "no-route")
    bound = survey.path("mid", "10.64.3.10", Traffic(source="10.64.1.1"))
    assert bound.outbound.verdict == "delivered"
    all_pairs_agree(survey)


def test_a_routers_own_static_routes_fill_further_tables() -> None:
    """They are in its text, so a change of it shows; what the kernel shows of them is the same."""
    line = "ip route 10.64.3.0/24 10.64.0.6 table 100\n"
    ports = {"eth1": "10.64.1.1/24", "eth2": "10.64.2.1/24", "eth3": "10.64.0.1/30",
             "eth4": "10.64.0.5/30"}  # fmt: skip
    text = frr("mid", ports, "ip route 10.64.3.0/24 10.64.0.2")
    shown = [{**RIGHT[0], "protocol": "static"}]
    for tables in ([], shown):
        survey = network([FROM_1], tables, frr_conf=text + line)
        assert "right" in way(survey, "h1") and "left" in way(survey, "h2")
        other = network([FROM_1], tables, frr_conf=text + line.replace("10.64.3.", "10.64.9."))
        assert "left" in way(other, "h1"), "the text says otherwise by now"
    gone = network([FROM_1], [], frr_conf=text + line + f"no {line}")
    assert "left" in way(gone, "h1")


def test_a_rule_may_lead_to_another() -> None:
    onward = {"priority": 90, "src": "10.64.1.0", "srclen": 24, "goto": 110}
    there = {"priority": 110, "src": "all", "nop": None}
    survey = network([onward, ALL, there], RIGHT)
    assert "left" in way(survey, "h1") and "right" in way(survey, "h2")
    lost = network([{**onward, "goto": 111, "unresolved": None}, ALL], RIGHT)
    assert "right" in way(lost, "h1"), "one that leads nowhere does nothing"


def _marks(*rules: list[dict[str, object]], out: list[dict[str, object]] = ()) -> str:  # type: ignore[assignment]
    """A table that sets marks before routing; what `nft -j list ruleset` prints of it."""
    place = {"family": "ip", "table": "m"}
    hooks = {"pre": ("filter", "prerouting"), "out": ("route", "output")}
    listed: list[dict[str, object]] = [{"table": {"family": "ip", "name": "m"}}]
    for name, (kind, hook) in hooks.items():
        about = {"type": kind, "hook": hook, "prio": -150, "policy": "accept"}
        listed.append({"chain": {**place, "name": name, **about}})
    for name, held in (("pre", rules), ("out", out)):
        listed += [{"rule": {**place, "chain": name, "expr": expr}} for expr in held]
    return json.dumps({"nftables": listed})


def _set(value: object, of: str = "meta") -> dict[str, object]:
    return {"mangle": {"key": {of: {"key": "mark"}}, "value": value}}


def _if(left: dict[str, object], right: object, op: str = "==") -> dict[str, object]:
    return {"match": {"op": op, "left": left, "right": right}}


MARK, KEPT = {"meta": {"key": "mark"}}, {"ct": {"key": "mark"}}
FROM_H1 = _if({"payload": {"protocol": "ip", "field": "saddr"}}, "10.64.1.10")
BY_ETH1 = _if({"meta": {"key": "iifname"}}, "eth1")
MARKED = {**ALL, "fwmark": "0x1"}


@pytest.mark.parametrize(
    "rules",
    [
        [[FROM_H1, _set(1)]],
        [[BY_ETH1, _set({"|": [MARK, 1]})]],
        [[_set(3)], [FROM_H1, _set({"&": [MARK, 0xFD]})], [_if(MARK, 3), _set(0)]],
        [[FROM_H1, _set({"^": [MARK, 1]})]],
        [[FROM_H1, _set(1, "ct")], [_set(KEPT)]],
        [[_set({"map": {"key": FROM_H1["match"]["left"],  # type: ignore[index]
                        "data": {"set": [["10.64.1.10", 1], ["10.64.2.10", 2]]}}})]],
        [[FROM_H1, _set(0x11)], [_if({"&": [MARK, 0x10]}, 0x10), _set({"&": [MARK, 1]})]],
    ],
)  # fmt: skip
def test_marks_are_followed_through_the_chains(rules: list[list[dict[str, object]]]) -> None:
    survey = network([MARKED], RIGHT, nft_json=_marks(*rules))
    assert not survey.network.device("mid").unmodelled  # type: ignore[union-attr]
    assert "right" in way(survey, "h1") and "left" in way(survey, "h2")
    all_pairs_agree(survey)


def test_what_stands_in_no_element_of_a_map_goes_no_further_in_the_rule() -> None:
    pairs = {"key": FROM_H1["match"]["left"], "data": {"set": [["10.64.1.10", 1]]}}  # type: ignore[index]
    rules = [[_set(5), _set({"map": pairs}), {"accept": None}], [_set({"&": [MARK, 0]})]]
    survey = network([MARKED], RIGHT, nft_json=_marks(*rules))
    assert "right" in way(survey, "h1"), "it is accepted with its mark, which the map set last"
    assert "left" in way(survey, "h2"), "it goes on to the next rule"
    five = network([{**ALL, "fwmark": "0x5"}], RIGHT, nft_json=_marks(rules[0]))
    assert "right" in way(five, "h2") and "left" in way(five, "h1")


def test_a_device_routes_its_own_packets_anew_when_a_route_chain_has_marked_them() -> None:
    survey = network([MARKED], RIGHT, nft_json=_marks(out=[[_set(1)]]))
    path = survey.path("mid", "10.64.3.10").outbound.branches[0]
    assert "right" in [hop.device for hop in path.hops]
    assert "left" in way(survey, "h1"), "what passes does not meet that chain"
    for port, moved in (("eth3", True), ("eth4", False)):
        asked = [_if({"meta": {"key": "oifname"}}, port), _set(1)]
        survey = network([MARKED], RIGHT, nft_json=_marks(out=[asked]))
        path = survey.path("mid", "10.64.3.10").outbound.branches[0]
        assert ("right" in [hop.device for hop in path.hops]) == moved, "its first exit is eth3"


def test_the_mark_of_a_connection_leads_its_answers() -> None:
    """Saved from the request, put back on the answer: it goes by the rule, too."""
    keep = [[FROM_H1, _set(1, "ct")], [_if(KEPT, 0, "!="), BY_ETH3, _set(KEPT)]]
    reply = [{"dst": "10.64.1.0/24", "gateway": "10.64.0.6", "dev": "eth4", "table": "100"}]
    survey = network([MARKED], reply, nft_json=_marks(*keep))
    path = survey.path("h1", "10.64.3.10")
    assert path.outbound.verdict == "delivered" and path.back is not None
    assert [hop.device for hop in path.back.branches[0].hops][:4] == ["h3", "far", "left", "mid"]
    assert path.back.branches[0].hops[4].device == "right"
    other = survey.path("h2", "10.64.3.10").back
    assert other is not None and "right" not in [hop.device for hop in other.branches[0].hops]


BY_ETH3 = _if({"meta": {"key": "iifname"}}, "eth3")


def test_each_rule_says_what_it_did_with_a_packet() -> None:
    survey = network([{**FROM_1, "priority": 90}, MARKED], [])
    hop = survey.path("h1", "10.64.3.10").outbound.branches[0].hops[1].as_json()
    said = [(rule["priority"], rule["state"]) for rule in hop["rules"]]  # type: ignore[attr-defined]
    assert said == [(90, "nothing"), (100, "passes"), (32766, "taken"), (32767, "later")]
    assert "rules" not in survey.path("h1", "10.64.3.10").outbound.branches[0].hops[2].as_json()


def test_a_second_visit_by_another_interface_is_no_loop() -> None:
    rule = {"priority": 100, "src": "all", "iif": "eth1", "table": "100"}
    survey = network([rule], RIGHT)
    survey = compute(
        {
            **{
                f"devices/{d}/{n}" if d else n: t
                for d, ts in survey.survey.files.items()
                for n, t in ts.items()
            },
            "devices/right/frr.conf": frr(
                "right", {"eth1": "10.64.0.6/30"}, "ip route 0.0.0.0/0 10.64.0.5"
            ),
        }
    )
    assert way(survey, "h1") == ["mid", "right", "mid", "left", "far", "h3"]
    assert survey.path("h1", "10.64.3.10").works == "yes"


def test_no_finding_rests_on_the_main_table_where_rules_choose() -> None:
    survey = network([FROM_1], RIGHT)
    assert not [f.summary for f in survey.findings if f.severity != "notes"]
