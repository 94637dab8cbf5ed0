"""Routing instances: tables, neighbours, walks of their own; what is in the wrong one is found."""

from __future__ import annotations

import json
from typing import Any

import pytest
from surveys import KEY, compute, wired

from trochos.core.forwarding.endpoints import EndpointError
from trochos.core.forwarding.traffic import Traffic
from trochos.core.network.addressing import parse_prefix
from trochos.core.network.edits import Down
from trochos.core.network.facts import End
from trochos.core.survey import Computed

DATA = "as data"
FORMS = {
    "in the heading": ("interface {} vrf RED", ""),
    "in a line": ("interface {}", " vrf RED\n"),
    DATA: ("", ""),
}


def as_data(*top: str) -> str:
    """The same router as RFC 8529 says it; `top` are its static routes as text says them."""
    ports = []
    for number in (1, 2, 3):
        port: dict[str, object] = {
            "name": f"eth{number}",
            "type": "iana-if-type:ethernetCsmacd",
            "ietf-ip:ipv4": {
                "forwarding": True,
                "address": [{"ip": f"10.{number}.0.1", "prefix-length": 24}],
            },
        }
        if number < 3:
            port["ietf-network-instance:bind-ni-name"] = "RED"
        ports.append(port)

    def routing(lines: list[str]) -> dict[str, object]:
        routes = []
        for line in lines:
            _, _, prefix, hop, *_ = line.split()
            name = "ietf-ipv4-unicast-routing:next-hop-address"
            routes.append({"destination-prefix": prefix, "next-hop": {name: hop}})
        static = {
            "type": "ietf-routing:static",
            "name": "static",
            "static-routes": {"ietf-ipv4-unicast-routing:ipv4": {"route": routes}},
        }
        return {"control-plane-protocols": {"control-plane-protocol": [static]}}

    inner = [line for line in top if line.endswith(" vrf RED")]
    outer = [line for line in top if line.startswith("ip route") and line not in inner]
    red = {
        "name": "RED",
        "ietf-network-instance:vrf-root": {"ietf-routing:routing": routing(inner)},
    }
    data = {
        "ietf-interfaces:interfaces": {"interface": ports},
        "ietf-routing:routing": routing(outer),
        "ietf-network-instance:network-instances": {"network-instance": [red]},
    }
    return json.dumps(data, indent=1)


def network(form: str, *top: str) -> Computed:
    """A router with eth1 and eth2 in the instance RED and eth3 in none, a host at each."""
    heading, line = FORMS[form]
    files = {"topology.json": wired(*((f"h{n}", "eth0", "mid", f"eth{n}") for n in (1, 2, 3)))}
    rows = ["frr version 8.4.4", "hostname mid", "vrf RED", "exit-vrf", *top]
    text = "\n".join(rows) + "\n"
    for number in (1, 2, 3):
        apart = number < 3
        opening = heading.format(f"eth{number}") if apart else f"interface eth{number}"
        text += f"{opening}\n{line if apart else ''} ip address 10.{number}.0.1/24\nexit\n"
        held = {"family": "inet", "local": f"10.{number}.0.9", "prefixlen": 24, "scope": "global"}
        link = {"ifname": "eth0", "flags": ["UP", "LOWER_UP"], "addr_info": [held]}
        route = {"dst": "default", "gateway": f"10.{number}.0.1", "dev": "eth0"}
        files[f"devices/h{number}/addr.json"] = json.dumps([link])
        files[f"devices/h{number}/route.json"] = json.dumps([route])
    if form == DATA:
        files["devices/mid/running.json"] = as_data(*top)
    else:
        files["devices/mid/frr.conf"] = text
    return compute(files)


@pytest.mark.parametrize("form", FORMS)
def test_an_instance_has_a_table_of_its_own(form: str) -> None:
    survey = network(form)
    assert survey.path("h1", "h2").works == "yes"
    assert survey.path("h1", "10.1.0.1").works == "yes"
    assert survey.path("mid", "10.1.0.1").works == "no", "the usual table has no way there"
    assert survey.path("h3", "10.3.0.1").works == "yes"
    assert survey.path("h3", "h1").works == "no", "the usual table has no way there"
    assert survey.path("h1", "h3").works == "no", "nor has the instance one back"


