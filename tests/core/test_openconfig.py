"""OpenConfig data as input: the same facts, tables and causes as from another format."""

from __future__ import annotations

import base64
import json
import re
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import pytest
from openconfig import survey_as_openconfig
from surveys import GATHERED, KEY, ROOT, compute, frr, wired

from trochos.core.change.apply import apply
from trochos.core.change.gnmi import path_text
from trochos.core.change.handover import hand_over
from trochos.core.forwarding.traffic import Traffic
from trochos.core.network.edits import DataEdit
from trochos.core.survey import Computed
from trochos.local import read_folder
from trochos.server.surveys.modules import problem_with

CASES = Path(__file__).parents[1] / "cases"
NAMES = sorted(p.name for p in CASES.iterdir() if p.is_dir())


def bare_files(folder: Path) -> dict[str, bytes]:
    files = read_folder(folder)
    routers = {path.rsplit("/", 1)[0] for path in files if path.endswith("/frr.conf")}
    return {
        path: data
        for path, data in files.items()
        if not (path.rsplit("/", 1)[0] in routers and GATHERED.match(path.rsplit("/", 1)[1]))
    }


def tables(survey: Computed) -> dict[str, object]:
    return {
        f"{device.name} {family}": sorted(
            (
                str(r.prefix),
                r.protocol,
                str(r.type),
                r.distance,
                str(r.metric),
                r.selected,
                str(r.next_hops),
                str(r.via),
            )
            for r in survey.tables.of(device.name, family).everything()
        )
        for device in survey.network.devices
        for family in (4, 6)
    }


@pytest.mark.thorough
@pytest.mark.parametrize("name", NAMES)
def test_a_captured_network_written_anew_gives_the_same_answers(name: str) -> None:
    files = bare_files(CASES / name / "survey")
    text = Computed.from_files(files, KEY)
    written, done = survey_as_openconfig(text, files)
    if not done:
        pytest.skip("the models cannot say what these routers are configured to do")
    data = Computed.from_files(written, KEY)
    assert tables(data) == tables(text)
    assert [p.as_json() for p in data.reach.pairs()] == [p.as_json() for p in text.reach.pairs()]
    for report in data.survey.reading:
        if report.device in done and report.file == "openconfig.json":
            assert report.kind == "OpenConfig data"
            assert not report.unknown
    for device in done:
        data_of = json.loads(written[f"devices/{device}/openconfig.json"])
        assert problem_with(data_of) is None


FAULTY = [
    "dale-01", "dale-05", "loom-01", "loom-05", "loom-08", "trio-01", "trio-05",
    "trio-08", "trio-10", "trio-11", "trio-13", "trio-20",
    "karst-01", "karst-03", "karst-08",
]  # fmt: skip


@pytest.mark.thorough
@pytest.mark.parametrize("name", FAULTY)
def test_a_fault_is_found_and_mended_in_openconfig(name: str) -> None:
    answer = json.loads((CASES / name / "truth" / "answer.json").read_text())
    fault = answer["fault"]
    files = bare_files(CASES / name / "survey")
    written, done = survey_as_openconfig(Computed.from_files(files, KEY), files)
    assert {fault["device"], fault.get("peer")} & set(done)
    survey = Computed.from_files(written, KEY)
    sender, receiver = fault["broken_pairs"][0]
    found = survey.diagnose(sender, receiver)
    first = found.causes[0]
    assert first.certainty == "proven"
    edits = first.option.remedy.edits
    named = {first.option.finding.device, *(edit.device for edit in edits)}
    assert named & {fault["device"], fault.get("peer")}
    healed = Computed(apply(survey.survey, edits).survey)
    assert healed.path(sender, receiver).as_json()["works"] == "yes"
    for part in hand_over(survey.survey, edits, (), problem_with):
        assert part.problem is None, part.problem
    for edit in edits:
        if isinstance(edit, DataEdit):
            assert problem_with(json.loads(healed.survey.files[edit.device][edit.file])) is None


def test_the_demo_speaks_it_as_its_models_allow() -> None:
    for name in ("healthy", "broken"):
        for device in ("berth", "teal"):
            path = ROOT / "demo" / name / "devices" / device / "openconfig.json"
            assert problem_with(json.loads(path.read_text())) is None


