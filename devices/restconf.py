"""RESTCONF as a device speaks it (RFC 8040): data as JSON, over HTTPS with its own certificate."""

from __future__ import annotations

import asyncio
import base64
import json
import ssl
import tempfile
from collections.abc import Awaitable, Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, unquote

import uvicorn
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID
from lxml import etree

from trochos.core.change.data import plain
from trochos.core.readers.located_xml import parse_xml
from trochos.gather.methods.certificates import fingerprint

from .datastore import Datastore, children
from .device import Device
from .faults import noise

Receive = Callable[[], Awaitable[dict[str, Any]]]
Send = Callable[[dict[str, Any]], Awaitable[None]]
_META = (
    '<XRD xmlns="http://docs.oasis-open.org/ns/xri/xrd-1.0">'
    '<Link rel="restconf" href="/api/restconf"/></XRD>'
)
_STATE_ONLY = ("oper-status", "admin-status", "phys-address", "statistics", "ribs")


def certificate(name: str) -> tuple[bytes, bytes]:
    """A self-signed certificate and its key, as PEM."""
    key = ec.generate_private_key(ec.SECP256R1())
    who = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, name)])
    now = datetime.now(UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(who)
        .issuer_name(who)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=3650))
        .sign(key, hashes.SHA256())
    )
    private = key.private_bytes(
        serialization.Encoding.PEM,
        serialization.PrivateFormat.PKCS8,
        serialization.NoEncryption(),
    )
    return made.public_bytes(serialization.Encoding.PEM), private


def shown(held: tuple[bytes, bytes] | None) -> str:
    """The fingerprint of a certificate, as a client would write it."""
    assert held is not None
    return fingerprint(ssl.PEM_cert_to_DER_cert(held[0].decode()))


class Application:
    """The device's web server."""

    def __init__(self, device: Device, username: str, password: str) -> None:
        self.device = device
        token = base64.b64encode(f"{username}:{password}".encode()).decode()
        self.expected = f"Basic {token}"

    async def __call__(self, scope: dict[str, Any], receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            return
        path = unquote(scope["path"])
        if path == "/.well-known/host-meta":
            await _send(send, 200, _META.encode(), "application/xrd+xml")
            return
        given = dict(scope["headers"]).get(b"authorization", b"").decode()
        if given != self.expected or self.device.fault == "refuse":
            await _send(send, 401, b"{}")
            return
        query = parse_qs(scope["query_string"].decode())
        content = query.get("content", ["all"])[0]
        found = await asyncio.to_thread(
            self.find, path.removeprefix("/api/restconf/data/"), content
        )
        body = json.dumps(found).encode()
        match self.device.fault:
            case "hang":
                await asyncio.sleep(3600)
            case "garbage":
                await _send(send, 200, next(noise()))
                return
            case "lie":
                await _send(send, 200, b'["fine", "all is well"]')
                return
            case "endless":
                await _start(send, 200)
                gone = asyncio.ensure_future(_gone(receive))
                while not gone.done():
                    piece = {"type": "http.response.body", "body": b" " * 65536, "more_body": True}
                    await send(piece)
                    await asyncio.sleep(0)
                return
            case "close":
                await _start(send, 200, len(body) + 100)
                await send({"type": "http.response.body", "body": body[: len(body) // 2]})
                return
        if found is None:
            await _send(send, 404, b"{}")
        else:
            await _send(send, 200, body)

    def find(self, path: str, content: str) -> dict[str, Any] | None:
        """The data at `module:name` or `module:name/inner`."""
        assert self.device.store is not None
        store = self.device.store if content == "config" else Datastore(self.device.state())
        whole = "".join(etree.tostring(e, encoding="unicode") for e in children(store.root))
        data = plain(parse_xml(f"<data>{whole}</data>"))
        top, _, inner = path.partition("/")
        found = data.get(top)
        if found is None:
            return None
        if inner:
            held = found.get(inner)
            return None if held is None else {f"{top.partition(':')[0]}:{inner}": _typed(held)}
        if content == "nonconfig" and top == "ietf-interfaces:interfaces":
            entries = found.get("interface", [])
            found = {
                "interface": [
                    {k: v for k, v in entry.items() if k == "name" or k in _STATE_ONLY}
                    for entry in entries
                ]
            }
        return {top: _typed(found)}


async def _gone(receive: Receive) -> None:
    """Returns when the client has closed the connection."""
    while (await receive())["type"] != "http.disconnect":
        pass


def _typed(value: Any) -> Any:
    """Texts of XML as JSON values: RFC 7951 has numbers and booleans."""
    if isinstance(value, dict):
        if not value:
            return [None]
        return {k: _typed(v) for k, v in value.items()}
    if isinstance(value, list):
        return [_typed(v) for v in value]
    if value in ("true", "false"):
        return value == "true"
    if isinstance(value, str) and value.isdigit() and len(value) < 10:
        return int(value)
    return value


async def _start(send: Send, status: int, length: int | None = None) -> None:
    headers = [(b"content-type", b"application/yang-data+json")]
    if length is not None:
        headers.append((b"content-length", str(length).encode()))
    await send({"type": "http.response.start", "status": status, "headers": headers})


async def _send(
    send: Send, status: int, body: bytes, kind: str = "application/yang-data+json"
) -> None:
    headers = [(b"content-type", kind.encode()), (b"content-length", str(len(body)).encode())]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})


async def listen(device: Device, port: int, username: str, password: str) -> uvicorn.Server:
    """The device's web server on loopback."""
    device.certificate = device.certificate or certificate(device.name)
    made, private = device.certificate
    with tempfile.TemporaryDirectory() as folder:
        chain, key = Path(folder, "cert.pem"), Path(folder, "key.pem")
        chain.write_bytes(made)
        key.write_bytes(private)
        config = uvicorn.Config(
            Application(device, username, password),
            host="127.0.0.1",
            port=port,
            ssl_certfile=str(chain),
            ssl_keyfile=str(key),
            log_level="critical",
            lifespan="off",
            access_log=False,
        )
        config.load()
    server = uvicorn.Server(config)
    task = asyncio.get_running_loop().create_task(server._serve())
    server.keeper = task  # type: ignore[attr-defined]
    while not server.started and not task.done():
        await asyncio.sleep(0.01)
    return server
