"""The demo's second network: rewritten addresses, a shared gateway, a rule, IS-IS and an instance.
Each complaint of its story is true, and its first cause is what the first week did."""

from __future__ import annotations

import json

import pytest
from surveys import KEY, ROOT

from trochos.core.forwarding.traffic import Traffic
from trochos.core.survey import Computed
from trochos.local import read_folder

CAUSES = {
    ("traveller", "203.0.113.130"): ("forward-astray", "pier"),
    ("till", "booking-page"): ("interface-shut", "avocet"),
    ("quay-camera", "camera-store"): ("rule-prefix-unknown", "pier"),
    ("quay-desk", "stores-desk"): ("announcement-missing", "curlew"),
    ("ticket-desk", "booking-page"): ("isis-hello-password", "dotterel"),
    ("shop-till", "shop-stock"): ("instance-holds-link", "curlew"),
}
STORY = json.loads((ROOT / "demo" / "story.json").read_text())
CASES = next(s for s in STORY["surveys"] if s["folder"] == "quay-broken")["cases"]


@pytest.fixture(scope="module")
def broken() -> Computed:
    return Computed.from_files(read_folder(ROOT / "demo" / "quay-broken"), KEY)


def test_the_quay_as_it_was_built_has_nothing_to_complain_of() -> None:
    survey = Computed.from_files(read_folder(ROOT / "demo" / "quay-healthy"), KEY)
    assert survey.findings == []
    for case in CASES:
        traffic = Traffic(protocol=case.get("protocol", "icmp"), port=case.get("port"))
        assert survey.path(case["sender"], case["receiver"], traffic).works == "yes", case
    # The shops are apart on purpose, and reach the booking page alone.
    assert survey.path("shop-till", "booking-page").works == "yes"
    assert survey.path("shop-till", "till").works == "no"
    assert survey.path("shop-stock", "booking-page").works == "no"


@pytest.mark.thorough
@pytest.mark.parametrize("case", CASES, ids=lambda case: case["sender"])
def test_each_complaint_has_its_cause(broken: Computed, case: dict[str, str]) -> None:
    traffic = Traffic(protocol=case.get("protocol", "icmp"), port=case.get("port"))  # type: ignore[arg-type]
    sender, receiver = case["sender"], case["receiver"]
    assert broken.path(sender, receiver, traffic).works == "no"
    first = broken.diagnose(sender, receiver, traffic).causes[0]
    kind, device = CAUSES[sender, receiver]
    assert (first.option.finding.kind, first.option.finding.device) == (kind, device)
    assert first.certainty == "proven"
    after = broken.rehearse(first.option.edits).anew
    assert after.path(sender, receiver, traffic).works == "yes"


def test_the_spare_of_a_shared_gateway_can_take_its_address(broken: Computed) -> None:
    finding = next(f for f in broken.findings if f.kind == "shared-address-unheld")
    assert [r.title for r in finding.remedies] == ["On plover: the addresses of avocet."]
    after = broken.rehearse(finding.remedies[0].edits).anew
    assert after.path("till", "booking-page").works == "yes"
    assert not [f for f in broken.findings if f.kind == "host-gateway-silent"]


@pytest.mark.thorough
def test_an_instance_is_not_left_without_a_link_for_one_that_strayed(broken: Computed) -> None:
    """Moving either port heals; the one that is numbered like the instance is meant."""
    first = broken.diagnose("shop-stock", "shop-till").causes[0]
    assert first.option.remedy.title == "On curlew: put eth5 into the routing instance shops."
