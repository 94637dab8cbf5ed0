"""A router whose daemons each have a file of their own says the same as one with one file."""

from __future__ import annotations

from pathlib import Path

import pytest
from surveys import KEY, ROOT

from trochos.core.change.text import sections
from trochos.core.survey import Computed
from trochos.local import read_folder

CASES = ROOT / "tests" / "cases"
PROTOCOLS = {
    "router ospf6": "ospf6d",
    "router ospf": "ospfd",
    "router rip": "ripd",
    "router eigrp": "eigrpd",
    "router bgp": "bgpd",
}
LINES = {"ospfd": "ip ospf", "ospf6d": "ipv6 ospf6", "ripd": "ip rip", "eigrpd": "eigrp"}


def daemon_of(opening: str) -> str | None:
    return next((d for k, d in PROTOCOLS.items() if (opening + " ").startswith(k + " ")), None)


def split(text: str) -> dict[str, str]:
    """One text as the files that zebra, staticd and each protocol's daemon would have."""
    rows = text.split("\n")
    root = sections(rows)
    head = [row for row in rows if row.startswith(("frr ", "hostname", "service"))]
    running = [d for s in root.inner if (d := daemon_of(s.opening)) is not None]
    out: dict[str, list[str]] = {}
    for number in root.body:
        row = rows[number]
        if row in head or row == "end":
            continue
        static = row.startswith(("ip route", "ipv6 route"))
        for daemon in ["staticd"] if static else running or ["zebra"]:
            out.setdefault(daemon, []).append(row)
    for section in root.inner:
        body = rows[section.start : section.end]
        owner = daemon_of(section.opening)
        if owner is not None:
            out.setdefault(owner, []).extend(body)
        elif not section.opening.startswith("interface"):
            for name in running:
                out.setdefault(name, []).extend(body)
        else:
            rest = body[1:]
            for name, words in LINES.items():
                mine = [row for row in rest if words in row]
                rest = [row for row in rest if row not in mine]
                if mine:
                    out.setdefault(name, []).extend([body[0], *mine, "exit"])
            out.setdefault("zebra", []).extend([body[0], *rest])
    return {f"{name}.conf": "\n".join([*head, *lines, ""]) for name, lines in out.items()}


def split_survey(folder: Path) -> tuple[Computed, Computed]:
    files = read_folder(folder)
    apart: dict[str, bytes] = {}
    for path, data in files.items():
        if path.endswith("/frr.conf"):
            for name, text in split(data.decode()).items():
                apart[path.replace("frr.conf", name)] = text.encode()
        else:
            apart[path] = data
    return Computed.from_files(files, KEY), Computed.from_files(apart, KEY)


@pytest.mark.parametrize("net", ["dale", "loom", "port", "rook", "elmet", "trio"])
def test_the_tables_are_the_same(net: str) -> None:
    whole, apart = split_survey(CASES / f"{net}-00" / "survey")
    for key, table in whole.tables.tables.items():
        other = apart.tables.tables[key]
        assert {p: (r.protocol, r.metric, r.next_hops) for p, r in table.best.items()} == {
            p: (r.protocol, r.metric, r.next_hops) for p, r in other.best.items()
        }
    assert all(not line.matters for r in apart.survey.reading for line in r.unknown)


@pytest.mark.thorough
@pytest.mark.parametrize(
    ("case", "file"),
    [
        ("dale-01", "staticd.conf"),
        ("loom-05", "ospfd.conf"),
        ("loom-13", "zebra.conf"),
        ("rook-05", "ripd.conf"),
        ("elmet-01", "eigrpd.conf"),
        ("trio-01", "bgpd.conf"),
    ],
)
def test_a_remedy_goes_into_the_file_where_such_lines_stand(case: str, file: str) -> None:
    whole, apart = split_survey(CASES / case / "survey")
    sender, receiver = next(
        (a.name, b.name)
        for a in whole.network.devices
        for b in whole.network.devices
        if a.is_host and b.is_host and a is not b and whole.path(a.name, b.name).works == "no"
    )
    top = apart.diagnose(sender, receiver).causes[0]
    assert top.certainty == "proven"
    assert {edit.file for edit in top.option.edits} == {file}  # type: ignore[union-attr]
