"""Who holds a gateway address that routers share, from their texts and the state of links."""

from __future__ import annotations

import json

import pytest
from surveys import compute, frr, wired

from trochos.core.change.apply import apply
from trochos.core.network.edits import DataEdit, Down
from trochos.core.survey import Computed
from trochos.server.surveys.modules import problem_with

VIRTUAL = "10.64.1.1"


def part(
    priority: int, *extra: str, router_id: int = 51, address: str = VIRTUAL, secret: str = "oil"
) -> str:
    """One router's keepalived.conf."""
    return "\n".join(
        [
            "global_defs {",
            "    router_id x",
            "}",
            "vrrp_instance quay {",
            "    state BACKUP",
            "    interface eth0",
            f"    virtual_router_id {router_id}",
            f"    priority {priority}",
            "    advert_int 1",
            "    authentication {",
            "        auth_type PASS",
            f"        auth_pass {secret}",
            "    }",
            *extra,
            "    virtual_ipaddress {",
            f"        {address}/24 dev eth0",
            "    }",
            "}",
            "",
        ]
    )


def lan(ant: str, bee: str, **more: str) -> Computed:
    """A host (and `more`: name to gateway) on a LAN with ant and bee, and cat behind both."""
    statics = ("ip route 10.64.9.0/24 {}",)
    files = {
        "topology.json": wired(
            ("h1", "eth0", "quay", "p1"),
            ("ant", "eth0", "quay", "p2"),
            ("bee", "eth0", "quay", "p3"),
            ("ant", "eth1", "cat", "eth1"),
            ("bee", "eth1", "cat", "eth2"),
            *((name, "eth0", "quay", f"to-{name}") for name in more),
        ),
        "devices/ant/frr.conf": frr(
            "ant",
            {"eth0": "10.64.1.2/24", "eth1": "10.64.0.1/30"},
            statics[0].format("10.64.0.2"),
        ),
        "devices/bee/frr.conf": frr(
            "bee",
            {"eth0": "10.64.1.3/24", "eth1": "10.64.0.5/30"},
            statics[0].format("10.64.0.6"),
        ),
        "devices/cat/frr.conf": frr(
            "cat",
            {"eth1": "10.64.0.2/30", "eth2": "10.64.0.6/30", "eth3": "10.64.9.1/24"},
            "ip route 10.64.1.0/24 10.64.0.1",
        ),
        "devices/ant/keepalived.conf": ant,
        "devices/bee/keepalived.conf": bee,
    }
    for number, (name, gateway) in enumerate({"h1": VIRTUAL, **more}.items(), 10):
        address = {"family": "inet", "local": f"10.64.1.{number}", "prefixlen": 24}
        link = {"ifname": "eth0", "flags": ["UP", "LOWER_UP"], "addr_info": [address]}
        files[f"devices/{name}/addr.json"] = json.dumps([link])
        files[f"devices/{name}/route.json"] = json.dumps(
            [{"dst": "default", "gateway": gateway, "dev": "eth0"}]
        )
    return compute(files)


def test_a_host_beside_the_shared_gateway_is_named_and_moved() -> None:
    survey = lan(part(150), part(100), h2="10.64.1.3")
    (found,) = (f for f in survey.findings if f.kind == "host-beside-shared")
    assert found.device == "h2" and found.remedies
    after = survey.rehearse(found.remedies[0].edits).after
    assert "host-beside-shared" not in {f.kind for f in after.findings}


def holders(survey: Computed) -> list[str]:
    near = survey.forwarding.near
    return sorted(o.end.device for o in near.owners.get(_address(), ()) if o.active)


def _address():  # type: ignore[no-untyped-def]
    from trochos.core.network.addressing import parse_address

    return parse_address(VIRTUAL)


def test_the_highest_priority_holds_it() -> None:
    survey = lan(part(150), part(100))
    assert holders(survey) == ["ant"]
    path = survey.path("h1", "10.64.9.1")
    assert path.works == "yes"
    assert [hop.device for hop in path.outbound.branches[0].hops][1] == "ant"
    assert not [f.summary for f in survey.findings if f.severity != "notes"]


