"""Secrets become fingerprints before anything else sees the text.

A keyed fingerprint keeps equality (two ends with the same key still compare as
equal) and gives nothing else away. The number of lines never changes.
"""

from __future__ import annotations

import hashlib
import hmac
import html
import re

# Each pattern has one group: the secret itself.
_TEXT = [
    re.compile(pattern, re.I | re.M)
    for pattern in (
        r"\b(?:area-|domain-)?password[ \t]+(?:clear[ \t]+|md5[ \t]+|\d[ \t]+)?(\S+)",
        r"\bsecret[ \t]+(?:\d[ \t]+)?(\S+)",
        r"\bmessage-digest-key[ \t]+\d+[ \t]+\S+[ \t]+(?:\d[ \t]+)?(\S+)",
        r"\b(?:authentication|auth|pre-shared|private|api|encryption)-key[ \t]+(?:\d[ \t]+)?(\S+)",
        r"\bauthentication[ \t]+string[ \t]+(\S+)",
        r"\bkey-string[ \t]+(?:\d[ \t]+)?(\S+)",
        r"\bhash-algo[ \t]+\S+[ \t]+key[ \t]+(\S+)",
        r"\b(?:ro|rw)community6?[ \t]+(\S+)",
        r"\bsnmp-server[ \t]+community[ \t]+(?:\d[ \t]+)?(\S+)",
        r"\bsnmp-server[ \t]+host[ \t]+\S+[ \t]+(?:version[ \t]+\S+[ \t]+)?(\S+)$",
        r"\bcom2sec6?[ \t]+\S+[ \t]+\S+[ \t]+(\S+)",
        r"\b(?:auth|priv)[ \t]+(?:md5|sha\S*|des\S*|aes\S*)[ \t]+(\S+)",
        r"\b(?:psk|passphrase|token)[ \t]+(\S+)",
        r"\busername[ \t]+\S+[ \t]+nopassword[ \t]+(\S+)",
        r"://[^\s/@:]+:([^\s/@]+)@",
        r"\b(?:PrivateKey|PresharedKey)[ \t]*=[ \t]*(\S+)",
    )
]
_SECRET_NAMES = (
    r"(?:[\w.-]+:)?(?:password|passwd|secret|shared-secret|key-string|keystring|community"
    r"|community-name|passphrase|auth-password|priv-password|pre-shared-key|psk|private-key"
    r"|cleartext-private-key|cleartext-symmetric-key|hidden-private-key|hexadecimal-string"
    r"|auth-key|authentication-key|ospfv[23]-key|crypt-password|token|api-key|text-name|security-name)"
)
_JSON = re.compile(r'"' + _SECRET_NAMES + r'"\s*:\s*("(?:[^"\\]|\\.)*"|-?\d[\w.+-]*)', re.I)
_XML = re.compile(r"<(" + _SECRET_NAMES + r")(?:\s[^>]*)?>([^<]+)</\1>", re.I)
_PEM = re.compile(r"-----BEGIN ([A-Z ]*PRIVATE KEY)-----(.*?)(?:-----END \1-----|\Z)", re.S)
# A text that holds none of these words holds no secret that a pattern would find.
_WORDS = (
    "passw",
    "secret",
    "key",
    "string",
    "communit",
    "passphrase",
    "psk",
    "token",
    "auth",
    "priv",
    "://",
    "text-name",
    "security-name",
    "com2sec",
    "snmp",
)
_ESCAPED = re.compile(r"&lt;secret:([0-9a-f]{12})&gt;")
_IS_XML = re.compile(r"\s*<(?!secret:)")
_DONE = re.compile(r"<secret:[0-9a-f]{12}>")


def fingerprint(secret: str, key: bytes) -> str:
    """The text that stands for a secret: the same for equal secrets under one key."""
    digest = hmac.new(key, secret.encode("utf-8", "replace"), hashlib.sha256).hexdigest()
    return f"<secret:{digest[:12]}>"


def mask(text: str, key: bytes) -> str:
    """Replaces every secret that a pattern recognises; line breaks stay where they are."""

    if _IS_XML.match(text):
        # In XML the mark itself is escaped, so that the document stays well-formed.
        opened = _ESCAPED.sub(r"<secret:\1>", text)
        return _DONE.sub(lambda m: f"&lt;{m.group(0)[1:-1]}&gt;", _mask(opened, key))
    return _mask(text, key)


def _mask(text: str, key: bytes) -> str:
    def swap(group: int, quoted: bool = False):  # type: ignore[no-untyped-def]
        def replace(match: re.Match[str]) -> str:
            secret = match.group(group)
            bare = secret[1:-1] if quoted and secret.startswith('"') else secret
            if group == 2:
                bare = html.unescape(bare)
            if not bare or _DONE.fullmatch(bare):
                return match.group(0)
            mark = fingerprint(bare, key)
            if quoted:
                mark = f'"{mark}"'
            start, end = match.span(group)
            whole, at = match.group(0), match.start()
            return whole[: start - at] + mark + whole[end - at :]

        return replace

    lowered = text.lower()
    if not any(word in lowered for word in _WORDS):
        return text
    for pattern in _TEXT:
        text = pattern.sub(swap(1), text)
    text = _JSON.sub(swap(1, quoted=True), text)
    text = _XML.sub(swap(2), text)

    def blank_pem(match: re.Match[str]) -> str:
        mark = fingerprint(match.group(2), key)
        return f"{mark}" + "\n" * match.group(0).count("\n")

    return _PEM.sub(blank_pem, text)
