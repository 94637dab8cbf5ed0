"""A fleet of simulated devices that runs beside a test, in a thread of its own."""

from __future__ import annotations

import asyncio
import os
import socket
import threading
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import replace
from typing import Any

from devices.fleet import COMMUNITY, PASSWORD, USERNAME, Fleet
from trochos.gather.bounds import Bounds
from trochos.gather.collect import Outcome, collect
from trochos.gather.credentials import Credential
from trochos.gather.inventory import Target, target_from
from trochos.gather.run import gather_all

QUICK = Bounds(connect=3, step=4, device=20, item_bytes=4 << 20, device_bytes=8 << 20, tries=1)

PATIENT = replace(QUICK, connect=30, step=40, device=120)
"""Where every device is to answer: many at once on a busy machine take their time."""


def credential(name: str) -> Credential:
    if name == "fleet-snmp":
        return Credential(name, community=COMMUNITY)
    if name == "fleet-snmp3":
        return Credential(name, username=USERNAME, auth_key=PASSWORD)
    return Credential(name, username=USERNAME, password=PASSWORD)


def free_ports(count: int) -> int:
    """The first of `count` ports in a row that nobody listens at; tests that run beside each
    other look in different places."""
    beside = int(os.environ.get("PYTEST_XDIST_WORKER", "gw0").removeprefix("gw"))
    for first in range(21000 + beside % 8 * 1000, 32000, count + 7):
        taken = False
        for port in range(first, first + count):
            for kind in (socket.SOCK_STREAM, socket.SOCK_DGRAM):
                with socket.socket(socket.AF_INET, kind) as probe:
                    try:
                        probe.bind(("127.0.0.1", port))
                    except OSError:
                        taken = True
                        break
            if taken:
                break
        if not taken:
            return first
    raise AssertionError("no ports")


@contextmanager
def running(fleet: Fleet) -> Iterator[Fleet]:
    """The fleet, live on loopback."""
    loop = asyncio.new_event_loop()
    ready = threading.Event()
    errors: list[Exception] = []

    async def start() -> None:
        try:
            await fleet.start(free_ports(len(fleet.devices)))
        except Exception as error:  # noqa: BLE001 (raised again in the test's thread)
            errors.append(error)
        finally:
            ready.set()

    def run() -> None:
        asyncio.set_event_loop(loop)
        starting = loop.create_task(start())
        loop.run_forever()
        starting.cancel()

    thread = threading.Thread(target=run, daemon=True)
    thread.start()
    assert ready.wait(60)
    if errors:
        raise errors[0]
    try:
        yield fleet
    finally:
        asyncio.run_coroutine_threadsafe(fleet.stop(), loop).result(30)
        loop.call_soon_threadsafe(loop.stop)
        thread.join(10)
        loop.close()


def targets_of(fleet: Fleet) -> list[Target]:
    return [target_from(entry) for entry in fleet.inventory()]


def gather(targets: list[Target], bounds: Bounds = QUICK, **more: Any) -> list[Outcome]:
    return asyncio.run(gather_all(targets, credential, bounds, **more))


def trusting(targets: list[Target], bounds: Bounds = QUICK) -> list[Target]:
    """The targets with the keys that the devices show now."""

    async def shown(target: Target) -> Target:
        if target.method == "snmp":
            return target
        outcome = await collect(replace(target, key=None), credential, bounds)
        return replace(target, key=outcome.shown_key)

    async def all_of_them() -> list[Target]:
        return list(await asyncio.gather(*(shown(target) for target in targets)))

    return asyncio.run(all_of_them())


def gathered(
    fleet: Fleet, bounds: Bounds = QUICK, keys: Mapping[str, str] | None = None
) -> dict[str, Outcome]:
    """Every device's outcome, with its key trusted unless `keys` says otherwise."""
    targets = trusting(targets_of(fleet), bounds)
    targets = [replace(t, key=(keys or {}).get(t.name, t.key)) for t in targets]
    return {o.target.name: o for o in gather(targets, bounds)}
