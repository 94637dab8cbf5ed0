"""`gather` on the command line: keys, exit status, and a survey that can be asked."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import pytest
from gather.live import running

from devices.fleet import COMMUNITY, PASSWORD, USERNAME, Fleet
from trochos.cli.main import main
from trochos.local import read_folder

DEMO = Path(__file__).resolve().parents[2] / "demo" / "broken"
NAMES = ["heron", "gull", "tide-tables"]


@pytest.fixture(scope="module")
def fleet() -> Iterator[Fleet]:
    files = {
        path: data
        for path, data in read_folder(DEMO).items()
        if path.startswith("devices/") and path.split("/")[1] in NAMES
    }
    with running(Fleet(files, {"tide-tables": "snmp"})) as live:
        yield live


@pytest.fixture
def inventory(fleet: Fleet, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("TROCHOS_CREDENTIAL_FLEET", f"{USERNAME}:{PASSWORD}")
    monkeypatch.setenv("TROCHOS_CREDENTIAL_FLEET_SNMP", COMMUNITY)
    path = tmp_path / "inventory.yaml"
    path.write_text(json.dumps(fleet.inventory()))
    return path


def test_keys_are_trusted_by_a_person_and_kept(
    inventory: Path, fleet: Fleet, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(["gather", str(inventory), "--out", str(tmp_path / "one"), "--json"]) == 1
    document = json.loads(capsys.readouterr().out)
    shown = {d["name"]: d["shown_key"] for d in document["devices"] if d["shown_key"]}
    assert set(shown) == {"heron", "gull"}
    trust = [part for name, key in shown.items() for part in ("--trust", f"{name}={key}")]
    assert main(["gather", str(inventory), "--out", str(tmp_path / "two"), *trust]) == 0
    assert "3 of 3 devices" in capsys.readouterr().out
    # They were written down, so the next call needs no word about them.
    assert main(["gather", str(inventory), "--out", str(tmp_path / "three")]) == 0
    capsys.readouterr()
    assert main(["routes", str(tmp_path / "three"), "--device", "heron", "--json"]) == 0
    assert "heron" in json.loads(capsys.readouterr().out)["devices"]
    gathered = "".join(p.read_text() for p in (tmp_path / "three").rglob("*") if p.is_file())
    assert PASSWORD not in gathered and COMMUNITY not in gathered


def test_new_keys_can_be_taken_at_once_and_changed_ones_never(
    inventory: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    out = [str(tmp_path / "a"), str(tmp_path / "b")]
    assert main(["gather", str(inventory), "--out", out[0], "--trust-new"]) == 0
    keys = inventory.with_suffix(".keys.yaml")
    keys.write_text(keys.read_text().replace("SHA256:", "SHA256:not", 1))
    assert main(["gather", str(inventory), "--out", out[1], "--trust-new"]) == 1
    assert "was trusted" in capsys.readouterr().err


def test_what_a_device_saw_is_kept_in_the_survey(
    inventory: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    out = tmp_path / "probed"
    call = ["gather", str(inventory), "--out", str(out), "--trust-new"]
    assert main([*call, "--probe", "gull=nowhere"]) == 2
    assert main([*call, "--probe", "mole=10.64.20.1"]) == 2
    assert "not in the inventory" in capsys.readouterr().err
    # One device has no way to be asked, which costs only its own probe.
    asked = ["--probe", "gull=10.64.20.1", "--probe", "heron=10.64.20.1", "--json"]
    assert main([*call, *asked]) == 1
    (refused,) = json.loads(capsys.readouterr().out)["not_probed"]
    assert refused.startswith("heron was not asked for 10.64.20.1")
    (kept,) = json.loads((out / "devices/gull/probes.json").read_text())["trochos-probes:probes"]
    assert (kept["target"], kept["sent"], kept["received"]) == ("10.64.20.1", 3, 3)
    assert main(["inspect", str(out), "--json"]) in (0, 1)
    document = json.loads(capsys.readouterr().out)
    kinds = {r["file"]: r["kind"] for r in document["reading"] if r["device"] == "gull"}
    assert kinds["probes.json"] == "probes taken on the device"
    assert kinds["frr-stored.conf"] == "stored configuration"
    assert "not-stored" not in {f["kind"] for f in document["findings"]}


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("{", "not YAML"),
        ("{}", "list of devices"),
        ("[{name: a}]", "Device 1 (a) needs an address"),
        ("[{name: a, address: x, method: telnet, credential: c}]", "Methods: netconf"),
        ("[{name: a, address: x, method: ssh, password: p}]", "Secrets never stand"),
        ("[{name: a, address: x, method: ssh, port: 0x11111, credential: c}]", "65535"),
        ("[{name: a, address: x, method: ssh}]", "names no credential"),
    ],
)
def test_an_inventory_that_cannot_be_used_is_a_sentence(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], text: str, says: str
) -> None:
    path = tmp_path / "inventory.yaml"
    path.write_text(text)
    assert main(["gather", str(path), "--out", str(tmp_path / "out")]) == 2
    said = capsys.readouterr().err
    assert says in said and "Traceback" not in said and said.count("\n") == 1


def test_a_missing_credential_fails_its_devices_only(
    inventory: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys
) -> None:  # type: ignore[no-untyped-def]
    monkeypatch.delenv("TROCHOS_CREDENTIAL_FLEET")
    assert main(["gather", str(inventory), "--out", str(tmp_path / "out"), "--json"]) == 1
    document = json.loads(capsys.readouterr().out)
    kinds = {d["name"]: d["outcome"] for d in document["devices"]}
    assert kinds == {
        "gull": "credential-missing",
        "heron": "credential-missing",
        "tide-tables": "done",
    }
