"""gNMI beyond what every method has: Set, client certificates, answers that are cut differently."""

from __future__ import annotations

import asyncio
import copy
import json
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any

import grpc
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pygnmi.spec.v080 import gnmi_pb2 as messages

from devices import fleet as fleets
from devices import gnmi as simulated
from devices.apply import Refused, apply
from devices.fleet import Fleet
from devices.restconf import certificate
from devices.tree import PathRefused, Tree
from trochos.core.change.handover import hand_over
from trochos.core.survey import Computed
from trochos.gather.collect import Outcome, collect
from trochos.gather.credentials import Credential, credential_from
from trochos.gather.methods.gnmi import CONFIG_FILE, STATE_FILE, laid
from trochos.gather.problems import CredentialMissing
from trochos.gather.survey import device_files, survey_files
from trochos.local import read_folder
from trochos.server.surveys.modules import problem_with

from .live import QUICK, credential, gathered, running, targets_of, trusting

DEMO = Path(__file__).resolve().parents[2] / "demo" / "broken"
TEAL = json.loads((DEMO / "devices" / "teal" / "openconfig.json").read_text())
KEY = b"test"


def alone(name: str) -> Fleet:
    whole = read_folder(DEMO)
    return Fleet({p: d for p, d in whole.items() if p.startswith(f"devices/{name}/")})


@pytest.fixture
def teal() -> Iterator[Fleet]:
    with running(alone("teal")) as live:
        yield live


def asked(fleet: Fleet, held: Credential | None = None) -> Outcome:
    (target,) = trusting(targets_of(fleet))
    return asyncio.run(collect(target, lambda name: held or credential(name), QUICK))


# -- what is gathered ---------------------------------------------------------------------------


def test_configuration_and_state_are_files_of_their_own(teal: Fleet) -> None:
    outcome = asked(teal)
    assert outcome.kind == "done", outcome.problem
    config = json.loads(outcome.gathered.files[CONFIG_FILE])
    assert config == TEAL
    assert problem_with(config) is None
    state = json.loads(outcome.gathered.files[STATE_FILE])
    inner = state["ietf-yang-instance-data:instance-data-set"]
    assert inner["datastore"] == "ietf-datastores:operational"
    assert "afts" in json.dumps(inner)
    assert set(outcome.gathered.absent) == {"routing-policy", "acl"}
    # Both are read as one device: forwarding tables beside the computed ones, nothing unknown.
    files = survey_files({"teal": device_files(outcome, KEY)}, "Live", outcome.ended_at, None)
    survey = Computed.from_files(files, KEY)
    held = survey.network.device("teal")
    assert held is not None and {route.protocol for route in held.gathered[4]} == {"connected"}
    assert [report.file for report in survey.survey.reading if report.unknown] == []


