"""Rulesets on a real kernel: what pings and connections show is what is computed from `nft -j`."""

from __future__ import annotations

import json
import os
import random
import shutil
import subprocess

import pytest
from two_routers import BACK, FRONT, LINKS, survey

from trochos.core.forwarding.path import Traffic

from .lab import Lab, why_not


def reason() -> str | None:
    """Why no filter can be tried here; None if one can."""
    found = why_not()
    if found is not None:
        return found
    if shutil.which("nft") is None:
        return "nft is not installed"
    name = f"nprobe{os.getpid()}"
    subprocess.run(["ip", "netns", "add", name], check=True)
    tried = ["ip", "netns", "exec", name, "nft", "add", "table", "inet", "probe"]
    done = subprocess.run(tried, capture_output=True, check=False)
    subprocess.run(["ip", "netns", "del", name], check=False)
    return None if done.returncode == 0 else "this kernel has no nftables"


REASON = reason()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")

ENTRIES = [
    "ct state established,related accept",
    "ct state vmap { established : accept, invalid : drop }",
    "tcp dport vmap { 22 : accept, 5432 : drop }",
    "tcp dport { 5432, 8000-8999 } accept",
    "tcp dport != { 22, 5432 } drop",
    "ip saddr != 10.64.1.0/24 drop",
    "ip saddr 10.64.1.0/24 accept",
    "ip saddr { 10.64.1.2-10.64.1.20, 10.64.9.0/30 } accept",
    "ip daddr 10.64.2.10 tcp dport 5432 reject with tcp reset",
    "ip6 saddr fd00:64:1::/64 accept",
    "ip6 saddr != fd00:64::/32 drop",
    "icmp type echo-request accept",
    "icmp type echo-request drop",
    "icmpv6 type { nd-neighbor-solicit, nd-neighbor-advert } accept",
    "icmpv6 type echo-request accept",
    "meta l4proto { icmp, ipv6-icmp } accept",
    "meta nfproto ipv6 drop",
    'iifname "eth1" accept',
    'iifname "eth0" oifname "eth1" accept',
    "ip protocol tcp reject",
    "jump more",
    "tcp flags & (fin | syn | rst | ack) == syn accept",
]
SERVER = (
    "import socket,sys\n"
    "for family in (socket.AF_INET, socket.AF_INET6):\n"
    "  s=socket.socket(family); s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)\n"
    "  if family==socket.AF_INET6: s.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_V6ONLY, 1)\n"
    "  s.bind(('0.0.0.0' if family==socket.AF_INET else '::', 5432)); s.listen(50)\n"
    "  globals()[str(family)]=s\n"
    "import time; time.sleep(600)\n"
)
CLIENT = "import socket,sys; socket.create_connection((sys.argv[1], 5432), timeout=1.2)"


def ruleset(rng: random.Random) -> str:
    """A random table: chains at some hooks, and one to jump to."""
    hooks = rng.sample(["input", "forward", "output"], rng.randint(1, 2))
    more = "".join(f"  {rng.choice(ENTRIES[:-2])}\n" for _ in range(rng.randint(1, 2)))
    text = f"table inet t {{\n chain more {{\n{more} }}\n"
    for hook in hooks:
        rows = rng.sample(ENTRIES, rng.randint(2, 6))
        # Where nothing else is, an interface that packets arrive by exists at input only.
        kept = [r for r in rows if not ("oifname" in r and hook == "input")]
        kept = [r for r in kept if not ("iifname" in r and hook == "output")]
        policy = rng.choice(["accept", "drop"])
        body = "".join(f"  {row}\n" for row in kept)
        text += f" chain {hook} {{\n  type filter hook {hook} priority filter; policy {policy};\n"
        text += f"{body} }}\n"
    return text + "}\n"


