"""Filters, reverse-path checks, sockets and names on the way of a packet."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from surveys import compute, wired
from two_routers import BACK, FRONT, survey

from trochos.core.change.handover import hand_over
from trochos.core.forwarding.path import Traffic

WEB = Traffic(protocol="tcp", port=5432)


def rule(chain: str, *expr: dict[str, Any]) -> dict[str, Any]:
    return {"rule": {"family": "inet", "table": "t", "chain": chain, "expr": list(expr)}}


def chain(hook: str, policy: str = "accept", name: str | None = None) -> dict[str, Any]:
    body = {"family": "inet", "table": "t", "name": name or hook}
    return {"chain": {**body, "type": "filter", "hook": hook, "prio": 0, "policy": policy}}


def ruleset(*items: dict[str, Any]) -> dict[str, str]:
    listed = [{"metainfo": {"json_schema_version": 1}}, *items]
    return {"nft.json": json.dumps({"nftables": listed}, indent=1)}


def match(protocol: str, field: str, right: object, op: str = "==") -> dict[str, Any]:
    left = {"payload": {"protocol": protocol, "field": field}}
    return {"match": {"op": op, "left": left, "right": right}}


ESTABLISHED = {
    "match": {"op": "in", "left": {"ct": {"key": "state"}}, "right": ["established", "related"]}
}
ACCEPT, DROP = {"accept": None}, {"drop": None}
PREFIX = {"prefix": {"addr": "10.64.1.0", "len": 24}}


def test_without_filters_it_works() -> None:
    path = survey(db={"ss": "tcp LISTEN 0 128 0.0.0.0:5432 0.0.0.0:*\n"}).path("desk", "db", WEB)
    assert path.works == "yes" and not path.caveats


def test_a_dropped_packet_names_the_entry_and_is_silent() -> None:
    network = survey(
        front=ruleset(chain("forward"), rule("forward", match("tcp", "dport", 5432), DROP))
    )
    path = network.path("desk", "db", WEB)
    assert path.outbound.verdict == "filtered"
    assert path.outbound.decisive.last.device == "front"
    action = path.outbound.decisive.last.as_json()["actions"][0]  # type: ignore[index]
    assert action["result"] == "drop" and '"dport"' in action["entry"]["text"]
    # Another port, and a ping, pass.
    assert network.path("desk", "db", Traffic(protocol="tcp", port=22)).works == "yes"
    assert network.path("desk", "db").works == "yes"


def test_a_refusal_is_another_verdict_than_a_drop() -> None:
    network = survey(
        back=ruleset(
            chain("forward"),
            rule("forward", match("ip", "saddr", PREFIX), {"reject": {"type": "tcp reset"}}),
        )
    )
    assert network.path("desk", "db").outbound.verdict == "refused"


def test_the_reply_passes_by_state_where_its_request_passed() -> None:
    filters = ruleset(
        chain("forward", "drop"),
        rule("forward", ESTABLISHED, ACCEPT),
        rule("forward", match("ip", "saddr", PREFIX), ACCEPT),
    )
    network = survey(back=filters)
    assert network.path("desk", "db").works == "yes"
    assert network.path("db", "desk").outbound.verdict == "filtered"


def test_a_reply_by_another_router_has_no_state_there() -> None:
    """front sends by eth1; what only sees the reply takes it for the middle of nothing."""
    filters = ruleset(chain("output", "drop"), rule("output", ESTABLISHED, ACCEPT))
    network = survey(db=filters)
    assert network.path("desk", "db").works == "yes"
    assert network.path("db", "desk").outbound.verdict == "filtered"


def test_an_input_chain_stops_what_is_for_the_device_itself_only() -> None:
    network = survey(back=ruleset(chain("input", "drop")))
    assert network.path("desk", "db").works == "yes"
    assert network.path("desk", "back").outbound.verdict == "filtered"


def test_jumps_return_and_sets() -> None:
    ports = {"set": [22, {"range": [5000, 6000]}]}
    network = survey(
        front=ruleset(
            chain("forward", "drop"),
            {"chain": {"family": "inet", "table": "t", "name": "good"}},
            rule("forward", ESTABLISHED, ACCEPT),
            rule("forward", {"jump": {"target": "good"}}),
            rule("good", match("ip", "daddr", "10.64.2.99"), {"return": None}),
            rule("good", match("tcp", "dport", ports), ACCEPT),
        )
    )
    assert network.path("desk", "db", WEB).works == "yes"
    assert network.path("desk", "db", Traffic(protocol="tcp", port=80)).works == "no"
    assert network.path("desk", "db", Traffic(protocol="udp", port=5432)).works == "no"


def test_what_is_not_understood_makes_the_answer_unknown() -> None:
    odd = {"match": {"op": "==", "left": {"fib": {"result": "type"}}, "right": "local"}}
    network = survey(front=ruleset(chain("forward"), rule("forward", odd, DROP)))
    path = network.path("desk", "db")
    assert path.works == "unknown"
    assert "not certain" in path.outbound.decisive.reason


def test_a_translation_that_is_not_understood_is_reported_and_makes_answers_unknown() -> None:
    nat = {
        "chain": {
            "family": "ip",
            "table": "n",
            "name": "post",
            "type": "nat",
            "hook": "postrouting",
            "prio": 100,
            "policy": "accept",
        }
    }
    masq = {
        "rule": {
            "family": "ip",
            "table": "n",
            "chain": "post",
            "expr": [{"snat": {"addr": {"numgen": {"mode": "random", "mod": 2}}}}],
        }
    }
    network = survey(front=ruleset(nat, masq))
    assert network.path("desk", "db").works == "unknown"


ACL = {
    "ietf-access-control-list:acls": {
        "acl": [
            {
                "name": "from-desk",
                "aces": {
                    "ace": [
                        {
                            "name": "no-db",
                            "matches": {
                                "ipv4": {
                                    "protocol": 6,
                                    "destination-ipv4-network": "10.64.2.10/32",
                                },
                                "tcp": {"destination-port": {"operator": "eq", "port": 5432}},
                            },
                            "actions": {"forwarding": "ietf-access-control-list:reject"},
                        },
                        {
                            "name": "rest",
                            "matches": {"ipv4": {"source-ipv4-network": "10.64.1.0/24"}},
                            "actions": {"forwarding": "ietf-access-control-list:accept"},
                        },
                    ]
                },
            }
        ],
        "attachment-points": {
            "interface": [
                {
                    "interface-id": "eth0",
                    "ingress": {"acl-sets": {"acl-set": [{"name": "from-desk"}]}},
                }
            ]
        },
    }
}


def test_access_lists_have_no_memory_and_drop_at_their_end() -> None:
    network = survey(front={"acl.json": json.dumps(ACL, indent=1)})
    path = network.path("desk", "db", WEB)
    assert path.outbound.verdict == "refused"
    assert path.outbound.decisive.last.filters[-1].entry.path.endswith("ace[name='no-db']")  # type: ignore[union-attr]
    assert network.path("desk", "db").works == "yes"
    # front itself sends nothing in by eth0, and what others send out there is not looked at.
    assert network.path("db", "desk").works == "yes"
    reading = next(r for r in network.survey.reading if r.file == "acl.json")
    assert not reading.unknown


def test_reach_and_path_agree_on_pairs_behind_filters() -> None:
    network = survey(
        back=ruleset(
            chain("forward", "drop"),
            rule("forward", ESTABLISHED, ACCEPT),
            rule("forward", match("ip", "saddr", PREFIX), ACCEPT),
        )
    )
    seen = {(p.device, str(p.source), str(p.target)): p for p in network.reach.pairs()}
    assert seen["desk", "10.64.1.10", "10.64.2.10"].ok is True
    assert seen["db", "10.64.2.10", "10.64.1.10"].ok is False
    assert seen["db", "10.64.2.10", "10.64.1.10"].outbound == "filtered"
    assert seen["front", "10.64.9.1", "10.64.2.10"].ok is False


@given(
    st.sampled_from(["front", "back", "desk", "db"]),
    st.sampled_from(["input", "forward", "output"]),
)
def test_a_filter_that_permits_everything_changes_no_verdict(where: str, hook: str) -> None:
    plain = {
        (p.device, p.source, p.target): (p.outbound, p.back, p.ok) for p in survey().reach.pairs()
    }
    guarded = survey(**{where: ruleset(chain(hook, "drop"), rule(hook, ACCEPT))})
    found = {
        (p.device, p.source, p.target): (p.outbound, p.back, p.ok) for p in guarded.reach.pairs()
    }
    assert found == plain


# -- the source is not expected here ------------------------------------------------------


OTHER_WAY = {"frr.conf": BACK.replace("10.64.1.0/24 10.64.9.1", "10.64.1.0/24 10.64.9.5")}


@pytest.mark.parametrize(("value", "works"), [("0", "yes"), ("1", "no"), ("2", "yes")])
def test_a_strict_check_drops_what_comes_another_way(value: str, works: str) -> None:
    sysctl = f"net.ipv4.ip_forward = 1\nnet.ipv4.conf.eth1.rp_filter = {value}\n"
    network = survey(back={**OTHER_WAY, "sysctl": sysctl})
    path = network.path("desk", "db")
    assert path.works == works
    if works == "no":
        assert path.outbound.verdict == "filtered"
        assert "its way back to 10.64.1.10 leaves by eth2" in path.outbound.decisive.reason
        found = network.diagnose("desk", "db")
        assert found.causes[0].option.finding.kind == "reverse-path-stops"
        assert found.causes[0].works


def test_the_stricter_of_all_and_one_counts() -> None:
    sysctl = "net.ipv4.conf.all.rp_filter = 1\nnet.ipv4.conf.eth1.rp_filter = 0\n"
    assert survey(back={**OTHER_WAY, "sysctl": sysctl}).path("desk", "db").works == "no"


# -- services and names -------------------------------------------------------------------


def test_nobody_listens() -> None:
    network = survey(db={"ss": "tcp LISTEN 0 128 0.0.0.0:22 0.0.0.0:*\n"})
    path = network.path("desk", "db", WEB)
    assert path.outbound.verdict == "refused"
    assert "nobody there listens on tcp port 5432" in path.outbound.decisive.reason
    bound = survey(db={"ss": "tcp LISTEN 0 128 127.0.0.1:5432 0.0.0.0:*\n"})
    assert "bound to 127.0.0.1 only" in bound.path("desk", "db", WEB).outbound.decisive.reason


def test_who_listens_is_a_caveat_where_nobody_gathered_it() -> None:
    path = survey().path("desk", "db", WEB)
    assert path.works == "yes"
    assert "nobody gathered it" in path.caveats[0][1]


def test_a_name_in_the_own_hosts_file() -> None:
    path = survey(desk={"hosts": "127.0.0.1 localhost\n10.64.2.10 data.ferry data\n"}).path(
        "desk", "data"
    )
    assert path.works == "yes" and path.receiver == "db"
    assert path.as_json()["name"]["by"] == "the hosts file of desk"  # type: ignore[index]


RESOLVER = {"resolv.conf": "search ferry\nnameserver 10.64.2.10\n"}


def test_a_name_from_a_resolver_and_one_it_does_not_know() -> None:
    network = survey(desk=RESOLVER, db={"hosts": "10.64.9.2 core.ferry\n"})
    assert network.path("desk", "core").receiver == "back"
    path = network.path("desk", "cargo.ferry")
    assert path.outbound.verdict == "name-unknown"
    assert "answers desk that there is no cargo.ferry" in path.sentence()


def test_a_resolver_that_is_not_reached_is_the_reason() -> None:
    network = survey(
        desk=RESOLVER, db={"hosts": "10.64.9.2 core.ferry\n", **ruleset(chain("input", "drop"))}
    )
    path = network.path("desk", "core")
    assert path.outbound.verdict == "name-unknown"
    assert "does not reach its resolver 10.64.2.10" in path.sentence()


def test_a_record_that_nobody_owns_is_found_and_put_right() -> None:
    network = survey(desk={"hosts": "10.64.2.77 db.ferry\n"})
    found = next(f for f in network.findings if f.kind == "name-without-owner")
    assert found.severity == "breaks"
    after = network.rehearse(found.remedies[0].edits).after
    assert after.path("desk", "db.ferry").works == "yes"
    (part,) = hand_over(network.survey, found.remedies[0].edits)
    assert part.language == "in words"
    assert part.apply == 'In hosts: write "10.64.2.10 db.ferry" instead of "10.64.2.77 db.ferry".'
    assert part.back == 'In hosts: write "10.64.2.77 db.ferry" instead of "10.64.2.10 db.ferry".'


# -- causes -------------------------------------------------------------------------------


def test_the_entry_that_drops_is_the_cause_and_its_remedy_heals() -> None:
    network = survey(
        front=ruleset(
            chain("forward"),
            rule("forward", match("tcp", "dport", 5432), DROP),
            rule("forward", match("tcp", "dport", 23), DROP),
        )
    )
    found = network.diagnose("desk", "db", WEB)
    top = found.causes[0]
    assert (top.option.finding.kind, top.option.finding.device) == ("filter-stops", "front")
    assert top.certainty == "proven"
    healed = network.rehearse(top.option.edits).after
    assert healed.path("desk", "db", WEB).works == "yes"
    assert healed.path("desk", "db", Traffic(protocol="tcp", port=23)).works == "no"


@pytest.mark.parametrize("closing", [True, False])
def test_what_nothing_permits_gets_a_permission_of_its_own(closing: bool) -> None:
    """By the chain's policy, or by an entry at its end that drops the rest."""
    items = [
        chain("forward", "accept" if closing else "drop"),
        rule("forward", ESTABLISHED, ACCEPT),
        rule("forward", match("tcp", "dport", 22), ACCEPT),
    ]
    if closing:
        items.append(rule("forward", DROP))
    network = survey(front=ruleset(*items))
    found = network.diagnose("desk", "db", WEB)
    assert found.causes[0].works
    healed = network.rehearse(found.causes[0].option.edits).after
    assert healed.path("desk", "db", WEB).works == "yes"
    assert healed.path("desk", "db", Traffic(protocol="tcp", port=80)).works == "no"


