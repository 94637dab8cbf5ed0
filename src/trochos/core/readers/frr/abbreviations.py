"""Keywords that somebody wrote short: `ip addr`, `ipv4 uni`, `redistribute conn`.

A router takes every abbreviation that only one of its commands can mean. What these are is the
grammar beside this file (`grammar/`), one file a protocol, taken from the commands that FRR 8.4
lists (scripts/frr_grammar.py); of what nobody here reads it holds the first words, because they
decide what is unique (tests/real/test_abbreviations.py compares with the real parser).

A line of the grammar is a command, or the beginning of those that stand indented under it:

*  a value    #  a number    #1-2  one in a small range    ...  the rest of the line
$  the command may end here    ---  the rest of a command that nobody here reads
< a | b >  one of these    [ a ]  perhaps    { a | b }  some of these in any order
@from      what may be redistributed

`## NODE` begins the commands of one kind of section. As on a router, a line that fits no command of
its section is tried as one of those around it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from functools import cache, lru_cache
from importlib.resources import files
from typing import NamedTuple

FROM = ("kernel", "connected", "static", "table", "nhrp", "vnc", "babel", "openfabric")
"""What may be redistributed beside the protocols that have a grammar of their own."""
_TYPED, _KEYWORD, _SHORT, _FREE, _UNREAD = range(5)
"""How well a word fits, the best first: a value of some form, a keyword, the beginning of one, a
value of any form, something in a command that nobody here reads."""
_VALUE = re.compile(r"[\d.:/-]*\d[\d.:/-]*|[0-9a-f]*:[0-9a-f:./]*", re.IGNORECASE)
_AROUND: Mapping[str, str] = {"address-family": "router bgp", "key": "key chain"}


class _Part(NamedTuple):
    """Part of a command: `kind` is a word, a sign of the grammar, or `all`, `one`, `maybe` and
    `some` of `parts`."""

    kind: str
    parts: tuple[_Part, ...] = ()


Fit = tuple[tuple[int, ...], tuple[str, ...]]
"""(how well each word fits, the words spelled out)."""


def spelled(text: str) -> list[str]:
    """The lines of a text with their keywords spelled out, the indentation kept."""
    rows = text.split("\n")
    for number, row in spell_out(rows).items():
        rows[number - 1] = row
    return rows


def spell_out(lines: Sequence[str]) -> dict[int, str]:
    """{line number: the line with its keywords spelled out}, for lines that are abbreviated."""
    out: dict[int, str] = {}
    for number, _, words, full in _passed(lines):
        if full is not None and full != words:
            line = lines[number - 1]
            out[number] = line[: len(line) - len(line.lstrip())] + " ".join(full)
    return out


def meanings(lines: Sequence[str]) -> Iterator[tuple[int, str]]:
    """(line number, what the line may say) for lines that are abbreviated, one by one also where
    several commands begin so: what may be a secret is none to be shown."""
    for number, node, words, full in _passed(lines):
        for kind in dict.fromkeys((node, _around(node), "top")) if full != words else ():
            for _, said in _all_fits(kind, _shape(words), words[0] == "no"):
                yield number, " ".join(_filled(said, words))


def _passed(
    lines: Sequence[str],
) -> Iterator[tuple[int, str, tuple[str, ...], tuple[str, ...] | None]]:
    """Every line that is a command: (its number, the section it stands in, its words, these spelled
    out, or None if they fit nowhere)."""
    node = "top"
    for number, line in enumerate(lines, 1):
        words = tuple(line.split())
        if not words or words[0][0] in "!#":
            continue
        if words[0].startswith("exit") or words == ("end",):
            node = "top" if words == ("end",) else _around(node)
            continue
        here, full = _read(node, words)
        yield number, node, words, full
        if full is not None:
            node = _opens(here, full) or here


def in_section(context: Sequence[str], line: str) -> str:
    """One line as it is spelled out under the openings of sections."""
    rows = [*context, line]
    return spell_out(rows).get(len(rows), line)


def _around(node: str) -> str:
    return _AROUND.get(node, "top")


def _read(node: str, words: tuple[str, ...]) -> tuple[str, tuple[str, ...] | None]:
    """(the node that a line belongs to, its words spelled out); None if it fits nowhere."""
    while True:
        full = _full(node, words)
        if full == ():
            return node, None  # several commands of this section begin so
        if full is not None or node == "top":
            return node, full
        node = _around(node)


def _opens(node: str, words: tuple[str, ...]) -> str | None:
    """The section that a line of a node opens."""
    if words[0] == "no":
        return None
    if node == "router bgp" and words[0] == "address-family":
        family = words[1:2] in (("ipv4",), ("ipv6",)) and words[2:3] in ((), ("unicast",))
        return "address-family" if family else "other"
    if node == "key chain" and words[0] == "key":
        return "key"
    if node != "top":
        return None
    for opening in (" ".join(words[:2]), words[0]):
        if opening in _grammar() and words[-1:] != ("optimization",):
            return opening
    return "other" if words[0] in ("router", "line", "segment-routing", "nexthop-group") else None


def _full(node: str, words: tuple[str, ...]) -> tuple[str, ...] | None:
    """The words spelled out as a command of a node; None if they are none, () if several."""
    found = _fitting(node, _shape(words), words[0] == "no")
    return _filled(found, words) if found else found


def _shape(words: tuple[str, ...]) -> tuple[str, ...]:
    """The words after `no`. Large numbers do not matter, so that lines that only differ in them
    are looked at once."""
    return tuple(
        word
        if not _VALUE.fullmatch(word) or (word.isdigit() and len(word) < 3)
        else re.sub(r"\d+", "100", word)
        for word in words[words[0] == "no" :]
    )


def _filled(full: tuple[str, ...], words: tuple[str, ...]) -> tuple[str, ...]:
    """A shape's words spelled out, with the numbers of the line."""
    negated = words[0] == "no"
    pairs = zip(words[negated:], _shape(words), full)
    out = tuple(word if short == held else held for word, short, held in pairs)
    return ("no", *out) if negated else out


