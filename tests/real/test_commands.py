"""Every line that a real router accepts is understood, or known not to be computed."""

from __future__ import annotations

import os
import re
import time

import pytest

from trochos.core.readers.frr import text

from . import commands, dynamic
from .lab import Lab, why_not

REASON = why_not()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")

SECTIONS = {
    "router ospf": "",
    "router ospf6": "",
    "router rip": "",
    "router ripng": "",
    "router eigrp 1": "",
    "router bgp 1": "",
    "router bgp 1/address-family ipv4 unicast": "",
    "router bgp 1/address-family ipv6 unicast": "",
    "route-map X permit 10": "router bgp 1\nexit\n",
    "interface eth1": "".join(f"router {p}\nexit\n" for p in ("ospf", "ospf6", "rip", "ripng")),
}
# Lines of a shell rather than of a configuration, and of daemons that are not about routes.
_NOT_HERE = re.compile(
    r"(?:end|exit|list|quit|find|show|do|write|output|debug|undebug|clear|terminal|vni|pce"
    r"|segment-routing|mpls-te|link-params|exit-address-family|address-family)\b"
)
# What is known not to be computed: the reader says so on screen.
LIMITS = re.compile(
    r"""(?:no\ )?(?:
      area\ \S+\ nssa\ range
    | ospf\ abr-type\ shortcut
    | bgp\ reject-as-sets | bgp\ max-med\ on-startup | bgp\ bestpath\ bandwidth\ skip-missing
    | neighbor\ \S+\ (?:maximum-prefix-out|advertise-map|soo|nexthop-local)
    | import\ (?:vpn|vrf)
    | match\ (?:rpki|rpki-extcommunity|alias|probability|source-instance|source-vrf)
    | set\ (?:as-path\ replace|forwarding-address|originator-id|table)
    | pbr-policy | vrrp | tunnel | ip\ router | isis | ipv6\ router
    | ip\ ospf\ 1\ area | ipv6\ ospf6\ advertise
    | (?:aggregate-address|network)\ 10.1.0.1\ (?:mask\ )?10.1.0.1   # no mask, only a sample
    | ip\ (?:hello-interval|hold-time)\ eigrp\ 1$
    | (?:ip|ipv6)\ address
    # The rows NHRP, MPLS and EVPN of readers/limits.py.
    | (?:ip|ipv6)\ nhrp | mpls\ (?:enable|ldp-sync) | evpn\ mh
    )""",
    re.X,
)


@pytest.fixture(scope="module")
def lists() -> dict[str, str]:
    router = dynamic.Router("a")
    other = dynamic.Router("b")
    router.port("ip address 10.0.0.1/24")
    other.port("ip address 10.0.0.2/24")
    for section in SECTIONS:
        if section.startswith("router") and "/" not in section:
            router.sections[section] = []
    texts = {"a": router.text(), "b": other.text()}
    with Lab(texts, {}, [("a", "eth1", "b", "eth1")], tag=f"l{os.getpid()}") as lab:
        time.sleep(2)
        out = {}
        for section in SECTIONS:
            asked = ["vtysh", "-N", lab.ns("a"), "-c", "configure terminal"]
            for line in section.split("/"):
                asked += ["-c", line]
            out[section] = lab.run("a", *asked, "-c", "list", check=False)
        return out


@pytest.mark.parametrize("section", SECTIONS)
def test_every_line_is_understood(lists: dict[str, str], section: str) -> None:
    known, missed = 0, []
    indent = "  " if "/" in section else " "
    opening = section.replace("/", "\n ")
    for line in commands.lines(lists[section]):
        if _NOT_HERE.match(line) or line.startswith("no "):
            continue
        written = (
            f"frr version 8.4.4\nhostname a\n{SECTIONS[section]}{opening}\n{indent}{line}\nexit\n"
        )
        _, ledger = text.read("a", "frr.conf", written)
        unknown = [item for item in ledger.report().unknown if item.matters and item.text == line]
        known += 1
        if unknown and not LIMITS.match(line):
            missed.append(f"{line}: {unknown[0].why}")
    assert known > 15
    assert missed == []
