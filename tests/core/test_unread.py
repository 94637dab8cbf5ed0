"""A device that nobody could read: nothing that hangs on it is called broken or proven."""

from __future__ import annotations

import json
import random
from collections.abc import Mapping
from pathlib import Path

import make as demo
import pytest
from surveys import GATHERED, KEY, ROOT, compute, frr, wired, without

from trochos.core.readers.whole import text_ends_early
from trochos.core.survey import Computed
from trochos.local import read_folder

CASES = ROOT / "tests" / "cases"
REFERENCE = ROOT.parent / "shared" / "reference"
PLAIN = ("connected", "local", "static", "kernel")
Row = tuple[str, str]


def network_files(folder: Path) -> dict[str, bytes]:
    """A survey without the tables that routers gave."""
    files = read_folder(folder)
    routers = {path.rsplit("/", 1)[0] for path in files if path.endswith("/frr.conf")}
    return {
        path: data
        for path, data in files.items()
        if not (path.rsplit("/", 1)[0] in routers and GATHERED.match(path.rsplit("/", 1)[1]))
    }


def healthy() -> list[Path]:
    found = {p.name: p for p in CASES.glob("*-00")}
    return [found[name] for name in sorted(found)]


def asked(computed: Computed, ends: set[str]) -> dict[Row, object]:
    """The first row of each (from, to) between hosts: what a ping shows."""
    out: dict[Row, object] = {}
    for pair in computed.reach.pairs():
        if pair.device in ends and pair.owner in ends:
            out.setdefault((pair.device, str(pair.target)), pair.ok)
    return out


def met_on_statics(computed: Computed, sender: str, target: str) -> set[str] | None:
    """The devices of both legs, outer ones of tunnels included, if they rest on connected and
    static routes alone; else None."""
    met: set[str] = set()

    def walk(leg: object) -> bool:
        for branch in leg.branches if leg is not None else ():  # type: ignore[attr-defined]
            for hop in branch.hops:
                met.add(hop.device)
                if hop.route is not None and hop.route.protocol not in PLAIN:
                    return False
                if hop.wrap is not None and not walk(hop.wrap.under):
                    return False
        return True

    path = computed.path(sender, target)
    return met if walk(path.outbound) and walk(path.back) else None


def hold_against(files: Mapping[str, bytes], gone: str, rightly: set[str] = frozenset()) -> None:  # type: ignore[assignment]
    """What must be true of a healthy network from which one device is taken."""
    base = Computed.from_files(files, KEY)
    ends = {d.name for d in base.network.devices if d.is_host} - {gone}
    full = asked(base, ends)
    computed = Computed.from_files(without(files, gone), KEY)
    left = asked(computed, ends)
    lans = {s.lan for s in computed.network.segments}
    assert gone in {d.name for d in computed.network.devices if d.role == "unread"} | lans
    wrong = [row for row, ok in left.items() if full.get(row) is True and ok is False]
    assert not wrong
    invented = [row for row, ok in left.items() if full.get(row) is False and ok is True]
    assert not invented
    switched = next(d for d in base.network.devices if d.name == gone).role == "switch"
    rows = sorted(row for row in full if full[row] is True and row in left)
    for row in random.Random(gone).sample(rows, min(6, len(rows))):
        met = met_on_statics(base, *row)
        if met is not None and gone not in met and not switched:
            assert left[row] is full[row], row
        diagnosis = computed.diagnose(*row)
        assert all(cause.certainty != "proven" for cause in diagnosis.causes), row
    loud = [
        f.summary
        for f in computed.findings
        if f.severity != "notes" and not any(address in f.summary for address in rightly)
    ]
    assert not loud


@pytest.mark.thorough
@pytest.mark.parametrize("case", healthy(), ids=lambda p: p.name)
def test_any_router_taken_out_of_a_captured_network(case: Path) -> None:
    files = network_files(case / "survey")
    answer = json.loads((case / "truth" / "answer.json").read_text())
    rightly = {pair[1] for pair in answer.get("unreachable_when_healthy", [])}
    routers = sorted(p.split("/")[1] for p in files if p.endswith("/frr.conf"))
    for gone in routers:
        hold_against(files, gone, rightly)


def company_files() -> dict[str, bytes]:
    written = demo.render(demo.healthy(), "test", "2026-05-04T06:30:00Z", None)
    return {path: text.encode() for path, text in written.items()}


def company_names() -> list[str]:
    return sorted({path.split("/")[1] for path in company_files() if path.startswith("devices/")})


@pytest.mark.thorough
@pytest.mark.parametrize("gone", company_names())
def test_any_device_taken_out_of_the_company(gone: str) -> None:
    """Hosts and switches as well."""
    files = company_files()
    hold_against(files, gone)


