"""Gathering from real FRR routers through real SSH: what comes back computes to what they do."""

from __future__ import annotations

import asyncio
import os
import subprocess
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import asyncssh
import pytest
from core.test_reference import our_table, real_entries
from gather.live import QUICK, free_ports
from surveys import wired

from trochos.core.readers.archives import opened
from trochos.core.survey import Computed
from trochos.gather.credentials import Credential
from trochos.gather.inventory import Target
from trochos.gather.kit import script
from trochos.gather.run import gather_all
from trochos.gather.survey import device_files

from .lab import Lab, why_not

REASON = why_not()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")
LINKS = [
    ("desk", "eth0", "front", "eth0"),
    ("front", "eth1", "middle", "eth0"),
    ("middle", "eth1", "back", "eth0"),
    ("back", "eth1", "db", "eth0"),
]
HOSTS = {
    "desk": ["addr add 10.64.1.10/24 dev eth0", "route add default via 10.64.1.1"],
    "db": ["addr add 10.64.4.10/24 dev eth0", "route add default via 10.64.4.1"],
}


def router(name: str, first: str, second: str, *extra: str) -> str:
    return "\n".join(
        [
            "frr version 8.4.4",
            "frr defaults traditional",
            f"hostname {name}",
            "interface eth0",
            f" ip address {first}",
            " ip ospf hello-interval 1",
            " ip ospf dead-interval 4",
            "exit",
            "interface eth1",
            f" ip address {second}",
            " ip ospf hello-interval 1",
            " ip ospf dead-interval 4",
            "exit",
            "router ospf",
            f" ospf router-id {first.split('/')[0]}",
            " network 10.64.0.0/16 area 0",
            *extra,
            "exit",
            "",
        ]
    )


ROUTERS = {
    "front": router("front", "10.64.1.1/24", "10.64.2.1/30", " passive-interface eth0"),
    "middle": router("middle", "10.64.2.2/30", "10.64.3.1/30"),
    "back": router("back", "10.64.3.2/30", "10.64.4.1/24", " passive-interface eth1"),
}


class AnyPassword(asyncssh.SSHServer):
    """The lab's own server: it guards nothing."""

    def begin_auth(self, username: str) -> bool:
        return True

    def password_auth_supported(self) -> bool:
        return True

    def validate_password(self, username: str, password: str) -> bool:
        return password == "in the lab"


def tools_of(lab: Lab, name: str, folder: Path) -> Path:
    """A folder with a device's own shell of its routing software: one machine has many routers,
    so each is told which is its own; hosts have none."""
    tools = folder / name
    tools.mkdir()
    inner = f'exec /usr/bin/vtysh -N {lab.ns(name)} "$@"' if name in lab.routers else "exit 127"
    (tools / "vtysh").write_text(f"#!/bin/sh\n{inner}\n")
    (tools / "vtysh").chmod(0o755)
    return tools


@contextmanager
def reachable(lab: Lab, names: list[str], folder: Path) -> Iterator[list[Target]]:
    """Each device of the lab behind an SSH server that runs what is asked in its namespace."""
    loop = asyncio.new_event_loop()
    targets: list[Target] = []
    ready = threading.Event()
    first = free_ports(len(names))

    async def serve() -> None:
        for number, name in enumerate(names):
            space, tools = lab.ns(name), tools_of(lab, name, folder)

            async def run(
                process: asyncssh.SSHServerProcess[bytes],
                space: str = space,
                tools: Path = tools,
            ) -> None:
                inner = await asyncio.create_subprocess_exec(
                    *("ip", "netns", "exec", space, "sh", "-c", process.command or ""),
                    env={**os.environ, "PATH": f"{tools}:{os.environ['PATH']}"},
                    stdout=asyncio.subprocess.PIPE,
                    stderr=asyncio.subprocess.PIPE,
                )
                out, said = await inner.communicate()
                process.stdout.write(out)
                process.stderr.write(said)
                process.exit(inner.returncode or 0)

            key = asyncssh.generate_private_key("ssh-ed25519")
            await asyncssh.create_server(
                AnyPassword,
                "127.0.0.1",
                first + number,
                server_host_keys=[key],
                process_factory=run,
                encoding=None,
            )
            targets.append(
                Target(name, "127.0.0.1", "ssh", first + number, "lab", key=key.get_fingerprint())
            )
        ready.set()

    def work() -> None:
        asyncio.set_event_loop(loop)
        starting = loop.create_task(serve())
        loop.run_forever()
        starting.cancel()

    thread = threading.Thread(target=work, daemon=True)
    thread.start()
    assert ready.wait(20)
    try:
        yield targets
    finally:
        loop.call_soon_threadsafe(loop.stop)
        thread.join(10)


