"""YANG data as XML: the same facts, findings and edits as the same data as JSON."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from trochos.core.change.data import DataEditor
from trochos.core.change.elements import elements
from trochos.core.network.edits import DataEdit
from trochos.core.readers.located import DataError, parse_data
from trochos.core.readers.located_xml import parse_xml
from trochos.core.survey import Computed
from trochos.local import read_folder

ROOT = Path(__file__).resolve().parents[2]
KEY = b"test"
BASE = "urn:ietf:params:xml:ns:netconf:base:1.0"
WRAPPING = "ietf-yang-instance-data:instance-data-set"


def as_xml(data: dict[str, Any]) -> str:
    inner = data.get(WRAPPING, {}).get("content-data", data)
    lines = [f'<data xmlns="{BASE}">']
    for name, value in inner.items():
        lines += elements(name, value, "  ")
    return "\n".join([*lines, "</data>", ""])


def with_xml(files: dict[str, bytes]) -> dict[str, bytes]:
    """A survey with every device's YANG data as XML."""
    out = {}
    for path, data in files.items():
        text = data.decode()
        if path.startswith("devices/") and '"ietf-' in text:
            path, data = path.removesuffix(".json") + ".xml", as_xml(json.loads(text)).encode()
        out[path] = data
    return out


@pytest.fixture(scope="module")
def broken() -> tuple[Computed, Computed]:
    files = read_folder(ROOT / "demo" / "broken")
    both = Computed.from_files(files, KEY), Computed.from_files(with_xml(files), KEY)
    assert sum(r.file.endswith(".xml") for r in both[1].survey.reading) > 8
    return both


def bare(value: object) -> object:
    """A document without what quotes a text."""
    if isinstance(value, dict):
        quoting = ("because", "why", "evidence", "file", "line", "text", "after", "id")
        return {k: bare(v) for k, v in value.items() if k not in quoting}
    return [bare(item) for item in value] if isinstance(value, list) else value


@pytest.mark.thorough
def test_tables_and_findings_are_equal(broken: tuple[Computed, Computed]) -> None:
    left, right = broken
    assert bare(left.routes_json(None, True)) == bare(right.routes_json(None, True))
    assert [(f.kind, f.device, f.summary) for f in left.findings] == [
        (f.kind, f.device, f.summary) for f in right.findings
    ]
    unread = [r for r in right.survey.reading if r.file.endswith(".xml") and r.unknown]
    assert unread == []


@pytest.mark.thorough
def test_remedies_are_edits_of_the_xml(broken: tuple[Computed, Computed]) -> None:
    """Each remedy of a device that gave XML changes what the same remedy of JSON changes."""
    tried = 0
    for left, right in zip(*(one.findings for one in broken), strict=True):
        for ours, theirs in zip(left.remedies, right.remedies, strict=True):
            if not any(getattr(e, "file", "").endswith(".xml") for e in theirs.edits):
                continue
            tried += 1
            json_after, xml_after = broken[0].rehearse(ours.edits), broken[1].rehearse(theirs.edits)
            assert bare(json_after.after.routes_json(None, False)) == bare(
                xml_after.after.routes_json(None, False)
            )
    assert tried >= 3


def test_every_value_has_its_line_and_its_module() -> None:
    text = """<?xml version="1.0"?>
<rpc-reply message-id="1" xmlns="urn:ietf:params:xml:ns:netconf:base:1.0">
 <data>
  <if:interfaces xmlns:if="urn:ietf:params:xml:ns:yang:ietf-interfaces">
   <if:interface>
    <if:name>ge0/1</if:name>
    <if:type xmlns:i="urn:ietf:params:xml:ns:yang:iana-if-type">i:ethernetCsmacd</if:type>
    <ipv4 xmlns="urn:ietf:params:xml:ns:yang:ietf-ip"><mtu>1400</mtu></ipv4>
   </if:interface>
  </if:interfaces>
 </data>
</rpc-reply>"""
    root = parse_xml(text)
    (entry,) = root.members()["ietf-interfaces:interfaces"].items("interface")
    assert entry.text("name") == "ge0/1"
    assert entry.text("type") == "iana-if-type:ethernetCsmacd"
    ip = entry.get("ietf-ip:ipv4")
    assert ip is not None and ip.integer("mtu") == 1400
    held = ip.peek("mtu")
    assert held is not None and held.line == 8
    assert text[held.start : held.end] == "<mtu>1400</mtu>"


