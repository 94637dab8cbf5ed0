"""What routers, hosts and management systems call secrets: one table, a row per form.

Each row has an example with its secret as `{}`; a test plants one in every row and finds none left.
`rest` rows take all words to the end of the line, because the device does.
"""

from __future__ import annotations

import re
from typing import NamedTuple


class Form(NamedTuple):
    """One form of a line that holds a secret: the secret is the pattern's only group."""

    pattern: re.Pattern[str]
    example: str


def _word(pattern: str, example: str) -> Form:
    return Form(re.compile(pattern.replace("SECRET", r"(\S+)"), re.I), example)


def _rest(pattern: str, example: str) -> Form:
    return Form(re.compile(pattern.replace("SECRET", r"(\S.*?)\s*$"), re.I), example)


FORMS: tuple[Form, ...] = (
    # Routing: several words are one secret there. Keywords may be abbreviated.
    _rest(r"\bnei\w* \S+ passw\w* (?:\d )?SECRET", " neighbor 10.64.0.1 password {}"),
    _rest(r"\bkey-s\w*\s+(?:\d )?SECRET", "  key-string {}"),
    _word(
        r"\b(?:area-|domain-)?passw(?:o|or|ord)?\s+(?:clear |md5 |\d )?SECRET",
        " area-password md5 {}",
    ),
    _word(
        r"\bmessage-digest-k\w*\s+\d+ \S+ (?:\d )?SECRET",
        " ip ospf message-digest-key 1 md5 {}",
    ),
    _word(r"\bauthentication string\s+SECRET", " ip rip authentication string {}"),
    _word(r"\bauthentication text\s+SECRET", " vrrp 5 authentication text {}"),
    _word(
        r"\bhash-algo \S+ key\s+SECRET", " ipv6 ospf6 authentication key-id 1 hash-algo x key {}"
    ),
    _word(r"\bnhrp authentication\s+SECRET", " ip nhrp authentication {}"),
    _word(r"\bauth_pass\s+SECRET", "  auth_pass {}"),
    # Users, time, accounting.
    _word(r"\bsecret\s+(?:level \d+ )?(?:\d )?SECRET", "enable secret level 5 5 {}"),
    _word(r"\bauthentication-key\s+\d+ \S+ (?:\d )?SECRET", "ntp authentication-key 1 md5 {}"),
    _word(
        r"\b(?:authentication|auth|pre-shared|private|api|encryption|shared)-k(?:ey?)?\s+(?:\d )?"
        r"SECRET",
        "crypto pre-shared-key {}",
    ),
    _word(r"\busername \S+ nopassword\s+SECRET", "username ferry nopassword {}"),
    _word(
        r"\b(?:tacacs|radius)\S*\s.*\bkey\s+(?:\d )?SECRET", "radius-server host 10.0.0.1 key {}"
    ),
    _word(
        r"\b(?:isakmp|ikev2|tacacs-server|radius-server) key\s+(?:\d )?SECRET",
        "crypto isakmp key {}",
    ),
    _word(r"^\s+key [5-9] SECRET$", "  key 7 {}"),
    _word(r"\b(?:psk|passphrase|token)\s+SECRET", " psk {}"),
    # Management.
    _word(r"\b(?:ro|rw)community6?\s+SECRET", "rocommunity {} 10.64.0.0/16"),
    _word(r"\bsnmp-server community\s+(?:\d )?SECRET", "snmp-server community {} ro"),
    _word(
        r"\bsnmp-server host \S+ (?:(?:traps|informs) )?(?:version (?:1|2c|3 \S+) )?SECRET",
        "snmp-server host 10.0.0.9 traps version 2c {} bgp",
    ),
    _word(r"\bcom2sec6?\s+\S+\s+\S+\s+SECRET", "com2sec local default {}"),
    _word(
        r"\b(?:auth|priv)\s+(?:md5|sha\S*|3?des\S*|aes\S*)(?: (?:128|192|256))?\s+SECRET",
        "snmp-server user u g v3 priv aes 128 {}",
    ),
    _word(r"\bcreateUser\s+\S+\s+\S+\s+SECRET", "createUser ferry SHA {}"),
    _word(
        r"\bcreateUser\s+\S+\s+\S+\s+\S+\s+\S+\s+SECRET", "createUser ferry SHA <secret:0> AES {}"
    ),
    # Hosts, wireless, tunnels, the web.
    _rest(r"\bwpa-psk\s+SECRET", "  wpa-psk {}"),
    _rest(r"\bstable_secret\s*=\s*SECRET", "net.ipv6.conf.all.stable_secret = {}"),
    _word(r"\b(?:PrivateKey|PresharedKey)\s*=\s*SECRET", "PrivateKey = {}"),
    _rest(
        r"(?<![\w<-])[\w-]*(?:passw(?:or)?d|passphrase|pwd|secret|token|psk|api[_-]?key)\s*[:=](?!//)\s*"
        r"SECRET",
        "db_password={}",
    ),
    _word(r"\b(?:Bearer|Authorization:\s*Basic)\s+SECRET", "Authorization: Bearer {}"),
    Form(re.compile(r"://[^\s/@:]+:([^\s/@]+)@", re.I), "url https://robot:{}@example.test/"),
)

PROSE = re.compile(
    r"\s*(?:no\s+)?(?:description|remark|title|hostname|banner|alias"
    r"|neighbor\s+\S+\s+description|interface)\b",
    re.I,
)
"""Lines that people wrote to be read: their words are no secrets."""

NAMES = frozenset((
    "password", "passwd", "passphrase", "pwd", "secret", "shared-secret", "client-secret",
    "key-string", "keystring", "community", "community-name", "auth-password", "priv-password",
    "auth-passphrase", "priv-passphrase", "encrypted-password", "hashed-password",
    "pre-shared-key", "preshared-key", "psk", "wpa-psk", "private-key", "cleartext-private-key",
    "cleartext-symmetric-key", "hidden-private-key", "hidden-symmetric-key",
    "hexadecimal-string", "auth-key", "authentication-key", "authentication-password", "md5-key",
    "sha-key", "secret-key", "shared-key", "ospfv2-key", "ospfv3-key", "crypt-password", "token",
    "access-token", "api-key", "text-name", "security-name", "auth-pass", "auth-data",
))  # fmt: skip
"""Names of members, elements and attributes whose values are secrets, in lower case with dashes."""
KEYED = frozenset((
    "authentication", "auth", "priv", "md5", "sha", "sha1", "sha256", "des", "aes", "usm",
    "crypto", "hmac", "key-chain-key",
))  # fmt: skip
"""Where a member that is called just `key` holds a secret (ietf-rip, ietf-snmp)."""


def is_secret(name: str, above: str = "") -> bool:
    """True if what stands under a name is a secret; `above` is the name of what holds it."""
    plain = _plain(name)
    return plain in NAMES or (plain == "key" and _plain(above) in KEYED)


def _plain(name: str) -> str:
    return name.rsplit(":", 1)[-1].lower().replace("_", "-")
