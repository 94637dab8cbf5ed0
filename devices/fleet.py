"""All devices of a survey, each live at a port of its own on loopback."""

from __future__ import annotations

import asyncio
import hashlib
import socket
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import asyncssh
import yaml

from trochos.core.survey import Computed

from . import gnmi, mib, probes, restconf, shell, snmp
from .device import Device

USERNAME, PASSWORD, COMMUNITY = "surveyor", "lantern-oil", "ebb-and-flow"
"""What the simulated devices accept; they listen on loopback only and guard nothing."""
KEY = b"simulated devices"


Identity = tuple[asyncssh.SSHKey, tuple[bytes, bytes]]
"""A device's host key, and its certificate with the key to it."""


def _nobody_at(port: int) -> list[socket.socket]:
    """A port where nobody listens, and that nobody else takes meanwhile."""
    taken = [socket.socket(socket.AF_INET, k) for k in (socket.SOCK_STREAM, socket.SOCK_DGRAM)]
    for held in taken:
        held.bind(("127.0.0.1", port))
    return taken


@dataclass
class Fleet:
    """The devices, and the network that they make together.

    Args:
        files: the survey they stand for, path -> content.
        methods: device -> method; others are NETCONF if they hold standard YANG data, gNMI if they
            hold OpenConfig data, else SSH.
        faults: device -> fault.
    """

    files: Mapping[str, bytes]
    methods: Mapping[str, str] = field(default_factory=dict)
    faults: Mapping[str, str] = field(default_factory=dict)
    devices: dict[str, Device] = field(default_factory=dict)
    ports: dict[str, int] = field(default_factory=dict)
    keep: list[Any] = field(default_factory=list)

    def __post_init__(self) -> None:
        self._lock = threading.Lock()
        self._network: Computed | None = None
        grouped: dict[str, dict[str, str]] = {}
        for path, data in self.files.items():
            parts = path.split("/")
            if parts[0] == "devices" and len(parts) > 2:
                grouped.setdefault(parts[1], {})["/".join(parts[2:])] = data.decode()
        for name, texts in grouped.items():
            self.devices[name] = Device(
                name, texts, self.tables_of, self.forget, self.faults.get(name)
            )
            self.devices[name].answers = lambda who, asked: probes.said(self.network(), who, asked)

    # -- the network they make -----------------------------------------------------------

    def network(self) -> Computed:
        """The devices as they are now, computed."""
        with self._lock:
            if self._network is None:
                whole = {p: d for p, d in self.files.items() if not p.startswith("devices/")}
                for device in self.devices.values():
                    for name, text in device.current().items():
                        whole[f"devices/{device.name}/{name}"] = text.encode()
                self._network = Computed.from_files(whole, KEY)
            return self._network

    def forget(self) -> None:
        """Something was changed: tables are computed again when somebody asks."""
        with self._lock:
            self._network = None

    def tables_of(self, name: str) -> dict[str, list[dict[str, Any]]]:
        document: dict[str, Any] = self.network().routes_json(name, False)
        return document["devices"].get(name, {})  # type: ignore[no-any-return]

    def rows_of(self, name: str) -> dict[tuple[int, ...], Any]:
        network = self.network()
        facts = network.network.device(name)
        assert facts is not None
        return mib.rows(facts, network.network, self.tables_of(name))

    # -- being reached -------------------------------------------------------------------

    def method(self, name: str) -> str:
        device = self.devices[name]
        held = "netconf" if device.store is not None else "gnmi" if device.tree else "ssh"
        return self.methods.get(name, held)

    async def start(self, first_port: int, kept: Callable[[str], Identity] | None = None) -> None:
        """Opens every device's port, from `first_port` upward in the order of their names."""
        for number, name in enumerate(sorted(self.devices)):
            device, port = self.devices[name], first_port + number
            self.ports[name] = port
            if kept is not None:
                device.host_key, device.certificate = kept(name)
            if device.fault == "new-key":
                device.host_key = asyncssh.generate_private_key("ssh-ed25519")
            device.certificate = device.certificate or restconf.certificate(name)
            if device.fault == "silent":
                self.keep.append(_nobody_at(port))
                continue
            match self.method(name):
                case "ssh" | "netconf":
                    self.keep.append(await shell.listen(device, port, USERNAME, PASSWORD))
                case "restconf":
                    self.keep.append(await restconf.listen(device, port, USERNAME, PASSWORD))
                case "gnmi":
                    self.keep.append(await gnmi.listen(device, port, USERNAME, PASSWORD))
                case "snmp":
                    self.keep.append(
                        snmp.listen(
                            lambda name=name: self.rows_of(name),  # type: ignore[misc]
                            port,
                            COMMUNITY,
                            USERNAME,
                            PASSWORD,
                            device.fault,
                        )
                    )

    async def stop(self) -> None:
        """Closes every port and ends every conversation."""
        for held in self.keep:
            if isinstance(held, asyncssh.SSHAcceptor):
                held.close()
            elif isinstance(held, gnmi.Listening):
                await held.stop()
            elif isinstance(held, list):
                for taken in held:
                    taken.close()
            elif hasattr(held, "close_dispatcher"):
                held.close_dispatcher()
            else:
                held.should_exit = True
                held.keeper.cancel()
        rest = [t for t in asyncio.all_tasks() if t is not asyncio.current_task()]
        for task in rest:
            task.cancel()
        await asyncio.gather(*rest, return_exceptions=True)
        self.keep.clear()

    def inventory(self, keys: bool = False) -> list[dict[str, object]]:
        """The fleet as an inventory; with `keys`, what each device shows, as its owner knows it."""
        out: list[dict[str, object]] = []
        for name, port in sorted(self.ports.items()):
            method = self.method(name)
            entry: dict[str, object] = {
                "name": name,
                "address": "127.0.0.1",
                "method": method,
                "port": port,
                "credential": "fleet-snmp" if method == "snmp" else "fleet",
                "group": "routers" if self.devices[name].routes else "hosts",
            }
            if keys and method != "snmp":
                device = self.devices[name]
                entry["key"] = (
                    restconf.shown(device.certificate)
                    if method in ("restconf", "gnmi")
                    else device.host_key.get_fingerprint()
                )
            out.append(entry)
        return out

    def write_inventory(self, path: Path) -> None:
        """The inventory as a file that `gather` takes."""
        path.parent.mkdir(parents=True, exist_ok=True)
        fresh = path.with_suffix(".new")
        fresh.write_text(yaml.safe_dump(self.inventory(keys=True), sort_keys=False))
        fresh.rename(path)


def kept_identity(folder: Path) -> Callable[[str], Identity]:
    """Keys and certificates that stay the same from start to start, in a folder."""

    def identity(name: str) -> Identity:
        stem = hashlib.sha256(name.encode()).hexdigest()[:16]
        key, chain, private = (folder / f"{stem}.{kind}" for kind in ("key", "cert", "cert-key"))
        if not private.exists():
            folder.mkdir(parents=True, exist_ok=True)
            for path in (key, private):
                path.touch(mode=0o600)
            asyncssh.generate_private_key("ssh-ed25519").write_private_key(str(key))
            made = restconf.certificate(name)
            chain.write_bytes(made[0])
            private.write_bytes(made[1])
        return asyncssh.read_private_key(str(key)), (chain.read_bytes(), private.read_bytes())

    return identity


async def serve(fleet: Fleet, first_port: int, keys: Path, inventory: Path | None) -> None:
    """Runs a fleet until it is stopped; its inventory is written once it can be reached."""
    await fleet.start(first_port, kept_identity(keys))
    if inventory is not None:
        fleet.write_inventory(inventory)
    await asyncio.Event().wait()
