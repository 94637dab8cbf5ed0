"""Whatever the command line does not understand is one sentence and status 2, never a guess."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from surveys import ROOT, frr

from .calls import Call

HEALTHY = str(ROOT / "demo" / "healthy")


@pytest.mark.parametrize(
    "arguments",
    [
        ["path", HEALTHY, "gull"],
        ["path", HEALTHY, "gull", "banana"],
        ["path", HEALTHY, "gull", "heron", "--service", "banana"],
        ["path", HEALTHY, "gull", "heron", "--service", "tcp 99999"],
        ["path", HEALTHY, "gull", "heron", "--protocol", "sctp"],
        ["path", HEALTHY, "gull", "heron", "--port", "99999", "--protocol", "tcp"],
        ["path", HEALTHY, "gull", "heron", "--port", "80"],
        ["path", HEALTHY, "gull", "heron", "--size", "huge"],
        ["path", HEALTHY, "gull", "heron", "--source", "x"],
        ["reach", HEALTHY, "--from", "nobody"],
        ["reach", HEALTHY, "--to", "nobody"],
        ["routes", HEALTHY, "--device", "nobody"],
        ["routes", HEALTHY, "--why", "nothing"],
        ["neighbours", HEALTHY, "--device", "nobody"],
        ["ladder", HEALTHY, "nobody", "heron"],
        ["diagnose", HEALTHY, "gull", "10.0.0.0/99"],
        ["rehearse", HEALTHY, "--change", "/nonexistent"],
        ["compare", HEALTHY, "/nonexistent"],
        ["audit", HEALTHY, "--expect", "/nonexistent"],
        ["desk", HEALTHY, "--before", "/nonexistent"],
        ["since", HEALTHY, "gull", "heron", "--worked", "/nonexistent"],
        ["since", HEALTHY, "nobody", "heron", "--worked", HEALTHY],
        ["unknowns", "/nonexistent"],
        ["sweep", HEALTHY, "--expect", "/nonexistent"],
        ["sweep", HEALTHY, "--bogus"],
        ["inspect"],
        ["bogus"],
        ["routes", "/nowhere"],
        ["routes", HEALTHY, "--why", "10.64"],
        ["path", HEALTHY, "gull", "nobody"],
        ["path", HEALTHY, "10.9.9.9", "gull"],
        ["path", HEALTHY, "gull:eth9", "mole"],
        ["path", HEALTHY, "farway", "mole"],
        ["path", HEALTHY, "gull", "mole", "--source", "10.1.1.1"],
        ["path", HEALTHY, "gull", "mole", "--source", "x"],
        ["path", HEALTHY, "gull", "mole", "--port", "5"],
        ["path", HEALTHY, "gull", "mole", "--protocol", "tcp", "--port", "99999"],
        ["path", HEALTHY, "gull", "mole", "--size", "-4"],
        ["path", HEALTHY],
        ["dance"],
        [],
        ["routes", __file__],
        ["routes", str(ROOT / "docs")],
    ],
    ids=lambda a: " ".join(w.rsplit("/", 1)[-1] for w in a),
)
def test_what_is_not_understood_is_refused(call: Call, arguments: list[str]) -> None:
    status, out, err = call(*arguments)
    assert (status, out) == (2, "")
    assert err.startswith("trochos: ") and err.count("\n") == 1 and err.strip().endswith((".", "?"))
    assert "Errno" not in err and "Traceback" not in err


def test_lines_of_a_change_that_are_not_understood_write_nothing(
    call: Call, tmp_path: Path
) -> None:
    survey = tmp_path / "survey" / "devices" / "ant"
    survey.mkdir(parents=True)
    (survey / "frr.conf").write_text(frr("ant", {"eth1": "10.64.0.1/30"}))
    edit = {"device": "ant", "file": "frr.conf", "context": ["interface eth1"],
            "add": ["ip adress 1.2.3.4/33"]}  # fmt: skip
    change = tmp_path / "change.json"
    change.write_text(json.dumps({"edits": [edit]}))
    new = tmp_path / "new"
    base = ("rehearse", str(tmp_path / "survey"), "--change", str(change), "--out", str(new))
    status, out, err = call(*base, "--json")
    assert status == 1 and not new.exists() and "not understood" in err
    told = json.loads(out)["not_understood"]
    assert [(item["device"], item["text"]) for item in told] == [("ant", "ip adress 1.2.3.4/33")]
    status, out, err = call(*base, "--json", "--accept-unknown-lines")
    assert status == 0 and (new / "devices/ant/frr.conf").exists()
