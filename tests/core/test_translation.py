"""Rewritten addresses: where in a device's work they change, and where they are undone."""

from __future__ import annotations

import json
from typing import Any

import pytest
from surveys import KEY, ROOT, compute, frr, wired
from two_routers import host

from trochos.core.change.apply import apply
from trochos.core.forwarding.path import Path, Traffic
from trochos.core.network.addressing import Address, parse_address
from trochos.core.step.packet import Packet
from trochos.core.step.walk import walk
from trochos.core.survey import Computed
from trochos.local import read_folder

WEB = Traffic(protocol="tcp", port=8080)


def chain(hook: str, priority: int) -> dict[str, Any]:
    body = {"family": "ip", "table": "n", "name": hook, "type": "nat", "hook": hook}
    return {"chain": {**body, "prio": priority, "policy": "accept"}}


PRE, POST = chain("prerouting", -100), chain("postrouting", 100)


def rule(where: str, *expr: dict[str, Any]) -> dict[str, Any]:
    return {"rule": {"family": "ip", "table": "n", "chain": where, "expr": list(expr)}}


def held(field: str, right: object, protocol: str = "ip") -> dict[str, Any]:
    left = {"payload": {"protocol": protocol, "field": field}}
    return {"match": {"op": "==", "left": left, "right": right}}


def by(key: str, port: str) -> dict[str, Any]:
    return {"match": {"op": "==", "left": {"meta": {"key": key}}, "right": port}}


def ruleset(*items: dict[str, Any]) -> str:
    return json.dumps({"nftables": [{"metainfo": {"json_schema_version": 1}}, *items]}, indent=1)


INSIDE = {"prefix": {"addr": "10.64.1.0", "len": 24}}
MASQUERADE = rule("postrouting", by("oifname", "eth1"), held("saddr", INSIDE), {"masquerade": None})


def edge(*rules: dict[str, Any], carrier: str = "", sockets: str = "") -> Computed:
    """till and web behind gate, which rewrites; guest behind the carrier, which knows no inside
    address and sends 203.0.113.8/29 to gate."""
    files = {
        "topology.json": wired(
            ("till", "eth0", "quay", "p1"),
            ("web", "eth0", "quay", "p2"),
            ("gate", "eth0", "quay", "p3"),
            ("gate", "eth1", "carrier", "eth0"),
            ("carrier", "eth1", "guest", "eth0"),
        ),
        "devices/gate/frr.conf": frr(
            "gate",
            {"eth0": "10.64.1.1/24", "eth1": "203.0.113.2/29"},
            "ip route 0.0.0.0/0 203.0.113.1",
        ),
        "devices/gate/nft.json": ruleset(PRE, POST, *rules),
        "devices/carrier/frr.conf": frr(
            "carrier",
            {"eth0": "203.0.113.1/29", "eth1": "198.51.100.1/24"},
            "ip route 203.0.113.8/29 203.0.113.2",
            carrier,
        ),
    }
    for name, address, gateway in (
        ("till", "10.64.1.10", "10.64.1.1"),
        ("web", "10.64.1.20", "10.64.1.1"),
        ("guest", "198.51.100.10", "198.51.100.1"),
    ):
        for file, text in host(address, gateway).items():
            files[f"devices/{name}/{file}"] = text
    if sockets:
        files["devices/web/ss"] = sockets
    return compute(files)


def changes(path: Path, back: bool = False) -> list[tuple[str, str, str, str]]:
    leg = path.back if back else path.outbound
    assert leg is not None
    return [
        (hop.device, item.what, str(item.before), str(item.after))
        for hop in leg.branches[0].hops
        for item in hop.rewritten
    ]


def test_without_a_translation_the_answer_finds_no_way() -> None:
    path = edge().path("till", "guest")
    assert path.outbound.verdict == "delivered" and path.works == "no"
    assert path.back is not None and path.back.verdict == "no-route"


def test_a_source_is_rewritten_after_routing_and_put_back_in_the_answer() -> None:
    path = edge(MASQUERADE).path("till", "guest")
    assert path.works == "yes"
    assert changes(path) == [("gate", "source", "10.64.1.10", "203.0.113.2")]
    assert changes(path, back=True) == [("gate", "destination", "203.0.113.2", "10.64.1.10")]
    shown = path.as_json()["outbound"]["branches"][0]["hops"][1]["actions"]  # type: ignore[index]
    assert shown[0]["do"] == "translate" and shown[0]["from"] == "10.64.1.10"
    assert shown[0]["entry"]["file"] == "nft.json"
    # Nobody outside can begin: the memory is the connection's own.
    assert edge(MASQUERADE).path("guest", "till").works == "no"


def test_all_pairs_say_what_paths_say() -> None:
    survey = edge(MASQUERADE)
    rows = {(r.device, str(r.target)): r.ok for r in survey.reach.pairs() if r.source is not None}
    assert rows["till", "198.51.100.10"] is True and rows["guest", "10.64.1.10"] is False


