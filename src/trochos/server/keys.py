"""The keys of one installation, which every machine of it has to hold.

The database knows a check of each, never a key. A server or worker with another one refuses to
start: under another key of fingerprints equal secrets would look different, and under another key
of the vault no credential opens.
"""

from __future__ import annotations

import hashlib
import os
import secrets
from pathlib import Path

from ..local import fingerprint_key, state_directory


class WrongKey(Exception):
    """This machine's key is not the installation's; the message says what to do."""


FINGERPRINTS, VAULT = "fingerprint.key", "vault.key"


def _path(name: str) -> Path:
    named = os.environ.get("TROCHOS_VAULT_KEY") if name == VAULT else None
    return Path(named) if named else state_directory() / name


def _check(name: str, key: bytes) -> str:
    return hashlib.sha256(b"trochos " + name.encode() + b" " + key).hexdigest()[:32]


def require(*names: str, found: bool = False) -> None:
    """Compares this machine's keys with the installation's.

    Args:
        names: the keys that this process needs.
        found: the first machine of an installation makes them and puts them on record; a worker
            never does.

    Raises:
        WrongKey: a key is missing here, or is another one.
    """
    from .surveys.models import KeyOnRecord

    for name in names:
        path, held = _path(name), KeyOnRecord.objects.filter(name=name).first()
        if not path.exists():
            if held is None and found:
                _make(name)
            elif held is not None:
                raise WrongKey(
                    f"The key {name} of this installation is not here. Copy it from the machine "
                    f"where the service was set up to {path}."
                )
            else:
                continue
        check = _check(name, path.read_bytes())
        if held is None and found:
            KeyOnRecord.objects.get_or_create(name=name, defaults={"digest": check})
        elif held is not None and held.digest != check:
            raise WrongKey(
                f"The key {path} is not the one of this installation. Copy {name} from the machine "
                "where the service was set up."
            )


def _make(name: str) -> None:
    if name == FINGERPRINTS:
        fingerprint_key()
    else:
        from .gathering import vault

        vault.ready()


def rotate() -> tuple[str, str]:
    """A new key of fingerprints; the numbers of the old and the new one.

    Surveys of before keep their marks, which say nothing of the new ones: what compares secrets
    across the two is not known. The old key is kept beside, in case a backup is to be restored.
    """
    from ..core.readers.masking import number_of
    from .surveys.models import KeyOnRecord

    path = _path(FINGERPRINTS)
    old = fingerprint_key()
    new = secrets.token_bytes(32)
    fresh = path.with_suffix(".new")
    descriptor = os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(descriptor, "wb") as stream:
        stream.write(new)
    kept = path.with_name(f"fingerprint-{number_of(old)}.key")
    path.rename(kept)
    fresh.rename(path)
    KeyOnRecord.objects.update_or_create(
        name=FINGERPRINTS, defaults={"digest": _check(FINGERPRINTS, new)}
    )
    return number_of(old), number_of(new)


def main() -> int:
    """`./trochos rotate-key`."""
    import sys

    from .cluster import ClusterError, require_database

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "trochos.server.settings")
    try:
        require_database()
    except ClusterError as error:
        print(f"trochos: {error}", file=sys.stderr)
        return 1
    import django

    django.setup()
    from .accounts.audit import note_system

    try:
        require(FINGERPRINTS)
    except WrongKey as error:
        print(f"trochos: {error}", file=sys.stderr)
        return 1
    old, new = rotate()
    note_system("key of fingerprints rotated", f"{old} to {new}")
    print(
        f"The key of fingerprints has the number {new} now; {old} is kept beside it. Copy it to "
        "the other machines of this installation, and start the service again."
    )
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
