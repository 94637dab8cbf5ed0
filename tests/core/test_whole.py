"""Whole-network answers: what fails by cause, what broke it, what is not known, every failure."""

from __future__ import annotations

import json
import random
import re
import time
from collections import Counter
from pathlib import Path

import pytest
from surveys import KEY, ROOT, company, compute, frr, wired, without

from trochos.core.survey import Computed
from trochos.core.whole.questions import answers, asked, hosts_of, standing
from trochos.local import read_folder

from .test_unread import CASES, healthy, network_files, two_ways

FAULTY = sorted(
    p
    for p in CASES.iterdir()
    if (p / "truth/answer.json").exists()
    and not p.name.endswith("-00")
    and not p.name.startswith("ouse")
)


def truth(case: Path) -> dict[str, object]:
    return json.loads((case / "truth" / "answer.json").read_text())  # type: ignore[no-any-return]


def faults(case: Path) -> list[dict[str, object]]:
    told = truth(case)
    listed = told.get("faults") or [told.get("fault")]
    return [f for f in listed if isinstance(f, dict)]  # type: ignore[union-attr]


def noisy(files: dict[str, bytes], seed: str) -> dict[str, bytes]:
    """Harmless differences: descriptions, unused lists, discard routes for documentation."""
    rng, out = random.Random(seed), dict(files)
    for path in [p for p in files if p.endswith("/frr.conf")]:
        lines = []
        for line in files[path].decode().splitlines():
            lines.append(line)
            if re.match(r"interface eth\S+$", line) and rng.random() < 0.6:
                lines.append(f" description moved to rack {rng.randint(1, 40)}")
        lines.insert(2, f"ip prefix-list SPARE{rng.randint(1, 99)} seq 5 permit 192.0.2.0/28")
        lines.insert(3, f"ip route 192.0.2.{rng.randint(0, 15) * 16}/28 blackhole")
        out[path] = ("\n".join(lines) + "\n").encode()
    return out


def pairs_of(case: Path) -> list[tuple[str, str]]:
    told = [truth(case), *faults(case)]
    return [tuple(p) for f in told for p in f.get("broken_pairs", [])]  # type: ignore[attr-defined]


@pytest.mark.thorough
@pytest.mark.parametrize("case", FAULTY, ids=lambda p: p.name)
def test_what_broke_it_is_found_among_harmless_differences(case: Path) -> None:
    base = CASES / str(truth(case)["base"])
    pairs = pairs_of(case)
    if not pairs or not base.exists() or truth(case).get("in"):
        pytest.skip("no pair of hosts broke, or its healthy base is not among the copied ones")
    old = Computed.from_files(network_files(base / "survey"), KEY)
    new = Computed.from_files(noisy(network_files(case / "survey"), case.name), KEY)
    if new.path(*pairs[0]).works == "yes":
        pytest.skip("what broke is an outside address, which only a translation knows")
    found = new.since(*pairs[0], old)
    assert found.guilty, found.says
    for item in found.guilty:
        text = " ".join(source.text for source in (*item.old, *item.new))
        assert not re.search(r"rack|SPARE|192\.0\.2", text)
        assert item.works and item.edits
    edits = tuple(edit for item in found.guilty for edit in item.edits)
    assert new.rehearse(edits).after.path(*pairs[0]).works == "yes"
    document = found.as_json()
    assert document["innocent"] == len(found.differences) - len(found.guilty)


@pytest.mark.thorough
def test_nothing_is_guilty_of_what_works_or_never_did() -> None:
    old = company()
    assert old.since("planning-desk", "skerry-kiosk", old).says.startswith("It works now")
    broken = company(broken=True)
    found = broken.since("planning-desk", "skerry-kiosk", broken)
    assert not found.guilty and "did not work in the older survey either" in found.says


@pytest.mark.parametrize("case", [c for c in FAULTY if c.name[:4] in ("dale", "loom", "trio")][:9],
                         ids=lambda p: p.name)  # fmt: skip
def test_every_failing_pair_stands_in_one_group(case: Path) -> None:
    survey = Computed.from_files(network_files(case / "survey"), KEY)
    found = survey.desk()
    failing = {q for q, a in answers(survey.reach).items() if a.ok in (False, "partly")}
    listed = [q for group in found.groups for q in group.pairs]
    assert sorted(listed) == sorted(failing), "each in exactly one group"
    assert found.complete
    if failing and len(faults(case)) == 1:
        cause = found.groups[0].causes[0].option
        names = {cause.finding.device, *(e.device for e in cause.edits)}
        names |= {cause.finding.peer.device} if cause.finding.peer else set()
        assert str(faults(case)[0]["device"]) in names
    for group in found.groups:
        assert group.further or all(cause.effect.count("heals") for cause in group.causes)