@pytest.mark.parametrize(
    ("place", "value", "said"),
    [
        ("config/mtu", 70000, "70000"),
        ("config/mtu", "large", "'large'"),
        ("config/type", "iana-if-type:ferry", "ferry"),
        ("config/no-such-leaf", 1, "no-such-leaf"),
        ("subinterfaces/subinterface", [{"config": {"index": 0}}], "index"),
    ],
)
def test_what_the_models_do_not_allow_is_not_handed_over(
    place: str, value: object, said: str
) -> None:
    survey = both({"devices/ant/config.json": json.dumps(ANT)})
    path = f"/openconfig-interfaces:interfaces/interface[name='ge1']/{place}"
    edit = DataEdit("ant", "config.json", path, None, value)
    for part in hand_over(survey.survey, [edit], (), problem_with):
        assert part.apply == part.back == ""
        assert "ant would not take this" in (part.problem or "") and said in (part.problem or "")


# -- small networks in every form ---------------------------------------------------------------


def port(name: str, address: str, **more: Any) -> dict[str, Any]:
    ip, length = address.split("/")
    entry = {"ip": ip, "config": {"ip": ip, "prefix-length": int(length)}}
    family = "ipv6" if ":" in ip else "ipv4"
    below = {
        "index": 0,
        "config": {"index": 0},
        f"openconfig-if-ip:{family}": {"addresses": {"address": [entry]}},
    }
    return {
        "name": name,
        "config": {"name": name, "type": "iana-if-type:ethernetCsmacd", **more},
        "subinterfaces": {"subinterface": [below]},
    }


def instance(*protocols: dict[str, Any], name: str = "default", **more: Any) -> dict[str, Any]:
    kind = "DEFAULT_INSTANCE" if name == "default" else "L3VRF"
    return {
        "name": name,
        "config": {"name": name, "type": f"openconfig-network-instance-types:{kind}"},
        "protocols": {"protocol": list(protocols)},
        **more,
    }


def statics(*routes: tuple[str, str]) -> dict[str, Any]:
    keys = {"identifier": "openconfig-policy-types:STATIC", "name": "static"}
    return {
        **keys,
        "config": keys,
        "static-routes": {
            "static": [
                {
                    "prefix": prefix,
                    "config": {"prefix": prefix},
                    "next-hops": {
                        "next-hop": [{"index": "1", "config": {"index": "1", "next-hop": hop}}]
                    },
                }
                for prefix, hop in routes
            ]
        },
    }


def whole(ports: list[dict[str, Any]], *instances: dict[str, Any]) -> dict[str, Any]:
    return {
        "openconfig-interfaces:interfaces": {"interface": ports},
        "openconfig-network-instance:network-instances": {"network-instance": list(instances)},
    }


ANT = whole(
    [port("ge1", "10.64.0.1/30"), port("ge2", "10.64.1.1/24")],
    instance(statics(("10.64.2.0/24", "10.64.0.2"))),
)
BEE = frr("bee", {"ge1": "10.64.0.2/30", "ge2": "10.64.2.1/24"}, "ip route 10.64.1.0/24 10.64.0.1")
LINK = wired(("ant", "ge1", "bee", "ge1"))


def both(files: dict[str, str]) -> Computed:
    return compute({"topology.json": LINK, "devices/bee/frr.conf": BEE, **files})


def works(survey: Computed) -> str:
    return str(survey.path("ant:ge2", "10.64.2.1").as_json()["works"])


def as_gnmi(data: dict[str, Any], encode: bool = False) -> str:
    """The same data as the answer to a Get of each top container."""
    updates = []
    for key, value in data.items():
        held: Any = value
        if encode:
            held = {"jsonIetfVal": base64.b64encode(json.dumps(value).encode()).decode()}
        path: Any = {"elem": [{"name": key.rpartition(":")[2]}]} if encode else key
        updates.append({"path": path, "val": held})
    return json.dumps({"notification": [{"timestamp": 1, "update": updates}]})


def as_xml(data: dict[str, Any]) -> str:
    from trochos.core.change.elements import elements

    lines = [line for key, value in data.items() for line in elements(key, value)]
    head = '<data xmlns="urn:ietf:params:xml:ns:netconf:base:1.0">'
    return "\n".join([head, *lines, "</data>"])


