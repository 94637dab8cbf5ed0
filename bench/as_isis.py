#!/usr/bin/env python3
"""A survey of routers that speak OSPF, written as one that speaks IS-IS.

    .venv/bin/python bench/as_isis.py SURVEY OUT [--flat]

Area 0 becomes level 2, every other area a level 1 of its own behind the routers that are in both;
with --flat everything is level 2. Costs, passive interfaces and kinds of links stay. What else the
texts hold (BGP, statics, redistribution) is left as it is, so of external routes only those remain
that need no OSPF.
"""

from __future__ import annotations

import argparse
import ipaddress
import re
import shutil
from pathlib import Path

_NETWORK = re.compile(r"^ network (\S+) area (\d+)$", re.M)
_PROCESS = re.compile(r"^router ospf\n(?:^ .*\n)*?^exit\n", re.M)


def isis(text: str, number: int, flat: bool) -> str:
    """One router's text; `number` makes its system id."""
    taken = [(ipaddress.ip_network(p), int(a)) for p, a in _NETWORK.findall(text)]
    areas = sorted({area for _, area in taken})
    if not areas:
        return text

    def interface(match: re.Match[str]) -> str:
        body = match.group(0)
        address = re.search(r"^ ip address (\S+)$", body, re.M)
        inside = ipaddress.ip_interface(address.group(1)).network if address else None
        area = next((area for prefix, area in taken if prefix == inside), None)
        if area is None:
            return body
        body = body.replace(" ip ospf cost ", " isis metric ")
        body = body.replace(" ip ospf passive", " isis passive")
        body = body.replace(" ip ospf network ", " isis network ")
        level = "level-2-only" if flat or area == 0 else "level-1"
        lines = f" ip router isis bench\n isis circuit-type {level}\n"
        return body.replace("exit\n", f"{lines}exit\n")

    text = re.sub(r"^interface .*\n(?:^ .*\n)*^exit\n", interface, text, flags=re.M)
    own = [area for area in areas if area] or [0]
    kind = "level-2-only" if flat or own == [0] else "level-1-2" if 0 in areas else "level-1"
    area = 0 if flat else own[0]
    process = (
        f"router isis bench\n net 49.{area:04}.0000.0000.{number:04}.00\n is-type {kind}\nexit\n"
    )
    return _PROCESS.sub(process, text)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("survey", type=Path)
    parser.add_argument("out", type=Path)
    parser.add_argument("--flat", action="store_true", help="everything is level 2")
    options = parser.parse_args()
    shutil.copytree(options.survey, options.out, dirs_exist_ok=True)
    for number, path in enumerate(sorted(options.out.glob("devices/*/frr.conf")), 1):
        path.write_text(isis(path.read_text(), number, options.flat))
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