def test_an_entry_that_never_matches_is_noted() -> None:
    network = survey(
        front=ruleset(
            chain("forward"),
            rule(
                "forward",
                match("ip", "saddr", {"prefix": {"addr": "10.64.0.0", "len": 16}}),
                ACCEPT,
            ),
            rule("forward", match("ip", "saddr", PREFIX), match("tcp", "dport", 23), DROP),
            rule("forward", match("tcp", "dport", 23), DROP),
        )
    )
    idle = [f for f in network.findings if f.kind == "filter-entry-idle"]
    assert len(idle) == 1 and idle[0].severity == "notes"


# -- a protocol's own packets -----------------------------------------------------------------


def speaking(text: str, lines: str) -> dict[str, str]:
    kept = "".join(f"{row}\n" for row in text.splitlines() if not row.startswith("ip route"))
    return {"frr.conf": kept + lines}


SPOKEN = {
    "ospf": "router ospf\n network 10.64.0.0/16 area 0\nexit\n",
    "rip": "router rip\n network 10.64.0.0/16\nexit\n",
    "eigrp": "router eigrp 7\n network 10.64.0.0/16\nexit\n",
}
SSH_ONLY = ruleset(
    chain("input", "drop"),
    rule("input", ESTABLISHED, ACCEPT),
    rule("input", match("tcp", "dport", 22), ACCEPT),
)


