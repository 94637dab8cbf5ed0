"""The table of readers: one of each kind of file is read by its own row, whatever it is called."""

from __future__ import annotations

import json
from collections import Counter

import pytest
from surveys import KEY, ROOT

from trochos.core.diagnosis.audit import parse_expectations
from trochos.core.readers.collected import File
from trochos.core.readers.kinds import READERS, Reader, reader_of
from trochos.core.readers.located import parse_data
from trochos.core.readers.survey import read_survey
from trochos.local import read_folder


def instance(datastore: str) -> str:
    whole = {"name": "x", "datastore": f"ietf-datastores:{datastore}", "content-data": {}}
    return json.dumps({"ietf-yang-instance-data:instance-data-set": whole})


def data(document: object) -> str:
    return json.dumps(document)


PORT = {"ifname": "eth0", "ifindex": 2, "flags": ["UP"], "mtu": 1500}
TRACE = {
    "report": {
        "mtr": {"src": "kiosk", "dst": "10.0.9.9", "tests": 2},
        "hubs": [{"count": 1, "host": "10.0.0.1", "Loss%": 0.0, "Snt": 2, "Avg": 1.0}],
    }
}
EXAMPLES = (
    data({"trochos:not-kept": {"kind": "not text", "note": "x", "size": 3, "sha256": "00"}}),
    " \n",
    '{"a": 1',
    data(TRACE),
    data({"ietf-network:networks": {"network": []}}),
    data({"title": "Monday", "expected": ["heron"]}),
    data({"trochos-gathering:device": {"method": "ssh", "missing": {}}}),
    data({"openconfig-interfaces:interfaces": {"interface": []}}),
    data({"trochos-probes:probes": [{"target": "10.0.0.1", "sent": 3, "received": 3}]}),
    instance("operational"),
    instance("startup"),
    data({"ietf-interfaces:interfaces": {"interface": []}}),
    data({"nftables": [{"metainfo": {"json_schema_version": 1}}]}),
    data({"net.ipv4.ip_forward": "1"}),
    data({"red": {"netns": "red", "interfaces": ["eth1"]}}),
    data({"10.0.0.0/24": [{"protocol": "ospf", "nexthops": []}]}),
    data([{**PORT, "addr_info": [{"family": "inet", "local": "10.0.0.1", "prefixlen": 24}]}]),
    data([PORT]),
    data([{"dst": "default", "gateway": "10.0.0.1", "dev": "eth0"}]),
    data([{"dst": "10.0.0.1", "dev": "eth0", "lladdr": "02:00:00:00:00:01"}]),
    data([{"priority": 0, "src": "all", "table": "local"}]),
    data([{"ifname": "eth0", "vlans": [{"vlan": 1}]}]),
    data([{"ifname": "tun0", "mode": "gre/ip", "local": "10.0.0.1", "remote": "10.0.0.2"}]),
    "[]",
    data({"routerId": "10.0.0.1", "neighbors": {}}),
    "{}",
    data({"weather": "calm"}),
    "# what must hold\n- name: tickets\n  from: kiosk\n  to: booking\n",
    "vrrp_instance lan {\n  interface eth0\n  virtual_router_id 7\n}\n",
    "client\ndev tun\nproto udp\nremote 203.0.113.9 1194\n",
    "frr version 8.4\nhostname heron\nrouter ospf\n",
    ".1.3.6.1.2.1.2.2.1.2.1 = STRING: lo\n.1.3.6.1.2.1.2.2.1.2.2 = STRING: eth0\n",
    "net.ipv4.ip_forward = 1\nnet.ipv6.conf.all.forwarding = 0\n",
    "nameserver 10.0.0.53\nsearch ferry.example\n",
    "Netid State Recv-Q Send-Q Local Address:Port Peer Address:Port\n"
    "tcp LISTEN 0 128 0.0.0.0:5432 0.0.0.0:*\n",
    "10.0.0.9 booking-db\n",
    "PING 10.0.0.1 (10.0.0.1) 56(84) bytes of data.\n"
    "64 bytes from 10.0.0.1: icmp_seq=1 ttl=64 time=0.1 ms\n",
    "Area isles:\nIS-IS Level-1 link-state database:\n",
    "Dear all,\nthe kiosk is closed on Monday.\n",
)
"""One file for each row, in the table's order."""


