"""SNMP v2c and v3 (RFC 3416, RFC 3414): walks of the standard MIBs, as text."""

from __future__ import annotations

import asyncio
import ipaddress
from typing import Any

from pyasn1.type import univ
from pysnmp.hlapi.v3arch import asyncio as snmp
from pysnmp.proto import rfc1902, rfc1905

from ..bounds import Budget
from ..credentials import Credential
from ..inventory import Target
from ..problems import CredentialMissing, Garbled, LoginRefused, Problem, TimedOut, Unreachable
from .base import Gathered, Progress

FILE = "snmp-walk.txt"
TREES = (
    ("its name", ("1.3.6.1.2.1.1.5",)),
    ("interfaces", tuple(f"1.3.6.1.2.1.2.2.1.{c}" for c in (1, 2, 3, 4, 6, 7, 8))),
    ("interfaces' names", ("1.3.6.1.2.1.31.1.1.1.1", "1.3.6.1.2.1.31.1.1.1.18")),
    ("whether it forwards", ("1.3.6.1.2.1.4.1", "1.3.6.1.2.1.4.25")),
    ("addresses", ("1.3.6.1.2.1.4.34.1.3", "1.3.6.1.2.1.4.34.1.5", "1.3.6.1.2.1.4.20.1")),
    ("routes", tuple(f"1.3.6.1.2.1.4.24.7.1.{c}" for c in (7, 8, 9, 12))),
    ("routes with their protocols", ("1.3.6.1.2.1.4.24.4.1", "1.3.6.1.2.1.4.24.2.1")),
    ("OSPF", ("1.3.6.1.2.1.14.1", "1.3.6.1.2.1.14.10.1.6")),
    ("BGP", ("1.3.6.1.2.1.15.2", "1.3.6.1.2.1.15.3.1.2", "1.3.6.1.2.1.15.3.1.9")),
    ("RIP", ("1.3.6.1.2.1.23.3.1.1",)),
    ("LLDP", ("1.0.8802.1.1.2.1.3.7.1", "1.0.8802.1.1.2.1.4.1.1")),
)
"""What is walked, in this order; the first must answer."""
PAUSE = 0.01
"""Seconds between two requests to one device: walks must not keep a router busy."""
_FIRST_ROWS, _ROWS = 4, 25
"""Rows per request: most tables are short, and what a request brings beyond a table is waste."""
_AUTH = {
    "md5": snmp.usmHMACMD5AuthProtocol,
    "sha": snmp.usmHMACSHAAuthProtocol,
    "sha256": snmp.usmHMAC192SHA256AuthProtocol,
    "sha512": snmp.usmHMAC384SHA512AuthProtocol,
}


def _who(credential: Credential) -> Any:
    if credential.community:
        return snmp.CommunityData(credential.community, mpModel=1)
    if not credential.username or not credential.auth_key:
        raise CredentialMissing(
            f"The credential {credential.name} has neither a community (SNMP v2c) nor a user "
            "with an authentication key (SNMP v3)."
        )
    privacy = {
        "aes": snmp.usmAesCfb128Protocol,
        "aes256": snmp.usmAesCfb256Protocol,
        "des": snmp.usmDESPrivProtocol,
    }
    return snmp.UsmUserData(
        credential.username,
        credential.auth_key,
        credential.priv_key or None,
        authProtocol=_AUTH[credential.auth_protocol],
        privProtocol=privacy[credential.priv_protocol] if credential.priv_key else None,
    )


async def gather(
    target: Target, credential: Credential, budget: Budget, progress: Progress
) -> Gathered:
    """Walks the list of trees. What a device does not have is absent; what breaks is a gap."""
    out = Gathered()
    engine = snmp.SnmpEngine()
    try:
        where = ipaddress.ip_address(target.address) if ":" in target.address else None
        kind = snmp.Udp6TransportTarget if where is not None else snmp.UdpTransportTarget
        timeout = max(0.5, min(budget.bounds.step / 4, 3.0))
        try:
            transport = await kind.create((target.address, target.port), timeout, 2)
        except Exception as error:
            raise Unreachable(f"{target.address} is not an address that can be asked.") from error
        who = _who(credential)
        lines: list[str] = []
        for number, (what, trees) in enumerate(TREES):
            progress(what, number, len(TREES))
            try:
                rows = [
                    r for tree in trees for r in await _walk(engine, who, transport, tree, budget)
                ]
            except (TimedOut, Unreachable) as problem:
                if number == 0:
                    raise
                out.missing[what] = str(problem)
                continue
            if not rows:
                out.absent.append(what)
            lines += rows
        if len(lines) < 2:
            raise Garbled("The device answers, and shows none of the standard tables.")
        out.files[FILE] = "\n".join(lines) + "\n"
    finally:
        engine.close_dispatcher()
    return out


async def _walk(engine: Any, who: Any, transport: Any, tree: str, budget: Budget) -> list[str]:
    """Everything below one object, as lines."""
    base = tuple(map(int, tree.split(".")))
    last: tuple[int, ...] = base
    out: list[str] = []
    length = 0
    count = _FIRST_ROWS
    while True:
        ask = snmp.ObjectType(snmp.ObjectIdentity(last))
        indication, status, _, rows = await snmp.bulk_cmd(
            engine, who, transport, snmp.ContextData(), 0, count, ask, lookupMib=False
        )
        if indication:
            raise _problem(str(indication), tree)
        if status:
            return out
        for name, value in rows:
            held = tuple(name)
            if held[: len(base)] != base or isinstance(value, rfc1905.EndOfMibView):
                return out
            if held <= last:
                raise Garbled("The device's tables go backwards, so a walk would never end.")
            last = held
            line = f".{'.'.join(map(str, held))} = {_text(value)}"
            length += len(line)
            budget.take(len(line), length)
            out.append(line)
        if not rows:
            return out
        count = _ROWS
        await asyncio.sleep(PAUSE)


def _problem(said: str, tree: str) -> Problem:
    lowered = said.lower()
    if "timeout" in lowered or "no snmp response" in lowered:
        return TimedOut(
            "Nothing answers over SNMP: nobody is there, or the community or user is wrong."
        )
    if any(word in lowered for word in ("digest", "user", "auth", "decrypt", "security")):
        return LoginRefused(f"The device refuses the SNMP v3 user: {said[:100]}.")
    return Garbled(f"The device's answer to {tree} cannot be used: {said[:100]}.")


def _text(value: Any) -> str:
    """A value with its type, one line."""
    if isinstance(value, rfc1902.IpAddress):
        return f"IpAddress: {value.prettyPrint()}"
    if isinstance(value, rfc1902.OctetString):
        raw = bytes(value)
        if raw and all(32 <= byte < 127 for byte in raw):
            return f"STRING: {raw.decode('ascii')}"
        return f"Hex-STRING: {raw.hex(' ').upper()}" if raw else 'STRING: ""'
    if isinstance(value, univ.ObjectIdentifier):
        return f"OID: .{'.'.join(map(str, tuple(value)))}"
    if isinstance(value, rfc1902.Counter64):
        return f"Counter64: {int(value)}"
    if isinstance(value, (rfc1902.Counter32, rfc1902.Gauge32, rfc1902.TimeTicks)):
        return f"{type(value).__name__}: {int(value)}"
    try:
        return f"INTEGER: {int(value)}"
    except (TypeError, ValueError):
        return f"STRING: {' '.join(str(value).split())[:400]}"