@pytest.mark.parametrize("protocol", sorted(SPOKEN))
def test_a_filter_that_eats_a_protocols_packets_is_a_gate(protocol: str) -> None:
    front, back = (speaking(text, SPOKEN[protocol]) for text in (FRONT, BACK))
    assert survey(front=front, back=back).path("desk", "db").works == "yes"
    network = survey(front=front, back={**back, **SSH_ONLY})
    relations = network.neighbours_json()["pairs"]
    failing = [r for r in relations if r["protocol"] == protocol and r["first_failing"]]
    assert {r["first_failing"] for r in failing} == {"filter"}
    assert network.path("desk", "db").works == "no"
    top = network.diagnose("desk", "db").causes[0]
    assert (top.option.finding.kind, top.works) == (f"{protocol}-filter", True)


def test_a_filter_on_the_port_of_bgp_is_a_gate() -> None:
    def bgp(number: int, peer: str, other: int, net: str) -> str:
        return (
            f"router bgp {number}\n no bgp ebgp-requires-policy\n"
            f" neighbor {peer} remote-as {other}\n"
            f" address-family ipv4 unicast\n  network {net}\n exit-address-family\nexit\n"
        )

    front = speaking(FRONT, bgp(65536, "10.64.9.2", 65537, "10.64.1.0/24"))
    back = speaking(BACK, bgp(65537, "10.64.9.1", 65536, "10.64.2.0/24"))
    assert survey(front=front, back=back).path("desk", "db").works == "yes"
    # One side alone may still open the session to the other.
    assert survey(front=front, back={**back, **SSH_ONLY}).path("desk", "db").works == "yes"
    network = survey(front={**front, **SSH_ONLY}, back={**back, **SSH_ONLY})
    assert network.path("desk", "db").works == "no"
    relation = next(r for r in network.neighbours_json()["pairs"] if r["protocol"] == "bgp")
    assert relation["first_failing"] == "filter"
    assert network.diagnose("desk", "db").causes[0].works


