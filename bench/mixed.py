#!/usr/bin/env python3
"""A large network in which everything runs: the survey of a company that bought two others.

    .venv/bin/python bench/mixed.py OUT [--routers 200] [--external 2000] [--seed 1]

A core of OSPF with BGP inside it (two reflectors) and two ways out, over which a provider announces
many prefixes; a region of RIP and one of EIGRP, each joined to the core by two routers that
redistribute both ways, tag what they pass on and do not take it back; sites with static routes
behind some routers of the core, redistributed. A third of the routers are the core.
"""

from __future__ import annotations

import argparse
import ipaddress
import json
import random
from pathlib import Path


class Net:
    """Routers, their interfaces and sections, and the cables between them."""

    def __init__(self, seed: int) -> None:
        self.rng = random.Random(seed)
        self.ports: dict[str, list[str]] = {}
        self.more: dict[str, list[str]] = {}
        self.cables: list[dict[str, object]] = []
        self.near: dict[str, list[tuple[str, str, str]]] = {}
        """Per router: (its address, the other's address, the other)."""
        self._links = 0

    def router(self, name: str, number: int) -> None:
        self.ports[name] = [_port("lo", [f"10.255.{number // 250}.{number % 250}/32"])]
        self.more[name], self.near[name] = [], []

    def lan(self, name: str, number: int) -> str:
        prefix = f"172.{16 + number // 250}.{number % 250}"
        self.ports[name].append(_port(f"lan{number}", [f"{prefix}.1/24"]))
        return f"{prefix}.0/24"

    def link(self, one: str, other: str, *lines: str, block: int = 10) -> tuple[str, str]:
        """A cable between two routers; the addresses of both ends."""
        at = self._links
        self._links += 1
        base = f"{block}.{100 + at // 16000}.{at // 64 % 250}"
        left, right = (f"{base}.{at % 64 * 4 + k}" for k in (1, 2))
        ends = []
        for name, address in ((one, left), (other, right)):
            ends.append(f"eth{len(self.ports[name])}")
            self.ports[name].append(_port(ends[-1], [f"{address}/30"], *lines))
        self.cables.append(
            {
                "link-id": f"cable {at}",
                "source": {"source-node": one, "source-tp": ends[0]},
                "destination": {"dest-node": other, "dest-tp": ends[1]},
            }
        )
        self.near[one].append((left, right, other))
        self.near[other].append((right, left, one))
        return left, right

    def joined(self, names: list[str], *lines: str) -> None:
        """A tree with some more links, so that there is more than one way."""
        for at, name in enumerate(names[1:], 1):
            self.link(names[self.rng.randrange(max(0, at - 6), at)], name, *lines)
        for _ in range(len(names) // 3):
            one, other = self.rng.sample(names, 2)
            self.link(one, other, *lines)

    def files(self) -> dict[str, str]:
        out = {
            f"devices/{name}/frr.conf": "\n".join(
                [
                    "frr version 8.4.4",
                    "frr defaults traditional",
                    f"hostname {name}",
                    "!",
                    *ports,
                    *self.more[name],
                    "end",
                    "",
                ]
            )
            for name, ports in self.ports.items()
        }
        nodes = [{"node-id": name} for name in self.ports]
        network = {
            "network-id": "mixed",
            "node": nodes,
            "ietf-network-topology:link": self.cables,
        }
        out["topology.json"] = json.dumps({"ietf-network:networks": {"network": [network]}})
        return out


def _port(name: str, addresses: list[str], *lines: str) -> str:
    held = [f" ip address {address}" for address in addresses]
    return "\n".join([f"interface {name}", *held, *(f" {line}" for line in lines), "exit", "!"])


def mixed(routers: int, external: int, seed: int) -> dict[str, str]:
    """The files of the survey."""
    net = Net(seed)
    part = routers // 3
    core = [f"core{i:03}" for i in range(routers - 2 * part - 1)]
    rip = [f"rip{i:03}" for i in range(part)]
    eigrp = [f"eig{i:03}" for i in range(part)]
    for number, name in enumerate([*core, *rip, *eigrp, "provider"], 1):
        net.router(name, number)
    area = ("ip ospf area 0", "ip ospf network point-to-point")
    net.joined(core, *area)
    net.joined(rip)
    net.joined(eigrp)
    lans = {name: net.lan(name, number) for number, name in enumerate([*core, *rip, *eigrp], 1)}
    loop = {name: f"10.255.{n // 250}.{n % 250}" for n, name in enumerate(net.ports, 1)}
    joints = {"rip": core[4:6], "eigrp": core[6:8]}
    for own, members in (("rip", rip), ("eigrp", eigrp)):
        for place, border in enumerate(joints[own]):
            net.link(border, members[place * (len(members) // 2)])
    _statics(net, core[8::9])
    for name in core:
        _core(net, name, lans[name], loop)
    for own, members in (("rip", rip), ("eigrp", eigrp)):
        section = (
            [f"router {own}" + (" 7" if own == "eigrp" else "")]
            + [f" network {what}" for what in ("10.0.0.0/8", "172.16.0.0/12")]
            + ["exit", "!"]
        )
        for name in members:
            net.more[name] += section
        for border in joints[own]:
            here = next(left for left, _, other in net.near[border] if other in members)
            _border(net, border, own, str(ipaddress.ip_interface(f"{here}/30").network))
    _bgp(net, core, loop, external)
    return net.files()


def _statics(net: Net, names: list[str]) -> None:
    """Sites behind routers of the core that run nothing."""
    for number, name in enumerate(names):
        site = f"site{number:02}"
        net.router(site, 3000 + number)
        prefix = net.lan(site, 900 + number)
        here, there = net.link(name, site)
        net.more[site] += [f"ip route 0.0.0.0/0 {here}", "!"]
        net.more[name] += [f"ip route {prefix} {there}", "!"]


def _core(net: Net, name: str, lan: str, loop: dict[str, str]) -> None:
    net.more[name] += [
        "router ospf",
        f" ospf router-id {loop[name]}",
        f" network {lan} area 0",
        f" network {loop[name]}/32 area 0",
        " redistribute static",
        "exit",
        "!",
    ]


def _border(net: Net, name: str, own: str, link: str) -> None:
    """Redistributes both ways, tags what it passes on, and does not take back what is tagged."""
    ospf, other = ("out-of-ospf", f"out-of-{own}")
    process = "rip" if own == "rip" else "eigrp 7"
    metric = " metric 3" if own == "rip" else ""
    net.more[name] += [
        f"route-map {other} deny 5",
        " match tag 77",
        "exit",
        f"route-map {other} permit 10",
        " set tag 77",
        "exit",
        f"route-map {ospf} deny 5",
        " match tag 77",
        "exit",
        f"route-map {ospf} permit 10",
        "exit",
        "!",
        f"router {process}",
        f" network {link}",
        f" redistribute ospf{metric} route-map {ospf}",
        "exit",
        "!",
        "router ospf",
        f" redistribute {own} metric 50 route-map {other}",
        # What both borders pass on, each takes from its own side: else each would give way to the
        # other, and who talks first would decide.
        *([" distance ospf external 125"] if own == "rip" else []),
        "exit",
        "!",
    ]


def _bgp(net: Net, core: list[str], loop: dict[str, str], external: int) -> None:
    """Two reflectors, everybody in the core their client, two ways out to one provider."""
    reflectors, out = core[:2], core[2:4]
    ways = {border: net.link(border, "provider", block=100) for border in out}
    for name in core:
        lines = ["router bgp 65000", f" bgp router-id {loop[name]}"]
        peers = [p for p in (core if name in reflectors else reflectors) if p != name]
        for peer in peers:
            lines += [
                f" neighbor {loop[peer]} remote-as 65000",
                f" neighbor {loop[peer]} update-source lo",
            ]
        if name in out:
            lines.append(f" neighbor {ways[name][1]} remote-as 64999")
            lines.append(" no bgp ebgp-requires-policy")
        lines += [" !", " address-family ipv4 unicast"]
        if name in reflectors:
            clients = [p for p in peers if p not in reflectors]
            lines += [f"  neighbor {loop[p]} route-reflector-client" for p in clients]
        if name in out:
            lines += [f"  neighbor {loop[p]} next-hop-self" for p in peers]
        net.more[name] += [*lines, " exit-address-family", "exit", "!"]
    prefixes = [f"{20 + k // 60000}.{k // 250 % 240}.{k % 250}.0/24" for k in range(external)]
    net.more["provider"] += [
        *(f"ip route {prefix} Null0" for prefix in prefixes),
        "router bgp 64999",
        " bgp router-id 100.64.0.1",
        " no bgp ebgp-requires-policy",
        *(f" neighbor {here} remote-as 65000" for here, _ in ways.values()),
        " !",
        " address-family ipv4 unicast",
        "  redistribute static",
        " exit-address-family",
        "exit",
        "!",
    ]


def main() -> int:
    parser = argparse.ArgumentParser(description=(__doc__ or "").splitlines()[0])
    parser.add_argument("out", type=Path)
    parser.add_argument("--routers", type=int, default=200)
    parser.add_argument("--external", type=int, default=2000)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    for name, text in mixed(options.routers, options.external, options.seed).items():
        path = options.out / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
