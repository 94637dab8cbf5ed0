"""Secrets become fingerprints before anything else sees the text.

A keyed fingerprint keeps equality (two ends with the same key still compare as equal) and gives
nothing else away. The number of lines never changes, and a file stays as readable as it was: data
is masked by its structure, value by value, and other text line by line (`secrets`).
"""

from __future__ import annotations

import hashlib
import hmac
import html
import json
import re
from functools import lru_cache

from ..network.source import HIDDEN, MARK
from .frr.abbreviations import meanings
from .located_json import JsonError, Node, parse
from .openconfig import answers
from .secrets import FORMS, PROSE, is_secret

_PEM = re.compile(r"-----BEGIN ([A-Z ]*PRIVATE KEY)-----(.*?)(?:-----END \1-----|\Z)", re.S)
# A text that holds none of these words holds no secret that a form would find.
_WORDS = (
    "passw", "passphrase", "secret", "key", "string", "communit", "psk", "pwd", "token", "auth",
    "priv", "://", "text-name", "security-name", "com2sec", "snmp", "createuser", "bearer", "basic",
    "pass ", "message-d", "md5", "area-p", "domain-p",  # abbreviated
    *(name.lower() for name in answers.WRAPPED),
)  # fmt: skip
_ESCAPED = re.compile(r"&lt;secret((?::(?:[0-9a-f]{4})?[0-9a-f]{12})?)&gt;")
_BARE = re.compile(r"((?:<|&lt;)secret:)([0-9a-f]{12}(?:>|&gt;))")
_NUMBER = re.compile(r"((?:<|&lt;)secret:)[0-9a-f]{4}(?=[0-9a-f]{12}(?:>|&gt;))")
_DONE = re.compile(rf"{HIDDEN}|{MARK}")
_STARTS = re.compile(r"\s*(?:<(?!secret:)(?P<xml>)|[\[{](?P<json>))")
_XML = re.compile(
    r"<!--(?P<comment>.*?)-->|<!\[CDATA\[(?P<cdata>.*?)\]\]>|<[?!][^>]*>"
    r"|<(?P<tag>/?[^\s/>]+)(?P<rest>(?:\"[^\"]*\"|'[^']*'|[^'\">])*)>|(?P<text>[^<]+)",
    re.S,
)
_ATTRIBUTE = re.compile(r"([\w:.-]+)(\s*=\s*)(\"[^\"]*\"|'[^']*')")
# What is no data after all, but quotes its names: the form of a member alone.
_MEMBER = re.compile(r'"((?:[^"\\]|\\.)*)"(\s*:\s*)("(?:[^"\\]|\\.)*"|-?\d[\w.+-]*)')
_ELEMENT = re.compile(r"<([\w:.-]+)(?:\s[^>]*)?>([^<]+)</\1\s*>")


@lru_cache(maxsize=64)
def number_of(key: bytes) -> str:
    """The number of a key, which each of its marks carries; it says nothing of the key."""
    return hashlib.sha256(b"the number of a key of fingerprints" + key).hexdigest()[:4]


def fingerprint(secret: str, key: bytes) -> str:
    """The text that stands for a secret: the same for equal secrets under one key."""
    digest = hmac.new(key, secret.encode("utf-8", "replace"), hashlib.sha256).hexdigest()
    return f"<secret:{number_of(key)}{digest[:12]}>"


def numbered(text: str, key: bytes) -> str:
    """A text whose marks of before keys had numbers carry this key's."""
    return _BARE.sub(rf"\g<1>{number_of(key)}\g<2>", text)


def unnumbered(text: str) -> str:
    """A text whose marks carry no number, as they were before."""
    return _NUMBER.sub(r"\g<1>", text)


