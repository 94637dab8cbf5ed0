"""JSON with the line of every value, parsed within bounds.

The standard parser forgets positions, and evidence needs them. This one keeps the
line of each key and value and remembers which values a reader has used, so that
what nobody used can be reported (RFC 8259; duplicate keys are an error here,
because which of the two a device meant cannot be known).
"""

from __future__ import annotations

import re
from collections.abc import Iterator

MAX_DEPTH = 64
UNSEEN, UNDERSTOOD, IRRELEVANT = 0, 1, 2

_TOKEN = re.compile(
    r"[ \t\r\n]*(?:([{}\[\],:])|(\"(?:[^\"\\\x00-\x1f]|\\.)*\")"
    r"|(-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?)(?![\w.])|(true|false|null)\b)"
)
_ESCAPE = re.compile(r"\\(u[0-9a-fA-F]{4}|.)", re.S)
_SIMPLE = {'"': '"', "\\": "\\", "/": "/", "b": "\b", "f": "\f", "n": "\n", "r": "\r", "t": "\t"}
_WORDS = {"true": True, "false": False, "null": None}


class Document:
    """A parsed file: its text, its lines, and the root of its values."""

    __slots__ = ("lines", "root", "text")

    def __init__(self, text: str, lines: list[str], root: Node) -> None:
        self.text, self.lines, self.root = text, lines, root

    def quote(self, node: Node, limit: int = 240) -> str:
        """What to show as the text of a value: its line, or itself where that says more."""
        line = self.lines[node.key_line - 1].strip() if node.key_line <= len(self.lines) else ""
        itself = " ".join(self.text[node.start : node.end].split())
        crowded = itself in line and len(line) > len(itself) + 40
        if line.endswith(("{", "[")) or crowded or len(line) > limit:
            return itself[:limit]
        return line


class DataError(ValueError):
    """The text is not the data it begins as; `line` is where that shows."""

    def __init__(self, message: str, line: int) -> None:
        super().__init__(message)
        self.line = line


class JsonError(DataError):
    """The text is not JSON."""


class Node:
    """One JSON value: `value` holds a dict or list of Nodes, or a scalar.

    `start` and `end` are offsets into the text, `line` where the value starts and
    `key_line` where its key stands.
    """

    __slots__ = ("end", "key_line", "line", "seen", "start", "value")

    def __init__(self, value: object, line: int, start: int = 0, end: int = 0) -> None:
        self.value = value
        self.line = line
        self.key_line = line
        self.start = start
        self.end = end
        self.seen = UNSEEN

    # -- looking inside, marking what was used -------------------------------

    def get(self, key: str) -> Node | None:
        """The member `key`, marked as used; None if absent or not an object."""
        if not isinstance(self.value, dict):
            return None
        node = self.value.get(key)
        if node is not None:
            node.seen = UNDERSTOOD
        return node

    def peek(self, key: str) -> Node | None:
        """The member `key` without marking it."""
        return self.value.get(key) if isinstance(self.value, dict) else None

    def text(self, key: str) -> str | None:
        """The member `key` if it is a string."""
        node = self.get(key)
        return node.value if node is not None and isinstance(node.value, str) else None

    def integer(self, key: str) -> int | None:
        """The member `key` if it is an integer, also in RFC 7951's string form."""
        node = self.get(key)
        if node is None or isinstance(node.value, bool):
            return None
        if isinstance(node.value, int):
            return node.value
        if isinstance(node.value, str) and re.fullmatch(r"-?\d{1,20}", node.value):
            return int(node.value)
        return None

    def boolean(self, key: str) -> bool | None:
        node = self.get(key)
        return node.value if node is not None and isinstance(node.value, bool) else None

    def items(self, key: str) -> list[Node]:
        """The elements of the list member `key` (none if absent)."""
        node = self.get(key)
        return node.value if node is not None and isinstance(node.value, list) else []

    def elements(self) -> list[Node]:
        return self.value if isinstance(self.value, list) else []

    def members(self) -> dict[str, Node]:
        return self.value if isinstance(self.value, dict) else {}

    def ignore(self, *keys: str) -> None:
        """Marks members, with all below, as known and irrelevant."""
        for key in keys:
            node = self.peek(key)
            if node is not None:
                for inner in node.walk():
                    inner.seen = IRRELEVANT

    def use(self, *keys: str) -> None:
        """Marks members, with all below, as understood."""
        for key in keys:
            node = self.peek(key)
            if node is not None:
                node.use_all()

    def ignore_all(self) -> None:
        for inner in self.walk():
            inner.seen = IRRELEVANT

    def ignore_rest(self) -> None:
        """Marks what nobody used so far as known and irrelevant."""
        for inner in self.walk():
            inner.seen = inner.seen or IRRELEVANT

    def plain(self) -> object:
        """The value alone, without places."""
        if isinstance(self.value, dict):
            return {key: node.plain() for key, node in self.value.items()}
        if isinstance(self.value, list):
            return [node.plain() for node in self.value]
        return self.value

    def use_all(self) -> None:
        for inner in self.walk():
            inner.seen = UNDERSTOOD

    def walk(self) -> Iterator[Node]:
        stack = [self]
        while stack:
            node = stack.pop()
            yield node
            if isinstance(node.value, dict):
                stack.extend(node.value.values())
            elif isinstance(node.value, list):
                stack.extend(node.value)

    def leaves(self) -> Iterator[tuple[str, Node]]:
        """Every scalar and empty container below, with its path from here."""
        stack: list[tuple[str, Node]] = [("", self)]
        while stack:
            path, node = stack.pop()
            if isinstance(node.value, dict) and node.value:
                stack.extend((f"{path}/{key}", child) for key, child in node.value.items())
            elif isinstance(node.value, list) and node.value:
                stack.extend((f"{path}[{i}]", child) for i, child in enumerate(node.value))
            else:
                yield path, node


