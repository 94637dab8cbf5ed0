"""gNMI as a device speaks it: Capabilities, Get and Set over TLS, of OpenConfig data.

A device that ends conversations or sends noise does so below the protocol, on a bare TLS port.
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import ssl
import tempfile
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import grpc
from pygnmi.spec.v080 import gnmi_pb2 as messages
from pygnmi.spec.v080 import gnmi_pb2_grpc

from trochos.gather.credentials import Credential
from trochos.gather.inventory import Target
from trochos.gather.methods.gnmi import CONFIGURATION, STATE, channel_to

from .device import Device
from .faults import noise
from .restconf import certificate
from .tree import PathRefused, Step, Tree, without

MODELS = tuple(dict.fromkeys(module for module, _ in (*CONFIGURATION, *STATE)))
_BELOW = ("close", "garbage", "endless")
_SETTINGS = b"\x00\x00\x00\x04\x00\x00\x00\x00\x00"
"""An empty SETTINGS frame, with which each side of HTTP/2 begins (RFC 9113, section 6.5)."""
_HEADERS = b"\x88\x00\x0ccontent-type\x10application/grpc"
"""`:status: 200` and a content type, as HPACK writes them (RFC 7541)."""


class NotTaken(Exception):
    """A Set that the device refused, or that says nothing; the message is why."""


def steps_of(*paths: Any) -> list[Step]:
    """The steps of a path after its prefix."""
    return [(step.name, dict(step.key)) for path in paths for step in path.elem]


class Servicer(gnmi_pb2_grpc.gNMIServicer):  # type: ignore[misc]
    """The device's answers."""

    def __init__(self, device: Device, username: str, password: str, asks_certificate: bool):
        self.device = device
        self.expected = {"username": username, "password": password}
        self.asks_certificate = asks_certificate

    def admit(self, context: Any) -> None:
        given = dict(context.invocation_metadata())
        named = all(given.get(key) == value for key, value in self.expected.items())
        if self.device.fault == "refuse" or not (named or self.asks_certificate):
            context.abort(grpc.StatusCode.UNAUTHENTICATED, "who are you")
        if self.device.fault == "hang":
            over = threading.Event()
            context.add_callback(over.set)
            over.wait(600)

    def Capabilities(self, request: Any, context: Any) -> Any:
        self.admit(context)
        return messages.CapabilityResponse(
            supported_models=[
                messages.ModelData(name=name, organization="OpenConfig working group")
                for name in MODELS
            ],
            supported_encodings=[messages.JSON_IETF],
            gNMI_version="0.8.0",
        )

    def Get(self, request: Any, context: Any) -> Any:
        self.admit(context)
        if request.encoding != messages.JSON_IETF:
            context.abort(grpc.StatusCode.UNIMPLEMENTED, "this device speaks JSON_IETF")
        tree = Tree(self.device.shown_tree())
        notifications = []
        for path in request.path:
            try:
                found = tree.get(steps_of(request.prefix, path))
            except PathRefused as refused:
                context.abort(grpc.StatusCode.INVALID_ARGUMENT, str(refused))
            if request.type == messages.GetRequest.CONFIG:
                found = without(without(found, "state"), "afts")
            elif request.type in (messages.GetRequest.STATE, messages.GetRequest.OPERATIONAL):
                found = without(found, "config")
            if found is None:
                context.abort(grpc.StatusCode.NOT_FOUND, "nothing is there")
            value = messages.TypedValue(json_ietf_val=json.dumps(found).encode())
            told = path
            if self.device.fault == "lie":
                told = messages.Path(elem=[messages.PathElem(name="weather")])
            notifications.append(
                messages.Notification(
                    timestamp=time.time_ns(),
                    prefix=request.prefix,
                    update=[messages.Update(path=told, val=value)],
                )
            )
        return messages.GetResponse(notification=notifications)

    def Set(self, request: Any, context: Any) -> Any:
        self.admit(context)

        def valued(updates: Any) -> Iterator[tuple[list[Step], Any]]:
            for update in updates:
                if update.val.WhichOneof("value") != "json_ietf_val":
                    raise PathRefused("this device takes JSON_IETF")
                yield steps_of(request.prefix, update.path), json.loads(update.val.json_ietf_val)

        try:
            self.device.set(
                [steps_of(request.prefix, path) for path in request.delete],
                list(valued(request.replace)),
                list(valued(request.update)),
            )
        except (PathRefused, ValueError) as refused:
            context.abort(grpc.StatusCode.INVALID_ARGUMENT, str(refused))
        results = [
            messages.UpdateResult(path=path, op=operation)
            for operation, paths in (
                (messages.UpdateResult.DELETE, request.delete),
                (messages.UpdateResult.REPLACE, [u.path for u in request.replace]),
                (messages.UpdateResult.UPDATE, [u.path for u in request.update]),
            )
            for path in paths
        ]
        return messages.SetResponse(response=results, timestamp=time.time_ns())