def test_a_healthy_network_is_calm() -> None:
    for case in healthy()[:3]:
        found = Computed.from_files(network_files(case / "survey"), KEY).desk()
        apart = sum(len(group.pairs) for group in found.groups if group.folded)
        assert not found.fails and found.ok + apart == found.pairs
        assert not apart or case.name.startswith("delve")


@pytest.mark.thorough
def test_what_turned_is_told_apart() -> None:
    base, case = CASES / "loom-00", CASES / "loom-01"
    old = Computed.from_files(network_files(base / "survey"), KEY)
    new = Computed.from_files(network_files(case / "survey"), KEY)
    turned = new.desk(old).turned
    assert turned is not None and turned.broken and not turned.healed
    assert sum(len(group.pairs) for group in turned.groups) == turned.broken
    back = old.desk(new).turned
    assert back is not None and back.healed == turned.broken and not back.broken


@pytest.mark.thorough
def test_what_was_so_before_is_folded_apart() -> None:
    """Outsiders do not reach the company, and never did."""
    found = company().desk(company())
    assert found.groups and all(group.folded for group in found.groups) and not found.fails


def test_the_device_on_which_most_hangs_is_read_first() -> None:
    files = network_files(CASES / "loom-00" / "survey")
    everything = Computed.from_files(files, KEY)
    assert everything.unknowns().questions == 0
    found = Computed.from_files(without(files, "moss"), KEY).unknowns()
    assert [item.device for item in found.unread] == ["moss"]
    item = found.unread[0]
    assert item.questions == found.questions and item.examples
    assert item.as_json(1)["rank"] == 1


def test_of_two_unread_devices_each_has_its_own_questions() -> None:
    files = {k: v.encode() for k, v in two_ways(None).items() if "/ant/" not in k}
    found = Computed.from_files(files, KEY).unknowns()
    assert {item.device for item in found.unread} == {"ant", "cat"}
    assert found.unread[0].device == "ant", "everything passes it"


def test_a_line_that_is_not_computed_is_listed_with_what_hangs_on_it() -> None:
    files = two_ways(None)
    files["devices/cat/frr.conf"] = "frr version 8.4.4\nhostname cat\nend\n"
    files["devices/ant/frr.conf"] = files["devices/ant/frr.conf"].replace(
        "router ospf", "frobnicate the packets\nrouter ospf"
    )
    found = compute(files).unknowns()
    assert [line.item.source.text for line in found.lines] == ["frobnicate the packets"]
    assert found.lines[0].questions == found.questions > 0


@pytest.mark.thorough
@pytest.mark.parametrize("case", healthy()[:4], ids=lambda p: p.name)
def test_the_sweep_says_what_single_rehearsals_say(case: Path) -> None:
    survey = Computed.from_files(network_files(case / "survey"), KEY)
    found = survey.sweep()
    assert len(found.failures) == found.of > 4
    for failure in random.Random(case.name).sample(found.failures, 5):
        effect = survey.rehearse((failure.down,)).effect
        assert (failure.cuts, failure.moves, failure.gone) == (
            len(effect.breaks), len(effect.moves), len(effect.gone),
        )  # fmt: skip
    cutting = [(len(f.expectations), f.cuts) for f in found.threads]
    assert cutting == sorted(cutting, reverse=True)


def test_a_sweep_that_is_stopped_keeps_what_it_has() -> None:
    survey = Computed.from_files(network_files(healthy()[0] / "survey"), KEY)
    found = survey.sweep(watch=lambda done, of, what: done < 2)
    assert len(found.failures) == 2 < found.of


def test_questions_are_asked_between_hosts() -> None:
    survey = company()
    assert hosts_of(survey.reach) == {d.name for d in survey.network.devices if d.is_host}


