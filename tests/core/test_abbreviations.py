"""Keywords that somebody wrote short are read as a router reads them, reported, and left so."""

from __future__ import annotations

import re

import pytest
from surveys import compute, wired

from trochos.core.change.apply import apply
from trochos.core.change.derive import edits_between
from trochos.core.network.edits import TextEdit
from trochos.core.readers.frr.abbreviations import spell_out, spelled
from trochos.core.survey import Computed

FULL = """hostname {name}
interface eth0
 description towards the other one
 ip address 10.0.0.{number}/30
 ip ospf hello-interval {hello}
exit
interface lo
 ip address 10.1.0.{number}/32
exit
interface eth1
 ip address 10.2.{number}.1/24
exit
router ospf
 network 10.0.0.0/30 area 0
 redistribute connected route-map OWN
exit
ip prefix-list LO seq 5 permit 10.1.0.0/16 le 32
ip prefix-list LO seq 10 permit 10.2.0.0/16 le 24
route-map OWN permit 10
 match ip address prefix-list LO
 set metric 7
exit
ip route 10.9.{number}.0/24 blackhole
"""
SHORT = """hostname {name}
int eth0
 desc towards the other one
 ip addr 10.0.0.{number}/30
 ip ospf hello {hello}
exit
int lo
 ip addr 10.1.0.{number}/32
exit
int eth1
 ip addr 10.2.{number}.1/24
exit
rout ospf
 net 10.0.0.0/30 ar 0
 redist conn route-m OWN
exit
ip pref LO seq 5 perm 10.1.0.0/16 le 32
ip pref LO seq 10 perm 10.2.0.0/16 le 24
route-map OWN perm 10
 match ip addr prefix-l LO
 set met 7
exit
ip rou 10.9.{number}.0/24 black
"""


def two(text: str, hello: int = 10) -> Computed:
    files = {"topology.json": wired(("near", "eth0", "far", "eth0"))}
    for number, name in enumerate(("near", "far"), 1):
        own = text.format(name=name, number=number, hello=hello if name == "near" else 10)
        files[f"devices/{name}/frr.conf"] = own
    return compute(files)


def test_they_say_the_same_as_the_full_words() -> None:
    full, short = two(FULL), two(SHORT)
    for name in ("near", "far"):
        mine, theirs = ({p: str(r.next_hops) for p, r in s.tables.of(name, 4).best.items()}
                        for s in (short, full))  # fmt: skip
        assert mine == theirs
    assert any(str(p) == "10.1.0.2/32" for p in short.tables.of("near", 4).best)
    values = {"name": "near", "number": 1, "hello": 10}
    assert spelled(SHORT.format(**values)) == FULL.format(**values).split("\n")
    report = next(r for r in short.survey.reading if r.device == "near")
    assert not report.unknown and report.understood
    assert (4, "ip addr 10.0.0.1/30", " ip address 10.0.0.1/30".strip()) in report.abbreviated
    assert len(report.as_json()["abbreviated"]) == len(report.abbreviated)  # type: ignore[arg-type]
    assert "abbreviated" not in next(r for r in full.survey.reading if r.device == "near").as_json()


def test_evidence_and_remedies_keep_the_form_of_the_text() -> None:
    survey = two(SHORT, hello=5)
    found = survey.diagnose("near", "10.1.0.2").as_json()
    cause = found["causes"][0]  # type: ignore[index]
    assert cause["kind"] == "ospf-hello-interval"
    assert "ip ospf hello 5" in [e["text"] for e in cause["evidence"]]
    (edit,) = cause["remedy"]["edits"]
    said = {"near": "ip ospf hello 5", "far": "ip ospf hello 10"}[edit["device"]]
    assert (edit["context"], edit["remove"]) == (["int eth0"], [said])
    trial = TextEdit(edit["device"], "frr.conf", ("int eth0",), (said,), tuple(edit["add"]))
    before = survey.survey.text(edit["device"], "frr.conf")
    after = apply(survey.survey, (trial,)).survey.text(edit["device"], "frr.conf")
    assert before is not None and after == before.replace(said, edit["add"][0])