FORMS = {
    "plain": lambda: {"devices/ant/config.json": json.dumps(ANT)},
    "answers of gNMI": lambda: {"devices/ant/get.json": as_gnmi(ANT)},
    "answers of gNMI as they are sent": lambda: {"devices/ant/get.json": as_gnmi(ANT, True)},
    "XML": lambda: {"devices/ant/config.xml": as_xml(ANT)},
    "a file of each path": lambda: {
        f"devices/ant/{number}.json": json.dumps({key: value})
        for number, (key, value) in enumerate(ANT.items())
    },
    "an instance file": lambda: {
        "devices/ant/config.json": json.dumps(
            {"ietf-yang-instance-data:instance-data-set": {"name": "ant", "content-data": ANT}}
        )
    },
}


@pytest.mark.parametrize("form", FORMS)
def test_every_form_gives_the_same_device(form: str) -> None:
    survey = both(FORMS[form]())
    assert works(survey) == "yes"
    assert [r for r in survey.survey.reading if r.unknown] == []
    route = survey.tables.of("ant", 4).everything()
    assert any(r.protocol == "static" and r.selected for r in route)


def test_two_files_that_contradict_each_other_are_not_certain() -> None:
    other = json.loads(json.dumps(ANT))
    hop = other["openconfig-network-instance:network-instances"]["network-instance"][0]["protocols"]
    hop["protocol"][0]["static-routes"]["static"][0]["next-hops"]["next-hop"][0]["config"][
        "next-hop"
    ] = "10.64.0.9"
    survey = both({"devices/ant/a.json": json.dumps(ANT), "devices/ant/b.json": json.dumps(other)})
    assert works(survey) == "unknown"
    notes = [r.note for r in survey.survey.reading if r.note]
    assert any("differ" in note for note in notes)


def test_an_interface_that_is_down_and_one_that_is_off() -> None:
    off = json.loads(json.dumps(ANT))
    off["openconfig-interfaces:interfaces"]["interface"][0]["config"]["enabled"] = False
    survey = both({"devices/ant/config.json": json.dumps(off)})
    cause = survey.diagnose("ant:ge2", "10.64.2.1").causes[0]
    assert cause.option.finding.kind == "interface-shut"
    assert cause.works


def test_what_a_maker_adds_is_reported_and_never_fatal() -> None:
    data = json.loads(json.dumps(ANT))
    protocol = data["openconfig-network-instance:network-instances"]["network-instance"][0]
    protocol["protocols"]["protocol"].append(
        {
            "identifier": "vendor-things:MAGIC",
            "name": "magic",
            "config": {"identifier": "vendor-things:MAGIC", "name": "magic"},
        }
    )
    data["vendor-things:more"] = {"speed": 9}
    survey = both({"devices/ant/config.json": json.dumps(data, indent=1)})
    report = next(r for r in survey.survey.reading if r.device == "ant")
    assert any('"speed": 9' in line.text for line in report.unknown)
    device = survey.network.device("ant")
    assert device is not None
    assert any("MAGIC runs here" in item.why for item in device.unmodelled)


def test_vlans_of_subinterfaces_and_of_switched_ports() -> None:
    """A router with a tagged subinterface, behind a switch whose ports and routed VLAN are said in
    the models as well."""
    tagged = {
        "index": 30,
        "config": {"index": 30},
        "openconfig-vlan:vlan": {"config": {"vlan-id": 30}},
        "openconfig-if-ip:ipv4": {
            "addresses": {
                "address": [
                    {"ip": "10.64.30.1", "config": {"ip": "10.64.30.1", "prefix-length": 24}}
                ]
            }
        },
    }
    router = whole(
        [
            {
                "name": "ge1",
                "config": {"name": "ge1", "type": "iana-if-type:ethernetCsmacd"},
                "subinterfaces": {"subinterface": [{"index": 0, "config": {"index": 0}}, tagged]},
            }
        ],
        instance(),
    )

    def switch(mode: dict[str, Any], name: str) -> dict[str, Any]:
        return {
            "name": name,
            "config": {"name": name, "type": "iana-if-type:ethernetCsmacd"},
            "openconfig-if-ethernet:ethernet": {"openconfig-vlan:switched-vlan": {"config": mode}},
        }

    def network(vlans: list[Any]) -> Computed:
        middle = whole(
            [
                switch({"interface-mode": "TRUNK", "trunk-vlans": vlans}, "p1"),
                {
                    "name": "vlan30",
                    "config": {"name": "vlan30", "type": "iana-if-type:l3ipvlan"},
                    "openconfig-vlan:routed-vlan": {
                        "config": {"vlan": 30},
                        "openconfig-if-ip:ipv4": {
                            "addresses": {
                                "address": [
                                    {
                                        "ip": "10.64.30.2",
                                        "config": {"ip": "10.64.30.2", "prefix-length": 24},
                                    }
                                ]
                            }
                        },
                    },
                },
            ],
            instance(),
        )
        return compute(
            {
                "topology.json": wired(("ant", "ge1", "sea", "p1")),
                "devices/ant/config.json": json.dumps(router),
                "devices/sea/config.json": json.dumps(middle),
            }
        )

    assert network(["20..40"]).path("ant", "10.64.30.2").as_json()["works"] == "yes"
    cut = network([20, 40]).path("ant", "10.64.30.2").as_json()
    assert cut["works"] == "no"