def two_ways(third: str | None) -> dict[str, str]:
    """h1 - ant - bee - h2 by OSPF, with cat between ant and bee as another way."""
    files = {
        "topology.json": wired(
            ("h1", "eth0", "ant", "eth0"),
            ("ant", "eth1", "bee", "eth1"),
            ("ant", "eth2", "cat", "eth1"),
            ("cat", "eth2", "bee", "eth2"),
            ("bee", "eth0", "h2", "eth0"),
        ),
        "devices/ant/frr.conf": frr(
            "ant",
            {"eth0": "10.64.1.1/24", "eth1": "10.64.0.1/30", "eth2": "10.64.0.5/30"},
            "router ospf",
            " network 10.64.0.0/16 area 0",
        ),
        "devices/bee/frr.conf": frr(
            "bee",
            {"eth0": "10.64.2.1/24", "eth1": "10.64.0.2/30", "eth2": "10.64.0.9/30"},
            "router ospf",
            " network 10.64.0.0/16 area 0",
        ),
    }
    if third is not None:
        files["devices/cat/frr.conf"] = third
    for number in (1, 2):
        files[f"devices/h{number}/addr.json"] = json.dumps(
            [
                {
                    "ifname": "eth0",
                    "flags": ["UP", "LOWER_UP"],
                    "addr_info": [
                        {"family": "inet", "local": f"10.64.{number}.10", "prefixlen": 24}
                    ],
                }
            ]
        )
        files[f"devices/h{number}/route.json"] = json.dumps(
            [{"dst": "default", "gateway": f"10.64.{number}.1", "dev": "eth0"}]
        )
    return files


def test_an_unread_router_beside_may_offer_a_better_way() -> None:
    path = compute(two_ways(None)).path("h1", "h2")
    assert path.works == "unknown"
    assert "cat" in path.sentence()


def test_a_device_with_one_link_is_on_nobodys_way() -> None:
    files = two_ways(None)
    files["topology.json"] = wired(
        ("h1", "eth0", "ant", "eth0"),
        ("ant", "eth1", "bee", "eth1"),
        ("ant", "eth2", "cat", "eth1"),
        ("bee", "eth0", "h2", "eth0"),
    )
    assert compute(files).path("h1", "h2").works == "yes"


def test_two_unread_devices_side_by_side_are_one_way() -> None:
    files = two_ways(None)
    files["topology.json"] = wired(
        ("h1", "eth0", "ant", "eth0"),
        ("ant", "eth1", "bee", "eth1"),
        ("ant", "eth2", "cat", "eth1"),
        ("cat", "eth2", "dog", "eth2"),
        ("dog", "eth1", "bee", "eth2"),
        ("bee", "eth0", "h2", "eth0"),
    )
    assert compute(files).path("h1", "h2").works == "unknown"


def test_a_static_that_no_protocol_beats_stands_beside_an_unread_router() -> None:
    files = two_ways(None)
    for name, prefix, gateway in (
        ("ant", "10.64.2.0/24", "10.64.0.2"),
        ("bee", "10.64.1.0/24", "10.64.0.1"),
    ):
        files[f"devices/{name}/frr.conf"] = files[f"devices/{name}/frr.conf"].replace(
            "!\n", f"!\nip route {prefix} {gateway}\n", 1
        )
    assert compute(files).path("h1", "h2").works == "yes"
    # A default would be beaten by whatever names the target's own prefix.
    weaker = files["devices/ant/frr.conf"].replace("10.64.2.0/24", "0.0.0.0/0")
    weaker = weaker.replace("eth1\n", "eth1\n ip ospf cost 65535\n")
    changed = {**files, "devices/ant/frr.conf": weaker}
    assert compute(changed).path("h1", "h2").works == "unknown"


def lan(*ends: str) -> dict[str, str]:
    """Routers with these addresses, all on one node that no folder describes."""
    names = "abcdefgh"[: len(ends)]
    files = {
        f"devices/{name}/frr.conf": frr(name, {"eth1": address})
        for name, address in zip(names, ends, strict=True)
    }
    files["topology.json"] = wired(
        *((name, "eth1", "middle", f"p{number}") for number, name in enumerate(names))
    )
    return files


def test_ends_of_one_subnet_meet_on_a_lan() -> None:
    computed = compute(lan("10.64.1.1/24", "10.64.1.2/24", "10.65.1.3/24"))
    assert not [d for d in computed.network.devices if d.role == "unread"]
    assert "subnets-differ" in {f.kind for f in computed.findings}


def test_ends_of_no_common_subnet_meet_at_a_device() -> None:
    computed = compute(lan("10.64.1.1/30", "10.64.1.5/30"))
    assert [d.name for d in computed.network.devices if d.role == "unread"] == ["middle"]
    assert not [f for f in computed.findings if f.severity != "notes"]