def test_a_device_that_cannot_tell_state_from_configuration(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    answer = simulated.Servicer.Get

    def whole_only(self: Any, request: Any, context: Any) -> Any:
        if request.type != messages.GetRequest.ALL:
            context.abort(grpc.StatusCode.UNIMPLEMENTED, "no types here")
        return answer(self, request, context)

    monkeypatch.setattr(simulated.Servicer, "Get", whole_only)
    with running(alone("teal")) as live:
        outcome = asked(live)
    assert outcome.kind == "done", outcome.problem
    assert STATE_FILE not in outcome.gathered.files
    files = survey_files({"teal": device_files(outcome, KEY)}, "Live", outcome.ended_at, None)
    held = Computed.from_files(files, KEY).network.device("teal")
    assert held is not None and {i.name for i in held.interfaces} == {"lo", "eth0", "eth1"}
    assert held.gathered[4]


def test_a_device_without_these_models_says_so(
    teal: Fleet, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(simulated, "MODELS", ("somebodys-own-model",))
    outcome = asked(teal)
    assert outcome.kind == "not-offered"
    assert "openconfig-interfaces" in (outcome.problem or "")


def test_another_encoding_is_not_asked_for(monkeypatch: pytest.MonkeyPatch) -> None:
    def bytes_only(self: Any, request: Any, context: Any) -> Any:
        return messages.CapabilityResponse(supported_encodings=[messages.BYTES])

    monkeypatch.setattr(simulated.Servicer, "Capabilities", bytes_only)
    with running(alone("teal")) as live:
        assert asked(live).kind == "not-offered"


def test_a_client_certificate_stands_for_a_password(monkeypatch: pytest.MonkeyPatch) -> None:
    made, private = certificate("surveyor")
    listen = simulated.listen

    async def strict(device: Any, port: int, username: str, password: str) -> Any:
        return await listen(device, port, username, password, clients=made)

    monkeypatch.setattr(fleets.gnmi, "listen", strict)
    ours = credential_from("ours", {"certificate": made.decode(), "private_key": private.decode()})
    others, key = certificate("somebody")
    theirs = credential_from(
        "theirs", {"certificate": others.decode(), "private_key": key.decode()}
    )
    with running(alone("teal")) as live:
        assert asked(live, ours).kind == "done"
        refused = asked(live, theirs)
        assert refused.kind == "closed"
        assert "may not accept the client certificate" in (refused.problem or "")
        assert asked(live).problem is not None
    for secret in (ours, theirs):
        assert "PRIVATE KEY" not in repr(secret)


def test_half_a_client_certificate_is_no_credential() -> None:
    made, private = certificate("surveyor")
    for parts in (
        {"certificate": made.decode(), "password": "x"},
        {"certificate": "a file name", "private_key": private.decode()},
    ):
        with pytest.raises(CredentialMissing, match="client certificate"):
            credential_from("half", parts)
    with running(alone("teal")) as live:
        outcome = asked(live, Credential("key-only", private_key=private.decode()))
    assert outcome.kind == "credential-missing"


# -- answers cut into paths ---------------------------------------------------------------------


def updates(value: Any, steps: list[Any], depth: int) -> Iterator[tuple[list[Any], Any]]:
    """A tree as updates of paths of about a depth."""
    if depth == 0 or not isinstance(value, dict):
        yield steps, value
        return
    for name, inner in value.items():
        if isinstance(inner, list) and all(isinstance(entry, dict) for entry in inner):
            for entry in inner:
                keys = {k: str(v) for k, v in entry.items() if not isinstance(v, dict | list)}
                rest = {k: v for k, v in entry.items() if k not in keys}
                yield from updates(rest, [*steps, (name, keys)], depth - 1)
        else:
            yield from updates(inner, [*steps, (name, {})], depth - 1)


def texts(value: Any) -> Any:
    """Keys come as texts in paths; what they say is the same."""
    if isinstance(value, dict):
        return {k: texts(v) for k, v in value.items()}
    if isinstance(value, list):
        return [texts(item) for item in value]
    return str(value)


@settings(max_examples=60, deadline=None)
@given(st.integers(1, 14), st.randoms(use_true_random=False))
def test_however_an_answer_is_cut_it_is_one_tree(depth: int, order: Any) -> None:
    parts = list(updates(TEAL, [], depth))
    whole: dict[str, Any] = {}
    for steps, value in parts:
        laid(whole, steps, copy.deepcopy(value))
    assert texts(whole) == texts(TEAL)
    # In another order the entries of lists may stand in another one; nothing else changes.
    order.shuffle(parts)
    mixed: dict[str, Any] = {}
    for steps, value in parts:
        laid(mixed, steps, copy.deepcopy(value))

    def unordered(held: Any) -> Any:
        if isinstance(held, dict):
            return {k: unordered(v) for k, v in held.items()}
        return sorted(map(unordered, held), key=repr) if isinstance(held, list) else held

    assert unordered(texts(mixed)) == unordered(texts(TEAL))


# -- changes ------------------------------------------------------------------------------------


@contextmanager
def whole_demo() -> Iterator[tuple[Fleet, Computed]]:
    files = read_folder(DEMO)
    survey = Computed.from_files(files, KEY)
    with running(alone("teal")) as live:
        yield live, survey


def test_a_remedy_is_set_and_taken_back() -> None:
    with whole_demo() as (live, survey):
        device, port = live.devices["teal"], live.ports["teal"]
        assert device.tree is not None
        before = copy.deepcopy(device.tree.root)
        edits = survey.diagnose("school-desk", "roster").causes[0].option.remedy.edits
        parts = {p.language: p for p in hand_over(survey.survey, edits, (), problem_with)}
        part = parts["gNMI Set"]
        assert part.problem is None
        asyncio.run(apply(port, part.apply, "gnmi"))
        assert device.tree.root != before
        assert problem_with(device.tree.root) is None
        files = {**read_folder(DEMO), "devices/teal/openconfig.json": b""}
        files["devices/teal/openconfig.json"] = json.dumps(device.tree.root).encode()
        assert Computed.from_files(files, KEY).path("school-desk", "roster").works == "yes"
        asyncio.run(apply(port, part.back, "gnmi"))
        assert device.tree.root == before


def test_what_was_gathered_is_mended_as_well(teal: Fleet) -> None:
    outcome = asked(teal)
    files = dict(read_folder(DEMO))
    del files["devices/teal/openconfig.json"]
    for name, text in device_files(outcome, KEY).items():
        files[f"devices/teal/{name}"] = text.encode()
    survey = Computed.from_files(files, KEY)
    remedy = survey.diagnose("school-desk", "roster").causes[0].option.remedy
    assert remedy.edits[0].file == CONFIG_FILE
    languages = [part.language for part in hand_over(survey.survey, remedy.edits)]
    assert languages == ["NETCONF edit", "gNMI Set"]


def test_one_bad_part_of_a_set_changes_nothing(teal: Fleet) -> None:
    tree = teal.devices["teal"].tree
    assert tree is not None
    before = copy.deepcopy(tree.root)
    port = teal.ports["teal"]
    good = {
        "path": "/openconfig-interfaces:interfaces/interface[name=eth1]/config/mtu",
        "val": 1400,
    }
    bad = {"path": "/openconfig-interfaces:interfaces/interface[name=eth1]", "val": 5}
    with pytest.raises(Refused):
        asyncio.run(apply(port, json.dumps({"update": [good, bad]}), "gnmi"))
    assert tree.root == before
    with pytest.raises(Refused, match="no Set"):
        asyncio.run(apply(port, "[1, 2]", "gnmi"))
    with pytest.raises(Refused, match="without its end"):
        asyncio.run(apply(port, json.dumps({"delete": ["/a/b[name=x"]}), "gnmi"))
    asyncio.run(apply(port, json.dumps({"update": [good]}), "gnmi"))
    assert '"mtu": 1400' in json.dumps(tree.root)


def test_a_set_deletes_then_replaces_then_updates() -> None:
    tree = Tree({"a": {"list": [{"name": "x", "config": {"name": "x", "n": 1}}]}})
    entry = [("a", {}), ("list", {"name": "x"})]
    tree.set(
        [entry],
        [([("a", {}), ("list", {"name": "y"})], {"name": "y", "config": {"n": 2}})],
        [([("a", {}), ("list", {"name": "y"}), ("config", {}), ("n", {})], 3)],
    )
    assert tree.root == {"a": {"list": [{"name": "y", "config": {"n": 3}}]}}
    before = copy.deepcopy(tree.root)
    with pytest.raises(PathRefused):
        tree.set([[("a", {})]], [], [([("a", {}), ("list", {"name": "z"})], "text")])
    assert tree.root == before


def test_keys_of_paths_are_read_as_they_are_written() -> None:
    from trochos.core.change.gnmi import path_text

    text = path_text("/a:b/c[name='x]y\\z'][id='0/1']/d")
    path = simulated.path_from(text)
    assert simulated.steps_of(path) == [
        ("a:b", {}),
        ("c", {"name": "x]y\\z", "id": "0/1"}),
        ("d", {}),
    ]


def test_a_device_is_asked_again_at_another_address_only_with_its_key(teal: Fleet) -> None:
    outcome = gathered(teal, keys={"teal": "SHA256:of-the-old-router"})["teal"]
    assert outcome.kind == "key-changed"
    (target,) = targets_of(teal)
    unknown = asyncio.run(collect(replace(target, key=None), credential, QUICK))
    assert unknown.kind == "key-unknown" and unknown.gathered.files == {}
