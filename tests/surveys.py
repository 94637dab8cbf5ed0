"""Small helpers to get computed surveys in tests."""

from __future__ import annotations

import json
import re
import socket
from collections.abc import Mapping
from pathlib import Path

import make as demo

from trochos.core.survey import Computed
from trochos.local import read_folder

KEY = b"key of the tests"
ROOT = Path(__file__).resolve().parents[1]
GATHERED = re.compile(r"frr-.*\.(json|txt)$|ip-route6?\.json$|ip-neigh.*")


def compute(files: dict[str, str]) -> Computed:
    """A computed survey from {path: text}."""
    return Computed.from_files({path: text.encode() for path, text in files.items()}, KEY)


def bare(folder: Path) -> Computed:
    """A survey from which every table that a router gave is taken out."""
    files = read_folder(folder)
    routers = {path.rsplit("/", 1)[0] for path in files if path.endswith("/frr.conf")}
    kept = {
        path: data
        for path, data in files.items()
        if not (path.rsplit("/", 1)[0] in routers and GATHERED.match(path.rsplit("/", 1)[1]))
    }
    return Computed.from_files(kept, KEY)


def company(*, broken: bool = False, dialect: str | None = None, change=None) -> Computed:  # type: ignore[no-untyped-def]
    """The ferry company, as it is or with one change applied to the healthy network."""
    built = demo.broken() if broken else demo.healthy()
    if change is not None:
        change(built)
    return compute(demo.render(built, "test", "2026-05-04T06:30:00Z", dialect))


def wired(*links: tuple[str, str, str, str]) -> str:
    """A topology.json for these cables."""
    nodes = sorted({end for a, _, b, _ in links for end in (a, b)})
    return json.dumps(
        {
            "ietf-network:networks": {
                "network": [
                    {
                        "network-id": "test",
                        "node": [{"node-id": node} for node in nodes],
                        "ietf-network-topology:link": [
                            {
                                "link-id": f"{a}{ap}{b}{bp}",
                                "source": {"source-node": a, "source-tp": ap},
                                "destination": {"dest-node": b, "dest-tp": bp},
                            }
                            for a, ap, b, bp in links
                        ],
                    }
                ]
            }
        }
    )


def frr(name: str, ports: dict[str, str], *lines: str, shut: tuple[str, ...] = ()) -> str:
    """An FRR text: ports as {interface: address}, and further top-level lines."""
    text = ["frr version 8.4.4", "frr defaults traditional", f"hostname {name}", "!", *lines, "!"]
    for port, addresses in ports.items():
        text.append(f"interface {port}")
        for address in addresses.split():
            text.append(f" {'ipv6' if ':' in address else 'ip'} address {address}")
        if port in shut:
            text.append(" shutdown")
        text += ["exit", "!"]
    return "\n".join([*text, "end", ""])


def without(files: Mapping[str, bytes], *names: str) -> dict[str, bytes]:
    """A survey from which nothing of these devices was sent."""
    gone = tuple(f"devices/{name}/" for name in names)
    return {path: data for path, data in files.items() if not path.startswith(gone)}


def free_port() -> int:
    """A port at which nobody listens."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])