def far(name: str, number: int, side: int, other: int) -> str:
    """A speaker with a LAN, two links away from its peer."""
    mine, theirs = f"10.64.{side}", f"10.64.{other}"
    return (
        f"frr version 8.4.4\nhostname {name}\nip route {theirs}.0/30 {mine}.2\n"
        f"interface eth0\n ip address {mine}.1/30\nexit\n"
        f"interface eth1\n ip address 10.64.{side + 100}.1/24\nexit\n"
        f"router bgp {number}\n no bgp ebgp-requires-policy\n"
        f" neighbor {theirs}.1 remote-as {65536 + 65537 - number}\n"
        f" neighbor {theirs}.1 ebgp-multihop 2\n"
        f" address-family ipv4 unicast\n  network 10.64.{side + 100}.0/24\n"
        " exit-address-family\nexit\n"
    )


def test_a_filter_between_two_speakers_is_a_gate_of_theirs() -> None:
    middle = (
        "frr version 8.4.4\nhostname middle\n"
        "ip route 10.64.101.0/24 10.64.1.1\nip route 10.64.102.0/24 10.64.2.1\n"
        "interface eth0\n ip address 10.64.1.2/30\nexit\n"
        "interface eth1\n ip address 10.64.2.2/30\nexit\n"
    )
    files = {
        "topology.json": wired(
            ("west", "eth0", "middle", "eth0"), ("east", "eth0", "middle", "eth1")
        ),
        "devices/west/frr.conf": far("west", 65536, 1, 2),
        "devices/east/frr.conf": far("east", 65537, 2, 1),
        "devices/middle/frr.conf": middle,
    }
    assert compute(files).path("10.64.101.1", "10.64.102.1").works == "yes"
    guard = ruleset(
        chain("forward"),
        rule("forward", ESTABLISHED, ACCEPT),
        rule("forward", match("tcp", "dport", 179), DROP),
    )
    network = compute({**files, "devices/middle/nft.json": guard["nft.json"]})
    (relation,) = network.neighbours_json()["pairs"]
    assert relation["first_failing"] == "filter" and not relation["works"]
    gate = next(g for g in relation["gates"] if g["gate"] == "filter")
    assert gate["evidence"][0]["device"] == "middle" and "on middle" in gate["left"]
    assert network.path("10.64.101.1", "10.64.102.1").works == "no"
    top = network.diagnose("10.64.101.1", "10.64.102.1").causes[0]
    assert top.works and {edit.device for edit in top.option.edits} == {"middle"}
