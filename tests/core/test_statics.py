"""What becomes of a static route: the rules real routers were seen to follow."""

from __future__ import annotations

import pytest
from surveys import compute, frr, wired

from trochos.core.survey import Computed

PORTS = {"eth1": "10.64.0.1/30", "eth2": "10.64.0.5/30", "lo": "10.64.255.1/32"}
FAR = {"eth1": "10.64.0.2/30", "eth2": "10.64.0.6/30"}


def network(*lines: str, shut: tuple[str, ...] = (), far_shut: tuple[str, ...] = ()) -> Computed:
    return compute(
        {
            "devices/mill/frr.conf": frr("mill", PORTS, *lines, shut=shut),
            "devices/weir/frr.conf": frr("weir", FAR, shut=far_shut),
            "topology.json": wired(
                ("mill", "eth1", "weir", "eth1"), ("mill", "eth2", "weir", "eth2")
            ),
        }
    )


def used(survey: Computed, prefix: str = "10.99.0.0/24") -> list[str] | None:
    """The next hops in use for a prefix, as text; None if it is not in the table."""
    for route in survey.tables.of("mill", 4).everything():
        if str(route.prefix) == prefix and route.selected:
            return [
                hop.action if hop.action != "forward" else f"{hop.address} {hop.interface}"
                for hop in route.next_hops
            ]
    return None


def why(survey: Computed, prefix: str = "10.99.0.0/24") -> str:
    return next(
        route.why or ""
        for route in survey.tables.of("mill", 4).everything()
        if str(route.prefix) == prefix and not route.selected
    )


@pytest.mark.parametrize(
    ("lines", "expected"),
    [
        (["ip route 10.99.0.0/24 10.64.0.2"], ["10.64.0.2 eth1"]),
        (["ip route 10.99.0.0/24 eth2"], ["None eth2"]),
        (["ip route 10.99.0.0/24 10.64.0.2 eth1"], ["10.64.0.2 eth1"]),
        (["ip route 10.99.0.0/24 Null0"], ["discard"]),
        (["ip route 10.99.0.0/24 reject"], ["reject"]),
        # equal distance shares, a higher one waits
        (
            ["ip route 10.99.0.0/24 10.64.0.6", "ip route 10.99.0.0/24 10.64.0.2"],
            ["10.64.0.2 eth1", "10.64.0.6 eth2"],
        ),
        (
            ["ip route 10.99.0.0/24 10.64.0.6 5", "ip route 10.99.0.0/24 10.64.0.2"],
            ["10.64.0.2 eth1"],
        ),
        # through another static route, however many steps away
        (
            [
                "ip route 10.99.0.0/24 10.98.0.1",
                "ip route 10.98.0.0/24 10.97.0.1",
                "ip route 10.97.0.0/24 10.64.0.2",
            ],
            ["10.64.0.2 eth1"],
        ),
        # through a static route that names only an exit: asked for there
        (["ip route 10.99.0.0/24 10.98.0.1", "ip route 10.98.0.0/24 eth2"], ["10.98.0.1 eth2"]),
        (["ip route 10.99.0.0/24 10.98.0.1", "ip route 10.98.0.0/24 Null0"], ["discard"]),
        (
            [
                "ip nht resolve-via-default",
                "ip route 10.99.0.0/24 10.98.0.1",
                "ip route 0.0.0.0/0 10.64.0.2",
            ],
            ["10.64.0.2 eth1"],
        ),
        (["ip route 10.99.0.0/24 172.16.0.1 eth1 onlink"], ["172.16.0.1 eth1"]),
    ],
)
def test_usable(lines: list[str], expected: list[str]) -> None:
    assert used(network(*lines)) == expected


@pytest.mark.parametrize(
    ("lines", "reason"),
    [
        (["ip route 10.99.0.0/24 10.98.0.1"], "on no connected network"),
        (
            ["ip route 10.99.0.0/24 10.98.0.1", "ip route 0.0.0.0/0 10.64.0.2"],
            "the default route does not count",
        ),
        (["ip route 10.99.0.0/24 10.64.0.1"], "own address"),
        (["ip route 10.99.0.0/24 10.64.0.2 eth2"], "is on eth1, not on eth2"),
        (["ip route 10.99.0.0/24 eth7"], "has no interface eth7"),
        (["ip route 10.99.0.0/24 10.99.0.9"], "through this very route"),
        (["ip route 10.99.0.0/24 10.64.0.2 255"], "255"),
        (["ip route 10.99.0.0/24 10.98.0.1", "ip route 10.98.0.0/24 10.99.0.1"], "no connected"),
        (
            ["ip route 10.99.0.0/24 10.64.0.2", "ip route 10.99.0.0/24 10.64.0.2 eth2"],
            "obeys that line alone",
        ),
        (
            [
                "ip route 10.99.0.0/24 eth1",
                "ip route 10.99.0.0/24 10.98.0.1",
                "ip route 10.98.0.0/24 Null0",
            ],
            "no kernel takes such a route",
        ),
    ],
)
def test_not_usable_with_its_reason(lines: list[str], reason: str) -> None:
    survey = network(*lines)
    assert used(survey) is None
    assert reason in why(survey)


def test_a_shut_exit_takes_its_routes_along_and_says_so() -> None:
    survey = network(
        "ip route 10.99.0.0/24 10.64.0.2", "ip route 10.99.0.0/24 10.64.0.6 9", shut=("eth1",)
    )
    assert used(survey) == ["10.64.0.6 eth2"]
    assert "eth1 is shut down" in why(survey)


def test_the_far_end_counts_too() -> None:
    survey = network("ip route 10.99.0.0/24 10.64.0.2", far_shut=("eth1",))
    assert used(survey) is None
    assert "the far end, weir eth1, is shut down" in why(survey)


def test_routes_through_each_other_come_out_the_same_in_any_order() -> None:
    # Each half of the /24 names a gateway in the other half. The /24 alone resolves both at
    # first; with both halves there, each is reached through the other and through the /24 no more.
    lines = [
        "ip route 10.99.0.0/24 10.64.0.2",
        "ip route 10.99.0.0/25 10.99.0.200",
        "ip route 10.99.0.128/25 10.99.0.1",
    ]
    found = [
        [used(network(*order), prefix) for prefix in ("10.99.0.0/25", "10.99.0.128/25")]
        for order in (lines, lines[::-1])
    ]
    assert found[0] == found[1]
    assert used(network(*lines)) == ["10.64.0.2 eth1"]
