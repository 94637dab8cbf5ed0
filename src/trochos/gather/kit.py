"""The kit: one script that a colleague without Trochos runs on a Linux or FRR router or host.

It is written from the list of what is read (`reads`) and from the forms that secrets have, so that
neither is said twice; a test plants every form of `core/readers/secrets.py` and finds none left.
"""

from __future__ import annotations

import shlex
from pathlib import Path

from ..core.readers.secrets import NAMES
from .reads import READS

# (what stands before a secret, in lower case, as an extended regular expression without
# intervals; whether all the rest of the line is the secret)
_FORMS = (
    (r"neighbor [^ ]+ password ", True),
    (r"key-string[ \t]+", True),
    (r"([a-z0-9]+-)?password[ \t]+(clear |md5 |[0-9] )?", False),
    (r"message-digest-key[ \t]+[0-9]+ [^ ]+ ([0-9] )?", False),
    (r"authentication (string|text)[ \t]+", True),
    (r"hash-algo [^ ]+ key[ \t]+", False),
    (r"nhrp authentication[ \t]+", False),
    (r"auth_pass[ \t]+", True),
    (r"secret[ \t]+(level [0-9]+ )?([0-9] )?", False),
    (r"authentication-key[ \t]+[0-9]+ [^ ]+ ([0-9] )?", False),
    (r"(authentication|auth|pre-shared|private|api|encryption|shared)-key[ \t]+([0-9] )?", False),
    (r"username [^ ]+ nopassword[ \t]+", False),
    (r"(tacacs|radius)[^ ]*[ \t].*key[ \t]+([0-9] )?", False),
    (r"(isakmp|ikev2|tacacs-server|radius-server) key[ \t]+", False),
    (r"key [5-9] ", False),
    (r"(psk|passphrase|token)[ \t]+", False),
    (r"(ro|rw)community6?[ \t]+", False),
    (r"snmp-server community[ \t]+([0-9] )?", False),
    (r"snmp-server host [^ ]+[ \t]+", True),
    (r"com2sec6?[ \t]+[^ ]+[ \t]+[^ ]+[ \t]+", False),
    (r"(auth|priv)[ \t]+(md5|sha[^ ]*|3?des[^ ]*|aes[^ ]*)[ \t]+(128 |192 |256 )?", True),
    (r"createuser[ \t]+[^ ]+[ \t]+", True),
    (r"wpa-psk[ \t]+", True),
    (r"stable_secret[ \t]*=[ \t]*", True),
    (r"(privatekey|presharedkey)[ \t]*=[ \t]*", True),
    (r"(bearer|authorization:[ \t]*basic)[ \t]+", False),
    (
        r"[a-z0-9_-]*(password|passwd|passphrase|pwd|secret|token|psk|api[_-]?key)[ \t]*[:=][ \t]*",
        True,
    ),
)
_WORDS = (
    "pass|secret|key|string|commun|psk|pwd|token|auth|priv|snmp|com2sec|createuser|bearer|basic"
    "|:\\/\\/"
)


def script() -> str:
    """The script, as text."""
    text = (Path(__file__).parent / "kit.sh").read_text(encoding="utf-8")
    own = ("tables.json", "tables6.json")  # read table by table: a shell cannot sort JSON
    reads = [item for item in READS if item.file not in own]
    listed = "\n".join(f"#   {item.command}" for item in reads)
    listed += "\n#   ip route show table N, and for network namespaces ip -n NAME addr and route"
    read = "\n".join(
        # What is stored counts for nothing where the software does not run.
        ('[ -f "$out/frr.conf" ] && ' if item.file == "frr-stored.conf" else "")
        + " ".join(["keep", item.file, shlex.quote(item.what), item.command])
        for item in reads
    )
    forms = "\n".join(
        f'      {"rest" if whole else "word"}("{pattern}")' for pattern, whole in _FORMS
    )
    for mark, value in (
        ("@LISTED@", listed),
        ("@READ@", read),
        ("@FORMS@", forms),
        ("@NAMES@", " ".join(sorted(NAMES))),
        ("@WORDS@", _WORDS),
    ):
        text = text.replace(mark, value)
    return text