def lab() -> Lab:
    hosts = {
        "desk": ["addr add 10.64.1.10/24 dev eth0", "route add default via 10.64.1.1"],
        "db": ["addr add 10.64.2.10/24 dev eth0", "route add default via 10.64.2.1"],
    }
    hosts["desk"] += ["-6 addr add fd00:64:1::10/64 dev eth0 nodad"]
    hosts["desk"] += ["-6 route add default via fd00:64:1::1"]
    hosts["db"] += ["-6 addr add fd00:64:2::10/64 dev eth0 nodad"]
    hosts["db"] += ["-6 route add default via fd00:64:2::1"]
    return Lab({"front": FRONT_6, "back": BACK_6}, hosts, LINKS, tag=f"f{os.getpid()}")


def both(text: str, routes: str, addresses: dict[str, str]) -> str:
    for port, address in addresses.items():
        text = text.replace(f"interface {port}\n", f"interface {port}\n ipv6 address {address}\n")
    return text.replace("ip route", f"{routes}\nip route", 1)


FRONT_6 = both(
    FRONT,
    "ipv6 route fd00:64:2::/64 fd00:64:9::2",
    {"eth0": "fd00:64:1::1/64", "eth1": "fd00:64:9::1/64"},
)
BACK_6 = both(
    BACK,
    "ipv6 route fd00:64:1::/64 fd00:64:9::1",
    {"eth0": "fd00:64:2::1/64", "eth1": "fd00:64:9::2/64"},
)
ASKED = [
    ("desk", "10.64.2.10"),
    ("db", "10.64.1.10"),
    ("desk", "10.64.9.2"),
    ("back", "10.64.1.10"),
    ("desk", "fd00:64:2::10"),
    ("db", "fd00:64:1::10"),
    ("desk", "fd00:64:9::2"),
]


def test_random_rulesets_do_what_is_computed() -> None:
    rng = random.Random(20260511)
    told = 0
    with lab() as net:
        servers = [subprocess.Popen(["ip", "netns", "exec", net.ns("db"), "python3", "-c", SERVER])]
        try:
            net.settle(quiet=2)
            gathered = {
                name: {
                    "addr.json": net.addresses(name),
                    "route.json": net.kernel_routes(name, 4),
                    "route6.json": net.kernel_routes(name, 6),
                }
                for name in ("desk", "db")
            }
            routers = {
                "front": {"frr.conf": FRONT_6, "addr.json": net.addresses("front")},
                "back": {"frr.conf": BACK_6, "addr.json": net.addresses("back")},
            }
            assert net.pings([(a, b, None) for a, b in ASKED]) == [True] * len(ASKED)
            for number in range(14):
                where = rng.choice(["front", "back", "db"])
                text = ruleset(rng)
                done = subprocess.run(
                    ["ip", "netns", "exec", net.ns(where), "nft", "-f", "-"],
                    input=text,
                    text=True,
                    capture_output=True,
                    check=False,
                )
                if done.returncode != 0:
                    continue  # nft refuses some orders of what excludes each other
                shown = net.run(where, "nft", "-j", "list", "ruleset")
                files = {**gathered, **routers}
                files[where] = {**files[where], "nft.json": shown}
                network = survey(**files)
                # What was found before must not hide that it cannot be found any more.
                for name in net.names:
                    net.run(name, "ip", "neigh", "flush", "all", check=False)
                net.run(where, "conntrack", "-F", check=False) if shutil.which("conntrack") else 0
                seen = net.pings([(a, b, None) for a, b in ASKED])
                for (sender, target), works in zip(ASKED, seen, strict=True):
                    said = network.path(sender, target)
                    if said.works == "unknown":
                        continue
                    told += 1
                    assert (said.works == "yes") == works, (number, where, sender, target, text)
                for sender, target in (("desk", "10.64.2.10"), ("desk", "fd00:64:2::10")):
                    said = network.path(sender, target, Traffic(protocol="tcp", port=5432))
                    client = ["ip", "netns", "exec", net.ns(sender), "python3", "-c", CLIENT]
                    done = subprocess.run([*client, target], capture_output=True, check=False)
                    if said.works == "unknown":
                        continue
                    told += 1
                    works = done.returncode == 0
                    assert (said.works == "yes") == works, (number, where, target, "tcp", text)
                net.run(where, "nft", "flush", "ruleset")
        finally:
            for server in servers:
                server.kill()
    assert told > 60, "hardly any answer was certain"
    assert json.loads(shown)["nftables"]
