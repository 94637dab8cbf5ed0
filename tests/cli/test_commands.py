"""The command line to the letter of the contract: documents, exit codes, sentences."""

from __future__ import annotations

import io
import json
import shutil
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest
from surveys import ROOT

from trochos.cli.main import main

from .calls import Call

HEALTHY, BROKEN = str(ROOT / "demo/healthy"), str(ROOT / "demo/broken")
ROUTE = {
    "prefix",
    "protocol",
    "type",
    "distance",
    "metric",
    "selected",
    "next_hops",
    "via",
    "because",
    "lost_to",
    "why",
}


def test_routes(call: Call) -> None:
    status, document = call.json("routes", BROKEN)
    assert status == 0
    assert set(document) == {"devices"}
    for families in document["devices"].values():
        assert set(families) == {"ipv4", "ipv6"}
        for routes in families.values():
            assert all(set(route) == ROUTE and route["selected"] for route in routes)
            assert len({route["prefix"] for route in routes}) == len(routes)
    tern = {r["prefix"]: r for r in document["devices"]["tern"]["ipv4"]}
    assert tern["10.64.40.0/24"]["next_hops"] == [
        {"action": "forward", "address": "10.64.0.5", "interface": "eth0", "weight": 1},
        {"action": "forward", "address": None, "interface": "eth2", "weight": 1},
    ]
    assert tern["10.64.40.0/24"]["because"][1] == {
        "device": "tern",
        "file": "frr.conf",
        "line": 13,
        "text": "ip route 10.64.40.0/24 eth2",
    }
    _, everything = call.json("routes", BROKEN, "--all", "--device", "tern")
    assert list(everything["devices"]) == ["tern"]
    losers = [r for r in everything["devices"]["tern"]["ipv4"] if not r["selected"]]
    assert losers and all(r["why"] for r in losers)


def test_why_ends_at_a_line_or_at_a_missing_one(call: Call) -> None:
    _, document = call.json("routes", BROKEN, "--why", "10.64.40.0/24")
    by_device = {item["device"]: item for item in document["why"]}
    assert by_device["heron"]["present"] and not by_device["yard"]["present"]
    assert [step["device"] for step in by_device["mole"]["chain"]] != []
    last = by_device["yard"]["chain"][-1]
    assert last["says"].startswith("Nothing on yard configures 10.64.40.0/24")
    assert last["evidence"][0]["missing"] is True and last["evidence"][0]["line"] is None
    assert by_device["heron"]["chain"][0]["device"] == "berth"


def test_path(call: Call) -> None:
    status, document = call.json("path", BROKEN, "bridge-tablet", "yard-scale")
    assert status == 1
    assert document["works"] == "no" and document["family"] == "ipv4"
    assert document["from"] == {"device": "bridge-tablet", "address": "10.64.40.33"}
    assert document["outbound"]["verdict"] == "delivered"
    assert document["return"]["verdict"] == "no-route"
    hops = document["outbound"]["branches"][0]["hops"]
    assert [hop["device"] for hop in hops] == [
        "bridge-tablet",
        "berth",
        "heron",
        "mole",
        "yard",
        "yard-scale",
    ]
    assert set(hops[0]) == {"device", "in", "route", "out", "next_hop", "actions", "mtu", "reason"}
    assert hops[-1]["route"]["next_hops"][0]["action"] == "deliver"
    status, document = call.json("path", BROKEN, "tern-kiosk", "booking-db")
    assert (status, document["works"]) == (0, "yes")


def test_who_listens_is_said_not_to_be_known_where_nobody_gathered_it(call: Call) -> None:
    asked = ("path", HEALTHY, "planning-desk", "card-clearing")
    _, plain = call.json(*asked)
    assert plain["caveats"] == []
    _, ported = call.json(*asked, "--protocol", "tcp", "--port", "443")
    (caveat,) = ported["caveats"]
    assert (caveat["device"], caveat["text"]) == ("card-clearing", "tcp 443")
    assert "nobody gathered it" in caveat["why"]


def test_both_families_are_tried_and_the_worse_is_the_answer(call: Call) -> None:
    status, document = call.json("path", BROKEN, "tern-camera", "booking-db")
    assert status == 1
    assert (document["family"], document["works"]) == ("ipv6", "no")
    assert (document["also"]["family"], document["also"]["works"]) == ("ipv4", "yes")


@pytest.mark.parametrize(
    ("sender", "receiver", "device", "address"),
    [
        ("gull", "10.64.64.0/24", "planning-desk", "10.64.64.23"),
        ("10.64.20.31", "booking-db", "booking-db", "10.64.65.10"),
        ("heron:ge4", "fd00:64:65::10", None, None),
        ("gull", "office:ge3", "office", "10.64.65.1"),
        ("gull", "198.51.100.7", None, "198.51.100.7"),
        ("gull", "mole", "mole", "10.64.255.2"),
    ],
)
def test_ends_can_be_named_in_every_way(
    call: Call, sender: str, receiver: str, device: str | None, address: str | None
) -> None:
    if address is None:
        status, _, err = call("path", HEALTHY, sender, receiver)
        assert status == 2 and "no address family in common" in err
        return
    _, document = call.json("path", HEALTHY, sender, receiver)
    assert document["to"] == {"device": device, "address": address}
    assert (document["return"] is None) == (device is None)


