"""`python -m devices FOLDER`: serves a survey's devices live on loopback."""

from __future__ import annotations

import argparse
import asyncio
import socket
import sys
from pathlib import Path

from trochos.local import read_folder, state_directory
from trochos.parent import end_with_parent

from .faults import FAULTS
from .fleet import Fleet, serve


def free_ports(count: int, first: int) -> int:
    """The first of `count` ports in a row that nobody listens at, from `first` upward."""
    while first + count < 65536:
        for port in range(first, first + count):
            with socket.socket() as probe:
                probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
                try:
                    probe.bind(("127.0.0.1", port))
                except OSError:
                    first = port + 1
                    break
        else:
            return first
    raise SystemExit("devices: there are not enough free ports.")


def main() -> int:
    end_with_parent()
    parser = argparse.ArgumentParser(prog="devices", description=__doc__)
    parser.add_argument("folder", type=Path, help="the survey that the devices stand for")
    parser.add_argument("--port", type=int, default=8500, help="the first device's port")
    parser.add_argument("--inventory", type=Path, help="where to write the inventory")
    parser.add_argument("--method", action="append", default=[], metavar="DEVICE=METHOD")
    parser.add_argument(
        "--fault", action="append", default=[], metavar="DEVICE=FAULT", help=", ".join(FAULTS)
    )
    options = parser.parse_args()
    pairs = [dict(item.split("=", 1) for item in o) for o in (options.method, options.fault)]
    unknown = set(pairs[1].values()) - set(FAULTS)
    if unknown:
        print(
            f"devices: {unknown.pop()} is not a fault. Faults: {', '.join(FAULTS)}.",
            file=sys.stderr,
        )
        return 2
    fleet = Fleet(read_folder(options.folder), pairs[0], pairs[1])
    keys = state_directory() / "fleet"
    first = free_ports(len(fleet.devices), options.port)
    try:
        asyncio.run(serve(fleet, first, keys, options.inventory))
    except KeyboardInterrupt:
        pass
    return 0


if __name__ == "__main__":
    sys.exit(main())
