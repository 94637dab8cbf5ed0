#!/usr/bin/env python3
"""The made-up ferry company: one description, written out as surveys.

Run from the project's root to write the demo's surveys again:

    .venv/bin/python demo/make.py

Each router is described once, without a format, and written as FRR text or as YANG data.
demo/eve is the healthy network after a few days of preparations, demo/broken that after the harbour
works; the complaints stand in demo/story.json.
"""

from __future__ import annotations

import json
import shutil
from dataclasses import replace
from pathlib import Path

import eve
import isles
import outpost
import quay
import reaches
import services
from company import Company, Host, Port, Router, Static
from openconfig_written import openconfig_data
from written import frr_text, ip_addr, ip_link, ip_routes, wiring, yang_data

HERE = Path(__file__).resolve().parent


def healthy() -> Company:
    """The network as it was built."""

    def s(*entries: tuple[str, str], distance: int = 1) -> list[Static]:
        return [Static(prefix, gateway, distance=distance) for prefix, gateway in entries]

    gull = Router(
        "gull",
        "frr",
        [
            Port("lo", ["10.64.255.20/32"]),
            Port("eth0", ["10.64.0.2/30"], "to heron"),
            Port("eth1", ["10.64.20.1/24"], "Gull Point, gate and kiosks"),
        ],
        s(("0.0.0.0/0", "10.64.0.1")),
    )
    tern = Router(
        "tern",
        "frr",
        [
            Port("lo", ["10.64.255.21/32"]),
            Port("eth0", ["10.64.0.6/30", "fd00:64:0:6::2/64"], "to heron"),
            Port("eth1", ["10.64.0.10/30", "fd00:64:0:a::2/64"], "to mole"),
            Port("eth2", ["10.64.21.1/24", "fd00:64:21::1/64"], "Tern Sound, kiosks and cameras"),
        ],
        [
            *s(
                ("10.64.64.0/23", "10.64.0.5"),
                ("10.64.64.0/23", "10.64.0.9"),
                ("10.64.40.0/24", "10.64.0.5"),
                ("0.0.0.0/0", "10.64.0.5"),
            ),
            *s(("fd00:64:65::/64", "fd00:64:0:a::1")),
        ],
    )
    skerry = Router(
        "skerry",
        "frr",
        [
            Port("lo", ["10.64.255.22/32"]),
            Port("eth0", ["10.64.0.14/30"], "to mole"),
            Port("eth1", ["10.64.22.1/24"], "Skerry, kiosks"),
        ],
        s(("0.0.0.0/0", "10.64.0.13")),
    )
    berth = Router(
        "berth",
        "openconfig",
        [
            Port("lo", ["10.64.255.40/32"]),
            Port("eth0", ["10.64.0.18/30"], "to heron"),
            Port("eth1", ["10.64.40.1/24"], "ships at berth"),
        ],
        s(("0.0.0.0/0", "10.64.0.17")),
    )
    lantern = Router(
        "lantern",
        "frr",
        [
            Port("lo", ["10.64.255.5/32"]),
            Port("eth0", ["10.64.0.22/30"], "to heron"),
            Port("eth1", ["203.0.113.2/30"], "to northlight, carrier"),
            Port("eth2", ["203.0.113.6/30"], "to farway, carrier, spare"),
        ],
        [
            *s(("10.64.0.0/16", "10.64.0.21"), ("0.0.0.0/0", "203.0.113.1")),
            *s(("0.0.0.0/0", "203.0.113.5"), distance=200),
        ],
    )
    heron = Router(
        "heron",
        "yang",
        [
            Port("lo0", ["10.64.255.1/32"]),
            Port("ge0", ["10.64.0.25/30"], "to mole"),
            Port("ge1", ["10.64.0.1/30"], "to gull"),
            Port("ge2", ["10.64.0.5/30", "fd00:64:0:6::1/64"], "to tern"),
            Port("ge3", ["10.64.0.17/30"], "to berth"),
            Port("ge4", ["10.64.0.21/30"], "to lantern"),
            Port("ge5", ["10.64.0.29/30"], "to office"),
        ],
        [
            *s(
                ("10.64.20.0/24", "10.64.0.2"),
                ("10.64.21.0/24", "10.64.0.6"),
                ("10.64.40.0/24", "10.64.0.18"),
                ("10.64.22.0/24", "10.64.0.26"),
                ("10.64.30.0/24", "10.64.0.26"),
                ("10.64.64.0/23", "10.64.0.30"),
                ("10.64.0.8/29", "10.64.0.26"),
                ("10.64.0.32/29", "10.64.0.26"),
                ("10.64.255.20/32", "10.64.0.2"),
                ("10.64.255.21/32", "10.64.0.6"),
                ("10.64.255.40/32", "10.64.0.18"),
                ("10.64.255.64/32", "10.64.0.30"),
                ("10.64.255.2/32", "10.64.0.26"),
                ("10.64.255.22/32", "10.64.0.26"),
                ("10.64.255.30/32", "10.64.0.26"),
                ("0.0.0.0/0", "10.64.0.22"),
            ),
            *s(("10.64.64.0/23", "10.64.0.26"), distance=50),
        ],
    )
    mole = Router(
        "mole",
        "yang",
        [
            Port("lo0", ["10.64.255.2/32"]),
            Port("ge0", ["10.64.0.26/30"], "to heron"),
            Port("ge1", ["10.64.0.9/30", "fd00:64:0:a::1/64"], "to tern"),
            Port("ge2", ["10.64.0.13/30"], "to skerry"),
            Port("ge3", ["10.64.0.37/30"], "to yard"),
            Port("ge4", ["10.64.0.33/30", "fd00:64:0:22::1/64"], "to office"),
        ],
        [
            *s(
                ("10.64.22.0/24", "10.64.0.14"),
                ("10.64.30.0/24", "10.64.0.38"),
                ("10.64.64.0/23", "10.64.0.34"),
                ("10.64.21.0/24", "10.64.0.10"),
                ("10.64.255.22/32", "10.64.0.14"),
                ("10.64.255.30/32", "10.64.0.38"),
                ("10.64.255.64/32", "10.64.0.34"),
                ("0.0.0.0/0", "10.64.0.25"),
            ),
            *s(("10.64.64.0/23", "10.64.0.25"), distance=50),
            *s(("fd00:64:21::/64", "fd00:64:0:a::2"), ("fd00:64:65::/64", "fd00:64:0:22::2")),
        ],
    )
    yard = Router(
        "yard",
        "yang",
        [
            Port("lo0", ["10.64.255.30/32"]),
            Port("ge0", ["10.64.0.38/30"], "to mole"),
            Port("ge1", ["10.64.30.1/24"], "yard, cranes and scales"),
        ],
        s(
            ("10.64.64.0/23", "10.64.0.37"),
            ("10.64.20.0/23", "10.64.0.37"),
            ("10.64.40.0/24", "10.64.0.37"),
            ("10.64.0.0/24", "10.64.0.37"),
            ("10.64.255.0/24", "10.64.0.37"),
        ),
    )
    # On purpose there is no route to Skerry: its kiosks have no business with cranes.
    office = Router(
        "office",
        "yang",
        [
            Port("lo0", ["10.64.255.64/32"]),
            Port("ge0", ["10.64.0.34/30", "fd00:64:0:22::2/64"], "to mole"),
            Port("ge1", ["10.64.0.30/30"], "to heron"),
            Port("ge2", ["10.64.64.1/24"], "staff"),
            Port("ge3", ["10.64.65.1/24", "fd00:64:65::1/64"], "servers"),
        ],
        [
            *s(("0.0.0.0/0", "10.64.0.33")),
            *s(("0.0.0.0/0", "10.64.0.29"), distance=50),
            *s(("fd00:64:21::/64", "fd00:64:0:22::1")),
        ],
    )
    northlight = Router(
        "northlight",
        "yang",
        [
            Port("lo0", ["198.18.255.1/32"]),
            Port("ge0", ["203.0.113.1/30"], "to the ferry company"),
            Port("ge1", ["198.18.7.1/24"], "card clearing"),
        ],
        s(("10.64.0.0/16", "203.0.113.2")),
    )
    routers = [gull, tern, skerry, berth, lantern, heron, mole, yard, office, northlight]
    hosts = [
        Host("gate-printer", ["10.64.20.31/24"], ["10.64.20.1"]),
        Host("gate-kiosk", ["10.64.20.41/24"], ["10.64.20.1"]),
        Host("tern-kiosk", ["10.64.21.41/24"], ["10.64.21.1"]),
        Host(
            "tern-camera", ["10.64.21.70/24", "fd00:64:21::70/64"], ["10.64.21.1", "fd00:64:21::1"]
        ),
        Host("skerry-kiosk", ["10.64.22.41/24"], ["10.64.22.1"]),
        Host("crane-panel", ["10.64.30.12/24"], ["10.64.30.1"]),
        Host("yard-scale", ["10.64.30.20/24"], ["10.64.30.1"]),
        Host("bridge-tablet", ["10.64.40.33/24"], ["10.64.40.1"]),
        Host("bridge-log", ["10.64.40.70/24"], ["10.64.40.1"]),
        Host("planning-desk", ["10.64.64.23/24"], ["10.64.64.1"]),
        Host(
            "booking-db", ["10.64.65.10/24", "fd00:64:65::10/64"], ["10.64.65.1", "fd00:64:65::1"]
        ),
        Host("roster", ["10.64.65.20/24"], ["10.64.65.1"]),
        Host("card-clearing", ["198.18.7.10/24"], ["198.18.7.1"]),
    ]
    links = [
        ("gull", "eth0", "heron", "ge1"),
        ("tern", "eth0", "heron", "ge2"),
        ("tern", "eth1", "mole", "ge1"),
        ("skerry", "eth0", "mole", "ge2"),
        ("berth", "eth0", "heron", "ge3"),
        ("lantern", "eth0", "heron", "ge4"),
        ("lantern", "eth1", "northlight", "ge0"),
        ("lantern", "eth2", "farway", "port7"),
        ("heron", "ge0", "mole", "ge0"),
        ("heron", "ge5", "office", "ge1"),
        ("mole", "ge3", "yard", "ge0"),
        ("mole", "ge4", "office", "ge0"),
        ("planning-desk", "eth0", "office", "ge2"),
        ("skerry-kiosk", "eth0", "skerry", "eth1"),
        ("card-clearing", "eth0", "northlight", "ge1"),
    ]
    lans = {
        "gull-lan": [("gull", "eth1"), ("gate-printer", "eth0"), ("gate-kiosk", "eth0")],
        "tern-lan": [("tern", "eth2"), ("tern-kiosk", "eth0"), ("tern-camera", "eth0")],
        "yard-lan": [("yard", "ge1"), ("crane-panel", "eth0"), ("yard-scale", "eth0")],
        "berth-lan": [("berth", "eth1"), ("bridge-tablet", "eth0"), ("bridge-log", "eth0")],
        "server-lan": [("office", "ge3"), ("booking-db", "eth0"), ("roster", "eth0")],
    }
    company = Company({r.name: r for r in routers}, {h.name: h for h in hosts}, links, lans)
    services.add(company)
    isles.add(company)
    reaches.add(company)
    outpost.add(company)
    return company


