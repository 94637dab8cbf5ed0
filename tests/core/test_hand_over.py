"""What is handed over does what was rehearsed, and its way back restores what was: on the
simulated device, for every kind of edit, in both languages."""

from __future__ import annotations

import json

import pytest
from lxml import etree
from surveys import company

from devices.datastore import BASE, Datastore, children, from_json
from devices.device import TEXT, Device
from trochos.core.change.handover import hand_over
from trochos.core.network.edits import DataEdit, TextEdit
from trochos.core.network.ospf import OspfProcess
from trochos.core.survey import Computed
from trochos.server.surveys.modules import problem_with

INTERFACES = "/ietf-interfaces:interfaces/interface"


@pytest.fixture(scope="module")
def healthy() -> Computed:
    return company()


def data_of(survey: Computed, device: str) -> tuple[str, dict[str, object]]:
    """A device's YANG file and its content."""
    for file, text in survey.survey.files[device].items():
        if '"ietf-yang-instance-data' in text[:200]:
            whole = json.loads(text)["ietf-yang-instance-data:instance-data-set"]
            return file, whole["content-data"]
    raise AssertionError(f"{device} speaks no YANG")


def entered(store: Datastore, document: str) -> None:
    """Sends a NETCONF edit to the simulated device, keys told apart as a strict one would."""
    rpc = etree.fromstring(document)
    config = rpc.find(f".//{{{BASE}}}config")
    assert config is not None
    for element in config.iter():
        if isinstance(element.tag, str) and element.getparent() is not config:
            names = [child.tag for child in element if len(child) == 0]
            keys = [n for n in names if etree.QName(n).localname in ("name", "ip", "index")]
            assert len(keys) == len(set(keys)), "a key stands there once"
    store.edit(children(config))


def shape(element: object) -> object:
    """A tree without the order of its members, and without declarations that it does not need."""
    below = sorted(repr(shape(child)) for child in children(element))
    return etree.QName(element).localname, (element.text or "").strip(), tuple(below)  # type: ignore[attr-defined]


def there_and_back(survey: Computed, edits: list[DataEdit]) -> None:
    device = edits[0].device
    file, content = data_of(survey, device)
    parts = hand_over(survey.survey, edits, (), problem_with)
    assert [part.language for part in parts] == ["NETCONF edit"] and parts[0].problem is None
    store = Datastore(from_json(content))
    before = shape(store.root)
    after_text = survey.rehearse(tuple(edits)).changed.texts[device, file]
    wanted = Datastore(from_json(json.loads(after_text)))
    entered(store, parts[0].apply)
    assert shape(store.root) == shape(wanted.root), "the change is what was rehearsed"
    assert shape(store.root) != before
    entered(store, parts[0].back)
    assert shape(store.root) == before, "the way back restores what was"


def heron(survey: Computed) -> tuple[str, dict[str, object], dict[str, object]]:
    file, content = data_of(survey, "heron")
    listed = content["ietf-interfaces:interfaces"]["interface"]  # type: ignore[index]
    port = next(i for i in listed if "loopback" not in i["type"].lower() and i.get("ietf-ip:ipv4"))
    return file, content, port


@pytest.mark.thorough
def test_a_value_is_changed(healthy: Computed) -> None:
    file, _, port = heron(healthy)
    path = f"{INTERFACES}[name='{port['name']}']/enabled"
    there_and_back(healthy, [DataEdit("heron", file, path, port.get("enabled"), False)])


def test_a_value_is_made(healthy: Computed) -> None:
    file, _, port = heron(healthy)
    path = f"{INTERFACES}[name='{port['name']}']/ietf-ip:ipv4/mtu"
    there_and_back(healthy, [DataEdit("heron", file, path, None, 1400)])


def test_an_entry_of_a_list_is_made(healthy: Computed) -> None:
    file, _, _ = heron(healthy)
    new = {"type": "iana-if-type:softwareLoopback", "enabled": True}
    path = f"{INTERFACES}[name='lo9']"
    there_and_back(healthy, [DataEdit("heron", file, path, None, new)])


def test_an_interface_is_removed(healthy: Computed) -> None:
    """The way back of a removed list entry names it once."""
    file, _, port = heron(healthy)
    path = f"{INTERFACES}[name='{port['name']}']"
    edit = DataEdit("heron", file, path, port, None)
    parts = hand_over(healthy.survey, [edit])
    assert parts[0].back.count(f"<name>{port['name']}</name>") == 1
    there_and_back(healthy, [edit])


def test_an_address_is_replaced(healthy: Computed) -> None:
    file, _, port = heron(healthy)
    held = port["ietf-ip:ipv4"]["address"][0]  # type: ignore[index]
    base = f"{INTERFACES}[name='{port['name']}']/ietf-ip:ipv4/address"
    edits = [
        DataEdit("heron", file, f"{base}[ip='{held['ip']}']", held, None),
        DataEdit("heron", file, f"{base}[ip='198.18.77.1']", None, {"prefix-length": 30}),
    ]
    there_and_back(healthy, edits)


