"""Edits of JSON data: the value changes, everything else keeps its bytes."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from trochos.core.change.data import DataEditor
from trochos.core.change.derive import edits_between
from trochos.core.network.edits import DataEdit, EditError

RUNNING = """{
  "ietf-interfaces:interfaces": {
    "interface": [
      {"name": "ge0", "enabled": false, "ietf-ip:ipv4": {"address": [
        {"ip": "10.0.0.1", "prefix-length": 30}]}},
      {"name": "ge1", "enabled": true}
    ]
  }
}
"""
GE0 = "/ietf-interfaces:interfaces/interface[name='ge0']"


def edited(path: str, old: object, new: object, text: str = RUNNING) -> str:
    editor = DataEditor("d", "running.json", text)
    editor.apply(DataEdit("d", "running.json", path, old, new))
    return editor.text


def test_a_value_is_replaced_in_place() -> None:
    text = edited(f"{GE0}/enabled", False, True)
    assert text == RUNNING.replace('"enabled": false', '"enabled": true', 1)


def test_an_entry_is_made_with_its_key() -> None:
    path = "/ietf-interfaces:interfaces/interface[name='ge2']/ietf-ip:ipv4/address[ip='10.9.0.1']"
    found = json.loads(edited(f"{path}/prefix-length", None, 24))
    assert found["ietf-interfaces:interfaces"]["interface"][2] == {
        "name": "ge2",
        "ietf-ip:ipv4": {"address": [{"ip": "10.9.0.1", "prefix-length": 24}]},
    }


@pytest.mark.parametrize("which", ["ge0", "ge1"])
def test_an_entry_is_removed_with_its_comma(which: str) -> None:
    path = f"/ietf-interfaces:interfaces/interface[name='{which}']"
    found = json.loads(edited(path, None, None))
    names = [i["name"] for i in found["ietf-interfaces:interfaces"]["interface"]]
    assert names == [name for name in ("ge0", "ge1") if name != which]


def test_a_key_with_a_slash_is_one_key() -> None:
    text = '{"a:routes": {"route": [{"destination-prefix": "10.0.0.0/8", "metric": 1}]}}'
    path = "/a:routes/route[destination-prefix='10.0.0.0/8']/metric"
    assert json.loads(edited(path, 1, 5, text))["a:routes"]["route"][0]["metric"] == 5


@pytest.mark.parametrize(
    ("path", "old", "new", "says"),
    [
        (f"{GE0}/mtu", None, None, "nothing at"),
        (f"{GE0}/enabled", True, False, "is False, not True"),
        ("enabled", None, True, "not a path"),
        ("", None, True, "needs a path"),
    ],
)
def test_an_edit_that_does_not_fit_says_so(path: str, old: object, new: object, says: str) -> None:
    with pytest.raises(EditError, match=says):
        edited(path, old, new)


LEAF = st.one_of(st.booleans(), st.integers(-9, 9), st.text("ab", max_size=3))
ENTRY = st.fixed_dictionaries({"name": st.sampled_from("abcd")}, optional={"x": LEAF, "y": LEAF})
TREE = st.recursive(
    st.dictionaries(st.sampled_from(["m:a", "b", "c"]), LEAF, max_size=3),
    lambda inner: st.dictionaries(
        st.sampled_from(["m:a", "b", "c"]),
        st.one_of(
            LEAF, inner, st.lists(ENTRY, min_size=1, max_size=3, unique_by=lambda e: e["name"])
        ),
        max_size=3,
    ),
    max_leaves=8,
)


@pytest.mark.thorough
@given(TREE, TREE, st.sampled_from([None, 2]))
def test_derived_edits_lead_from_one_document_to_the_other(
    old: object, new: object, indent: int | None
) -> None:
    editor = DataEditor("d", "f", json.dumps(old, indent=indent))
    for edit in edits_between("d", "f", editor.text, json.dumps(new)):
        assert isinstance(edit, DataEdit)
        editor.apply(edit)
    assert unordered(json.loads(editor.text)) == unordered(new)


def unordered(value: object) -> object:
    """A document whose lists of named entries are sets, and whose empty lists are nothing."""
    if isinstance(value, dict):
        return {k: unordered(v) for k, v in value.items() if v != []}
    if isinstance(value, list) and value and all(isinstance(e, dict) for e in value):
        return sorted((unordered(e) for e in value), key=lambda e: json.dumps(e, sort_keys=True))
    return value