def test_of_equal_priorities_whoever_was_first_stays() -> None:
    """Measured: the higher address only decides between two that start at one moment."""
    survey = lan(part(100), part(100))
    assert holders(survey) == []
    assert survey.path("h1", "10.64.9.1").works == "unknown"


@pytest.mark.parametrize(
    "other",
    [
        part(100, router_id=52),
        part(100, secret="lantern"),
        part(100, "    version 3"),
    ],
)
def test_who_does_not_hear_the_other_holds_it_too(other: str) -> None:
    assert holders(lan(part(150), other)) == ["ant", "bee"]


def test_adverts_with_another_address_are_refused() -> None:
    assert holders(lan(part(150, address="10.64.1.9"), part(100))) == ["bee"]


def test_after_a_failure_the_other_takes_over() -> None:
    survey = lan(part(150), part(100))
    after = survey.rehearse((Down((("ant", "eth0"),)),)).after
    assert holders(after) == ["bee"]


TRACK = ("    track_interface {", "        eth1 weight %s", "    }")


@pytest.mark.parametrize(("weight", "holder"), [("-60", "bee"), ("-40", "ant"), ("0", "bee")])
def test_what_is_tracked_changes_who_holds_it(weight: str, holder: str) -> None:
    tracking = tuple(line.replace("%s", weight) for line in TRACK)
    survey = lan(part(150, *tracking), part(100))
    assert holders(survey) == ["ant"]
    down = Down((("ant", "eth1"), ("cat", "eth1")))
    assert holders(survey.rehearse((down,)).after) == [holder]


def test_a_positive_weight_counts_while_the_interface_is_up() -> None:
    tracking = tuple(line.replace("%s", "60") for line in TRACK)
    survey = lan(part(100), part(90, *tracking))
    assert holders(survey) == ["bee"]
    down = Down((("bee", "eth1"), ("cat", "eth2")))
    assert holders(survey.rehearse((down,)).after) == ["ant"]


@pytest.mark.parametrize(
    "line", ["    nopreempt", "    track_script {\n        check\n    }", "    frobnicate"]
)
def test_what_decides_otherwise_leaves_the_holder_open(line: str) -> None:
    survey = lan(part(150, line), part(100))
    assert holders(survey) == []
    path = survey.path("h1", "10.64.9.1")
    assert path.works == "unknown" and "is not in their texts" in path.sentence()
    assert not [f.summary for f in survey.findings if f.severity != "notes"]


def test_unicast_peers_hear_only_each_other() -> None:
    def peers(address: str) -> tuple[str, ...]:
        return ("    unicast_peer {", f"        {address}", "    }")

    both = lan(part(150, *peers("10.64.1.3")), part(100, *peers("10.64.1.2")))
    assert holders(both) == ["ant"]
    wrong = lan(part(150, *peers("10.64.1.77")), part(100, *peers("10.64.1.2")))
    assert holders(wrong) == ["ant", "bee"]


def test_a_file_that_is_cut_leaves_the_holder_open() -> None:
    survey = lan(part(150)[:-4], part(100))
    assert holders(survey) == []
    assert survey.path("h1", "10.64.9.1").works == "unknown"


def test_an_unread_router_on_the_link_may_hold_it() -> None:
    survey = lan(part(150), part(100))
    files = {
        f"devices/{device}/{name}" if device else name: text
        for device, texts in survey.survey.files.items()
        for name, text in texts.items()
        if device != "bee"
    }
    files["survey.json"] = json.dumps({"expected": ["bee"]})
    alone = compute(files)
    assert holders(alone) == []
    assert alone.path("h1", "10.64.9.1").works == "unknown"


# -- as FRR's text says it (tests/real/test_vrrp.py holds these against real routers) ------------


