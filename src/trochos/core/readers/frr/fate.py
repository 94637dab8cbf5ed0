"""What a section's reader says of one line, and small parsers that the sections share."""

from __future__ import annotations

from ...network.addressing import parse_address

UNDERSTOOD = True
IRRELEVANT = False
Fate = bool | str
"""True: understood. False: known to be irrelevant. A sentence: not understood, and it matters."""


class Refused(str):
    """A sentence: the router refuses the line, so that it does nothing, whatever it was to do."""


class Misread(Exception):
    """The words of a line are not what stands there usually; the text says what is wrong."""


def number(word: str, low: int = 0, high: int = 2**32 - 1) -> int:
    """A plain number within bounds.

    Raises:
        Misread: it is not one.
    """
    if not word.isascii() or not word.isdigit() or not low <= int(word) <= high:
        raise Misread(f"{word!r} is not a number between {low} and {high}")
    return int(word)


def router_id(word: str) -> int:
    """A router id or area id written as an IPv4 address or, for areas, a plain number."""
    address = parse_address(word)
    if address is not None and address.family == 4:
        return address.value
    return number(word)


def options(words: list[str], known: dict[str, int]) -> dict[str, list[str]]:
    """Splits `metric 5 route-map X always` into its parts.

    Args:
        words: the rest of a line.
        known: how many arguments each option takes.

    Raises:
        Misread: an option is not known or lacks its argument.
    """
    out: dict[str, list[str]] = {}
    at = 0
    while at < len(words):
        word = words[at]
        if word not in known:
            raise Misread(f"{word!r} is not understood here")
        end = at + 1 + known[word]
        if end > len(words):
            raise Misread(f"{word!r} lacks its value")
        out[word] = words[at + 1 : end]
        at = end
    return out