def test_instances_tunnels_lists_and_neighbours_on_the_link() -> None:
    ports = [port("ge1", "10.64.0.1/30"), port("ge2", "10.64.1.1/24")]
    ports.append(
        {
            "name": "tun1",
            "config": {"name": "tun1", "type": "openconfig-if-types:IF_TUNNEL_GRE4_INTERFACE"},
            "openconfig-if-tunnel:tunnel": {
                "config": {"src": "10.64.0.1", "dst": "10.64.0.2", "ttl": 64},
                "ipv4": {
                    "addresses": {
                        "address": [
                            {
                                "ip": "10.64.9.1",
                                "config": {"ip": "10.64.9.1", "prefix-length": 30},
                            }
                        ]
                    }
                },
            },
        }
    )
    red = {
        "interfaces": {
            "interface": [
                {"id": "ge2", "config": {"id": "ge2", "interface": "ge2", "subinterface": 0}}
            ]
        }
    }
    data = whole(ports, instance(), instance(name="red", **red))
    tcp = {"config": {"protocol": "openconfig-packet-match-types:IP_TCP"}}
    data["openconfig-acl:acl"] = {
        "acl-sets": {
            "acl-set": [
                {
                    "name": "guard",
                    "type": "openconfig-acl:ACL_IPV4",
                    "config": {"name": "guard", "type": "openconfig-acl:ACL_IPV4"},
                    "acl-entries": {
                        "acl-entry": [
                            {
                                "sequence-id": 10,
                                "config": {"sequence-id": 10},
                                "ipv4": tcp,
                                "transport": {"config": {"destination-port": 22}},
                                "actions": {"config": {"forwarding-action": "openconfig-acl:DROP"}},
                            },
                            {
                                "sequence-id": 20,
                                "config": {"sequence-id": 20},
                                "actions": {
                                    "config": {"forwarding-action": "openconfig-acl:ACCEPT"}
                                },
                            },
                        ]
                    },
                }
            ]
        },
        "interfaces": {
            "interface": [
                {
                    "id": "ge1",
                    "config": {"id": "ge1"},
                    "interface-ref": {"config": {"interface": "ge1", "subinterface": 0}},
                    "ingress-acl-sets": {
                        "ingress-acl-set": [
                            {
                                "set-name": "guard",
                                "type": "openconfig-acl:ACL_IPV4",
                                "config": {"set-name": "guard", "type": "openconfig-acl:ACL_IPV4"},
                            }
                        ]
                    },
                }
            ]
        },
    }
    data["openconfig-lldp:lldp"] = {
        "interfaces": {
            "interface": [
                {
                    "name": "ge1",
                    "neighbors": {
                        "neighbor": [{"id": "1", "state": {"system-name": "bee", "port-id": "ge1"}}]
                    },
                }
            ]
        }
    }
    survey = compute(
        {"devices/ant/config.json": json.dumps(data, indent=1), "devices/bee/frr.conf": BEE}
    )
    names = {d.name for d in survey.network.devices}
    assert "ant/red" in names
    ant = survey.network.device("ant")
    assert ant is not None
    tunnel = ant.interface("tun1")
    assert tunnel is not None and tunnel.tunnel is not None and tunnel.tunnel.mode == "gre"
    assert [(h.system, h.port) for h in ant.heard] == [("bee", "ge1")]
    ping = survey.path("bee", "10.64.0.1").as_json()
    assert ping["works"] == "yes"
    shell = survey.path("bee", "10.64.0.1", Traffic(protocol="tcp", port=22)).as_json()
    assert shell["outbound"]["verdict"] == "filtered"  # type: ignore[index]
    assert not [r for r in survey.survey.reading if r.unknown]