def parse(text: str) -> Node:
    """Parses one JSON document.

    Raises:
        JsonError: not JSON, a key twice in one object, or deeper than MAX_DEPTH.
    """
    position = 0
    line, counted = 1, 0  # the line breaks before offset `counted` are in `line`
    length = len(text)
    root: Node | None = None
    stack: list[Node] = []
    keys: list[tuple[str, int] | None] = []
    # What may come next: a value, a key, a colon, a comma or a closing bracket.
    expect = "value"

    def line_at(offset: int) -> int:
        return text.count("\n", 0, offset) + 1

    while True:
        match = _TOKEN.match(text, position)
        if match is None:
            rest = text[position:].strip(" \t\r\n")
            if rest == "" and root is not None and not stack:
                return root
            offset = length - len(text[position:].lstrip(" \t\r\n")) if rest else length
            if rest == "":
                raise JsonError("the JSON ends before it is complete", line_at(max(length - 1, 0)))
            raise JsonError(f"this is not JSON: {rest[:20]!r}", line_at(offset))
        position = match.end()
        start = match.start(match.lastindex or 0)
        # A token holds no line break, so only the space before it is counted.
        line += text.count("\n", counted, start)
        counted = start
        mark, string, number, word = match.groups()
        if root is not None and not stack:
            raise JsonError("something follows after the end of the JSON", line)

        if mark in ("}", "]"):
            closing = dict if mark == "}" else list
            if not stack or not isinstance(stack[-1].value, closing) or expect in ("colon",):
                raise JsonError(f"unexpected {mark!r}", line)
            if expect in ("value", "key") and stack[-1].value:
                raise JsonError(f"a comma stands before {mark!r}", line)
            if expect == "value" and isinstance(stack[-1].value, dict):
                raise JsonError(f"a value is missing before {mark!r}", line)
            stack.pop().end = position
            keys.pop()
            if stack and text.startswith(",", position):
                position += 1
                expect = "key" if isinstance(stack[-1].value, dict) else "value"
            else:
                expect = "comma"
            continue
        if mark == ",":
            if expect != "comma" or not stack:
                raise JsonError("unexpected ','", line)
            expect = "key" if isinstance(stack[-1].value, dict) else "value"
            continue
        if mark == ":":
            if expect != "colon":
                raise JsonError("unexpected ':'", line)
            expect = "value"
            continue
        if expect == "key":
            if string is None:
                raise JsonError("a key in quotes is expected here", line)
            key = _unquote(string, line)
            if key in stack[-1].value:  # type: ignore[operator]
                raise JsonError(f"the key {key!r} stands here twice", line)
            keys[-1] = (key, line)
            # Most marks follow at once, and are not searched for.
            if text.startswith(":", position):
                position += 1
                expect = "value"
            else:
                expect = "colon"
            continue
        if expect != "value":
            raise JsonError("a comma or a closing bracket is expected here", line)

        if mark == "{":
            node = Node({}, line, start)
        elif mark == "[":
            node = Node([], line, start)
        elif string is not None:
            node = Node(_unquote(string, line), line, start, position)
        elif number is not None:
            if len(number) > 400:
                raise JsonError("a number of over 400 digits", line)
            whole = number.isdigit() or (number[0] == "-" and number[1:].isdigit())
            value = int(number) if whole else float(number)
            node = Node(value, line, start, position)
        else:
            node = Node(_WORDS[word], line, start, position)

        if stack:
            parent = stack[-1].value
            if isinstance(parent, dict):
                pending = keys[-1]
                assert pending is not None
                parent[pending[0]] = node
                node.key_line = pending[1]
            else:
                assert isinstance(parent, list)
                parent.append(node)
        else:
            root = node
        if mark in ("{", "["):
            if len(stack) >= MAX_DEPTH:
                raise JsonError(f"nested deeper than {MAX_DEPTH} levels", line)
            stack.append(node)
            keys.append(None)
            expect = "key" if mark == "{" else "value"
        elif stack and text.startswith(",", position):
            position += 1
            expect = "key" if isinstance(stack[-1].value, dict) else "value"
        else:
            expect = "comma"


def _unquote(token: str, line: int) -> str:
    body = token[1:-1]
    if "\\" not in body:
        return body

    def replace(match: re.Match[str]) -> str:
        escape = match.group(1)
        if escape[0] == "u" and len(escape) == 5:
            return chr(int(escape[1:], 16))
        if escape not in _SIMPLE:
            raise JsonError(f"unknown escape \\{escape}", line)
        return _SIMPLE[escape]

    out = _ESCAPE.sub(replace, body)
    # Pairs of surrogates stand for one character; a lone one cannot be encoded later.
    return out.encode("utf-16", "surrogatepass").decode("utf-16", "replace")
