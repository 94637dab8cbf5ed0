"""A change of OpenConfig data as a Set of gNMI (gNMI specification, section 3.4).

The text is what a Set says, in JSON: paths to delete, then values to replace, then values to
update, each in JSON_IETF (RFC 7951). A server makes them in that order and all at once.
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from typing import Any

from ..network.edits import DataEdit
from .paths import steps_of


def path_text(path: str) -> str:
    """A path as gNMI writes it (gNMI path conventions): keys without quotes, what would end one
    escaped."""
    out = []
    for name, keys in steps_of(path):
        shown = "".join(f"[{key}={_escaped(value)}]" for key, value in keys.items())
        out.append(f"/{name}{shown}")
    return "".join(out)


def _escaped(value: str) -> str:
    return value.replace("\\", "\\\\").replace("]", "\\]")


def as_set(edits: Iterable[DataEdit]) -> str:
    """Edits as one Set; what an edit gives as a whole replaces, single values update."""
    delete: list[str] = []
    replace: list[dict[str, Any]] = []
    update: list[dict[str, Any]] = []
    for edit in edits:
        path = path_text(edit.path)
        if edit.new is None:
            delete.append(path)
        elif edit.old is not None and isinstance(edit.new, dict | list):
            replace.append({"path": path, "val": edit.new})
        else:
            update.append({"path": path, "val": edit.new})
    said: dict[str, Any] = {"encoding": "JSON_IETF"}
    for name, held in (("delete", delete), ("replace", replace), ("update", update)):
        if held:
            said[name] = held
    return json.dumps(said, indent=1, ensure_ascii=False)