def test_real_routers_are_gathered_over_ssh(tmp_path: Path) -> None:
    with Lab(ROUTERS, HOSTS, LINKS, tag=f"g{os.getpid()}") as lab:
        lab.settle(quiet=6, least=15, most=90)
        names = [*ROUTERS, *HOSTS]
        with reachable(lab, names, tmp_path) as targets:
            outcomes = asyncio.run(
                gather_all(
                    targets,
                    lambda name: Credential(name, username="lab", password="in the lab"),
                    QUICK,
                )
            )
        assert {o.target.name: o.problem for o in outcomes if o.problem} == {}
        assert {o.target.name: o.gathered.missing for o in outcomes if o.gathered.missing} == {}
        files = {"topology.json": wired(*LINKS).encode()}
        for outcome in outcomes:
            for file, text in device_files(outcome, b"k").items():
                files[f"devices/{outcome.target.name}/{file}"] = text.encode()
        survey = Computed.from_files(files, b"k")
        for name in ROUTERS:
            device = survey.network.device(name)
            assert device is not None and device.gathered[4]
            assert our_table(survey, name, "ipv4") == real_entries(lab.table(name, 4))
        rows = [pair.as_json() for pair in survey.reach.pairs(None, None)]
        pairs = [row for row in rows if ":" not in row["to"]]
        real = lab.pings([(row["from"], row["to"], row["source"]) for row in pairs])
        assert [row["ok"] for row in pairs] == real
        assert len(pairs) > 20 and all(real)
        risky = [f for f in survey.findings if f.severity != "notes"]
        assert risky == []
        open_lines = [
            (r.device, r.file, line.text)
            for r in survey.survey.reading
            for line in r.unknown
            if line.matters
        ]
        assert open_lines == []


def test_the_kit_reads_what_the_real_router_does(tmp_path: Path) -> None:
    """Run by hand on each router and host, its archives together are the network."""
    kit = tmp_path / "kit.sh"
    kit.write_text(script())
    with Lab(ROUTERS, HOSTS, LINKS, tag=f"k{os.getpid()}") as lab:
        lab.settle(quiet=6, least=15, most=90)
        archives = {"topology.json": wired(*LINKS).encode()}
        for name in (*ROUTERS, *HOSTS):
            tools = tools_of(lab, name, tmp_path)
            subprocess.run(
                ["ip", "netns", "exec", lab.ns(name), "sh", str(kit), name],
                env={**os.environ, "PATH": f"{tools}:{os.environ['PATH']}"},
                cwd=tools, check=True, capture_output=True, timeout=60,
            )  # fmt: skip
            archives[f"{name}.tar.gz"] = (tools / f"{name}.tar.gz").read_bytes()
        survey = Computed.from_files(opened(archives), b"k")
        for name in ROUTERS:
            assert our_table(survey, name, "ipv4") == real_entries(lab.table(name, 4))
        pairs = [p.as_json() for p in survey.reach.pairs(None, None) if ":" not in str(p.target)]
        real = lab.pings([(str(p["from"]), str(p["to"]), str(p["source"])) for p in pairs])
        assert [p["ok"] for p in pairs] == real and len(pairs) > 20
        matters = [line.text for r in survey.survey.reading for line in r.unknown if line.matters]
        assert matters == []
