"""What an edit is: a change of one device's text or data, or a failure to try out."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any, NamedTuple


class EditError(ValueError):
    """An edit cannot be made; the message says where and what to do."""


class TextEdit(NamedTuple):
    """Lines to take out of and to put into one section of a configuration text.

    `context` names the section by its opening lines, outermost first; empty is the top
    level. A removed line is named as it stands there.
    """

    device: str
    file: str
    context: tuple[str, ...] = ()
    remove: tuple[str, ...] = ()
    add: tuple[str, ...] = ()

    def as_json(self) -> dict[str, object]:
        return {
            "device": self.device,
            "file": self.file,
            "context": list(self.context),
            "remove": list(self.remove),
            "add": list(self.add),
        }


class DataEdit(NamedTuple):
    """One value of structured data: `old` None makes it, `new` None removes it.

    `path` is an instance identifier (RFC 7951, 6.11) or, in lists without keys, has
    positions as steps.
    """

    device: str
    file: str
    path: str
    old: Any = None
    new: Any = None

    def __hash__(self) -> int:
        value = json.dumps([self.old, self.new], sort_keys=True)
        return hash((self.device, self.file, self.path, value))

    def as_json(self) -> dict[str, object]:
        return {
            "device": self.device,
            "file": self.file,
            "path": self.path,
            "old": self.old,
            "new": self.new,
        }


class Down(NamedTuple):
    """Interfaces, or with None whole devices, that fail."""

    ends: tuple[tuple[str, str | None], ...]

    @property
    def device(self) -> str:
        return self.ends[0][0]

    def as_json(self) -> dict[str, object]:
        listed = [{"device": device, "interface": name} for device, name in self.ends]
        return {"down": listed[0] if len(listed) == 1 else {"link": listed}}


Edit = TextEdit | DataEdit | Down


class Remedy(NamedTuple):
    """Edits that belong together, with a title a person would give them."""

    title: str
    edits: tuple[Edit, ...]
    customary: bool = False
    """True if others of the network write it so: how much it takes in is not a guess then."""
    odd: bool = False
    """True if what stands there now is clearly the odd one of two, as the network's rest says."""
    basis: str = ""
    """Why here and not at the other end, in a sentence; "" where there is no choice."""

    def as_json(self) -> dict[str, object]:
        edits = [edit.as_json() for edit in self.edits]
        return {"title": self.title, "edits": edits, "basis": self.basis or None}


def _lines(item: Mapping[str, Any], key: str, at: str) -> tuple[str, ...]:
    value = item.get(key, [])
    if isinstance(value, str):
        value = value.splitlines()
    if not isinstance(value, list) or not all(isinstance(line, str) for line in value):
        raise EditError(f'{at}: "{key}" is a list of lines.')
    return tuple(value)


def _end(item: Any, at: str) -> tuple[str, str | None]:
    if not isinstance(item, Mapping) or not isinstance(item.get("device"), str):
        raise EditError(f'{at}: what goes down has a "device", and perhaps an "interface".')
    name = item.get("interface")
    if name is not None and not isinstance(name, str):
        raise EditError(f'{at}: "interface" is the name of an interface.')
    return item["device"], name


def read_edits(document: Any) -> tuple[Edit, ...]:
    """Reads `{"edits": [...]}` as in the contract.

    Raises:
        EditError: it has another shape; the message names the edit.
    """
    items = document.get("edits") if isinstance(document, Mapping) else None
    if not isinstance(items, list):
        raise EditError('A change is {"edits": [...]}; see the manual for what an edit looks like.')
    out: list[Edit] = []
    for number, item in enumerate(items, 1):
        at = f"Edit {number}"
        if not isinstance(item, Mapping):
            raise EditError(f"{at} is not an object.")
        if "down" in item:
            what = item["down"]
            link = what.get("link") if isinstance(what, Mapping) else None
            if link is not None and (not isinstance(link, list) or len(link) != 2):
                raise EditError(f'{at}: a "link" has two ends.')
            out.append(Down(tuple(_end(end, at) for end in (link or [what]))))
            continue
        device, file = item.get("device"), item.get("file")
        if not isinstance(device, str) or not isinstance(file, str):
            raise EditError(f'{at} names a "device" and a "file" of it, or what goes "down".')
        if "path" in item:
            if not isinstance(item["path"], str):
                raise EditError(f'{at}: "path" is text.')
            out.append(DataEdit(device, file, item["path"], item.get("old"), item.get("new")))
        elif "add" in item or "remove" in item:
            out.append(
                TextEdit(
                    device,
                    file,
                    _lines(item, "context", at),
                    _lines(item, "remove", at),
                    _lines(item, "add", at),
                )
            )
        else:
            raise EditError(f'{at} has neither "add" or "remove" (text) nor a "path" (data).')
    return tuple(out)