def on_the_eve() -> Company:
    """The same network when everything was ready for the harbour works."""
    company = healthy()
    eve.change(company)
    return company


def broken() -> Company:
    """The same network after the harbour works."""
    company = on_the_eve()
    routers, hosts = company.routers, company.hosts

    def without(name: str, prefix: str) -> None:
        router = routers[name]
        router.statics = [static for static in router.statics if static.prefix != prefix]

    def swap(name: str, prefix: str, gateway: str) -> None:
        router = routers[name]
        router.statics = [
            replace(static, gateway=gateway)
            if static.prefix == prefix and static.distance == 1
            else static
            for static in router.statics
        ]

    # The yard was tidied up, and the way back to the ships went with it.
    without("yard", "10.64.40.0/24")
    # Skerry's traffic was handed to the yard instead of to skerry.
    swap("mole", "10.64.22.0/24", "10.64.0.38")
    # Somebody tried an exit without a next hop and left it beside the right line.
    routers["tern"].statics.append(Static("10.64.40.0/24", interface="eth2"))
    # heron's port to gull was shut for a cable test.
    routers["heron"].port("ge1").enabled = False
    # lantern's default was turned round.
    swap("lantern", "0.0.0.0/0", "10.64.0.21")
    # The crane panel was set up with the gateway of its old place.
    hosts["crane-panel"].gateways = ["10.64.30.254"]
    # mole's port to tern is off; only IPv6 had no second way.
    routers["mole"].port("ge1").enabled = False
    # A test of the office left a discard route for part of the berth.
    routers["office"].statics.append(Static("10.64.40.64/26", special="discard"))
    services.change(company)
    isles.change(company)
    reaches.change(company)
    return company


