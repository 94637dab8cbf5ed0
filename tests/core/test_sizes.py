"""How large a packet may be, and who limits it."""

from __future__ import annotations

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from surveys import company
from two_routers import BACK, survey

from trochos.core.forwarding.path import Traffic
from trochos.core.survey import Computed


def sized(**mtus: int) -> dict[str, dict[str, str]]:
    """What `ip -j link` shows on front and back: name_interface -> MTU."""
    out: dict[str, dict[str, str]] = {}
    for name in ("front", "back"):
        links = [
            {"ifname": port, "flags": ["UP", "LOWER_UP"], "mtu": mtus.get(f"{name}_{port}", 1500)}
            for port in ("eth0", "eth1", "eth2")
        ]
        out[name] = {"link.json": json.dumps(links)}
    return out


def whole(network: Computed) -> int | None:
    sizes = network.path("desk", "db").sizes[0]
    return sizes.whole if sizes is not None else None


def test_the_narrowest_link_limits_and_is_named() -> None:
    network = survey(**sized(front_eth1=1400, back_eth1=1400))
    path = network.path("desk", "db")
    outbound = path.sizes[0]
    assert outbound is not None and outbound.limit is not None
    assert (outbound.whole, outbound.limit.device, outbound.limit.interface) == (
        1400,
        "front",
        "eth1",
    )
    assert outbound.split == 65535 and outbound.told is True
    assert not [f for f in network.findings if f.kind == "mtu-differs"]


def test_two_ends_that_differ_lose_what_is_larger_even_in_pieces() -> None:
    network = survey(**sized(back_eth1=1400))
    outbound = network.path("desk", "db").sizes[0]
    assert outbound is not None and (outbound.whole, outbound.split) == (1400, 1400)
    (found,) = [f for f in network.findings if f.kind == "mtu-differs"]
    assert (found.device, found.interface, found.severity) == ("back", "eth1", "risks")
    healed = network.rehearse(found.remedies[0].edits).after
    assert whole(healed) == 1500
    big = Traffic(size=1450)
    assert network.path("desk", "db", big).outbound.verdict == "too-big"
    assert healed.path("desk", "db", big).works == "yes"


def test_whether_the_sender_is_told_depends_on_the_way_back() -> None:
    """back has the packet that is too big, and no way back to whoever sent it."""
    lost = {"frr.conf": BACK.replace("ip route 10.64.1.0/24 10.64.9.1\n", "")}
    sizes = sized(back_eth0=1400)
    network = survey(front=sizes["front"], back={**sizes["back"], **lost})
    outbound = network.path("desk", "db").sizes[0]
    assert outbound is not None and (outbound.whole, outbound.told) == (1400, False)


@pytest.mark.thorough
@settings(max_examples=30, deadline=None)
@given(
    st.sampled_from(["front_eth1", "back_eth1", "front_eth0", "back_eth0"]),
    st.integers(600, 1500),
    st.integers(28, 1600),
)
def test_lowering_a_size_never_lets_a_larger_packet_through(port: str, mtu: int, size: int) -> None:
    asked = Traffic(size=size, dont_fragment=True)
    before = survey(**sized()).path("desk", "db", asked).works
    after = survey(**sized(**{port: mtu})).path("desk", "db", asked).works
    assert not (after == "yes" and before != "yes")


def test_every_size_that_is_said_to_pass_passes() -> None:
    network = company()
    for sender, receiver in (("tern-kiosk", "bridge-tablet"), ("planning-desk", "booking-db")):
        sizes = network.path(sender, receiver).sizes[0]
        assert sizes is not None and sizes.whole is not None
        fits = Traffic(size=sizes.whole, dont_fragment=True)
        larger = Traffic(size=sizes.whole + 1, dont_fragment=True)
        assert network.path(sender, receiver, fits).outbound.verdict == "delivered"
        assert network.path(sender, receiver, larger).outbound.verdict == "too-big"
