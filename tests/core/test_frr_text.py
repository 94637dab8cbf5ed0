"""FRR text: every form of a static route, sections, removals, and what is reported."""

from __future__ import annotations

import pytest

from trochos.core.network.addressing import Address, parse_address, parse_prefix
from trochos.core.network.ospf import OspfProcess
from trochos.core.readers.frr import text as frr_text
from trochos.core.readers.report import FileReport

HEAD = "frr version 8.4.4\nhostname mill\n"


def read(body: str):  # type: ignore[no-untyped-def]
    draft, ledger = frr_text.read("mill", "frr.conf", HEAD + body)
    return draft, ledger.report()


def address(text: str) -> Address:
    found = parse_address(text)
    assert found is not None
    return found


@pytest.mark.parametrize(
    ("line", "gateway", "interface", "special", "distance"),
    [
        ("ip route 10.64.3.0/24 10.64.0.2", "10.64.0.2", None, None, 1),
        ("ip route 10.64.3.0/24 10.64.0.2 eth1", "10.64.0.2", "eth1", None, 1),
        ("ip route 10.64.3.0/24 eth1", None, "eth1", None, 1),
        ("ip route 10.64.3.0/24 eth1 20", None, "eth1", None, 20),
        ("ip route 10.64.3.0/24 10.64.0.2 50", "10.64.0.2", None, None, 50),
        ("ip route 10.64.3.0/24 10.64.0.2 eth1 50", "10.64.0.2", "eth1", None, 50),
        ("ip route 10.64.3.0/24 10.64.0.2 tag 7 50", "10.64.0.2", None, None, 50),
        ("ip route 10.64.3.0/24 10.64.0.2 50 onlink", "10.64.0.2", None, None, 50),
        ("ip route 10.64.3.0 255.255.255.0 10.64.0.2", "10.64.0.2", None, None, 1),
        ("ip route 10.64.3.0/24 Null0", None, None, "discard", 1),
        ("ip route 10.64.3.0/24 null0 254", None, None, "discard", 254),
        ("ip route 10.64.3.0/24 blackhole", None, None, "discard", 1),
        ("ip route 10.64.3.0/24 reject 200", None, None, "reject", 200),
        ("ip route 10.64.3.9/24 10.64.0.2", "10.64.0.2", None, None, 1),
        ("ip route 10.64.3.0/24 10.64.0.2 table 254", "10.64.0.2", None, None, 1),
        ("ip route 10.64.3.0/24 10.64.0.2 nexthop-vrf default", "10.64.0.2", None, None, 1),
        ("ip route 10.64.3.0/24 10.64.0.2 color 5", "10.64.0.2", None, None, 1),
    ],
)
def test_forms_of_a_static_route(
    line: str, gateway: str | None, interface: str | None, special: str | None, distance: int
) -> None:
    draft, report = read(line + "\n")
    (route,) = draft.statics
    assert route.prefix == parse_prefix("10.64.3.0/24")
    assert route.gateway == (address(gateway) if gateway else None)
    assert (route.interface, route.special, route.distance) == (interface, special, distance)
    assert route.source.line == 3 and route.source.text == line
    assert report.unknown == []


@pytest.mark.parametrize(
    ("line", "matters"),
    [
        ("ip route 10.64.3.0/24 10.64.0.2 label 17", True),
        ("ip route 10.64.3.0/24", True),
        ("ip route 10.64.3.0/33 10.64.0.2", True),
        ("ip route 10.64.3.0/24 fd00::1", True),
        ("ip route 10.64.3.0/24 10.64.0.2 300", True),
        ("ipv6 route fd00:64::/32 from fd00:65::/32 fd00:66::1", True),
        ("ipv6 route 10.64.3.0/24 fd00::1", True),
    ],
)
def test_what_is_not_a_route_of_the_main_table_is_reported(line: str, matters: bool) -> None:
    draft, report = read(line + "\n")
    assert draft.statics == []
    assert [(u.line, u.matters) for u in report.unknown] == [(3, matters)]


