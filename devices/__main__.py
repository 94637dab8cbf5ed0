"""`python -m devices FOLDER`: serves a survey's devices live on loopback."""

from __future__ import annotations

import argparse
import asyncio
import sys
from pathlib import Path

from trochos.local import read_folder, state_directory

from .faults import FAULTS
from .fleet import Fleet, serve


def main() -> int:
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
    if options.inventory is not None:
        fleet.ports = {n: options.port + i for i, n in enumerate(sorted(fleet.devices))}
        fleet.write_inventory(options.inventory)
    try:
        asyncio.run(serve(fleet, options.port, state_directory() / "fleet"))
    except KeyboardInterrupt:
        pass
    return 0


if __name__ == "__main__":
    sys.exit(main())