class Listening:
    """A device's port; `stop` closes it."""

    def __init__(self, server: Any) -> None:
        self.server = server

    async def stop(self) -> None:
        if isinstance(self.server, asyncio.Server):
            self.server.close()
        else:
            await asyncio.to_thread(self.server.stop(0).wait, 5)


async def listen(
    device: Device, port: int, username: str, password: str, clients: bytes | None = None
) -> Listening:
    """The device's server on loopback; with `clients` (PEM) it asks for such a certificate."""
    device.certificate = device.certificate or certificate(device.name)
    made, private = device.certificate
    if device.fault in _BELOW:
        return Listening(await _below(device.fault, port, made, private))
    server = grpc.server(ThreadPoolExecutor(4), options=(("grpc.so_reuseport", 0),))
    gnmi_pb2_grpc.add_gNMIServicer_to_server(
        Servicer(device, username, password, clients is not None), server
    )
    secured = grpc.ssl_server_credentials([(private, made)], clients, clients is not None)
    server.add_secure_port(f"127.0.0.1:{port}", secured)
    server.start()
    return Listening(server)


async def _below(fault: str, port: int, made: bytes, private: bytes) -> asyncio.Server:
    """A TLS port behind which no such protocol is spoken, or not to its end."""

    async def answer(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        with contextlib.suppress(OSError, ssl.SSLError):
            await reader.read(1)
            if fault == "garbage":
                for piece in noise():
                    if writer.is_closing():
                        return
                    writer.write(piece)
                    await writer.drain()
                    await asyncio.sleep(0)
            writer.write(_SETTINGS + b"\x00\x00\x00\x04\x01\x00\x00\x00\x00")
            await asyncio.sleep(0.2)
            if fault == "endless":
                size = len(_HEADERS).to_bytes(3, "big")
                writer.write(size + b"\x01\x04\x00\x00\x00\x01" + _HEADERS)
                # A message of two gigabytes (the protocol's five bytes before it), in pieces.
                data = b"\x00\x7f\xff\xff\xff"
                while not writer.is_closing():
                    writer.write(len(data).to_bytes(3, "big") + b"\x00\x00\x00\x00\x00\x01" + data)
                    await writer.drain()
                    await asyncio.sleep(0)
                    data = b" " * 16000
            await writer.drain()
        writer.transport.abort()

    context = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH)
    with tempfile.TemporaryDirectory() as folder:
        chain, key = Path(folder, "cert.pem"), Path(folder, "key.pem")
        chain.write_bytes(made)
        key.write_bytes(private)
        context.load_cert_chain(chain, key)
    context.set_alpn_protocols(["h2"])
    return await asyncio.start_server(answer, "127.0.0.1", port, ssl=context)


def path_from(text: str) -> Any:
    """A path from its text: keys in brackets, what would end one escaped (path conventions).

    Raises:
        NotTaken: a bracket stays open, or a key has no value.
    """
    steps: list[Any] = []
    at = 0
    while at < len(text):
        if text[at] == "/":
            steps.append(messages.PathElem())
            at += 1
            continue
        if not steps:
            raise NotTaken(f"The path {text} does not begin with a slash.")
        if text[at] != "[":
            steps[-1].name += text[at]
            at += 1
            continue
        key, equals, _ = text[at + 1 :].partition("=")
        at += 2 + len(key)
        value = ""
        while at < len(text) and text[at] != "]":
            at += text[at] == "\\"
            value += text[at : at + 1]
            at += 1
        if not equals or at >= len(text):
            raise NotTaken(f"The path {text} has a key without its end.")
        steps[-1].key[key] = value
        at += 1
    return messages.Path(elem=steps)


async def change(port: int, text: str, username: str, password: str) -> None:
    """Sends a Set, as it was handed over, to the device at a port.

    Raises:
        NotTaken: the text is no Set, or the device refused it.
    """
    try:
        said = json.loads(text)
        request = messages.SetRequest(
            delete=[path_from(path) for path in said.get("delete", ())],
            replace=[_update(item) for item in said.get("replace", ())],
            update=[_update(item) for item in said.get("update", ())],
        )
    except (ValueError, AttributeError, KeyError, TypeError) as error:
        raise NotTaken("The text is no Set of gNMI in JSON.") from error
    shown = await asyncio.to_thread(ssl.get_server_certificate, ("127.0.0.1", port))
    target = Target("device", "127.0.0.1", "gnmi", port, "change")
    held = Credential("change", username=username, password=password)
    channel = channel_to(target, held, ssl.PEM_cert_to_DER_cert(shown), 1 << 20)
    try:
        stub = gnmi_pb2_grpc.gNMIStub(channel)
        who = (("username", username), ("password", password))
        await asyncio.to_thread(stub.Set, request, timeout=30, metadata=who)
    except grpc.RpcError as error:
        raise NotTaken(str(error.details() or "The device did not take the change.")) from error
    finally:
        channel.close()


def _update(item: dict[str, Any]) -> Any:
    value = messages.TypedValue(json_ietf_val=json.dumps(item["val"]).encode())
    return messages.Update(path=path_from(item["path"]), val=value)
