"""Whether a file is all there: texts and data that were cut on the way to us."""

from __future__ import annotations

import json
import re

from .located_json import DataError
from .report import split_lines

EARLY = "the file ends early"
_HEAD = re.compile(r"frr (?:version|defaults) ")
_PROMPT = re.compile(r"[\w.-]+(?:\([\w-]+\))?[#>]")
_CUT = ("this is not JSON", "no element found", "unclosed token", "not well-formed")


def text_ends_early(text: str) -> int | None:
    """The last line of a router's text that was cut; None if it is whole, or nobody can tell.

    A text as a running router prints it begins with a bracket line and ends with `end`. One from
    its disk need not, but its last section is closed like the others.
    """
    lines = split_lines(text)
    said = [
        (number, line.strip())
        for number, line in enumerate(lines, 1)
        if line.strip() and not _PROMPT.match(line)
    ]
    head = next((n for n, (_, line) in enumerate(said[:12]) if _HEAD.match(line)), None)
    if head is None or not said:
        return None
    number = said[-1][0]
    last = next((line for _, line in reversed(said) if line[0] not in "!#"), "")
    printed = head > 0 and all(
        line == "!" or line.startswith(("Building", "Current")) for _, line in said[:head]
    )
    if printed:
        return None if last == "end" else number
    closes = any(line == "exit" for _, line in said)
    return number if closes and lines[number - 1][:1] in " \t" else None


def data_ends_early(text: str, error: DataError) -> bool:
    """True if data is damaged by nothing but its end."""
    if "before it is complete" in str(error):
        return True
    rest = text.rstrip()
    # A string, a word or a tag that is cut in its middle shows on the last line.
    last = error.line >= len(split_lines(rest)) and not rest.endswith(("}", "]", ">"))
    return last and any(sign in str(error) for sign in _CUT)


_PLACEHOLDER = "trochos:not-kept"


def placeholder(kind: str, note: str, size: int, digest: str) -> str:
    """What is kept of a file that cannot be kept as text: how large it was and its SHA-256."""
    held = {"kind": kind, "note": note, "size": size, "sha256": digest}
    return json.dumps({_PLACEHOLDER: held}, indent=1) + "\n"


def unread_from(text: str) -> tuple[str, str, int, str] | None:
    """Kind, note, size and digest of a file that a placeholder stands for, if the text is one."""
    if _PLACEHOLDER not in text[:40]:
        return None
    try:
        held = json.loads(text)[_PLACEHOLDER]
        return str(held["kind"]), str(held["note"]), int(held["size"]), str(held["sha256"])
    except (ValueError, KeyError, TypeError):
        return None
