"""SSH: the commands of a Linux system or an open-source router, and NETCONF as a subsystem."""

from __future__ import annotations

import asyncio
import itertools

import asyncssh

from trochos.core.network.edits import EditError

from . import netconf
from .device import Device
from .faults import noise

COMMANDS = {
    "ip -j addr": ("ip-addr.json",),
    "ip -j -d link": ("ip-link.json",),
    "ip -j route": ("ip-route.json",),
    "ip -j -6 route": ("ip-route6.json",),
    "ip -j rule": ("ip-rule.json",),
    "ip -j -6 rule": ("ip-rule6.json",),
    "ip -j route show table all": ("tables.json",),
    "ip -j -6 route show table all": ("tables6.json",),
    "cat /etc/keepalived/keepalived.conf": ("keepalived.conf",),
    "ip -j neigh": ("ip-neigh.json",),
    "bridge -j vlan show": ("bridge-vlan.json",),
    "nft -j list ruleset": ("nft.json",),
    "sysctl -a": ("sysctl.txt", "sysctl.conf"),
    "cat /etc/resolv.conf": ("resolv.conf",),
    "cat /etc/hosts": ("hosts",),
    "ss -tuln": ("sockets.txt", "ss.txt"),
}
_QUIET = (
    "ip -j neigh",
    "ip -j addr",
    "ip -j -d link",
    "ip -j route",
    "ip -j -6 route",
    "sysctl -a",
    "ss -tuln",
)
"""What every such system has, though it may have nothing to say."""


class Server(asyncssh.SSHServer):
    """Lets in whoever knows the password."""

    def __init__(self, device: Device, username: str, password: str) -> None:
        self.device, self.username, self.password = device, username, password

    def begin_auth(self, username: str) -> bool:
        return True

    def password_auth_supported(self) -> bool:
        return True

    def validate_password(self, username: str, password: str) -> bool:
        if self.device.fault == "refuse":
            return False
        return username == self.username and password == self.password


async def answer(device: Device, process: asyncssh.SSHServerProcess[bytes]) -> None:
    """One session: a subsystem or a command."""
    try:
        if process.subsystem == "netconf":
            if device.store is None:
                process.exit(1)
                return
            await netconf.serve(device, process)
        else:
            await _command(device, process)
    except (asyncssh.Error, BrokenPipeError, ConnectionError):
        pass
    finally:
        if not process.is_closing():
            process.close()


async def _command(device: Device, process: asyncssh.SSHServerProcess[bytes]) -> None:
    command = (process.command or "").strip()
    if command == "vtysh":
        await _entered(device, process)
        return
    text = said(device, command)
    if text is None:
        process.stderr.write(f"sh: {command.split(' ')[0]}: not found\n".encode())
        process.exit(127)
        return
    fault = device.fault
    if fault == "hang":
        await asyncio.sleep(3600)
    if fault == "garbage":
        process.stdout.write(next(noise()))
        process.exit(0)
    elif fault == "endless":
        for piece in itertools.repeat(b"interface endless\n" * 1000):
            process.stdout.write(piece)
            await process.stdout.drain()
    elif fault == "close":
        process.stdout.write(text.encode()[: len(text) // 2])
        await process.stdout.drain()
        process.channel.get_connection().abort()
    elif fault == "lie":
        process.stdout.write(b"% everything is fine\n")
        process.exit(0)
    else:
        process.stdout.write(text.encode())
        process.exit(0)


def said(device: Device, command: str) -> str | None:
    """What a command prints; None if there is no such program on the device."""
    if command.startswith("vtysh -c "):
        if "frr.conf" not in device.files:
            return None
        asked = command.removeprefix("vtysh -c ").strip("'\"")
        return {
            "show running-config": lambda: (
                "Building configuration...\n\nCurrent configuration:\n!\n"
                + device.files["frr.conf"]
            ),
            "show ip route json": lambda: device.table("ipv4"),
            "show ipv6 route json": lambda: device.table("ipv6"),
        }.get(asked, lambda: None)()
    if command == "cat /etc/frr/frr.conf":
        return device.stored
    if command.startswith(("ping ", "traceroute ")) and device.answers is not None:
        return device.answers(device.name, command)
    for name in COMMANDS.get(command, ()):
        if name in device.files:
            return device.files[name]
    if device.store is not None or command not in _QUIET:
        return None
    return "" if command in ("sysctl -a", "ss -tuln") else "[]\n"


async def _entered(device: Device, process: asyncssh.SSHServerProcess[bytes]) -> None:
    """Configuration lines on standard input."""
    text = (await process.stdin.read()).decode("utf-8", "replace")
    try:
        device.enter(text.split("\n"))
    except EditError as error:
        process.stderr.write(f"{error}\n".encode())
        process.exit(1)
        return
    process.exit(0)


async def listen(device: Device, port: int, username: str, password: str) -> asyncssh.SSHAcceptor:
    """The device's SSH server on loopback."""
    return await asyncssh.create_server(
        lambda: Server(device, username, password),
        "127.0.0.1",
        port,
        server_host_keys=[device.host_key],
        process_factory=lambda process: answer(device, process),
        encoding=None,
        login_timeout=20,
    )
