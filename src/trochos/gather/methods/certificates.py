"""A device's certificate, pinned: nothing is sent before the one that a person trusted is shown."""

from __future__ import annotations

import asyncio
import base64
import hashlib
import ssl

from ..bounds import Budget, within
from ..inventory import Target
from ..problems import Garbled, KeyChanged, KeyUnknown, nobody


def fingerprint(certificate: bytes) -> str:
    """A certificate's fingerprint, written as SSH writes those of keys."""
    digest = base64.b64encode(hashlib.sha256(certificate).digest()).decode().rstrip("=")
    return f"SHA256:{digest}"


async def _shown(target: Target, budget: Budget, protocols: tuple[str, ...]) -> bytes:
    """The certificate that the device shows, before anything is sent to it."""
    context = ssl.create_default_context()
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    if protocols:
        context.set_alpn_protocols(list(protocols))
    where = f"{target.address} port {target.port}"
    try:
        _, writer = await within(
            budget.bounds.connect,
            f"Connecting to {where}",
            asyncio.open_connection(target.address, target.port, ssl=context),
        )
    except ssl.SSLError as error:
        raise Garbled(f"{where} does not speak TLS ({error.reason or 'no reason'}).") from error
    except OSError as error:
        raise nobody(where, error) from error
    shown = writer.get_extra_info("ssl_object").getpeercert(True)
    writer.transport.abort()
    if not shown:
        raise Garbled(f"{where} shows no certificate.")
    return bytes(shown)


async def trusted(target: Target, budget: Budget, protocols: tuple[str, ...] = ()) -> bytes:
    """The device's certificate (DER), if it is the one that somebody trusted.

    Args:
        protocols: what is said to be spoken inside (RFC 7301), where the device asks for it.

    Raises:
        KeyUnknown: nobody has trusted any yet.
        KeyChanged: it shows another one.
    """
    certificate = await _shown(target, budget, protocols)
    shown = fingerprint(certificate)
    if target.key is None:
        raise KeyUnknown(shown)
    if shown != target.key:
        raise KeyChanged(target.key, shown)
    return certificate