def mask(text: str, key: bytes) -> str:
    """Replaces every secret; line breaks stay where they are."""
    lowered = text.lower()
    # Names in data may be escaped, letter by letter.
    if "\\u" not in text and not any(word in lowered for word in _WORDS):
        return text
    start = _STARTS.match(text)
    if start is not None and start.group("json") is not None:
        try:
            return _pem(_json(text, key), key)
        except JsonError:
            pass  # it is no data, or was cut: what it quotes is masked as far as it goes
    if start is not None and start.group("xml") is not None:
        return _xml(text, key)
    return _pem(_lines(text, key), key)


def _mark(secret: str, key: bytes) -> str:
    """What stands for a secret; itself where it is masked already, or nothing."""
    return secret if not secret.strip() or _DONE.fullmatch(secret) else fingerprint(secret, key)


def _pem(text: str, key: bytes) -> str:
    def blank(match: re.Match[str]) -> str:
        return fingerprint(match.group(2), key) + "\n" * match.group(0).count("\n")

    return _PEM.sub(blank, text)


# -- text -----------------------------------------------------------------------------


def _lines(text: str, key: bytes) -> str:
    lines = [_line(line, key) for line in text.split("\n")]
    # A router also takes `k SECRET` for a key's string: what it reads there decides.
    for number, full in meanings(lines):
        hidden = _line(full, key)
        if hidden != full:
            lines[number - 1] = _hidden_too(lines[number - 1], full, hidden)
    return "\n".join(lines)


def _hidden_too(line: str, full: str, hidden: str) -> str:
    """An abbreviated line without what is hidden where it is spelled out."""
    words, meant, left = line.split(), full.split(), hidden.split()
    if len(left) < len(meant):  # several words were one secret
        last = next(n for n, word in enumerate(left) if word != meant[n])
        words = [*words[:last], left[last]]
    else:
        words = [word if a == b else b for word, a, b in zip(words, meant, left)]
    return line[: len(line) - len(line.lstrip())] + " ".join(words)


def _line(line: str, key: bytes) -> str:
    lowered = line.lower()
    if not any(word in lowered for word in _WORDS) or PROSE.match(line):
        return line

    def swap(match: re.Match[str]) -> str:
        start, end = match.span(1)
        whole, at = match.group(0), match.start()
        secret = match.group(1)
        quoted = len(secret) > 1 and secret[0] == secret[-1] and secret[0] in "\"'"
        mark = _mark(secret[1:-1], key) if quoted else _mark(secret, key)
        if quoted:
            mark = f"{secret[0]}{mark}{secret[0]}"
        return whole[: start - at] + mark + whole[end - at :]

    def member(match: re.Match[str]) -> str:
        name, between, value = match.groups()
        if not is_secret(name):
            return match.group(0)
        bare = value[1:-1] if value.startswith('"') else value
        return f'"{name}"{between}"{_mark(bare, key)}"'

    def element(match: re.Match[str]) -> str:
        if not is_secret(match.group(1)):
            return match.group(0)
        start, end = match.span(2)
        mark = html.escape(_mark(html.unescape(match.group(2)), key), quote=False)
        return line_of(match, start, end, mark)

    def line_of(match: re.Match[str], start: int, end: int, mark: str) -> str:
        whole, at = match.group(0), match.start()
        return whole[: start - at] + mark + whole[end - at :]

    if '"' in line and ":" in line:
        line = _MEMBER.sub(member, line)
    if "</" in line:
        line = _ELEMENT.sub(element, line)
    for form in FORMS:
        line = form.pattern.sub(swap, line)
    return line


# -- data -----------------------------------------------------------------------------


