"""From an edited text back to edits: what somebody changed, section by section."""

from __future__ import annotations

from collections import Counter
from typing import Any

from ..network.edits import DataEdit, Edit, EditError, TextEdit
from ..readers.frr.abbreviations import spelled
from ..readers.located import DataError, parse_data
from .braces import has_braces, sections_of
from .data import plain
from .text import Section, squeeze

_KEYS = ("name", "ip", "destination-prefix", "prefix", "sequence", "area-id", "remote-address")


def edits_between(device: str, file: str, old: str, new: str) -> tuple[Edit, ...]:
    """The edits that turn one text of a file into another.

    Raises:
        EditError: the new text is data and damaged; the message names the line.
    """
    if old.lstrip()[:1] in ("{", "[", "<"):
        try:
            return tuple(_data(device, file, "", plain(parse_data(old)), plain(parse_data(new))))
        except DataError as error:
            raise EditError(f"{device}, {file}, line {error.line}: {error}.") from error
    before, after = _by_section(old), _by_section(new)
    out: list[Edit] = []
    for context in dict.fromkeys([*before, *after]):
        old_lines, new_lines = before.get(context, ()), after.get(context, ())
        was = Counter(line for line, _ in old_lines)
        now = Counter(line for line, _ in new_lines)
        gone = tuple(written for line, written in old_lines if now[line] < was[line])
        come = tuple(written for line, written in new_lines if was[line] < now[line])
        if context and context not in after:
            parent, opening = context[:-1], context[-1]
            if parent in after or not parent:
                out.append(TextEdit(device, file, parent, (opening,), ()))
            continue
        if gone or come or context not in before:
            out.append(TextEdit(device, file, context, gone, come))
    return tuple(out)


def _by_section(text: str) -> dict[tuple[str, ...], list[tuple[str, str]]]:
    """The lines of each section, with their keywords spelled out and as they are written."""
    rows = text.split("\n")
    full = rows if has_braces(text) else spelled(text)
    out: dict[tuple[str, ...], list[tuple[str, str]]] = {}

    def visit(section: Section, trail: tuple[str, ...]) -> None:
        lines = [(squeeze(full[n]), squeeze(rows[n])) for n in section.body]
        out.setdefault(trail, []).extend(lines)
        for inner in section.inner:
            visit(inner, (*trail, inner.opening))

    visit(sections_of(text), ())
    return out


def _key_of(entries: list[Any]) -> str | None:
    """The member that tells the entries of a list apart, if there is one."""
    for key in _KEYS:
        values = [entry.get(key) for entry in entries if isinstance(entry, dict)]
        if len(values) == len(entries) and None not in values:
            if len(set(map(str, values))) == len(values):
                return key
    return None


def _entries(values: list[Any]) -> bool:
    """True for a list of objects, such as captures are."""
    return all(isinstance(value, dict) for value in values)


def _listed(device: str, file: str, path: str, old: list[Any], new: list[Any]) -> list[Edit]:
    """Entries that nothing tells apart: those that go, the last first, then those that come.

    Any of these edits can be made without the others, as long as they stay in this order.
    """
    left, out = list(new), list[Edit]()
    gone: list[int] = []
    for index, entry in enumerate(old):
        if entry in left:
            left.remove(entry)
        else:
            gone.append(index)
    for index in reversed(gone):
        out.append(DataEdit(device, file, f"{path}/{index}", old[index], None))
    for number, entry in enumerate(left):
        out.append(DataEdit(device, file, f"{path}/{len(old) + number}", None, entry))
    return out


def _data(device: str, file: str, path: str, old: Any, new: Any) -> list[Edit]:
    if old == new:
        return []
    wrapping = "ietf-yang-instance-data:instance-data-set"
    if not path and isinstance(old, dict) and isinstance(new, dict) and wrapping in old:
        left = old[wrapping].get("content-data", {})
        right = new.get(wrapping, {}).get("content-data", {})
        return _data(device, file, path, left, right)
    out: list[Edit] = []
    if isinstance(old, dict) and isinstance(new, dict):
        for name in dict.fromkeys([*old, *new]):
            where = f"{path}/{name}"
            if name not in new:
                out.append(DataEdit(device, file, where, old[name], None))
            elif name not in old:
                out.append(DataEdit(device, file, where, None, new[name]))
            else:
                out += _data(device, file, where, old[name], new[name])
        return out
    if isinstance(old, list) and isinstance(new, list) and old and new:
        key = _key_of(old)
        if key is not None and key == _key_of(new):
            left = {str(entry[key]): entry for entry in old}
            right = {str(entry[key]): entry for entry in new}
            for name in dict.fromkeys([*left, *right]):
                where = f"{path}[{key}='{name}']"
                if name not in right:
                    out.append(DataEdit(device, file, where, None, None))
                elif name not in left:
                    rest = {k: v for k, v in right[name].items() if k != key}
                    out.append(DataEdit(device, file, where, None, rest))
                else:
                    out += _data(device, file, where, left[name], right[name])
            return out
        if len(old) == len(new):
            for index, (a, b) in enumerate(zip(old, new, strict=True)):
                out += _data(device, file, f"{path}/{index}", a, b)
            return out
    if isinstance(old, list) and isinstance(new, list) and _entries(old) and _entries(new):
        return _listed(device, file, path, old, new)
    return [DataEdit(device, file, path, old, new)]