@lru_cache(maxsize=20_000)
def _fitting(node: str, words: tuple[str, ...], negated: bool) -> tuple[str, ...] | None:
    """See `_full`, for the words after `no`."""
    fits = _all_fits(node, words, negated)
    if not fits:
        return None
    found = {fit for fit in fits if _is_short(node, words, fit)}
    if not found:
        return ()
    best = min(ranks for ranks, _ in found)
    meant = {full for ranks, full in found if ranks == best}
    if _UNREAD in best and _SHORT in best:
        return None
    return meant.pop() if len(meant) == 1 else ()


def _all_fits(node: str, words: tuple[str, ...], negated: bool) -> set[Fit]:
    """Each way in which words fit a command of a node."""
    out: set[Fit] = set()
    for first, held in _grammar().get(node, {}).items() if words else ():
        if first.startswith(words[0]) or first[0] in "*#":
            for command in held:
                out |= {fit for at, fit in _fits(command, words, 0, negated) if at == len(words)}
    return out


def _is_short(node: str, words: tuple[str, ...], fit: Fit) -> bool:
    """False if a word that was taken for the beginning of a keyword is one itself at that place of
    another command: some commands a router does not list in each of the sections that take it."""
    before = ""
    around = {node, _around(node), "top"}
    if fit[0][0] == _SHORT and any(words[0] in _grammar().get(kind, ()) for kind in around):
        return False
    for rank, word, full in zip(fit[0], words, fit[1]):
        if rank == _SHORT and (before, word) in _following():
            return False
        if rank in (_KEYWORD, _SHORT):
            before = full
    return True


def _fits(part: _Part, words: tuple[str, ...], at: int, early: bool) -> Iterator[tuple[int, Fit]]:
    """Each way in which a part fits the words from `at` on, and where it then ends; with `early`
    it may end before all of it was said, as what is taken back need not be said whole."""
    kind = part.kind
    if early and at == len(words):
        yield at, ((), ())
        return
    if kind == "all":
        yield from _sequence(part.parts, words, at, early)
    elif kind in ("one", "maybe"):
        if kind == "maybe":
            yield at, ((), ())
        for choice in part.parts:
            yield from _fits(choice, words, at, early)
    elif kind == "some":
        for number, choice in enumerate(part.parts):
            rest = _Part("some", part.parts[:number] + part.parts[number + 1 :])
            for then, (ranks, full) in _fits(choice, words, at, early):
                yield then, (ranks, full)
                for last, (more, others) in _fits(rest, words, then, early):
                    yield last, (ranks + more, full + others)
    elif kind == "---":
        yield len(words), ((_UNREAD,) * (1 + len(words) - at), words[at:])
    elif kind == "...":
        if at < len(words):
            yield len(words), ((_FREE,) * (len(words) - at), words[at:])
    elif at < len(words):
        word = words[at]
        if kind == "*":
            yield at + 1, ((_TYPED if _VALUE.fullmatch(word) else _FREE,), (word,))
        elif kind[0] == "#":
            if word.isdigit() and _in_range(int(word), kind[1:]):
                yield at + 1, ((_TYPED,), (word,))
        elif kind == word:
            yield at + 1, ((_KEYWORD,), (kind,))
        elif kind.startswith(word):
            yield at + 1, ((_SHORT,), (kind,))


