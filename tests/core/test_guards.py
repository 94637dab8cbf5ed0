"""A bad file, a check or a remedy that breaks costs only itself; nothing that was sent vanishes;
secrets under different keys are never called different."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

import pytest
from surveys import KEY, ROOT

from trochos.cli.main import main
from trochos.core.diagnosis import causes
from trochos.core.diagnosis.findings import statics
from trochos.core.diagnosis.remedies import of_findings
from trochos.core.readers import hostfiles, kinds
from trochos.core.readers.frr import text as frr_text
from trochos.core.readers.kinds import READERS
from trochos.core.readers.masking import mask, number_of, numbered, unnumbered
from trochos.core.survey import Computed
from trochos.local import read_folder

DEMO = read_folder(ROOT / "demo" / "broken")


def fails(*_: object, **__: object) -> Any:
    raise KeyError("somebody did not expect this")


@pytest.mark.thorough
def test_a_file_that_breaks_its_reader_is_damaged(monkeypatch: pytest.MonkeyPatch) -> None:
    before = Computed.from_files(DEMO, KEY)
    rows = [replace(r, read=fails) if r.kind == hostfiles.SOCKETS_KIND else r for r in READERS]
    monkeypatch.setattr(kinds, "READERS", rows)
    survey = Computed.from_files(DEMO, KEY)
    broken = [r for r in survey.survey.reading if r.kind == "damaged file"]
    assert broken and all("KeyError" in (r.note or "") for r in broken)
    assert all(r.unknown[0].matters for r in broken)
    assert len(survey.network.devices) == len(before.network.devices)
    hit = {r.device for r in broken}
    assert all(d.partly for d in survey.network.devices if d.name in hit)
    # What hangs on such a device is not certain; what does not is answered as before.
    for was, now in zip(before.reach.pairs(), survey.reach.pairs(), strict=True):
        assert now.ok in (was.ok, None)


@pytest.mark.thorough
def test_a_router_whose_text_breaks_is_unread_and_nothing_is_proven_of_it(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    real = frr_text.read

    def sometimes(device: str, name: str, text: str) -> Any:
        return fails() if device == "gull" else real(device, name, text)

    monkeypatch.setattr(frr_text, "read", sometimes)
    files = read_folder(ROOT / "demo" / "healthy")
    survey = Computed.from_files(files, KEY)
    assert not [f for f in survey.findings if f.severity == "breaks"]
    monkeypatch.setattr(frr_text, "read", real)
    works = {
        (p.device, p.source, p.target)
        for p in Computed.from_files(files, KEY).reach.pairs()
        if p.ok is True
    }
    wrong = [p for p in survey.reach.pairs() if p.ok is False]
    assert not [p for p in wrong if (p.device, p.source, p.target) in works]


@pytest.mark.thorough
def test_checks_that_break_are_said_and_the_others_made(monkeypatch: pytest.MonkeyPatch) -> None:
    before = {f.id for f in Computed.from_files(DEMO, KEY).findings}
    monkeypatch.setattr(statics, "find", fails)
    monkeypatch.setattr(of_findings, "remedies_of", fails)
    found = Computed.from_files(DEMO, KEY).findings
    (said,) = [f for f in found if f.kind == "check-broke"]
    assert (
        (said.severity, said.device) == ("risks", "")
        and "statics" in said.summary
        and "KeyError" in said.summary
    )
    assert {f.id for f in found} - {said.id} <= before
    assert len(found) > len(before) / 2 and not any(f.remedies for f in found)


@pytest.mark.thorough
def test_a_search_that_breaks_is_not_a_whole_one(monkeypatch: pytest.MonkeyPatch) -> None:
    survey = Computed.from_files(DEMO, KEY)
    assert survey.diagnose("bridge-tablet", "yard-scale").complete
    monkeypatch.setattr(causes, "look", fails)
    assert not Computed.from_files(DEMO, KEY).diagnose("bridge-tablet", "yard-scale").complete


def test_the_command_line_says_a_sentence(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr(Computed, "inspect_json", fails)
    assert main(["inspect", str(ROOT / "demo" / "broken")]) == 2
    said = capsys.readouterr().err
    assert "nobody expected (KeyError)" in said and "Traceback" not in said


@pytest.mark.thorough
def test_a_file_that_cannot_be_read_is_told_again_whenever_the_survey_is_read() -> None:
    files = {**DEMO, "devices/gull/photo.png": b"\x89PNG\x00" + b"\x07" * 99}
    first = Computed.from_files(files, KEY)
    kept = {
        f"devices/{device}/{name}" if device else name: text.encode()
        for device, texts in first.survey.files.items()
        for name, text in texts.items()
    }
    held = json.loads(kept["devices/gull/photo.png"])["trochos:not-kept"]
    assert held["size"] == 104 and len(held["sha256"]) == 64
    again = Computed.from_files(kept, KEY)
    assert [r.as_json() for r in again.survey.reading] == [
        r.as_json() for r in first.survey.reading
    ]
    assert again.survey.files == first.survey.files
    # Another file in its place is another survey.
    other = Computed.from_files({**files, "devices/gull/photo.png": b"\x00other"}, KEY)
    assert other.survey.files != first.survey.files


# -- keys of fingerprints

ENDS = {
    name: (
        f"frr version 8.4\nhostname {name}\n!\ninterface e0\n ip address 10.0.0.{number}/24\n"
        " ip ospf area 0\n ip ospf authentication message-digest\n"
        " ip ospf message-digest-key 1 md5 barnacle\n!\nrouter ospf\n!\nend\n"
    )
    for number, name in enumerate(("left", "right"), 1)
}


def two(left: bytes, right: bytes, read_under: bytes = KEY) -> Computed:
    files = {
        "devices/left/frr.conf": mask(ENDS["left"], left).encode(),
        "devices/right/frr.conf": mask(ENDS["right"], right).encode(),
    }
    return Computed.from_files(files, read_under)


def test_secrets_under_different_keys_are_not_known_and_never_different() -> None:
    same, apart = two(KEY, KEY), two(KEY, b"another installation's")
    (relation,) = same.tables.relations()
    assert relation.works and not relation.not_known
    (relation,) = apart.tables.relations()
    assert relation.works and [gate.as_json()["holds"] for gate in relation.not_known] == [None]
    assert not [f for f in apart.findings if f.severity == "breaks"]
    pair = apart.path("left", "10.0.0.2")
    assert pair.works in ("yes", "unknown")


def test_what_differs_for_certain_still_differs() -> None:
    files = {
        "devices/left/frr.conf": mask(ENDS["left"], KEY).encode(),
        "devices/right/frr.conf": mask(ENDS["right"].replace("key 1", "key 2"), b"other").encode(),
    }
    (relation,) = Computed.from_files(files, KEY).tables.relations()
    assert not relation.works


def test_surveys_under_different_keys_do_not_differ_in_their_secrets() -> None:
    old, new = two(KEY, KEY), two(b"rotated", b"rotated", b"rotated")
    assert old.compare(new).texts == []
    files = {
        f"devices/{name}/frr.conf": mask(
            text.replace("10.0.0.1/24", "10.0.0.9/24"), b"rotated"
        ).encode()
        for name, text in ENDS.items()
    }
    (changed,) = old.compare(Computed.from_files(files, b"rotated")).texts
    assert changed["device"] == "left"


@pytest.mark.parametrize("form", ["md5 {}", '"key": "{}"', "<key>&lt;{}&gt;</key>"])
def test_a_mark_takes_a_number_and_loses_it(form: str) -> None:
    bare = form.format("<secret:0123456789ab>" if "&lt;" not in form else "secret:0123456789ab")
    with_number = numbered(bare, KEY)
    assert f"secret:{number_of(KEY)}0123456789ab" in with_number
    assert numbered(with_number, b"other") == with_number
    assert unnumbered(with_number) == bare
    assert mask(with_number, b"other") == with_number
