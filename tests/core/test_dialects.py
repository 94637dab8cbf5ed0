"""A network written as FRR text and as YANG gives the same tables, legs and findings."""

from __future__ import annotations

import pytest
from surveys import company

from trochos.core.survey import Computed


def tables(survey: Computed) -> dict[str, object]:
    """All candidates without their evidence, which names different files and lines."""
    return {
        f"{device.name} {family}": [
            (
                str(r.prefix),
                r.protocol,
                r.distance,
                r.selected,
                r.next_hops,
                r.via,
                r.problem,
                r.why,
            )
            for r in sorted(
                survey.tables.of(device.name, family).everything(),
                key=lambda r: (r.prefix, r.protocol, r.distance, str(r.next_hops), r.why or ""),
            )
        ]
        for device in survey.network.devices
        for family in (4, 6)
    }


def findings(survey: Computed) -> list[tuple[object, ...]]:
    """What is found in either language. A statement that covers a prefix nobody has can only be
    written where statements name prefixes; our YANG lists interfaces."""
    return [
        (f.kind, f.severity, f.device, f.interface, f.peer, f.summary)
        for f in sorted(survey.findings, key=lambda f: (f.kind, f.device, f.summary))
        if f.kind != "statement-without-interface"
    ]


@pytest.mark.thorough
@pytest.mark.parametrize("broken", [False, True])
def test_same_tables_legs_and_findings(broken: bool) -> None:
    text, yang = (company(broken=broken, dialect=d) for d in ("frr", "yang"))
    assert tables(text) == tables(yang)
    assert [p.as_json() for p in text.reach.pairs()] == [p.as_json() for p in yang.reach.pairs()]
    assert findings(text) == findings(yang)
    for survey in (text, yang):
        assert all(not report.unknown for report in survey.survey.reading)


@pytest.mark.thorough
def test_evidence_points_at_the_line_in_either_format() -> None:
    for dialect in ("frr", "yang"):
        survey = company(broken=True, dialect=dialect)
        finding = next(f for f in survey.findings if f.kind == "interface-shut")
        source = finding.evidence[0]
        text = survey.survey.text(source.device, source.file)
        assert text is not None and source.line is not None
        line = text.split("\n")[source.line - 1].strip()
        assert line == source.text
        assert line in ("shutdown", '"enabled": false,')
        if dialect == "yang":
            assert source.path == "/ietf-interfaces:interfaces/interface[name='ge1']/enabled"
