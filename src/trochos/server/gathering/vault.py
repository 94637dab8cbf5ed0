"""The vault: credentials encrypted at rest, under a key kept outside the database.

The key is a file of the installation (`vault.key` in its state folder, or the file that
TROCHOS_VAULT_KEY names, for workers on other machines). Without it the database alone gives
nothing away.
"""

from __future__ import annotations

import json
import os
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken

from ...gather.credentials import Credential, credential_from
from ...gather.problems import CredentialMissing
from ...local import state_directory


def _path() -> Path:
    return Path(os.environ.get("TROCHOS_VAULT_KEY") or state_directory() / "vault.key")


def _key() -> Fernet:
    path = _path()
    try:
        return Fernet(path.read_bytes())
    except FileNotFoundError:
        pass
    key = Fernet.generate_key()
    path.parent.mkdir(parents=True, exist_ok=True)
    try:
        descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return Fernet(path.read_bytes())
    with os.fdopen(descriptor, "wb") as stream:
        stream.write(key)
    return Fernet(key)


def ready() -> None:
    """Makes the key if there is none."""
    _key()


def seal(parts: dict[str, str]) -> bytes:
    """The parts of a credential as they are stored."""
    return _key().encrypt(json.dumps(parts).encode())


def parts_of(name: str, sealed: bytes) -> dict[str, str]:
    """The parts of a stored credential.

    Raises:
        CredentialMissing: it was sealed under another key.
    """
    try:
        held: dict[str, str] = json.loads(_key().decrypt(sealed))
    except (InvalidToken, ValueError) as error:
        raise CredentialMissing(
            f"The credential {name} was stored under another key than this machine's. Copy "
            f"{_path().name} here, or enter the credential again."
        ) from error
    return held


def unseal(name: str, sealed: bytes) -> Credential:
    """A stored credential. Raises as `parts_of`."""
    return credential_from(name, parts_of(name, sealed))
