"""Every gate of every protocol, broken at either end in a router's text: the finding of its name,
and remedies that make the two neighbours again."""

from __future__ import annotations

import pytest
from surveys import compute, wired

from trochos.core.change.apply import apply
from trochos.core.protocols.registry import protocols
from trochos.core.survey import Computed

Swap = tuple[str, str]
"""(what one end says, what it says instead)."""

LINK = """hostname {name}
interface eth1
 ip address 10.0.0.{n}/30
 ipv6 address fd00::{n}/64
 ipv6 address fe80::{n}/64
{port}exit
interface lo
 ip address 10.255.0.{n}/32
 ipv6 address fd00:255::{n}/128
exit
"""
PORTS = {
    "ospf": """ ip ospf hello-interval 5
 ip ospf dead-interval 20
 ip ospf authentication message-digest
 ip ospf message-digest-key 1 md5 cockle
""",
    "ospf6": """ ipv6 ospf6 area 0
 ipv6 ospf6 hello-interval 5
 ipv6 ospf6 dead-interval 20
""",
    "rip": """ ip rip authentication mode md5
 ip rip authentication string cockle
""",
    "ripng": "",
    "eigrp": """ ip authentication mode eigrp 7 md5
 ip authentication key-chain eigrp 7 SEA
""",
    "bgp": "",
}
SECTIONS = {
    "ospf": """router ospf
 ospf router-id 10.255.0.{n}
 network 10.0.0.0/8 area 0
exit
""",
    "ospf6": """router ospf6
 ospf6 router-id 10.255.0.{n}
exit
""",
    "rip": """router rip
 network 10.0.0.0/8
 version 2
exit
""",
    "ripng": """router ripng
 network fd00::/16
exit
""",
    "eigrp": """key chain SEA
 key 1
  key-string cockle
 exit
exit
router eigrp 7
 eigrp router-id 10.255.0.{n}
 network 10.0.0.0/8
exit
""",
    "bgp": """router bgp {n}
 bgp router-id 10.255.0.{n}
 no bgp ebgp-requires-policy
 neighbor 10.0.0.{o} remote-as {o}
 neighbor 10.0.0.{o} password cockle
 address-family ipv4 unicast
  network 10.255.0.{n}/32
  network 10.0.0.0/30
 exit-address-family
exit
""",
}

Row = tuple[str, str, Swap]
PASSIVE = "exit\ninterface lo"
SAID = " neighbor 10.0.0.{o} password"
ROWS: list[Row] = [
    # OSPF for IPv4
    ("ospf", "ospf-subnet", (" ip address 10.0.0.{n}/30", " ip address 10.0.4.{n}/30")),
    ("ospf", "ospf-mask", (" ip address 10.0.0.{n}/30", " ip address 10.0.0.{n}/29")),
    ("ospf", "ospf-hello-interval", ("hello-interval 5", "hello-interval 4")),
    ("ospf", "ospf-dead-interval", ("dead-interval 20", "dead-interval 24")),
    ("ospf", "ospf-area", ("area 0", "area 3")),
    ("ospf", "ospf-authentication-type", (" ip ospf authentication message-digest\n", "")),
    ("ospf", "ospf-authentication-key", ("md5 cockle", "md5 mussel")),
    ("ospf", "ospf-not-passive", (PASSIVE, f" ip ospf passive\n{PASSIVE}")),
    ("ospf", "ospf-enabled", ("network 10.0.0.0/8 area 0", "network 10.255.0.0/16 area 0")),
    ("ospf", "ospf-router-ids-differ", ("router-id 10.255.0.{n}", "router-id 10.255.0.{o}")),
    ("ospf", "ospf-network-type", (PASSIVE, f" ip ospf network point-to-point\n{PASSIVE}")),
    # OSPF for IPv6
    ("ospf6", "ospf-hello-interval", ("hello-interval 5", "hello-interval 4")),
    ("ospf6", "ospf-dead-interval", ("dead-interval 20", "dead-interval 24")),
    ("ospf6", "ospf-area", ("area 0", "area 3")),
    ("ospf6", "ospf-instance", (PASSIVE, f" ipv6 ospf6 instance-id 4\n{PASSIVE}")),
    ("ospf6", "ospf-not-passive", (PASSIVE, f" ipv6 ospf6 passive\n{PASSIVE}")),
    ("ospf6", "ospf-enabled", (" ipv6 ospf6 area 0\n", "")),
    ("ospf6", "ospf-router-ids-differ", ("router-id 10.255.0.{n}", "router-id 10.255.0.{o}")),
    # RIP
    ("rip", "rip-subnet", (" ip address 10.0.0.{n}/30", " ip address 10.0.4.{n}/30")),
    ("rip", "rip-enabled", ("network 10.0.0.0/8", "network 10.255.0.0/16")),
    ("rip", "rip-version", ("version 2", "version 1")),
    ("rip", "rip-authentication-type", (" ip rip authentication mode md5\n", "")),
    ("rip", "rip-authentication-key", ("string cockle", "string mussel")),
    ("rip", "rip-not-passive", ("version 2", "version 2\n passive-interface eth1")),
    ("ripng", "rip-enabled", ("network fd00::/16", "network fd00:255::/32")),
    ("ripng", "rip-not-passive", ("fd00::/16", "fd00::/16\n passive-interface eth1")),
    # EIGRP
    ("eigrp", "eigrp-subnet", (" ip address 10.0.0.{n}/30", " ip address 10.0.4.{n}/30")),
    ("eigrp", "eigrp-enabled", ("network 10.0.0.0/8", "network 10.255.0.0/16")),
    ("eigrp", "eigrp-autonomous-system", ("router eigrp 7", "router eigrp 9")),
    ("eigrp", "eigrp-k-values", ("10.0.0.0/8", "10.0.0.0/8\n metric weights 0 1 1 1 0 0")),
    ("eigrp", "eigrp-authentication-type", (" ip authentication mode eigrp 7 md5\n", "")),
    ("eigrp", "eigrp-authentication-key", ("key-string cockle", "key-string mussel")),
    # `passive-interface` is not here: FRR's daemon takes the line and speaks on (measured).
    # BGP
    ("bgp", "bgp-as-number", ("remote-as {o}", "remote-as 77")),
    ("bgp", "bgp-password", ("password cockle", "password mussel")),
    ("bgp", "bgp-switched-on", (SAID, f" neighbor 10.0.0.{{o}} shutdown\n{SAID}")),
    (
        "bgp",
        "bgp-peer-address",
        (
            "neighbor 10.0.0.{o} remote-as {o}\n neighbor 10.0.0.{o}",
            "neighbor 10.0.0.7 remote-as {o}\n neighbor 10.0.0.7",
        ),
    ),
    ("bgp", "bgp-external-policy", (" no bgp ebgp-requires-policy\n", "")),
    ("bgp", "bgp-ipv4-family", ("  network", "  no neighbor 10.0.0.{o} activate\n  network")),
    ("bgp", "bgp-prefix-limit", ("  network", "  neighbor 10.0.0.{o} maximum-prefix 1\n  network")),
    ("bgp", "bgp-hop-limit", (SAID, f" neighbor 10.0.0.{{o}} ttl-security hops 1\n{SAID}")),
]


