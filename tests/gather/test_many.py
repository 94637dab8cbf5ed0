"""Two hundred devices at once, a tenth of them bad: the good ones come, within bounds."""

from __future__ import annotations

import resource
import time
from collections import Counter
from dataclasses import replace
from pathlib import Path

from devices.fleet import Fleet
from trochos.local import read_folder

from .live import QUICK, gather, running, targets_of, trusting

DEMO = Path(__file__).resolve().parents[2] / "demo" / "broken"
COUNT, BAD = 200, ("silent", "hang", "close", "garbage", "endless", "lie", "refuse")


def many() -> Fleet:
    source = {p: d for p, d in read_folder(DEMO).items() if p.startswith("devices/")}
    names = sorted({path.split("/")[1] for path in source})
    files = {}
    for number in range(COUNT):
        name = names[number % len(names)]
        for path, data in source.items():
            if path.split("/")[1] == name:
                files[path.replace(f"/{name}/", f"/n{number:03}/", 1)] = data
    faults = {f"n{number * 10:03}": BAD[number % len(BAD)] for number in range(COUNT // 10)}
    methods = {f"n{n:03}": "snmp" for n in range(5, COUNT, 40)}
    # A third of them speak gNMI; what they hold is the demo's, under other names.
    spoken = source["devices/teal/openconfig.json"]
    for number in range(1, COUNT, 3):
        if f"n{number:03}" in methods:
            continue
        mine = f"devices/n{number:03}/"
        files = {path: data for path, data in files.items() if not path.startswith(mine)}
        files[f"{mine}openconfig.json"] = spoken
    fleet = Fleet(files, methods, faults)
    for device in fleet.devices.values():
        # What they would have learned from each other is not the matter here.
        device.tables = lambda name: {"ipv4": [], "ipv6": []}
    fleet.tables_of = lambda name: {"ipv4": [], "ipv6": []}  # type: ignore[method-assign]
    return fleet


def test_two_hundred_devices_a_tenth_of_them_bad() -> None:
    fleet = many()
    bounds = replace(QUICK, connect=20, step=20, device=100)
    with running(fleet):
        targets = trusting(targets_of(fleet), replace(bounds, connect=60))
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        started = time.monotonic()
        outcomes = gather(targets, bounds)
        spent = time.monotonic() - started
        grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
    bad = {o.target.name for o in outcomes if o.problem}
    assert sum(fleet.method(name) == "gnmi" for name in fleet.devices) > COUNT // 3.3
    assert bad == set(fleet.faults), Counter(o.kind for o in outcomes)
    assert all(o.problem and o.problem.endswith(".") for o in outcomes if o.problem)
    assert sum(o.kind == "done" for o in outcomes) == COUNT - COUNT // 10
    # The devices themselves run in this process too, so this is their time as well.
    assert spent < 300
    assert grown < 400
