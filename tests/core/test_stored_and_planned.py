"""What runs against what is stored, what is drawn against what is there, probes, and times."""

from __future__ import annotations

import json

import pytest

from .test_reality import FRONT, survey, table

PRINTED = "Building configuration...\n\nCurrent configuration:\n!\n" + FRONT + "end\n"


def kinds(made) -> dict[str, str]:  # type: ignore[no-untyped-def]
    return {f.kind: f.summary for f in made.findings}


def test_a_stored_text_is_compared_and_not_computed() -> None:
    old = FRONT.replace("10.64.7.0/24", "10.64.8.0/24")
    made = survey(table(), **{"devices/front/frr.conf": PRINTED, "devices/front/stored.conf": old})
    assert [str(s.prefix) for s in made.network.device("front").statics] == ["10.64.7.0/24"]
    finding = next(f for f in made.findings if f.kind == "not-stored")
    assert finding.severity == "risks"
    assert [(e.file, e.line, e.text) for e in finding.evidence] == [
        ("frr.conf", 7, "ip route 10.64.7.0/24 10.64.9.2"),
        ("stored.conf", 3, "ip route 10.64.8.0/24 10.64.9.2"),
    ]
    kinds_read = {r.file: r.kind for r in made.survey.reading if r.device == "front"}
    assert kinds_read["stored.conf"] == "stored configuration"


def test_a_text_copied_out_of_a_session_is_read_whole() -> None:
    session = "front# show running-config\n" + PRINTED + "front# exit\n"
    made = survey(table(), **{"devices/front/frr.conf": session})
    report = next(r for r in made.survey.reading if (r.device, r.file) == ("front", "frr.conf"))
    assert not report.unknown
    assert made.path("front", "10.64.7.1").works == "yes"


def test_stored_as_it_runs_is_no_finding_whatever_the_order_of_sections() -> None:
    lines = FRONT.split("interface eth1")
    second = f"interface eth1\n {lines[1].strip()}\n!\ninterface eth0"
    turned = lines[0].replace("interface eth0", second)
    made = survey(
        table(), **{"devices/front/frr.conf": PRINTED, "devices/front/stored.conf": turned}
    )
    assert "not-stored" not in kinds(made)
    assert len(made.network.device("front").interfaces) == 2


def yang(address: str, datastore: str | None) -> str:
    data = {
        "ietf-interfaces:interfaces": {
            "interface": [
                {
                    "name": "ge0",
                    "type": "iana-if-type:ethernetCsmacd",
                    "ietf-ip:ipv4": {"address": [{"ip": address, "prefix-length": 24}]},
                }
            ]
        }
    }
    if datastore is None:
        return json.dumps(data, indent=1)
    whole = {"name": "x", "datastore": f"ietf-datastores:{datastore}", "content-data": data}
    return json.dumps({"ietf-yang-instance-data:instance-data-set": whole}, indent=1)


@pytest.mark.parametrize(("address", "found"), [("10.64.5.1", False), ("10.64.5.9", True)])
def test_a_startup_datastore_is_compared_value_by_value(address: str, found: bool) -> None:
    made = survey(
        table(),
        **{
            "devices/quay/running.json": yang("10.64.5.1", None),
            "devices/quay/startup.json": yang(address, "startup"),
        },
    )
    quay = made.network.device("quay")
    assert [str(f.value) for i in quay.interfaces for f in i.addresses] == ["10.64.5.1/24"]
    assert ("not-stored" in kinds(made)) is found
    if found:
        finding = next(f for f in made.findings if f.kind == "not-stored")
        quoted = {(e.file, e.text) for e in finding.evidence if '"ip"' in e.text}
        assert {file for file, _ in quoted} == {"running.json", "startup.json"}


def drawing(address: str) -> str:
    point = "ietf-l3-unicast-topology:l3-termination-point-attributes"
    return json.dumps(
        {
            "ietf-network:networks": {
                "network": [
                    {
                        "network-id": "plan",
                        "node": [
                            {
                                "node-id": "front",
                                "ietf-network-topology:termination-point": [
                                    {"tp-id": "eth1", point: {"ip-address": [address]}}
                                ],
                            },
                            {"node-id": "back"},
                        ],
                        "ietf-network-topology:link": [
                            {
                                "link-id": "one",
                                "source": {"source-node": "front", "source-tp": "eth0"},
                                "destination": {"dest-node": "back", "dest-tp": "eth0"},
                            }
                        ],
                    }
                ]
            }
        },
        indent=1,
    )


def test_an_address_that_is_not_as_planned_is_said_with_both_lines() -> None:
    made = survey(table(), **{"topology.json": drawing("10.64.1.254")})
    finding = next(f for f in made.findings if f.kind == "plan-differs")
    assert "front eth1 the address 10.64.1.254, and it has 10.64.1.1/24" in finding.summary
    assert [e.file for e in finding.evidence] == ["topology.json", "frr.conf"]
    assert "10.64.1.254" in finding.evidence[0].text
    elsewhere = survey(table(), **{"topology.json": drawing("10.64.9.1")})
    assert "it stands on eth0" in kinds(elsewhere)["plan-differs"]
    assert "plan-differs" not in kinds(survey(table(), **{"topology.json": drawing("10.64.1.1")}))


def probe(target: str, received: int, **more: object) -> str:
    entry = {"target": target, "sent": 3, "received": received, "hops": None, **more}
    return json.dumps({"trochos-probes:probes": [entry]}, indent=1)


def test_a_probe_that_saw_something_else_is_a_finding_and_changes_nothing() -> None:
    good = survey(table(), **{"devices/front/probes.json": probe("10.64.7.1", 3)})
    bad = survey(table(), **{"devices/front/probes.json": probe("10.64.7.1", 0)})
    assert "probe-disagrees" not in kinds(good)
    assert "although the survey says otherwise" in kinds(bad)["probe-disagrees"]
    assert good.path("front", "10.64.7.1").works == bad.path("front", "10.64.7.1").works == "yes"
    unread = survey(table(), **{"devices/front/probes.json": probe("nowhere", 3)})
    report = next(r for r in unread.survey.reading if r.file == "probes.json")
    assert report.unknown and not any(line.matters for line in report.unknown)


def gathered(began: str, ended: str) -> str:
    return json.dumps({"trochos-gathering:device": {"started": began, "ended": ended}})


@pytest.mark.parametrize(("minute", "found"), [("33", False), ("52", True)])
def test_devices_read_minutes_apart_are_said(minute: str, found: bool) -> None:
    made = survey(
        table(),
        **{
            "devices/front/gathering.json": gathered(
                "2026-05-04T06:30:00Z", "2026-05-04T06:30:09Z"
            ),
            "devices/back/gathering.json": gathered(
                f"2026-05-04T06:{minute}:00Z", f"2026-05-04T06:{minute}:20Z"
            ),
        },
    )
    assert ("read-apart" in kinds(made)) is found
    if found:
        assert kinds(made)["read-apart"] == "front was read 22 minutes before back was."