def test_what_a_host_shows_of_itself_is_told_apart_from_what_was_set_up() -> None:
    """The mask of a host was set wrong, and with it its default went; captures of another day
    differ in more than that, and none of it counts."""
    files = network_files(CASES / "dale-00" / "survey")
    host = next(p.split("/")[1] for p in files if p.endswith("ip-route.json") and "/h1/" in p)
    old = Computed.from_files(files, KEY)
    links = json.loads(files[f"devices/{host}/ip-addr.json"])
    routes = json.loads(files[f"devices/{host}/ip-route.json"])
    for link in links:
        link["txqlen"], link["promiscuity"] = 500, 1
        for address in link.get("addr_info", []):
            address["valid_life_time"] = 77
    gateway = next(route for route in routes if route["dst"] == "default")
    kept = [route for route in routes if route is not gateway]
    new = Computed.from_files(
        {
            **files,
            f"devices/{host}/ip-addr.json": json.dumps(links).encode(),
            f"devices/{host}/ip-route.json": json.dumps(kept).encode(),
            f"devices/{host}/ip-neigh.json": b'[{"dst":"10.0.0.9","dev":"eth0","state":["STALE"]}]',
        },
        KEY,
    )
    other = next(d.name for d in old.network.devices if d.is_host and d.name != host)
    found = new.since(host, other, old)
    assert [item.device for item in found.guilty] == [host]
    assert "the route to default" in found.guilty[0].summary
    assert len(found.differences) == 1


@pytest.mark.thorough
def test_many_faults_at_once_each_have_their_group() -> None:
    """The company's week of changes: every new failure stands under a cause, within the time."""
    started = time.monotonic()
    found = company(broken=True).desk(company(), lambda *_: time.monotonic() - started < 240)
    assert found.complete
    open_ = [group for group in found.groups if not group.folded]
    assert len(open_) > 20 and all(group.causes for group in open_)
    pairs = [q for group in found.groups for q in group.pairs]
    assert len(pairs) == len(set(pairs)), "no pair in two groups"


@pytest.mark.thorough
def test_a_desk_that_is_stopped_among_many_faults_ends_soon() -> None:
    survey = company(broken=True)
    asked = []
    found = survey.desk(watch=lambda done, of, what: asked.append((done, of)) or len(asked) < 45)
    assert not found.complete and found.groups
    assert len(asked) < 60


@pytest.mark.parametrize(
    "name", ["demo", "delve-00", "tarn-04", "stile-03", "weald-00", "karst-03"]
)
def test_what_fails_is_counted_as_all_rows_say(name: str) -> None:
    """Counting on arrays, and asking for some, is the same as building every row."""
    folder = ROOT / "demo" / "quay-broken" if name == "demo" else CASES / name / "survey"
    reach = Computed.from_files(read_folder(folder), KEY).reach
    rows = answers(reach)
    found = standing(reach, opened=True)
    assert found.failing == {q: a for q, a in rows.items() if a.ok in (False, "partly")}
    assert set(found.open) == {q for q, a in rows.items() if a.ok is None}
    counts = Counter(str(a.ok) for a in rows.values())
    assert (found.questions, found.ok) == (len(rows), counts["True"])
    assert (found.partly, found.unknown) == (counts["partly"], counts["None"])
    some = dict(list(rows.items())[::3])
    assert asked(reach, some) == some


def test_routers_stand_for_hosts_but_not_with_the_addresses_of_their_links() -> None:
    """Nobody lives on a link between routers: where a survey has no hosts, that such an address is
    not reached is told apart, and never the first thing."""
    ports = {
        "left": {"eth0": "10.9.0.1/30", "eth1": "10.9.1.1/24", "eth2": "10.9.0.9/30"},
        "middle": {"eth0": "10.9.0.2/30", "eth1": "10.9.0.5/30"},
        "right": {"eth0": "10.9.0.6/30", "eth1": "10.9.2.1/24", "eth2": "10.9.0.10/30"},
    }
    routes = {
        "left": ["ip route 10.9.2.0/24 10.9.0.2", "ip route 10.9.0.4/30 10.9.0.2"],
        "middle": ["ip route 10.9.1.0/24 10.9.0.1", "ip route 10.9.2.0/24 10.9.0.6"],
        "right": ["ip route 10.9.1.0/24 10.9.0.5", "ip route 10.9.0.0/30 10.9.0.5"],
    }
    cables = [
        ("left", "eth0", "middle", "eth0"),
        ("middle", "eth1", "right", "eth0"),
        ("left", "eth2", "right", "eth2"),  # of which middle knows nothing
    ]

    def built(**other: list[str]) -> Computed:
        lines = {**routes, **other}
        files = {f"devices/{n}/frr.conf": frr(n, ports[n], *lines[n]) for n in ports}
        return compute({**files, "topology.json": wired(*cables)})

    found = built().desk()
    assert [group.folded for group in found.groups] == [True]
    assert "the routers' own addresses" in found.groups[0].summary
    assert not found.fails
    assert built(right=[]).desk().fails
