"""An older survey says who was there first; alone it proves nothing."""

from __future__ import annotations

import json

import pytest
from surveys import compute, frr, wired

from trochos.core.network.edits import TextEdit


def host(address: str, gateway: str) -> dict[str, str]:
    ip, length = address.split("/")
    entry = {"family": "inet", "local": ip, "prefixlen": int(length), "scope": "global"}
    port = {"ifname": "eth0", "operstate": "UP", "mtu": 1500, "flags": ["UP", "LOWER_UP"]}
    route = [{"dst": "default", "gateway": gateway, "dev": "eth0"}]
    return {
        "ip-addr.json": json.dumps([{**port, "addr_info": [entry]}]),
        "ip-route.json": json.dumps(route),
    }


def ospf(key: str) -> str:
    return (
        "router ospf\n ospf router-id {id}\n network 10.64.0.0/16 area 0\nexit\n"
        "interface ge1\n ip ospf authentication message-digest\n"
        f" ip ospf message-digest-key 1 md5 {key}\nexit"
    )


def pair(left: str, right: str, title: str) -> dict[str, str]:
    """Two routers with a key each, and a host behind each."""
    ends = {
        "ant": frr(
            "ant",
            {"ge1": "10.64.0.1/30", "ge2": "10.64.1.1/24"},
            ospf(left).replace("{id}", "10.64.0.1"),
        ),
        "bee": frr(
            "bee",
            {"ge1": "10.64.0.2/30", "ge2": "10.64.2.1/24"},
            ospf(right).replace("{id}", "10.64.0.2"),
        ),
    }
    out = {
        "topology.json": wired(
            ("ant", "ge1", "bee", "ge1"), ("h1", "eth0", "ant", "ge2"), ("h2", "eth0", "bee", "ge2")
        ),
        "survey.json": json.dumps({"title": title, "taken_at": "2026-05-04T06:30:00Z"}),
    }
    out |= {f"devices/{name}/frr.conf": text for name, text in ends.items()}
    for name, files in (
        ("h1", host("10.64.1.9/24", "10.64.1.1")),
        ("h2", host("10.64.2.9/24", "10.64.2.1")),
    ):
        out |= {f"devices/{name}/{file}": text for file, text in files.items()}
    return out


@pytest.mark.parametrize("changed", ["ant", "bee"])
def test_of_two_keys_the_one_that_changed_is_the_odd_one(changed: str) -> None:
    before = compute(pair("lantern", "lantern", "Before the season"))
    assert before.path("h1", "h2").works == "yes"
    keys = ("other", "lantern") if changed == "ant" else ("lantern", "other")
    now = compute(pair(*keys, "Now"))
    found = now.diagnose("h1", "h2", before=before)
    first = found.causes[0]
    assert first.certainty == "proven"
    assert {edit.device for edit in first.option.remedy.edits} == {changed}
    assert first.before == 'It stood so in the survey before, "Before the season" of 2026-05-04.'
    assert first.as_json(1)["before"] == first.before
    # Without it nothing is said of before.
    assert now.diagnose("h1", "h2").causes[0].before is None


def test_what_did_not_change_is_said_of_what_stood_before() -> None:
    survey = compute(pair("lantern", "other", "Now"))
    found = survey.diagnose("h1", "h2", before=survey)
    assert found.causes[0].certainty == "proven"
    assert "stood there already" in (found.causes[0].before or "")


def test_an_older_survey_of_other_devices_says_nothing() -> None:
    survey = compute(pair("lantern", "other", "Now"))
    other = compute({"devices/cat/frr.conf": frr("cat", {"ge1": "10.64.9.1/24"})})
    found = survey.diagnose("h1", "h2", before=other)
    assert found.causes[0].certainty == "proven"
    assert found.causes[0].before is None
    assert all(isinstance(edit, TextEdit) for edit in found.causes[0].option.remedy.edits)


def lan(first: str, third: str, title: str) -> dict[str, str]:
    out = {
        "topology.json": json.dumps(
            {
                "ietf-network:networks": {
                    "network": [
                        {
                            "network-id": "x",
                            "node": [{"node-id": n} for n in ("ant", "h1", "h3", "h2", "lan")],
                            "ietf-network-topology:link": [
                                {
                                    "link-id": f"{a}-{b}",
                                    "source": {"source-node": a, "source-tp": p},
                                    "destination": {"dest-node": b, "dest-tp": q},
                                }
                                for a, p, b, q in (
                                    ("ant", "ge2", "lan", "1"),
                                    ("h1", "eth0", "lan", "2"),
                                    ("h3", "eth0", "lan", "3"),
                                    ("h2", "eth0", "ant", "ge1"),
                                )
                            ],
                        }
                    ]
                }
            }
        ),
        "survey.json": json.dumps({"title": title, "taken_at": "2026-05-04T06:30:00Z"}),
    }
    out["devices/ant/frr.conf"] = frr("ant", {"ge1": "10.64.2.1/24", "ge2": "10.64.1.1/24"})
    for name, files in (
        ("h1", host(f"{first}/24", "10.64.1.1")),
        ("h3", host(f"{third}/24", "10.64.1.1")),
        ("h2", host("10.64.2.9/24", "10.64.2.1")),
    ):
        out |= {f"devices/{name}/{file}": text for file, text in files.items()}
    return out


@pytest.mark.parametrize("newcomer", ["h1", "h3"])
def test_of_two_with_one_address_the_older_one_keeps_it(newcomer: str) -> None:
    before = compute(
        lan(
            "10.64.1.7" if newcomer == "h1" else "10.64.1.9",
            "10.64.1.8" if newcomer == "h3" else "10.64.1.9",
            "Before",
        )
    )
    now = compute(lan("10.64.1.9", "10.64.1.9", "Now"))
    stays = "h3" if newcomer == "h1" else "h1"
    found = now.diagnose("h2", stays, before=before)
    assert found.causes, found.says
    first = found.causes[0].option.remedy
    assert {edit.device for edit in first.edits} == {newcomer}
    old = "10.64.1.7" if newcomer == "h1" else "10.64.1.8"
    assert first.title == f'On {newcomer}: put back "{old}", as it was before.'
