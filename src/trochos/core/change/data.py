"""Edits of data in place: every other byte of the text stays as it is."""

from __future__ import annotations

import json
from functools import lru_cache
from typing import Any

from ..network.edits import DataEdit, EditError
from ..readers.located import DataError, Node, parse_data
from ..readers.located_xml import XmlNode
from . import xml_data
from .paths import Step, down, steps_of, wrapped


class DataEditor:
    """One text of data under change, JSON or XML."""

    def __init__(self, device: str, file: str, text: str) -> None:
        self.device, self.file, self.text = device, file, text

    def apply(self, edit: DataEdit) -> None:
        """Makes one edit.

        Raises:
            EditError: the path leads nowhere, or another value stands there than `old`.
        """
        try:
            root = parse_data(self.text)
        except DataError as error:
            raise EditError(f"{self.device}, {self.file}, line {error.line}: {error}.") from error
        steps = steps_of(edit.path)
        here = wrapped(root)
        trail = [here]
        depth = 0
        for step in steps:
            below = down(here, step)
            if below is None:
                break
            here = below
            trail.append(below)
            depth += 1
        complete = depth == len(steps)
        if edit.new is None:
            if not complete:
                raise EditError(
                    f"{self.device}, {self.file}: there is nothing at {edit.path} to remove."
                )
            if isinstance(root, XmlNode):
                self.text = xml_data.cut(self.text, here)
            else:
                self._cut(root, here)
        elif complete:
            value = plain(here)
            if edit.old is not None and not xml_data.same(value, edit.old):
                raise EditError(
                    f"{self.device}, {self.file}: {edit.path} is {value!r}, not {edit.old!r}."
                )
            if isinstance(root, XmlNode):
                self.text = xml_data.replaced(self.text, here, steps[-1][0], edit.new)
            else:
                self._replace(here, edit.new)
        elif isinstance(root, XmlNode):
            self.text = xml_data.grown(self.text, here, steps[depth:], edit.new, edit.path)
        else:
            self._grow(here, steps[depth:], edit.new, edit.path)

    # -- splices -----------------------------------------------------------------

    def _indent_at(self, offset: int) -> str:
        start = self.text.rfind("\n", 0, offset) + 1
        line = self.text[start:offset]
        return line[: len(line) - len(line.lstrip())]

    def _dump(self, value: Any, indent: str) -> str:
        text = json.dumps(value, indent=2, ensure_ascii=False)
        return text.replace("\n", "\n" + indent)

    def _replace(self, node: Node, value: Any) -> None:
        start = node.start
        body = self._dump(value, self._indent_at(start))
        self.text = self.text[:start] + body + self.text[node.end :]

    def _cut(self, root: Node, node: Node) -> None:
        """Takes a member or an element out, with one of the commas beside it."""
        parent = next(
            item
            for item in root.walk()
            if node in (item.elements() or list(item.members().values()))
        )
        siblings = parent.elements() or list(parent.members().values())
        if len(siblings) == 1 and parent is not root and self._is_list_of(root, parent):
            # A list without entries says nothing; what holds it need not name it.
            self._cut(root, parent)
            return
        at = siblings.index(node)
        start = node.start
        if isinstance(parent.value, dict):
            start = self.text.rfind('"', 0, self.text.rfind(":", 0, node.start))
            start = self.text.rfind('"', 0, start)
        if at:
            start = siblings[at - 1].end
            end = node.end
        elif len(siblings) > 1:
            end = siblings[1].start
            if isinstance(parent.value, dict):
                end = self.text.rfind('"', 0, self.text.rfind(":", 0, end))
                end = self.text.rfind('"', 0, end)
        else:
            start, end = parent.start + 1, parent.end - 1
        self.text = self.text[:start] + self.text[end:]

    @staticmethod
    def _is_list_of(root: Node, node: Node) -> bool:
        return isinstance(node.value, list) and isinstance(wrapped(root).value, dict)

    def _grow(self, here: Node, steps: list[Step], value: Any, path: str) -> None:
        """Makes what a path names and does not find yet."""
        (name, keys), rest = steps[0], steps[1:]
        for step, held in reversed(rest):
            value = {step: [{**_typed(held), **value}] if held else value}
        if isinstance(here.value, list):
            if not name.isdigit() or rest:
                raise EditError(f"{self.device}, {self.file}: {path} leads nowhere.")
            self._append(here, None, value)
            return
        if not isinstance(here.value, dict):
            raise EditError(f"{self.device}, {self.file}: {path} leads nowhere.")
        if not keys:
            self._append(here, name, value)
            return
        if not isinstance(value, dict):
            raise EditError(f"{self.device}, {self.file}: an entry of a list is an object: {path}.")
        entry = {**_typed(keys), **value}
        listed = here.peek(name)
        if listed is None:
            self._append(here, name, [entry])
        else:
            self._append(listed, None, entry)

    def _append(self, node: Node, name: str | None, value: Any) -> None:
        held = node.elements() or list(node.members().values())
        label = "" if name is None else json.dumps(name) + ": "
        if held:
            last = held[-1]
            indent = self._indent_at(held[0].start)
            on_one_line = "\n" not in self.text[node.start : held[0].start]
            gap = " " if on_one_line else "\n" + indent
            body = "," + gap + label + self._dump(value, indent)
            self.text = self.text[: last.end] + body + self.text[last.end :]
            return
        outer = self._indent_at(node.start)
        indent = outer + "  "
        opening, closing = ("{", "}") if isinstance(node.value, dict) else ("[", "]")
        body = f"{opening}\n{indent}{label}{self._dump(value, indent)}\n{outer}{closing}"
        self.text = self.text[: node.start] + body + self.text[node.end :]


@lru_cache(maxsize=512)
def edited(text: str, edit: DataEdit) -> str:
    """A masked text after one edit; a search tries the same edits again and again.

    Raises:
        EditError: as `DataEditor.apply`.
    """
    editor = DataEditor(edit.device, edit.file, text)
    editor.apply(edit)
    return editor.text


def _typed(keys: dict[str, str]) -> dict[str, Any]:
    """Keys as JSON: numbers that YANG writes as JSON numbers stay numbers."""
    numeric = ("seq", "sequence", "key-id", "asn")
    return {k: int(v) if k in numeric and v.isdigit() else v for k, v in keys.items()}


def plain(node: Node) -> Any:
    """A node as plain JSON."""
    if isinstance(node.value, dict):
        return {key: plain(child) for key, child in node.value.items()}
    if isinstance(node.value, list):
        return [plain(child) for child in node.value]
    return node.value
