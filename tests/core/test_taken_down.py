"""An interface that somebody took down past the text: the system shows it, and that counts."""

from __future__ import annotations

import json

from two_routers import BACK, FRONT, survey

from trochos.core.change.apply import apply
from trochos.core.network.edits import TextEdit
from trochos.core.survey import Computed


def shown(name: str, down: str = "", dead: str = "") -> str:
    """What `ip -j addr` shows of a router: one port taken down, one whose far end is."""
    ports = {
        "front": {"eth0": "10.64.1.1/24", "eth1": "10.64.9.1/30", "eth2": "10.64.9.5/30"},
        "back": {"eth0": "10.64.2.1/24", "eth1": "10.64.9.2/30", "eth2": "10.64.9.6/30"},
    }[name]
    out = []
    for port, address in ports.items():
        flags = ["UP", "LOWER_UP"] if port != dead else ["UP", "NO-CARRIER"]
        ip, _, length = address.partition("/")
        entry = {"family": "inet", "local": ip, "prefixlen": int(length), "scope": "global"}
        out.append({"ifname": port, "flags": [] if port == down else flags, "addr_info": [entry]})
    return json.dumps(out)


def taken_down() -> Computed:
    return survey(
        front={"frr.conf": FRONT, "addr.json": shown("front", down="eth1")},
        back={"frr.conf": BACK, "addr.json": shown("back", dead="eth1")},
    )


def test_it_is_down_although_the_text_does_not_say_so() -> None:
    found = taken_down()
    assert found.path("desk", "db").works == "no"
    (shut,) = (f for f in found.findings if f.kind == "interface-shut")
    assert (shut.device, shut.interface, shut.severity) == ("front", "eth1", "breaks")
    assert shut.evidence[0].file == "addr.json"


def test_switching_it_on_heals_it() -> None:
    found = taken_down()
    top = found.diagnose("desk", "db").causes[0]
    assert top.option.finding.kind == "interface-shut" and top.certainty == "proven"
    after = Computed(apply(found.survey, top.option.edits).survey)
    assert after.path("desk", "db").works == "yes"


def test_a_text_that_switches_it_off_is_mended_in_the_text() -> None:
    """What was captured while the text said so says nothing once it does not."""
    off = FRONT.replace("interface eth1\n", "interface eth1\n shutdown\n")
    found = survey(
        front={"frr.conf": off, "addr.json": shown("front", down="eth1")},
        back={"frr.conf": BACK, "addr.json": shown("back", dead="eth1")},
    )
    assert found.path("desk", "db").works == "no"
    edit = TextEdit("front", "frr.conf", ("interface eth1",), ("shutdown",), ())
    after = Computed(apply(found.survey, (edit,)).survey)
    assert after.path("desk", "db").works == "yes"