def test_an_edit_in_full_words_finds_the_short_line() -> None:
    survey = two(SHORT)
    edit = TextEdit("near", "frr.conf", ("interface eth0",), ("ip address 10.0.0.1/30",), ())
    after = apply(survey.survey, (edit,)).survey.text("near", "frr.conf")
    assert after is not None and " ip addr 10.0.0.1/30\n" not in after
    # A line that sets the same takes the place of the short one.
    edit = TextEdit("near", "frr.conf", ("interface eth0",), (), ("ip ospf hello-interval 3",))
    after = apply(survey.survey, (edit,)).survey.text("near", "frr.conf")
    assert after is not None and "ip ospf hello-interval 3" in after and "hello 10" not in after


def test_what_somebody_edits_is_told_as_they_wrote_it() -> None:
    old = SHORT.format(name="near", number=1, hello=10)
    new = old.replace(" ip addr 10.2.1.1/24", " ip addr 10.2.7.1/24")
    (edit,) = edits_between("near", "frr.conf", old, new)
    assert isinstance(edit, TextEdit)
    assert edit.context == ("interface eth1",)
    assert (edit.remove, edit.add) == (("ip addr 10.2.1.1/24",), ("ip addr 10.2.7.1/24",))
    # The same words in full are no difference.
    full = FULL.format(name="near", number=1, hello=10)
    assert edits_between("near", "frr.conf", old, full) == ()


@pytest.mark.parametrize(
    ("section", "line"),
    [
        ("", "rout osp"),  # two protocols begin so
        ("interface eth0", " ip ospf a 0"),  # area, authentication
        ("router rip", " ne 10.0.0.1"),  # neighbor, network
        ("router bgp 1", " neighbor 10.0.0.1 u lo"),  # update-source, unsuppress-map
        ("router ospf", " redistribute o"),
        ("interface eth0", " foo bar"),
        ("", "ip a 1"),
    ],
)
def test_what_several_commands_can_mean_is_not_guessed(section: str, line: str) -> None:
    rows = [section, line] if section else [line]
    assert len(rows) not in spell_out(rows)


@pytest.mark.parametrize(
    ("section", "line", "full"),
    [
        ("router ospf", " redistribute static metr 50 metric-t 1", "metric 50 metric-type 1"),
        ("router bgp 1", " addr ipv6 uni", "address-family ipv6 unicast"),
        ("router bgp 1", " nei 10.0.0.1 remote ext", "neighbor 10.0.0.1 remote-as external"),
        ("interface eth0", " no ip ospf hello", "no ip ospf hello-interval"),
        ("interface eth0", " shut", "shutdown"),
        # A line that fits no command of its section is one of those around it.
        ("router ospf", "int eth0", "interface eth0"),
        ("route-map A permit 10", " set loc 200", "set local-preference 200"),
    ],
)
def test_what_only_one_command_can_mean(section: str, line: str, full: str) -> None:
    assert spell_out([section, line])[2].strip().endswith(full)


def test_full_words_are_left_alone() -> None:
    assert spell_out(FULL.split("\n")) == {}
    # A name that begins like a keyword is a name.
    rows = ["router bgp 1", " neighbor d peer-group", " neighbor 10.0.0.1 peer-group d"]
    assert spell_out(rows) == {}
    assert not re.search(r"\bmaximum-prefix-out\b", "".join(spelled(
        "router bgp 1\n neighbor 10.0.0.1 maximum-prefix 1")))  # fmt: skip


@pytest.mark.parametrize(
    ("section", "line"),
    [
        ("router bgp 1", " nei 10.0.0.1 passw {}"),
        ("router bgp 1", " neighbor 10.0.0.1 passwo {}"),
        ("interface eth0", " ip ospf authentication-k {}"),
        ("interface eth0", " ip ospf message-digest-k 1 md5 {}"),
        ("interface eth0", " ip rip auth str {}"),
        ("interface eth0", " isis passw md5 {}"),
        ("router isis quay", " domain-p clear {}"),
    ],
)
def test_no_secret_gets_by_in_a_short_line(section: str, line: str) -> None:
    """Whatever the line is taken for: what is stored holds no secret, and the same one twice is
    the same mark."""
    text = f"hostname near\n{section}\n{line.format('mussel7Bed')}\n"
    stored = compute({"devices/near/frr.conf": text}).survey.text("near", "frr.conf")
    assert stored is not None and "mussel7Bed" not in stored
    assert stored.count("<secret:") == 1 and section in stored
    again = compute({"devices/near/frr.conf": text}).survey.text("near", "frr.conf")
    assert again == stored