def test_reach(call: Call) -> None:
    status, document = call.json("reach", BROKEN)
    assert status == 0
    assert set(document["pairs"][0]) == {
        "from",
        "source",
        "to",
        "device",
        "outbound",
        "return",
        "ok",
    }
    keys = [(p["from"], p["source"], p["to"], p["device"]) for p in document["pairs"]]
    assert len(set(keys)) == len(keys)
    _, summary = call.json("reach", BROKEN, "--summary")
    assert summary["pairs"] == len(keys)
    _, some = call.json("reach", BROKEN, "--from", "tern", "--to", "10.64.40.33")
    assert {(p["from"], p["to"]) for p in some["pairs"]} == {("tern", "10.64.40.33")}
    assert some["pairs"][0]["source"] == "10.64.0.6"
    _, few = call.json("reach", BROKEN, "--from", "tern", "--summary")
    assert few["pairs"] == sum(p["from"] == "tern" for p in document["pairs"])


def test_inspect(call: Call) -> None:
    status, document = call.json("inspect", BROKEN)
    assert status == 1
    assert set(document) == {"findings", "reading"}
    order = ["breaks", "risks", "notes"]
    ranks = [order.index(f["severity"]) for f in document["findings"]]
    assert ranks == sorted(ranks)
    assert call.json("inspect", HEALTHY)[0] == 0


@pytest.mark.parametrize("command", ["routes", "reach", "inspect"])
def test_every_command_prints_a_table_for_people(call: Call, command: str) -> None:
    status, out, err = call(command, BROKEN)
    assert status in (0, 1) and err == "" and len(out.splitlines()) > 20
    for arguments in (
        ["path", BROKEN, "tern-camera", "booking-db"],
        ["routes", BROKEN, "--why", "10.64.40.0/24"],
        ["reach", BROKEN, "--summary"],
    ):
        assert call(*arguments)[1]


def test_a_survey_can_be_a_zip_a_tar_or_flat(call: Call, tmp_path: Path) -> None:
    expected = call.json("reach", BROKEN, "--summary")[1]
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        for path in Path(BROKEN).rglob("*"):
            if path.is_file():
                archive.write(path, Path("monday") / path.relative_to(BROKEN))
    (tmp_path / "survey.zip").write_bytes(packed.getvalue())
    tar = shutil.make_archive(str(tmp_path / "survey"), "gztar", BROKEN)
    flat = tmp_path / "flat"
    flat.mkdir()
    for path in Path(BROKEN).rglob("*"):
        if path.is_file():
            parts = path.relative_to(BROKEN).parts
            name = f"{parts[1]}-{parts[2]}" if len(parts) == 3 else parts[0]
            shutil.copy(path, flat / name)
    for survey in (str(tmp_path / "survey.zip"), tar, str(flat)):
        assert call.json("reach", survey, "--summary")[1] == expected


def test_computing_needs_no_server_packages(tmp_path: Path) -> None:
    """The commands that only compute must work where nothing but the core is installed."""
    code = (
        "import sys\n"
        "class No:\n"
        "    def find_spec(self, name, path=None, target=None):\n"
        "        if name.split('.')[0] in ('django', 'rest_framework', 'psycopg', 'uvicorn'):\n"
        "            raise ImportError(name)\n"
        "sys.meta_path.insert(0, No())\n"
        "from trochos.cli.main import main\n"
        f"sys.exit(main(['reach', {HEALTHY!r}, '--summary', '--json']))\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", code],
        capture_output=True,
        text=True,
        check=False,
        env={"PYTHONPATH": str(ROOT / "src"), "PATH": "/usr/bin:/bin"},
    )
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["pairs"] > 1000


def test_neighbours(call: Call) -> None:
    status, out, _ = call("neighbours", BROKEN, "--json")
    pairs = json.loads(out)["pairs"]
    assert status == 0
    assert [pair["works"] for pair in pairs] == [False] * 7 + [True] * 9
    keys = {"protocol", "family", "left", "right", "works", "gates", "first_failing"}
    assert all(set(pair) == keys for pair in pairs)
    assert all(
        set(end) == {"device", "interface", "address", "state", "expected"}
        for pair in pairs
        for end in (pair["left"], pair["right"])
    )
    for pair in pairs:
        failing = [gate["gate"] for gate in pair["gates"] if not gate["holds"]]
        assert pair["first_failing"] == (failing[0] if failing else None)
    status, out, _ = call("neighbours", BROKEN, "--device", "shag")
    assert status == 0 and "fails at: hello interval" in out and "tidewater" not in out
    status, _, error = call("neighbours", BROKEN, "--device", "nobody")
    assert status == 2 and error.count("\n") == 1


