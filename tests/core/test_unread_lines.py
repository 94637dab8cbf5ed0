"""A line that is not understood makes uncertain what rests on it, also at other routers."""

from __future__ import annotations

import pytest
from surveys import compute, frr, wired

from trochos.core.survey import Computed

ODD = " wobble by moonlight"


def chain(*lines: str) -> dict[str, str]:
    """ant - bee - cat, all of them in one OSPF area; cat alone knows 10.64.9.0/24."""
    ospf = ("router ospf", " network 10.64.0.0/16 area 0")
    return {
        "topology.json": wired(("ant", "eth0", "bee", "eth0"), ("bee", "eth1", "cat", "eth0")),
        "devices/ant/frr.conf": frr("ant", {"eth0": "10.64.1.1/30"}, *ospf),
        "devices/bee/frr.conf": frr("bee", {"eth0": "10.64.1.2/30", "eth1": "10.64.2.1/30"}, *ospf),
        "devices/cat/frr.conf": frr(
            "cat", {"eth0": "10.64.2.2/30"}, "ip route 10.64.9.0/24 Null0", *ospf, *lines
        ),
    }


def lan(*lines: str) -> dict[str, str]:
    """ant and bee on one segment, and a route reflector that carries no packets."""

    def router(number: int, port: dict[str, str], *more: str) -> str:
        name = {1: "ant", 2: "bee", 3: "wire"}[number]
        peers = (1, 2) if number == 3 else (3,)
        said = [f" neighbor 10.64.1.{peer} remote-as 65010" for peer in peers]
        return frr(name, port, "router bgp 65010", *said, *more)

    reflected = [
        " address-family ipv4 unicast",
        *(f"  neighbor 10.64.1.{n} route-reflector-client" for n in (1, 2)),
        " exit-address-family",
    ]
    announced = [
        " address-family ipv4 unicast",
        "  network 10.64.9.0/24",
        " exit-address-family",
    ]
    return {
        "topology.json": wired(*(("lan", f"p{n}", n, "eth0") for n in ("ant", "bee", "wire"))),
        "devices/ant/frr.conf": router(
            1, {"eth0": "10.64.1.1/24", "eth1": "10.64.9.1/24"}, *announced
        ),
        "devices/bee/frr.conf": router(2, {"eth0": "10.64.1.2/24"}),
        "devices/wire/frr.conf": router(3, {"eth0": "10.64.1.3/24"}, *lines, *reflected),
    }


def outbound(survey: Computed) -> dict[tuple[str, str], str]:
    """What the answer for all pairs says of each."""
    return {(pair.device, str(pair.target)): pair.outbound for pair in survey.reach.pairs()}


def test_what_nobody_announces_may_be_what_a_line_is_about() -> None:
    plain = compute(chain()).path("ant", "10.64.9.1").outbound
    assert plain.verdict == "no-route"
    odd = compute(chain(ODD))
    leg = odd.path("ant", "10.64.9.1").outbound
    assert leg.verdict == "unknown"
    assert "what cat tells others may differ" in leg.branches[0].reason
    assert "wobble" in leg.caveats[0].source.text and leg.caveats[0].source.device == "cat"
    assert odd.path("ant", "10.64.2.1").outbound.verdict == "delivered"
    assert outbound(odd)["bee", "10.64.1.1"] == "delivered"


@pytest.mark.parametrize(("lines", "verdict"), [((), "delivered"), ((ODD,), "unknown")])
def test_a_route_is_as_certain_as_those_who_passed_it_on(
    lines: tuple[str, ...], verdict: str
) -> None:
    survey = compute(lan(*lines))
    assert survey.path("bee", "10.64.9.1").outbound.verdict == verdict
    assert outbound(survey)["bee", "10.64.9.1"] == verdict


def stranger(protocol: str, *lines: str) -> Computed:
    """ant - bee, with somebody beyond bee of whom only notes were gathered."""
    said = (f"router {protocol}", *(f" {line}" for line in lines))
    files = {
        "topology.json": wired(("ant", "eth0", "bee", "eth0"), ("bee", "eth1", "who", "eth0")),
        "devices/ant/frr.conf": frr("ant", {"eth0": "10.64.1.1/30"}, *said),
        "devices/bee/frr.conf": frr("bee", {"eth0": "10.64.1.2/30", "eth1": "10.64.2.1/30"}, *said),
        "devices/who/notes.txt": "not a configuration\n",
    }
    return compute(files)


@pytest.mark.parametrize(
    ("protocol", "line"),
    [
        ("ospf", "network 10.64.0.0/16 area 0"),
        ("rip", "network 10.64.0.0/16"),
        ("eigrp 1", "network 10.64.0.0/16"),
    ],
)
def test_what_a_device_that_was_not_read_would_teach_is_not_known(protocol: str, line: str) -> None:
    survey = stranger(protocol, line)
    for name in ("ant", "bee"):
        path = survey.path(name, "10.99.0.1")
        assert path.works == "unknown", name
        assert "who on that link could not be read" in path.outbound.decisive.reason
    assert survey.path("ant", "10.64.1.2").works == "yes", "what is known stays known"


def test_a_link_on_which_nobody_listens_teaches_nothing() -> None:
    quiet = stranger("ospf", "network 10.64.1.0/30 area 0")
    assert quiet.path("ant", "10.99.0.1").works == "no"
    passive = stranger("ospf", "network 10.64.0.0/16 area 0", "passive-interface eth1")
    assert passive.path("ant", "10.99.0.1").works == "no"
