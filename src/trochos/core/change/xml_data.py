"""Edits of XML data in place: every other character of the text stays as it is."""

from __future__ import annotations

import re
from typing import Any

from ..network.edits import EditError
from ..readers.located import Node
from .elements import elements, leaf, scalar
from .paths import Step, bare

_OPENING = re.compile(r"<([\w.-]+:)?([\w.-]+)(?:\"[^\"]*\"|'[^']*'|[^>\"'])*>")


def replaced(text: str, node: Node, name: str, value: Any) -> str:
    """The text with another value for an element."""
    opening = _OPENING.match(text, node.start)
    assert opening is not None
    pad = _indent(text, node.start)
    if isinstance(value, (dict, list)):
        lines = elements(_local(name), value, pad, opening.group(1) or "")
        # What declared the namespace of the old element declares that of the new one.
        lines[0] = pad + _with_declarations(lines[0].strip(), opening.group())
        return text[: node.start] + "\n".join(lines).lstrip() + text[node.end :]
    body = leaf(_local(name), value, "", opening.group(1) or "")
    body = _with_declarations(body, opening.group())
    return text[: node.start] + body + text[node.end :]


def cut(text: str, node: Node) -> str:
    """The text without an element, and without the line break before it."""
    start = node.start
    while start > 0 and text[start - 1] in " \t":
        start -= 1
    if start > 0 and text[start - 1] == "\n":
        start -= 1
    else:
        start = node.start
    return text[:start] + text[node.end :]


def grown(text: str, here: Node, steps: list[Step], value: Any, path: str) -> str:
    """The text with what a path names and does not find yet, below the element `here`.

    Raises:
        EditError: the element holds text, so nothing can stand below it.
    """
    (name, keys), rest = steps[0], steps[1:]
    for step, held in reversed(rest):
        value = {step: {**held, **value} if held else value}
    if keys:
        if not isinstance(value, dict):
            raise EditError(f"An entry of a list has members: {path}.")
        value = {**keys, **value}
    if not isinstance(here.value, dict):
        raise EditError(f"{path} leads nowhere.")
    opening = _OPENING.match(text, here.start)
    assert opening is not None
    outer = _indent(text, here.start)
    lines = "\n".join(elements(name, value, outer + "  ", opening.group(1) or ""))
    if opening.group().endswith("/>"):
        tag = f"{opening.group(1) or ''}{opening.group(2)}"
        body = f"{opening.group()[:-2].rstrip()}>\n{lines}\n{outer}</{tag}>"
        return text[: here.start] + body + text[here.end :]
    closing = text.rindex("</", here.start, here.end)
    before = text[:closing].rstrip(" \t\n")
    return f"{before}\n{lines}\n{outer}{text[closing:]}"


def same(held: Any, wanted: Any) -> bool:
    """True if a value of the text is the wanted one; XML knows texts only."""
    if isinstance(wanted, dict) and isinstance(held, dict):
        return held.keys() == wanted.keys() and all(same(held[k], wanted[k]) for k in held)
    if isinstance(wanted, list) or isinstance(held, list):
        left = held if isinstance(held, list) else [held]
        right = wanted if isinstance(wanted, list) else [wanted]
        return len(left) == len(right) and all(map(same, left, right))
    return bare(scalar(held)) == bare(scalar(wanted))


def _local(name: str) -> str:
    return name.rpartition(":")[2]


def _with_declarations(element: str, opening: str) -> str:
    declared = [
        item
        for item in re.findall(r"\sxmlns(?::[\w.-]+)?=(?:\"[^\"]*\"|'[^']*')", opening)
        if item.strip().split("=")[0] not in element.split(">", 1)[0]
    ]
    head, mark, tail = element.partition(">")
    if head.endswith("/"):
        return head[:-1] + "".join(declared) + "/" + mark + tail
    return head + "".join(declared) + mark + tail


def _indent(text: str, offset: int) -> str:
    start = text.rfind("\n", 0, offset) + 1
    line = text[start:offset]
    return line[: len(line) - len(line.lstrip())]
