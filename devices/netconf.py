"""NETCONF as a device speaks it (RFC 6241, RFC 6242): hello, get, get-config, edit-config."""

from __future__ import annotations

import asyncio
import itertools
import re

import asyncssh
from lxml import etree

from .datastore import BASE, EditRefused, Element, children
from .device import Device
from .faults import noise

_CAPABILITIES = (
    "urn:ietf:params:netconf:base:1.0",
    "urn:ietf:params:netconf:base:1.1",
    "urn:ietf:params:netconf:capability:writable-running:1.0",
    "urn:ietf:params:netconf:capability:startup:1.0",
    "urn:ietf:params:xml:ns:yang:ietf-interfaces?module=ietf-interfaces&amp;revision=2018-02-20",
    "urn:ietf:params:xml:ns:yang:ietf-routing?module=ietf-routing&amp;revision=2018-03-13",
)
_END = b"]]>]]>"
_HEAD = re.compile(rb"\n#(\d+|#)\n")
MOST = 4 << 20


class _Channel:
    """Reads and writes framed messages."""

    def __init__(self, process: asyncssh.SSHServerProcess[bytes]) -> None:
        self.process = process
        self.held = b""
        self.chunked = False

    async def more(self) -> bool:
        data = await self.process.stdin.read(1 << 16)
        self.held += data
        return bool(data) and len(self.held) < MOST

    async def message(self) -> bytes | None:
        if not self.chunked:
            while _END not in self.held:
                if not await self.more():
                    return None
            out, self.held = self.held.split(_END, 1)
            return out
        body = b""
        while True:
            match = _HEAD.match(self.held)
            if match is None:
                if not await self.more():
                    return None
                continue
            if match.group(1) == b"#":
                self.held = self.held[match.end() :]
                return body
            length = int(match.group(1))
            while len(self.held) < match.end() + length:
                if not await self.more():
                    return None
            body += self.held[match.end() : match.end() + length]
            self.held = self.held[match.end() + length :]

    async def send(self, data: bytes) -> None:
        if self.chunked:
            # Two chunks where there is enough, so that clients meet more than one.
            half = max(1, len(data) // 2)
            pieces = [data[:half], data[half:]] if len(data) > 1 else [data]
            data = b"".join(b"\n#%d\n%s" % (len(p), p) for p in pieces if p) + b"\n##\n"
        else:
            data += _END
        self.process.stdout.write(data)
        await self.process.stdout.drain()


async def serve(device: Device, process: asyncssh.SSHServerProcess[bytes]) -> None:
    """One session, until the client closes it."""
    channel = _Channel(process)
    offered = "".join(f"<capability>{c}</capability>" for c in _CAPABILITIES)
    hello = (
        f'<hello xmlns="{BASE}"><capabilities>{offered}</capabilities>'
        "<session-id>7</session-id></hello>"
    )
    if device.fault == "garbage":
        process.stdout.write(next(noise()))
        return
    await channel.send(hello.encode())
    first = await channel.message()
    if first is None:
        return
    channel.chunked = b"base:1.1" in first
    while (message := await channel.message()) is not None:
        rpc = etree.fromstring(message.strip(), etree.XMLParser(resolve_entities=False))
        if not await _reply(device, channel, rpc):
            return


async def _reply(device: Device, channel: _Channel, rpc: Element) -> bool:
    operation = children(rpc)[0]
    name = etree.QName(operation).localname
    attributes = " ".join(f'{k}="{v}"' for k, v in rpc.attrib.items())
    if device.fault == "lie":
        attributes = 'message-id="999"'
    opening = f'<rpc-reply xmlns="{BASE}" {attributes}>'
    body = await asyncio.to_thread(_answer, device, name, operation)
    whole = f"{opening}{body}</rpc-reply>".encode()
    if name.startswith("get"):
        if device.fault == "hang":
            await asyncio.sleep(3600)
        if device.fault == "close":
            channel.process.stdout.write(b"\n#%d\n%s" % (len(whole), whole[: len(whole) // 2]))
            await channel.process.stdout.drain()
            channel.process.channel.get_connection().abort()
            return False
        if device.fault == "endless":
            for _ in itertools.repeat(None):
                channel.process.stdout.write(b"\n#16000\n" + b"x" * 16000)
                await channel.process.stdout.drain()
    await channel.send(whole)
    return bool(name != "close-session")


def _answer(device: Device, name: str, operation: Element) -> str:
    assert device.store is not None
    if name in ("get-config", "get"):
        filters = operation.find(f"{{{BASE}}}filter")
        wanted = children(filters) if filters is not None else None
        startup = operation.find(f"{{{BASE}}}source/{{{BASE}}}startup") is not None
        asked = device.startup if startup and device.startup is not None else device.store
        found = asked.get(wanted)
        if name == "get":
            from .datastore import Datastore

            found = Datastore(device.state()).get(wanted)
        return "<data>" + "".join(etree.tostring(e, encoding="unicode") for e in found) + "</data>"
    if name == "edit-config":
        config = operation.find(f"{{{BASE}}}config")
        try:
            device.edit(children(config) if config is not None else [])
        except EditRefused as error:
            return _error(error.tag, str(error))
        return "<ok/>"
    if name == "copy-config":
        return _copied(device, operation)
    if name in ("close-session", "lock", "unlock", "commit"):
        return "<ok/>"
    return _error("operation-not-supported", f"{name} is not offered.")


def _copied(device: Device, operation: Element) -> str:
    """Only what runs can be copied, and only to what is started with."""
    running = operation.find(f"{{{BASE}}}source/{{{BASE}}}running")
    startup = operation.find(f"{{{BASE}}}target/{{{BASE}}}startup")
    if running is None or startup is None:
        return _error("operation-not-supported", "Only running can be copied, to startup.")
    device.keep()
    return "<ok/>"


def _error(tag: str, message: str) -> str:
    return (
        "<rpc-error><error-type>application</error-type>"
        f"<error-tag>{tag}</error-tag><error-severity>error</error-severity>"
        f"<error-message>{message}</error-message></rpc-error>"
    )
