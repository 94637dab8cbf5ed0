"""Probes: what a device itself sees when it asks for a target, over SSH.

Two programs and no other: ping, and a trace of hops by growing hop limits. Addresses are
parsed before they become part of a command, so nothing else can be said to the device.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from ..core.diagnosis.probed import Echo, Probed
from ..core.network.addressing import Address
from .bounds import Bounds, Budget, within
from .credentials import Credential
from .inventory import Target
from .methods.commands import run_command
from .methods.secure_shell import connected
from .problems import Garbled, NotOffered
from .reads import Item

COUNT, HOPS = 3, 24
_HEADERS = {4: 28, 6: 48}
"""IP and ICMP headers: a size names the whole packet, ping wants what is inside."""
_COUNTED = re.compile(r"(\d+) packets transmitted, (\d+)(?: packets)? received")
_NOT_SENT = re.compile(r"unreachable|no route to host|message too long|network is down", re.I)
"""What a device says that has nowhere to send an echo: an answer about the way, and no failure
of the program."""
_HOP = re.compile(r"^\s*(\d{1,2})\s+(.*)$")
_ADDRESS = re.compile(
    r"(?<![\w.:])((?:\d{1,3}\.){3}\d{1,3}|[0-9a-fA-F]{0,4}:[0-9a-fA-F:.]+)(?![\w.:])"
)


FILE = "probes.json"
"""Beside a device's other files: what it saw when it was asked for others."""


@dataclass(frozen=True, slots=True)
class Question:
    """What is probed: a target, perhaps from a source, with a size."""

    target: Address
    source: Address | None = None
    size: int = 0
    dont_fragment: bool = False


def ping_command(question: Question) -> str:
    """The command that asks for echoes."""
    family = question.target.family
    parts = [f"ping -{family} -n -c {COUNT} -W 1"]
    if question.source is not None:
        parts.append(f"-I {question.source}")
    if question.size:
        parts.append(f"-s {max(0, question.size - _HEADERS[family])}")
    if question.dont_fragment:
        parts.append("-M do")
    return " ".join([*parts, str(question.target)])


def trace_command(question: Question) -> str:
    """The command that asks hop by hop."""
    parts = [f"traceroute -{question.target.family} -n -q 1 -w 1 -m {HOPS}"]
    if question.source is not None:
        parts.append(f"-s {question.source}")
    return " ".join([*parts, str(question.target)])


async def probe(
    target: Target, credential: Credential, question: Question, bounds: Bounds | None = None
) -> Probed:
    """Asks a device for a target.

    Raises:
        Problem: the device cannot be asked, has no ping, or one that does not do what it was
            asked.
    """
    if target.method != "ssh":
        raise NotOffered("Probes go over SSH, and this device is asked in another way.")
    bounds = bounds or Bounds()
    budget = Budget(bounds)
    async with connected(target, credential, budget) as connection:
        status, text, said = await within(
            bounds.step,
            "The echo request",
            run_command(connection, Item("", ping_command(question), "the echoes"), budget),
        )
        if status in (126, 127):
            raise NotOffered("The device has no ping.")
        counted = _COUNTED.search(text)
        if counted is None and not _NOT_SENT.search(f"{said}\n{text}"):
            # That it did not ask says nothing of who would have answered.
            why = (said or text).strip()[:200] or f"exit status {status}"
            raise Garbled(f"Its ping did not ask: {why}")
        echo = Echo(
            int(counted.group(1)) if counted else COUNT,
            int(counted.group(2)) if counted else 0,
            said if not counted else _told(text),
        )
        status, text, _ = await within(
            bounds.device,
            "The trace",
            run_command(connection, Item("", trace_command(question), "the trace"), budget),
        )
    return Probed(echo, tuple(_hops(text)) if status not in (126, 127) else None)


def as_file(taken: Iterable[tuple[Question, Probed, datetime]]) -> str:
    """Probes as the file that surveys keep of them."""
    listed = [
        {
            "target": str(question.target),
            "source": str(question.source) if question.source is not None else None,
            "size": question.size,
            "dont-fragment": question.dont_fragment,
            "sent": seen.echo.sent,
            "received": seen.echo.received,
            "says": seen.echo.says,
            "hops": None if seen.hops is None else [next(iter(who), None) for who in seen.hops],
            "taken": when.isoformat(timespec="seconds").replace("+00:00", "Z"),
        }
        for question, seen, when in taken
    ]
    return json.dumps({"trochos-probes:probes": listed}, indent=1)


def _told(text: str) -> str | None:
    """What somebody on the way answered instead: "Destination Host Unreachable" and its like."""
    for line in text.splitlines():
        match = re.match(r"^From (\S+).*?:? ((?:Destination|Time|Packet|Frag)\b.*)$", line)
        if match is not None:
            return f"{match.group(1).rstrip(':')} answered: {match.group(2).strip()[:80]}"
    return None


def _hops(text: str) -> list[tuple[str, ...]]:
    """The address that answered per hop; nobody where none did."""
    out: list[tuple[str, ...]] = []
    for line in text.splitlines():
        match = _HOP.match(line)
        if match is None or int(match.group(1)) != len(out) + 1:
            continue
        found = _ADDRESS.search(match.group(2))
        out.append((found.group(1),) if found else ())
    while out and not out[-1]:
        out.pop()
    return out
