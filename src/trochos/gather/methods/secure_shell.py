"""The SSH connection that NETCONF and commands share: its key is checked before any secret."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

import asyncssh

from ..bounds import Budget, within
from ..credentials import Credential
from ..inventory import Target
from ..problems import (
    Closed,
    CredentialMissing,
    Garbled,
    KeyChanged,
    KeyUnknown,
    LoginRefused,
    Problem,
    nobody,
)


class _Client(asyncssh.SSHClient):
    """Accepts the trusted key and no other; the comparison is before authentication."""

    def __init__(self, trusted: str | None) -> None:
        self.trusted = trusted
        self.shown: str | None = None

    def validate_host_public_key(
        self, host: str, addr: str, port: int, key: asyncssh.SSHKey
    ) -> bool:
        self.shown = key.get_fingerprint()
        return self.trusted is not None and self.shown == self.trusted


def _keys(credential: Credential) -> list[asyncssh.SSHKey]:
    if not credential.private_key:
        return []
    try:
        return [asyncssh.import_private_key(credential.private_key)]
    except (asyncssh.KeyImportError, ValueError) as error:
        raise CredentialMissing(
            f"The private key of the credential {credential.name} cannot be read. Give it "
            "unencrypted, in OpenSSH's or PEM form."
        ) from error


@asynccontextmanager
async def connected(
    target: Target, credential: Credential, budget: Budget
) -> AsyncIterator[asyncssh.SSHClientConnection]:
    """An authenticated connection.

    Raises:
        Problem: unreachable, an unknown or changed key, a refused login, or a broken talk.
    """
    if not credential.username:
        raise CredentialMissing(f"The credential {credential.name} has no user name.")
    client = _Client(target.key)
    where = f"{target.address} port {target.port}"
    try:
        connection = await within(
            budget.bounds.connect,
            f"Connecting to {where}",
            asyncssh.connect(
                target.address,
                target.port,
                username=credential.username,
                password=credential.password or None,
                client_keys=_keys(credential) or None,
                agent_path=None,
                known_hosts=b"",
                config=[],
                client_factory=lambda: client,
                preferred_auth="publickey,keyboard-interactive,password",
                keepalive_interval=15,
                login_timeout=budget.bounds.connect,
            ),
        )
    except asyncssh.HostKeyNotVerifiable as error:
        if client.shown is None:
            raise Garbled(f"{where} shows no usable key.") from error
        if target.key is None:
            raise KeyUnknown(client.shown) from error
        raise KeyChanged(target.key, client.shown) from error
    except asyncssh.PermissionDenied as error:
        raise LoginRefused(
            f"{where} refuses the credential {credential.name} (user {credential.username})."
        ) from error
    except (asyncssh.ConnectionLost, asyncssh.DisconnectError) as error:
        raise Closed(f"{where} closed the connection before the login: {_why(error)}.") from error
    except OSError as error:
        raise nobody(where, error) from error
    try:
        yield connection
    except (asyncssh.ConnectionLost, asyncssh.DisconnectError, BrokenPipeError) as error:
        raise Closed(f"{where} closed the connection in the middle.") from error
    except asyncssh.ChannelOpenError as error:
        raise Problem(f"{where} does not open a channel: {_why(error)}.") from error
    finally:
        connection.abort()


def _why(error: Exception) -> str:
    text = " ".join(str(getattr(error, "reason", "") or error).split())
    return (text[:120] or "no reason given").rstrip(".")
