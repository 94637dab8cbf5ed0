"""Remedied texts on real routers: what the diagnosis promises, pings show."""

from __future__ import annotations

import json
import os
import random
import re

import pytest
from faults import broken_pairs, faults
from surveys import KEY, ROOT

from trochos.core.change.handover import hand_over
from trochos.core.change.unmask import changed_files, secrets_of
from trochos.core.network.edits import EditError
from trochos.core.network.facts import Device
from trochos.core.readers.masking import mask
from trochos.core.readers.survey import places
from trochos.core.survey import Computed
from trochos.local import read_folder

from .lab import Lab, why_not

REASON = why_not()
pytestmark = pytest.mark.skipif(REASON is not None, reason=REASON or "")
CASES = ROOT / "tests" / "cases"


def commands(host: Device) -> list[str]:
    """What makes a bare namespace the host."""
    out = []
    for interface in host.interfaces:
        for fact in interface.addresses:
            if not fact.address.is_link_local and not interface.loopback:
                out.append(f"addr add {fact.value} dev {interface.name}")
    for route in host.statics:
        family = "-6 " if route.prefix.family == 6 else ""
        out.append(f"{family}route add {route.prefix} via {route.gateway} dev {route.interface}")
    return out


def lab_of(
    files: dict[str, bytes], tag: str, daemons: dict[str, tuple[str, ...]] | None = None
) -> tuple[Lab, Computed]:
    """The network of a survey's files on real routers and hosts."""
    survey = Computed.from_files(files, KEY)
    texts = {
        path.split("/")[1]: data.decode()
        for path, data in files.items()
        if path.endswith("/frr.conf")
    }
    links = []
    lans = []
    for number, segment in enumerate(survey.network.segments):
        ends = list(segment.ends)
        if len(ends) == 2 and segment.lan is None:
            (a, ap), (b, bp) = ends
            links.append((a, ap, b, bp))
            continue
        lans.append(f"lan{number}")
        links += [(f"lan{number}", f"p{n}", *end) for n, end in enumerate(ends)]
    hosts = {d.name: commands(d) for d in survey.network.devices if d.is_host}
    return Lab(texts, hosts, links, lans, daemons=daemons or {}, tag=tag), survey


FIXED = (
    *("dale-01", "dale-08", "elmet-05", "loom-05", "ouse-06", "rook-06", "silo-06", "trio-08"),
)
NETS = ("dale", "elmet", "loom", "ouse", "port", "rook", "silo", "trio")
INJECTED = 4
"""Per network so many changes of any line, beside its captured faults, where all are wanted."""
ALL = os.environ.get("TROCHOS_REAL") == "all"
"""What `./trochos test --real` asks for."""


def wanted() -> list[str]:
    """The captured faults whose cures are loaded, and `net+number` for changes of any line."""
    if not ALL:
        return [*FIXED]
    captured = [
        path.parts[-3]
        for path in sorted(CASES.glob("*/truth/answer.json"))
        if path.parts[-3].split("-")[0] in NETS
        and (json.loads(path.read_text()).get("fault") or {}).get("broken_pairs")
    ]
    return captured + [f"{net}+{number}" for net in NETS for number in range(INJECTED)]


def faulty(name: str) -> tuple[dict[str, bytes], list[tuple[str, str]]]:
    """The files of a faulty network, and the pairs of hosts that its fault broke."""
    net, added, number = name.partition("+")
    if not added:
        held = json.loads((CASES / name / "truth" / "answer.json").read_text())
        return read_folder(CASES / name / "survey"), [
            (a, b) for a, b in held["fault"]["broken_pairs"]
        ]
    files = read_folder(CASES / f"{net}-00" / "survey")
    healthy = Computed.from_files(files, KEY)
    breaking = 0
    for fault in faults(healthy, random.Random(29)):
        try:
            broken = healthy.rehearse((fault,)).after
        except EditError:
            continue
        pairs = broken_pairs(healthy, broken)
        if pairs and breaking == int(number):
            where = places(files, healthy.survey)
            return changed_files(files, where, healthy.survey.files, (fault,), KEY), pairs
        breaking += bool(pairs)
    raise AssertionError(f"{net} has too few lines that break something")


@pytest.mark.parametrize("name", wanted())
def test_the_remedy_heals_on_real_routers(name: str) -> None:
    files, pairs = faulty(name)
    survey = Computed.from_files(files, KEY)
    top = survey.diagnose(*pairs[0]).causes[0]
    where = places(files, survey.survey)
    mended = changed_files(files, where, survey.survey.files, top.option.edits, KEY)
    lab, after = lab_of(mended, f"r{os.getpid()}{name[:2]}")
    asked = [(a, str(after.path(a, b).target), None) for a, b in pairs]
    with lab:
        # News travels for a while, the slower the busier the machine is.
        for _ in range(60):
            if all(lab.pings(asked)):
                break
            lab.settle(quiet=1, most=3)
        assert all(lab.pings(asked)), dict(zip(pairs, lab.pings(asked), strict=True))


def without_bgp(files: dict[str, bytes], router: str) -> dict[str, bytes]:
    """The survey of the same network after somebody removed a router's whole BGP."""
    path = f"devices/{router}/frr.conf"
    text = re.sub(rb"(?ms)^router bgp .*?^exit$\n", b"", files[path])
    assert text != files[path]
    return {**files, path: text}


@pytest.mark.parametrize("name", ["trio-01", "port-03", "loom-01", "trio-00"])
def test_the_handed_over_lines_do_what_they_say(name: str) -> None:
    """Typed into the running routers they heal; typed back, the old lines stand again."""
    files = read_folder(CASES / name / "survey")
    daemons: dict[str, tuple[str, ...]] = {}
    if name == "trio-00":
        # Only its neighbour still knows the password, which has to find its way into the lines.
        files = without_bgp(files, "isle")
        daemons = {"isle": ("bgpd",)}
        sender, receiver = "h1", "h5"
    else:
        held = json.loads((CASES / name / "truth" / "answer.json").read_text())
        sender, receiver = held["fault"]["broken_pairs"][0]
    survey = Computed.from_files(files, KEY)
    top = survey.diagnose(sender, receiver).causes[0]
    parts = hand_over(survey.survey, top.option.edits)
    assert [part.language for part in parts] == ["configuration lines"]
    known: dict[str, str] = {}
    for path, data in files.items():
        if path.endswith("/frr.conf"):
            text = data.decode()
            known |= secrets_of(text, mask(text, KEY))
    lab, _ = lab_of(files, f"h{os.getpid()}{name[:2]}", daemons)
    target = str(survey.path(sender, receiver).target)
    device = parts[0].device

    def typed(text: str) -> None:
        for mark, secret in known.items():
            text = text.replace(mark, secret)
        lines = ["configure terminal", *text.split("\n")]
        lab.run(device, "vtysh", "-N", lab.ns(device), *(w for row in lines for w in ("-c", row)))

    def standing() -> list[str]:
        return sorted(" ".join(row.split()) for row in lab.running(device).split("\n"))

    with lab:
        lab.settle(quiet=3, least=5)
        before = standing()
        assert lab.pings([(sender, target, None)]) == [False]
        typed(parts[0].apply)
        for _ in range(40):
            if lab.pings([(sender, target, None)])[0]:
                break
            lab.settle(quiet=1, most=3)
        assert lab.pings([(sender, target, None)]) == [True]
        typed(parts[0].back)
        assert standing() == before
