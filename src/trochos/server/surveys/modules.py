"""YANG data held against its modules by an independent validator, before a change is offered."""

from __future__ import annotations

import json
import re
import threading
from functools import lru_cache
from typing import Any

from jsonschema import Draft202012Validator
from jsonschema.exceptions import best_match
from yangson import DataModel
from yangson.enumerations import ContentType, ValidationScope
from yangson.exceptions import YangsonException

from .. import settings

FOLDERS = (settings.ROOT / "yang", settings.ROOT / "yang" / "standard")
IMPORT_ONLY = frozenset(
    (
        *("ietf-yang-types", "ietf-inet-types", "ietf-routing-types", "iana-routing-types"),
        *("ietf-packet-fields", "ietf-ethertypes", "ietf-bfd-types", "iana-bfd-types"),
        *("ietf-netconf-acm", "iana-crypt-hash"),
    )
)
"""Modules whose types are used, and of which no data is expected."""
_building = threading.Lock()


def library() -> str:
    """What a device would say it implements (RFC 7895): every module, with every feature."""
    texts = {p.stem: p.read_text() for folder in FOLDERS for p in folder.glob("*.yang")}
    modules = []
    for text in texts.values():
        name = re.search(r"^\s*module ([\w-]+)", text, re.M)
        if name is None:
            continue  # a submodule comes with its module
        space = re.search(r'namespace\s+"([^"]+)"', text)
        assert space is not None
        entry: dict[str, Any] = {
            "name": name.group(1),
            "revision": _revision(text),
            "namespace": space.group(1),
            "conformance-type": "import" if name.group(1) in IMPORT_ONLY else "implement",
        }
        if features := re.findall(r"^\s*feature ([\w-]+)", text, re.M):
            entry["feature"] = features
        if parts := re.findall(r"^\s*include ([\w-]+)", text, re.M):
            entry["submodule"] = [{"name": p, "revision": _revision(texts[p])} for p in parts]
        modules.append(entry)
    state = {"module-set-id": "all", "module": modules}
    return json.dumps({"ietf-yang-library:modules-state": state})


def _revision(text: str) -> str:
    found = re.search(r'^\s*revision "?(\d{4}-\d\d-\d\d)"?', text, re.M)
    assert found is not None
    return found.group(1)


@lru_cache(maxsize=1)
def _built() -> DataModel:
    return DataModel(library(), [str(folder) for folder in FOLDERS])


def model() -> DataModel:
    """The modules, read once per process (some seconds)."""
    with _building:
        return _built()


@lru_cache(maxsize=1)
def openconfig() -> Draft202012Validator:
    """OpenConfig's models as a schema of their data (yang/openconfig/extract.py)."""
    text = (settings.ROOT / "yang" / "openconfig" / "schema.json").read_text()
    return Draft202012Validator(json.loads(text))


def _openconfig_problem(data: Any) -> str | None:
    found = best_match(openconfig().iter_errors(data))
    if found is None:
        return None
    where = "/".join(str(step) for step in found.absolute_path)
    said = found.message if len(found.message) <= 200 else f"{found.message[:200]}..."
    return f"{said} (at {where})."


def problem_with(data: Any) -> str | None:
    """What the modules do not allow about data as RFC 7951 JSON, in one sentence; None if it is
    valid. Masked secrets stand where keys were, so patterns of keys are not judged."""
    if isinstance(data, dict) and any(key.startswith("openconfig-") for key in data):
        return _openconfig_problem(data)
    try:
        model().from_raw(data).validate(ValidationScope.all, ContentType.config)
    except YangsonException as error:
        return f"{type(error).__name__} at {error}."[:400]
    return None
