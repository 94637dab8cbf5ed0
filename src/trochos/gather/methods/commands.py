"""SSH to Linux and open-source routers: a fixed list of commands that only read."""

from __future__ import annotations

import json

import asyncssh

from ...core.readers.frr.known import looks_like
from ..bounds import Budget, within
from ..credentials import Credential
from ..inventory import Target
from ..problems import Closed, Garbled, NotOffered
from ..reads import MAY_LACK, READS, Item
from .base import Gathered, Progress
from .secure_shell import connected

_NOT_THERE = (126, 127)
OWN_TABLES = ("local", "main", "default", "255", "254", "253", "0", "unspec")
"""Tables that every kernel has; the main one is read for itself."""


async def gather(
    target: Target, credential: Credential, budget: Budget, progress: Progress
) -> Gathered:
    """Runs the list. A program that is not there is an answer; one that fails is a gap."""
    out = Gathered()
    async with connected(target, credential, budget) as connection:
        for number, item in enumerate(READS):
            progress(item.what, number, len(READS))
            status, text, said = await within(
                budget.bounds.step, f"Reading {item.what}", run_command(connection, item, budget)
            )
            if status == 0:
                # A program may have nothing to say; an empty file says no more.
                if text.strip():
                    _keep(out, item, _tidied(item, text))
            elif status in _NOT_THERE or item.file in MAY_LACK:
                out.absent.append(item.what)
            else:
                why = said or f"exit status {status}"
                out.missing[item.what] = f"Reading {item.what} failed: {why}."
    if "frr.conf" not in out.files:
        # Alone it would be taken for what the device does; the software does not even run.
        out.files.pop("frr-stored.conf", None)
    known = {"frr.conf", "ip-addr.json", "ip-link.json"}
    if not known & set(out.files):
        wrong = [i.what for i in READS if i.file in known and i.what in out.missing]
        if wrong:
            raise Garbled(out.missing[wrong[0]])
        raise NotOffered(
            "None of the commands that read a Linux system or an open-source router works there."
        )
    return out


def _keep(out: Gathered, item: Item, text: str) -> None:
    """Takes an answer that is what was asked for; anything else is a gap."""
    if item.file.endswith(".json"):
        try:
            held = json.loads(text)
        except (ValueError, RecursionError):
            out.missing[item.what] = f"Asked for {item.what}, it answered with no JSON."
            return
        if item.file in ("tables.json", "tables6.json"):
            text = other_tables(held)
            if not text:
                return
    elif item.file == "frr.conf" and not looks_like(text):
        out.missing[item.what] = f"Asked for {item.what}, it answered something else."
        return
    out.files[item.file] = text


def other_tables(routes: object) -> str:
    """Of the routes of all tables those outside the kernel's own three, as JSON; "" if none."""
    held = [
        route
        for route in (routes if isinstance(routes, list) else [])
        if isinstance(route, dict) and route.get("table") not in (None, *OWN_TABLES)
    ]
    return json.dumps(held) + "\n" if held else ""


async def run_command(
    connection: asyncssh.SSHClientConnection, item: Item, budget: Budget
) -> tuple[int, str, str]:
    """One command's exit status, its output, and the last line of its complaints."""
    async with connection.create_process(item.command, encoding=None) as process:
        chunks: list[bytes] = []
        length = 0
        while chunk := await process.stdout.read(1 << 16):
            length += len(chunk)
            budget.take(len(chunk), length)
            chunks.append(chunk)
        said = await process.stderr.read(2000)
        await process.wait_closed()
        if process.exit_status is None:
            raise Closed(f"The device ended the conversation while it gave {item.what}.")
        # A line that mentions a secret must not become part of a sentence.
        lines = [line for line in said.decode("utf-8", "replace").splitlines() if line.strip()]
        return (
            process.exit_status,
            b"".join(chunks).decode("utf-8", "replace"),
            (" ".join(lines[-1].split())[:120] if lines else ""),
        )


# The next line, "Current configuration:", stays: it tells a text that runs from one on disk.
_PREAMBLE = ("Building configuration",)


def _tidied(item: Item, text: str) -> str:
    """What was asked for, without what the program says around it."""
    text = text.replace("\r\n", "\n")
    if item.file == "frr.conf":
        lines = text.split("\n")
        while lines and (not lines[0].strip() or lines[0].startswith(_PREAMBLE)):
            lines.pop(0)
        text = "\n".join(lines)
    return text if text.endswith("\n") else text + "\n"
