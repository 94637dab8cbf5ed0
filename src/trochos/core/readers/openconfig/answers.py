"""Answers of gNMI: the values of several paths, each a part of the device's tree.

A Get's answer as JSON holds notifications with updates of a path and a value; the path is text,
or the elements of the protocol's own messages (gNMI specification, sections 2.2.2 and 2.4.1).
"""

from __future__ import annotations

import base64
import binascii
import re

from ..located_json import JsonError, Node, parse

Step = tuple[str, dict[str, str]]
WRAPPED = ("json_ietf_val", "jsonIetfVal", "json_val", "jsonVal")
"""The members that hold data as a value, as bytes or as text."""
VALUES = ("val", "value", "values")
"""The members of an update that hold its value."""
_STEP = re.compile(r"([^/\[\]]+)((?:\[[^\]=]+=[^\]]*\])*)(?:/|$)")
_KEY = re.compile(r"\[([^\]=]+)=([^\]]*)\]")


def looks_like(root: Node) -> bool:
    """True for an answer of gNMI: notifications, alone or in a list of answers."""
    return any(True for _ in _updates(root))


def _updates(root: Node) -> list[tuple[Node, Node]]:
    """(notification, update) of every value in an answer."""
    out = []
    answers = root.elements() or [root]
    for answer in answers:
        held = answer.peek("notification") or answer.peek("notifications")
        for notification in held.elements() if held is not None else []:
            updates = notification.peek("update") or notification.peek("updates")
            for update in updates.elements() if updates is not None else []:
                if update.peek("path") is not None:
                    out.append((notification, update))
    return out


def steps_of(node: Node | None) -> list[Step]:
    """The steps of a path, as text or as elements; none if it is the root."""
    if node is None:
        return []
    if isinstance(node.value, str):
        text = node.value.strip().lstrip("/")
        return [(name, dict(_KEY.findall(keys))) for name, keys in _STEP.findall(text)]
    elements = node.peek("elem") or node.peek("element")
    out: list[Step] = []
    for element in elements.elements() if elements is not None else []:
        if isinstance(element.value, str):
            out += steps_of(element)
            continue
        keys = element.peek("key")
        held = {k: str(v.value) for k, v in keys.members().items()} if keys is not None else {}
        out.append((element.text("name") or "", held))
    return out


def named(update: Node) -> tuple[str, str]:
    """What the path of an update names: the last step's name, and the one's before it."""
    names = [name.rsplit(":", 1)[-1] for name, _ in steps_of(update.peek("path"))]
    return (names[-1] if names else "", names[-2] if len(names) > 1 else "")


def _value(update: Node) -> Node | None:
    """The value of an update, taken out of what the protocol wraps around it."""
    held = next((v for key in VALUES if (v := update.peek(key)) is not None), None)
    if held is None:
        return None
    for key in WRAPPED:
        inner = held.peek(key)
        if inner is not None:
            return _decoded(inner)
    for key in ("stringVal", "string_val", "intVal", "uintVal", "uint_val", "boolVal", "bool_val"):
        inner = held.peek(key)
        if inner is not None:
            return inner
    return held


def _decoded(node: Node) -> Node | None:
    """JSON inside a string, with the places of the string: it stands on one line."""
    text = decoded(node.value)
    if text is None:
        return node
    node.seen = 2
    inner = parse(text)
    for below in inner.walk():
        below.line = below.key_line = node.line
        below.start, below.end = node.start, node.end
    return inner


def decoded(value: object) -> str | None:
    """The JSON that a string holds, plain or in base64 as protocol buffers write bytes in JSON;
    none if it holds no object, no list and no quoted text: such a string means itself."""
    if not isinstance(value, str):
        return None
    for attempt in (value, _from_base64(value)):
        if attempt is not None and attempt.lstrip()[:1] in ("{", "[", '"'):
            try:
                parse(attempt)
            except JsonError:
                continue
            return attempt
    return None


def _from_base64(text: str) -> str | None:
    try:
        return base64.b64decode(text, validate=True).decode("utf-8")
    except (binascii.Error, UnicodeDecodeError, ValueError):
        return None


def unwrapped(root: Node) -> list[tuple[list[Step], Node]]:
    """(path, value) of everything in an answer; the wrapping is marked as irrelevant."""
    out = []
    for notification, update in _updates(root):
        notification.ignore("timestamp", "prefix", "alias", "atomic", "delete")
        path = update.peek("path")
        value = _value(update)
        for node in path.walk() if path is not None else ():
            node.seen = node.seen or 2
        update.ignore("duplicates")
        if value is not None:
            before = steps_of(notification.peek("prefix"))
            out.append(([*before, *steps_of(path)], value))
    for answer in root.elements() or [root]:
        answer.ignore("extension", "error", "source", "timestamp", "time")
    return out