WRITERS = {
    "frr": ("frr.conf", frr_text),
    "yang": ("running.json", yang_data),
    "openconfig": ("openconfig.json", openconfig_data),
}


def render(
    company: Company, title: str, taken_at: str, dialect: str | None = None
) -> dict[str, str]:
    """All files of a survey; `dialect` writes every router in that format."""
    files = {
        "survey.json": json.dumps({"title": title, "taken_at": taken_at}, indent=1) + "\n",
        "topology.json": wiring(company),
    }
    enabled = {
        (router.name, port.name): port.enabled
        for router in company.routers.values()
        for port in router.ports
    }
    for router in company.routers.values():
        folder = f"devices/{router.name}"
        name, write = WRITERS[dialect or router.dialect]
        files[f"{folder}/{name}"] = write(router)
        files |= {f"{folder}/{name}": text for name, text in router.files.items()}
        if (dialect or router.dialect) == "frr" and any(p.tag for p in router.ports):
            files[f"{folder}/ip-link.json"] = ip_link(router)
        if router.dialect == "frr" and dialect is None:
            carrier = {}
            for left, lp, right, rp in company.links:
                for a, ap, b, bp in ((left, lp, right, rp), (right, rp, left, lp)):
                    if a == router.name:
                        carrier[ap] = enabled.get((b, bp), True)
            files[f"{folder}/ip-addr.json"] = ip_addr(router.name, router.ports, carrier)
    for host in company.hosts.values():
        folder = f"devices/{host.name}"
        port = Port("eth0", host.addresses)
        files[f"{folder}/ip-addr.json"] = ip_addr(host.name, [port], {})
        files[f"{folder}/ip-route.json"] = ip_routes(host, 4)
        if any(":" in address for address in host.addresses):
            files[f"{folder}/ip-route6.json"] = ip_routes(host, 6)
        files |= {f"{folder}/{name}": text for name, text in host.files.items()}
    for switch, held in company.switches.items():
        files |= {f"devices/{switch}/{name}": text for name, text in held.items()}
    return files


SURVEYS = {
    "healthy": (healthy, "Before the season", "2026-05-04T06:30:00Z"),
    "eve": (on_the_eve, "Thursday, ready for the harbour works", "2026-05-07T15:00:00Z"),
    "broken": (broken, "Monday after the harbour works", "2026-05-11T06:30:00Z"),
}


def files_of(name: str) -> dict[str, str]:
    """All files of one of `SURVEYS`, without what did not answer when it was taken."""
    build, title, taken_at = SURVEYS[name]
    silent = f"devices/{outpost.UNREAD}/" if name == "broken" else None
    files = render(build(), title, taken_at)
    return {path: text for path, text in files.items() if not silent or silent not in path}


def main() -> None:
    """Writes all surveys anew."""
    for name in SURVEYS:
        _write(name, files_of(name))
    for name in quay.TITLES:
        _write(name, quay.render(name))


def _write(name: str, files: dict[str, str]) -> None:
    folder = HERE / name
    shutil.rmtree(folder, ignore_errors=True)
    for path, text in files.items():
        target = folder / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_text(text)


if __name__ == "__main__":
    main()
