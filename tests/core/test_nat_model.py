"""ietf-nat (RFC 8512): one network's translations in two languages give the same journeys, the same
suspects, and remedies that heal in each and stay valid data."""

from __future__ import annotations

import json
from typing import Any

import pytest
from core.test_translation import (
    FORWARD,
    MASQUERADE,
    WEB,
    by,
    changes,
    edge,
    held,
    rule,
)
from surveys import compute
from yangson import DataModel

from trochos.core.change.apply import apply
from trochos.core.change.handover import hand_over
from trochos.core.forwarding.path import Traffic
from trochos.core.network.edits import DataEdit
from trochos.core.survey import Computed
from trochos.server.surveys import modules

TCP = {"transport-protocol": 6}


@pytest.fixture(scope="module")
def model() -> DataModel:
    return modules.model()


def policy(subnet: str = "10.64.1.0/24", out: str = "eth1", **more: Any) -> dict[str, Any]:
    return {
        "id": 1,
        "subscriber-match": [{"match-id": 1, "subnet": subnet}],
        "external-realm": {"external-interface": out},
        **more,
    }


def pool(*prefixes: str) -> dict[str, Any]:
    listed = [{"pool-id": n, "external-ip-pool": p} for n, p in enumerate(prefixes, 1)]
    return {"external-ip-address-pool": listed}


def mapping(inside: str, outside: str, index: int = 1, **more: Any) -> dict[str, Any]:
    return {
        "index": index,
        "type": "static",
        "internal-src-address": inside,
        "external-src-address": outside,
        **more,
    }


def ports(inside: int, outside: int) -> dict[str, Any]:
    return {
        **TCP,
        "internal-src-port": {"start-port-number": inside},
        "external-src-port": {"start-port-number": outside},
    }


def data(policies: list[dict[str, Any]], mappings: list[dict[str, Any]], **more: Any) -> str:
    """The edge router as data: its ports, its default route, its translations."""
    interfaces = [
        {
            "name": name,
            "type": "iana-if-type:ethernetCsmacd",
            "ietf-ip:ipv4": {
                "forwarding": True,
                "address": [{"ip": ip, "prefix-length": length}],
            },
        }
        for name, ip, length in (("eth0", "10.64.1.1", 24), ("eth1", "203.0.113.2", 29))
    ]
    route = {
        "destination-prefix": "0.0.0.0/0",
        "next-hop": {"next-hop-address": "203.0.113.1"},
    }
    static = {
        "type": "ietf-routing:static",
        "name": "main",
        "static-routes": {"ietf-ipv4-unicast-routing:ipv4": {"route": [route]}},
    }
    instance: dict[str, Any] = {"id": 1, "name": "edge", "enable": True, **more}
    if policies:
        instance["policy"] = policies
    if mappings:
        instance["mapping-table"] = {"mapping-entry": mappings}
    return json.dumps(
        {
            "ietf-interfaces:interfaces": {"interface": interfaces},
            "ietf-routing:routing": {
                "control-plane-protocols": {"control-plane-protocol": [static]}
            },
            "ietf-nat:nat": {"instances": {"instance": [instance]}},
        },
        indent=1,
    )


def modelled(
    *policies: dict[str, Any],
    mappings: tuple[dict[str, Any], ...] = (),
    sockets: str = "",
    **more: Any,
) -> Computed:
    """The same network, its edge written as data."""
    files = {
        f"devices/{name}/{file}" if name else file: text
        for name, texts in edge(sockets=sockets).survey.files.items()
        for file, text in texts.items()
        if name != "gate"
    }
    files["devices/gate/running.json"] = data(list(policies), list(mappings), **more)
    return compute(files)


ASKED = [
    ("till", "guest", None),
    ("guest", "till", None),
    ("guest", "203.0.113.2", WEB),
    ("guest", "203.0.113.9", None),
    ("guest", "203.0.113.9", Traffic(protocol="tcp", port=80)),
    ("till", "203.0.113.2", WEB),
    ("web", "guest", None),
]
EXIT = by("oifname", "eth1")


