"""What a device would start with, against what it runs: lines that the next restart loses.

A device may give its configuration twice: as it runs, and as it is stored. Only the running
one is computed; the stored one is compared with it, line by line or value by value.
"""

from __future__ import annotations

import re
from collections import Counter
from typing import NamedTuple

from ..network.facts import Source, Unstored
from .located_json import Document, Node
from .report import split_lines

KIND = "stored configuration"
_INSTANCE = "ietf-yang-instance-data:instance-data-set"
_PRINTED = re.compile(r"^\s*(?:Building configuration\.\.\.\s+)?Current configuration:", re.M)
_WHOLE = re.compile(r"^frr (?:version|defaults) ", re.M)
_NOISE = re.compile(
    r"(?:!|#|$|end$|exit|frr (?:version|defaults)|service integrated|hostname|log |"
    r"Building configuration|Current configuration|line vty|no ipv6 forwarding|no ip forwarding)"
)
_SECTION = re.compile(r"(?:interface|router|route-map|vrf|key chain|pbr-map|nexthop-group|bfd)\b")
_KEYS = (
    "name",
    "type",
    "ip",
    "prefix",
    "destination-prefix",
    "area-id",
    "address",
    "remote-address",
    "sequence",
    "index",
    "id",
)


def is_printed(text: str) -> bool:
    """True for a text as the running router prints it, and not as it lies on its disk."""
    return _PRINTED.search(text[:400]) is not None


def is_whole(text: str) -> bool:
    """True for a text of the whole router, and not of one of its daemons."""
    return _WHOLE.search(text[:2000]) is not None


def is_startup(root: Node) -> bool:
    """An instance file (RFC 9195) that says it is of the startup datastore (RFC 8342)."""
    whole = root.peek(_INSTANCE)
    store = whole.peek("datastore") if whole is not None else None
    return store is not None and str(store.value).rpartition(":")[2] == "startup"


class _Entry(NamedTuple):
    """One line in its section, or one value at its path, however it is written."""

    where: str
    text: str


def of_text(device: str, running: tuple[str, str], stored: tuple[str, str]) -> Unstored | None:
    """Compares two configuration texts, given as (file, text); None if they say the same."""
    return _compared(_lines(device, *running), _lines(device, *stored))


def of_data(
    device: str, running: tuple[str, Document], stored: tuple[str, Document]
) -> Unstored | None:
    """Compares two documents of YANG data, given as (file, document)."""
    return _compared(_values(device, *running), _values(device, *stored))


def _compared(
    running: list[tuple[_Entry, Source]], stored: list[tuple[_Entry, Source]]
) -> Unstored | None:
    ahead = Counter(entry for entry, _ in running)
    behind = Counter(entry for entry, _ in stored)
    only_running, only_stored = ahead - behind, behind - ahead
    if not only_running and not only_stored:
        return None
    return Unstored(
        tuple(source for entry, source in running if only_running[entry]),
        tuple(source for entry, source in stored if only_stored[entry]),
    )


def _lines(device: str, file: str, text: str) -> list[tuple[_Entry, Source]]:
    out = []
    section = ""
    for number, line in enumerate(split_lines(text), 1):
        words = " ".join(line.split())
        if _SECTION.match(words) and line[:1] not in " \t":
            section = words
        elif line[:1] not in " \t" and words and words != "!":
            section = "" if not words.startswith("exit") else section
        if _NOISE.match(words):
            continue
        entry = _Entry(section if words != section else "", words)
        out.append((entry, Source(device, file, number, words)))
    return out


def _values(device: str, file: str, document: Document) -> list[tuple[_Entry, Source]]:
    root = document.root
    whole = root.peek(_INSTANCE)
    content = whole.peek("content-data") if whole is not None else None
    out: list[tuple[_Entry, Source]] = []
    stack: list[tuple[str, Node]] = [("", content or root)]
    while stack:
        path, node = stack.pop()
        if isinstance(node.value, dict) and node.value:
            stack += [(f"{path}/{key}", child) for key, child in node.value.items()]
        elif isinstance(node.value, list) and node.value:
            stack += [(f"{path}{_named(n, at)}", n) for at, n in enumerate(node.value)]
        else:
            shown = "" if node.value in ({}, []) else str(node.value)
            source = Source(device, file, node.key_line, document.quote(node), path)
            out.append(
                (_Entry(path, shown.lower() if shown in ("True", "False") else shown), source)
            )
    out.sort(key=lambda item: item[1].line or 0)
    return out


def _named(node: Node, position: int) -> str:
    """A list's entry by its keys, so that another order is no difference."""
    if not isinstance(node.value, dict):
        return f"[.='{node.value}']"
    held = [(k, node.value[k].value) for k in _KEYS if k in node.value]
    shown = "".join(f"[{k}='{v}']" for k, v in held if isinstance(v, (str, int)))
    return shown or f"[{position + 1}]"