@pytest.mark.parametrize("form", FORMS)
def test_all_pairs_say_what_single_ones_say(form: str) -> None:
    survey = network(form)
    said = {True: "yes", False: "no", None: "unknown", "partly": "partly"}
    for pair in survey.reach.pairs():
        path = survey.path(pair.device, str(pair.target))
        if path.source == pair.source:
            assert said[pair.ok] == path.works, pair  # type: ignore[index]


def test_a_leak_between_instances_leads_both_ways_or_nowhere() -> None:
    there = "ip route 10.1.0.0/24 10.1.0.9 nexthop-vrf RED"
    back = "ip route 10.3.0.0/24 10.3.0.9 vrf RED nexthop-vrf default"
    assert network("in a line", there, back).path("h3", "h1").works == "yes"
    assert network("in a line", there).path("h3", "h1").works == "no", "nothing leads back"


@pytest.mark.parametrize(
    "line",
    ["ip route 10.8.0.0/24 10.1.0.9 vrf RED", "vrf RED\n ip route 10.8.0.0/24 10.1.0.9\nexit-vrf"],
)
def test_a_static_route_is_in_the_table_of_its_instance(line: str) -> None:
    survey = network("in a line", line)
    prefix = parse_prefix("10.8.0.0/24")
    assert prefix in survey.tables.of("mid/RED", 4).best
    assert prefix not in survey.tables.of("mid", 4).best
    assert survey.path("h3", "10.8.0.1").works == "no"
    document = survey.routes_json("mid")["devices"]
    assert isinstance(document, dict)
    held = document["mid"]["instances"]["RED"]["ipv4"]
    assert "10.8.0.0/24" in {route["prefix"] for route in held}
    assert "10.8.0.0/24" not in {route["prefix"] for route in document["mid"]["ipv4"]}


# -- two instances over shared routers, with the same addresses in both -----------------------


def twice(*, change: dict[str, tuple[str, str]] | None = None) -> Computed:
    """red: h1 - left - right - h2 by OSPF; blue: h3 - left - right - h4 by BGP, the same addresses.

    `change` replaces text in a router: {router: (old, new)}.
    """
    texts = {}
    for name, side in (("left", 1), ("right", 2)):
        rows = [f"hostname {name}", "vrf red", "exit-vrf", "vrf blue", "exit-vrf"]
        for color, link, lan in (("red", "e1", "e3"), ("blue", "e2", "e4")):
            rows += [f"interface {link} vrf {color}", f" ip address 10.0.0.{side}/30", "exit"]
            rows += [f"interface {lan} vrf {color}", f" ip address 10.{side}.0.1/24", "exit"]
        rows += ["router ospf vrf red", " network 10.0.0.0/8 area 0", "exit"]
        rows += [f"router bgp {65540 + side} vrf blue", " no bgp ebgp-requires-policy"]
        rows += [f" neighbor 10.0.0.{3 - side} remote-as {65543 - side}"]
        rows += [" address-family ipv4 unicast", f"  network 10.{side}.0.0/24"]
        rows += [" exit-address-family", "exit", ""]
        texts[name] = "\n".join(rows)
    for name, (old, new) in (change or {}).items():
        assert old in texts[name]
        texts[name] = texts[name].replace(old, new)
    links = [("left", "e1", "right", "e1"), ("left", "e2", "right", "e2")]
    files = {f"devices/{name}/frr.conf": text for name, text in texts.items()}
    for host, router, port, side in (
        ("h1", "left", "e3", 1),
        ("h2", "right", "e3", 2),
        ("h3", "left", "e4", 1),
        ("h4", "right", "e4", 2),
    ):
        links.append((host, "eth0", router, port))
        held = {"family": "inet", "local": f"10.{side}.0.9", "prefixlen": 24, "scope": "global"}
        link = {"ifname": "eth0", "flags": ["UP", "LOWER_UP"], "addr_info": [held]}
        route = {"dst": "default", "gateway": f"10.{side}.0.1", "dev": "eth0"}
        files[f"devices/{host}/addr.json"] = json.dumps([link])
        files[f"devices/{host}/route.json"] = json.dumps([route])
    return compute({"topology.json": wired(*links), **files})