@pytest.mark.parametrize(
    "statement",
    [
        {"snat": {"addr": "203.0.113.9"}},
        {"snat": {"addr": {"range": ["203.0.113.9", "203.0.113.12"]}}},
        {"snat": {"addr": {"prefix": {"addr": "203.0.113.8", "len": 29}}}},
        {
            "snat": {
                "addr": {
                    "map": {
                        "key": {"payload": {"protocol": "ip", "field": "saddr"}},
                        "data": {"set": [["10.64.1.10", "203.0.113.9"]]},
                    }
                }
            }
        },
    ],
    ids=["address", "range", "prefix", "map"],
)
def test_sources_become_an_address_a_range_a_prefix_or_what_a_map_says(
    statement: dict[str, Any],
) -> None:
    survey = edge(rule("postrouting", by("oifname", "eth1"), statement))
    path = survey.path("till", "guest")
    assert path.works == "yes"
    (change,) = changes(path)
    # Of a prefix the host's own bits stay: 10 in 29 bits is 2.
    assert change[3] == ("203.0.113.10" if "prefix" in str(statement) else "203.0.113.9")


def test_the_first_entry_that_fits_decides() -> None:
    first = rule("postrouting", held("saddr", "10.64.1.10"), {"snat": {"addr": "203.0.113.10"}})
    assert changes(edge(first, MASQUERADE).path("till", "guest"))[0][3] == "203.0.113.10"
    kept = rule("postrouting", held("saddr", "10.64.1.10"), {"accept": None})
    assert changes(edge(kept, MASQUERADE).path("till", "guest")) == []


FORWARD = rule(
    "prerouting",
    held("daddr", "203.0.113.2"),
    held("dport", 8080, "tcp"),
    {"dnat": {"addr": "10.64.1.20", "port": 80}},
)


def test_a_destination_is_rewritten_before_routing_with_its_port() -> None:
    path = edge(FORWARD).path("guest", "203.0.113.2", WEB)
    assert path.works == "yes"
    assert path.outbound.branches[0].last.device == "web"
    assert path.sentence().startswith("It works: guest reaches web, to which gate leads")
    assert changes(path, back=True) == [("gate", "source", "10.64.1.20", "203.0.113.2")]
    # Another port is for the device that leads packets on, and nobody there takes it.
    other = edge(FORWARD).path("guest", "203.0.113.2", Traffic(protocol="tcp", port=80))
    assert other.outbound.verdict == "refused"


def test_who_listens_is_asked_where_it_is_led() -> None:
    up = edge(FORWARD, sockets="tcp LISTEN 0 128 0.0.0.0:80 0.0.0.0:*\n")
    assert up.path("guest", "203.0.113.2", WEB).works == "yes"
    elsewhere = edge(FORWARD, sockets="tcp LISTEN 0 128 0.0.0.0:8080 0.0.0.0:*\n")
    assert elsewhere.path("guest", "203.0.113.2", WEB).outbound.verdict == "refused"


def test_an_answer_past_who_remembers_is_not_taken_for_one() -> None:
    """Client and server on one LAN: the answer goes directly."""
    survey = edge(FORWARD)
    path = survey.path("till", "203.0.113.2", WEB)
    assert path.back is not None and path.back.verdict == "not-translated-back"
    found = survey.diagnose("till", "203.0.113.2", WEB)
    assert found.causes[0].option.finding.kind == "hairpin-missing"
    assert found.causes[0].certainty == "proven" and len(found.cure) == 1


def test_an_outside_address_is_that_of_the_device_it_leads_to() -> None:
    whole = rule("prerouting", held("daddr", "203.0.113.9"), {"dnat": {"addr": "10.64.1.20"}})
    survey = edge(whole)
    rows = [r for r in survey.reach.pairs() if str(r.target) == "203.0.113.9"]
    assert {r.owner for r in rows} == {"web"}
    assert next(r.ok for r in rows if r.device == "guest") is True
    assert survey.path("guest", "203.0.113.9").works == "yes"


def test_what_is_not_understood_is_not_answered() -> None:
    odd = rule("postrouting", {"snat": {"addr": {"numgen": {"mode": "random", "mod": 2}}}})
    assert edge(odd).path("till", "guest").works == "unknown"


@pytest.mark.parametrize("body", [{"addr": {"range": []}}, {"addr": "fd00::1"}, {"addr": {}}])
def test_nonsense_in_an_entry_is_no_answer(body: dict[str, Any]) -> None:
    odd = rule("postrouting", by("oifname", "eth1"), {"snat": body})
    assert edge(odd).path("till", "guest").works == "unknown"


def of(prefix: str, length: int) -> dict[str, Any]:
    return {"prefix": {"addr": prefix, "len": length}}