def text(protocol: str, number: int) -> str:
    name = ("ant", "bee")[number - 1]
    other = 3 - number
    port = PORTS[protocol]
    return (LINK + SECTIONS[protocol]).format(name=name, n=number, o=other, port=port)


def pair(protocol: str, end: int = 0, swap: Swap | None = None) -> Computed:
    files = {"topology.json": wired(("ant", "eth1", "bee", "eth1"))}
    for number, name in enumerate(("ant", "bee"), 1):
        said = text(protocol, number)
        if swap is not None and number == end:
            old, new = (part.format(n=number, o=3 - number) for part in swap)
            assert old in said, old
            said = said.replace(old, new, 1)
        files[f"devices/{name}/frr.conf"] = said
    return compute(files)


def kinds(survey: Computed) -> set[str]:
    return {f.kind for f in survey.findings if f.severity != "notes"}


def each_remedy_mends(survey: Computed, kind: str) -> list[Computed]:
    """The network after each of the remedies of a finding, the two being neighbours again."""
    found = [f for f in survey.findings if f.kind == kind]
    assert found, kinds(survey)
    remedies = [remedy for finding in found for remedy in finding.remedies]
    assert remedies, found[0].summary
    out = []
    for remedy in remedies:
        after = Computed(apply(survey.survey, remedy.edits).survey)
        assert kind not in kinds(after), remedy.title
        assert all(relation.works for relation in after.tables.relations()), remedy.title
        out.append(after)
    return out


@pytest.mark.parametrize("protocol", PORTS)
def test_two_that_fit_are_neighbours(protocol: str) -> None:
    survey = pair(protocol)
    assert kinds(survey) == set()
    relations = list(survey.tables.relations())
    assert relations and all(relation.works for relation in relations)


@pytest.mark.parametrize("end", [1, 2])
@pytest.mark.parametrize(
    ("protocol", "kind", "swap"), ROWS, ids=[f"{row[0]} {row[1]}" for row in ROWS]
)
def test_a_gate_that_fails_is_found_and_mended(
    protocol: str, kind: str, swap: Swap, end: int
) -> None:
    each_remedy_mends(pair(protocol, end, swap), kind)


def test_every_row_has_a_mend_or_says_why_not() -> None:
    rows = [(protocol.name, row) for protocol in protocols() for row in protocol.rows]
    assert len(rows) > 60
    assert not [(name, row.name) for name, row in rows if bool(row.mend) == bool(row.no_mend)]