def test_the_same_addresses_live_twice_and_never_meet() -> None:
    survey = twice()
    assert survey.path("h1", "h2").works == survey.path("h3", "h4").works == "yes"
    answers = {
        (pair.device, pair.owner): pair.ok
        for pair in survey.reach.pairs({"h1", "h3"})
        if str(pair.target) == "10.2.0.9"
    }
    assert answers == {
        ("h1", "h2"): True,
        ("h1", "h4"): False,
        ("h3", "h4"): True,
        ("h3", "h2"): False,
    }
    assert not [finding.summary for finding in survey.findings if finding.severity != "notes"]
    ends = {relation.left.device for relation in survey.tables.relations() if relation.works}
    assert ends == {"left/red", "left/blue"}


WRONG = {
    "an interface": (
        {"left": ("interface e1 vrf red", "interface e1 vrf blue")},
        ("h1", "h2"),
        "interface-in-wrong-instance",
        "interface e1 vrf red",
    ),
    "a process": (
        {"left": ("router ospf vrf red", "router ospf vrf blue")},
        ("h1", "h2"),
        "process-in-wrong-instance",
        "router ospf vrf red",
    ),
    "a system number": (
        {"left": ("router bgp 65541", "router bgp 65549")},
        ("h3", "h4"),
        "bgp-as-number",
        "router bgp 65541 vrf blue",
    ),
}


@pytest.mark.parametrize("name", WRONG)
def test_what_is_in_the_wrong_instance_is_found_and_moved(name: str) -> None:
    change, (sender, receiver), kind, opening = WRONG[name]
    survey = twice(change=change)
    diagnosis = survey.diagnose(sender, receiver)
    first = diagnosis.causes[0]
    assert first.option.finding.kind == kind and first.certainty == "proven"
    after = survey.rehearse(first.option.edits).after
    assert after.path(sender, receiver).works == "yes"
    if kind != "bgp-as-number":
        texts = after.survey.files["left"]["frr.conf"]
        assert opening in texts
    assert first.effect.count("breaks") == 0


def test_a_static_route_in_the_wrong_table_moves_to_the_instance_of_its_gateway() -> None:
    """The main instance has no link to the gateway, red has: without OSPF red needs the static."""
    no_ospf = ("router ospf vrf red\n network 10.0.0.0/8 area 0\nexit\n", "")
    survey = twice(
        change={
            "left": (no_ospf[0], "ip route 10.2.0.0/24 10.0.0.2 vrf red\n"),
            "right": (no_ospf[0], "ip route 10.1.0.0/24 10.0.0.1\n"),
        }
    )
    # The gateway is on a link of red and of blue: which was meant, nothing here can tell.
    assert not [f for f in survey.findings if f.kind == "static-in-wrong-instance"]
    alone = twice(
        change={
            "left": (no_ospf[0], "ip route 10.2.0.0/24 10.0.0.2 vrf red\n"),
            "right": (
                no_ospf[0],
                "ip route 10.1.0.0/24 10.0.0.1\ninterface e2 vrf blue\n shutdown\n"
                " no ip address 10.0.0.2/30\nexit\n",
            ),
        }
    )
    (finding,) = [f for f in alone.findings if f.kind == "static-in-wrong-instance"]
    assert finding.device == "right" and finding.evidence[0].text == "ip route 10.1.0.0/24 10.0.0.1"
    diagnosis = alone.diagnose("h1", "h2")
    assert diagnosis.causes[0].option.finding.kind == "static-in-wrong-instance"
    assert diagnosis.causes[0].certainty == "proven"


def test_a_port_that_the_system_has_in_another_instance_has_nothing_of_the_text() -> None:
    """What the text says of a port of red holds of no port, if the system has it in blue."""
    survey = twice()
    files = {
        f"devices/{device}/{name}": text.encode()
        for device, texts in survey.survey.files.items()
        for name, text in texts.items()
        if device
    }
    spaces = {
        color: {"netns": f"/run/netns/{color}", "interfaces": ports}
        for color, ports in (("red", ["e3"]), ("blue", ["e1", "e2", "e4"]))
    }
    files["devices/left/spaces.json"] = json.dumps(spaces).encode()
    moved = Computed.from_files(files, KEY)
    blue = moved.network.device("left/blue")
    assert blue is not None
    port = blue.interface("e1")
    assert port is not None and port.addresses == ()
    assert port.misplaced is not None and port.misplaced.text == "interface e1 vrf red"