def snat(address: str) -> dict[str, Any]:
    return rule(
        "postrouting", by("oifname", "eth1"), held("saddr", INSIDE), {"snat": {"addr": address}}
    )


FAULTS = {
    "another prefix": (
        (MASQUERADE,),
        (
            rule(
                "postrouting",
                by("oifname", "eth1"),
                held("saddr", of("10.64.11.0", 24)),
                {"masquerade": None},
            ),
        ),
        "till",
        "guest",
        "source-not-rewritten",
    ),
    "another exit": (
        (MASQUERADE,),
        (rule("postrouting", by("oifname", "eth7"), held("saddr", INSIDE), {"masquerade": None}),),
        "till",
        "guest",
        "source-not-rewritten",
    ),
    "an address nobody sends back": (
        (snat("203.0.113.9"),),
        (snat("203.0.113.99"),),
        "till",
        "guest",
        "rewritten-source-unrouted",
    ),
    "a forward of another port": (
        (FORWARD,),
        (
            rule(
                "prerouting",
                held("daddr", "203.0.113.2"),
                held("dport", 8081, "tcp"),
                {"dnat": {"addr": "10.64.1.20", "port": 80}},
            ),
        ),
        "guest",
        "203.0.113.2",
        "forward-missing",
    ),
    "a forward to nobody": (
        (FORWARD,),
        (
            rule(
                "prerouting",
                held("daddr", "203.0.113.2"),
                held("dport", 8080, "tcp"),
                {"dnat": {"addr": "10.64.1.29", "port": 80}},
            ),
        ),
        "guest",
        "203.0.113.2",
        "forward-astray",
    ),
}


@pytest.mark.parametrize("name", FAULTS)
def test_what_is_wrong_with_a_translation_is_found_and_healed(name: str) -> None:
    right, wrong, sender, receiver, kind = FAULTS[name]
    asked = WEB if receiver.startswith("203") else None
    assert edge(*right).path(sender, receiver, asked).works == "yes"
    survey = edge(*wrong)
    assert survey.path(sender, receiver, asked).works == "no"
    found = survey.diagnose(sender, receiver, asked)
    top = found.causes[0]
    assert top.option.finding.kind == kind and top.option.finding.device == "gate"
    assert top.certainty == "proven" and top.works and len(found.cure) == 1
    assert survey.rehearse(top.option.edits).after.path(sender, receiver, asked).works == "yes"


def test_a_filter_may_ask_what_was_rewritten() -> None:
    base = {"family": "inet", "table": "f"}
    forward = {**base, "name": "forward", "type": "filter", "hook": "forward"}
    asked = {"match": {"op": "in", "left": {"ct": {"key": "status"}}, "right": "dnat"}}
    entry = {**base, "chain": "forward", "expr": [asked, {"accept": None}]}
    strict = [{"chain": {**forward, "prio": 0, "policy": "drop"}}, {"rule": entry}]
    survey = edge(FORWARD, *strict)
    assert survey.path("guest", "203.0.113.2", WEB).works == "yes"
    assert survey.path("guest", "10.64.1.20", WEB).works == "no"
    assert edge(MASQUERADE, *strict).path("till", "guest").outbound.verdict == "filtered"


def kinds(survey: Computed) -> dict[str, str]:
    return {f.kind: f.severity for f in survey.findings if "trans" in f.kind or "forward" in f.kind}


def test_what_is_wrong_with_entries_is_found_without_a_complaint() -> None:
    assert kinds(edge(MASQUERADE, FORWARD, snat("203.0.113.9"))) == {"translation-idle": "notes"}
    assert kinds(edge(MASQUERADE, FORWARD)) == {}
    assert kinds(edge(snat("203.0.113.9"))) == {}
    assert kinds(edge(snat("203.0.113.99"))) == {"translation-unrouted": "risks"}
    gone = rule("postrouting", by("oifname", "eth7"), held("saddr", INSIDE), {"masquerade": None})
    assert kinds(edge(gone)) == {"translation-idle": "notes"}
    nobody = rule("prerouting", held("daddr", "203.0.113.9"), {"dnat": {"addr": "10.64.1.29"}})
    assert kinds(edge(nobody)) == {"forward-to-nobody": "breaks"}


@pytest.mark.thorough
@pytest.mark.parametrize("sender", ["byre", "wicket"])
def test_an_address_that_only_a_translation_knows_breaks_no_search(
    sender: str, caplog: pytest.LogCaptureFixture
) -> None:
    survey = Computed.from_files(read_folder(ROOT / "tests" / "cases" / "stile-06" / "survey"), KEY)
    found = survey.diagnose(sender, "h3")
    assert found.complete
    assert [record.getMessage() for record in caplog.records if record.levelname == "ERROR"] == []