@pytest.mark.thorough
@pytest.mark.parametrize(
    ("nft", "yang"),
    [
        ((MASQUERADE,), ((policy(),), ())),
        (
            (
                rule(
                    "postrouting",
                    EXIT,
                    held("saddr", {"prefix": {"addr": "10.64.1.0", "len": 24}}),
                    {"snat": {"addr": "203.0.113.9"}},
                ),
            ),
            ((policy(**pool("203.0.113.9/32")),), ()),
        ),
        ((FORWARD,), ((), (mapping("10.64.1.20/32", "203.0.113.2/32", **ports(80, 8080)),))),
        (
            (
                rule("prerouting", held("daddr", "203.0.113.9"), {"dnat": {"addr": "10.64.1.20"}}),
                rule(
                    "postrouting",
                    held("saddr", "10.64.1.20"),
                    EXIT,
                    {"snat": {"addr": "203.0.113.9"}},
                ),
                MASQUERADE,
            ),
            ((policy(),), (mapping("10.64.1.20/32", "203.0.113.9/32"),)),
        ),
        (
            (rule("prerouting", held("daddr", "203.0.113.9"), {"dnat": {"addr": "10.64.1.20"}}),),
            (
                (
                    {
                        "id": 1,
                        "dst-nat-enable": True,
                        "dst-ip-address-pool": [
                            {
                                "pool-id": 1,
                                "dst-in-ip-pool": "203.0.113.9/32",
                                "dst-out-ip-pool": "10.64.1.20/32",
                            }
                        ],
                    },
                ),
                (),
            ),
        ),
    ],
    ids=["exit", "pool", "port", "mapping", "destinations"],
)
def test_two_languages_say_the_same(
    nft: tuple[dict[str, Any], ...],
    yang: tuple[tuple[dict[str, Any], ...], tuple[dict[str, Any], ...]],
    model: DataModel,
) -> None:
    one, other = edge(*nft), modelled(*yang[0], mappings=yang[1])
    assert modules.problem_with(json.loads(data(list(yang[0]), list(yang[1])))) is None
    assert [u for r in other.survey.reading for u in r.unknown] == []
    for sender, receiver, traffic in ASKED:
        mine = one.path(sender, receiver, traffic)
        theirs = other.path(sender, receiver, traffic)
        assert (mine.works, mine.outbound.verdict) == (theirs.works, theirs.outbound.verdict), (
            sender,
            receiver,
        )
        assert changes(mine) == changes(theirs)
    pairs = [
        {(r.device, str(r.source), str(r.target)): r.ok for r in survey.reach.pairs()}
        for survey in (one, other)
    ]
    assert pairs[0] == pairs[1]


WRONG: dict[str, tuple[tuple[Any, ...], dict[str, Any], tuple[str, str, Traffic | None], str]] = {
    "a subnet that is not there": (
        (policy("10.64.7.0/24"),),
        {},
        ("till", "guest", None),
        "source-not-rewritten",
    ),
    "another exit": ((policy(out="eth0"),), {}, ("till", "guest", None), "source-not-rewritten"),
    "an address that nobody sends back": (
        (policy(**pool("198.18.0.9/32")),),
        {},
        ("till", "guest", None),
        "rewritten-source-unrouted",
    ),
    "a subscriber that is missing": (
        (policy("10.64.1.20/32"),),
        {},
        ("till", "guest", None),
        "source-not-rewritten",
    ),
    "a port that nobody asks for": (
        (),
        {"mappings": (mapping("10.64.1.20/32", "203.0.113.2/32", **ports(80, 8081)),)},
        ("guest", "203.0.113.2", WEB),
        "forward-missing",
    ),
    "a host that is not there": (
        (policy(),),
        {"mappings": (mapping("10.64.1.29/32", "203.0.113.2/32", **ports(80, 8080)),)},
        ("guest", "203.0.113.2", WEB),
        "forward-astray",
    ),
    "the port that nobody listens on": (
        (policy(),),
        {
            "mappings": (mapping("10.64.1.20/32", "203.0.113.2/32", **ports(81, 8080)),),
            "sockets": "tcp LISTEN 0 128 0.0.0.0:80 0.0.0.0:*\n",
        },
        ("guest", "203.0.113.2", WEB),
        "forward-astray",
    ),
}


