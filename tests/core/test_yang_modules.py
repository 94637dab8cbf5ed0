"""Our YANG modules and the demo's data hold before an independent validator."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from surveys import KEY, ROOT
from yangson import DataModel
from yangson.enumerations import ContentType, ValidationScope
from yangson.exceptions import YangsonException

from trochos.core.change.apply import apply
from trochos.core.forwarding.path import Traffic
from trochos.core.network.edits import DataEdit
from trochos.core.survey import Computed
from trochos.local import read_folder
from trochos.server.surveys import modules


@pytest.fixture(scope="module")
def model() -> DataModel:
    return modules.model()


def contents() -> list[Path]:
    found = []
    for path in sorted((ROOT / "demo").rglob("devices/*/*.json")):
        if '"ietf-yang-instance-data' in path.read_text()[:200]:
            found.append(path)
    return found


def test_there_is_something_to_validate() -> None:
    assert len(contents()) > 15


@pytest.mark.thorough
@pytest.mark.parametrize("path", contents(), ids=lambda p: "/".join(p.parts[-4::2]))
def test_the_demo_is_valid_data(model: DataModel, path: Path) -> None:
    whole = json.loads(path.read_text())["ietf-yang-instance-data:instance-data-set"]
    model.from_raw(whole["content-data"]).validate(ValidationScope.all, ContentType.config)


@pytest.mark.parametrize(
    ("held", "wrong"),
    [
        ('"prefix-length": 32', '"prefix-length": 33'),
        ('"ietf-routing:static"', '"ietf-routing:statics"'),
    ],
)
def test_what_is_wrong_does_not_pass(model: DataModel, held: str, wrong: str) -> None:
    text = (ROOT / "demo/healthy/devices/heron/running.json").read_text()
    assert held in text
    whole = json.loads(text.replace(held, wrong, 1))
    content = whole["ietf-yang-instance-data:instance-data-set"]["content-data"]
    with pytest.raises(YangsonException):
        model.from_raw(content).validate(ValidationScope.all, ContentType.config)


@pytest.mark.thorough
def test_remedies_leave_valid_data(model: DataModel) -> None:
    """What a diagnosis edits in YANG data is what such a device would take."""
    broken = Computed.from_files(read_folder(ROOT / "demo" / "broken"), KEY)
    story = json.loads((ROOT / "demo" / "story.json").read_text())
    changed: set[tuple[str, str]] = set()
    cases = next(s["cases"] for s in story["surveys"] if s["folder"] == "broken")
    for told in cases:
        port = told.get("port")
        traffic = Traffic(protocol=told.get("protocol", "icmp"), port=port) if port else None
        for cause in broken.diagnose(told["sender"], told["receiver"], traffic).causes[:2]:
            edits = [e for e in cause.option.edits if isinstance(e, DataEdit)]
            edits = [e for e in edits if e.path.startswith("/ietf-")]
            if not edits:
                continue
            files = apply(broken.survey, edits).survey.files
            for device, file in {(e.device, e.file) for e in edits}:
                changed.add((device, file))
                whole = json.loads(files[device][file])
                content = whole["ietf-yang-instance-data:instance-data-set"]["content-data"]
                model.from_raw(content).validate(ValidationScope.all, ContentType.config)
    assert len(changed) > 3
