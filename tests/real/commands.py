"""Every line that a router accepts, out of the lists that it prints of itself."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterator

Part = str | tuple[str, list[list["Part"]]]
_CLOSING = {"<": ">", "[": "]", "{": "}"}
_SAMPLES = (
    (r"A\.B\.C\.D/M", "10.1.0.0/16"),
    (r"X:X::X:X/M", "fd01::/32"),
    (r"A\.B\.C\.D", "10.1.0.1"),
    (r"X:X::X:X", "fd01::1"),
    (r"M:A:C(?:\|.*)?", "02:00:00:00:00:01"),
)


def lines(printed: str) -> Iterator[str]:
    """Sample lines for each command of a list: one for every choice that it leaves."""
    seen = set()
    for command in printed.splitlines():
        for alternative in _parse(_tokens(command.strip())):
            for words in _choices(alternative):
                line = " ".join(_sample(word) for word in words)
                if line and line not in seen:
                    seen.add(line)
                    yield line


def _tokens(command: str) -> list[str]:
    marked = re.sub(r"\((\d+)-(\d+)\)", r"@\1-\2", command)
    return re.findall(r"[<>\[\]{}|]|[^\s<>\[\]{}|]+", marked)


def _parse(tokens: list[str]) -> list[list[Part]]:
    def alternatives(at: int, end: str | None) -> tuple[list[list[Part]], int]:
        out: list[list[Part]] = [[]]
        while at < len(tokens) and tokens[at] != end:
            token = tokens[at]
            at += 1
            if token == "|":
                out.append([])
            elif token in _CLOSING:
                inner, at = alternatives(at, _CLOSING[token])
                out[-1].append((token, inner))
            else:
                out[-1].append(token)
        return out, at + 1

    return alternatives(0, None)[0]


def _choices(sequence: list[Part]) -> list[list[str]]:
    out: list[list[str]] = [[]]
    for part in sequence:
        if isinstance(part, str):
            found = [[part]]
        else:
            found = [words for inner in part[1] for words in _choices(inner)]
            if part[0] == "[":
                found.insert(0, [])
        out = [a + b for a, b in itertools.islice(itertools.product(out, found), 40)]
    return out


def _sample(word: str) -> str:
    number = re.fullmatch(r"@(\d+)-\d+(?:\.\.\.)?", word)
    if number:
        return str(max(int(number.group(1)), 1))
    for pattern, sample in _SAMPLES:
        if re.fullmatch(pattern, word):
            return sample
    return "word" if re.fullmatch(r"[A-Z][A-Z0-9_.]+", word) else word
