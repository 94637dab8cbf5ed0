"""The structure keeps its promises: one-way imports, a pure core, a demo as described."""

from __future__ import annotations

import ast
from pathlib import Path

import make as demo

ROOT = Path(__file__).resolve().parents[1]
SOURCE = ROOT / "src" / "trochos"
ORDER = ["network", "readers", "protocols", "forwarding", "change", "diagnosis", "whole"]
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


def test_the_server_does_not_lean_on_the_command_line() -> None:
    for path in sources("server"):
        assert not any(name.startswith("trochos.cli") for name in imports(path)), path


def test_the_demo_is_what_its_description_says() -> None:
    for name, (build, title, taken_at) in demo.SURVEYS.items():
        expected = demo.render(build(), title, taken_at)
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