def test_a_later_line_for_the_same_path_replaces_the_earlier() -> None:
    draft, _ = read("ip route 10.64.3.0/24 10.64.0.2\nip route 10.64.3.0/24 10.64.0.2 50\n")
    assert [route.distance for route in draft.statics] == [50]


def test_removals_take_their_line_away() -> None:
    draft, report = read(
        "ip route 10.64.3.0/24 10.64.0.2\nno ip route 10.64.3.0/24 10.64.0.2\n"
        "interface eth1\n ip address 10.64.0.1/30\n no ip address 10.64.0.1/30\n"
        " shutdown\n no shutdown\nexit\nip forwarding\nno ip forwarding\n"
    )
    assert draft.statics == []
    assert draft.interfaces["eth1"].addresses == []
    assert draft.interfaces["eth1"].enabled is True
    assert draft.forwarding == [False, None]
    assert report.unknown == []


def test_sections_end_where_the_next_begins() -> None:
    draft, report = read(
        "interface eth1\n description to weir\n ip address 10.64.0.1/30\n"
        "interface eth2\n ipv6 address fd00:64::1/64\nip route 0.0.0.0/0 10.64.0.2\n"
    )
    assert list(draft.interfaces) == ["eth1", "eth2"]
    assert draft.interfaces["eth1"].description == "to weir"
    assert len(draft.statics) == 1
    assert report.unknown == []


def test_a_line_of_a_protocol_that_is_not_understood_makes_the_device_uncertain() -> None:
    draft, report = read(
        "interface eth1\n ip ospf cost 5\nexit\nrouter ospf\n network 10.64.0.0/16 area 0\n"
        " area 0 odd\n frobnicate\nexit\n"
    )
    assert [(u.source.line, u.family) for u in draft.unmodelled] == [(8, 4), (9, 4)]
    assert {u.line for u in report.unknown if u.matters} == {8, 9}
    assert draft.routing.of(OspfProcess)[0].interfaces["eth1"].cost is not None


def test_a_protocol_that_is_not_computed_makes_the_device_uncertain() -> None:
    draft, report = read("router openfabric ONE\n net 49.0001.0000.0000.0001.00\nexit\n")
    assert [u.source.line for u in draft.unmodelled] == [3]
    assert {u.line for u in report.unknown if u.matters} == {3, 4}


def test_settings_of_a_protocol_that_does_not_run_do_not_matter() -> None:
    draft, report = read("interface eth1\n ip ospf cost 5\nexit\n")
    assert draft.unmodelled == [] and report.unknown == []


@pytest.mark.parametrize(
    "body",
    [
        "pbr-map NIGHT seq 5\n set vrf red\nexit\ninterface eth1\n pbr-policy NIGHT\nexit\n",
        "ip import-table 10\n",
        "vrf red\n vni 100\nexit-vrf\n",
        "router bgp 65000 vrf red\n address-family ipv4 unicast\n  import blue\n",
        "frobnicate the packets\n",
    ],
)
def test_what_is_seen_and_not_computed_is_reported_as_mattering(body: str) -> None:
    _, report = read(body)
    assert any(line.matters for line in report.unknown)


def test_every_line_has_exactly_one_fate() -> None:
    _, report = read("!\n\ninterface eth1\n odd words\nexit\nlog file /tmp/x\nline vty\nend\n")
    assert isinstance(report, FileReport)
    assert report.understood + report.irrelevant + len(report.unknown) == report.lines


@pytest.mark.parametrize(
    "line", ["no", "pbr-map", "no pbr-map", "pbr-map x", "nexthop-group", "pbr-map x seq 5\n no",
             "interface eth1\n pbr-policy", "interface eth1\n no", "vrf"]
)  # fmt: skip
def test_a_line_that_ends_too_early_is_reported(line: str) -> None:
    _, report = read(f"{line}\n")
    assert report.unknown, "whatever it was to do, nothing is done"
