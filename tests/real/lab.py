"""A network of real FRR routers and Linux hosts in network namespaces of its own.

Needs root, iproute2 and FRR. Everything is named after the process, so several labs and
leftovers of killed ones do not meet; `Lab.close` removes what `Lab.open` made.
"""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import time
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

DAEMONS = Path("/usr/lib/frr")
PROTOCOLS = {
    "ospfd": "router ospf\n",
    "ospf6d": "router ospf6",
    "ripd": "router rip\n",
    "ripngd": "router ripng",
    "eigrpd": "router eigrp",
    "bgpd": "router bgp",
    "isisd": "router isis",
}


def why_not() -> str | None:
    """Why no lab can run here; None if one can."""
    if os.geteuid() != 0:
        return "real routers need root"
    if not (DAEMONS / "zebra").exists() or shutil.which("vtysh") is None:
        return "FRR is not installed"
    if shutil.which("ping") is None or shutil.which("ip") is None:
        return "ping or ip is not installed"
    name = f"tprobe{os.getpid()}"
    made = subprocess.run(["ip", "netns", "add", name], capture_output=True, check=False)
    if made.returncode != 0:
        return "network namespaces are not allowed here"
    subprocess.run(["ip", "netns", "del", name], check=False)
    return None


@dataclass
class Lab:
    """Routers as {name: frr.conf}, hosts as {name: [address or gateway commands]}, cables."""

    routers: Mapping[str, str]
    hosts: Mapping[str, list[str]]
    links: list[tuple[str, str, str, str]]
    lans: list[str] = field(default_factory=list)
    """Names in `links` that are not devices: everything plugged in there shares a segment."""
    dummies: Mapping[str, list[str]] = field(default_factory=dict)
    """Interfaces of routers that lead nowhere, for subnets without hosts."""
    daemons: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    """Daemons that run on a router though its text does not configure them (yet)."""
    tag: str = field(default_factory=lambda: f"t{os.getpid()}")

    @property
    def names(self) -> list[str]:
        return [*self.routers, *self.hosts, *self.lans]

    def ns(self, name: str) -> str:
        return f"{self.tag}-{name}"

    def run(self, name: str, *command: str, check: bool = True) -> str:
        done = subprocess.run(
            ["ip", "netns", "exec", self.ns(name), *command],
            capture_output=True,
            text=True,
            check=False,
            timeout=60,
        )
        if check and done.returncode != 0:
            raise RuntimeError(f"{name}: {' '.join(command)}: {done.stderr.strip()}")
        return done.stdout

    def open(self) -> None:
        for name in self.names:
            subprocess.run(["ip", "netns", "add", self.ns(name)], check=True)
            self.run(name, "ip", "link", "set", "lo", "up")
            for key in (
                "ipv4.conf.all.rp_filter=0",
                "ipv4.conf.default.rp_filter=0",
                "ipv6.conf.all.accept_dad=0",
                "ipv6.conf.default.accept_dad=0",
                "ipv4.neigh.default.retrans_time_ms=300",
                "ipv6.neigh.default.retrans_time_ms=300",
            ):
                self.run(name, "sysctl", "-qw", f"net.{key}", check=False)
        for name in self.lans:
            self.run(name, "ip", "link", "add", "shared", "type", "bridge")
            self.run(name, "ip", "link", "set", "shared", "up")
        for number, (a, ap, b, bp) in enumerate(self.links):
            left, right = f"{self.tag}a{number}", f"{self.tag}b{number}"
            subprocess.run(
                ["ip", "link", "add", left, "type", "veth", "peer", "name", right], check=True
            )
            for port, owner, name in ((left, a, ap), (right, b, bp)):
                subprocess.run(["ip", "link", "set", port, "netns", self.ns(owner)], check=True)
                self.run(owner, "ip", "link", "set", port, "name", name)
                if owner in self.lans:
                    self.run(owner, "ip", "link", "set", name, "master", "shared")
                self.run(owner, "ip", "link", "set", name, "up")
        for name, extra in self.dummies.items():
            for port in extra:
                # Both ends stay here, so the interface is up and leads nowhere.
                inner = f"{port}x"
                self.run(name, "ip", "link", "add", port, "type", "veth", "peer", "name", inner)
                self.run(name, "ip", "link", "set", port, "up")
                self.run(name, "ip", "link", "set", inner, "up")
        for name, commands in self.hosts.items():
            for command in commands:
                self.run(name, "ip", *command.split())
        for name, config in self.routers.items():
            self._router(name, config)

    def _router(self, name: str, config: str) -> None:
        space = self.ns(name)
        for key in ("ipv4.ip_forward=1", "ipv6.conf.all.forwarding=1"):
            self.run(name, "sysctl", "-qw", f"net.{key}")
        folder = Path("/etc/frr") / space
        folder.mkdir(parents=True, exist_ok=True)
        (folder / "frr.conf").write_text(config)
        (folder / "vtysh.conf").write_text("service integrated-vtysh-config\n")
        run = Path("/var/run/frr") / space
        run.mkdir(parents=True, exist_ok=True)
        for path in (folder, folder / "frr.conf", folder / "vtysh.conf", run):
            shutil.chown(path, "frr", "frr")
        wanted = [d for d, sign in PROTOCOLS.items() if f"\n{sign}" in config]
        for daemon in dict.fromkeys(("zebra", "staticd", *wanted, *self.daemons.get(name, ()))):
            self.run(name, str(DAEMONS / daemon), "-d", "-N", space)
        self.run(name, "vtysh", "-N", space, "-b", check=False)

    def table(self, name: str, family: int) -> dict[str, object]:
        word = "ip" if family == 4 else "ipv6"
        text = self.run(name, "vtysh", "-N", self.ns(name), "-c", f"show {word} route json")
        return json.loads(text or "{}")

    def running(self, name: str) -> str:
        return self.run(name, "vtysh", "-N", self.ns(name), "-c", "show running-config")

    def addresses(self, name: str) -> str:
        return self.run(name, "ip", "-j", "addr")

    def kernel_routes(self, name: str, family: int) -> str:
        return self.run(name, "ip", "-j", f"-{family}", "route") or "[]"

    def settle(self, quiet: int = 1, least: int = 0, most: int = 90) -> None:
        """Waits until no table has changed for `quiet` seconds, `least` seconds at least."""
        before: list[object] = []
        started, since = time.monotonic(), time.monotonic()
        while time.monotonic() - started < most:
            now = [
                self.kernel_routes(name, 4) + self.kernel_routes(name, 6) for name in self.routers
            ]
            if now != before:
                since = time.monotonic()
            elif time.monotonic() - since >= quiet and time.monotonic() - started >= least:
                return
            before = now
            time.sleep(1)

    def until(self, holds: Callable[[], bool], most: int = 90) -> None:
        """Waits until something holds, or for `most` seconds: news travels the slower the busier
        the machine is. Whether it holds is for the caller to say."""
        started = time.monotonic()
        while not holds() and time.monotonic() - started < most:
            self.settle(quiet=3, most=10)

    def show(self, name: str, command: str) -> str:
        """What a router answers to a read-only command."""
        return self.run(name, "vtysh", "-N", self.ns(name), "-c", command, check=False)

    def pings(self, pairs: list[tuple[str, str, str | None]]) -> list[bool]:
        """Whether each (device, target, source or None) is answered."""

        def one(pair: tuple[str, str, str | None]) -> bool:
            name, target, source = pair
            extra = ["-I", source] if source else []
            for _ in range(2):
                done = subprocess.run(
                    [
                        "ip",
                        "netns",
                        "exec",
                        self.ns(name),
                        "ping",
                        "-nq",
                        "-c1",
                        "-W1",
                        *extra,
                        target,
                    ],
                    capture_output=True,
                    check=False,
                )
                if done.returncode == 0:
                    return True
            return False

        with ThreadPoolExecutor(24) as pool:
            return list(pool.map(one, pairs))

    def close(self) -> None:
        for name in self.names:
            pids = subprocess.run(
                ["ip", "netns", "pids", self.ns(name)], capture_output=True, text=True, check=False
            ).stdout.split()
            for pid in pids:
                subprocess.run(["kill", "-9", pid], check=False, capture_output=True)
            subprocess.run(["ip", "netns", "del", self.ns(name)], check=False, capture_output=True)
            shutil.rmtree(Path("/etc/frr") / self.ns(name), ignore_errors=True)
            shutil.rmtree(Path("/var/run/frr") / self.ns(name), ignore_errors=True)

    def __enter__(self) -> Lab:
        try:
            self.open()
        except BaseException:
            self.close()
            raise
        return self

    def __exit__(self, *error: object) -> None:
        self.close()
