"""Policy maps of real routers: the rules that they make, and where packets go by them, are what is
computed from the text alone."""

from __future__ import annotations

import json
import os
import random
import subprocess

import pytest
from surveys import compute, wired

from trochos.core.forwarding.traffic import Traffic
from trochos.core.network.addressing import parse_address
from trochos.core.step.table import Lookup

from .lab import Lab
from .test_filters import CLIENT, REASON
from .test_rules import HOSTS, LINKS, ROUTERS, SERVER

pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")

GROUPS = """nexthop-group spare
 nexthop 10.64.0.6
!
nexthop-group mixed
 nexthop 10.64.0.6
 nexthop 10.98.0.1
!
ip route 10.99.9.0/24 10.64.0.6
"""
MATCHES = [
    " match src-ip 10.64.1.0/24\n",
    " match dst-ip 10.64.3.0/24\n",
    " match src-ip 10.64.1.10/32\n match dst-ip 10.64.3.10/32\n",
    " match src-ip 10.64.1.0/24\n match ip-protocol tcp\n match dst-port 443\n",
    " match src-ip 10.64.1.0/24\n match ip-protocol udp\n",
    " match dst-ip 10.64.9.0/24\n",
    " match ip-protocol tcp\n match dst-port 5432\n",
    " match mark 5\n",
    " match src-ip 10.64.1.0/24\n match dscp 8\n",
    "",
]
SETS = [
    " set nexthop 10.64.0.6\n",
    " set nexthop 10.64.0.6 eth4\n",
    " set nexthop 10.64.0.6 eth3\n",
    " set nexthop 10.64.0.2\n",
    " set nexthop 10.99.9.9\n",
    " set nexthop 10.97.0.1\n",
    " set nexthop-group spare\n",
    " set nexthop-group mixed\n",
    " set nexthop-group nowhere\n",
    "",
]


def _maps(rng: random.Random) -> str:
    out = GROUPS
    for sequence in sorted(rng.sample(range(1, 700), rng.randint(1, 4))):
        out += f"pbr-map cams seq {sequence}\n{rng.choice(MATCHES)}{rng.choice(SETS)}!\n"
    return out


@pytest.mark.parametrize("seed", range(int(os.environ.get("TROCHOS_ROUNDS", "6"))))
def test_random_policy_maps_do_what_is_computed(seed: int) -> None:
    rng = random.Random(1130 + seed)
    used = ROUTERS["mid"].replace("interface eth1\n", "interface eth1\n pbr-policy cams\n")
    routers = {**ROUTERS, "mid": _maps(rng) + used}
    daemons = {"mid": ("pbrd",)}
    with Lab(routers, HOSTS, LINKS, daemons=daemons, tag=f"m{os.getpid()}") as net:
        server = subprocess.Popen(["ip", "netns", "exec", net.ns("db"), "python3", "-c", SERVER])
        try:
            net.settle(quiet=3)
            files = {f"devices/{name}/frr.conf": text for name, text in routers.items()}
            for name in HOSTS:
                files[f"devices/{name}/addr.json"] = net.addresses(name)
                files[f"devices/{name}/route.json"] = net.kernel_routes(name, 4)
            survey = compute({"topology.json": wired(*LINKS), **files})
            mid = survey.network.device("mid")
            assert mid is not None and not mid.unmodelled
            rules = survey.forwarding.rules["mid"]
            main = Lookup(survey.tables.of("mid", 4).best)
            said = {
                rule.priority
                for rule in rules.rules[4]
                if rule.idle is None
                and rule.table != "main"
                and rules.looked_up(rule, main, parse_address("10.64.3.10"))  # type: ignore[arg-type]
            }
            shown = json.loads(net.run("mid", "ip", "-j", "rule"))
            there = {row["priority"] for row in shown if 0 < row["priority"] < 32766}
            # A rule about a type of service that the kernel knows no more is not there either.
            asked = {r.priority for r in rules.rules[4] if r.never is not None}
            assert said - asked == there - asked, routers["mid"]
            for port in (None, 5432):
                traffic = Traffic(protocol="tcp", port=port) if port else None
                path = survey.path("desk", "10.64.3.10", traffic)
                client = ["ip", "netns", "exec", net.ns("desk"), "python3", "-c", CLIENT]
                works = (
                    net.pings([("desk", "10.64.3.10", None)])[0]
                    if port is None
                    else subprocess.run(
                        [*client, "10.64.3.10"], capture_output=True, check=False
                    ).returncode
                    == 0
                )
                assert path.works == ("yes" if works else "no"), (port, routers["mid"], shown)
            # What the kernel shows beside the text changes nothing.
            files["devices/mid/rule.json"] = json.dumps(shown)
            tables = json.loads(net.run("mid", "ip", "-j", "route", "show", "table", "all"))
            kept = [r for r in tables if r.get("table", "").isdigit()]
            files["devices/mid/tables.json"] = json.dumps(kept)
            both = compute({"topology.json": wired(*LINKS), **files})
            for port in (None, 5432):
                traffic = Traffic(protocol="tcp", port=port) if port else None
                one, two = (s.path("desk", "10.64.3.10", traffic) for s in (survey, both))
                assert one.works == two.works, (port, routers["mid"], shown)
        finally:
            server.kill()