def two_gates(*rules: dict[str, Any], gateway: str = "10.64.1.2") -> Computed:
    """web and till on a LAN with two gates to the carrier; a leads a port of its outside address
    to web, whose own gateway is b."""
    ports = {
        "a": {"eth0": "10.64.1.1/24", "eth1": "203.0.113.2/29"},
        "b": {"eth0": "10.64.1.2/24", "eth1": "203.0.113.18/29"},
        "carrier": {
            "eth0": "203.0.113.1/29",
            "eth2": "203.0.113.17/29",
            "eth1": "198.51.100.1/24",
        },
    }
    files = {
        "topology.json": wired(
            *((name, "eth0", "quay", f"p-{name}") for name in ("web", "till", "a", "b")),
            ("a", "eth1", "carrier", "eth0"),
            ("b", "eth1", "carrier", "eth2"),
            ("carrier", "eth1", "guest", "eth0"),
        ),
        "devices/a/frr.conf": frr("a", ports["a"], "ip route 0.0.0.0/0 203.0.113.1"),
        "devices/b/frr.conf": frr("b", ports["b"], "ip route 0.0.0.0/0 203.0.113.17"),
        "devices/a/nft.json": ruleset(PRE, POST, FORWARD, MASQUERADE, *rules),
        "devices/b/nft.json": ruleset(PRE, POST, MASQUERADE),
        "devices/carrier/frr.conf": frr("carrier", ports["carrier"]),
    }
    for name, address, way in (
        ("web", "10.64.1.20", gateway),
        ("till", "10.64.1.10", "10.64.1.1"),
        ("guest", "198.51.100.10", "198.51.100.1"),
    ):
        for file, text in host(address, way).items():
            files[f"devices/{name}/{file}"] = text
    return compute(files)


def test_an_answer_that_leaves_by_another_router_is_not_rewritten() -> None:
    survey = two_gates()
    found = survey.diagnose("guest", "203.0.113.2", WEB)
    assert found.path.back is not None and found.path.back.verdict == "not-translated-back"
    top = found.causes[0]
    assert top.option.finding.kind == "answer-elsewhere" and top.certainty == "proven"
    assert "web answers through b, past a" in top.option.finding.summary
    # The host's gateway, as the others on its LAN have it; or both addresses rewritten.
    assert top.option.remedy.title == "On web: use a (10.64.1.1) as gateway."
    (other,) = top.alternatives
    assert other.works and "rewrite the source, too" in other.remedy.title
    assert two_gates(gateway="10.64.1.1").path("guest", "203.0.113.2", WEB).works == "yes"


def finding_of(survey: Computed, kind: str) -> Any:
    (found,) = (f for f in survey.findings if f.kind == kind)
    return found


def mended(survey: Computed, found: Any) -> Computed:
    return Computed(apply(survey.survey, found.remedies[0].edits).survey)


def test_an_entry_that_is_never_met_is_taken_out() -> None:
    late = rule("postrouting", by("oifname", "eth1"), held("saddr", "10.64.1.20"), {"accept": None})
    twice = rule("postrouting", by("oifname", "eth1"), held("saddr", INSIDE), {"masquerade": None})
    survey = edge(MASQUERADE, late, twice)
    found = finding_of(survey, "translation-idle")
    assert found.remedies[0].title == "On gate: take the entry out that is never met."
    after = mended(survey, found)
    assert not [f for f in after.findings if f.kind == "translation-idle"]
    assert after.path("till", "guest").works == "yes"


def test_a_source_that_nobody_sends_back_becomes_one_that_is() -> None:
    survey = edge(rule("postrouting", by("oifname", "eth1"), {"snat": {"addr": "203.0.114.9"}}))
    found = finding_of(survey, "translation-unrouted")
    after = mended(survey, found)
    assert after.path("till", "guest").works == "yes"
    assert not [f for f in after.findings if f.kind == "translation-unrouted"]


def test_a_forward_to_nobody_becomes_one_to_a_host() -> None:
    wrong = rule("prerouting", held("daddr", "203.0.113.9"), {"dnat": {"addr": "10.64.1.21"}})
    survey = edge(wrong)
    found = finding_of(survey, "forward-to-nobody")
    assert found.remedies[0].title == "On gate: lead it to 10.64.1.20 of web."
    assert mended(survey, found).path("guest", "203.0.113.9").works == "yes"


def test_where_it_goes_is_asked_without_a_source() -> None:
    """A walk that nobody sends passes who rewrites sources."""
    fixed = rule("postrouting", by("oifname", "eth1"), {"snat": {"addr": "203.0.113.9"}})
    survey = edge(fixed)
    gone = walk(survey.forwarding, "gate", Packet(address("198.51.100.10")))
    assert {branch.verdict for branch in gone.branches} == {"delivered"}


def address(text: str) -> Address:
    found = parse_address(text)
    assert found is not None
    return found