def in_text(ant: list[str], bee: list[str], shown: bool = True) -> Computed:
    """Two routers that share an address by their own texts; `shown`: with their interfaces."""
    files = {
        "topology.json": wired(
            ("h1", "eth0", "quay", "p1"), ("ant", "eth0", "quay", "p2"),
            ("bee", "eth0", "quay", "p3"),
        ),
        "devices/h1/frr.conf": frr(
            "h1", {"eth0": "10.64.1.10/24"}, f"ip route 0.0.0.0/0 {VIRTUAL}"
        ),
    }  # fmt: skip
    for name, address, lines in (("ant", "10.64.1.2/24", ant), ("bee", "10.64.1.3/24", bee)):
        body = ["interface eth0", " vrrp 5", f" vrrp 5 ip {VIRTUAL}", *(f" {x}" for x in lines)]
        files[f"devices/{name}/frr.conf"] = frr(name, {"eth0": address}, *body, "exit")
        own = {
            "ifname": "vrrp4-5", "flags": ["UP"], "operstate": "UP", "mtu": 1500,
            "address": "00:00:5e:00:01:05", "link": "eth0",
            "addr_info": [{"family": "inet", "local": VIRTUAL, "prefixlen": 24}],
        }  # fmt: skip
        if shown:
            files[f"devices/{name}/ip-addr.json"] = json.dumps([own], indent=1)
    return compute(files)


def holding(survey: Computed) -> list[str]:
    return [
        device.name
        for device in survey.forwarding.tables.network.devices
        if any(str(f.address) == VIRTUAL for i in device.interfaces for f in i.addresses)
    ]


@pytest.mark.parametrize("shown", [True, False])
def test_the_better_priority_holds_what_texts_share(shown: bool) -> None:
    assert holding(in_text(["vrrp 5 priority 150"], [], shown)) == ["ant"]
    assert holding(in_text([], ["vrrp 5 priority 101"], shown)) == ["bee"]
    assert holding(in_text(["vrrp 5 priority 150", "vrrp 5 shutdown"], [], shown)) == ["bee"]
    assert holding(in_text(["vrrp 5 version 2"], [], shown)) == ["ant", "bee"]


def test_whoever_was_first_stays_and_that_is_not_in_the_texts() -> None:
    for lines in ([], ["vrrp 5 priority 150", "no vrrp 5 preempt"]):
        survey = in_text(lines, [])
        assert holding(survey) == []
        assert survey.path("h1", VIRTUAL).works == "unknown"


def test_two_intervals_of_version_2_are_not_guessed_at() -> None:
    lines = ["vrrp 5 version 2"]
    slower = ["vrrp 5 version 2", "vrrp 5 priority 150", "vrrp 5 advertisement-interval 2000"]
    assert holding(in_text([*lines, "vrrp 5 priority 150"], lines)) == ["ant"]
    assert holding(in_text(slower, lines)) == []


def test_interfaces_shown_without_their_macs_say_nothing_of_it() -> None:
    files = in_text(["vrrp 5 priority 150"], []).survey.files
    flat = {f"devices/{d}/{n}" if d else n: t for d, held in files.items() for n, t in held.items()}
    up = ["UP", "LOWER_UP"]
    plain = [{"ifname": "eth0", "flags": up, "operstate": "UP", "addr_info": []}]
    for name in ("ant", "bee"):
        flat[f"devices/{name}/ip-addr.json"] = json.dumps(plain)
    assert holding(compute(flat)) == ["ant"]


def test_without_an_interface_of_its_own_a_router_takes_no_part() -> None:
    files = in_text(["vrrp 5 priority 150"], []).survey.files
    flat = {f"devices/{d}/{n}" if d else n: t for d, held in files.items() for n, t in held.items()}
    flat["devices/ant/ip-addr.json"] = flat["devices/ant/ip-addr.json"].replace(
        "5e:00:01", "5e:00:09"
    )
    survey = compute(flat)
    assert holding(survey) == ["bee"]
    assert survey.path("h1", VIRTUAL).works == "yes"
    unknown = in_text(["vrrp 5 track eth1"], [])
    assert unknown.path("h1", VIRTUAL).works == "unknown"


# -- as ietf-vrrp says it (RFC 8347) --------------------------------------------------------------