def test_every_question_can_be_asked_inside_an_instance() -> None:
    survey = twice()
    assert survey.path("left/red", "10.2.0.9").receiver == "h2"
    assert survey.path("left/blue", "10.2.0.9").receiver == "h4"
    assert survey.path("h3", "10.2.0.9").receiver == "h4", "the one that links join with h3"
    assert survey.path("left:e4", "10.2.0.9").receiver == "h4"
    assert survey.path("left", "10.2.0.9", Traffic(instance="blue")).receiver == "h4"
    assert survey.path("10.1.0.9", "10.2.0.9", Traffic(instance="red")).sender == "h1"
    with pytest.raises(EndpointError, match="left/blue, left/red"):
        survey.path("left", "10.2.0.9")
    with pytest.raises(EndpointError, match="lives in several routing instances"):
        survey.path("10.1.0.9", "10.2.0.9")
    with pytest.raises(EndpointError, match="no routing instance 'green'"):
        survey.path("left", "10.2.0.9", Traffic(instance="green"))


def test_every_form_gives_one_network() -> None:
    top = ("ip route 10.9.0.0/24 10.2.0.9 vrf RED", "ip route 10.9.0.0/24 10.3.0.9")
    surveys = [network(form, *top) for form in FORMS]

    def shown(survey: Computed) -> object:
        return {
            (device.name, family): sorted(
                (str(r.prefix), r.protocol, r.selected, str(r.next_hops))
                for r in survey.tables.of(device.name, family).everything()
            )
            for device in survey.network.devices
            for family in (4, 6)
        }

    first = surveys[0]
    for other in surveys[1:]:
        assert shown(other) == shown(first)
        assert [p.as_json() for p in other.reach.pairs()] == [
            p.as_json() for p in first.reach.pairs()
        ]
        assert not [line for r in other.survey.reading for line in r.unknown]


def test_a_remedy_in_data_goes_into_the_instance() -> None:
    """h1's way to a subnet behind h2 stands in the usual table instead of in RED's."""
    survey = network(DATA, "ip route 10.9.0.0/24 10.2.0.9")
    files = {
        f"devices/{device}/{file}" if device else file: text
        for device, held in survey.survey.files.items()
        for file, text in held.items()
    }
    held = json.loads(files["devices/h2/addr.json"])
    more = {"family": "inet", "local": "10.9.0.1", "prefixlen": 24, "scope": "global"}
    held.append({"ifname": "eth1", "flags": ["UP", "LOWER_UP"], "addr_info": [more]})
    files["devices/h2/addr.json"] = json.dumps(held)
    survey = compute(files)
    assert survey.path("h1", "10.9.0.1").works == "no"
    found = survey.diagnose("h1", "10.9.0.1")
    first = found.causes[0]
    assert first.certainty == "proven"
    paths = [str(edit.as_json()["path"]) for edit in first.option.remedy.edits]
    root = "/ietf-network-instance:network-instances/network-instance[name='RED']"
    assert any(path.startswith(root) for path in paths), paths
    assert survey.rehearse(first.option.remedy.edits).anew.path("h1", "10.9.0.1").works == "yes"


def test_an_instance_that_is_switched_off_is_not_guessed_at() -> None:
    survey = network(DATA)
    files = {
        f"devices/{device}/{file}" if device else file: text
        for device, held in survey.survey.files.items()
        for file, text in held.items()
    }
    data = json.loads(files["devices/mid/running.json"])
    (red,) = data["ietf-network-instance:network-instances"]["network-instance"]
    red["enabled"] = False
    files["devices/mid/running.json"] = json.dumps(data, indent=1)
    assert survey.path("h1", "h2").works == "yes"
    assert compute(files).path("h1", "h2").works == "unknown"


LEAKING = (
    "vrf RED\n ip route 10.64.20.0/24 eth2 nexthop-vrf default\nexit-vrf\n",
    "ip route 10.64.10.0/24 eth1 nexthop-vrf RED\n",
)