def test_several_places_at_once_go_back_in_reverse(healthy: Computed) -> None:
    file, _, port = heron(healthy)
    here = f"{INTERFACES}[name='{port['name']}']"
    edits = [
        DataEdit("heron", file, f"{here}/enabled", port.get("enabled"), False),
        DataEdit("heron", file, f"{here}/description", port.get("description"), "by the window"),
    ]
    there_and_back(healthy, edits)


def test_what_the_modules_do_not_allow_is_not_offered(healthy: Computed) -> None:
    file, _, port = heron(healthy)
    path = f"{INTERFACES}[name='{port['name']}']/ietf-ip:ipv4/mtu"
    parts = hand_over(healthy.survey, [DataEdit("heron", file, path, None, 7)], (), problem_with)
    assert parts[0].problem is not None and "heron would not take this" in parts[0].problem
    assert (parts[0].apply, parts[0].back) == ("", "")


def text_device(survey: Computed) -> str:
    return next(
        d.name
        for d in survey.network.devices
        if TEXT in survey.survey.files.get(d.name, {}) and d.routing.of(OspfProcess)
    )


def routes_lines(text: str) -> list[str]:
    """The lines that say something, each with its section."""
    out, section = [], ""
    for line in text.splitlines():
        if line.strip() in ("", "!", "exit", "end"):
            continue
        if not line.startswith(" "):
            section = line
        out.append(f"{section}|{line.strip()}" if line.startswith(" ") else line)
    return sorted(out)


LINES = {
    "a line is added": ((), (), ("ip route 198.18.99.0/24 Null0",)),
    "a line of a section is added": (("router ospf",), (), ("passive-interface eth9",)),
    "a new section": (("interface lo",), (), ("ip address 198.18.99.1/32",)),
}


@pytest.mark.parametrize("kind", LINES)
def test_lines_there_and_back(healthy: Computed, kind: str) -> None:
    name = text_device(healthy)
    context, remove, add = LINES[kind]
    edit = TextEdit(name, TEXT, context, remove, add)
    part = hand_over(healthy.survey, [edit])[0]
    before = healthy.survey.files[name][TEXT]
    device = Device(name, {TEXT: before}, tables=lambda _: {})
    device.enter(part.apply.splitlines())
    wanted = healthy.rehearse((edit,)).changed.texts[name, TEXT]
    assert routes_lines(device.files[TEXT]) == routes_lines(wanted)
    device.enter(part.back.splitlines())
    assert routes_lines(device.files[TEXT]) == routes_lines(before)


def test_removed_lines_come_back(healthy: Computed) -> None:
    name = text_device(healthy)
    before = healthy.survey.files[name][TEXT]
    lines = before.splitlines()
    at = next(i for i, line in enumerate(lines) if line.startswith(" network "))
    opening = next(line for line in reversed(lines[:at]) if not line.startswith(" "))
    edit = TextEdit(name, TEXT, (opening,), (lines[at].strip(),), ())
    part = hand_over(healthy.survey, [edit])[0]
    device = Device(name, {TEXT: before}, tables=lambda _: {})
    device.enter(part.apply.splitlines())
    assert lines[at] not in device.files[TEXT].splitlines()
    device.enter(part.back.splitlines())
    assert routes_lines(device.files[TEXT]) == routes_lines(before)


@pytest.mark.thorough
def test_what_goes_along_is_counted(healthy: Computed) -> None:
    """An interface that is removed takes addresses, neighbours and pairs along."""
    file, _, port = heron(healthy)
    path = f"{INTERFACES}[name='{port['name']}']"
    document = healthy.rehearse((DataEdit("heron", file, path, port, None),)).as_json()
    took = document["gone"]
    assert took, "pairs of its own addresses are listed"
    along = document["along"]
    assert {item["what"] for item in along} >= {"address"}  # type: ignore[index,union-attr]


def test_what_was_made_on_the_way_goes_back_too(healthy: Computed) -> None:
    """A route that only exists for its next hop does not stay behind without one."""
    file, content = data_of(healthy, "mole")
    del content
    path = (
        "/ietf-routing:routing/control-plane-protocols/control-plane-protocol"
        "[type='ietf-routing:static'][name='static']/static-routes"
        "/ietf-ipv4-unicast-routing:ipv4/route[destination-prefix='198.18.99.0/24']/next-hop"
    )
    new = {"ietf-ipv4-unicast-routing:next-hop-address": "10.64.0.14"}
    there_and_back(healthy, [DataEdit("mole", file, path, None, new)])