def in_data(ant: dict[str, object], bee: dict[str, object]) -> Computed:
    files = {
        "topology.json": wired(
            ("h1", "eth0", "quay", "p1"), ("ant", "eth0", "quay", "p2"),
            ("bee", "eth0", "quay", "p3"), ("ant", "eth1", "cat", "eth1"),
        ),
        "devices/h1/frr.conf": frr(
            "h1", {"eth0": "10.64.1.10/24"}, f"ip route 0.0.0.0/0 {VIRTUAL}"
        ),
        "devices/cat/frr.conf": frr("cat", {"eth1": "10.64.0.2/30"}),
    }  # fmt: skip
    for name, address, more in (("ant", "10.64.1.2", ant), ("bee", "10.64.1.3", bee)):
        part = {
            "vrid": 5,
            "version": "ietf-vrrp:vrrp-v3",
            "virtual-ipv4-addresses": {"virtual-ipv4-address": [{"ipv4-address": VIRTUAL}]},
            **more,
        }
        port = {
            "name": "eth0",
            "type": "iana-if-type:ethernetCsmacd",
            "ietf-ip:ipv4": {
                "forwarding": True,
                "address": [{"ip": address, "prefix-length": 24}],
                "ietf-vrrp:vrrp": {"vrrp-instance": [part]},
            },
        }
        second = {
            "name": "eth1",
            "type": "iana-if-type:ethernetCsmacd",
            "ietf-ip:ipv4": {"address": [{"ip": "10.64.0.1", "prefix-length": 30}]},
        }
        ports = [port, second] if name == "ant" else [port]
        data = {"ietf-interfaces:interfaces": {"interface": ports}, "ietf-routing:routing": {}}
        files[f"devices/{name}/running.json"] = json.dumps(data, indent=1)
    return compute(files)


def test_data_shares_as_texts_do() -> None:
    assert holding(in_data({"priority": 150}, {})) == ["ant"]
    assert holding(in_data({}, {"priority": 101})) == ["bee"]
    assert holding(in_data({"version": "ietf-vrrp:vrrp-v2"}, {})) == ["ant", "bee"]
    assert holding(in_data({}, {})) == []
    assert holding(in_data({"priority": 150, "preempt": {"enabled": False}}, {})) == []
    survey = in_data({"priority": 150}, {})
    assert survey.path("h1", VIRTUAL).works == "yes"
    assert not [line for r in survey.survey.reading for line in r.unknown]


def test_a_tracked_interface_costs_its_decrement() -> None:
    track = {"interfaces": {"interface": [{"interface": "eth1", "priority-decrement": 60}]}}
    survey = in_data({"priority": 150, "track": track}, {})
    assert holding(survey) == ["ant"]
    after = survey.rehearse((Down((("ant", "eth1"),)),)).after
    assert holding(after) == ["bee"]
    prefix = {"prefix": "10.0.0.0/8"}
    unsure = in_data({"priority": 150, "track": {"networks": {"network": [prefix]}}}, {})
    assert holding(unsure) == [] and unsure.path("h1", VIRTUAL).works == "unknown"


ODD: dict[str, tuple[dict[str, object], dict[str, object], str]] = {
    "version": ({"version": "ietf-vrrp:vrrp-v2", "advertise-interval-sec": 1}, {}, "vrrp-version"),
    "router id": ({"vrid": 6, "priority": 150}, {}, "vrrp-router-id"),
    "priority": ({}, {}, "shared-priority-equal"),
}


@pytest.mark.thorough
@pytest.mark.parametrize("what", ODD, ids=list(ODD))
def test_data_is_mended_in_its_own_language(what: str) -> None:
    """As texts are: each gate's remedy at either end, valid data before and after."""
    ant, bee, kind = ODD[what]
    survey = in_data(ant, bee)
    found = [f for f in survey.findings if f.kind == kind]
    assert found, [f.kind for f in survey.findings]
    for remedy in found[0].remedies:
        assert all(isinstance(e, DataEdit) and "vrrp-instance" in e.path for e in remedy.edits)
        after = Computed(apply(survey.survey, remedy.edits).survey)
        assert not [f for f in after.findings if f.kind == kind], remedy.title
        assert len(holding(after)) == (0 if what == "version" else 1)
        for name in ("ant", "bee"):
            text = after.survey.text(name, "running.json")
            assert text is not None and problem_with(json.loads(text)) is None, remedy.title
    assert len(found[0].remedies) == 2