def test_one_end_alone_meets_a_device() -> None:
    computed = compute(lan("10.64.1.1/30"))
    assert [d.name for d in computed.network.devices if d.role == "unread"] == ["middle"]


@pytest.mark.parametrize("role", ["router", "switch", "host"])
def test_what_a_person_says_decides(role: str) -> None:
    files = lan("10.64.1.1/24", "10.64.1.2/24")
    files["survey.json"] = json.dumps({"roles": {"middle": role}})
    assert compute(files).path("a", "10.64.1.2").works == "unknown"
    files["survey.json"] = json.dumps({"roles": {"middle": "lan"}})
    assert compute(files).path("a", "10.64.1.2").works == "yes"


def test_a_lan_that_was_said_to_be_one_carries_different_subnets() -> None:
    files = lan("10.64.1.1/30", "10.64.1.5/30")
    files["survey.json"] = json.dumps({"roles": {"middle": "lan"}})
    assert "subnets-differ" in {f.kind for f in compute(files).findings}


def test_an_expected_device_is_missed_even_where_nothing_is_drawn() -> None:
    files = lan("10.64.1.1/24", "10.64.1.2/24")
    del files["topology.json"]
    files["survey.json"] = json.dumps({"expected": ["a", "b", "z"]})
    computed = compute(files)
    assert [d.name for d in computed.network.devices if d.role == "unread"] == ["z"]


def test_an_expected_device_is_no_lan() -> None:
    files = lan("10.64.1.1/24", "10.64.1.2/24")
    files["survey.json"] = json.dumps({"expected": ["middle"]})
    assert compute(files).path("a", "10.64.1.2").works == "unknown"


def test_what_was_said_survives_a_change() -> None:
    files = two_ways(None)
    files["survey.json"] = json.dumps({"network": "ferries", "roles": {"cat": "router"}})
    computed = compute(files)
    from trochos.core.network.edits import TextEdit

    edit = TextEdit("ant", "frr.conf", ("interface eth1",), (), (" description by the window",))
    after = computed.rehearse((edit,)).after
    assert after.survey.about == computed.survey.about
    assert after.path("h1", "h2").works == "unknown"


HALVES = [("loom-00", "frr.conf"), ("dale-00", "frr.conf"), ("loom-00", "ip-addr.json")]


@pytest.mark.thorough
@pytest.mark.parametrize(("case", "kind"), HALVES)
@pytest.mark.parametrize("share", [0.3, 0.6, 0.9])
def test_a_file_that_was_cut_proves_nothing(case: str, kind: str, share: float) -> None:
    files = network_files(CASES / case / "survey")
    base = Computed.from_files(files, KEY)
    ends = {d.name for d in base.network.devices if d.is_host}
    full = asked(base, ends)
    for path in [p for p in files if p.endswith(f"/{kind}")]:
        text = files[path]
        cut = Computed.from_files({**files, path: text[: int(len(text) * share)]}, KEY)
        name = path.split("/")[1]
        device = cut.network.device(name)
        assert device is not None and device.strange, path
        report = next(r for r in cut.survey.reading if (r.device, r.file) == (name, kind))
        assert report.note is not None and "The file ends early" in report.note, path
        left = asked(cut, ends)
        assert not [r for r, ok in left.items() if full.get(r) is True and ok is False], path
        assert not [f.summary for f in cut.findings if f.severity != "notes"], path


def test_two_texts_of_one_router_are_not_merged() -> None:
    files = two_ways(
        frr("cat", {"eth1": "10.64.0.6/30", "eth2": "10.64.0.10/30"}, "ip route 10.9.0.0/16 Null0")
    )
    assert compute(files).path("h1", "h2").works == "yes"
    other = files["devices/ant/frr.conf"].replace("10.64.1.1/24", "10.64.7.1/24")
    both = compute({**files, "devices/ant/older.conf": other})
    assert both.path("h1", "h2").works == "unknown"
    assert not [f.summary for f in both.findings if f.severity != "notes"]
    notes = [r.note for r in both.survey.reading if r.note]
    assert any("both configurations of ant" in note for note in notes)
    same = compute({**files, "devices/ant/copy.conf": files["devices/ant/frr.conf"]})
    assert same.path("h1", "h2").works == "yes"


def test_a_remark_behind_the_end_of_a_text_cuts_nothing() -> None:
    text = "Building configuration...\nfrr version 8.4.4\ninterface eth1\nexit\n!\nend\n"
    assert text_ends_early(text) is None
    assert text_ends_early(f"{text}! kept by hand\n# since May\n") is None
    assert text_ends_early(text.replace("end\n", "! kept by hand\n")) == 6