def _in_range(number: int, limits: str) -> bool:
    low, _, high = limits.partition("-")
    return not limits or int(low) <= number <= int(high)


def _sequence(
    parts: tuple[_Part, ...], words: tuple[str, ...], at: int, early: bool
) -> Iterator[tuple[int, Fit]]:
    if not parts:
        yield at, ((), ())
        return
    for then, (ranks, full) in _fits(parts[0], words, at, early):
        for last, (more, others) in _sequence(parts[1:], words, then, early):
            yield last, (ranks + more, full + others)


# -- the grammar ---------------------------------------------------------------------------


@cache
def _grammar() -> dict[str, dict[str, list[_Part]]]:
    """Per kind of section its commands by their first word."""
    texts = {
        item.name.removesuffix(".txt"): item.read_text()
        for item in files(__package__).joinpath("grammar").iterdir()
        if item.name.endswith(".txt")
    }
    sources = [*FROM, *_openings(texts)]
    out: dict[str, dict[str, list[_Part]]] = {}
    for text in texts.values():
        node = ""
        stem: list[str] = []
        rows = text.splitlines()
        for row, below in zip(rows, [*rows[1:], ""]):
            if row.startswith("## "):
                node, stem = row[3:], []
                continue
            depth = len(row) - len(row.lstrip())
            words = row.split()
            ends = words[-1] == "$"
            stem = [*stem[:depth], " ".join(words[:-1] if ends else words)]
            inner = len(below) - len(below.lstrip()) > depth
            if ends or not inner:
                command = _parsed(" ".join(stem).split(), sources)
                first = command.parts[0].kind if not command.parts[0].parts else "*"
                out.setdefault(node, {}).setdefault(first, []).append(command)
    # A router takes those of the main address families, too, where it does not list them.
    for first, commands in out["address-family"].items():
        out["router bgp"].setdefault(first, []).extend(commands)
    return out


@cache
def _following() -> frozenset[tuple[str, str]]:
    """(keyword, keyword that follows it in some command, whatever values stand between them)."""
    out: set[tuple[str, str]] = set()

    def visit(part: _Part, before: frozenset[str]) -> frozenset[str]:
        if not part.parts:
            if part.kind[0] in "*#.-":
                return before
            out.update((word, part.kind) for word in before)
            return frozenset((part.kind,))
        last = before
        if part.kind == "all":
            for inner in part.parts:
                last = visit(inner, last)
            return last
        ends = frozenset[str]().union(*(visit(inner, before) for inner in part.parts))
        if part.kind == "some":
            ends |= frozenset[str]().union(*(visit(inner, ends) for inner in part.parts))
        return ends | before if part.kind == "maybe" else ends

    for commands in _grammar().values():
        for held in commands.values():
            for command in held:
                visit(command, frozenset())
    return frozenset(out)


def _openings(texts: Mapping[str, str]) -> list[str]:
    """The protocols that have a grammar here: whatever opens a section after `router`."""
    return [
        words[2]
        for text in texts.values()
        for row in text.splitlines()
        if (words := row.split())[:2] == ["##", "router"]
    ]


def _parsed(words: list[str], sources: Sequence[str]) -> _Part:
    """A command from its line."""
    closing = {"<": ">", "[": "]", "{": "}"}
    kinds = {"<": "one", "[": "maybe", "{": "some"}

    def parse(at: int, end: str) -> tuple[list[_Part], int]:
        choices: list[list[_Part]] = [[]]
        while at < len(words) and words[at] != end:
            word = words[at]
            if word in closing:
                inner, at = parse(at + 1, closing[word])
                choices[-1].append(_Part(kinds[word], tuple(inner)))
            elif word == "|":
                choices.append([])
            elif word == "@from":
                choices[-1].append(_Part("one", tuple(map(_Part, sources))))
            else:
                choices[-1].append(_Part(word))
            at += 1
        return [c[0] if len(c) == 1 else _Part("all", tuple(c)) for c in choices], at

    whole = parse(0, "")[0][0]
    return whole if whole.kind == "all" else _Part("all", (whole,))
