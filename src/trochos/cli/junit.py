"""The results of an audit as build servers read them (JUnit's XML)."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from pathlib import Path

from ..core.diagnosis.audit import Result
from ..local import InputError


def write_junit(name: str, results: list[Result]) -> None:
    """Writes one test case per expectation.

    Raises:
        InputError: the file cannot be written.
    """
    failed = sum(not result.holds for result in results)
    attributes = {"name": "trochos audit", "tests": str(len(results)), "failures": str(failed)}
    suite = ET.Element("testsuite", attributes)
    for result in results:
        item = result.expectation
        where = f"{', '.join(item.senders)} to {', '.join(item.receivers)}"
        case = ET.SubElement(suite, "testcase", {"name": item.name, "classname": where})
        if not result.holds:
            ET.SubElement(case, "failure", {"message": result.reason})
    ET.indent(suite)
    try:
        Path(name).write_bytes(ET.tostring(suite, encoding="utf-8", xml_declaration=True))
    except OSError as error:
        raise InputError(f"{name} cannot be written: {error.strerror or error}.") from error
