"""One change to the healthy ferry company, one finding, named where the change is."""

from __future__ import annotations

from collections.abc import Callable

import make as demo
import pytest
from surveys import company, compute

from trochos.core.diagnosis.findings import KINDS

Change = Callable[[demo.Company], None]


def static(router: str, *args: object, **kw: object) -> Change:
    def change(built: demo.Company) -> None:
        built.routers[router].statics.append(demo.Static(*args, **kw))  # type: ignore[arg-type]

    return change


def port(router: str, name: str, **values: object) -> Change:
    def change(built: demo.Company) -> None:
        for key, value in values.items():
            setattr(built.routers[router].port(name), key, value)

    return change


def host(name: str, **values: object) -> Change:
    def change(built: demo.Company) -> None:
        for key, value in values.items():
            setattr(built.hosts[name], key, value)

    return change


def replaced(router: str, prefix: str, **values: object) -> Change:
    def change(built: demo.Company) -> None:
        for item in built.routers[router].statics:
            if item.prefix == prefix and item.distance == 1:
                for key, value in values.items():
                    setattr(item, key, value)

    return change


@pytest.mark.thorough
def test_the_healthy_company_has_no_finding_that_breaks_or_risks() -> None:
    assert [f.id for f in company().findings if f.severity != "notes"] == []


@pytest.mark.thorough
@pytest.mark.parametrize(
    ("change", "kind", "device", "severity"),
    [
        (host("roster", addresses=["10.64.65.10/24"]), "address-conflict", None, "breaks"),
        (port("yard", "ge0", addresses=["10.64.9.38/30"]), "subnets-differ", None, "breaks"),
        (port("berth", "eth1", addresses=["10.64.40.1/28"]), "masks-differ", "berth", "breaks"),
        (port("gull", "eth0", enabled=False), "interface-shut", "gull", "breaks"),
        (static("gull", "10.77.0.0/16", "10.99.0.1"), "static-unusable", "gull", "breaks"),
        (static("gull", "10.77.0.0/16", "10.64.0.2"), "static-unusable", "gull", "breaks"),
        (static("tern", "10.77.0.0/16", "10.64.21.99"), "next-hop-silent", "tern", "breaks"),
        (static("tern", "10.77.0.0/16", "10.64.21.41"), "next-hop-host", "tern", "breaks"),
        (
            replaced("mole", "10.64.22.0/24", gateway=None, interface="ge3"),
            "exit-without-target",
            "mole",
            "breaks",
        ),
        (static("heron", "10.64.40.0/24", "10.64.0.26"), "statics-contradict", "heron", "breaks"),
        (
            static("office", "10.64.20.96/28", None, None, "discard"),
            "discards-owned",
            "office",
            None,
        ),
        (
            static("office", "10.64.20.16/28", None, None, "discard"),
            "discards-owned",
            "office",
            "breaks",
        ),
        (replaced("lantern", "0.0.0.0/0", gateway="10.64.0.21"), "loop", "lantern", "breaks"),
        (
            host("crane-panel", gateways=["10.64.30.254"]),
            "host-gateway-silent",
            "crane-panel",
            "breaks",
        ),
        (
            host("crane-panel", gateways=["10.64.99.1"]),
            "host-gateway-outside",
            "crane-panel",
            "breaks",
        ),
        (
            host("crane-panel", gateways=["10.64.30.20"]),
            "host-gateway-is-host",
            "crane-panel",
            "breaks",
        ),
        (host("crane-panel", gateways=[]), "host-without-gateway", "crane-panel", "breaks"),
        (
            host("crane-panel", gateways=["10.64.30.1", "10.64.30.20"]),
            "host-two-gateways",
            "crane-panel",
            "risks",
        ),
    ],
)
def test_each_fault_is_named(
    change: Change, kind: str, device: str | None, severity: str | None
) -> None:
    assert kind in KINDS
    found = [f for f in company(change=change).findings if f.kind == kind]
    if severity is None:
        # 10.64.20.96/28 holds no surveyed address: a discard route there is right.
        assert found == []
        return
    assert found, kind
    assert found[0].severity == severity
    assert device in (None, found[0].device)
    assert found[0].evidence
    assert found[0].summary.endswith(".") and found[0].detail.endswith(".")


def test_gateways_of_single_addresses_and_link_local_ones_are_right() -> None:
    addr = (
        '[{"ifindex":2,"ifname":"eth0","flags":["UP","LOWER_UP"],"mtu":1500,"address":'
        '"02:00:00:00:00:01","addr_info":[{"family":"inet","local":"10.64.20.77","prefixlen":32},'
        '{"family":"inet6","local":"fd00:64:21::77","prefixlen":64}]}]'
    )
    routes = (
        '[{"dst":"10.64.20.1","dev":"eth0","scope":"link"},'
        '{"dst":"default","gateway":"10.64.20.1","dev":"eth0"}]'
    )
    onlink = '[{"dst":"default","gateway":"10.64.20.1","dev":"eth0","flags":["onlink"]}]'
    local = '[{"dst":"default","gateway":"fe80::1","dev":"eth0","metric":1024}]'
    for table in (routes, onlink):
        survey = compute(
            {
                "devices/pc/addr.json": addr,
                "devices/pc/route.json": table,
                "devices/pc/route6.json": local,
            }
        )
        outside = [f.kind for f in survey.findings if f.kind.startswith("host-")]
        assert outside == []


@pytest.mark.thorough
def test_ids_are_stable_and_unique() -> None:
    one, two = (company(broken=True).findings for _ in range(2))
    assert [f.id for f in one] == [f.id for f in two]
    assert len({f.id for f in one}) == len(one)
