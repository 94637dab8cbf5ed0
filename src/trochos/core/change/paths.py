"""Instance identifiers: how an edit names a place in data."""

from __future__ import annotations

import re

from ..network.edits import EditError
from ..readers.located import Node

_STEP = re.compile(r"/([^/\[\]']*)((?:\[[^\]=]+='[^']*'\])*)(?=/|$)")
_KEY = re.compile(r"\[([^\]=]+)='([^']*)'\]")

Step = tuple[str, dict[str, str]]


def steps_of(path: str) -> list[Step]:
    """The steps of an instance identifier: a name and the keys that choose a list's entry.

    Raises:
        EditError: it is not one.
    """
    out: list[Step] = []
    position = 0
    while position < len(path):
        match = _STEP.match(path, position)
        if match is None or match.end() == position:
            raise EditError(f"{path!r} is not a path. Write /module:container/list[key='value'].")
        out.append((match.group(1), dict(_KEY.findall(match.group(2)))))
        position = match.end()
    if not out:
        raise EditError("An edit of data needs a path.")
    return out


def words_of(path: str) -> str:
    """A path in words: the entries of lists that it leads through, and the name at its end.

    The page says the same in web/src/change/EditLines.tsx.
    """
    steps = steps_of(path)
    words = []
    for number, (name, keys) in enumerate(steps):
        plain = name.partition(":")[2] or name
        if keys:
            # Of a protocol its name is enough; its type says the same once more.
            told = [k for k in keys if len(keys) == 1 or k not in ("type", "identifier")]
            shown = " ".join(bare(keys[key]) for key in told)
            words.append(f"{plain.replace('control-plane-protocol', 'protocol')} {shown}")
        elif number == len(steps) - 1:
            words.append(plain)
    return ", ".join(words)


def ancestors(path: str) -> list[str]:
    """The paths of all nodes from the outermost to the one that a path names."""
    steps_of(path)  # refuses what is none
    return [path[: match.end()] for match in _STEP.finditer(path)]


def wrapped(root: Node) -> Node:
    """Where paths start: inside the wrapping of an instance file (RFC 9195)."""
    whole = root.peek("ietf-yang-instance-data:instance-data-set")
    inner = whole.peek("content-data") if whole is not None else None
    return inner if inner is not None else root


def bare(text: str) -> str:
    """A key without the module in front of an identity (RFC 7951, 6.8)."""
    head, colon, tail = text.partition(":")
    return (
        tail if colon and head.startswith(("ietf-", "iana-", "trochos-", "openconfig-")) else text
    )


def _matches(entry: Node, keys: dict[str, str]) -> bool:
    for name, wanted in keys.items():
        held = entry.peek(name)
        if held is None or bare(str(held.value)) != bare(wanted):
            return False
    return True


def down(node: Node, step: Step) -> Node | None:
    name, keys = step
    if isinstance(node.value, list):
        if not name.isdigit() or int(name) >= len(node.value):
            return None
        found: Node = node.value[int(name)]
        return found
    inner = node.peek(name) if name else node
    if inner is None or not keys:
        return inner
    return next((entry for entry in inner.elements() if _matches(entry, keys)), None)


def at_path(root: Node, path: str) -> Node | None:
    """The node at an instance identifier, or None."""
    here: Node | None = wrapped(root)
    for step in steps_of(path):
        here = down(here, step) if here is not None else None
    return here