def test_keys_are_masked_and_compared() -> None:
    def speaker(name: str, number: int, peer: int, address: str, there: str, secret: str) -> str:
        keys = {"identifier": "openconfig-policy-types:BGP", "name": "bgp"}
        family = "openconfig-bgp-types:IPV4_UNICAST"
        bgp = {
            **keys,
            "config": keys,
            "bgp": {
                "global": {"config": {"as": number, "router-id": address.split("/")[0]}},
                "neighbors": {
                    "neighbor": [
                        {
                            "neighbor-address": there,
                            "config": {
                                "neighbor-address": there,
                                "peer-as": peer,
                                "auth-password": secret,
                            },
                            "apply-policy": {
                                "config": {
                                    "default-import-policy": "ACCEPT_ROUTE",
                                    "default-export-policy": "ACCEPT_ROUTE",
                                }
                            },
                            "afi-safis": {
                                "afi-safi": [
                                    {
                                        "afi-safi-name": family,
                                        "config": {"afi-safi-name": family, "enabled": True},
                                    }
                                ]
                            },
                        }
                    ]
                },
            },
        }
        return json.dumps(whole([port("ge1", address)], instance(bgp)), indent=1)

    def network(secret: str) -> Computed:
        return compute(
            {
                "topology.json": LINK,
                "devices/ant/config.json": speaker(
                    "ant", 65536, 65537, "10.64.0.1/30", "10.64.0.2", "narrow-channel"
                ),
                "devices/bee/config.json": speaker(
                    "bee", 65537, 65536, "10.64.0.2/30", "10.64.0.1", secret
                ),
            }
        )

    same, other = network("narrow-channel"), network("wide-channel")
    assert "channel" not in json.dumps(same.survey.files)
    for survey, expected in ((same, True), (other, False)):
        (pair,) = survey.neighbours_json()["pairs"]
        assert pair["works"] is expected
        assert pair["first_failing"] == (None if expected else "password")


# -- handed over --------------------------------------------------------------------------------


@pytest.mark.thorough
@pytest.mark.parametrize("name", ["dale-01", "loom-01", "trio-01", "karst-01"])
def test_a_remedy_is_handed_over_in_both_protocols_forth_and_back(name: str) -> None:
    fault = json.loads((CASES / name / "truth" / "answer.json").read_text())["fault"]
    files = bare_files(CASES / name / "survey")
    written, done = survey_as_openconfig(Computed.from_files(files, KEY), files)
    survey = Computed.from_files(written, KEY)
    sender, receiver = fault["broken_pairs"][0]
    edits = survey.diagnose(sender, receiver).causes[0].option.remedy.edits
    parts = {part.language: part for part in hand_over(survey.survey, edits)}
    if not any(edit.device in done for edit in edits):
        pytest.skip("the cause is on a router that the models cannot say")
    assert parts.keys() == {"NETCONF edit", "gNMI Set"}
    edit = parts["NETCONF edit"]
    assert "http://openconfig.net/yang/" in edit.apply
    for text in (edit.apply, edit.back):
        assert not re.search(r"</?\d+>", text), "a place in a list has no name"
        ElementTree.fromstring(text)
    for text in (parts["gNMI Set"].apply, parts["gNMI Set"].back):
        said = json.loads(text)
        assert said.pop("encoding") == "JSON_IETF"
        assert said and said.keys() <= {"delete", "replace", "update"}
        paths = [
            *said.get("delete", []),
            *(e["path"] for k in ("replace", "update") for e in said.get(k, [])),
        ]
        assert all(path.startswith("/openconfig-") and "'" not in path for path in paths)
        assert not any(path.rpartition("/")[2].isdigit() for path in paths)


def test_keys_with_brackets_are_escaped() -> None:
    assert path_text("/a:b/c[name='x]y\\z'][id='0/1']") == r"/a:b/c[name=x\]y\\z][id=0/1]"
