"""What can go wrong with one device. Each problem is a sentence for a person."""

from __future__ import annotations

import errno
import socket


class Problem(Exception):
    """A device could not be gathered, or not wholly. `kind` is a word for machines."""

    kind = "failed"
    again = False
    """True where another try may help."""


class Unreachable(Problem):
    """Nobody answers at the address and port."""

    kind, again = "unreachable", True


def nobody(where: str, error: OSError) -> Unreachable:
    """What an address that cannot be connected to says, in words."""
    if isinstance(error, ConnectionRefusedError) or error.errno == errno.ECONNREFUSED:
        why = "the port is closed"
    elif isinstance(error, socket.gaierror):
        why = "its name does not resolve"
    elif error.errno in (errno.EHOSTUNREACH, errno.ENETUNREACH):
        why = "there is no way to it from here"
    elif "Connect call failed" in str(error):
        why = "the port is closed"
    else:
        why = (error.strerror or "no reason given").lower()
    return Unreachable(f"Nobody answers at {where}: {why}.")


class NotAllowed(Problem):
    """Live work may not go to the device's address."""

    kind = "not-allowed"


class TimedOut(Problem):
    """The device took longer than it may."""

    kind, again = "timeout", True


class Closed(Problem):
    """The device ended the conversation in the middle."""

    kind, again = "closed", True


class Garbled(Problem):
    """What came back is not the protocol, or not what was asked for."""

    kind = "garbled"


class TooMuch(Problem):
    """The device sent more than a device may send."""

    kind = "too-much"


class LoginRefused(Problem):
    """The device does not accept the credential."""

    kind = "login-refused"


class NotOffered(Problem):
    """The device does not offer what the method needs."""

    kind = "not-offered"


class CredentialMissing(Problem):
    """The inventory names a credential that nobody stored, or that lacks a part."""

    kind = "credential-missing"


class KeyUnknown(Problem):
    """Nobody has trusted the device's key yet; `key` is what it shows now."""

    kind = "key-unknown"

    def __init__(self, key: str) -> None:
        super().__init__(
            f"The device shows the key {key}, and nobody has trusted it yet. Compare it with the "
            "device's own, then trust it."
        )
        self.key = key


class KeyChanged(Problem):
    """The device shows another key than the one that was trusted."""

    kind = "key-changed"

    def __init__(self, trusted: str, key: str) -> None:
        super().__init__(
            f"The device shows the key {key}, but {trusted} was trusted. It was replaced, or "
            "somebody stands in between. Nothing was sent to it."
        )
        self.trusted, self.key = trusted, key
