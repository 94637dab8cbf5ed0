"""The core as a library: the manual's examples run as they stand, and the wheel needs no server."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
import zipfile
from pathlib import Path

import pytest
from surveys import KEY

from trochos.core.network.documents import Document
from trochos.core.survey import Computed
from trochos.core.whole.sweep import links_of
from trochos.local import read_folder

ROOT = Path(__file__).resolve().parents[2]
MANUAL = ROOT / "docs" / "manual" / "library.md"


def examples() -> list[str]:
    return re.findall(r"```python\n(.*?)```", MANUAL.read_text(), re.S)


@pytest.mark.thorough
def test_the_manuals_examples_run(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(ROOT)
    names: dict[str, object] = {}
    assert len(examples()) >= 6
    for example in examples():
        exec(compile(example, str(MANUAL), "exec"), names)  # noqa: S102
    said = capsys.readouterr().out
    assert re.search(r"^no$", said, re.M), "a complaint of the demo fails"
    healed = re.search(r"^(\d+) pairs healed, 0 broken$", said, re.M)
    assert healed is not None and int(healed[1]) > 0
    assert "True " in said and "False " in said, "expectations that hold, and some that do not"


@pytest.mark.thorough
def test_documents_name_an_instance_beside_its_device() -> None:
    """Every answer with a document of its own, on a network with routing instances."""
    survey = Computed.from_files(read_folder(ROOT / "tests/cases/delve-01/survey"), KEY)
    host = next(d.name for d in survey.network.devices if d.is_host)
    down = links_of(survey.network)[0]
    answers: list[Document] = [
        *survey.findings,
        survey.rehearse((down,)),
        survey.sweep(links=True, devices=False, watch=lambda tried, of, what: tried < 3),
        survey.desk(),
        survey.unknowns(),
        survey.compare(survey.rehearse((down,)).after),
        survey.path(host, str(next(iter(survey.forwarding.near.owners)))),
    ]
    named = 0
    for answer in answers:
        text = json.dumps(answer.as_json())
        assert not re.search(r'"(?:device|from)": "[a-z-]+/(?:red|blue)"', text), text[:400]
        named += text.count('"instance": "')
    assert named > 3


@pytest.fixture(scope="module")
def wheel(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("wheel")
    source = folder / "source"
    # Built elsewhere: building leaves folders in its source.
    subprocess.run(
        ["git", "-C", str(ROOT), "checkout-index", "-a", "-f", f"--prefix={source}/"], check=True
    )
    command = [sys.executable, "-m", "pip", "wheel", "-q", "--no-deps"]
    subprocess.run([*command, "--wheel-dir", str(folder), str(source)], check=True)
    (built,) = folder.glob("trochos-*.whl")
    return built


@pytest.mark.thorough
def test_a_wheel_answers_without_the_servers_packages(wheel: Path, tmp_path: Path) -> None:
    with zipfile.ZipFile(wheel) as archive:
        names = archive.namelist()
        archive.extractall(tmp_path / "installed")
    assert "trochos/py.typed" in names and not any("server" in name for name in names)
    script = f"""
import sys
class Refuse:
    def find_spec(self, name, path=None, target=None):
        if name.partition(".")[0] in ("django", "rest_framework", "psycopg", "structlog", "lxml",
                                      "asyncssh", "pysnmp", "httpx", "cryptography"):
            raise ImportError(name + " is not to be needed")
sys.meta_path.insert(0, Refuse())
import trochos
assert trochos.__file__.startswith({str(tmp_path)!r}), trochos.__file__
from trochos.cli.main import main
status = main(["path", {str(ROOT / "demo" / "healthy")!r}, "bridge-tablet", "yard-scale"])
kit = main(["kit"])
stored = main(["path", "7", "a", "b"])
sys.exit(10 * status + kit + (100 if stored != 2 else 0))
"""
    environment = {**os.environ, "PYTHONPATH": str(tmp_path / "installed")}
    environment["TROCHOS_STATE"] = str(tmp_path / "state")
    done = subprocess.run(
        [sys.executable, "-c", script],
        env=environment,
        cwd=tmp_path,
        capture_output=True,
        text=True,
    )
    assert done.returncode == 0, done.stderr[-2000:]
    assert "stored in the database" in done.stderr
