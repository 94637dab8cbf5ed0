"""The structure keeps its promises: one-way imports, a pure core, a demo as described."""

from __future__ import annotations

import ast
import re
import subprocess
import sys
from pathlib import Path

import make as demo

from trochos.core.network import protocols

ROOT = Path(__file__).resolve().parents[1]
SOURCE = ROOT / "src" / "trochos"
ORDER = ["network", "readers", "step", "protocols", "forwarding", "change", "diagnosis", "whole"]
OUTSIDE = {
    "django",
    "rest_framework",
    "socket",
    "asyncssh",
    "requests",
    "httpx",
    "pathlib",
    "os",
    "time",
    "datetime",
    "subprocess",
}


def imports(path: Path) -> set[str]:
    """Absolute names of everything a module imports."""
    package = path.relative_to(SOURCE.parent).with_suffix("").parts
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {name.name for name in node.names}
        elif isinstance(node, ast.ImportFrom):
            if node.level:
                # "from . import x" is one step up from the module itself.
                base = package[: len(package) - node.level]
                head = ".".join((*base, *(node.module or "").split("."))).rstrip(".")
                found |= {f"{head}.{name.name}" for name in node.names} | {head}
            else:
                found.add(node.module or "")
    return found


def sources(room: str) -> list[Path]:
    """The files of a room; a test over none would say nothing."""
    found = sorted((SOURCE / room).rglob("*.py"))
    assert len(found) > 5, room
    return found


def test_the_core_imports_only_what_stands_above_it() -> None:
    for path in sources("core"):
        names = imports(path)
        place = path.relative_to(SOURCE / "core").parts[0]
        for name in names:
            assert name.split(".")[0] not in OUTSIDE, f"{path}: {name}"
            for outer in ("trochos.server", "trochos.cli", "trochos.gather"):
                assert not name.startswith(outer), f"{path}: {name}"
            parts = name.split(".")
            if place in ORDER and parts[:2] == ["trochos", "core"] and len(parts) > 2:
                if parts[2] in ORDER:
                    assert ORDER.index(parts[2]) <= ORDER.index(place), f"{path}: {name}"


def test_no_imports_go_round_where_packets_are_followed() -> None:
    """Neither at the top of a file nor later, nor for the types alone."""
    for room in ("core/step", "core/forwarding"):
        files = {
            f"trochos.{'.'.join(p.relative_to(SOURCE).with_suffix('').parts)}": p
            for p in sources(room)
        }
        needs = {name: imports(path) & files.keys() - {name} for name, path in files.items()}
        done: set[str] = set()
        while free := {name for name in needs.keys() - done if needs[name] <= done}:
            done |= free
        assert done == files.keys(), f"a circle in {room}: {sorted(files.keys() - done)}"


def test_the_server_does_not_lean_on_the_command_line() -> None:
    for path in sources("server"):
        assert not any(name.startswith("trochos.cli") for name in imports(path)), path


def test_the_demo_is_what_its_description_says() -> None:
    for name in demo.SURVEYS:
        expected = demo.files_of(name)
        folder = ROOT / "demo" / name
        found = {
            path.relative_to(folder).as_posix(): path.read_text()
            for path in folder.rglob("*")
            if path.is_file()
        }
        assert found == expected, "run demo/make.py"


def test_half_of_the_routers_are_given_as_yang() -> None:
    routers = demo.healthy().routers.values()
    yang = sum(router.dialect == "yang" for router in routers)
    assert abs(yang - len(routers) / 2) <= 1


def protocol_words() -> set[str]:
    """Every word and label by which a routing protocol is named."""
    words = {row.name for row in protocols.rows()}
    return words | {word for row in protocols.rows() for word in row.words}


LISTS = {
    "core/network/protocols.py",
    "core/protocols/registry.py",
    "core/readers/protocols.py",
    "core/change/writers/protocols.py",
}
"""The four lists of protocols: what they are called, how they are computed, read and written."""


def in_own_room(path: Path, word: str) -> bool:
    """True for a file or folder that bears a protocol's name."""
    return any(word.rstrip("6") in part for part in path.relative_to(SOURCE).parts)


def test_tables_are_asked_and_not_walked() -> None:
    """Who knows how a table keeps its routes stands in its own room, or solves all pairs on it."""
    inside = ("core/protocols/", "core/step/", "core/forwarding/matching.py")
    known = re.compile(r"\.alone\b|\btables?\b[^=\n]*\.best\b|\.of\([^\n]*\)\.best\b")
    for path in (SOURCE / "core").rglob("*.py"):
        if not path.relative_to(SOURCE).as_posix().startswith(inside):
            found = known.findall(path.read_text())
            assert not found, f"{path} walks a table: {found}"


def test_no_name_of_a_protocol_is_compared_outside_its_own_rooms() -> None:
    for path in sources("."):
        place = path.relative_to(SOURCE).as_posix()
        if place in LISTS:
            continue
        for node in ast.walk(ast.parse(path.read_text())):
            if not isinstance(node, ast.Compare):
                continue
            said = {
                item.value
                for item in ast.walk(node)
                if isinstance(item, ast.Constant) and isinstance(item.value, str)
            }
            for word in said & protocol_words():
                assert in_own_room(path, word) or place in KEYWORDS, f"{path}:{node.lineno}: {word}"


KEYWORDS = {"core/readers/frr/policy.py", "core/readers/frr/text.py"}
"""Where such a word is a keyword of a language: `bgp as-path access-list` is no protocol's line."""


def test_a_protocol_is_named_in_its_own_rooms_and_the_four_lists() -> None:
    """EIGRP stands for all: it has no meaning but the protocol's."""
    web = ROOT / "web" / "src"
    files = [*sources("."), *web.rglob("*.ts"), *web.rglob("*.tsx")]
    named = {
        path
        for path in files
        if "eigrp" in path.read_text().lower() and "eigrp" not in path.as_posix().lower()
    }
    assert {path.relative_to(SOURCE).as_posix() for path in named} == LISTS


def test_the_front_end_takes_protocols_from_the_server() -> None:
    web = ROOT / "web" / "src"
    files = [p for p in (*web.rglob("*.ts"), *web.rglob("*.tsx")) if ".test." not in p.name]
    assert len(files) > 20
    compared = re.compile(rf"""[=!]==?\s*["']({"|".join(sorted(protocol_words()))})["']""")
    for path in files:
        found = compared.search(path.read_text())
        assert found is None, f"{path}: {found.group(0)}"


def test_a_test_that_was_run_twice_is_told(tmp_path: Path) -> None:
    """`./trochos test` ends with what passed only at its second try, and what was left out."""
    script = (ROOT / "scripts" / "test.sh").read_text()
    flags = re.search(r'^again="(.*)"$', script, re.M)
    assert flags is not None
    marks = re.findall(r"grep -h '\^(\w+ )' \"\$said\"", script)
    assert marks == ["SKIPPED ", "RERUN "]
    (tmp_path / "test_luck.py").write_text(
        "import pathlib\nimport pytest\n"
        "def test_second_time() -> None:\n"
        "    seen = pathlib.Path(__file__).with_name('seen')\n"
        "    there = seen.exists()\n"
        "    seen.touch()\n"
        "    assert there\n"
        "@pytest.mark.skip(reason='no')\ndef test_left_out() -> None: ...\n"
    )
    told = subprocess.run(
        [sys.executable, "-m", "pytest", "-q", "-p", "no:django", *flags.group(1).split()],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        check=True,
        timeout=60,
    ).stdout
    assert all(re.search(rf"^{mark}", told, re.M) for mark in marks), told