def leaks(*lines: str, **more: str) -> Computed:
    """mid with ports in RED towards h1 and far, and one in the main instance towards h2."""
    mid = (
        "frr version 8.4.4\nhostname mid\n"
        + "".join(lines)
        + "interface eth1 vrf RED\n ip address 10.64.10.1/24\nexit\n"
        "interface eth2\n ip address 10.64.20.1/24\nexit\n"
        "interface eth3 vrf RED\n ip address 10.64.9.1/30\nexit\nend\n"
    )
    files = {
        "topology.json": wired(
            ("h1", "eth0", "mid", "eth1"),
            ("h2", "eth0", "mid", "eth2"),
            ("mid", "eth3", "far", "eth1"),
            ("far", "eth2", "h3", "eth0"),
        ),
        "devices/mid/frr.conf": mid,
        "devices/far/frr.conf": "frr version 8.4.4\nhostname far\n"
        "ip route 10.64.0.0/16 10.64.9.1\ninterface eth1\n ip address 10.64.9.2/30\nexit\n"
        "interface eth2\n ip address 10.64.30.1/24\nexit\nend\n",
    }
    for name, network in (("h1", 10), ("h2", 20), ("h3", 30)):
        held = {"family": "inet", "local": f"10.64.{network}.10", "prefixlen": 24}
        link = {"ifname": "eth0", "flags": ["UP", "LOWER_UP"], "addr_info": [held]}
        way = {"dst": "default", "gateway": f"10.64.{network}.1", "dev": "eth0"}
        files[f"devices/{name}/addr.json"] = json.dumps([link])
        files[f"devices/{name}/route.json"] = json.dumps([way])
    return compute({**files, **more})


def test_a_static_route_leads_into_another_instance_and_back() -> None:
    survey = leaks(*LEAKING)
    assert not survey.network.device("mid").unmodelled  # type: ignore[union-attr]
    path = survey.path("h1", "h2")
    assert path.works == "yes"
    hop = path.outbound.branches[0].hops[1].as_json()
    actions: list[dict[str, Any]] = hop["actions"]  # type: ignore[assignment]
    crossed = [action for action in actions if action["do"] == "instance"]
    assert [(a["from"], a["to"], a["by"]["line"]) for a in crossed] == [("RED", "", 4)]
    assert path.back is not None
    actions = path.back.branches[0].hops[1].as_json()["actions"]  # type: ignore[assignment]
    assert ("", "RED") in {(a.get("from"), a.get("to")) for a in actions}
    rows = {(r.device, str(r.target)): r.ok for r in survey.reach.pairs()}
    assert rows["h1", "10.64.20.10"] is True and rows["h2", "10.64.10.10"] is True
    assert rows["h2", "10.64.30.10"] is False
    assert [f for f in survey.findings if f.severity != "notes"] == []


@pytest.mark.parametrize(
    "line",
    [
        "ip route 10.64.30.0/24 10.64.9.2 nexthop-vrf RED\n",
        "ip route 10.64.30.0/24 10.64.9.2 eth3 nexthop-vrf RED\n",
    ],
)
def test_a_gateway_of_another_instance_is_looked_for_there(line: str) -> None:
    back = LEAKING[0].replace("exit-vrf", " ip route 10.64.30.0/24 10.64.9.2\nexit-vrf")
    survey = leaks(back, line)
    assert survey.path("h2", "h3").works == "yes"
    shut = survey.rehearse((Down((End("mid", "eth3"),)),)).after
    assert shut.path("h2", "h3").works == "no"
    astray = leaks(back, line.replace("10.64.9.2 ", "10.64.8.2 ").replace("eth3 ", ""))
    assert astray.path("h2", "h3").works == "no", "a gateway on no link of that instance"


def test_a_leak_that_is_missing_one_way_is_found() -> None:
    survey = leaks(LEAKING[0])
    assert survey.path("h1", "h2").works == "no"
    first = survey.diagnose("h1", "h2").causes[0]
    assert (first.option.finding.kind, first.certainty) == ("leak-one-way", "proven")
    assert "none to 10.64.10.0/24 back" in first.option.finding.summary
    assert survey.rehearse(first.option.edits).anew.path("h2", "h1").works == "yes"
    other = leaks(LEAKING[1]).diagnose("h2", "h1").causes[0]
    assert other.option.finding.device == "mid/RED"
    assert leaks(LEAKING[1]).rehearse(other.option.edits).anew.path("h1", "h2").works == "yes"
