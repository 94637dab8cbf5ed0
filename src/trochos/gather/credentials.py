"""Credentials: held in memory only, shown by nothing."""

from __future__ import annotations

import json
import os
import re
from collections.abc import Mapping
from dataclasses import dataclass, field, fields

from .problems import CredentialMissing

AUTH_PROTOCOLS = ("sha", "sha256", "sha512", "md5")
PRIV_PROTOCOLS = ("aes", "aes256", "des")


@dataclass(frozen=True, slots=True)
class Credential:
    """What a device is told: parts that a method does not need stay empty.

    `username` with `password` or `private_key` (OpenSSH or PEM) for SSH, NETCONF, RESTCONF and
    gNMI; for gNMI `certificate` with its `private_key` (both PEM) instead or as well;
    `community` for SNMP v2c; `username`, `auth_key`, `priv_key` for SNMP v3 (RFC 3414).
    """

    name: str
    username: str = ""
    password: str = field(default="", repr=False)
    private_key: str = field(default="", repr=False)
    certificate: str = field(default="", repr=False)
    """What the device is shown of us where it asks for a certificate; no secret by itself."""
    community: str = field(default="", repr=False)
    auth_protocol: str = "sha"
    auth_key: str = field(default="", repr=False)
    priv_protocol: str = "aes"
    priv_key: str = field(default="", repr=False)

    @property
    def secrets(self) -> tuple[str, ...]:
        """Every part that must not appear in a log, a survey or an answer."""
        held = self.password, self.private_key, self.community, self.auth_key, self.priv_key
        return tuple(part for part in held if part)


def credential_from(name: str, parts: Mapping[str, object]) -> Credential:
    """A credential from its parts.

    Raises:
        CredentialMissing: a part has an unknown name or value, or there is nothing in it.
    """
    known = {f.name for f in fields(Credential)} - {"name"}
    unknown = sorted(set(parts) - known)
    if unknown:
        raise CredentialMissing(
            f"The credential {name} has a part {unknown[0]!r} that means nothing here. "
            f"Parts: {', '.join(sorted(known))}."
        )
    if not all(isinstance(value, str) for value in parts.values()):
        raise CredentialMissing(f"Every part of the credential {name} must be a text.")
    for part, allowed in (("auth_protocol", AUTH_PROTOCOLS), ("priv_protocol", PRIV_PROTOCOLS)):
        if part in parts and parts[part] not in allowed:
            raise CredentialMissing(
                f"The credential {name}: {part} is one of {', '.join(allowed)}."
            )
    if parts.get("certificate") and (
        "-----BEGIN CERTIFICATE-----" not in str(parts["certificate"])
        or not parts.get("private_key")
    ):
        raise CredentialMissing(
            f"The credential {name}: a client certificate is PEM text that begins with "
            "-----BEGIN CERTIFICATE-----, and needs its private key beside it."
        )
    made = Credential(name, **{part: str(value) for part, value in parts.items()})
    if not made.secrets:
        raise CredentialMissing(
            f"The credential {name} is empty: it needs a password, a private key, a community or "
            "SNMP v3 keys."
        )
    return made


def variable(name: str) -> str:
    """The environment variable that holds a credential."""
    return "TROCHOS_CREDENTIAL_" + re.sub(r"\W", "_", name).upper()


def from_environment(name: str) -> Credential:
    """A credential from `TROCHOS_CREDENTIAL_NAME`: `user:password`, or a JSON object of parts.

    Raises:
        CredentialMissing: the variable is not set or cannot be read.
    """
    text = os.environ.get(variable(name))
    if not text:
        raise CredentialMissing(
            f"The credential {name} is not known. Set {variable(name)} to user:password, or to a "
            "JSON object with username, password, private_key, certificate, community, "
            "auth_key, priv_key."
        )
    if text.lstrip().startswith("{"):
        try:
            parts = json.loads(text)
        except json.JSONDecodeError as error:
            # What the text holds is secret, so the message must not quote it.
            raise CredentialMissing(f"{variable(name)} is not JSON.") from error.__cause__
        return credential_from(name, parts)
    username, colon, password = text.partition(":")
    if not colon:
        return credential_from(name, {"community": text})
    return credential_from(name, {"username": username, "password": password})