def row_of(text: str, where: str, name: str = "a.bin") -> Reader:
    device = "" if where == "survey" else "heron"
    return reader_of(File(device, name, text, lambda _device, _name, held: parse_data(held)))


@pytest.mark.parametrize(("row", "example"), list(zip(READERS, EXAMPLES, strict=True)))
def test_each_row_recognises_its_own_whatever_it_is_called(row: Reader, example: str) -> None:
    for name in ("a.bin", "frr.conf", "expectations.yaml", "topology.json"):
        assert row_of(example, row.where, name) is row


@pytest.mark.parametrize(("row", "example"), list(zip(READERS, EXAMPLES, strict=True)))
def test_each_is_read_to_the_last_line(row: Reader, example: str) -> None:
    path = "notes" if row.where == "survey" else "devices/heron/notes"
    survey = read_survey({"devices/gull/x": b"hostname gull\n", path: example.encode()}, KEY)
    report = next(r for r in survey.reading if r.file == "notes")
    special = {
        EXAMPLES[2]: "damaged JSON",
        EXAMPLES[26]: "JSON that is not recognised",
        EXAMPLES[29]: "OpenVPN",
    }
    assert report.kind == special.get(example, row.kind)
    assert report.understood + report.irrelevant + len(report.unknown) == report.lines
    assert not (report.note or "").startswith("Reading it broke")
    assert survey.text("" if row.of_survey else report.device or "", "notes") is not None


def test_the_order_of_rows_matters_for_one_kind_of_captured_file_only() -> None:
    """Some words of keepalived's are FRR's, too; the rows that take what is left stand last."""
    left = {"not recognised"}
    both: Counter[tuple[str, ...]] = Counter()
    for folder in sorted((ROOT / "tests" / "cases").iterdir()):
        if not (folder / "survey").is_dir():
            continue
        for path, held in read_folder(folder / "survey").items():
            parts = path.split("/")
            device = parts[1] if parts[0] == "devices" and len(parts) > 2 else ""
            file = File(device, parts[-1], held.decode(), lambda _d, _n, text: parse_data(text))
            takers = tuple(r.kind for r in READERS if r.kind not in left and r.takes(file))
            if len(takers) > 1:
                both[takers] += 1
    assert set(both) == {("shared gateway addresses (keepalived)", "FRR configuration text")}


def test_what_lies_beside_the_devices_is_recognised_among_loose_files_too() -> None:
    files = {
        "heron.conf": b"hostname heron\nrouter ospf\n",
        "about.txt": b'{"title": "Monday", "network": "ferries"}',
        "wanted.yaml": b"- from: heron\n  to: 10.0.0.1\n",
        "cables.json": b'{"ietf-network:networks": {"network": []}}',
    }
    survey = read_survey(files, KEY)
    assert survey.about.title == "Monday"
    assert survey.expectations == files["wanted.yaml"].decode()
    assert {r.file: r.device for r in survey.reading} == {
        "heron.conf": "heron",
        "about.txt": None,
        "wanted.yaml": None,
        "cables.json": None,
    }
    assert {d.name for d in survey.network.devices} == {"heron"}


@pytest.mark.parametrize("other", ["about.json", "title.json"])
def test_what_survey_json_says_of_the_survey_stands(other: str) -> None:
    """A person's choices are written there, so no file beside it can take them back."""
    files = {
        "devices/heron/a.conf": b"hostname heron\nrouter ospf\n",
        "survey.json": b'{"title": "Monday", "expected": ["gull"]}',
        other: b'{"title": "Tuesday"}',
    }
    survey = read_survey(files, KEY)
    assert (survey.about.title, survey.about.expected) == ("Monday", ("gull",))


@pytest.mark.parametrize(
    "text",
    [
        "- from: heron\n  to: gull\n",
        "---\n# said on Monday\n-\n  to: gull\n  from: heron\n",
        "  # of the office\n  - name: kiosk\n    from: heron\n    to: gull\n",
    ],
)
def test_expectations_are_told_however_they_are_indented(text: str) -> None:
    assert parse_expectations(text)
    assert row_of(text, "survey").kind == "expectations"


def test_a_list_named_as_one_is_asked_for_even_if_it_cannot_be_read() -> None:
    survey = read_survey({"expectations.yaml": b"kiosk: booking\n"}, KEY)
    assert survey.expectations == "kiosk: booking\n"