@pytest.mark.parametrize("fault", WRONG, ids=list(WRONG))
def test_faults_are_named_and_their_remedies_heal(fault: str, model: DataModel) -> None:
    policies, more, (sender, receiver, traffic), kind = WRONG[fault]
    survey = modelled(*policies, **more)
    found = survey.diagnose(sender, receiver, traffic)
    top = found.causes[0]
    assert top.option.finding.kind == kind and top.certainty == "proven"
    edits = top.option.edits
    assert all(isinstance(e, DataEdit) and e.path.startswith("/ietf-nat:nat") for e in edits)
    after = Computed(apply(survey.survey, edits).survey)
    assert after.path(sender, receiver, traffic).works == "yes"
    text = after.survey.text("gate", "running.json")
    assert text is not None and modules.problem_with(json.loads(text)) is None
    (part,) = hand_over(survey.survey, edits, (), modules.problem_with)
    assert part.language == "NETCONF edit" and part.problem is None and part.apply and part.back


@pytest.mark.parametrize(
    ("more", "why"),
    [
        ({"type": "ietf-nat:nat64"}, "nat64"),
        ({"per-interface-binding": "layer-2"}, "layer-2"),
    ],
)
def test_what_is_not_computed_makes_uncertain(more: dict[str, Any], why: str) -> None:
    path = modelled(policy(), **more).path("till", "guest")
    assert path.outbound.verdict == "unknown" and why in path.sentence()


def test_without_an_external_interface_nothing_is_guessed() -> None:
    held_ = policy()
    del held_["external-realm"]
    path = modelled(held_).path("till", "guest")
    assert path.outbound.verdict == "unknown" and "external" in path.sentence()


@pytest.mark.parametrize(
    "odd",
    [
        mapping("10.64.1.0/24", "203.0.113.8/29"),
        {"index": 1, "type": "static", "internal-src-address": "10.64.1.20/32"},
    ],
    ids=["two lengths", "one end"],
)
def test_a_mapping_that_does_not_fit_itself_is_not_guessed(odd: dict[str, Any]) -> None:
    path = modelled(policy(), mappings=(odd,)).path("till", "guest")
    assert path.outbound.verdict == "unknown" and "a mapping" in path.sentence()


def test_a_policy_for_destinations_may_say_its_external_interface() -> None:
    pools = [{"pool-id": 1, "dst-in-ip-pool": "203.0.113.9/32", "dst-out-ip-pool": "10.64.1.20/32"}]
    realm = {"external-interface": "eth1"}
    survey = modelled({"id": 1, "dst-ip-address-pool": pools, "external-realm": realm})
    assert [u for r in survey.survey.reading for u in r.unknown] == []
    assert survey.path("guest", "203.0.113.9").works == "yes"


def test_an_instance_that_is_switched_off_rewrites_nothing() -> None:
    path = modelled(policy(), enable=False).path("till", "guest")
    assert path.works == "no" and changes(path) == []


def test_what_passes_untouched_is_not_rewritten() -> None:
    survey = modelled(policy(), **{"nat-pass-through": [{"id": 1, "prefix": "10.64.1.10/32"}]})
    assert changes(survey.path("till", "guest")) == []
    assert changes(survey.path("web", "guest")) != []


def test_a_mapping_that_the_device_made_is_no_configuration() -> None:
    made = mapping("10.64.1.20/32", "203.0.113.9/32", type="dynamic-implicit")
    assert changes(modelled(mappings=(made,)).path("guest", "203.0.113.9")) == []
