"""SSH to Linux and open-source routers: a fixed list of commands that only read."""

from __future__ import annotations

import json
from typing import NamedTuple

import asyncssh

from ...core.readers.frr.text import looks_like
from ..bounds import Budget, within
from ..credentials import Credential
from ..inventory import Target
from ..problems import Closed, Garbled, NotOffered
from .base import Gathered, Progress
from .secure_shell import connected


class Item(NamedTuple):
    """One command, the file that its answer becomes, and what it is in words."""

    file: str
    command: str
    what: str


READS = (
    Item("frr.conf", "vtysh -c 'show running-config'", "the running configuration"),
    Item("frr-stored.conf", "cat /etc/frr/frr.conf", "the stored configuration"),
    Item("frr-route.json", "vtysh -c 'show ip route json'", "the IPv4 routing table"),
    Item("frr-route6.json", "vtysh -c 'show ipv6 route json'", "the IPv6 routing table"),
    Item("ip-addr.json", "ip -j addr", "interfaces and addresses"),
    Item("ip-link.json", "ip -j -d link", "links, bridges and tunnels"),
    Item("ip-route.json", "ip -j route", "the kernel's IPv4 routes"),
    Item("ip-route6.json", "ip -j -6 route", "the kernel's IPv6 routes"),
    Item("ip-neigh.json", "ip -j neigh", "the neighbour table"),
    Item("bridge-vlan.json", "bridge -j vlan show", "VLANs of ports"),
    Item("nft.json", "nft -j list ruleset", "filters"),
    Item("sysctl.txt", "sysctl -a", "kernel settings"),
    Item("resolv.conf", "cat /etc/resolv.conf", "resolvers"),
    Item("hosts", "cat /etc/hosts", "the hosts file"),
    Item("sockets.txt", "ss -tuln", "listening sockets"),
)
"""All that is ever run on a device. There is no way to run anything else."""
_NOT_THERE = (126, 127)
_MAY_LACK = (
    "frr-stored.conf",
    "bridge-vlan.json",
    "nft.json",
    "resolv.conf",
    "hosts",
    "frr-route6.json",
)
"""What a healthy device may answer with an error: no such file, or no such feature."""


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
            elif status in _NOT_THERE or item.file in _MAY_LACK:
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
            json.loads(text)
        except (ValueError, RecursionError):
            out.missing[item.what] = f"Asked for {item.what}, it answered with no JSON."
            return
    elif item.file == "frr.conf" and not looks_like(text):
        out.missing[item.what] = f"Asked for {item.what}, it answered something else."
        return
    out.files[item.file] = text


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