def _json(text: str, key: bytes) -> str:
    """JSON, value by value: whatever stands under the name of a secret, however deep.

    Raises:
        JsonError: it is not JSON.
    """
    spans: list[tuple[int, int, str]] = []

    def put(node: Node, new: str) -> None:
        old = text[node.start : node.end]
        # What stands there may span lines, and so does what stands for it.
        spans.append((node.start, node.end, json.dumps(new) + "\n" * old.count("\n")))

    def hide(node: Node) -> None:
        if isinstance(node.value, dict):
            for child in node.value.values():
                hide(child)
        elif isinstance(node.value, list):
            for child in node.value:
                hide(child)
        elif node.value is not None and not isinstance(node.value, bool):
            plain = str(node.value)
            mark = _mark(plain, key)
            if mark != plain:
                put(node, mark)

    def look(node: Node, name: str) -> None:
        if isinstance(node.value, dict):
            named = answers.named(node)
            for inner, child in node.value.items():
                if is_secret(inner, name) or (inner in answers.VALUES and is_secret(*named)):
                    hide(child)
                else:
                    look(child, inner)
        elif isinstance(node.value, list):
            for child in node.value:
                look(child, name)
        elif name in answers.WRAPPED and (held := answers.decoded(node.value)) is not None:
            # What was wrapped as a string or as bytes is shown as the data that it is.
            spans.append((node.start, node.end, _json(held, key).replace("\n", " ")))
        elif isinstance(node.value, str) and " " in node.value and not PROSE.match(name):
            inside = _pem(_lines(node.value, key), key)
            if inside != node.value:
                put(node, inside)
        elif isinstance(node.value, str) and "://" in node.value:
            inside = _lines(node.value, key)
            if inside != node.value:
                put(node, inside)

    look(parse(text), "")
    for start, end, new in sorted(spans, reverse=True):
        text = text[:start] + new + text[end:]
    return text


def _xml(text: str, key: bytes) -> str:
    """XML, token by token; the marks are escaped, so that the document stays well-formed."""
    out: list[str] = []
    above: list[str] = []
    position = 0

    def escaped(secret: str) -> str:
        plain = _ESCAPED.sub(r"<secret\1>", secret)
        if _DONE.fullmatch(plain.strip()):
            return secret
        head = secret[: len(secret) - len(secret.lstrip())]
        tail = secret[len(secret.rstrip()) :]
        body = secret.strip()
        if not body:
            return secret
        mark = html.escape(fingerprint(html.unescape(body), key), quote=False)
        return head + mark + "\n" * body.count("\n") + tail

    def attribute(match: re.Match[str]) -> str:
        name, between, value = match.groups()
        if name.startswith("xmlns") or not is_secret(name, above[-1] if above else ""):
            return match.group(0)
        return f"{name}{between}{value[0]}{escaped(value[1:-1])}{value[0]}"

    for token in _XML.finditer(text):
        if token.start() > position:
            out.append(text[position : token.start()])  # what is no token stays as it is
        position = token.end()
        whole = token.group(0)
        hidden = any(is_secret(name, above[at - 1] if at else "") for at, name in enumerate(above))
        if token.group("tag") is not None:
            tag, rest = token.group("tag"), token.group("rest")
            if tag.startswith("/"):
                if above:
                    above.pop()
            else:
                whole = f"<{tag}{_ATTRIBUTE.sub(attribute, rest)}>"
                if not rest.rstrip().endswith("/"):
                    above.append(tag)
        elif token.group("cdata") is not None:
            inner = token.group("cdata")
            if hidden and inner.strip() and not _DONE.fullmatch(inner.strip()):
                mark = fingerprint(inner.strip(), key) + "\n" * inner.count("\n")
                whole = f"<![CDATA[{mark}]]>"
            else:
                whole = f"<![CDATA[{_pem(_lines(inner, key), key)}]]>"
        elif token.group("comment") is not None:
            whole = f"<!--{_in_xml(token.group('comment'), key)}-->"
        elif token.group("text") is not None:
            if hidden:
                whole = escaped(whole)
            elif not (above and PROSE.match(above[-1].rsplit(":", 1)[-1])):
                whole = _in_xml(whole, key)
        out.append(whole)
    out.append(text[position:])
    return "".join(out)


def _in_xml(text: str, key: bytes) -> str:
    """Lines inside a document: as other text, with marks that are escaped."""
    opened = _ESCAPED.sub(r"<secret\1>", text)
    done = _pem(_lines(opened, key), key)
    if done == opened:
        return text
    return _DONE.sub(lambda m: html.escape(m.group(0), quote=False), done)