def test_diagnose_ranks_causes_and_says_so_by_its_exit(capsys) -> None:  # type: ignore[no-untyped-def]
    assert main(["diagnose", str(BROKEN), "gate-printer", "booking-db", "--json"]) == 1
    found = json.loads(capsys.readouterr().out)
    top = found["causes"][0]
    assert (top["kind"], top["device"], top["rank"]) == ("interface-shut", "heron", 1)
    assert top["certainty"] == "proven" and top["proof"]["complaint_works"] is True
    assert {"from", "source", "to", "device"} == set(top["proof"]["heals"][0])
    assert found["cure"] == [top["id"]]
    assert main(["diagnose", str(BROKEN), "gate-printer", "booking-db"]) == 1
    assert "On heron: switch ge1 on." in capsys.readouterr().out
    assert main(["diagnose", str(HEALTHY), "gate-printer", "booking-db"]) == 0


def test_rehearse_writes_what_devices_would_hold(tmp_path, capsys) -> None:  # type: ignore[no-untyped-def]
    change = tmp_path / "change.json"
    edit = {"device": "tern", "file": "frr.conf", "remove": ["ip route 10.64.40.0/24 eth2"]}
    change.write_text(json.dumps({"edits": [edit]}))
    new = tmp_path / "new"
    call = ["rehearse", str(BROKEN), "--change", str(change), "--out", str(new), "--json"]
    assert main(call) == 0
    found = json.loads(capsys.readouterr().out)
    assert found["heals"] and not found["breaks"] and found["routes_changed"] >= 1
    assert set(found["neighbours"]) == {"gained", "lost"}
    assert "10.64.40.0/24 eth2" not in (new / "devices/tern/frr.conf").read_text()
    assert main(call) == 2
    assert "is there already" in capsys.readouterr().err
    assert main(["compare", str(BROKEN), str(new), "--json"]) == 1
    differs = json.loads(capsys.readouterr().out)
    assert [item["device"] for item in differs["texts"]] == ["tern"]
    what = "static route 10.64.40.0/24"
    rest = "10.64.0.5, 10.64.0.9 distance 250"
    old, new_way = f"{rest}, eth2", rest
    assert differs["facts"] == [{"device": "tern", "what": what, "old": old, "new": new_way}]
    assert main(["compare", str(new), str(new)]) == 0


def test_a_change_that_breaks_something_has_exit_1(tmp_path, capsys) -> None:  # type: ignore[no-untyped-def]
    change = tmp_path / "change.json"
    change.write_text(json.dumps({"edits": [{"down": {"device": "office"}}]}))
    assert main(["rehearse", str(HEALTHY), "--change", str(change)]) == 1
    assert "Breaks" in capsys.readouterr().out


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("{", "is not JSON"),
        ("[]", '{"edits": [...]}'),
        ('{"edits": [{"device": "tern", "file": "frr.conf", "remove": ["x"]}]}', "does not stand"),
    ],
)
def test_a_bad_change_is_one_sentence(tmp_path, capsys, text: str, says: str) -> None:  # type: ignore[no-untyped-def]
    change = tmp_path / "change.json"
    change.write_text(text)
    assert main(["rehearse", str(HEALTHY), "--change", str(change)]) == 2
    said = capsys.readouterr().err
    assert says in said and said.count("\n") == 1


def test_the_ladder_stops_at_the_first_rung_that_fails(capsys) -> None:  # type: ignore[no-untyped-def]
    assert main(["ladder", BROKEN, "crane-panel", "booking-db", "--json"]) == 1
    found = json.loads(capsys.readouterr().out)
    assert set(found) == {"rungs", "first_failing"}
    assert found["rungs"][found["first_failing"]]["what"] == "gateway"
    assert main(["ladder", HEALTHY, "crane-panel", "booking-db"]) == 0
    assert "Every rung holds." in capsys.readouterr().out


def test_routing_instances_are_named_beside_their_devices(call: Call) -> None:
    """Two instances with one address plan, captured from real routers."""
    survey = str(ROOT / "tests" / "cases" / "delve-00" / "survey")
    _, document = call.json("routes", survey, "--device", "adit")
    assert document["devices"]["adit"]["ipv4"] == []
    red = document["devices"]["adit"]["instances"]["red"]["ipv4"]
    assert {route["protocol"] for route in red} >= {"connected", "ospf"}
    _, document = call.json("neighbours", survey, "--device", "adit")
    ends = {
        (pair["protocol"], pair["left"]["device"], pair["left"]["instance"])
        for pair in document["pairs"]
        if "instance" in pair["left"]
    }
    assert {("bgp", "adit", "blue"), ("ospf", "adit", "red")} <= ends
    status, document = call.json("path", survey, "adit", "h1", "--instance", "red")
    assert status == 0
    assert document["from"] == {"device": "adit", "instance": "red", "address": "10.80.0.9"}
    status, out, _ = call("routes", survey, "--device", "adit")
    assert "adit/red, IPv4" in out and "adit/blue, IPv4" in out
    status, _, err = call("path", survey, "adit", "h1")
    assert status == 2 and "Name one: adit/blue, adit/red." in err