def test_edits_keep_prefixes_and_all_else() -> None:
    text = (
        '<d:data xmlns:d="urn:x">\n'
        '  <if:interfaces xmlns:if="urn:ietf:params:xml:ns:yang:ietf-interfaces">\n'
        "    <if:interface>\n"
        "      <if:name>ge0</if:name>\n"
        "      <if:enabled>false</if:enabled>  <!-- kept -->\n"
        "    </if:interface>\n"
        "  </if:interfaces>\n"
        "</d:data>\n"
    )
    editor = DataEditor("d", "x.xml", text)
    root = "/ietf-interfaces:interfaces/interface[name='ge0']"
    # The wrapper here is nobody's data, so the path starts below it all the same.
    base = "/urn:x:data" if "urn:x:data" in parse_xml(text).members() else ""
    editor.apply(DataEdit("d", "x.xml", f"{base}{root}/enabled", False, True))
    assert editor.text == text.replace(">false<", ">true<")
    editor.apply(DataEdit("d", "x.xml", f"{base}{root}/description", None, "a < b"))
    assert "      <if:description>a &lt; b</if:description>\n    </if:interface>" in editor.text
    editor.apply(DataEdit("d", "x.xml", f"{base}{root}/description", "a < b", None))
    assert editor.text == text.replace(">false<", ">true<")


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("<data>\n<a>1</b>\n</data>", "not XML"),
        ('<!DOCTYPE d [<!ENTITY e "x">]>\n<d>&e;</d>', "document type"),
        ("<a>" * 80 + "</a>" * 80, "nested"),
        ("<data>", "not XML"),
    ],
)
def test_damaged_xml_is_an_error_with_a_line(text: str, says: str) -> None:
    with pytest.raises(DataError, match=says) as caught:
        parse_data(text)
    assert caught.value.line >= 1


def test_a_secret_becomes_a_fingerprint_and_the_xml_stays_whole() -> None:
    secret = "R&amp;D-key"
    text = as_xml({"ietf-system:system": {"hostname": "a"}}).replace(
        "</system>", f"<key-string>{secret}</key-string></system>"
    )
    survey = Computed.from_files({"devices/a/running.xml": text.encode()}, KEY)
    held = survey.survey.text("a", "running.xml") or ""
    assert secret not in held and "R&D" not in held and "&lt;secret:" in held
    parse_xml(held)
    same = Computed.from_files({"devices/a/running.xml": held.encode()}, KEY)
    assert same.survey.text("a", "running.xml") == held


values = st.recursive(
    st.booleans() | st.integers(0, 999) | st.text("abc <>&\"'é", min_size=1).map(str.strip),
    lambda inner: st.dictionaries(st.sampled_from(["a", "b", "trochos-x:c"]), inner, max_size=3),
    max_leaves=8,
)


@pytest.mark.thorough
@settings(max_examples=120, deadline=None)
@given(st.dictionaries(st.sampled_from(["m1", "m2", "m3"]), values, min_size=1), values)
def test_an_edit_and_its_way_back(data: dict[str, Any], new: Any) -> None:
    """Replacing a member and putting the old one back gives the same data."""
    whole = {"ietf-test:top": data}
    name = next(iter(data))
    path = f"/ietf-test:top/{name}"
    editor = DataEditor("d", "x.xml", as_xml(whole))
    before = plain_of(editor.text)
    editor.apply(DataEdit("d", "x.xml", path, None, new))
    assert plain_of(editor.text) == plain_of(as_xml({"ietf-test:top": {**data, name: new}}))
    editor.apply(DataEdit("d", "x.xml", path, None, data[name]))
    assert plain_of(editor.text) == before


def plain_of(text: str) -> object:
    from trochos.core.change.data import plain

    return plain(parse_data(text))
