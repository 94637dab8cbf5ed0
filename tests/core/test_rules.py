"""Rules that choose a table: in their order, for what passes and for what starts here."""

from __future__ import annotations

import json

import pytest
from surveys import compute, frr, wired

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


def test_a_rule_about_a_mark_leaves_the_device_open() -> None:
    survey = network([{"priority": 100, "src": "all", "fwmark": "0x1", "table": "100"}], RIGHT)
    assert survey.path("h1", "10.64.3.10").works == "unknown"


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
